"""What holds between modules, beside the layers that import-linter holds: no circles, one way to a value."""

from __future__ import annotations

import ast
from collections.abc import Iterator
from pathlib import Path

import pytest

import velvet_seam

ROOT = Path(velvet_seam.__file__).parent
SCRIPTS = ROOT / "web" / "static" / "js"


def module_of(path: Path) -> str:
    return ".".join(("velvet_seam", *path.relative_to(ROOT).with_suffix("").parts)).removesuffix(
        ".__init__"
    )


def imports(path: Path) -> Iterator[str]:
    """Modules that a module names, also those that it names only for its types."""
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.ImportFrom) and node.module:
            yield node.module
            yield from (f"{node.module}.{alias.name}" for alias in node.names)


def imported_scripts(path: Path) -> Iterator[str]:
    for line in path.read_text().splitlines():
        if line.startswith(("import ", "export ")) and ' from "./' in line:
            yield str((path.parent / line.rsplit('"', 2)[1]).resolve())


def circles(graph: dict[str, set[str]]) -> list[list[str]]:
    """Ways from something back to itself."""
    found: list[list[str]] = []
    done: set[str] = set()

    def walk(one: str, way: list[str]) -> None:
        if one in way:
            found.append([*way[way.index(one) :], one])
        elif one not in done:
            for other in sorted(graph.get(one, ())):
                walk(other, [*way, one])
            done.add(one)

    for one in sorted(graph):
        walk(one, [])
    return found


def test_circles_are_seen():
    assert circles({"a": {"b"}, "b": {"c"}, "c": {"a"}}) == [["a", "b", "c", "a"]]
    assert circles({"a": {"b", "c"}, "b": {"c"}, "c": set()}) == []


def test_no_module_leads_back_to_itself():
    paths = {module_of(path): path for path in ROOT.rglob("*.py")}
    packages = {name for name, path in paths.items() if path.name == "__init__.py"}
    graph = {
        name: {
            other
            for other in imports(path)
            if other in paths
            and other != name
            and not (other in packages and name.startswith(other))
        }
        for name, path in paths.items()
    }
    assert circles(graph) == []


def test_no_script_leads_back_to_itself():
    graph = {str(path): set(imported_scripts(path)) for path in SCRIPTS.rglob("*.js")}
    assert sum(map(len, graph.values())) > 30
    assert circles(graph) == []


@pytest.mark.parametrize("room", ["engine", "sound", "masks", "mattes", "media", "picture"])
def test_values_are_read_in_one_way(room: str):
    """What reads a layer's values asks ``At``; only edits and keyframes look at keyframes themselves."""
    wrong = [
        str(path.relative_to(ROOT))
        for path in (ROOT / "core" / room).rglob("*.py")
        if "velvet_seam.core.timing.animated.value_at" in set(imports(path))
    ]
    assert wrong == []


LONGEST = 60
"""Lines of a function. Kernels may be longer: what a row needs stays in registers only within one."""


def is_kernel(node: ast.FunctionDef) -> bool:
    return any(
        "njit" in (words := ast.unparse(one)) or "kernel" in words for one in node.decorator_list
    )


def test_no_function_is_longer_than_a_page():
    long = {
        f"{module_of(path)}.{node.name}"
        for path in ROOT.rglob("*.py")
        if "demo" not in path.parts  # drawings, stroke by stroke
        for node in ast.walk(ast.parse(path.read_text()))
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef)
        and (node.end_lineno or 0) - node.lineno >= LONGEST
        and not is_kernel(node)
    }
    assert long == set()
