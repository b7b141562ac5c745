"""Every example of docs/lineage-rules.md is a test."""

import re
from dataclasses import dataclass

import pytest

from jalan import extract
from tests.conftest import ROOT

TEXT = (ROOT / "docs" / "lineage-rules.md").read_text()


def _tables() -> dict[str, list[str]]:
    block = re.search(r"```tables\n(.*?)```", TEXT, re.S)
    assert block is not None
    found = re.findall(r"(\w+)\(([^)]*)\)", block[1])
    return {name: [column.strip() for column in columns.split(",")] for name, columns in found}


@dataclass(frozen=True)
class Example:
    title: str
    sql: str
    links: list[list[str]]


def _block(section: str, language: str) -> str:
    return section.partition(f"```{language}\n")[2].partition("```")[0]


def _example(section: str) -> Example:
    title = section.partition("\n")[0]
    return Example(title, _block(section, "sql"), [line.split() for line in _block(section, "links").splitlines()])


EXAMPLES = [_example(section) for section in TEXT.split("\n### ")[1:]]


def test_every_heading_has_its_example() -> None:
    assert len(EXAMPLES) > 45
    assert [example.title for example in EXAMPLES if not example.sql] == []


@pytest.mark.parametrize("example", EXAMPLES, ids=[example.title for example in EXAMPLES])
def test_the_rule_holds(example: Example) -> None:
    found = extract(example.sql, tables=_tables())
    links = []
    for link in found.links:
        target = f"{link.target}." if link.target else ""
        links.append([target + (link.output or "(rows)"), link.kind, link.how, f"{link.table}.{link.column}"])
    assert sorted(links) == sorted(example.links)
    assert [d for d in found.diagnostics if d.level == "error"] == []
