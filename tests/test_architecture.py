"""The house keeps its plan: who may import whom, and where things are found."""

import ast
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent
SRC = ROOT / "src" / "brood"
MAY_IMPORT = {
    "errors": set(),
    "settings": {"errors"},
    "core": {"errors", "core"},
    "catalogue": {"errors", "core", "catalogue"},
    "store": {"errors", "store"},
    "services": {"errors", "core", "catalogue", "store", "services"},
    "charts": {"core", "services", "charts"},
    "web": {
        "errors",
        "settings",
        "core.climate.degree_days",
        "catalogue",
        "store.queries",
        "store.records",
        "store.tables",
        "services",
        "charts",
        "web",
    },
    "cli": {"errors", "settings", "catalogue", "services", "cli"},
}
WIRING = {
    "web/app.py": {"store.session"},
    "web/context.py": {"store.session"},
    "cli/serve.py": {"store.session", "web"},
    "cli/household.py": {"store.session"},
    "cli/plan.py": {"core.course.planner"},
    "cli/degree_days.py": {"core.climate.degree_days"},
}
CORE_MAY_USE = {
    "__future__",
    "abc",
    "collections",
    "csv",
    "dataclasses",
    "datetime",
    "functools",
    "itertools",
    "math",
    "re",
    "statistics",
    "numpy",
    "pint",
    "scipy",
    "typing",
    "zoneinfo",
    "brood",
}
FILES = sorted(p for p in SRC.rglob("*.py") if "migrations" not in p.parts)


def imports(path):
    for node in ast.walk(ast.parse(path.read_text("utf-8"))):
        if isinstance(node, ast.Import):
            yield from (alias.name for alias in node.names)
        elif isinstance(node, ast.ImportFrom) and node.module:
            yield from (
                [f"{node.module}.{a.name}" for a in node.names]
                if node.module == "brood"
                else [node.module]
            )


@pytest.mark.parametrize("path", FILES, ids=lambda p: str(p.relative_to(SRC)))
def test_imports_follow_the_table(path):
    here = path.relative_to(SRC)
    layer = here.parts[0].removesuffix(".py")
    allowed = MAY_IMPORT.get(layer, set()) | WIRING.get(here.as_posix(), set())
    for name in imports(path):
        if name.startswith("brood.") and name != "brood.__version__":
            target = name.removeprefix("brood.")
            assert any(target == a or target.startswith(f"{a}.") for a in allowed), (
                f"{here} imports {name}"
            )
        if layer == "core":
            assert name.split(".")[0] in CORE_MAY_USE, f"{here} imports {name}"
        if layer not in ("store", "services") and here.as_posix() not in WIRING and layer != "web":
            assert name.split(".")[0] != "sqlalchemy", f"{here} imports {name}"


def test_only_settings_reads_the_environment():
    readers = [p.relative_to(SRC).as_posix() for p in FILES if "os.environ" in p.read_text("utf-8")]
    assert readers == ["settings.py"]


def test_every_screen_has_its_route_form_template_and_test():
    routes = {p.stem for p in (SRC / "web" / "routes").glob("*.py")} - {"__init__"}
    for stem in routes:
        assert (SRC / "web" / "templates" / stem).is_dir(), stem
    assert {p.stem for p in (SRC / "web" / "forms").glob("*.py")} - {"__init__", "reader"} <= routes


def test_every_public_core_function_says_what_it_does():
    for path in (SRC / "core").rglob("*.py"):
        tree = ast.parse(path.read_text("utf-8"))
        for node in [
            n
            for top in tree.body
            for n in (top, *(top.body if isinstance(top, ast.ClassDef) else []))
        ]:
            if isinstance(node, ast.FunctionDef | ast.ClassDef) and not node.name.startswith("_"):
                assert ast.get_docstring(node), f"{path.name}: {node.name}"
