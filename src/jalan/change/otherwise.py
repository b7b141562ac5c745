"""What holds something else than it would have: found out column by column, as texts fill one thing from another
and views show what they are made of."""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace

from jalan.change.catalogue import Catalogue
from jalan.change.edits import Columns, Edit
from jalan.change.outcome import Becoming, Kind
from jalan.change.ran import Flow, Ran
from jalan.change.routines import RoutineReading, read_routine
from jalan.change.stored import ColumnKey, StoredRelation, StoredRoutine

_NOTHING: frozenset[str] = frozenset()


class Otherwise:
    """What is otherwise after a change.

    given: by the change itself, and from outside. found: what follows from that, by its subject. means_other:
    whether names in the body of a routine stand for other columns than before.
    """

    def __init__(
        self,
        catalogue: Catalogue,
        given: Mapping[str, Columns],
        means_other: Callable[[StoredRoutine, RoutineReading], bool],
    ) -> None:
        self._catalogue = catalogue
        self._means_other = means_other
        self.given = dict(given)
        self.found: dict[str, Becoming] = {}

    def note(
        self, subject: str, columns: Columns, does: str, because: str, place: str = "", is_edited: bool = True
    ) -> None:
        """Note that rows or values of something may be others than before, as it does something with what is.

        place: of the text that makes it, and that may do so by itself: because it is edited, or else because its
        names stand for something else.
        """
        known = self.found.get(subject)
        if known is None:
            reason = f"{does} {because}, which is made otherwise"
            if because == place:
                it = "it" if subject == place else place
                reason = f"a name in {it} stands for another column than before"
                if is_edited:
                    reason = "its query is edited" if it == "it" else f"{place}, as edited, makes it otherwise"
            known = Becoming(Kind.VALUES, subject, reason, because=None if subject == place == because else because)
        if columns is None or known.kind is Kind.ROWS:
            self.found[subject] = replace(known, kind=Kind.ROWS, columns=())
        else:
            self.found[subject] = replace(known, columns=tuple(sorted(columns.union(known.columns))))

    def made(self, ran: Ran, place: str, edit: Edit | None) -> dict[str, tuple[Columns, str]]:
        """Return what a text fills with something else than before: the columns, and what these come from.

        edit: what it makes otherwise of its own, where it is edited.
        """
        own = edit or Edit()
        made: dict[str, Columns] = dict.fromkeys(own.whole)
        made |= dict.fromkeys(ran.switched)  # what it calls now, others than before, may do something else
        made |= {name: either(made.get(name, _NOTHING), columns) for name, columns in own.filled.items()}
        if own.everything:
            made |= dict.fromkeys(ran.filled)
        first = dict.fromkeys(made, place)
        for at, flow in enumerate(ran.flows):
            columns, other = self.through(flow, made)
            if at in own.flows:
                columns, other = either(columns, own.flows[at]), place
            elif at in ran.captured:
                columns, other = either(columns, ran.captured[at]), place
            if flow.target is not None and other is not None:
                made[flow.target] = either(made.get(flow.target, _NOTHING), columns)
                # Of what was made of a temporary one, people are told where that came from.
                first.setdefault(flow.target, first.get(other, other))
        # Temporary ones are gone by now.
        return {name: (columns, first[name]) for name, columns in made.items() if name in ran.filled}

    def through(self, flow: Flow, made: Mapping[str, Columns]) -> tuple[Columns, str | None]:
        """Return what a statement makes otherwise, and the relation that this comes from; none if nothing is.

        made: what the same text has made otherwise so far.
        """
        if not (made or self.is_any):
            return _NOTHING, None
        known = dict(made)
        seen = {name: self.seen(name, known) for name in sorted(flow.reads)}
        for name, columns in seen.items():
            if columns is None:
                return None, name
        for table, column in sorted(flow.rows):
            if column in (seen.get(table) or ()):
                return None, table
        hit = sorted(
            (output, table)
            for output, sources in flow.columns.items()
            for table, column in sources
            if column in (seen.get(table) or ())
        )
        return frozenset(output for output, _ in hit), hit[0][1] if hit else None

    def seen(self, name: str, known: dict[str, Columns]) -> Columns:
        """Return what is otherwise in a relation as whoever reads it finds it, also through views.

        known: what was found out already; this is added.
        """
        if name not in known:
            known[name] = _NOTHING  # where views go round in a circle
            known[name] = self._found_in(name, known)
        return known[name]

    def _found_in(self, name: str, known: dict[str, Columns]) -> Columns:
        found = self._known(name)
        relation = self._catalogue.find(name)
        if found is None or relation is None:
            return found
        if relation.remote is not None:
            there = self.seen(relation.remote, known)
            if there is None:
                return None
            return found.union(c for c in relation.columns if relation.remote_columns.get(c, c) in there)
        if not relation.is_query:
            return found
        below: set[ColumnKey] = set()
        for number in relation.reads:
            one = self._catalogue.by_number(number)
            if one is None:
                continue
            columns = self.seen(one.name, known)
            if columns is None:
                return None
            below |= {(number, one.columns[column]) for column in columns if column in one.columns}
        if below & relation.rows:
            return None
        called = self._called(relation, known) if relation.calls else _NOTHING
        if called is None:
            return None
        return found.union(called, (column for column, keys in relation.through.items() if keys & below))

    def _called(self, view: StoredRelation, known: dict[str, Columns]) -> Columns:
        """What is otherwise in a view because of the routines that its query calls."""
        found = set()
        for column, numbers in view.calls.items():
            routines = [one for number in numbers if (one := self._catalogue.routines.at(number)) is not None]
            if any(self._does_otherwise(one, known) for one in routines):
                if column is None:
                    return None
                found.add(column)
        return frozenset(found)

    def _does_otherwise(self, routine: StoredRoutine, known: dict[str, Columns]) -> bool:
        reading = read_routine(routine, self._catalogue)
        if self._means_other(routine, reading):
            return True
        seen = {name: self.seen(name, known) for name in (routine.signature, *reading.reads)}
        if None in seen.values():
            return True
        return any(column in (seen.get(table) or ()) for table, column in reading.uses)

    @property
    def is_any(self) -> bool:
        """Whether anything is otherwise, or may be in what views call."""
        return bool(self.given or self.found or self._catalogue.has_calls)

    def names(self) -> set[str]:
        """Return the names of all that is otherwise by itself, not only through views."""
        return {*self.given, *self.found}

    def heal(self, names: Iterable[str]) -> None:
        """Note that some hold what they would have held, whatever a change has put there."""
        for name in names:
            self.given.pop(name, None)

    def _known(self, name: str) -> Columns:
        other = self.found.get(name)
        if name in self.given and self.given[name] is None:
            return None
        if other is not None and other.kind is Kind.ROWS:
            return None
        return frozenset(other.columns if other is not None else ()) | (self.given.get(name) or _NOTHING)


def either(one: Columns, other: Columns) -> Columns:
    """Return what is otherwise where either is."""
    return None if one is None or other is None else one | other
