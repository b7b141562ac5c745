"""The functions and procedures that there are: by number, and all of one name side by side."""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import replace
from typing import Any, NamedTuple

from jalan.change.stored import StoredRoutine

RoutineBefore = tuple[StoredRoutine | None, str, tuple[int, ...] | None]
"""A routine before a change, the name in question, and the numbers of all that had it; none if nothing ever had."""


class RoutineNumber(NamedTuple):
    """Stands in a journal of changes for a routine."""

    number: int


class KnownRoutines:
    """Routines. journal: is told what each one was before it is changed."""

    def __init__(self, journal: list[tuple[Any, Any]]) -> None:
        self._journal = journal
        self._at: dict[int, StoredRoutine] = {}
        self._named: dict[str, tuple[int, ...]] = {}
        self._kept: set[int] = set()
        self._next = 1

    def copy(self, journal: list[tuple[Any, Any]]) -> "KnownRoutines":
        """Return the same ones, with another journal."""
        found = KnownRoutines(journal)
        found._at, found._named = dict(self._at), dict(self._named)
        found._kept, found._next = set(self._kept), self._next
        return found

    def __bool__(self) -> bool:
        """Whether any is, or was, there."""
        return bool(self._named)

    def __iter__(self) -> Iterator[StoredRoutine]:
        return iter(list(self._at.values()))

    def at(self, number: int) -> StoredRoutine | None:
        """Return one by its number, none once it is gone."""
        return self._at.get(number)

    def of_name(self, name: str) -> list[StoredRoutine]:
        """Return those of a whole name."""
        return [self._at[number] for number in self._named.get(name, ())]

    def named(
        self, parts: Sequence[str], path: Iterable[str], prefix: str = ""
    ) -> tuple[str, list[StoredRoutine]] | None:
        """Return those that a name in a text may stand for, with the first whole name that it has; none are left
        where they were dropped. Where there never was one of that name, nothing is returned."""
        written = ".".join(parts)
        names = [written] if len(parts) > 1 else [f"{schema}.{written}" for schema in path]
        known = [prefix + name for name in names if prefix + name in self._named]
        if not known:
            return None
        found: dict[tuple[str, ...], StoredRoutine] = {}
        for name in known:
            for one in self.of_name(name):
                found.setdefault(one.takes.arguments, one)
        return known[0], list(found.values())

    def keeping(self, relation: int, column: int | None = None) -> list[StoredRoutine]:
        """Return those that hang on a relation, or on one of its columns."""
        found = []
        for number in sorted(self._kept):
            one = self._at[number]
            assert one.kept is not None
            if relation in one.kept.reads if column is None else (relation, column) in one.kept.uses:
                found.append(one)
        return found

    def calling(self, routine: int) -> list[StoredRoutine]:
        """Return those that hang on another one."""
        kept = [self._at[number] for number in sorted(self._kept)]
        return [one for one in kept if one.kept is not None and routine in one.kept.calls]

    def make(self, routine: StoredRoutine) -> StoredRoutine:
        """Make one, or put it in place of the one with the same name that is called with the same."""
        same = [one for one in self.of_name(routine.name) if one.takes.arguments == routine.takes.arguments]
        number = same[0].number if same else self._next
        self._next += not same
        made = replace(routine, number=number)
        self.put(number, made)
        return made

    def put(self, number: int, routine: StoredRoutine | None) -> None:
        """Put one in place of what has its number; none drops it."""
        before = self._at.get(number)
        if before is not None and routine is not None and before.name != routine.name:
            self.put(number, None)
            before = None
        one = routine or before
        if one is not None:
            self._journal.append((RoutineNumber(number), (before, one.name, self._named.get(one.name))))
            self._put(number, routine)

    def back_to(self, number: int, was: RoutineBefore) -> None:
        """Take a change back. was: what the journal was told."""
        before, name, numbers = was
        self._put(number, before)
        if numbers is None:
            del self._named[name]
        else:
            self._named[name] = numbers

    def _put(self, number: int, routine: StoredRoutine | None) -> None:
        before = self._at.pop(number, None)
        self._kept.discard(number)
        if before is not None:
            self._named[before.name] = tuple(n for n in self._named[before.name] if n != number)
        if routine is not None:
            self._at[number] = routine
            self._named[routine.name] = (*self._named.get(routine.name, ()), number)
            if routine.kept is not None:
                self._kept.add(number)
