"""Holds the floor of line coverage of every package, from the .coverage file of a test run."""

from __future__ import annotations

import io
import sys
from pathlib import Path

from coverage import Coverage

ROOT = Path(__file__).parents[1]
FLOORS = {"core": 95, "catalogue": 90, "store": 85, "services": 90, "charts": 90, "web": 85}
"""Lines in 100. Commands run in processes of their own, where nothing is measured."""


def main() -> int:
    """Print each package with its share and its floor; 1 when one is under it."""
    measured = Coverage(str(ROOT / ".coverage"))
    measured.load()
    low = False
    for package, floor in FLOORS.items():
        within = str(ROOT / "src" / "brood" / package / "*")
        share = measured.report(include=[within], file=io.StringIO(), ignore_errors=True)
        print(f"{package:10s} {share:5.1f}  at least {floor}")
        low |= share < floor
    return int(low)


if __name__ == "__main__":
    sys.exit(main())
