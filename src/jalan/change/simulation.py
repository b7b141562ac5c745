"""What a change does to all that is run and asked after it: which texts fail, what is no longer filled because of
that, what has other columns, what is gone, and what stays as it is although it lies downstream."""

from collections.abc import Container, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum

from jalan.change.catalogue import VIEW, Catalogue, ColumnKey
from jalan.change.edits import ASKED, Columns, Edit, compare
from jalan.change.meaning import Forms, QueryDifference
from jalan.change.running import Failure, Flow, Ran, ReadStatement, Text, read_statements, run
from jalan.change.steps import TEMPORARY, Identities, Steps, TextStep


class Kind(StrEnum):
    """Kinds of consequences, the worst first."""

    BREAKS = "breaks"
    GONE = "gone"
    STALE = "goes stale"
    LATE = "comes late"
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


_NOTHING: frozenset[str] = frozenset()


@dataclass(slots=True)
class Outcome:
    """What a change does. refused: why the database would not make it at all; then nothing else happens.

    consequences: the worst first. untouched: what reachability would have warned of, and nothing happens to.
    failing: texts that fail without the change, too: nothing is said of them. differs: of what is filled by another
    query, what differs in it; none where that cannot be told. lost: of what the change itself touches, the columns
    that are not there afterwards under their names; none where all of it is gone.
    """

    refused: str | None = None
    consequences: list[Becoming] = field(default_factory=list)
    untouched: list[str] = field(default_factory=list)
    failing: list[str] = field(default_factory=list)
    differs: dict[str, QueryDifference | None] = field(default_factory=dict)
    lost: dict[str, frozenset[str] | None] = field(default_factory=dict)


class World:
    """A catalogue with the texts that are run over it, in the order in which they are run, again and again.

    Each text runs in one transaction; after one that fails the next ones go on.
    """

    def __init__(self, catalogue: Catalogue, texts: Sequence[Text]) -> None:
        self.catalogue = catalogue
        self.texts = list(texts)
        before = {one.name for one in catalogue}
        self.statements = [read_statements(text) for text in self.texts]
        self.ran = [self._run(number) for number in range(len(self.texts))]
        if {one.name for one in catalogue} != before:
            # That was the first night: from now on each drops what the one before has made.
            self.ran = [self._run(number) for number in range(len(self.texts))]
        self.identities = Identities(catalogue)
        self._numbers = {one.name: one.number for one in catalogue}
        self._shapes = {one.name: list(one.columns) for one in catalogue}
        self._readers: dict[str, set[str]] = {}
        self._next: dict[str, set[str]] = {}
        self._look_downstream()
        self.shown = {one.remote for one in catalogue if one.remote is not None}

    def _run(self, number: int) -> Ran:
        return run(self.catalogue, self.texts[number], statements=self.statements[number])

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
        self,
        change: str,
        search_path: Iterable[str] = ("public",),
        stopped: Container[str] = frozenset(),
        edited: Mapping[str, str] | None = None,
        added: Sequence[Text] = (),
        late: Container[str] = frozenset(),
        delivers: Mapping[str, Columns] | None = None,
    ) -> Outcome:
        """Return what a change does, written as SQL. Nothing is changed by asking.

        stopped: places of texts that are not run any more. edited: places of texts, with what they are instead.
        added: texts that are run too, each behind those that fill what it reads. late: places of texts that are run
        after all others. delivers: names of relations into which something else comes, from outside: the columns
        that hold other values, none where other rows come.
        """
        mark = self.catalogue.mark()
        every = zip(self.texts, self.ran, self.statements, strict=True)
        night = [_Turn(text, ran, read, text.place in stopped) for text, ran, read in every]
        for turn in night:
            if edited and turn.text.place in edited:
                turn.was, turn.text = turn.text, replace(turn.text, text=edited[turn.text.place])
                turn.is_other, turn.statements = True, None
                self._take_steps(turn)
        try:
            for text in added:
                night.insert(self._place_of(text), _Turn(text, Ran(), None, is_other=True))
            for turn in night:
                turn.is_late = turn.text.place in late
            found = _Simulation(self, mark, night, delivers or {})
            return found.outcome(Text("the change", change, tuple(search_path)))
        finally:
            self.catalogue.back_to(mark)

    def _take_steps(self, turn: "_Turn") -> None:
        """Take down what a text is that will be edited, where everything is as before the change."""
        assert turn.was is not None
        mark = self.catalogue.mark()
        steps = Steps(self.catalogue, self.identities, turn.forms)
        turn.was_clear = run(self.catalogue, turn.was, steps=steps).failure is None
        turn.steps = steps.taken
        self.catalogue.back_to(mark)

    def _place_of(self, text: Text) -> int:
        """Where among the texts a new one is run: behind the last one that fills what it reads."""
        mark = self.catalogue.mark()
        read = run(self.catalogue, text).read
        self.catalogue.back_to(mark)
        return max((n + 1 for n, ran in enumerate(self.ran) if ran.wrote & read), default=len(self.texts))

    def differs(self, name: str) -> bool:
        """Whether a relation is there otherwise than without the change."""
        now = self.catalogue.find(name)
        return (None if now is None else list(now.columns)) != self._shapes.get(name)

    def number(self, name: str) -> int | None:
        """The number of a relation as it is without the change."""
        return self._numbers.get(name)

    def shape(self, name: str) -> list[str] | None:
        """Return the columns that a relation has without the change, none where it is not there."""
        return self._shapes.get(name)


@dataclass(slots=True)
class _Turn:
    """A text of the night with what running it did, and its statements where they have been read.

    is_stopped: it is not run any more. is_late: it is run after all others. is_other: it is edited or added; then
    ``was`` is the text before, none where there was none, steps are what it did, ``was_clear`` whether it could.
    """

    text: Text
    before: Ran
    statements: Sequence[ReadStatement] | None
    is_stopped: bool = False
    is_late: bool = False
    is_other: bool = False
    was: Text | None = None
    steps: list[TextStep] = field(default_factory=list)
    was_clear: bool = True
    forms: Forms = field(default_factory=Forms)


class _Simulation:
    def __init__(self, world: World, mark: int, night: list[_Turn], delivers: Mapping[str, Columns]) -> None:
        self._world = world
        self._delivers = delivers
        self._late: dict[str, Becoming] = {}
        self._turns = night
        self._catalogue = world.catalogue
        self._mark = mark
        self._touched: set[str] = set()
        self._broken: dict[int, Failure] = {}
        self._stale: dict[str, Becoming] = {}
        self._other: dict[str, Becoming] = {}
        self._edited: dict[str, Columns] = {}
        self._forced: set[int] = set()
        self._ran = [turn.before for turn in night]
        self._own: set[str] = set()
        self._edits: dict[int, Edit] = {}

    def outcome(self, change: Text) -> Outcome:
        """Make the change, run what it touches, and say what became of everything."""
        usual = [turn for turn in self._turns if turn.before.failure is not None and not turn.is_other]
        found = Outcome(failing=[turn.text.place for turn in usual])
        made = run(self._catalogue, change, compares=True)
        if made.failure is not None:
            found.refused = made.failure.message
            return found
        self._own = self._catalogue.touched_since(self._mark)
        after = self._catalogue.mark()
        while self._night_after(made, after):
            pass
        for number, turn in enumerate(self._turns):
            if turn.text.is_query:
                self._asked(number, turn.text)
        found.differs = {**made.differs, **self._differing()}
        found.consequences = sorted(self._consequences(), key=lambda one: (_RANKS[one.kind], one.subject))
        found.lost = dict(self._lost())
        told = {one.subject for one in found.consequences}
        changed = self._own | made.names | self._delivers.keys()
        filled = {name for turn in self._turns if turn.is_other for name in turn.before.wrote}
        stopped = {name for turn in self._turns if turn.is_stopped for name in turn.before.wrote}
        others = {turn.text.place for turn in self._turns if turn.is_other}
        below = self._world.downstream(changed | filled | stopped) | (filled - changed)
        found.untouched = sorted(below - told - others - stopped)
        return found

    def _lost(self) -> Iterable[tuple[str, frozenset[str] | None]]:
        for name in sorted(self._own):
            was, now = self._world.shape(name), self._catalogue.find(name)
            if was is not None and now is None:
                yield name, None
            elif was is not None and now is not None and (gone := frozenset(was) - now.columns.keys()):
                yield name, gone

    def _differing(self) -> dict[str, QueryDifference | None]:
        """What differs in the queries of texts that are edited, by what they fill; of a query, by its place."""
        found: dict[str, QueryDifference | None] = {}
        for number, edit in self._edits.items():
            text = self._turns[number].text
            for name, differs in edit.differs.items():
                if name == ASKED and text.is_query:
                    found[text.place] = differs
                elif name not in (ASKED, *found):
                    found[name.removeprefix(f"{TEMPORARY}.")] = differs
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
        self._edited |= self._delivers
        self._late = {}
        self._broken, self._stale, self._other, self._edits = {}, {}, {}, {}
        self._ran = [turn.before for turn in self._turns]
        for number, turn in enumerate(self._turns):
            if not turn.text.is_query:
                self._night(number, turn.text)
        not_run = {n for n, turn in enumerate(self._turns) if turn.is_stopped} | self._broken.keys()
        lost = {name for number in not_run for name in self._turns[number].before.wrote}
        lost |= {name for number in self._edits for name in self._no_longer(number)}
        droppers = {n for n, turn in enumerate(self._turns) if turn.before.dropped & lost} - not_run
        again = bool(droppers - self._forced)
        self._forced |= droppers
        return again

    def _no_longer(self, number: int) -> set[str]:
        """What a text has filled and as edited fills no longer."""
        return self._turns[number].before.wrote - self._ran[number].wrote

    # --- a night ---------------------------------------------------------------------------------------

    def _night(self, number: int, text: Text) -> None:
        if not self._again(number, text):
            return
        ran = self._ran[number]
        if older := self._first(ran.read, self._stale):
            self._become_stale(ran.wrote, f"{text.place} runs, over what is stale in {older}", older)
        self._waits(number, text.place, ran)
        changed = self._made(ran, text.place, self._edits.get(number))
        # What is made anew from what has not changed is as before, whatever a change has put there.
        for name in ran.anew - changed.keys():
            self._edited.pop(name, None)
        for name, (columns, other) in changed.items():
            self._is_otherwise(name, columns, f"{text.place} fills it from", other, text.place)
        if number in self._edits:
            self._let_go(number, text.place)

    def _waits(self, number: int, place: str, ran: Ran) -> None:
        """Note what comes late, and what is made before it has come."""
        if self._turns[number].is_late:
            for name in ran.wrote:
                reason = f"it is filled when {place} has run, after the others"
                self._late.setdefault(name, Becoming(Kind.LATE, name, reason, because=place))
        elif older := self._first(ran.read, self._late):
            reason = f"{place} runs before {self._late[older].because} has filled {older}"
            self._become_stale([name for name in ran.wrote if not self._is_view(name)], reason, older)

    def _is_view(self, name: str) -> bool:
        """Whether something shows at any time what it is made of."""
        relation = self._catalogue.find(name)
        return relation is not None and relation.kind == VIEW

    def _let_go(self, number: int, place: str) -> None:
        """Note what an edited text fills no longer."""
        for name in sorted(self._no_longer(number)):
            if any(name in ran.wrote for n, ran in enumerate(self._ran) if not self._turns[n].is_stopped):
                self._is_otherwise(name, None, "", place, place)
            else:
                self._become_stale([name], f"it is no longer filled: {place} does not do it any more", place)

    def _asked(self, number: int, text: Text) -> None:
        if not self._again(number, text):
            return
        ran = self._ran[number]
        if older := self._first(ran.read, self._stale):
            self._become_stale([text.place], f"it reads {older}, which is stale", older)
        elif older := self._first(ran.read, self._late):
            self._late[text.place] = Becoming(
                Kind.LATE, text.place, f"it reads {older}, which comes late", because=older
            )
        edit = self._edits.get(number, Edit())
        for at, flow in enumerate(ran.flows):
            columns, other = self._through(flow, {})
            if edit.everything or at in edit.flows:
                columns, other = _either(columns, edit.flows.get(at)), text.place
            if other is not None:
                self._is_otherwise(text.place, columns, "it reads", other, text.place)

    def _again(self, number: int, text: Text) -> bool:
        """Run a text again where it speaks of what is there otherwise; return whether it works."""
        turn = self._turns[number]
        before = turn.before
        if turn.is_other and not turn.is_stopped:
            return self._run_other(number, turn)
        if before.failure is not None:
            return False
        if turn.is_stopped:
            self._become_stale(before.wrote, f"it is no longer filled: {text.place} does not run", text.place)
            return False
        touched = before.names & self._touched
        if number in self._forced or (touched and self._may_notice(before, touched)):
            mark = self._catalogue.mark()
            return self._takes(number, run(self._catalogue, text, statements=turn.statements), mark)
        return True

    def _may_notice(self, before: Ran, touched: set[str]) -> bool:
        """Whether a text may run otherwise over relations that are otherwise: not where they only gain or lose
        columns that it never names, neither as theirs nor as others', and of which it does not take all."""
        if before.has_star or touched & (before.whole | self._world.shown):
            return True
        columns: set[str] = set()
        for name in touched:
            now, was = self._catalogue.find(name), self._world.shape(name)
            if now is None or was is None or now.number != self._world.number(name):
                return True
            columns.update(set(now.columns).symmetric_difference(was))
        return not columns or not columns.isdisjoint(before.words)

    def _takes(self, number: int, ran: Ran, mark: int) -> bool:
        """Take what running a text did, from a mark on; return whether it works."""
        turn = self._turns[number]
        if ran.failure is not None:
            self._broken[number] = ran.failure
            self._become_stale(
                turn.before.wrote, f"it is no longer filled: {turn.text.place} fails", turn.text.place
            )
            return False
        self._ran[number] = ran
        self._touched |= {name for name in self._catalogue.touched_since(mark) if self._world.differs(name)}
        return True

    def _run_other(self, number: int, turn: _Turn) -> bool:
        """Run a text that is edited or added, and find out what it makes otherwise."""
        mark = self._catalogue.mark()
        steps = Steps(self._catalogue, self._world.identities, turn.forms)
        if not self._takes(number, run(self._catalogue, turn.text, steps=steps), mark):
            return False
        self._edits[number] = compare(turn.steps, steps.taken, turn.forms)
        self._edits[number].everything |= not turn.was_clear
        return True

    def _become_stale(self, subjects: Iterable[str], reason: str, because: str) -> None:
        """Note of some that they go stale, and why, unless that is known already."""
        for subject in sorted(subjects):
            self._stale.setdefault(subject, Becoming(Kind.STALE, subject, reason, because=because))

    # --- what is made otherwise ------------------------------------------------------------------------

    def _is_otherwise(self, subject: str, columns: Columns, does: str, because: str, place: str = "") -> None:
        """Note that rows or values of something may be others than before, as it does something with what is.

        place: of the text that makes it, which may be the very one that is edited.
        """
        known = self._other.get(subject)
        if known is None:
            reason = f"{does} {because}, which is made otherwise"
            if because == place:
                reason = "its query is edited" if subject == place else f"{place}, as edited, makes it otherwise"
            known = Becoming(Kind.VALUES, subject, reason, because=None if subject == place == because else because)
        if columns is None or known.kind is Kind.ROWS:
            self._other[subject] = replace(known, kind=Kind.ROWS, columns=())
        else:
            self._other[subject] = replace(known, columns=tuple(sorted(columns.union(known.columns))))

    def _made(self, ran: Ran, place: str, edit: Edit | None) -> dict[str, tuple[Columns, str]]:
        """Return what a text fills with something else than before: the columns, and what these come from.

        edit: what it makes otherwise of its own, where it is edited.
        """
        own = edit or Edit()
        made: dict[str, Columns] = dict.fromkeys(own.whole)
        made |= {name: _either(made.get(name, _NOTHING), columns) for name, columns in own.filled.items()}
        if own.everything:
            made |= dict.fromkeys(ran.filled)
        first = dict.fromkeys(made, place)
        for at, flow in enumerate(ran.flows):
            columns, other = self._through(flow, made)
            if at in own.flows:
                columns, other = _either(columns, own.flows[at]), place
            if flow.target is not None and other is not None:
                made[flow.target] = _either(made.get(flow.target, _NOTHING), columns)
                # Of what was made of a temporary one, people are told where that came from.
                first.setdefault(flow.target, first.get(other, other))
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
            place = self._turns[number].text.place
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
        yield from (one for name, one in self._late.items() if name not in self._stale and not self._is_gone(name))
        broken = {self._turns[number].text.place for number in self._broken}
        places = {turn.text.place for turn in self._turns}
        for one in self._other.values():
            is_new = one.subject not in places and self._world.shape(one.subject) is None
            if one.subject not in self._stale and one.subject not in broken and not self._is_gone(one.subject):
                if not is_new:
                    yield one

    def _is_gone(self, name: str) -> bool:
        return self._world.shape(name) is not None and self._catalogue.find(name) is None

    def _look_through_views(self) -> None:
        """Note what is stale or otherwise in views: they show what they are made of, without being run."""
        if not (self._stale or self._late or self._is_any_otherwise()):
            return
        views = [one for one in self._catalogue if one.is_query]
        stale = {one.name: self._first(self._names(one.reads), self._stale) for one in views}
        for name, older in stale.items():
            if older is not None:
                self._become_stale([name], f"it shows {older}, which is stale", older)
        for view in views:
            older = self._first(self._names(view.reads), self._late)
            if older is not None and view.name not in self._late:
                self._late[view.name] = Becoming(
                    Kind.LATE, view.name, f"it shows {older}, which comes late", because=older
                )
        seen: dict[str, Columns] = {}
        for view in views:
            columns = self._seen(view.name, seen)
            if (columns is None or columns) and view.name not in self._edited.keys() | self._other.keys():
                other = self._first(self._names(view.reads), self._edited.keys() | self._other.keys())
                self._is_otherwise(view.name, columns, "it shows", other or view.name)


def _either(one: Columns, other: Columns) -> Columns:
    """What is otherwise where either is."""
    return None if one is None or other is None else one | other


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
