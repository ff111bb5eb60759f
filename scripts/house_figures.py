"""Figures of the house: wings and the arrows between them, file sizes, widths, docstrings.

    python scripts/house_figures.py            this checkout
    python scripts/house_figures.py OTHER      another one, such as a clone of an earlier version

In a layer without folders every file counts as a wing of its own.
"""

from __future__ import annotations

import ast
import sys
from pathlib import Path
from statistics import median, quantiles

ORDER = {
    "core": ["climate", "biology", "population", "course", "followup", "diagnosis", "mixing"],
    "services": [
        *("voice", "documents", "warmth", "cases", "diagnosis", "guide", "followup"),
        *("house", "season", "today", "treatment", "archive"),
    ],
}


def main() -> None:
    """Print one block for each layer with wings, and one for the whole source."""
    source = Path(sys.argv[1] if len(sys.argv) > 1 else Path(__file__).parents[1]) / "src" / "brood"
    for layer in ORDER:
        _layer(source, layer)
    _whole(source)


def _layer(source: Path, layer: str) -> None:
    modules = {_name(source, p): p for p in (source / layer).rglob("*.py") if p.stem != "__init__"}
    below = {name: _targets(path) & set(modules) for name, path in modules.items()}
    wings = sorted({_wing(name) for name in modules})
    arrows = {
        (_wing(name), _wing(target))
        for name, targets in below.items()
        for target in targets
        if _wing(name) != _wing(target)
    }
    order = [wing for wing in ORDER[layer] if wing in wings]
    up = [a for a in arrows if set(a) <= set(order) and order.index(a[1]) > order.index(a[0])]
    sizes = [sum(_wing(name) == wing for name in modules) for wing in wings]
    print(
        f"{layer}: {len(modules)} files in {len(wings)} wings, {len(arrows)} arrows between wings, "
        f"{len(up)} up, {len(_circles(below))} modules in circles, "
        f"files a wing {median(sizes):g} at most {max(sizes)}"
    )


def _name(source: Path, path: Path) -> str:
    return ".".join(("brood", *path.relative_to(source).with_suffix("").parts))


def _wing(name: str) -> str:
    return name.split(".")[2]


def _targets(path: Path) -> set[str]:
    out: set[str] = set()
    for node in ast.walk(ast.parse(path.read_text("utf-8"))):
        if isinstance(node, ast.ImportFrom) and node.module:
            out |= {node.module, *(f"{node.module}.{alias.name}" for alias in node.names)}
    return out


def _circles(below: dict[str, set[str]]) -> set[str]:
    """The modules that are left when those without anything below them are taken away,
    again and again.
    """
    left = set(below)
    while free := {name for name in left if not below[name] & left}:
        left -= free
    return left


def _whole(source: Path) -> None:
    files = [p for p in source.rglob("*.py") if "versions" not in p.parts]
    texts = [p.read_text("utf-8") for p in files]
    widths = [len(line) for text in texts for line in text.splitlines() if line.strip()]
    functions = [n for t in texts for n in ast.walk(ast.parse(t)) if isinstance(n, ast.FunctionDef)]
    lengths = [_code_lines(f) for f in functions]
    public = [f for f in functions if not f.name.startswith("_")]
    told = sum(ast.get_docstring(f) is not None for f in public)
    folders = {p.parent for p in files}
    most = max(len([p for p in folder.glob("*.py") if p.stem != "__init__"]) for folder in folders)
    pages = [
        line
        for page in (source / "web" / "templates").rglob("*.html")
        for line in page.read_text("utf-8").splitlines()
    ]
    print(
        f"source: {len(files)} files, largest folder {most} modules, "
        f"width p90 {_p90(widths):g}, over 110 wide {_share(w > 110 for w in widths)}, "
        f"fmt: skip {sum(t.count('# fmt: ' + 'skip') for t in texts)}"
    )
    print(
        f"functions: {len(functions)}, code lines median {median(lengths):g}, "
        f"p90 {_p90(lengths):g}, at most {max(lengths)}; public with a docstring "
        f"{_share([True] * told + [False] * (len(public) - told))}"
    )
    print(f"templates: {len(pages)} lines, over 120 wide {sum(len(line) > 120 for line in pages)}")


def _code_lines(function: ast.FunctionDef) -> int:
    """Statements of a function by lines of code, its docstring and decorators left out."""
    body = function.body[1:] if ast.get_docstring(function) is not None else function.body
    return sum((n.end_lineno or n.lineno) - n.lineno + 1 for n in body) if body else 0


def _p90(values: list[int]) -> float:
    return quantiles(values, n=10)[-1]


def _share(flags: object) -> str:
    every = list(flags)  # type: ignore[call-overload]
    return f"{100 * sum(every) / len(every):.1f} %"


if __name__ == "__main__":
    main()
