"""The same statement in another spelling has the same links: with the least space between its tokens, with much,
with comments, in other letter case, with parentheses that change nothing."""

import re
from collections.abc import Callable

import pytest

from jalan import extract
from jalan.sql import tree
from jalan.sql.dialects import DIALECTS, get_dialect
from jalan.sql.grammar.script import Unread, parse
from jalan.sql.lexer import END, WORD, Tokens, tokenize
from jalan.sql.walk import walk
from tests.conftest import ROOT
from tests.core.corpus import TABLES, cases, rendered
from tests.core.spaces import needed

VIEWS = (ROOT / "tests" / "oracle" / "views.sql").read_text().split("\n\n")
TEXTS = [(dialect, case.sql) for dialect in DIALECTS for case in cases(dialect)]
TEXTS += [("postgresql", text.strip()) for text in VIEWS if text.strip() and not text.startswith("--")]
# Texts in which a line's end or a space means something.
_LINES = re.compile(r"(?im)^\s*(?:go|delimiter\b.*|/)\s*$|-\w+\.\w|`\w+-|%s|%\(")
_NO_OPERANDS = re.compile(r"\(\+\)|[+*]=|''")  # what no parentheses may stand around
_OPERANDS = frozenset("+ - * / % || = <> != < > <= >= and or".split())


def tokens_of(dialect: str, sql: str) -> Tokens:
    return tokenize(sql, get_dialect(dialect))


def joined(dialect: str, sql: str, between: Callable[[str, str, int, int], str]) -> str:
    """The tokens of a text with other things between them."""
    found = tokens_of(dialect, sql)
    parts = []
    for i in range(len(found.kinds) - 1):
        parts.append(found.written(i))
        if found.kinds[i + 1] != END:
            parts.append(between(found.written(i), found.written(i + 1), found.kinds[i], found.kinds[i + 1]))
    return "".join(parts)


def other_case(dialect: str, sql: str) -> str:
    found = tokens_of(dialect, sql)
    text = list(sql)
    for kind, start, end in zip(found.kinds, found.starts, found.ends, strict=True):
        if kind == WORD:
            text[start:end] = sql[start:end].swapcase()
    return "".join(text)


def parenthesized(dialect: str, sql: str) -> str:
    """The text with parentheses around the operands of its operators."""
    places: set[tuple[int, int]] = set()
    for statement in parse(sql, get_dialect(dialect)):
        if isinstance(statement, Unread):
            continue
        for node in walk(statement):
            operands: list[tree.Expression] = []
            if isinstance(node, tree.Binary) and node.operator in _OPERANDS:
                operands = [node.left, node.right]
            elif isinstance(node, tree.When):
                operands = [node.condition, node.result]
            for operand in operands:
                if isinstance(
                    operand, tree.Column | tree.Literal | tree.Call | tree.Binary | tree.Case | tree.Cast
                ):
                    if sql[operand.start : operand.end].strip():
                        places.add((operand.start, operand.end))
    marks = [(end, -start, ")") for start, end in places] + [(start, -end, "(") for start, end in places]
    parts, at = [], 0
    for place, _, mark in sorted(marks, key=lambda m: (m[0], m[2] == "(", m[1])):
        parts += [sql[at:place], mark]
        at = place
    return "".join([*parts, sql[at:]])


SPELLINGS: dict[str, Callable[[str, str], str]] = {
    "least": lambda dialect, sql: joined(dialect, sql, needed),
    "most": lambda dialect, sql: joined(dialect, sql, lambda *_: " \n\t "),
    "comments": lambda dialect, sql: joined(dialect, sql, lambda *_: "/* ' \" ; */"),
    "lines": lambda dialect, sql: joined(dialect, sql, lambda *_: " -- it's ; (\n"),
    "case": other_case,
    "parentheses": parenthesized,
}


def plain(lines: list[str]) -> list[str]:
    """What was extracted, but for how outputs without a name are called after their text."""
    return [re.sub(r"/\*.*?\*/|-- it's ; \(|[\s()]", "", line.casefold()) for line in lines]


@pytest.mark.parametrize("spelling", SPELLINGS)
def test_another_spelling_has_the_same_links(spelling: str) -> None:
    wrong = []
    for dialect, sql in TEXTS:
        if _LINES.search(sql):
            continue
        before = plain(rendered(extract(sql, dialect=dialect, tables=TABLES)))
        text = SPELLINGS[spelling](dialect, sql)
        if spelling == "parentheses" and _NO_OPERANDS.search(sql):
            continue
        after = plain(rendered(extract(text, dialect=dialect, tables=TABLES)))
        if before != after:
            wrong.append((dialect, text, [line for line in after if line not in before], before))
    assert wrong == []
