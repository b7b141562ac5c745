"""What a change does to all that is run and asked after it: which texts fail, what is no longer filled because of
that, what has other columns, what is gone, and what stays as it is although it lies downstream."""

from collections.abc import Container, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum

from jalan.change.catalogue import Catalogue, ColumnKey
from jalan.change.meaning import QueryDifference
from jalan.change.running import Failure, Flow, Ran, Text, run


class Kind(StrEnum):
    """Kinds of consequences, the worst first."""

    BREAKS = "breaks"
    GONE = "gone"
    STALE = "goes stale"
    ROWS = "rows may change"
    VALUES = "values may change"
    SHAPE = "shape changes"


_RANKS = {kind: n for n, kind in enumerate(Kind)}


@dataclass(frozen=True, slots=True)
class Becoming:
    """What becomes of one thing.

    subject: the place of a text, or the name of a relation. reason: in words. failure: what the database would say,
    where it breaks. because: the subject that it comes from, none for the change itself.
    columns: those whose values may change, where its rows do not.
    """

    kind: Kind
    subject: str
    reason: str
    failure: Failure | None = None
    because: str | None = None
    columns: tuple[str, ...] = ()


Columns = frozenset[str] | None
"""Columns whose values may be others; none where the rows may be."""
_NOTHING: frozenset[str] = frozenset()


@dataclass(slots=True)
class Outcome:
    """What a change does. refused: why the database would not make it at all; then nothing else happens.

    consequences: the worst first. untouched: what reachability would have warned of, and nothing happens to.
    failing: texts that fail without the change, too: nothing is said of them. differs: of views that get another
    query, what differs; none where that cannot be told.
    """

    refused: str | None = None
    consequences: list[Becoming] = field(default_factory=list)
    untouched: list[str] = field(default_factory=list)
    failing: list[str] = field(default_factory=list)
    differs: dict[str, QueryDifference | None] = field(default_factory=dict)


class World:
    """A catalogue with the texts that are run over it, in the order in which they are run, again and again.

    Each text runs in one transaction; after one that fails the next ones go on.
    """

    def __init__(self, catalogue: Catalogue, texts: Sequence[Text]) -> None:
        self.catalogue = catalogue
        self.texts = list(texts)
        before = {one.name for one in catalogue}
        self.ran = [run(catalogue, text) for text in self.texts]
        if {one.name for one in catalogue} != before:
            # That was the first night: from now on each drops what the one before has made.
            self.ran = [run(catalogue, text) for text in self.texts]
        self._shapes = {one.name: list(one.columns) for one in catalogue}
        self._readers: dict[str, set[str]] = {}
        self._next: dict[str, set[str]] = {}
        self._look_downstream()

    def _look_downstream(self) -> None:
        """Note of each relation the places of the texts that read it, and the relations one step further."""
        for relation in self.catalogue:
            over = (one.name for one in self.catalogue.hanging_on(relation.number))
            self._next.setdefault(relation.name, set()).update(over)
            if relation.remote is not None:
                self._next.setdefault(relation.remote, set()).add(relation.name)
        for text, ran in zip(self.texts, self.ran, strict=True):
            for name in ran.read:
                self._readers.setdefault(name, set()).add(text.place)
                self._next.setdefault(name, set()).update(ran.wrote)

    def downstream(self, names: Iterable[str]) -> set[str]:
        """Return all that lies downstream of relations, whatever becomes of it: places of texts, and relations."""
        first = set(names)
        reached, waiting = set(first), sorted(first)
        while waiting:
            after = self._next.get(waiting.pop(), set()) - reached
            reached |= after
            waiting += after
        places = {place for name in reached for place in self._readers.get(name, ())}
        return (reached | places) - first

    def simulate(
        self, change: str, search_path: Iterable[str] = ("public",), stopped: Container[str] = frozenset()
    ) -> Outcome:
        """Return what a change does, written as SQL. Nothing is changed by asking.

        stopped: places of texts that are not run any more.
        """
        mark = self.catalogue.mark()
        numbers = frozenset(n for n, text in enumerate(self.texts) if text.place in stopped)
        try:
            return _Simulation(self, mark, numbers).outcome(Text("the change", change, tuple(search_path)))
        finally:
            self.catalogue.back_to(mark)

    def differs(self, name: str) -> bool:
        """Whether a relation is there otherwise than without the change."""
        now = self.catalogue.find(name)
        return (None if now is None else list(now.columns)) != self._shapes.get(name)

    def shape(self, name: str) -> list[str] | None:
        """Return the columns that a relation has without the change, none where it is not there."""
        return self._shapes.get(name)


class _Simulation:
    def __init__(self, world: World, mark: int, stopped: frozenset[int]) -> None:
        self._world = world
        self._stopped = stopped
        self._catalogue = world.catalogue
        self._mark = mark
        self._touched: set[str] = set()
        self._broken: dict[int, Failure] = {}
        self._stale: dict[str, Becoming] = {}
        self._other: dict[str, Becoming] = {}
        self._edited: dict[str, Columns] = {}
        self._forced: set[int] = set()
        self._ran = list(world.ran)
        self._own: set[str] = set()

    def outcome(self, change: Text) -> Outcome:
        """Make the change, run what it touches, and say what became of everything."""
        pairs = zip(self._world.texts, self._world.ran, strict=True)
        found = Outcome(failing=[text.place for text, ran in pairs if ran.failure is not None])
        made = run(self._catalogue, change, compares=True)
        if made.failure is not None:
            found.refused = made.failure.message
            return found
        found.differs = made.differs
        self._own = self._catalogue.touched_since(self._mark)
        after = self._catalogue.mark()
        while self._night_after(made, after):
            pass
        for number, text in enumerate(self._world.texts):
            if text.is_query:
                self._asked(number, text)
        found.consequences = sorted(self._consequences(), key=lambda one: (_RANKS[one.kind], one.subject))
        first = self._own | made.names | {name for n in self._stopped for name in self._world.ran[n].wrote}
        below = self._world.downstream(first)
        found.untouched = sorted(below - {one.subject for one in found.consequences})
        return found

    def _night_after(self, made: Ran, after: int) -> bool:
        """Run what a change touches, from the mark after it; return whether it has to be done once more.

        What a text makes may be dropped by one before it, night after night. Where it fails it is gone, then: so
        that one has to be run as well.
        """
        self._catalogue.back_to(after)
        self._touched = set(self._own)
        filled = (name for name in made.filled if self._world.shape(name) is not None)
        self._edited = {name: _changed(made.differs[name]) if name in made.differs else None for name in filled}
        self._broken, self._stale, self._other, self._ran = {}, {}, {}, list(self._world.ran)
        for number, text in enumerate(self._world.texts):
            if not text.is_query:
                self._night(number, text)
        not_run = self._stopped | self._broken.keys()
        lost = {name for number in not_run for name in self._world.ran[number].wrote}
        droppers = {n for n, ran in enumerate(self._world.ran) if ran.dropped & lost} - not_run
        again = bool(droppers - self._forced)
        self._forced |= droppers
        return again

    # --- a night ---------------------------------------------------------------------------------------

    def _night(self, number: int, text: Text) -> None:
        if not self._again(number, text):
            return
        ran = self._ran[number]
        if older := self._first(ran.read, self._stale):
            self._become_stale(ran.wrote, f"{text.place} runs, over what is stale in {older}", older)
        changed = self._made(ran)
        # What is made anew from what has not changed is as before, whatever a change has put there.
        for name in ran.anew - changed.keys():
            self._edited.pop(name, None)
        for name, (columns, other) in changed.items():
            self._is_otherwise(name, columns, f"{text.place} fills it from", other)

    def _asked(self, number: int, text: Text) -> None:
        if not self._again(number, text):
            return
        ran = self._ran[number]
        if older := self._first(ran.read, self._stale):
            self._become_stale([text.place], f"it reads {older}, which is stale", older)
        for flow in ran.flows:
            columns, other = self._through(flow, {})
            if other is not None:
                self._is_otherwise(text.place, columns, "it reads", other)

    def _again(self, number: int, text: Text) -> bool:
        """Run a text again where it speaks of what is there otherwise; return whether it works."""
        before = self._world.ran[number]
        if before.failure is not None:
            return False
        if number in self._stopped:
            self._become_stale(before.wrote, f"it is no longer filled: {text.place} does not run", text.place)
            return False
        if before.names & self._touched or number in self._forced:
            mark = self._catalogue.mark()
            ran = run(self._catalogue, text)
            if ran.failure is not None:
                self._broken[number] = ran.failure
                reason = f"it is no longer filled: {text.place} fails"
                self._become_stale(before.wrote, reason, text.place)
                return False
            self._ran[number] = ran
            self._touched |= {name for name in self._catalogue.touched_since(mark) if self._world.differs(name)}
        return True

    def _become_stale(self, subjects: Iterable[str], reason: str, because: str) -> None:
        """Note of some that they go stale, and why, unless that is known already."""
        for subject in sorted(subjects):
            self._stale.setdefault(subject, Becoming(Kind.STALE, subject, reason, because=because))

    # --- what is made otherwise ------------------------------------------------------------------------

    def _is_otherwise(self, subject: str, columns: Columns, does: str, because: str) -> None:
        """Note that rows or values of something may be others than before, as it does something with what is."""
        known = self._other.get(subject)
        if known is None:
            reason = f"{does} {because}, which is made otherwise"
            known = Becoming(Kind.VALUES, subject, reason, because=because)
        if columns is None or known.kind is Kind.ROWS:
            self._other[subject] = replace(known, kind=Kind.ROWS, columns=())
        else:
            self._other[subject] = replace(known, columns=tuple(sorted(columns.union(known.columns))))

    def _made(self, ran: Ran) -> dict[str, tuple[Columns, str]]:
        """Return what a text fills with something else than before: the columns, and what these come from."""
        made: dict[str, Columns] = {}
        first: dict[str, str] = {}
        for flow in ran.flows:
            columns, other = self._through(flow, made)
            if flow.target is not None and other is not None:
                known = made.get(flow.target, _NOTHING)
                made[flow.target] = None if known is None or columns is None else known | columns
                first.setdefault(flow.target, other)
        # Temporary ones are gone by now.
        return {name: (columns, first[name]) for name, columns in made.items() if name in ran.filled}

    def _through(self, flow: Flow, made: Mapping[str, Columns]) -> tuple[Columns, str | None]:
        """Return what a statement makes otherwise, and the relation that this comes from; none if nothing is.

        made: what the same text has made otherwise so far.
        """
        if not (made or self._is_any_otherwise()):
            return _NOTHING, None
        known = dict(made)
        seen = {name: self._seen(name, known) for name in sorted(flow.reads)}
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

    def _seen(self, name: str, known: dict[str, Columns]) -> Columns:
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
            there = self._seen(relation.remote, known)
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
            columns = self._seen(one.name, known)
            if columns is None:
                return None
            below |= {(number, one.columns[column]) for column in columns if column in one.columns}
        if below & relation.rows:
            return None
        return found.union(column for column, keys in relation.through.items() if keys & below)

    def _is_any_otherwise(self) -> bool:
        return bool(self._edited or self._other)

    def _known(self, name: str) -> Columns:
        other = self._other.get(name)
        if name in self._edited and self._edited[name] is None:
            return None
        if other is not None and other.kind is Kind.ROWS:
            return None
        return frozenset(other.columns if other is not None else ()) | (self._edited.get(name) or _NOTHING)

    # --- what became of everything ---------------------------------------------------------------------

    def _first(self, names: Iterable[str], among: Container[str]) -> str | None:
        """The first relation among some, or under views and foreign tables among them, that is one of others."""
        waiting, seen = sorted(names, reverse=True), set()
        while waiting:
            name = waiting.pop()
            if name in among:
                return name
            relation = self._catalogue.find(name)
            if relation is None or name in seen:
                continue
            seen.add(name)
            if relation.remote is not None:
                waiting.append(relation.remote)
            elif relation.is_query:
                waiting += sorted(self._names(relation.reads), reverse=True)
        return None

    def _names(self, numbers: Iterable[int]) -> list[str]:
        return [one.name for number in numbers if (one := self._catalogue.by_number(number)) is not None]

    def _consequences(self) -> Iterable[Becoming]:
        for number, failure in self._broken.items():
            place = self._world.texts[number].place
            yield Becoming(Kind.BREAKS, place, failure.message, failure, failure.relation)
        for name in sorted(self._touched | set(self._stale)):
            before, now = self._world.shape(name), self._catalogue.find(name)
            if before is not None and now is None:
                yield Becoming(Kind.GONE, name, "nothing makes it again")
                continue
            if name in self._stale:
                continue
            if name not in self._own and before is not None and now is not None and before != list(now.columns):
                yield Becoming(Kind.SHAPE, name, _other_shape(before, list(now.columns)))
        self._look_through_views()
        yield from (one for one in self._stale.values() if not self._is_gone(one.subject))
        broken = {self._world.texts[number].place for number in self._broken}
        for one in self._other.values():
            if one.subject not in self._stale and one.subject not in broken and not self._is_gone(one.subject):
                yield one

    def _is_gone(self, name: str) -> bool:
        return self._world.shape(name) is not None and self._catalogue.find(name) is None

    def _look_through_views(self) -> None:
        """Note what is stale or otherwise in views: they show what they are made of, without being run."""
        if not (self._stale or self._is_any_otherwise()):
            return
        views = [one for one in self._catalogue if one.is_query]
        stale = {one.name: self._first(self._names(one.reads), self._stale) for one in views}
        for name, older in stale.items():
            if older is not None:
                self._become_stale([name], f"it shows {older}, which is stale", older)
        seen: dict[str, Columns] = {}
        for view in views:
            columns = self._seen(view.name, seen)
            if (columns is None or columns) and view.name not in self._edited.keys() | self._other.keys():
                other = self._first(self._names(view.reads), self._edited.keys() | self._other.keys())
                self._is_otherwise(view.name, columns, "it shows", other or view.name)


def _changed(differs: QueryDifference | None) -> Columns:
    """What of a view is otherwise, by what differs in its query."""
    if differs is None or differs.rows or differs.order:
        return None
    return differs.values()


def _other_shape(before: Sequence[str], now: Sequence[str]) -> str:
    gained, lost = [one for one in now if one not in before], [one for one in before if one not in now]
    parts = []
    if gained:
        parts.append(f"it gains {', '.join(gained)}")
    if lost:
        parts.append(f"it loses {', '.join(lost)}")
    return " and ".join(parts) or "its columns stand in another order"
