"""What a change does to all that is run and asked after it: which texts fail, what is no longer filled because of
that, what has other columns, what is gone, and what stays as it is although it lies downstream."""

from collections import Counter
from collections.abc import Container, Hashable, Iterable, Mapping, Sequence
from copy import copy
from dataclasses import dataclass, field, replace

from jalan.change.actions import ColumnChange, Does, read_action
from jalan.change.catalogue import Catalogue
from jalan.change.edits import ASKED, Columns, Edit, compare
from jalan.change.meaning import Forms, QueryDifference
from jalan.change.otherwise import Otherwise, either
from jalan.change.outcome import Becoming, Kind, Outcome
from jalan.change.ran import Failure, Flow, Ran, ReadStatement, Text, read_statements
from jalan.change.routines import RoutineReading, read_by, read_routine
from jalan.change.running import run
from jalan.change.seen import Relations
from jalan.change.steps import Identities, Steps, TextStep
from jalan.change.stored import POSTGRESQL, TEMPORARY, VIEW, StoredRelation, StoredRoutine
from jalan.change.types import TypeName
from jalan.sql import tree

_RANKS = {kind: n for n, kind in enumerate(Kind)}


class World:
    """A catalogue with the texts that are run over it, in the order in which they are run, again and again.

    Each text runs in one transaction; after one that fails the next ones go on. relations: what there is without
    any change, also while one is simulated. dialect: that of most texts.
    """

    def __init__(self, catalogue: Catalogue, texts: Sequence[Text]) -> None:
        self.catalogue = catalogue
        self.texts = list(texts)
        before = {one.name: one for one in catalogue}
        self.statements = [read_statements(text) for text in self.texts]
        self.ran = [self._run(number) for number in range(len(self.texts))]
        if {one.name for one in catalogue} != before.keys():
            # That was the first night: from now on each drops what the one before has made.
            self.ran = [self._run(number) for number in range(len(self.texts))]
        for one in catalogue:
            # What a text has made anew has the types that it had.
            was = before.get(one.name)
            if was is not None and was is not one:
                catalogue.know_types(one, {column: was.type_of(column) for column in one.columns})
        self.dialect = Counter(text.dialect for text in self.texts).most_common(1)[0][0] if texts else POSTGRESQL
        self._misfits: dict[int, bool] = {}
        self._retyped: dict[str, tuple[StoredRelation, dict[str, tuple[TypeName, TypeName]]]] = {}
        self._before = {one.name: one for one in catalogue}
        self._routines: dict[str, dict[str, str]] = {}
        for routine in catalogue.routines:
            self._routines.setdefault(routine.name, {})[routine.signature] = routine.text
        self.identities = Identities(self._before)
        self.relations = Relations(self._before)
        called = {number for one in catalogue for number in one.called}
        self._uses = {
            one.signature: {self.identities.column(*use) for use in read_routine(one, catalogue).uses}
            for one in catalogue.routines
            if one.number in called
        }
        self._readers: dict[str, set[str]] = {}
        self._next: dict[str, set[str]] = {}
        self._look_downstream()
        self.shown = {one.remote for one in catalogue if one.remote is not None}

    def apart(self) -> "World":
        """Return the same world with a catalogue of its own: what one asks of it, nobody else has to wait for."""
        found = copy(self)
        found.catalogue, found._retyped = self.catalogue.copy(), {}
        return found

    def _run(self, number: int) -> Ran:
        return run(self.catalogue, self.texts[number], statements=self.statements[number], is_usual=True)

    def _look_downstream(self) -> None:
        """Note of each relation the places of the texts that read it, and the relations one step further."""
        for relation in self.catalogue:
            over = (one.name for one in self.catalogue.hanging_on(relation.number))
            self._next.setdefault(relation.name, set()).update(over)
            if relation.remote is not None:
                self._next.setdefault(relation.remote, set()).add(relation.name)
            for name in read_by(self.catalogue, relation) if relation.calls else ():
                self._next.setdefault(name, set()).add(relation.name)
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
        dialect: str | None = None,
    ) -> Outcome:
        """Return what a change does, written as SQL. Nothing is changed by asking.

        stopped: places of texts that are not run any more. edited: places of texts, with what they are instead.
        added: texts that are run too, each behind those that fill what it reads. late: places of texts that are run
        after all others. delivers: names of relations into which something else comes, from outside: the columns
        that hold other values, none where other rows come. dialect: that the change is written in, by default that
        of most texts.
        """
        asked = Text("the change", change, tuple(search_path), dialect or self.dialect)
        statements = read_statements(asked)
        typed = bool(edited or added) or any(_may_retype(one, asked) for one in statements)
        mark = self.catalogue.mark()
        while True:
            every = zip(self.texts, self.ran, self.statements, strict=True)
            night = [_Turn(text, ran, read, text.place in stopped, text.place in late) for text, ran, read in every]
            for number, turn in enumerate(night):
                turn.typed = typed and not self._misfits.get(number, False)
                if edited and turn.text.place in edited:
                    turn.was, turn.text = turn.text, replace(turn.text, text=edited[turn.text.place])
                    turn.is_other, turn.statements = True, None
                    self._take_steps(turn)
            numbers = {turn.text.place: number for number, turn in enumerate(night)}
            try:
                for text in added:
                    night.insert(self._place_of(text), _Turn(text, Ran(), None, is_other=True, typed=typed))
                outcome = _Simulation(self, mark, night, delivers or {}).outcome(asked, typed)
            finally:
                self.catalogue.back_to(mark)
            misfits = [one.subject for one in outcome.consequences if one.failure and one.failure.is_misfit]
            # Of a text that works, and whose types we say do not fit, we know too little: they are let alone.
            before = [self._is_misfit(numbers[place]) for place in misfits if place in numbers]
            if not any(before):
                return outcome

    def _is_misfit(self, number: int) -> bool:
        """Whether the types in a text are said not to fit as it is, where everything is as before."""
        if number not in self._misfits:
            mark = self.catalogue.mark()
            ran = run(self.catalogue, self.texts[number], statements=self.statements[number], typed=True)
            self.catalogue.back_to(mark)
            self._misfits[number] = ran.failure is not None and ran.failure.is_misfit
        return self._misfits[number]

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
        shape = None if now is None else list(now.columns)
        return shape != self.shape(name) or bool(self.retyped(name)) or self.calls_other(name)

    def calls_other(self, name: str) -> bool:
        """Whether who calls a routine gets another one than without the change. name: its signature, or the name
        of several."""
        was = self._routines.get(name.partition("(")[0], {})
        now = self._routines_now(name)
        return any(now.get(one) != was.get(one) for one in self.signatures(name))

    def means_other(self, routine: StoredRoutine, reading: RoutineReading) -> bool:
        """Whether names in the body of a routine stand for other columns than without the change."""
        usual = self._uses.get(routine.signature)
        now = {self.identities.column(*one, self.catalogue) for one in reading.uses}
        return usual is not None and usual != now

    def signatures(self, name: str) -> set[str]:
        """Return the signatures of the routines of a name, those that there are and those that there were."""
        plain, _, arguments = name.partition("(")
        several = {*self._routines.get(plain, ()), *self._routines_now(name)}
        return several & {name} if arguments else several

    def _routines_now(self, name: str) -> dict[str, str]:
        return {one.signature: one.text for one in self.catalogue.routines.of_name(name.partition("(")[0])}

    def retyped(self, name: str) -> dict[str, tuple[TypeName, TypeName]]:
        """Return the columns of a relation that have another type than without the change: before and now."""
        was, now = self._before.get(name), self.catalogue.find(name)
        if was is None or now is None or was.types is now.types:
            return {}
        known = self._retyped.get(name)
        if known is None or known[0] is not now:
            pairs = ((column, was.type_of(column), now.type_of(column)) for column in now.columns)
            found = {column: (one, other) for column, one, other in pairs if one and other and one != other}
            known = self._retyped[name] = (now, found)
        return known[1]

    def number(self, name: str) -> int | None:
        """Return the number that a relation has without the change, none where it is not there."""
        before = self._before.get(name)
        return None if before is None else before.number

    def shape(self, name: str) -> list[str] | None:
        """Return the columns that a relation has without the change, none where it is not there."""
        before = self._before.get(name)
        return None if before is None else list(before.columns)


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
    typed: bool = False
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
        self._otherwise = Otherwise(world.catalogue, {}, world.means_other)
        self._forced: set[int] = set()
        self._ran = [turn.before for turn in night]
        self._own: set[str] = set()
        self._edits: dict[int, Edit] = {}

    def outcome(self, change: Text, typed: bool) -> Outcome:
        """Make the change, run what it touches, and say what became of everything. typed: types count."""
        usual = [turn for turn in self._turns if turn.before.failure is not None and not turn.is_other]
        found = Outcome(failing=[turn.text.place for turn in usual])
        made = run(self._catalogue, change, compares=True, typed=typed)
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
                elif name not in (ASKED, *found) and not self._is_new(name):
                    found[name.removeprefix(f"{TEMPORARY}.")] = differs
        return found

    def _is_new(self, name: str) -> bool:
        """Whether a relation is one that there was not: nothing can be otherwise in it."""
        return not name.startswith(f"{TEMPORARY}.") and self._world.shape(name) is None

    def _night_after(self, made: Ran, after: int) -> bool:
        """Run what a change touches, from the mark after it; return whether it has to be done once more.

        What a text makes may be dropped by one before it, night after night. Where it fails it is gone, then: so
        that one has to be run as well.
        """
        self._catalogue.back_to(after)
        self._touched = set(self._own)
        filled = (name for name in made.filled if self._world.shape(name) is not None)
        changed = {
            name: _changed(made.differs[name]) if name in made.differs else made.retyped.get(name)
            for name in filled
        }
        self._otherwise = Otherwise(self._catalogue, {**changed, **self._delivers}, self._world.means_other)
        self._note_routines(self._own)
        self._broken, self._stale, self._late, self._edits = {}, {}, {}, {}
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
        changed = self._otherwise.made(ran, text.place, self._edits.get(number))
        # What is made anew from what has not changed is as before, whatever a change has put there.
        self._otherwise.heal(ran.anew - changed.keys())
        for name, (columns, other) in changed.items():
            self._otherwise.note(
                name, columns, f"{text.place} fills it from", other, text.place, number in self._edits
            )
        if number in self._edits or ran.called or self._turns[number].before.called:
            self._let_go(number, text.place)

    def _waits(self, number: int, place: str, ran: Ran) -> None:
        """Note what comes late, and what is made before it has come."""
        if self._turns[number].is_late:
            for name in ran.wrote:
                self._become_late(name, f"it is filled when {place} has run, after the others", place)
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
                self._otherwise.note(name, None, "", place, place)
            else:
                self._become_stale([name], f"it is no longer filled: {place} does not do it any more", place)

    def _asked(self, number: int, text: Text) -> None:
        if not self._again(number, text):
            return
        ran = self._ran[number]
        if older := self._first(ran.read, self._stale):
            self._become_stale([text.place], f"it reads {older}, which is stale", older)
        elif older := self._first(ran.read, self._late):
            self._become_late(text.place, f"it reads {older}, which comes late", older)
        edit = self._edits.get(number, Edit())
        for at, flow in enumerate(ran.flows):
            columns, other = self._otherwise.through(flow, dict.fromkeys(ran.switched))
            if edit.everything or at in edit.flows:
                columns, other = either(columns, edit.flows.get(at)), text.place
            elif at in ran.captured:
                columns, other = either(columns, ran.captured[at]), text.place
            if other is not None:
                is_edited = number in self._edits
                self._otherwise.note(text.place, columns, "it reads", other, text.place, is_edited)

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
            ran = run(self._catalogue, text, statements=turn.statements, typed=turn.typed)
            return self._takes(number, ran, mark)
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
            if now.must_give or now.lost_keys:
                return True
            columns.update(set(now.columns).symmetric_difference(was), self._world.retyped(name))
        # Words are in lower case, whatever names are folded to.
        return not columns or not before.words.isdisjoint(column.lower() for column in columns)

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
        if not turn.is_other:
            ran.switched = ran.called - turn.before.called
            ran.captured = self._captured(turn.before.flows, ran.flows)
        touched = self._catalogue.touched_since(mark)
        self._touched |= {name for name in touched if self._world.differs(name)}
        self._note_routines(touched)
        return True

    def _captured(self, before: Sequence[Flow], now: Sequence[Flow]) -> dict[int, Columns]:
        """In which flows of a text, that is as it was, names stand for other columns than before."""
        found: dict[int, Columns] = {}
        identities = self._world.identities

        def were(sources: Iterable[tuple[str, str]]) -> set[Hashable]:
            return {identities.column(*one) for one in sources}

        def are(sources: Iterable[tuple[str, str]]) -> set[Hashable]:
            return {identities.column(*one, self._catalogue) for one in sources}

        for at, (was, is_) in enumerate(zip(before, now, strict=False)):
            if were(was.rows) != are(is_.rows):
                found[at] = None
                continue
            both = was.columns.keys() & is_.columns.keys()
            columns = {name for name in both if were(was.columns[name]) != are(is_.columns[name])}
            if columns:
                found[at] = frozenset(columns)
        return found

    def _note_routines(self, names: Iterable[str]) -> None:
        """Note of what was made or dropped which routines do something else: who calls one may get other rows."""
        if self._catalogue.routines:
            routines = {one for name in names for one in self._world.signatures(name)}
            self._otherwise.heal(routines)
            self._otherwise.given |= {name: None for name in sorted(routines) if self._world.calls_other(name)}

    def _run_other(self, number: int, turn: _Turn) -> bool:
        """Run a text that is edited or added, and find out what it makes otherwise."""
        mark = self._catalogue.mark()
        steps = Steps(self._catalogue, self._world.identities, turn.forms)
        if not self._takes(number, run(self._catalogue, turn.text, steps=steps, typed=turn.typed), mark):
            return False
        self._edits[number] = compare(turn.steps, steps.taken, turn.forms)
        self._edits[number].everything |= not turn.was_clear
        return True

    def _become_stale(self, subjects: Iterable[str], reason: str, because: str) -> None:
        """Note of some that they go stale, and why, unless that is known already."""
        for subject in sorted(subjects):
            self._stale.setdefault(subject, Becoming(Kind.STALE, subject, reason, because=because))

    def _become_late(self, subject: str, reason: str, because: str) -> None:
        """Note of something that it comes late, and why, unless that is known already."""
        self._late.setdefault(subject, Becoming(Kind.LATE, subject, reason, because=because))

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
                waiting += sorted(self._below(relation), reverse=True)
        return None

    def _below(self, view: StoredRelation) -> list[str]:
        """The names of what a view shows, also by way of the routines that it calls."""
        several = (self._catalogue.by_number(number) for number in view.reads)
        called = read_by(self._catalogue, view) if view.calls else ()
        return [*(one.name for one in several if one is not None), *called]

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
            if name not in self._own and before is not None and now is not None:
                retyped = self._world.retyped(name)
                if before != list(now.columns) or retyped:
                    yield Becoming(Kind.SHAPE, name, _other_shape(before, list(now.columns), retyped))
        self._look_through_views()
        yield from (one for one in self._stale.values() if not self._is_gone(one.subject))
        yield from (one for name, one in self._late.items() if name not in self._stale and not self._is_gone(name))
        broken = {self._turns[number].text.place for number in self._broken}
        places = {turn.text.place for turn in self._turns}
        for one in self._otherwise.found.values():
            is_new = one.subject not in places and self._world.shape(one.subject) is None
            if one.subject not in self._stale and one.subject not in broken and not self._is_gone(one.subject):
                if not is_new:
                    yield one

    def _is_gone(self, name: str) -> bool:
        return self._world.shape(name) is not None and self._catalogue.find(name) is None

    def _look_through_views(self) -> None:
        """Note what is stale or otherwise in views: they show what they are made of, without being run."""
        if not (self._stale or self._late or self._otherwise.is_any):
            return
        views = [one for one in self._catalogue if one.is_query]
        stale, late = (
            {one.name: name for one in views if (name := self._first(self._below(one), among)) is not None}
            for among in (self._stale, self._late)
        )
        for name, older in stale.items():
            self._become_stale([name], f"it shows {older}, which is stale", older)
        for name, older in late.items():
            self._become_late(name, f"it shows {older}, which comes late", older)
        seen: dict[str, Columns] = {}
        for view in views:
            columns = self._otherwise.seen(view.name, seen)
            others = self._otherwise.names()
            if (columns is None or columns) and view.name not in others:
                other = self._first(self._below(view), others)
                self._otherwise.note(view.name, columns, "it shows", other or view.name)


def _changed(differs: QueryDifference | None) -> Columns:
    """What of a view is otherwise, by what differs in its query."""
    if differs is None or differs.rows or differs.order:
        return None
    return differs.values()


def _may_retype(read: ReadStatement, text: Text) -> bool:
    """Whether a statement may give a column another type."""
    if isinstance(read.node, tree.Alter):
        done = (read_action(action, text.text, text.dialect) for action in read.node.actions)
        return any(isinstance(one, ColumnChange) and one.does is Does.RETYPES for one in done)
    return not isinstance(read.node, tree.Drop | tree.Truncate)


def _other_shape(
    before: Sequence[str], now: Sequence[str], retyped: Mapping[str, tuple[TypeName, TypeName]]
) -> str:
    gained, lost = [one for one in now if one not in before], [one for one in before if one not in now]
    parts = []
    if gained:
        parts.append(f"it gains {', '.join(gained)}")
    if lost:
        parts.append(f"it loses {', '.join(lost)}")
    parts += [f"{column} is {new} instead of {old}" for column, (old, new) in sorted(retyped.items())]
    return " and ".join(parts) or "its columns stand in another order"
