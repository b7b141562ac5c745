"""The laws of the house that no other tool holds: see docs/architecture.md."""

import ast
import re
from collections import defaultdict
from collections.abc import Iterator
from dataclasses import fields
from pathlib import Path

import pytest

from jalan.sql.dialects import DIALECTS
from jalan.sql.dialects.dialect import Dialect

SOURCE = Path(__file__).parents[2] / "src" / "jalan"
CORE = ("sql", "lineage", "formulas", "catalog", "graph", "change", "usage", "formats")
# From the bottom to the top; what stands beside one another knows nothing of one another.
LAYERS = (CORE, ("sources", "store"), ("service",), ("web",), ("cli",), ("demo",))
MODULES = {
    path: ast.parse(path.read_text()) for path in sorted(SOURCE.rglob("*.py")) if "migrations" not in path.parts
}


def inside(*packages: str) -> Iterator[tuple[Path, ast.Module]]:
    """Yield the modules of these packages."""
    for path, module in MODULES.items():
        if path.relative_to(SOURCE).parts[0] in packages:
            yield path, module


def classes(*packages: str) -> dict[str, list[tuple[Path, ast.ClassDef]]]:
    """Return the classes at the top of the modules, by name."""
    found = defaultdict(list)
    for path, module in inside(*packages):
        for node in module.body:
            if isinstance(node, ast.ClassDef):
                found[node.name].append((path, node))
    return found


def test_no_name_in_the_core_stands_for_two_classes() -> None:
    twice = {name: [str(path) for path, _ in found] for name, found in classes(*CORE).items() if len(found) > 1}
    assert twice == {}


def test_no_class_is_more_than_four_deep() -> None:
    every = {name: found[0][1] for name, found in classes(*[p for layer in LAYERS for p in layer]).items()}

    def depth(name: str) -> int:
        bases = [ast.unparse(base).rpartition(".")[2] for base in every[name].bases]
        return 1 + max((depth(base) for base in bases if base in every and base != name), default=0)

    assert {name: depth(name) for name in every if depth(name) > 4} == {}
    assert max(map(depth, every)) > 1


def test_a_stub_is_no_contract() -> None:
    """A method that only says that another class has it belongs to that class."""
    stubs = [
        f"{path.name}:{node.lineno}"
        for path, module in inside(*CORE)
        for node in ast.walk(module)
        if isinstance(node, ast.Raise) and "NotImplementedError" in ast.unparse(node)
    ]
    assert stubs == []


def test_a_dialects_name_is_compared_nowhere_outside_its_room() -> None:
    found = []
    for path, module in inside("sql", "lineage", "usage"):
        if "dialects" in path.parts:
            continue
        for node in ast.walk(module):
            if isinstance(node, ast.Compare):
                texts = {
                    n.value for n in ast.walk(node) if isinstance(n, ast.Constant) and isinstance(n.value, str)
                }
                asked = ast.unparse(node.left)
                if texts & DIALECTS.keys() and re.search(r"dialect|\.name\b", asked):
                    found.append(f"{path.name}:{node.lineno} {ast.unparse(node)}")
    assert found == []


@pytest.mark.parametrize("flag", [f.name for f in fields(Dialect) if f.name not in ("name", "title", "tells")])
def test_a_dialect_says_nothing_that_nobody_asks(flag: str) -> None:
    asked = re.compile(rf"dialect\.{flag}\b")
    assert any(
        asked.search(path.read_text()) for path, _ in inside("sql", "lineage", "usage", "service", "catalog")
    )


def test_nothing_starts_a_module_above_itself_by_a_string() -> None:
    rank = {package: n for n, layer in enumerate(LAYERS) for package in layer}
    found = []
    for path, module in MODULES.items():
        package = path.relative_to(SOURCE).parts[0]
        if package not in rank:
            continue
        for node in ast.walk(module):
            if isinstance(node, ast.Constant) and isinstance(node.value, str):
                named = re.fullmatch(r"jalan\.([a-z]+)[\w.]*(:\w+)?", node.value)
                if named and rank.get(named[1], -1) > rank[package]:
                    found.append(f"{path.name}:{node.lineno} {node.value}")
    assert found == []


def test_kinds_are_compared_as_what_they_are() -> None:
    """Kinds of links, fields and definitions stand in catalog/kinds.py; nothing compares bare strings."""
    bare = re.compile(
        r"""\.kind (==|!=) ["'](value|condition|column|star|report|query|declaration|flow|event)["']"""
    )
    found = [
        f"{path.name}:{number}"
        for path, _ in inside("service", "store", "formats", "graph")
        if path.name != "declarations.py"  # of the screen, which has a kind of its own
        for number, line in enumerate(path.read_text().splitlines(), 1)
        if bare.search(line)
    ]
    assert found == []


def test_every_use_case_takes_a_context() -> None:
    """What the web calls is given who asks, and of what."""
    web = [path for path, _ in inside("web")]
    text = "\n".join(path.read_text() for path in web)
    assert "Session(" not in text
    assert "engine_of" not in text
