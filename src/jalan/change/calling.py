"""Runs what a text does with functions and procedures: makes them, drops them, and calls them."""

from collections.abc import Sequence
from dataclasses import replace

from jalan.change.catalogue import TEMPORARY, Refused, StoredRelation
from jalan.change.ran import Fails, Failure
from jalan.change.reading import Reader
from jalan.change.routines import KINDS, StoredRoutine, calls_in, read_routine
from jalan.change.words import name_at, says
from jalan.sql import tree
from jalan.sql.dialects import get_dialect
from jalan.sql.grammar.script import Unread, parse

DROPS = tuple(["drop", kind] for kind in ("function", "procedure", "routine"))
"""How a statement begins that drops one."""


class Calling:
    """Takes the routines of one text. rows, reads: the columns and relations that those read which the statement
    calls that is run, and they themselves. is_usual: it is run as it always is, without any change."""

    def __init__(self, reader: Reader, is_usual: bool) -> None:
        self._is_usual = is_usual
        self.rows: set[tuple[str, str]] = set()
        self.reads: set[str] = set()
        self._reader, self._catalogue, self._ran = reader, reader.catalogue, reader.ran

    def call(self, node: tree.StatementNode) -> None:
        """Read the bodies of the routines that a statement calls, as the database does only then. Raises Fails."""
        self.rows, self.reads = set(), set()
        if isinstance(node, tree.Routine) or not self._catalogue.has_routines:
            return
        for call in calls_in(node):
            found = self._catalogue.routine(tuple(map(str, call.parts)), self._reader.path)
            if found is None:
                continue
            name, routine = found
            self._ran.names.add(name)
            self._ran.read.add(name)
            span = (call.start, call.end)
            if routine is None:
                raise Fails(Failure(f"function {'.'.join(map(str, call.parts))}(…) does not exist", span, name))
            reading = read_routine(routine, self._catalogue)
            self._ran.names |= reading.reads
            self._ran.read |= reading.reads
            self._ran.words.update(column.lower() for _, column in reading.uses)
            if reading.problem is not None:
                raise Fails(Failure(reading.problem, span, name))
            self.reads |= {name, *reading.reads}
            self.rows |= reading.uses

    def create(self, node: tree.Routine, keys: Sequence[str]) -> None:
        """Make a routine. keys: the words of the statement. Raises Refused."""
        if node.kind not in KINDS:
            return
        path = self._reader.path
        name = self._reader.full(node.parts)
        known = self._catalogue.routine(tuple(map(str, node.parts)), path)
        if known is not None and known[1] is not None and not says(keys, "or", "replace"):
            raise Refused(f'function "{name.rpartition(".")[2]}" already exists with same argument types')
        text = self._reader.text.text[node.start : node.end]
        routine = StoredRoutine(name, text, tuple(one for one in path if one != TEMPORARY))
        reading = read_routine(routine, self._catalogue)
        self._ran.names |= reading.reads
        if node.language == "sql" and reading.problem is not None:
            raise Refused(reading.problem.partition(", in ")[0])  # such a body is looked at when it is made
        before = None if known is None else known[1]
        # What is wrong with a new one is its own fault where the old one had it not; but not as things always are.
        problems = reading.problems if before is None or self._is_usual else before.known
        self._catalogue.set_routine(name, replace(routine, known=problems))

    def drop(self, keys: Sequence[str]) -> None:
        """Drop a routine. keys: the words of the statement. Raises Refused."""
        at = 4 if keys[2:4] == ["if", "exists"] else 2
        parts = name_at(keys, at)
        found = self._catalogue.routine(parts, self._reader.path)
        if found is None or found[1] is None:
            if at == 2:
                raise Refused(f'could not find a {keys[1]} named "{".".join(parts)}"')
            return
        name = found[0]
        self._ran.names.add(name)
        calling = [one for one in self._catalogue if one.query is not None and self._view_calls(one, name)]
        if calling and not says(keys, "cascade"):
            raise Refused(f"cannot drop {keys[1]} {'.'.join(parts)} because other objects depend on it")
        for view in calling:
            if self._catalogue.by_number(view.number) is not None:
                self._ran.names |= {one.name for one in self._catalogue.drop(view, cascade=True)}
        self._catalogue.set_routine(name, None)

    def _view_calls(self, view: StoredRelation, name: str) -> bool:
        query = view.query
        if query is None or name.rpartition(".")[2] not in query.text.lower():
            return False
        nodes = (one for one in parse(query.text, get_dialect(query.dialect)) if not isinstance(one, Unread))
        calls = (call for node in nodes for call in calls_in(node))
        named = (self._catalogue.routine(tuple(map(str, one.parts)), query.path, query.prefix) for one in calls)
        return any(found is not None and found[0] == name for found in named)
