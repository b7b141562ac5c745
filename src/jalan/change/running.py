"""Runs a text against a catalogue, statement by statement, as the database would: what it reads must be there, what
it makes is there afterwards; or it says why not, and nothing has happened."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any

from jalan.change.altering import Altering
from jalan.change.calling import COMMANDS, Calling
from jalan.change.catalogue import Catalogue, Refused, RefusedType
from jalan.change.keys import lost_key
from jalan.change.ran import Fails, Failure, Flow, Ran, ReadStatement, Text, read_statements
from jalan.change.reading import Reader
from jalan.change.routines import own_routines, read_routine
from jalan.change.steps import Steps
from jalan.change.stored import (
    DROPPED,
    MATERIALISED,
    POSTGRESQL,
    TABLE,
    TEMPORARY,
    VIEW,
    KeptQuery,
    StoredRelation,
    StoredRoutine,
)
from jalan.change.types import (
    Misfit,
    Routines,
    TypedOutput,
    TypeName,
    check_statement,
    declared_columns,
    outputs_of,
)
from jalan.change.views import calls_of, hangs_on, what_differs
from jalan.change.words import has_star, name_at, says
from jalan.lineage.model import Extraction, Statement
from jalan.sql import tree
from jalan.sql.grammar.script import Unread


def run(
    catalogue: Catalogue,
    text: Text,
    compares: bool = False,
    steps: Steps | None = None,
    statements: Sequence[ReadStatement] | None = None,
    typed: bool = False,
    is_usual: bool = False,
) -> Ran:
    """Run a text in one transaction: where it fails, the catalogue is as before.

    compares: it is found out what differs where a view gets another query. steps: takes down what is run.
    statements: those of the text, where they have been read already. typed: it is found out which types what it
    makes has, and it fails where types do not fit. is_usual: it is run as it always is, without any change: what is
    wrong with routines that it makes is wrong anyhow.
    """
    mark = catalogue.mark()
    runner = _Runner(catalogue, text, compares, steps, typed, is_usual)
    try:
        for one in read_statements(text) if statements is None else statements:
            runner.statement(one)
    except Fails as fails:
        catalogue.back_to(mark)
        runner.ran.failure = fails.failure
        return runner.ran
    runner.end_of_session(mark)
    return runner.ran


class _Runner:
    def __init__(
        self, catalogue: Catalogue, text: Text, compares: bool, steps: Steps | None, typed: bool, is_usual: bool
    ) -> None:
        self.ran = Ran()
        # Of other dialects neither types nor what leans on keys are known.
        self._is_known = text.dialect == POSTGRESQL
        self._typed = typed and self._is_known
        self._steps = steps
        self._compares = compares
        self._catalogue = catalogue
        self._text = text
        self._reader = Reader(catalogue, text, self.ran)
        self._calling = Calling(self._reader, is_usual)
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
            self._steps.take(node, text.text, text.dialect, self._reader.path, len(self.ran.flows))
        if isinstance(node, Unread):
            return  # what cannot be read is told elsewhere; whether it fails nobody knows
        handle = HANDLED.get(type(node))
        if handle is None:
            return
        self._keys = read.keys
        self.ran.words.update(read.keys)
        self.ran.has_star |= has_star(read.keys)
        try:
            self._calling.call(node)
            if self._is_known:
                self._leans(read)
            if self._typed and not isinstance(node, tree.CreateTableAs | tree.CreateView):
                # These are typed as they are made.
                check_statement(node, self._text.text, self._typed_columns, self._own_routines())
            handle(self, node)
            self._flows_of_routines()
        except Refused as refused:
            is_misfit = isinstance(refused, RefusedType)
            raise Fails(Failure(str(refused), (node.start, node.end), is_misfit=is_misfit)) from refused
        except Misfit as misfit:
            raise Fails(Failure(str(misfit), misfit.span, is_misfit=True)) from misfit

    def _leans(self, read: ReadStatement) -> None:
        failure = lost_key(read, self._text.text, self._reader.named)
        if failure is not None:
            raise Fails(failure)

    def _own_routines(self) -> Routines:
        return own_routines(self._catalogue, self._reader.path)

    def _flows_of_routines(self) -> None:
        """Note what the routines fill that the statement has called."""
        for flow in self._calling.flows:
            target = None if flow.target is None else self._catalogue.find(flow.target)
            if target is not None:
                self._filled(target)
                self.ran.flows.append(flow)

    def _typed_columns(self, parts: tuple[str, ...]) -> list[TypedOutput] | None:
        found = self._reader.named(parts)
        return None if found is None else found.outputs()

    def _types_of(self, query: tree.Query, columns: Sequence[str]) -> dict[str, TypeName | None]:
        """The types of what is made of a query, by the names of its columns."""
        if not self._typed:
            return {}
        outputs = outputs_of(query, self._text.text, self._typed_columns, routines=self._own_routines())
        if len(outputs) != len(columns):
            return {}
        return {name: one.type for name, one in zip(columns, outputs, strict=True)}

    def _set_path(self, node: tree.SetSearchPath) -> None:
        self._reader.path = (TEMPORARY, *node.schemas)

    # --- names -----------------------------------------------------------------------------------------

    def _wrote(self, relation: StoredRelation) -> None:
        self.ran.wrote.add(relation.name)
        self.ran.names.add(relation.name)

    def _filled(self, relation: StoredRelation) -> None:
        self._wrote(relation)
        self.ran.filled.add(relation.name)

    # --- reading ---------------------------------------------------------------------------------------

    def _query(self, node: tree.QueryStatement) -> None:
        self._flow(None, self._reader.read(node.start, node.end)[1])

    def _flow(self, target: StoredRelation | None, found: Extraction) -> None:
        """Note what a statement makes of what."""
        columns: dict[str, set[tuple[str, str]]] = {}
        rows = set(self._calling.rows)
        for link in found.links:
            (rows if link.output is None else columns.setdefault(link.output, set())).add((link.table, link.column))
        reads = frozenset(name for one in found.statements for name in one.reads) | self._calling.reads
        made = {name: frozenset(sources) for name, sources in columns.items()}
        self.ran.flows.append(Flow(None if target is None else target.name, made, frozenset(rows), reads))

    def _flow_of(self, target: StoredRelation, statement: Statement) -> None:
        """Note what the query of a statement makes of what."""
        made = {
            str(one.name): frozenset((s.table, s.column) for s in (*one.values, *one.conditions))
            for one in statement.outputs
        }
        rows = frozenset((s.table, s.column) for s in statement.row_conditions) | self._calling.rows
        reads = frozenset(statement.reads) | self._calling.reads
        self.ran.flows.append(Flow(target.name, made, rows, reads))

    # --- making ----------------------------------------------------------------------------------------

    def _create_table(self, node: tree.CreateTable) -> None:
        name = self._reader.full(node.target.parts, node.temporary)
        if self._catalogue.find(name) is not None and says(self._keys, "if", "not", "exists"):
            return
        columns = list(map(str, node.columns))
        types: dict[str, TypeName | None] = {}
        if self._typed:
            types |= declared_columns(self._text.text[node.start : node.end])
        for like in node.like:
            there = self._reader.there(like)
            columns += there.columns
            types |= {column: there.type_of(column) for column in there.columns}
            self.ran.whole.add(there.name)
        self._wrote(self._made(name, columns, types))
        self.ran.anew.add(name)

    def _create_table_as(self, node: tree.CreateTableAs) -> None:
        name = self._reader.full(node.target.parts, node.temporary)
        if self._catalogue.find(name) is not None and says(self._keys, "if", "not", "exists"):
            return
        statement, found = self._reader.read(node.start, node.end)
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
        if known is not None and says(self._keys, "or", "replace"):
            return self._catalogue.remake(known, columns, types)
        return self._catalogue.make(name, TABLE, columns, types)

    def _create_view(self, node: tree.CreateView) -> None:
        name = self._reader.full(node.target.parts, node.temporary)
        known = self._catalogue.find(name)
        if known is not None and says(self._keys, "if", "not", "exists"):
            return
        statement, _ = self._reader.read(node.start, node.end)
        columns = [str(one.name) for one in statement.outputs]
        written = self._text.text[node.query.start : node.query.end]
        query = KeptQuery(written, self._reader.path, dialect=self._text.dialect)
        types = self._types_of(node.query, columns)
        more = hangs_on(self._catalogue, statement) | {"query": query}
        more["calls"] = calls_of(node.query, columns, self._calling.meant)
        if known is not None and says(self._keys, "or", "replace"):
            if self._compares:
                self.ran.differs[known.name] = what_differs(self._catalogue, known, query, columns)
            self._filled(self._catalogue.replace_view(known, columns, types, **more))
        else:
            kind = MATERIALISED if node.materialized else VIEW
            self._filled(self._catalogue.make(name, kind, columns, types, **more))

    # --- writing ---------------------------------------------------------------------------------------

    def _write(self, node: tree.Insert | tree.Update | tree.Delete | tree.Merge) -> None:
        target = self._reader.there(node.target)
        for column, place in _set_columns(node):
            if column not in target.columns:
                message = f'column "{column}" of relation "{target.name.rpartition(".")[2]}" does not exist'
                raise Fails(Failure(message, (place.start, place.end), target.name, column))
        if isinstance(node, tree.Merge) or (isinstance(node, tree.Insert) and not node.columns):
            self.ran.whole.add(target.name)
        if isinstance(node, tree.Insert) and node.query is not None:
            self._fits(node, node.query, target)
            self._gives_all(node, target)
        _, found = self._reader.read(node.start, node.end)
        self._filled(target)
        self._flow(target, found)

    def _fits(self, node: tree.Insert, query: tree.Query, target: StoredRelation) -> None:
        """Whether as many values are given as there are columns for them."""
        ctes = "" if node.ctes is None else self._text.text[node.ctes.start : node.ctes.end] + " "
        given = len(self._reader.read(query.start, query.end, ctes)[0].outputs)
        wanted = len(node.columns) if node.columns else len(target.columns)
        if given > wanted:
            message = "INSERT has more expressions than target columns"
        elif node.columns and given < wanted:
            message = "INSERT has more target columns than expressions"
        else:
            return
        raise Fails(Failure(message, (node.start, node.target.end), target.name))

    def _gives_all(self, node: tree.Insert, target: StoredRelation) -> None:
        """Fail where a column that may not be null any more is given no value: it fails with the first row."""
        given = set(map(str, node.columns)) if node.columns else set(target.columns)
        for column, number in target.columns.items():
            if number in target.must_give and column not in given:
                table = target.name.rpartition(".")[2]
                message = f'null value in column "{column}" of relation "{table}" violates not-null constraint'
                raise Fails(Failure(message, (node.start, node.target.end), target.name, column))

    def _truncate(self, node: tree.Truncate) -> None:
        emptied = {one.number: one for one in map(self._reader.there, node.targets)}
        for one in emptied.values():
            if one.is_query:
                raise Refused(f'"{one.name.rpartition(".")[2]}" is not a table')
        waiting = list(emptied.values())
        while waiting:
            for one in self._catalogue.pointing_at(waiting.pop().number):
                if one.number not in emptied:
                    if not says(self._keys, "cascade"):
                        raise Refused("cannot truncate a table referenced in a foreign key constraint")
                    emptied[one.number] = one
                    waiting.append(one)
        for one in emptied.values():
            self._filled(one)
            self.ran.anew.add(one.name)

    # --- commands --------------------------------------------------------------------------------------

    def _create_routine(self, node: tree.Routine) -> None:
        if node.kind == "do":
            self._block(node)
        else:
            self._calling.create(node, self._keys)

    def _call_routine(self, node: tree.CallRoutine) -> None:
        """What it does was read when it was called."""

    def _block(self, node: tree.StatementNode) -> None:
        """Run a statement that is made of others: all of them, whatever it decides."""
        text = self._text
        whole = StoredRoutine("", text.text[node.start : node.end], self._reader.path, dialect=text.dialect)
        reading = read_routine(whole, self._catalogue)
        if reading.problem is not None:
            first, last = (node.start + place for place in reading.span)
            raise Fails(Failure(reading.problem, (first, last)))
        self._reader.calls(reading)
        self._calling.flows += reading.flows

    def _drop(self, node: tree.Drop) -> None:
        if node.kind not in DROPPED:
            return
        missing_is_fine = says(self._keys, "if", "exists")
        cascade = says(self._keys, "cascade")
        for target in node.targets:
            found = self._reader.named(target.parts)
            if found is None:
                self._reader.full(target.parts)
                if not missing_is_fine:
                    self._reader.there(target)
                continue
            if found.words.replace(" ", "_") != node.kind:
                raise Refused(f'"{found.name.rpartition(".")[2]}" is not a {node.kind.replace("_", " ")}')
            self.ran.names.add(found.name)
            gone = {one.name for one in self._catalogue.drop(found, cascade)}
            self.ran.names |= gone
            self.ran.dropped |= gone

    def _alter(self, node: tree.Alter) -> None:
        found = self._reader.named(node.target.parts)
        if found is None:
            if says(self._keys, "if", "exists") and not node.actions[0].action.endswith("_column"):
                return
            found = self._reader.there(node.target)
        self._wrote(found)
        altering = Altering(self._catalogue, self._text, self.ran, self._keys, self._typed_columns)
        for action in node.actions:
            altering.take(found.number, action)

    def _command(self, node: tree.Recognised) -> None:
        """COMMENT and REFRESH name what must be there; routines are dropped by such a one, too."""
        keys = list(self._keys)
        if keys[:2] in COMMANDS:
            self._calling.command(self._text.text[node.start : node.end], keys)
        elif keys[:1] == ["comment"]:
            self._comment(node, keys)
        elif keys[:3] == ["refresh", "materialized", "view"]:
            at = 4 if keys[3] == "concurrently" else 3
            found = self._reader.named(name_at(keys, at))
            if found is None:
                raise Refused(f'relation "{".".join(name_at(keys, at))}" does not exist')
            self._wrote(found)

    def _comment(self, node: tree.Recognised, keys: Sequence[str]) -> None:
        kind = keys[2] if len(keys) > 2 else ""
        at = 4 if keys[2:4] == ["materialized", "view"] else 3
        if kind not in ("table", "view", "column", "materialized"):
            return
        parts = name_at(keys, at)
        owner = parts[:-1] if kind == "column" else parts
        found = self._reader.one_of(owner, (node.start, node.end))
        if kind == "column" and parts[-1] not in found.columns:
            message = f'column "{parts[-1]}" of relation "{owner[-1]}" does not exist'
            raise Fails(Failure(message, (node.start, node.end), found.name, parts[-1]))


Handler = Callable[[_Runner, Any], None]
HANDLED: dict[type[tree.StatementNode], Handler] = {
    tree.Alter: _Runner._alter,
    tree.Block: _Runner._block,
    tree.CallRoutine: _Runner._call_routine,
    tree.CreateTable: _Runner._create_table,
    tree.CreateTableAs: _Runner._create_table_as,
    tree.CreateView: _Runner._create_view,
    tree.Delete: _Runner._write,
    tree.Drop: _Runner._drop,
    tree.If: _Runner._block,
    tree.Insert: _Runner._write,
    tree.Loop: _Runner._block,
    tree.Merge: _Runner._write,
    tree.QueryStatement: _Runner._query,
    tree.Routine: _Runner._create_routine,
    tree.Recognised: _Runner._command,
    tree.SetSearchPath: _Runner._set_path,
    tree.Truncate: _Runner._truncate,
    tree.Update: _Runner._write,
}
"""The statements that are run; of the others nobody knows what they do."""


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
