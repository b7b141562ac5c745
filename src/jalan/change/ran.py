"""Texts that are run against a catalogue, and what running one did."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from jalan.change.meaning import QueryDifference
from jalan.sql import tree
from jalan.sql.dialects import get_dialect
from jalan.sql.grammar.script import Unread, parse
from jalan.sql.lexer import tokenize


@dataclass(frozen=True, slots=True)
class Text:
    """A text that is run. place: names it to people. is_query: it is only asked, as an element of a report is."""

    place: str
    text: str
    search_path: tuple[str, ...] = ("public",)
    dialect: str = "postgresql"
    is_query: bool = False


@dataclass(frozen=True, slots=True)
class ReadStatement:
    """A statement of a text, and its words as the grammar compares them."""

    node: tree.StatementNode | Unread
    keys: Sequence[str]


def read_statements(text: Text) -> list[ReadStatement]:
    """Read the statements of a text: who runs it again and again does so once."""
    dialect = get_dialect(text.dialect)
    return [
        ReadStatement(
            node, () if isinstance(node, Unread) else tokenize(text.text[node.start : node.end], dialect).keys
        )
        for node in parse(text.text, dialect)
    ]


@dataclass(frozen=True, slots=True)
class Failure:
    """Why a text fails: what the database would say, at which characters, and of which relation (and column).

    is_misfit: it is types that do not fit.
    """

    message: str
    span: tuple[int, int]
    relation: str | None = None
    column: str | None = None
    is_misfit: bool = False


class Fails(Exception):
    """A statement of a text fails."""

    def __init__(self, failure: Failure) -> None:
        super().__init__(failure.message)
        self.failure = failure


@dataclass(frozen=True, slots=True)
class Flow:
    """What one statement makes of what.

    target: the relation that it fills, none of a query. columns: output → the columns (relation, column) that it is
    made of or decided by. rows: those that decide which rows there are. reads: the relations that it reads.
    """

    target: str | None
    columns: Mapping[str, frozenset[tuple[str, str]]]
    rows: frozenset[tuple[str, str]]
    reads: frozenset[str]


@dataclass(slots=True)
class Ran:
    """What running a text did.

    read: relations that it has read. wrote: those that it has filled, made or changed. filled: those of them that
    may hold something else than before. dropped: what it has dropped, whether it makes it again or not. names: all
    that it speaks of. anew: those of the filled that hold nothing of what was there before. flows: what was made of
    what, in order. differs: of views that got another query, where these are compared, what differs; none if that
    cannot be told. words: all words of its statements. whole: the relations of which all columns count, whatever
    they are called: those that it fills without naming the columns. has_star: it takes all columns of something.
    retyped: relation → columns whose values are others because they got another type. called: the signatures of
    the routines that it calls, also by way of others; switched: of these, those that it called not before a change.
    captured: number of a flow → the columns in which names stand for other columns than before a change; none where
    such names decide about rows.
    """

    failure: Failure | None = None
    read: set[str] = field(default_factory=set)
    wrote: set[str] = field(default_factory=set)
    filled: set[str] = field(default_factory=set)
    dropped: set[str] = field(default_factory=set)
    names: set[str] = field(default_factory=set)
    anew: set[str] = field(default_factory=set)
    flows: list[Flow] = field(default_factory=list)
    differs: dict[str, QueryDifference | None] = field(default_factory=dict)
    words: set[str] = field(default_factory=set)
    whole: set[str] = field(default_factory=set)
    has_star: bool = False
    retyped: dict[str, frozenset[str]] = field(default_factory=dict)
    called: set[str] = field(default_factory=set)
    switched: set[str] = field(default_factory=set)
    captured: dict[int, frozenset[str] | None] = field(default_factory=dict)
