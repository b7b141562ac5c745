"""Runs a text against a catalogue, statement by statement, as the database would: what it reads must be there, what
it makes is there afterwards; or it says why not, and nothing has happened."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import replace
from typing import Any

from jalan.change.altering import Altering, says
from jalan.change.catalogue import (
    DROPPED,
    MATERIALISED,
    POSTGRESQL,
    TABLE,
    TEMPORARY,
    VIEW,
    Catalogue,
    ColumnKey,
    KeptQuery,
    Refused,
    RefusedType,
    StoredRelation,
    made_name,
)
from jalan.change.keys import conflict_columns, leanings
from jalan.change.ran import Failure, Flow, Ran, ReadStatement, Text, read_statements
from jalan.change.routines import KINDS, StoredRoutine, calls_in, read_routine
from jalan.change.seen import CatalogueSeen
from jalan.change.steps import Steps
from jalan.change.types import (
    Misfit,
    TypedOutput,
    TypeName,
    check_statement,
    declared_columns,
    outputs_of,
)
from jalan.change.views import hangs_on, what_differs
from jalan.lineage.model import Extraction, Statement
from jalan.lineage.script import extract
from jalan.lineage.tables import Parts, split_key
from jalan.sql import tree
from jalan.sql.dialects import get_dialect
from jalan.sql.grammar.script import Unread, parse

_BEFORE_STAR = frozenset({"select", "distinct", "all", "returning", ",", "."})
_BEHIND_STAR = frozenset({"from", "into", ",", ")", ";", "", "union", "except", "intersect", "order", "limit"})
_SHAPED = frozenset({"natural", '"'})
"""Words where columns count that are not named, or may be named in another way than by a plain word."""
_FATAL = frozenset({"unknown_table", "unknown_column", "unknown_table_reference", "ambiguous_column"})
"""What extraction says of a query that the database would not run."""


_NOT_GROUPED = "must appear in the GROUP BY clause or be used in an aggregate function"


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
    typed: bool = False,
) -> Ran:
    """Run a text in one transaction: where it fails, the catalogue is as before.

    typed: it is found out which types what it makes has, and it fails where types do not fit.

    compares: it is found out what differs where a view gets another query. steps: takes down what is run.
    statements: those of the text, where they have been read already.
    """
    mark = catalogue.mark()
    runner = _Runner(catalogue, text, compares, steps, typed)
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
    def __init__(self, catalogue: Catalogue, text: Text, compares: bool, steps: Steps | None, typed: bool) -> None:
        self.ran = Ran()
        # Of other dialects neither types nor what leans on keys are known.
        self._is_known = text.dialect == POSTGRESQL
        self._typed = typed and self._is_known
        self._steps = steps
        self._compares = compares
        self._catalogue = catalogue
        self._text = text
        self._path: tuple[str, ...] = (TEMPORARY, *text.search_path)
        self._seen = CatalogueSeen(catalogue)
        self._keys: Sequence[str] = ()  # the words of the statement that is run
        # What routines that it calls read, and of which columns.
        self._extra_rows: set[tuple[str, str]] = set()
        self._extra_reads: set[str] = set()

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
            self._extra_rows, self._extra_reads = set(), set()
            if self._catalogue.has_routines:
                self._calls(node)
            if self._is_known:
                self._leans(node)
            if self._typed and not isinstance(node, tree.CreateTableAs | tree.CreateView):
                check_statement(node, self._text.text, self._typed_columns)  # these are typed as they are made
            handle(self, node)
        except Refused as refused:
            is_misfit = isinstance(refused, RefusedType)
            raise _Fails(Failure(str(refused), (node.start, node.end), is_misfit=is_misfit)) from refused
        except Misfit as misfit:
            raise _Fails(Failure(str(misfit), misfit.span, is_misfit=True)) from misfit

    def _calls(self, node: tree.StatementNode) -> None:
        """Read the bodies of the routines that a statement calls, as the database does only then."""
        if isinstance(node, tree.Routine):
            return
        for call in calls_in(node):
            found = self._catalogue.routine(tuple(map(str, call.parts)), self._path)
            if found is None:
                continue
            name, routine = found
            self.ran.names.add(name)
            self.ran.read.add(name)
            span = (call.start, call.end)
            if routine is None:
                raise _Fails(Failure(f"function {'.'.join(map(str, call.parts))}(…) does not exist", span, name))
            reading = read_routine(routine, self._catalogue)
            self.ran.names |= reading.reads
            self.ran.read |= reading.reads
            self.ran.words.update(column.lower() for _, column in reading.uses)
            if reading.problem is not None:
                raise _Fails(Failure(reading.problem, span, name))
            self._extra_reads |= reading.reads
            self._extra_rows |= reading.uses

    def _create_routine(self, node: tree.Routine) -> None:
        if node.kind not in KINDS:
            return
        name = self._full(tuple(map(str, node.parts)))
        known = self._catalogue.routine(tuple(map(str, node.parts)), self._path)
        if known is not None and known[1] is not None and not self._says("or", "replace"):
            raise Refused(f'function "{name.rpartition(".")[2]}" already exists with same argument types')
        path = tuple(one for one in self._path if one != TEMPORARY)
        routine = StoredRoutine(name, self._text.text[node.start : node.end], path)
        reading = read_routine(routine, self._catalogue)
        self.ran.names |= reading.reads
        if node.language == "sql" and reading.problem is not None:
            raise Refused(reading.problem.partition(", in ")[0])  # such a body is looked at when it is made
        self._catalogue.set_routine(name, replace(routine, known=reading.problems))

    def _drop_routine(self, node: tree.Recognised) -> None:
        keys = list(self._keys)
        at = 4 if keys[2:4] == ["if", "exists"] else 2
        parts = _parts(keys, at)
        found = self._catalogue.routine(parts, self._path)
        if found is None or found[1] is None:
            if at == 2:
                raise Refused(f'could not find a {keys[1]} named "{".".join(parts)}"')
            return
        name = found[0]
        self.ran.names.add(name)
        calling = [one for one in self._catalogue if one.query is not None and self._view_calls(one, name)]
        if calling and not self._says("cascade"):
            raise Refused(f"cannot drop {keys[1]} {'.'.join(parts)} because other objects depend on it")
        for view in calling:
            if self._catalogue.by_number(view.number) is not None:
                self.ran.names |= {one.name for one in self._catalogue.drop(view, cascade=True)}
        self._catalogue.set_routine(name, None)

    def _view_calls(self, view: StoredRelation, name: str) -> bool:
        query = view.query
        if query is None or name.rpartition(".")[2] not in query.text.lower():
            return False
        nodes = (one for one in parse(query.text, get_dialect(query.dialect)) if not isinstance(one, Unread))
        calls = (call for node in nodes for call in calls_in(node))
        named = (self._catalogue.routine(tuple(map(str, one.parts)), query.path, query.prefix) for one in calls)
        return any(found is not None and found[0] == name for found in named)

    def _leans(self, node: tree.StatementNode) -> None:
        """Fail where something leans on a key that was dropped."""
        if isinstance(node, tree.Insert) and (columns := conflict_columns(node)) is not None:
            target = self._named(node.target.parts)
            if target is not None and target.lost_keys:
                numbers = frozenset(target.columns.get(column, 0) for column in columns)
                if numbers in target.lost_keys and numbers not in target.keys.values():
                    message = "there is no unique or exclusion constraint matching the ON CONFLICT specification"
                    raise _Fails(Failure(message, (node.start, node.target.end), target.name))
        if not isinstance(node, tree.Insert | tree.CreateTableAs | tree.CreateView | tree.QueryStatement):
            return
        query = node.query
        if query is None or "group" not in self._keys:
            return
        for one in leanings(query, self._text.text, self._named):
            if one.held():
                written = self._text.text[one.column.start : one.column.end]
                message = (
                    f'column "{written}" must appear in the GROUP BY clause or be used in an aggregate function'
                )
                raise _Fails(Failure(message, (one.column.start, one.column.end), one.relation.name))

    def _typed_columns(self, parts: tuple[str, ...]) -> list[TypedOutput] | None:
        found = self._catalogue.named(parts, self._path)
        return (
            None if found is None else [TypedOutput(name, found.types.get(n)) for name, n in found.columns.items()]
        )

    def _types_of(self, query: tree.Query, columns: Sequence[str]) -> dict[str, TypeName | None]:
        """The types of what is made of a query, by the names of its columns."""
        if not self._typed:
            return {}
        outputs = outputs_of(query, self._text.text, self._typed_columns)
        if len(outputs) != len(columns):
            return {}
        return {name: one.type for name, one in zip(columns, outputs, strict=True)}

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
        return says(self._keys, *words)

    # --- reading ---------------------------------------------------------------------------------------

    def _query(self, node: tree.QueryStatement) -> None:
        self._flow(None, self._read(node.start, node.end)[1])

    def _flow(self, target: StoredRelation | None, found: Extraction) -> None:
        """Note what a statement makes of what."""
        columns: dict[str, set[tuple[str, str]]] = {}
        rows = set(self._extra_rows)
        for link in found.links:
            (rows if link.output is None else columns.setdefault(link.output, set())).add((link.table, link.column))
        reads = frozenset(name for one in found.statements for name in one.reads) | self._extra_reads
        made = {name: frozenset(sources) for name, sources in columns.items()}
        self.ran.flows.append(Flow(None if target is None else target.name, made, frozenset(rows), reads))

    def _flow_of(self, target: StoredRelation, statement: Statement) -> None:
        """Note what the query of a statement makes of what."""
        made = {
            str(one.name): frozenset((s.table, s.column) for s in (*one.values, *one.conditions))
            for one in statement.outputs
        }
        rows = frozenset((s.table, s.column) for s in statement.row_conditions) | self._extra_rows
        reads = frozenset(statement.reads) | self._extra_reads
        self.ran.flows.append(Flow(target.name, made, rows, reads))

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
        types: dict[str, TypeName | None] = {}
        if self._typed:
            types |= declared_columns(self._text.text[node.start : node.end])
        for like in node.like:
            there = self._there(like)
            columns += there.columns
            types |= {column: there.type_of(column) for column in there.columns}
            self.ran.whole.add(there.name)
        self._wrote(self._made(name, columns, types))
        self.ran.anew.add(name)

    def _create_table_as(self, node: tree.CreateTableAs) -> None:
        name = self._full(node.target.parts, node.temporary)
        if self._catalogue.find(name) is not None and self._says("if", "not", "exists"):
            return
        statement, found = self._read(node.start, node.end)
        columns = [str(one.name) for one in statement.outputs]
        made = self._made(name, columns, self._types_of(node.query, columns))
        self._filled(made)
        self.ran.anew.add(made.name)
        if node.temporary:
            self._flow_of(made, statement)  # extraction looks through what is temporary
        else:
            self._flow(made, found)

    def _made(self, name: str, columns: Sequence[str], types: Mapping[str, TypeName | None]) -> StoredRelation:
        """Make a table, or where the statement says so replace one."""
        known = self._catalogue.find(name)
        if known is not None and self._says("or", "replace"):
            return self._catalogue.remake(known, columns, types)
        return self._catalogue.make(name, TABLE, columns, types)

    def _create_view(self, node: tree.CreateView) -> None:
        name = self._full(node.target.parts, node.temporary)
        known = self._catalogue.find(name)
        if known is not None and self._says("if", "not", "exists"):
            return
        statement, _ = self._read(node.start, node.end)
        columns = [str(one.name) for one in statement.outputs]
        written = self._text.text[node.query.start : node.query.end]
        query = KeptQuery(written, self._path, dialect=self._text.dialect)
        types = self._types_of(node.query, columns)
        more = hangs_on(self._catalogue, statement) | {"query": query}
        if known is not None and self._says("or", "replace"):
            if self._compares:
                self.ran.differs[known.name] = what_differs(self._catalogue, known, query, columns)
            self._filled(self._catalogue.replace_view(known, columns, types, **more))
        else:
            kind = MATERIALISED if node.materialized else VIEW
            self._filled(self._catalogue.make(name, kind, columns, types, **more))

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
            self._gives_all(node, target)
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

    def _gives_all(self, node: tree.Insert, target: StoredRelation) -> None:
        """Fail where a column that may not be null any more is given no value: it fails with the first row."""
        given = set(map(str, node.columns)) if node.columns else set(target.columns)
        for column, number in target.columns.items():
            if number in target.must_give and column not in given:
                table = target.name.rpartition(".")[2]
                message = f'null value in column "{column}" of relation "{table}" violates not-null constraint'
                raise _Fails(Failure(message, (node.start, node.target.end), target.name, column))

    def _truncate(self, node: tree.Truncate) -> None:
        emptied = {one.number: one for one in map(self._there, node.targets)}
        for one in emptied.values():
            if one.is_query:
                raise Refused(f'"{one.name.rpartition(".")[2]}" is not a table')
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
        self._wrote(found)
        altering = Altering(self._catalogue, self._text, self.ran, self._keys, self._typed_columns)
        for action in node.actions:
            altering.take(found.number, action)

    def _command(self, node: tree.Recognised) -> None:
        """COMMENT and REFRESH name what must be there."""
        keys = list(self._keys)
        if keys[:2] in (["drop", "function"], ["drop", "procedure"], ["drop", "routine"]):
            self._drop_routine(node)
        elif keys[:1] == ["comment"]:
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
    tree.Routine: _Runner._create_routine,
    tree.Recognised: _Runner._command,
    tree.SetSearchPath: _Runner._set_path,
    tree.Truncate: _Runner._truncate,
    tree.Update: _Runner._write,
}
"""The statements that are run; of the others nobody knows what they do."""


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
