"""Runs a text against a catalogue, statement by statement, as the database would: what it reads must be there, what
it makes is there afterwards; or it says why not, and nothing has happened."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from jalan.change.catalogue import (
    DROPPED,
    MATERIALISED,
    TABLE,
    TEMPORARY,
    VIEW,
    Catalogue,
    ColumnKey,
    KeptQuery,
    Refused,
    StoredRelation,
    made_name,
)
from jalan.change.meaning import QueryDifference
from jalan.change.seen import CatalogueSeen
from jalan.change.steps import Steps
from jalan.change.views import hangs_on, what_differs
from jalan.lineage.model import Extraction, Statement
from jalan.lineage.script import extract
from jalan.lineage.tables import Parts, split_key
from jalan.sql import tree
from jalan.sql.dialects import get_dialect
from jalan.sql.grammar.script import Unread, parse
from jalan.sql.lexer import tokenize

_BEFORE_STAR = frozenset({"select", "distinct", "all", "returning", ",", "."})
_BEHIND_STAR = frozenset({"from", "into", ",", ")", ";", "", "union", "except", "intersect", "order", "limit"})
_SHAPED = frozenset({"natural", '"'})
"""Words where columns count that are not named, or may be named in another way than by a plain word."""
_FATAL = frozenset({"unknown_table", "unknown_column", "unknown_table_reference", "ambiguous_column"})
"""What extraction says of a query that the database would not run."""


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
    """Why a text fails: what the database would say, at which characters, and of which relation (and column)."""

    message: str
    span: tuple[int, int]
    relation: str | None = None
    column: str | None = None


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


class _Fails(Exception):
    def __init__(self, failure: Failure) -> None:
        super().__init__(failure.message)
        self.failure = failure


def run(
    catalogue: Catalogue,
    text: Text,
    compares: bool = False,
    steps: Steps | None = None,
    statements: Sequence[ReadStatement] | None = None,
) -> Ran:
    """Run a text in one transaction: where it fails, the catalogue is as before.

    compares: it is found out what differs where a view gets another query. steps: takes down what is run.
    statements: those of the text, where they have been read already.
    """
    mark = catalogue.mark()
    runner = _Runner(catalogue, text, compares, steps)
    try:
        for one in read_statements(text) if statements is None else statements:
            runner.statement(one)
    except _Fails as fails:
        catalogue.back_to(mark)
        runner.ran.failure = fails.failure
        return runner.ran
    runner.end_of_session(mark)
    return runner.ran


class _Runner:
    def __init__(self, catalogue: Catalogue, text: Text, compares: bool, steps: Steps | None) -> None:
        self.ran = Ran()
        self._steps = steps
        self._compares = compares
        self._catalogue = catalogue
        self._text = text
        self._path: tuple[str, ...] = (TEMPORARY, *text.search_path)
        self._seen = CatalogueSeen(catalogue)
        self._keys: Sequence[str] = ()  # the words of the statement that is run

    def end_of_session(self, mark: int) -> None:
        """What was made since a mark and is temporary is gone."""
        temporary = {name for name in self._catalogue.touched_since(mark) if name.startswith(f"{TEMPORARY}.")}
        for name in sorted(temporary):
            relation = self._catalogue.find(name)
            if relation is not None:
                self._catalogue.drop(relation, cascade=True)
        for names in (
            self.ran.wrote,
            self.ran.filled,
            self.ran.anew,
            self.ran.dropped,
            self.ran.read,
            self.ran.names,
        ):
            names -= temporary

    def statement(self, read: ReadStatement) -> None:
        node = read.node
        if self._steps is not None:
            text = self._text
            self._steps.take(node, text.text, text.dialect, self._path, len(self.ran.flows))
        if isinstance(node, Unread):
            return  # what cannot be read is told elsewhere; whether it fails nobody knows
        handle = HANDLED.get(type(node))
        if handle is None:
            return
        self._keys = read.keys
        self.ran.words.update(read.keys)
        self.ran.has_star |= _has_star(read.keys)
        try:
            handle(self, node)
        except Refused as refused:
            raise _Fails(Failure(str(refused), (node.start, node.end))) from refused

    def _set_path(self, node: tree.SetSearchPath) -> None:
        self._path = (TEMPORARY, *node.schemas)

    # --- names -----------------------------------------------------------------------------------------

    def _named(self, parts: Parts) -> StoredRelation | None:
        return self._catalogue.named(tuple(map(str, parts)), self._path)

    def _there(self, name: tree.TableName) -> StoredRelation:
        found = self._named(name.parts)
        if found is None:
            written = ".".join(map(str, name.parts))
            raise _Fails(
                Failure(f'relation "{written}" does not exist', (name.start, name.end), self._full(name.parts))
            )
        self.ran.names.add(found.name)
        return found

    def _full(self, parts: Parts, temporary: bool = False) -> str:
        name = made_name(tuple(map(str, parts)), self._path, temporary)
        if not temporary:
            self.ran.names.add(name)
        return name

    def _wrote(self, relation: StoredRelation) -> None:
        self.ran.wrote.add(relation.name)
        self.ran.names.add(relation.name)

    def _filled(self, relation: StoredRelation) -> None:
        self._wrote(relation)
        self.ran.filled.add(relation.name)

    def _says(self, *words: str) -> bool:
        """Whether words stand side by side in the statement."""
        return any(tuple(self._keys[n : n + len(words)]) == words for n in range(len(self._keys)))

    # --- reading ---------------------------------------------------------------------------------------

    def _query(self, node: tree.QueryStatement) -> None:
        self._flow(None, self._read(node.start, node.end)[1])

    def _flow(self, target: StoredRelation | None, found: Extraction) -> None:
        """Note what a statement makes of what."""
        columns: dict[str, set[tuple[str, str]]] = {}
        rows: set[tuple[str, str]] = set()
        for link in found.links:
            (rows if link.output is None else columns.setdefault(link.output, set())).add((link.table, link.column))
        reads = frozenset(name for one in found.statements for name in one.reads)
        made = {name: frozenset(sources) for name, sources in columns.items()}
        self.ran.flows.append(Flow(None if target is None else target.name, made, frozenset(rows), reads))

    def _flow_of(self, target: StoredRelation, statement: Statement) -> None:
        """Note what the query of a statement makes of what."""
        made = {
            str(one.name): frozenset((s.table, s.column) for s in (*one.values, *one.conditions))
            for one in statement.outputs
        }
        rows = frozenset((s.table, s.column) for s in statement.row_conditions)
        self.ran.flows.append(Flow(target.name, made, rows, frozenset(statement.reads)))

    def _read(self, start: int, end: int, before: str = "") -> tuple[Statement, Extraction]:
        """Read a stretch of the text as a statement. Fails where something that it reads is not there."""
        text = before + self._text.text[start:end]
        found = extract(text, dialect=self._text.dialect, tables=self._seen, search_path=self._path)
        (statement,) = found.statements[:1] or [Statement("select", (0, len(text)), None)]
        for one in [*found.diagnostics, *statement.diagnostics]:
            if one.code in _FATAL:
                first, last = (max(start, place + start - len(before)) for place in one.span)
                raise _Fails(self._failure(one.code, (first, last)))
        for key in statement.reads:
            self._reads(key, {column for table, column in statement.uses if table == key})
        return statement, found

    def _failure(self, code: str, span: tuple[int, int]) -> Failure:
        written = self._text.text[span[0] : span[1]]
        if code == "unknown_table":
            return Failure(f'relation "{written}" does not exist', span, self._full(split_key(written)))
        if code == "unknown_table_reference":
            table = written.rpartition(".")[0].rpartition(".")[2]
            return Failure(f'missing FROM-clause entry for table "{table}"', span)
        if code == "ambiguous_column":
            return Failure(f'column reference "{written}" is ambiguous', span)
        return Failure(f"column {written} does not exist", span, None, written.rpartition(".")[2])

    def _reads(self, key: str, columns: set[str]) -> None:
        relation = self._catalogue.find(key)
        if relation is None:
            return
        self.ran.read.add(relation.name)
        self.ran.names.add(relation.name)
        self._fetched(relation, columns)

    def _fetched(self, relation: StoredRelation, columns: Iterable[str]) -> None:
        """Fail where a foreign table, read by itself or through views, shows what is no longer there."""
        waiting: list[ColumnKey] = [
            (relation.number, relation.columns[c]) for c in columns if c in relation.columns
        ]
        waiting += relation.rows
        looked_at: set[ColumnKey] = set()
        tables = {relation.number}
        while waiting:
            key = waiting.pop()
            if key in looked_at:
                continue
            looked_at.add(key)
            one = self._catalogue.by_number(key[0])
            if one is None:
                continue
            tables.add(key[0])
            name = next((column for column, number in one.columns.items() if number == key[1]), None)
            if one.kind == VIEW and name is not None:
                waiting += [*one.through.get(name, ()), *one.rows]
            elif one.remote is not None and name is not None:
                self._at_its_place(one, name)
        for number in tables:
            one = self._catalogue.by_number(number)
            if one is None or one.remote is None:
                continue
            self.ran.names.add(one.remote)
            if self._catalogue.find(one.remote) is None:
                raise _Fails(Failure(f'relation "{one.remote}" does not exist, where it is', (0, 0), one.remote))

    def _at_its_place(self, foreign: StoredRelation, column: str) -> None:
        assert foreign.remote is not None
        there = self._catalogue.find(foreign.remote)
        name = foreign.remote_columns.get(column, column)
        if there is not None and name not in there.columns:
            message = f'column "{name}" does not exist in {foreign.remote}, which {foreign.name} shows'
            raise _Fails(Failure(message, (0, 0), foreign.remote, name))

    # --- making ----------------------------------------------------------------------------------------

    def _create_table(self, node: tree.CreateTable) -> None:
        name = self._full(node.target.parts, node.temporary)
        if self._catalogue.find(name) is not None and self._says("if", "not", "exists"):
            return
        columns = list(map(str, node.columns))
        for like in node.like:
            there = self._there(like)
            columns += there.columns
            self.ran.whole.add(there.name)
        self._wrote(self._catalogue.make(name, TABLE, columns))
        self.ran.anew.add(name)

    def _create_table_as(self, node: tree.CreateTableAs) -> None:
        name = self._full(node.target.parts, node.temporary)
        if self._catalogue.find(name) is not None and self._says("if", "not", "exists"):
            return
        statement, found = self._read(node.start, node.end)
        made = self._catalogue.make(name, TABLE, [str(one.name) for one in statement.outputs])
        self._filled(made)
        self.ran.anew.add(made.name)
        if node.temporary:
            self._flow_of(made, statement)  # extraction looks through what is temporary
        else:
            self._flow(made, found)

    def _create_view(self, node: tree.CreateView) -> None:
        name = self._full(node.target.parts, node.temporary)
        known = self._catalogue.find(name)
        if known is not None and self._says("if", "not", "exists"):
            return
        statement, _ = self._read(node.start, node.end)
        columns = [str(one.name) for one in statement.outputs]
        query = KeptQuery(self._text.text[node.query.start : node.query.end], self._path)
        more = hangs_on(self._catalogue, statement) | {"query": query}
        if known is not None and self._says("or", "replace"):
            if self._compares:
                self.ran.differs[known.name] = what_differs(self._catalogue, known, query, columns)
            self._filled(self._catalogue.replace_view(known, columns, **more))
        else:
            self._filled(self._catalogue.make(name, MATERIALISED if node.materialized else VIEW, columns, **more))

    # --- writing ---------------------------------------------------------------------------------------

    def _write(self, node: tree.Insert | tree.Update | tree.Delete | tree.Merge) -> None:
        target = self._there(node.target)
        for column, place in _set_columns(node):
            if column not in target.columns:
                message = f'column "{column}" of relation "{target.name.rpartition(".")[2]}" does not exist'
                raise _Fails(Failure(message, (place.start, place.end), target.name, column))
        if isinstance(node, tree.Merge) or (isinstance(node, tree.Insert) and not node.columns):
            self.ran.whole.add(target.name)
        if isinstance(node, tree.Insert) and node.query is not None:
            self._fits(node, node.query, target)
        _, found = self._read(node.start, node.end)
        self._filled(target)
        self._flow(target, found)

    def _fits(self, node: tree.Insert, query: tree.Query, target: StoredRelation) -> None:
        """Whether as many values are given as there are columns for them."""
        ctes = "" if node.ctes is None else self._text.text[node.ctes.start : node.ctes.end] + " "
        given = len(self._read(query.start, query.end, ctes)[0].outputs)
        wanted = len(node.columns) if node.columns else len(target.columns)
        if given > wanted:
            message = "INSERT has more expressions than target columns"
        elif node.columns and given < wanted:
            message = "INSERT has more target columns than expressions"
        else:
            return
        raise _Fails(Failure(message, (node.start, node.target.end), target.name))

    def _truncate(self, node: tree.Truncate) -> None:
        emptied = {one.number: one for one in map(self._there, node.targets)}
        waiting = list(emptied.values())
        while waiting:
            for one in self._catalogue.pointing_at(waiting.pop().number):
                if one.number not in emptied:
                    if not self._says("cascade"):
                        raise Refused("cannot truncate a table referenced in a foreign key constraint")
                    emptied[one.number] = one
                    waiting.append(one)
        for one in emptied.values():
            self._filled(one)
            self.ran.anew.add(one.name)

    # --- commands --------------------------------------------------------------------------------------

    def _drop(self, node: tree.Drop) -> None:
        if node.kind not in DROPPED:
            return
        missing_is_fine = self._says("if", "exists")
        cascade = self._says("cascade")
        for target in node.targets:
            found = self._named(target.parts)
            if found is None:
                self._full(target.parts)
                if not missing_is_fine:
                    self._there(target)
                continue
            if found.words.replace(" ", "_") != node.kind:
                raise Refused(f'"{found.name.rpartition(".")[2]}" is not a {node.kind.replace("_", " ")}')
            self.ran.names.add(found.name)
            gone = {one.name for one in self._catalogue.drop(found, cascade)}
            self.ran.names |= gone
            self.ran.dropped |= gone

    def _alter(self, node: tree.Alter) -> None:
        found = self._named(node.target.parts)
        if found is None:
            if self._says("if", "exists") and not node.actions[0].action.endswith("_column"):
                return
            found = self._there(node.target)
        for action in node.actions:
            self._wrote(found)
            act = ALTERED.get(action.action)
            if act is not None:
                act(self, found.number, action)
            found = self._numbered(found.number)

    def _numbered(self, number: int) -> StoredRelation:
        found = self._catalogue.by_number(number)
        assert found is not None
        return found

    def _drop_columns(self, number: int, action: tree.AlterAction) -> None:
        for column in map(str, action.columns or ()):
            found = self._numbered(number)
            if column not in found.columns and self._says("column", "if", "exists"):
                continue
            gone = self._catalogue.drop_column(found, column, self._says("cascade"))
            self.ran.names |= {one.name for one in gone}

    def _add_columns(self, number: int, action: tree.AlterAction) -> None:
        for column in map(str, action.columns or ()):
            found = self._numbered(number)
            if column not in found.columns or not self._says("column", "if", "not", "exists"):
                self._catalogue.add_column(found, column)

    def _rename_column(self, number: int, action: tree.AlterAction) -> None:
        if action.old is not None and action.new is not None:
            self._catalogue.rename_column(self._numbered(number), str(action.old), str(action.new))

    def _rename(self, number: int, action: tree.AlterAction) -> None:
        if action.table is None:
            return
        found, new = self._numbered(number), tuple(map(str, action.table.parts))
        name = ".".join(new if len(new) > 1 else (*found.name.split(".")[:-1], *new))
        self._catalogue.rename(found, name)
        self.ran.names.add(name)

    def _set_schema(self, number: int, action: tree.AlterAction) -> None:
        if action.new is not None:
            found = self._numbered(number)
            parts = found.name.split(".")
            self._catalogue.rename(found, ".".join((*parts[:-2], str(action.new), parts[-1])))

    def _command(self, node: tree.Recognised) -> None:
        """COMMENT and REFRESH name what must be there."""
        keys = list(self._keys)
        if keys[:1] == ["comment"]:
            self._comment(node, keys)
        elif keys[:3] == ["refresh", "materialized", "view"]:
            at = 4 if keys[3] == "concurrently" else 3
            found = self._named(_parts(keys, at))
            if found is None:
                raise Refused(f'relation "{".".join(_parts(keys, at))}" does not exist')
            self._wrote(found)

    def _comment(self, node: tree.Recognised, keys: Sequence[str]) -> None:
        kind = keys[2] if len(keys) > 2 else ""
        at = 4 if keys[2:4] == ["materialized", "view"] else 3
        if kind not in ("table", "view", "column", "materialized"):
            return
        parts = _parts(keys, at)
        owner = parts[:-1] if kind == "column" else parts
        found = self._named(owner)
        if found is None:
            raise _Fails(
                Failure(f'relation "{".".join(owner)}" does not exist', (node.start, node.end), self._full(owner))
            )
        self.ran.names.add(found.name)
        if kind == "column" and parts[-1] not in found.columns:
            message = f'column "{parts[-1]}" of relation "{owner[-1]}" does not exist'
            raise _Fails(Failure(message, (node.start, node.end), found.name, parts[-1]))


def _has_star(keys: Sequence[str]) -> bool:
    """Whether a star stands among words that means all columns: no product, and not that of count(*)."""
    if not _SHAPED.isdisjoint(keys):
        return True
    for n, key in enumerate(keys):
        before = keys[n - 1] if n else ""
        after = keys[n + 1] if n + 1 < len(keys) else ""
        # What is multiplied is followed by what it is multiplied with.
        if key == "*" and (before in _BEFORE_STAR or (after in _BEHIND_STAR and before != "(")):
            return True
        if key == "table" and before in ("", "(", "as"):
            return True  # TABLE name is SELECT * FROM name
    return False


Handler = Callable[[_Runner, Any], None]
HANDLED: dict[type[tree.StatementNode], Handler] = {
    tree.Alter: _Runner._alter,
    tree.CreateTable: _Runner._create_table,
    tree.CreateTableAs: _Runner._create_table_as,
    tree.CreateView: _Runner._create_view,
    tree.Delete: _Runner._write,
    tree.Drop: _Runner._drop,
    tree.Insert: _Runner._write,
    tree.Merge: _Runner._write,
    tree.QueryStatement: _Runner._query,
    tree.Recognised: _Runner._command,
    tree.SetSearchPath: _Runner._set_path,
    tree.Truncate: _Runner._truncate,
    tree.Update: _Runner._write,
}
"""The statements that are run; of the others nobody knows what they do."""
ALTERED: dict[str, Callable[[_Runner, int, tree.AlterAction], None]] = {
    "add_column": _Runner._add_columns,
    "drop_column": _Runner._drop_columns,
    "rename": _Runner._rename,
    "rename_column": _Runner._rename_column,
    "set_schema": _Runner._set_schema,
}
"""The actions of ALTER that are taken."""


def _parts(keys: Sequence[str], at: int) -> tuple[str, ...]:
    """The name that begins at a token."""
    found = [keys[at]] if at < len(keys) else [""]
    while at + 2 < len(keys) and keys[at + 1] == ".":
        at += 2
        found.append(keys[at])
    return tuple(found)


def _set_columns(node: tree.StatementNode) -> Iterable[tuple[str, tree.Node]]:
    """The columns of its target that a statement names to write them, and where."""
    if isinstance(node, tree.Insert):
        for column in node.columns or ():
            yield str(column), node.target
        for assignment in node.conflict.assignments if node.conflict is not None else ():
            for column in assignment.columns:
                yield str(column), assignment
    elif isinstance(node, tree.Update):
        for assignment in node.assignments:
            for column in assignment.columns:
                yield str(column), assignment
    elif isinstance(node, tree.Merge):
        for branch in node.branches:
            for assignment in branch.assignments:
                for column in assignment.columns:
                    yield str(column), assignment
            for column in branch.columns or ():
                yield str(column), branch
