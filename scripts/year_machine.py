"""The year machine: households made from a seed live through their days with the real
application, and what went wrong is printed.

    --seeds 1,2,3 --households 9 --days 365 --stride 5   the households of some seeds
    --only 2:7            one household alone, by its seed
    --minutes 20          stop in time and say how far it came
    --keep FOLDER         keep the households in which something went wrong
"""

from __future__ import annotations

import argparse
import os
import sys
import time
from pathlib import Path

from machine.report import Report
from machine.run import KEEP, many, one


def main() -> int:
    """Run and print; the number of faults, capped, is the exit status."""
    given = _given()
    if given.keep:
        given.keep.mkdir(parents=True, exist_ok=True)
        os.environ[KEEP] = str(given.keep.resolve())
    begun = time.time()
    until = begun + 60 * given.minutes if given.minutes else 0.0
    total = Report()
    if given.only:
        seed, n = map(int, given.only.split(":"))
        total = one(seed, n, given.days, given.stride, until)
    else:
        households = [(seed, n) for n in range(given.households) for seed in given.seeds]
        for done, (_, report) in enumerate(
            many(households, given.days, given.stride, workers=given.workers, until=until), 1
        ):
            total.add(report)
            _progress(done, len(households), begun, total)
    print(total.table(given.examples))
    took = time.time() - begun
    visits = max(total.counts["visits"], 1)
    print(
        f"{took / 60:.1f} minutes, {took / visits:.2f} s a visited day; 40 households x "
        "365 days at one visit a day would take "
        f"{40 * 365 * took / visits / 3600:.1f} hours at this pace"
    )
    return min(len(total.faults), 100)


def _progress(done: int, of: int, begun: float, total: Report) -> None:
    bar = "#" * round(30 * done / of)
    print(
        f"\r[{bar:30s}] {done}/{of} households, {total.counts['visits']} days visited, "
        f"{len(total.faults)} faults, "
        f"{(time.time() - begun) / 60:.1f} min ",
        end="" if sys.stderr.isatty() else "\n",
        file=sys.stderr,
        flush=True,
    )


def _given() -> argparse.Namespace:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument(
        "--seeds", type=lambda text: [int(s) for s in text.split(",")], default=[1, 2, 3]
    )
    parser.add_argument("--households", type=int, default=9, help="households for each seed")
    parser.add_argument("--days", type=int, default=365)
    parser.add_argument(
        "--stride", type=int, default=5, help="mean days from visit to visit, 1 to 10"
    )
    parser.add_argument("--minutes", type=float, default=0.0, help="stop after so many minutes")
    parser.add_argument("--only", default="", help="one household, such as 2:7")
    parser.add_argument(
        "--keep", type=Path, help="a folder for the households in which something went wrong"
    )
    parser.add_argument("--workers", type=int, default=2)
    parser.add_argument(
        "--examples", type=int, default=4, help="examples shown of each kind of fault"
    )
    return parser.parse_args()


if __name__ == "__main__":
    sys.exit(main())
