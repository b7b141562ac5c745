"""What a proposal changes, as far as it can be simulated."""

from collections.abc import Iterator

from jalan.change.actions import read_action
from jalan.change.altering import ALTERED
from jalan.change.routines import KINDS
from jalan.change.running import HANDLED
from jalan.change.stored import DROPPED
from jalan.sql import tree
from jalan.sql.dialects import get_dialect
from jalan.sql.grammar.script import Unread, parse

_ONLY = "of ALTER columns, names and dropped constraints are simulated: add, drop, rename, type, null, default"


class NotSimulated(ValueError):
    """A part of a proposal is of a kind whose consequences nobody here can tell. start: where it stands."""

    def __init__(self, message: str, start: int) -> None:
        super().__init__(message)
        self.start = start


def check(change: str, dialect: str = "postgresql") -> None:
    """Raise NotSimulated where a change has something whose consequences cannot be told, or is none."""
    statements = 0
    for node in parse(change, get_dialect(dialect)):
        statements += 1
        for message, start in _unknown(node, change, dialect):
            raise NotSimulated(message, start)
    if not statements:
        raise NotSimulated("write what is to be changed as SQL: alter table … drop column …", 0)


def _unknown(node: tree.StatementNode | Unread, text: str, dialect: str) -> Iterator[tuple[str, int]]:
    if isinstance(node, Unread):
        yield node.message, node.span[0]
    elif isinstance(node, tree.Alter):
        for action in node.actions:
            known = action.action in ALTERED
            if action.action == "other":
                known = read_action(action, text, dialect) is not None
            if not known:
                yield _ONLY, action.start
    elif isinstance(node, tree.Drop):
        if node.kind not in DROPPED:
            yield f"what dropping a {node.kind.replace('_', ' ')} does is not simulated so far", node.start
    elif isinstance(node, tree.Recognised):
        if node.kind not in ("comment", "drop_function", "drop_procedure"):
            yield f"what {node.kind.replace('_', ' ')} does is not simulated so far", node.start
    elif isinstance(node, tree.Routine) and node.kind not in KINDS:
        yield f"what a {node.kind} does is not simulated so far", node.start
    elif type(node) not in HANDLED:
        yield "what this statement does is not simulated so far", node.start
