"""The house keeps its plan: which module may import which, and where things are found."""

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
    "demo": {"errors", "core", "catalogue", "store", "services", "demo"},
    "web": {
        "errors",
        "settings",
        "core.climate.degree_days",
        "catalogue",
        "store.kept",
        "store.queries",
        "store.records",
        "store.states",
        "store.tables",
        "store.place_tables",
        "services",
        "charts",
        "demo",
        "web",
    },
    "cli": {"errors", "settings", "catalogue", "services", "demo", "cli"},
}
WIRING = {
    "web/app.py": {"store.session"},
    "web/context.py": {"store.session"},
    "cli/serve.py": {"store.session", "web"},
    "cli/household.py": {"store.session"},
    "cli/plan.py": {"core.course.planner"},
    "cli/heat.py": {"core.climate.degree_days"},
}
CORE_MAY_USE = {
    "__future__",
    "abc",
    "bisect",
    "collections",
    "csv",
    "dataclasses",
    "datetime",
    "enum",
    "functools",
    "hashlib",
    "itertools",
    "math",
    "re",
    "statistics",
    "threading",
    "numpy",
    "scipy",
    "typing",
    "zoneinfo",
    "brood",
}
WINGS = {
    "core": [
        "climate",
        "biology",
        "population",
        "course",
        "followup",
        "diagnosis",
        "mixing",
        "season",
    ],
    "services": [
        "voice",
        "documents",
        "warmth",
        "cases",
        "diagnosis",
        "guide",
        "followup",
        "house",
        "season",
        "today",
        "treatment",
        "archive",
    ],
}
"""The wings of a layer in their order: each may import those before it."""
MOST_MODULES, TEMPLATE_WIDTH, MOST_UNFORMATTED = 16, 120, 15
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
        rows = layer in ("store", "services", "demo", "web") or here.as_posix() in WIRING
        if not rows:
            assert name.split(".")[0] != "sqlalchemy", f"{here} imports {name}"


def test_only_settings_reads_the_environment():
    readers = [p.relative_to(SRC).as_posix() for p in FILES if "os.environ" in p.read_text("utf-8")]
    assert readers == ["settings.py"]


def test_every_screen_has_its_route_form_and_templates_in_one_wing():
    def screens(layer, pattern):
        found = (SRC / "web" / layer).glob(pattern)
        return {f"{p.parent.name}/{p.stem}" for p in found if p.stem != "__init__"}

    routes = screens("routes", "*/*.py")
    assert screens("forms", "*/*.py") <= routes
    pages = {p for p in screens("templates", "*/*") if not p.startswith("macros/")}
    assert pages == routes
    assert {screen.split("/")[0] for screen in routes} <= set(WINGS["services"])


@pytest.mark.parametrize("layer", WINGS)
def test_a_wing_imports_only_the_wings_before_it(layer):
    order = {wing: place for place, wing in enumerate(WINGS[layer])}
    for path in (SRC / layer).rglob("*.py"):
        parts = path.relative_to(SRC / layer).parts
        if len(parts) < 2:
            continue
        for name in imports(path):
            if name.startswith(f"brood.{layer}."):
                wing = name.split(".")[2]
                assert order.get(wing, -1) <= order[parts[0]], (
                    f"{layer}/{'/'.join(parts)} imports {name}"
                )


def test_no_module_of_the_core_the_store_or_the_services_is_its_own_ancestor():
    modules = {
        ".".join(("brood", *p.relative_to(SRC).with_suffix("").parts)): p
        for p in FILES
        if p.relative_to(SRC).parts[0] in ("core", "store", "services")
    }
    below = {name: _targets(path, modules) for name, path in modules.items()}
    left = set(below)
    while free := {name for name in left if not below[name] & left}:
        left -= free
    assert not left, f"these import each other: {sorted(left)}"


def _targets(path, modules):
    """The modules that a module imports, wherever in it."""
    out = set()
    for node in ast.walk(ast.parse(path.read_text("utf-8"))):
        if isinstance(node, ast.ImportFrom) and node.module:
            out |= {node.module, *(f"{node.module}.{a.name}" for a in node.names)}
    return out & set(modules)


def test_no_folder_holds_more_than_sixteen_modules():
    for folder in {p.parent for p in FILES}:
        assert len({p for p in folder.glob("*.py") if p.stem != "__init__"}) <= MOST_MODULES, folder


def test_lines_keep_their_width():
    for path in (SRC / "web" / "templates").rglob("*.html"):
        for n, line in enumerate(path.read_text("utf-8").splitlines(), 1):
            assert len(line) <= TEMPLATE_WIDTH, f"{path.name}:{n} is {len(line)} wide"
    code = [
        p for folder in ("src", "tests", "scripts", "bench") for p in (ROOT / folder).rglob("*.py")
    ]
    unformatted = sum(p.read_text("utf-8").count("# fmt: " + "skip") for p in code)
    assert unformatted <= MOST_UNFORMATTED


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
