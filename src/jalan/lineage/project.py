"""Texts that make tables for one another, read until nothing changes: definitions and known tables → links.

Only what may have changed is read: what was asked for when a text was read is remembered, and a text whose answers
would be the same is not read again. What surrounds the texts is asked for by name, so the cost of a change is that
of what it touches, whatever else there is.
"""

from collections.abc import Callable, Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from hashlib import blake2b
from typing import Any, Protocol

from jalan.catalog.kinds import MAKING_STATEMENTS
from jalan.lineage.following import called_names, extract_following, routines_of
from jalan.lineage.model import Extraction
from jalan.lineage.tables import KnownTables, Parts, Table, make_table

_ROUNDS = 20  # how long a chain of scripts over tables that nobody scanned may be
ALL: Parts = ("",)
"""What stands among the names asked for where it counted whether all tables are known; ``m:`` as a changed name."""
Progress = Callable[[str, int, int], None]


@dataclass(slots=True, eq=False)
class TextReading:
    """One text with what its extraction asked and made.

    id: of its definition. asked: name parts → a word for what was told, None where nothing was; none where it was
    never read. makes: tables that it makes, with their columns. called: the names that may be those of routines,
    each with a word for what it does as far as another text says. routines: those that it defines, each with its
    place in the text. extraction: none where it need not be done again.
    """

    id: int
    text: str
    dialect: str
    search_path: list[str]
    template: dict[str, Any] | None
    asked: dict[Parts, str | None] | None = None
    makes: dict[str, list[str]] = field(default_factory=dict)
    called: dict[str, str | None] = field(default_factory=dict)
    routines: dict[str, list[int]] = field(default_factory=dict)
    extraction: Extraction | None = None

    def names(self) -> list[str]:
        """Return the names that it depends on or provides, each with a letter for how: asked for, made, called, or
        defined as a routine."""
        found = {f"a:{'.'.join(parts)}" for parts in self.asked or ()}
        found |= {f"m:{name}" for one in self.makes for name in (one, one.lower())}
        found |= {f"c:{name}" for name in self.called}
        found |= {f"r:{name}" for name in self.routines}
        return sorted(found)


class Surroundings(Protocol):
    """What the texts stand in. Names of tables are those inside the database."""

    @property
    def complete(self) -> bool:
        """Whether all tables are known, so that another name is likely a mistake."""

    def readings(self, ids: Collection[int]) -> list[TextReading]:
        """Return texts as they were last read."""

    def scanned(self, name: str) -> list[str] | None:
        """Return the columns of the table of exactly that name, if its own system knows it."""

    def scanned_folded(self, name: str) -> tuple[str, list[str]] | None:
        """Return the table whose name in lower case is this one, by its own name."""

    def near(self, parts: Parts) -> list[str]:
        """Return names of tables that are most like this one."""

    def with_names(self, names: Collection[str]) -> Mapping[int, Collection[str]]:
        """Return id → all names of the texts that have one of these, see ``TextReading.names``."""


class _Tables(KnownTables):
    """Tables looked up one by one, and what was asked."""

    def __init__(self, project: "Project") -> None:
        self.complete = project.around.complete
        self._project = project
        self.asked: dict[Parts, Table | None] = {}

    def find(self, parts: Parts) -> Table | None:
        found = self._project.table(parts)
        self.asked[tuple(map(str, parts))] = found
        return found

    def near(self, parts: Parts) -> list[str]:
        return self._project.around.near(parts)


class _Routines(Mapping[str, str]):
    """The routines that the texts of a dialect define, by last name. Of two with one name, none."""

    def __init__(self, project: "Project", dialect: str) -> None:
        self._project = project
        self._dialect = dialect

    def __contains__(self, name: object) -> bool:
        return isinstance(name, str) and self._project.routine(self._dialect, name) is not None

    def __getitem__(self, name: str) -> str:
        found = self._project.routine(self._dialect, name)
        if found is None:
            raise KeyError(name)
        return found

    def __iter__(self) -> Iterator[str]:
        raise TypeError("routines are looked up, not listed")

    def __len__(self) -> int:
        return 1  # there may be some


class Project:
    """Reads what may have changed."""

    def __init__(self, around: Surroundings) -> None:
        self.around = around
        self._readings: dict[int, TextReading] = {}
        self._tables: dict[str, Table | None] = {}
        self._told: dict[int, tuple[Table, str]] = {}
        self._by_name: dict[str, set[int]] = {}
        self._stored: dict[str, set[int]] = {}
        self._words: dict[tuple[str, str], str | None] = {}
        self._routines: dict[tuple[str, str], str | None] = {}

    def read(self, ids: Iterable[int], names: Collection[str], tell: Progress) -> list[TextReading]:
        """Read texts until the tables and routines that they make for one another are known as well.

        ids: of those that are new, or that another reader has read. names: of tables and routines that are others
        now, as in ``TextReading.names``. Returns those that were read anew.
        """
        waiting = set(ids) | self._touched(names)
        done = 0
        for _ in range(_ROUNDS):
            changed: set[str] = set()
            readings = self._take(waiting)
            self._look_for_routines(readings)
            for number, reading in enumerate(readings):
                tell("statements", done + number, done + len(readings))
                if not self._same_answers(reading):
                    changed |= self._read(reading)
            done += len(readings)
            if not changed:
                break
            self._forget(changed)
            waiting = self._touched(changed)
        tell("statements", done, done)
        return [reading for reading in self._readings.values() if reading.extraction is not None]

    # --- what is read --------------------------------------------------------------------------------

    def _take(self, ids: Collection[int]) -> list[TextReading]:
        missing = [id_ for id_ in ids if id_ not in self._readings]
        if missing:
            for reading in self.around.readings(missing):
                self._readings[reading.id] = reading
                self._note(reading)
        return [self._readings[id_] for id_ in sorted(ids) if id_ in self._readings]

    def _touched(self, names: Collection[str]) -> set[int]:
        """The texts that ask for tables or call routines that are others now, also by way of other routines."""
        asked = {f"a:{name}" for one in names if one[:2] == "m:" for name in (one[2:], one[2:].lower())}
        found = self._with_names(asked) if asked else set()
        routines = {name for name in names if name[:2] == "r:"}
        seen: set[str] = set()
        while routines - seen:
            seen |= routines
            callers = self._with_names({f"c:{name[2:]}" for name in routines})
            found |= callers
            routines = {f"r:{name}" for reading in self._take(callers) for name in reading.routines}
        self._forget(seen)
        return found

    def _with_names(self, names: set[str]) -> set[int]:
        """The texts that have one of these names, those that were read anew as they are now."""
        self._look_for(names)
        return {id_ for name in names for id_ in self._stored[name] - self._readings.keys() | self._live(name)}

    def _look_for(self, names: Collection[str]) -> None:
        """Ask, once, which texts have names."""
        missing = [name for name in names if name not in self._stored]
        if not missing:
            return
        self._stored.update({name: set() for name in missing})
        for id_, theirs in self.around.with_names(missing).items():
            for name in theirs:
                if name in self._stored:
                    self._stored[name].add(id_)

    def _look_for_routines(self, readings: Collection[TextReading]) -> None:
        unread = (reading for reading in readings if reading.asked is None)
        self._look_for({f"r:{name}" for reading in unread for name in called_names(reading.text)})

    def _live(self, name: str) -> set[int]:
        return self._by_name.get(name, set())

    def _note(self, reading: TextReading) -> None:
        for name in reading.names():
            self._by_name.setdefault(name, set()).add(reading.id)

    def _forget(self, names: Collection[str]) -> None:
        for name in names:
            self._tables.pop(name[2:], None)
            self._tables.pop(name[2:].lower(), None)
        if any(name[:2] == "r:" for name in names):
            self._words.clear()
            self._routines.clear()

    def _read(self, reading: TextReading) -> set[str]:
        """Extract a text; return the names of what it makes otherwise than before."""
        before_makes, before_routines = reading.makes, self._texts(reading)
        names_before = reading.names()
        watched = _Tables(self)
        routines = _Routines(self, reading.dialect)
        reading.extraction = extract_following(
            reading.text,
            routines,
            dialect=reading.dialect,
            tables=watched,
            search_path=reading.search_path,
            **(reading.template or {}),
        )
        reading.asked = {parts: self._answer(table) for parts, table in watched.asked.items()}
        if None in reading.asked.values():
            reading.asked[ALL] = self._whether_all()
        reading.makes = _tables_made(reading)
        reading.routines = routines_of(reading.text, reading.extraction)
        reading.called = dict.fromkeys(sorted(called_names(reading.text)))
        # Only now: while it was read, what it made and defined before was still to be found.
        for name in names_before:
            self._live(name).discard(reading.id)
        self._note(reading)
        after = self._texts(reading)
        changed = {f"m:{name}" for name, _ in _differing(before_makes, reading.makes)}
        changed |= {f"r:{name}" for name, _ in _differing(before_routines, after)}
        if changed:
            self._forget({*changed, *(name.lower() for name in changed)})
        for name in reading.called:
            reading.called[name] = self.word(reading.dialect, name)
        return changed

    @staticmethod
    def _texts(reading: TextReading) -> dict[str, str]:
        return {name: reading.text[start:end] for name, (start, end) in reading.routines.items()}

    def _same_answers(self, reading: TextReading) -> bool:
        if reading.asked is None:
            return False
        if any(self.word(reading.dialect, name) != word for name, word in reading.called.items()):
            return False
        return all(
            (self._whether_all() if parts == ALL else self._answer(self.table(parts))) == answer
            for parts, answer in reading.asked.items()
        )

    def _whether_all(self) -> str:
        return "all" if self.around.complete else "some"

    # --- tables --------------------------------------------------------------------------------------

    def table(self, parts: Parts) -> Table | None:
        """Return the table of a name: as its own system or a text names it, or in lower case."""
        name = ".".join(map(str, parts))
        if name not in self._tables:
            self._tables[name] = self._look_up(name)
        return self._tables[name]

    def _look_up(self, name: str) -> Table | None:
        columns = self.around.scanned(name) or self._made(name)
        if columns is not None:
            return make_table(name, columns)
        if name != name.lower():
            return None
        folded = self._made_folded(name) or self.around.scanned_folded(name)
        return None if folded is None else make_table(*folded)

    def _made(self, name: str) -> list[str] | None:
        """The columns of a table that a text makes; of several the last text's."""
        return next((r.makes[name] for r in reversed(self._providing(f"m:{name}")) if name in r.makes), None)

    def _made_folded(self, name: str) -> tuple[str, list[str]] | None:
        for reading in reversed(self._providing(f"m:{name}")):
            for made, columns in reading.makes.items():
                if made.lower() == name:
                    return made, columns
        return None

    def _providing(self, name: str) -> list[TextReading]:
        return self._take(self._with_names({name}))

    def _answer(self, table: Table | None) -> str | None:
        """A table's key and columns in one short word."""
        if table is None:
            return None
        known = self._told.get(id(table))
        if known is None:
            text = "\x1f".join((table.key, *map(str, table.columns or ("\x1e",))))
            # The table is kept with it: another one in its place in memory would be taken for it.
            known = self._told[id(table)] = (table, blake2b(text.encode(), digest_size=6).hexdigest())
        return known[1]

    # --- routines ------------------------------------------------------------------------------------

    def routine(self, dialect: str, name: str) -> str | None:
        """Return the text of a routine; none where nobody defines it, or several do otherwise."""
        key = (dialect, name)
        if key not in self._routines:
            texts = {
                self._texts(reading)[name]
                for reading in self._providing(f"r:{name}")
                if reading.dialect == dialect and name in reading.routines
            }
            self._routines[key] = texts.pop() if len(texts) == 1 else None
        return self._routines[key]

    def word(self, dialect: str, name: str) -> str | None:
        """Return a word for what a routine does, what it calls included; none where nobody defines it."""
        key = (dialect, name)
        if key not in self._words:
            self._words[key] = None  # while it is made up: of a circle the rest is enough
            written = self.routine(dialect, name)
            if written is not None:
                calls = [self.word(dialect, called) or "" for called in sorted(called_names(written))]
                self._words[key] = blake2b("\x1f".join([written, *calls]).encode(), digest_size=6).hexdigest()
        return self._words[key]


def _differing(before: Mapping[str, object], after: Mapping[str, object]) -> list[tuple[str, object]]:
    return [(name, after.get(name)) for name in {**before, **after} if before.get(name) != after.get(name)]


def _tables_made(reading: TextReading) -> dict[str, list[str]]:
    made = {}
    assert reading.extraction is not None
    for statement in reading.extraction.statements:
        target = statement.target
        if target is None or statement.kind not in MAKING_STATEMENTS:
            continue
        if target in reading.extraction.intermediates:
            continue
        names = [str(output.name) for output in statement.outputs]
        if names and "*" not in names:
            schema = reading.search_path[0] if reading.search_path else "public"
            made[target if "." in target else f"{schema}.{target}"] = names
    return made
