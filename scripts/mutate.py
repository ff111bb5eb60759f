"""Small mutations of the computation and the services, and whether the tests see them.

    python scripts/mutate.py --count 40               drawn from the commit's hash
    python scripts/mutate.py --contexts .coverage --times junit.xml   the nearest tests first

A mutation changes a constant, turns an operator round, or drops a branch or a return value. It is
made in a copy of the checkout. The tests that run the changed line come first, by a coverage file
with contexts (pytest --cov=src/brood --cov-context=test), the quickest of them before the others
(pytest --junitxml). Then the other tests of the line, and those of the module, as long as a minute
or two lasts; with --whole the whole suite follows. What nothing sees is listed.
"""

from __future__ import annotations

import argparse
import ast
import copy
import os
import random
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

ROOT = Path(__file__).parents[1]
FOLDERS = ("core", "services")
SWAPS = {
    ast.Add: ast.Sub,
    ast.Sub: ast.Add,
    ast.Mult: ast.Div,
    ast.Lt: ast.LtE,
    ast.LtE: ast.Lt,
    ast.Gt: ast.GtE,
    ast.GtE: ast.Gt,
    ast.Eq: ast.NotEq,
    ast.NotEq: ast.Eq,
    ast.And: ast.Or,
    ast.Or: ast.And,
}
FIRST, THEN = 30.0, 90.0
"""Seconds of tests that are run first, and then, by the times that they took."""
MINUTES, NO_SUCH_TEST = 15, 4


@dataclass(frozen=True)
class Mutation:
    """A changed file: its path, the line, what was done, and the new source."""

    path: str
    line: int
    what: str
    source: str


def every(path: Path) -> Iterator[Mutation]:
    """Every mutation of a file."""
    text = path.read_text("utf-8")
    tree = ast.parse(text)
    skipped = {id(n) for doc in _docstrings(tree) for n in ast.walk(doc)}
    nodes = [n for n in ast.walk(tree) if id(n) not in skipped]
    for place, node in enumerate(nodes):
        for what, change in _changes(node):
            other = copy.deepcopy(tree)
            left = {id(n) for doc in _docstrings(other) for n in ast.walk(doc)}
            target = [n for n in ast.walk(other) if id(n) not in left][place]
            change(target)
            line = getattr(node, "lineno", 0)
            yield Mutation(str(path.relative_to(ROOT)), line, what, ast.unparse(other))


def _docstrings(tree: ast.AST) -> list[ast.Expr]:
    return [
        n for n in ast.walk(tree) if isinstance(n, ast.Expr) and isinstance(n.value, ast.Constant)
    ]


def _changes(node: ast.AST) -> Iterator[tuple[str, Callable[[Any], None]]]:
    """(what, function that does it to such a node) of one node."""
    if (
        isinstance(node, ast.Constant)
        and type(node.value) in (int, float)
        and node.value not in (0, 1)
    ):
        yield f"{node.value} -> {node.value * 1.5:g}", _scale
    if isinstance(node, ast.BinOp | ast.BoolOp) and type(node.op) in SWAPS:
        yield f"{type(node.op).__name__} turned round", _swap
    if isinstance(node, ast.Compare) and len(node.ops) == 1 and type(node.ops[0]) in SWAPS:
        yield f"{type(node.ops[0]).__name__} turned round", _compare
    if isinstance(node, ast.If):
        yield "condition never holds", _never


def _scale(node: ast.Constant) -> None:
    node.value = type(node.value)(node.value * 1.5) if node.value * 1.5 != node.value else 7


def _swap(node: ast.BinOp) -> None:
    node.op = SWAPS[type(node.op)]()


def _compare(node: ast.Compare) -> None:
    node.ops = [SWAPS[type(node.ops[0])]()]


def _never(node: ast.If) -> None:
    node.test = ast.Constant(False)


def drawn(seed: str, count: int) -> list[Mutation]:
    """So many mutations drawn by a seed, files weighted by their length."""
    rng = random.Random(seed)
    files = [p for folder in FOLDERS for p in (ROOT / "src" / "brood" / folder).rglob("*.py")]
    files = sorted(p for p in files if "demo" not in p.parts)
    sizes = [len(p.read_text("utf-8").splitlines()) for p in files]
    out: list[Mutation] = []
    while len(out) < count:
        some = list(every(rng.choices(files, sizes)[0]))
        if some:
            one = rng.choice(some)
            if one not in out:
                out.append(one)
    return out


@dataclass(frozen=True)
class Suite:
    """Which tests run which lines, and how long each takes."""

    contexts: Path | None
    times: dict[str, float]

    def nearest(self, mutation: Mutation) -> tuple[list[str], list[str]]:
        """The quickest tests that run the changed line; and the others of that line, with
        those that run any line of its module.
        """
        if self.contexts is None:
            return [], []
        from coverage import CoverageData

        data = CoverageData(str(self.contexts))
        data.read()
        measured = next((f for f in data.measured_files() if f.endswith(mutation.path)), "")
        by_line = data.contexts_by_lineno(measured)
        own = self._quick(by_line.get(mutation.line, []))
        rest = self._quick(c for found in by_line.values() for c in found)
        first = self._within(own, FIRST)
        return first, self._within([t for t in [*own, *rest] if t not in first], THEN)

    def _quick(self, contexts: Iterable[str]) -> list[str]:
        tests = {c.split("|")[0] for c in contexts if c} & set(self.times)
        return sorted(tests, key=lambda test: self.times[test])

    def _within(self, tests: list[str], seconds: float) -> list[str]:
        """The tests up to so many seconds together, each once, at least one."""
        out, left = [], seconds
        for test in dict.fromkeys(tests):
            left -= self.times[test]
            if left < 0 and out:
                break
            out.append(test)
        return out


def times_of(path: Path | None) -> dict[str, float]:
    """Seconds by test, from a file that pytest --junitxml has written."""
    if path is None:
        return {}
    cases = ElementTree.parse(path).iter("testcase")
    return {
        f"{c.get('classname', '').replace('.', '/')}.py::{c.get('name')}": float(c.get("time", 0))
        for c in cases
    }


def tried(mutation: Mutation, suite: Suite, whole: bool) -> tuple[str, float]:
    """How a mutation was seen (or "unseen"), and the seconds that took."""
    begun = time.time()
    with tempfile.TemporaryDirectory() as folder:
        home = Path(folder) / "copy"
        shutil.copytree(ROOT, home, ignore=shutil.ignore_patterns(".*", "node_modules"))
        (home / mutation.path).write_text(mutation.source, "utf-8")
        for name, tests in zip(("nearest", "further"), suite.nearest(mutation), strict=True):
            if tests and _fails(home, tests):
                return name, time.time() - begun
        if whole and _fails(home, []):
            return "whole suite", time.time() - begun
    return "unseen", time.time() - begun


def _fails(home: Path, tests: list[str]) -> bool:
    env = {**os.environ, "PYTHONPATH": str(home / "src"), "OPENBLAS_NUM_THREADS": "1"}
    command = [sys.executable, "-m", "pytest", "-q", "-x", "-m", "not long and not browser", *tests]
    try:
        ran = subprocess.run(command, cwd=home, env=env, capture_output=True, timeout=60 * MINUTES)
    except subprocess.TimeoutExpired:
        return True
    if ran.returncode == NO_SUCH_TEST:
        raise ValueError(ran.stderr.decode())
    return ran.returncode not in (0, 5)


def main() -> int:
    """Draw, try and list."""
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--count", type=int, default=40)
    parser.add_argument("--seed", default="", help="the commit's hash where none is given")
    parser.add_argument("--contexts", type=Path, help="a coverage file with contexts")
    parser.add_argument("--times", type=Path, help="a junit file with the times of tests")
    parser.add_argument("--whole", action="store_true", help="the whole suite for survivors")
    parser.add_argument("--workers", type=int, default=2)
    given = parser.parse_args()
    head = subprocess.run(["git", "rev-parse", "HEAD"], cwd=ROOT, capture_output=True, text=True)
    seed = given.seed or head.stdout.strip()
    chosen = drawn(seed, given.count)
    suite, seen = Suite(given.contexts, times_of(given.times)), 0
    with ThreadPoolExecutor(given.workers) as pool:
        found = pool.map(lambda m: tried(m, suite, given.whole), chosen)
        for mutation, (how, seconds) in zip(chosen, found, strict=True):
            seen += how != "unseen"
            print(
                f"{how:12s} {seconds:5.0f} s  {mutation.path}:{mutation.line}  {mutation.what}",
                flush=True,
            )
    print(f"{seen} of {len(chosen)} seen, drawn by {seed}")
    return 0


if __name__ == "__main__":
    sys.exit(main())
