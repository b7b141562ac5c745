"""Reads parts of a text over a catalogue, as the database would: what is read must be there."""

from collections.abc import Iterable

from jalan.change.catalogue import Catalogue, made_name
from jalan.change.ran import Fails, Failure, Ran, Text
from jalan.change.routines import RoutineReading, read_routine
from jalan.change.seen import FATAL, CatalogueSeen
from jalan.change.stored import TEMPORARY, VIEW, ColumnKey, StoredRelation
from jalan.change.words import missing_column
from jalan.lineage.model import Extraction, Statement
from jalan.lineage.script import extract
from jalan.lineage.tables import Parts, split_key
from jalan.sql import tree


class Reader:
    """Reads one text, and notes in ``ran`` what was named and read. path: where it looks for names by now."""

    def __init__(self, catalogue: Catalogue, text: Text, ran: Ran) -> None:
        self.catalogue, self.text, self.ran = catalogue, text, ran
        self.path: tuple[str, ...] = (TEMPORARY, *text.search_path)
        self._seen = CatalogueSeen(catalogue)

    def named(self, parts: Parts) -> StoredRelation | None:
        """Return a relation by the name that the text gives it."""
        return self.catalogue.named(tuple(map(str, parts)), self.path)

    def there(self, name: tree.TableName) -> StoredRelation:
        """Return a relation that the text names. Raises Fails where it is not there."""
        return self.one_of(name.parts, (name.start, name.end))

    def one_of(self, parts: Parts, span: tuple[int, int]) -> StoredRelation:
        """Return a relation by its name in the text. span: what is to blame. Raises Fails where it is not there."""
        found = self.named(parts)
        if found is None:
            written = ".".join(map(str, parts))
            raise Fails(Failure(f'relation "{written}" does not exist', span, self.full(parts)))
        self.ran.names.add(found.name)
        return found

    def full(self, parts: Parts, temporary: bool = False) -> str:
        """Return the whole name that something gets when the text makes it under a name."""
        name = made_name(tuple(map(str, parts)), self.path, temporary)
        if not temporary:
            self.ran.names.add(name)
        return name

    def read(self, start: int, end: int, before: str = "") -> tuple[Statement, Extraction]:
        """Read a stretch of the text as a statement. Raises Fails where something that it reads is not there."""
        text = before + self.text.text[start:end]
        found = extract(text, dialect=self.text.dialect, tables=self._seen, search_path=self.path)
        (statement,) = found.statements[:1] or [Statement("select", (0, len(text)), None)]
        for one in [*found.diagnostics, *statement.diagnostics]:
            if one.code in FATAL:
                first, last = (max(start, place + start - len(before)) for place in one.span)
                raise Fails(self._failure(one.code, (first, last)))
        for key in statement.reads:
            self._reads(key, {column for table, column in statement.uses if table == key})
        return statement, found

    def _failure(self, code: str, span: tuple[int, int]) -> Failure:
        written = self.text.text[span[0] : span[1]]
        if code == "unknown_table":
            return Failure(f'relation "{written}" does not exist', span, self.full(split_key(written)))
        if code == "unknown_table_reference":
            table = written.rpartition(".")[0].rpartition(".")[2]
            return Failure(f'missing FROM-clause entry for table "{table}"', span)
        if code == "ambiguous_column":
            return Failure(f'column reference "{written}" is ambiguous', span)
        return Failure(missing_column(written), span, None, written.rpartition(".")[2])

    def _reads(self, key: str, columns: set[str]) -> None:
        relation = self.catalogue.find(key)
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
        called = set[int]()
        while waiting:
            key = waiting.pop()
            if key in looked_at:
                continue
            looked_at.add(key)
            one = self.catalogue.by_number(key[0])
            if one is None:
                continue
            tables.add(key[0])
            name = next((column for column, number in one.columns.items() if number == key[1]), None)
            if one.kind == VIEW and name is not None:
                waiting += [*one.through.get(name, ()), *one.rows]
                called |= one.calls.get(name, frozenset())
            elif one.remote is not None and name is not None:
                self._at_its_place(one, name)
        for number in tables:
            one = self.catalogue.by_number(number)
            if one is not None and one.kind == VIEW:
                called |= one.calls.get(None, frozenset())
            if one is None or one.remote is None:
                continue
            self.ran.names.add(one.remote)
            if self.catalogue.find(one.remote) is None:
                raise Fails(Failure(f'relation "{one.remote}" does not exist, where it is', (0, 0), one.remote))

        for number in called:
            self._called_by_view(number)

    def calls(self, reading: RoutineReading, signature: str = "") -> set[str]:
        """Note that a routine is run, or a block where it has no signature; return the names of what it reads."""
        names = reading.reads | ({signature} if signature else set())
        self.ran.called |= {one for one in names if one.endswith(")")}
        self.ran.names |= names | reading.names
        self.ran.read |= names
        self.ran.words |= reading.words
        return names

    def _called_by_view(self, number: int) -> None:
        """Fail where a routine that a view calls cannot be run."""
        routine = self.catalogue.routines.at(number)
        if routine is not None:
            reading = read_routine(routine, self.catalogue)
            self.ran.names |= {routine.name, routine.signature, *reading.reads, *reading.names}
            self.ran.words |= reading.words
            if reading.problem is not None:
                raise Fails(Failure(reading.problem, (0, 0), routine.name))

    def _at_its_place(self, foreign: StoredRelation, column: str) -> None:
        assert foreign.remote is not None
        there = self.catalogue.find(foreign.remote)
        name = foreign.remote_columns.get(column, column)
        if there is not None and name not in there.columns:
            message = f'column "{name}" does not exist in {foreign.remote}, which {foreign.name} shows'
            raise Fails(Failure(message, (0, 0), foreign.remote, name))
