"""What the statements of a text mean as it is run, so that the text can be held against another one."""

from collections.abc import Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from jalan.change.catalogue import Catalogue, made_name
from jalan.change.meaning import Forms, FoundRelation, Meaning, Unclear, meaning
from jalan.change.routines import own_routines, typed_columns
from jalan.change.stored import POSTGRESQL, StoredRelation
from jalan.change.types import Misfit, outputs_of
from jalan.sql import tree
from jalan.sql.dialects import get_dialect
from jalan.sql.grammar.script import Unread, parse
from jalan.sql.lexer import tokenize

UNKNOWN = "unknown"
_QUIET = (tree.CreateTable, tree.SetSearchPath)
"""Statements after which no relation holds anything else than before."""


@dataclass(frozen=True, slots=True)
class TextStep:
    """A statement that may change what relations hold.

    kind: what it is, or ``UNKNOWN``. targets: the names of what it fills, empties or drops. flow: its number among
    the flows of the text, none where it has none. written: its words. sets: the columns to which it gives values in
    rows that are there. query: what its query means, its outputs called like the columns of the target; none where
    that cannot be told or there is none. around: what decides apart from the query. makes: whether the columns of
    the target are those of the query. types: of its outputs, as far as they are known.
    """

    kind: str
    targets: tuple[str, ...]
    flow: int | None
    written: tuple[str, ...]
    sets: frozenset[str] = frozenset()
    query: Meaning | None = None
    around: tuple[str, ...] = ()
    makes: bool = True
    types: Mapping[str, str] = field(default_factory=dict)


class Identities:
    """What relations are, so that two texts speak of the same ones, before a change and after it: what there was
    before it stays the same when it gets another name, and when it is made anew under its own."""

    def __init__(self, before: Mapping[str, StoredRelation]) -> None:
        self._names = before
        self._numbers = {one.number for one in before.values()}

    def column(self, table: str, column: str, now: Catalogue | None = None) -> Hashable:
        """Return what a column is, by the names of its table and its own: those of before a change, or of now."""
        relation = self._names.get(table) if now is None else now.find(table)
        if relation is None:
            return table, column
        found = self.of(relation, False)
        return found.identity, found.columns.get(column, column)

    def of(self, relation: StoredRelation, is_own: bool) -> FoundRelation:
        """Return what a relation and its columns are. is_own: the text has made it itself."""
        if not is_own and relation.number in self._numbers:
            return FoundRelation(relation.number, relation.columns)
        was = None if is_own else self._names.get(relation.name)
        columns: dict[str, Hashable] = {column: (relation.name, column) for column in relation.columns}
        if was is None:
            return FoundRelation(relation.name, columns)
        columns |= {column: number for column, number in was.columns.items() if column in columns}
        return FoundRelation(was.number, columns)


class Steps:
    """Takes down the steps of one text while it is run. forms: those of both texts that are compared."""

    def __init__(self, catalogue: Catalogue, identities: Identities, forms: Forms) -> None:
        self.taken: list[TextStep] = []
        self._catalogue = catalogue
        self._identities = identities
        self._forms = forms
        self._first = catalogue.next_number

    def take(
        self, node: tree.StatementNode | Unread, text: str, dialect: str, path: tuple[str, ...], flow: int
    ) -> None:
        """Take down a statement that is about to be run. flow: the number that its flow would have."""
        step = _StepReader(self, text, dialect, path, flow).read(node)
        if step is not None:
            self.taken.append(step)

    def named(self, parts: Sequence[str], path: tuple[str, ...]) -> StoredRelation | None:
        """Return a relation as the text finds it."""
        return self._catalogue.named(parts, path)

    def types(self, query: tree.Query, text: str, dialect: str, path: tuple[str, ...]) -> dict[str, str]:
        """Return the types of the outputs of a query, as far as they are known."""
        if dialect != POSTGRESQL:
            return {}
        find = typed_columns(self._catalogue, path)
        try:
            outputs = outputs_of(query, text, find, routines=own_routines(self._catalogue, path))
        except Misfit:
            return {}
        return {one.name: str(one.type) for one in outputs if one.type is not None}

    def meaning(self, query: str, dialect: str, path: tuple[str, ...]) -> Meaning | None:
        """Return what a query means where it stands; none where that cannot be told."""
        nodes = list(parse(query, get_dialect(dialect)))
        if len(nodes) != 1 or not isinstance(nodes[0], tree.QueryStatement):
            return None

        def find(parts: tuple[str, ...]) -> FoundRelation | None:
            found = self.named(parts, path)
            return None if found is None else self._identities.of(found, found.number >= self._first)

        try:
            return meaning(nodes[0].query, query, self._forms, find, dialect)
        except Unclear:
            return None


class _StepReader:
    """Reads one statement."""

    def __init__(self, steps: Steps, text: str, dialect: str, path: tuple[str, ...], flow: int) -> None:
        self._steps, self._text, self._dialect, self._path, self._flow = steps, text, dialect, path, flow

    def read(self, node: tree.StatementNode | Unread) -> TextStep | None:
        if isinstance(node, Unread):
            return TextStep(UNKNOWN, (), None, self._words(*node.span))
        kind = type(node).__name__
        words = self._words(node.start, node.end)
        if isinstance(node, _QUIET) or (isinstance(node, tree.Recognised) and words[:1] == ("comment",)):
            return None
        if isinstance(node, tree.QueryStatement):
            return TextStep(
                kind, (), self._flow, words, query=self._query(node.query, None), types=self._types(node.query)
            )
        if isinstance(node, tree.CreateTableAs | tree.CreateView):
            target, flow = self._target(node.target, node.temporary), None
            if isinstance(node, tree.CreateTableAs):
                flow = self._flow
            query = self._query(node.query, None)
            around, types = self._around(node, node.query), self._types(node.query)
            return TextStep(kind, target, flow, words, query=query, around=around, types=types)
        if isinstance(node, tree.Insert) and node.query is not None:
            query = self._called(self._query(node.query, node.ctes), node)
            around = self._around(node, node.query)
            return TextStep(
                kind, self._target(node.target), self._flow, words, query=query, around=around, makes=False
            )
        if isinstance(node, tree.Insert | tree.Delete | tree.Merge):
            return TextStep(kind, self._target(node.target), self._flow, words)
        if isinstance(node, tree.Update):
            sets = frozenset(str(one) for assignment in node.assignments for one in assignment.columns)
            return TextStep(kind, self._target(node.target), self._flow, words, sets)
        if isinstance(node, tree.Truncate | tree.Drop):
            return TextStep(kind, tuple(name for one in node.targets for name in self._target(one)), None, words)
        if isinstance(node, tree.Alter):
            return TextStep(kind, self._target(node.target), None, words)
        if words[:3] == ("refresh", "materialized", "view"):
            return TextStep(kind, (words[-1],), None, words)
        return TextStep(UNKNOWN, (), None, words)

    def _words(self, start: int, end: int) -> tuple[str, ...]:
        tokens = tokenize(self._text[start:end], get_dialect(self._dialect))
        written = (tokens.written(n) for n in range(len(tokens.keys)))
        return tuple(key if key == word.lower() else word for key, word in zip(tokens.keys, written, strict=True))

    def _around(self, node: tree.StatementNode, query: tree.Query) -> tuple[str, ...]:
        """What decides, apart from the query: what follows it, and whether what is there already stays."""
        stays = ("exists",) if "exists" in self._words(node.start, query.start) else ()
        return (*stays, *self._words(query.end, node.end))

    def _query(self, query: tree.Query, ctes: tree.With | None) -> Meaning | None:
        before = "" if ctes is None else self._text[ctes.start : ctes.end] + " "
        return self._steps.meaning(before + self._text[query.start : query.end], self._dialect, self._path)

    def _types(self, query: tree.Query) -> dict[str, str]:
        return self._steps.types(query, self._text, self._dialect, self._path)

    def _called(self, query: Meaning | None, node: tree.Insert) -> Meaning | None:
        """A query with its outputs called like the columns that they are put into."""
        target = self._steps.named(tuple(map(str, node.target.parts)), self._path)
        names = list(map(str, node.columns or (target.columns if target is not None else ())))
        if query is None or len(names) < len(query.columns):
            return None
        # In which order they are named decides nothing.
        query.columns = sorted(zip(names, query.column_forms(), strict=False))
        return query

    def _target(self, name: tree.TableName, temporary: bool = False) -> tuple[str, ...]:
        parts = tuple(map(str, name.parts))
        found = None if temporary else self._steps.named(parts, self._path)
        return (found.name if found is not None else made_name(parts, self._path, temporary),)


def step_names(steps: Iterable[TextStep]) -> frozenset[str]:
    """Return the names of all that steps fill, empty or drop."""
    return frozenset(name for step in steps for name in step.targets)
