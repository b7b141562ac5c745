"""What breaks if this is changed: the simulation over a database as the store has it."""

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from difflib import get_close_matches
from typing import Any

from jalan.change.meaning import QueryDifference
from jalan.change.outcome import Becoming, Outcome
from jalan.change.proposal import NotSimulated, check
from jalan.change.ran import Failure, Text
from jalan.service.change.answers import (
    ChangeOutcome,
    ChangeTarget,
    ChangeText,
    ColumnEdit,
    ConsequenceFact,
    EditFact,
    FailureFact,
    RowEdit,
    UntouchedFact,
)
from jalan.service.change.concerned import concerned_people, concerned_reports
from jalan.service.change.proposed import ProposedChange
from jalan.service.change.world import DatabaseWorld, databases, world_of
from jalan.service.context import Context
from jalan.service.errors import Invalid, NotFound
from jalan.sql.dialects import UnknownDialect, get_dialect
from jalan.sql.grammar.script import Unread, parse

MOST_TEXT = 100_000  # characters
MOST_SHOWN = 1_000  # consequences, and things that are untouched
MOST_EDITED = 2_000_000  # characters, of all edited texts
_MOST_COMPARED = 2_000  # names
_MOST_TOLD = 400  # characters of an expression
_UNCLEAR = "What differs cannot be told; all that it shows may."
_AROUND = 2  # lines of a text shown around the characters that fail


def targets(context: Context) -> list[ChangeTarget]:
    """Return the databases that changes can be simulated in."""
    return [
        ChangeTarget(system=system.namespace, database=database, texts=texts)
        for system, database, texts in databases(context.session)
    ]


def texts_named(context: Context, database: str | None, words: str, limit: int, asked: bool = False) -> list[str]:
    """Return the places of texts that are run and have these words in them. Raises NotFound.

    asked: those of queries that are only asked, too.
    """
    wanted = words.lower().split()
    here = world_of(context, database)
    places = sorted(text.place for text in here.world.texts) if asked else here.run_places()
    return [place for place in places if all(word in place.lower() for word in wanted)][:limit]


def simulate(
    context: Context, asked: ProposedChange, *, may_be_none: bool = False, here: DatabaseWorld | None = None
) -> ChangeOutcome:
    """Return what a change does. Nothing is written. Raises Invalid, NotFound.

    may_be_none: a change that is none is no mistake. here: the world that is changed, that of now where none is
    given.
    Cost: reading again what it touches; the first time after something has changed, the whole database.
    """
    return simulate_in(here or world_of(context, asked.database), asked, context, may_be_none=may_be_none)


def simulate_in(
    here: DatabaseWorld, asked: ProposedChange, context: Context | None = None, *, may_be_none: bool = False
) -> ChangeOutcome:
    """Return what a change does in a world. Raises Invalid, NotFound.

    context: without one nobody tells what datasets are called, and whom it concerns.
    """
    change, edits = asked.sql, asked.edits
    if len(change) > MOST_TEXT:
        raise Invalid(f"change: at most {MOST_TEXT} characters are read")
    if sum(map(len, edits.values())) > MOST_EDITED:
        raise Invalid(f"edits: at most {MOST_EDITED} characters are read in all")
    dialect = _dialect(asked.dialect or here.world.dialect)
    if change.strip() or (asked.is_only_sql and not may_be_none):
        check_change(change, dialect)
    places = {*asked.stopped, *asked.late}
    if unknown := places.difference(here.run_places() if places else ()):
        raise _not_run(min(unknown), here.run_places())
    edited, added = _other_texts(here, edits)
    found = here.world.apart().simulate(
        change,
        stopped=frozenset(asked.stopped),
        edited=edited,
        added=added,
        late=frozenset(asked.late),
        delivers=_delivered(here, asked.delivers),
        dialect=dialect,
    )
    return _Teller(context, here, asked).outcome(added, found)


def _delivered(here: DatabaseWorld, names: Sequence[str]) -> dict[str, frozenset[str] | None]:
    """Return what is delivered otherwise, by relation. Raises NotFound."""
    found: dict[str, frozenset[str] | None] = {}
    for name in names:
        owner, _, column = name.rpartition(".")
        relation = here.world.catalogue.find(owner)
        if here.world.catalogue.find(name) is not None:
            found[name] = None
        elif relation is not None and column in relation.columns:
            known = found.get(owner, frozenset())
            found[owner] = None if known is None else known | {column}
        else:
            hint = _nearest(name, [one.name for one in here.world.catalogue])
            raise NotFound(f"delivers: there is no relation or column “{name[:200]}”{hint}")
    return found


def shown(found: ChangeOutcome) -> ChangeOutcome:
    """Return as much of an outcome as is shown at once: the worst of it."""
    return found.model_copy(
        update={"consequences": found.consequences[:MOST_SHOWN], "untouched": found.untouched[:MOST_SHOWN]}
    )


def text_at(context: Context, database: str | None, place: str) -> ChangeText:
    """Return a text that is run or asked, as it is now. Raises NotFound."""
    here = world_of(context, database)
    text = next((one for one in here.world.texts if one.place == place), None)
    if text is None:
        raise _not_run(place, [one.place for one in here.world.texts])
    return ChangeText(place=place, text=text.text, dialect=text.dialect, asked=text.is_query)


def _other_texts(here: DatabaseWorld, edits: Mapping[str, str]) -> tuple[dict[str, str], list[Text]]:
    """Tell apart texts that are edited and that are added. Raises Invalid where one cannot be read or run."""
    known = {text.place: text for text in here.world.texts} if edits else {}
    edited, added = {}, []
    for place, text in sorted(edits.items()):
        if place in here.not_run:
            raise Invalid(f"edits: {place}: this is a template, which nobody fills in")
        was = known.get(place) or _like(place, here.world.texts)
        _readable(place, text, was.dialect, was.text if place in known else "")
        if place in known:
            edited[place] = text
        else:
            added.append(replace(was, place=place, text=text, is_query=False))
    return edited, added


def _like(place: str, texts: Sequence[Text]) -> Text:
    """A text in the nearest folder: a new one beside it is of its dialect, and looks for names where it does."""
    parts = place.split("/")

    def shared(text: Text) -> int:
        other = text.place.split("/")
        return next((n for n, pair in enumerate(zip(parts, other, strict=False)) if pair[0] != pair[1]), len(parts))

    run = [text for text in texts if not text.is_query]
    return max(run, key=shared, default=Text(place, ""))


def _readable(place: str, text: str, dialect: str, before: str) -> None:
    """Refuse a text that has something which cannot be read, and which was not in it before."""
    known = {node.message for node in parse(before, get_dialect(dialect)) if isinstance(node, Unread)}
    for node in parse(text, get_dialect(dialect)):
        if isinstance(node, Unread) and node.message not in known:
            line = text.count("\n", 0, node.span[0]) + 1
            raise Invalid(f"edits: {place}: line {line}: {node.message}")


def _not_run(place: str, known: Sequence[str]) -> NotFound:
    return NotFound(f"no text is run that is called “{place[:200]}”{_nearest(place, known)}")


def _nearest(name: str, known: Sequence[str]) -> str:
    """The known name that is most like another one, in words; nothing where none is."""
    nearest = get_close_matches(name, known[:_MOST_COMPARED], 1)
    return f"; there is “{nearest[0]}”" if nearest else ""


def _dialect(name: str) -> str:
    try:
        return get_dialect(name).name
    except UnknownDialect as error:
        raise Invalid(f"dialect: {error}") from error


def check_change(change: str, dialect: str) -> None:
    """Raise Invalid, with the line, where it is no change, cannot be read, or nobody can tell what it does."""
    try:
        check(change, dialect)
    except NotSimulated as error:
        line = change.count("\n", 0, error.start) + 1
        raise Invalid(f"change: line {line}: {error}") from error


class _Teller:
    def __init__(self, context: Context | None, here: DatabaseWorld, asked: ProposedChange) -> None:
        self._context, self._here, self._asked, self._edits = context, here, asked, asked.edits
        self._asked_texts = {text.place for text in here.world.texts if text.is_query}

    def outcome(self, added: Sequence[Text], found: Outcome) -> ChangeOutcome:
        """Return an outcome with what its names stand for."""
        subjects = {one.subject for one in found.consequences}
        ids = {self._dataset(one) for one in (*subjects, *found.untouched)} - {None}
        context = self._context
        infos = {} if context is None else context.names.datasets([id_ for id_ in ids if id_ is not None])
        consequences = [self._fact(one, infos) for one in found.consequences]
        return ChangeOutcome(
            change=self._asked.sql,
            stopped=self._asked.stopped,
            edited=sorted(self._edits.keys() - {text.place for text in added}),
            added=[text.place for text in added],
            late=self._asked.late,
            delivers=self._asked.delivers,
            system=self._here.system,
            database=self._here.database,
            refused=found.refused,
            edits=[self._edit(name, differs) for name, differs in sorted(found.differs.items())],
            consequences=consequences,
            consequences_total=len(consequences),
            counts=dict(Counter(one.kind for one in consequences)),
            untouched=[
                UntouchedFact(subject=one, what=self._what(one, infos), dataset=self._dataset(one))
                for one in found.untouched
            ],
            untouched_total=len(found.untouched),
            reachable=len(subjects | set(found.untouched)),
            reports=[] if context is None else concerned_reports(context, self._here, consequences),
            people=[] if context is None else concerned_people(context, self._here, found),
            failing=found.failing,
            not_run=self._here.not_run,
            version=0 if context is None else context.graph.version,
        )

    def _dataset(self, subject: str) -> int | None:
        row = self._here.texts.get(subject)
        if row is not None:
            return int(row.dataset_id) if row.dataset_id is not None else None
        return self._here.datasets.get(subject)

    def _what(self, subject: str, infos: dict[int, Any]) -> str:
        row = self._here.texts.get(subject)
        if row is not None and row.dataset_id is not None:
            info = infos.get(row.dataset_id)
            return str(info.kind) if info is not None else "report"
        if row is not None or subject in self._edits:
            return "report" if subject in self._asked_texts else "job"
        info = infos.get(self._here.datasets.get(subject, -1))
        if info is not None:
            return str(info.kind)
        relation = self._here.world.relations.find(subject)
        return relation.kind if relation is not None else "table"

    def _edit(self, name: str, differs: QueryDifference | None) -> EditFact:
        told = differs or QueryDifference()
        return EditFact(
            subject=name,
            dataset=self._dataset(name),
            clear=differs is not None,
            safe=differs is not None and differs.is_safe,
            sentence=_UNCLEAR if differs is None else differs.in_words(),
            columns=[
                ColumnEdit(
                    name=one.name, kind=one.kind, before=one.before[:_MOST_TOLD], after=one.after[:_MOST_TOLD]
                )
                for one in told.columns
            ],
            rows=[RowEdit(part=one.part, came=_short(one.came), went=_short(one.went)) for one in told.rows],
        )

    def _fact(self, one: Becoming, infos: dict[int, Any]) -> ConsequenceFact:
        row = self._here.texts.get(one.subject)
        dataset = self._dataset(one.subject)
        info = infos.get(dataset) if dataset is not None else None
        return ConsequenceFact(
            kind=one.kind.value,
            subject=one.subject,
            what=self._what(one.subject, infos),
            reason=one.reason,
            dataset=dataset,
            definition=None if row is None else row.id,
            owner=None if info is None else info.owner,
            because=one.because,
            columns=list(one.columns),
            failure=None if one.failure is None else self._failure(one.subject, one.failure),
        )

    def _failure(self, place: str, failure: Failure) -> FailureFact | None:
        """The failure with the lines around it, and where it stands in these."""
        row = self._here.texts.get(place)
        text = self._edits.get(place, row.text if row is not None else None)
        if text is None:
            return None
        start, end = failure.span
        lines = text.split("\n")
        line = text.count("\n", 0, start)
        first = max(0, line - _AROUND)
        before = sum(len(one) + 1 for one in lines[:first])
        last = text.count("\n", 0, max(start, end)) + _AROUND + 1
        shown = "\n".join(lines[first : min(last, first + 40)])
        return FailureFact(
            message=failure.message,
            start=max(0, start - before),
            end=max(0, min(end - before, len(shown))),
            text=shown,
            first_line=(row.first_line if row is not None else 1) + first,
        )


def _short(texts: Iterable[str]) -> list[str]:
    return [text[:_MOST_TOLD] for text in texts]
