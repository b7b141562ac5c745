"""The printed form of a tree parses to the same tree."""

import dataclasses

import pytest

from jalan.sql import tree
from jalan.sql.dialects import DIALECTS, get_dialect
from jalan.sql.grammar.script import Unread, parse
from jalan.sql.render.expressions import PRINTERS
from jalan.sql.render.statements import STATEMENT_PRINTERS, normal_form
from tests.conftest import ROOT
from tests.core.corpus import cases

# What a run follows itself, or has no parts: nothing to print.
_NOT_PRINTED = (
    tree.Recognised, tree.Routine, tree.Declare, tree.Assign, tree.Block, tree.If, tree.Loop, tree.Return,
    tree.Fetch, tree.Execute, tree.CallRoutine, tree.DeclareType, tree.Prepare, tree.Unparsed,
)  # fmt: skip
VIEWS = [
    text.strip()
    for text in (ROOT / "tests" / "oracle" / "views.sql").read_text().split("\n\n")
    if text.strip() and not text.startswith("--")
]
TEXTS = [(dialect, case.sql) for dialect in DIALECTS for case in cases(dialect)]
TEXTS += [("postgresql", view) for view in VIEWS]


def shape(value: object) -> object:
    """A tree without its places."""
    if isinstance(value, tree.Node):
        fields = [f.name for f in dataclasses.fields(value) if f.name not in ("start", "end")]
        return (type(value).__name__, *[(name, shape(getattr(value, name))) for name in fields])
    if isinstance(value, list | tuple):
        if len(value) == 3 and isinstance(value[0], str) and isinstance(value[1], int):
            return value[0]  # a column of USING with its place
        return [shape(part) for part in value]
    if isinstance(value, dict):
        return {str(key): shape(part) for key, part in value.items()}
    return str(value) if isinstance(value, str) else value


@pytest.mark.parametrize(("name", "text"), TEXTS, ids=range(len(TEXTS)))
def test_the_printed_form_parses_to_the_same_tree(name: str, text: str) -> None:
    dialect = get_dialect(name)
    for node in parse(text, dialect):
        assert not isinstance(node, Unread)
        if isinstance(node, _NOT_PRINTED) or (
            isinstance(node, tree.Wrapped) and isinstance(node.body, _NOT_PRINTED)
        ):
            continue
        printed = normal_form(node, text, dialect)
        (again,) = parse(printed, dialect)
        assert not isinstance(again, Unread), (printed, again.message)
        assert _without_kind(shape(again)) == _without_kind(shape(node)), printed
        assert normal_form(again, printed, dialect) == printed


def _without_kind(found: object) -> object:
    """LOAD, UNLOAD and EXPORT are printed as COPY."""
    if isinstance(found, tuple) and found[0] == "Copy":
        return tuple(part for part in found if part[0] != "kind")
    return found


def test_every_class_of_the_tree_is_printed_or_has_nothing_to_print() -> None:
    printed = set(PRINTERS) | set(STATEMENT_PRINTERS)
    inside = {tree.When, tree.StarModifiers, tree.Conflict, tree.MergeBranch, tree.AlterAction}
    abstract = {tree.Node, tree.Expression, tree.FromItem, tree.StatementNode}
    classes = {c for c in vars(tree).values() if isinstance(c, type) and issubclass(c, tree.Node)}
    assert classes - printed == inside | abstract | set(_NOT_PRINTED)
