"""Baselines: states of all texts under a name, held against one another, and what was taken over into them."""

from collections.abc import Collection
from datetime import UTC, datetime

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from jalan.service.change.answers import (
    BaselineComparison,
    BaselineDifference,
    BaselineFact,
    ComparedTexts,
    KeptState,
    TakenFact,
    TakenPage,
    TakenTexts,
)
from jalan.service.change.proposed import ProposedChange
from jalan.service.change.revisions import side_of_revision
from jalan.service.change.sides import DifferingText, Side, differing, side_of
from jalan.service.change.simulate import shown, simulate
from jalan.service.change.world import DatabaseWorld, chosen_database, world_of, world_of_side
from jalan.service.context import Context
from jalan.service.cursors import pack, unpack
from jalan.service.errors import Conflict, Invalid, NotFound
from jalan.service.history.lines import compared
from jalan.store.schema import Baseline, BaselineText, KeptChange, System

_MOST_SIMULATED = 500  # texts
_PAGE = 50
_MOST_BASELINES = 200
_SETTLED = (KeptState.REVIEWED, KeptState.DONE)


def baselines(context: Context) -> list[BaselineFact]:
    """Return all baselines by their names."""
    taken = (
        select(BaselineText.baseline_id, func.count().label("taken"), func.max(BaselineText.taken_at).label("last"))
        .group_by(BaselineText.baseline_id)
        .subquery()
    )
    query = (
        select(Baseline, System.namespace, func.coalesce(taken.c.taken, 0), taken.c.last)
        .join(System, System.id == Baseline.system_id)
        .outerjoin(taken, taken.c.baseline_id == Baseline.id)
        .order_by(Baseline.name)
    )
    return [
        BaselineFact(
            id=row.id,
            name=row.name,
            system=namespace,
            database=row.database,
            at=row.at,
            protected=row.protected,
            made_at=row.made_at,
            made_by=row.made_by,
            taken=count,
            last_taken=last,
        )
        for row, namespace, count, last in context.session.execute(query)
    ]


def keep_baseline(
    context: Context, name: str, database: str | None, protected: bool, at: datetime | None = None
) -> int:
    """Keep the state of all texts under a name, as it is, or was at a time; return its id. Raises Invalid,
    NotFound, Conflict."""
    system, database = chosen_database(context, database)
    now = datetime.now(UTC)
    if at is not None and at > now:
        raise Invalid("at: that time is still to come")
    with context.changing() as session:
        if (session.scalar(select(func.count()).select_from(Baseline)) or 0) >= _MOST_BASELINES:
            raise Conflict(f"there are {_MOST_BASELINES} baselines already: let one go before")
        row = Baseline(
            name=_free(session, name), system_id=system.id, database=database, at=at or now, protected=protected,
            made_at=now, made_by=context.who,
        )  # fmt: skip
        session.add(row)
        session.flush()
        return row.id


def change_baseline(context: Context, baseline: int, name: str | None, protected: bool | None) -> None:
    """Give a baseline another name, or protect it, or no more. Raises Invalid, NotFound, Conflict."""
    with context.changing() as session:
        row = _row(session, baseline)
        if name is not None and " ".join(name.split()) != row.name:
            row.name = _free(session, name)
        if protected is not None:
            row.protected = protected


def let_baseline_go(context: Context, baseline: int, confirmed: bool) -> None:
    """Keep a baseline no longer, nor what was taken over into it. Raises NotFound, Conflict."""
    with context.changing() as session:
        row = _row(session, baseline)
        _allowed(row, confirmed)
        session.delete(row)


def compare(context: Context, left: str, right: str) -> BaselineComparison:
    """Return what two states have otherwise, and what would become of everything if the first became the second.

    A state is the id of a baseline, 0 for how it is now, or ``source@revision``. Raises Invalid, NotFound,
    SourceError.

    Cost: what differs, and the world of the first.
    """
    one, other = _both(context, left, right)
    texts, total = differing(context.session, one, other, _MOST_SIMULATED)
    outcome = None
    if total <= _MOST_SIMULATED:
        here = _world(context, one)
        stopped = [_label(here, text) for text in texts if text.right is None and not text.asked]
        edits = {_label(here, text): text.right for text in texts if text.right is not None}
        asked = ProposedChange(database=one.database, stopped=stopped, edits=edits)
        outcome = shown(simulate(context, asked, may_be_none=True, here=here))
    return BaselineComparison(
        left=one.name,
        right=other.name,
        database=one.database,
        differences=[BaselineDifference(place=text.place, what=_what(text), asked=text.asked) for text in texts],
        total=total,
        outcome=outcome,
    )


def texts_of(context: Context, left: str, right: str, place: str) -> ComparedTexts:
    """Return a text that two states have otherwise, as each has it. Raises Invalid, NotFound, SourceError."""
    one, other = _both(context, left, right)
    texts, _ = differing(context.session, one, other, _MOST_SIMULATED)
    text = next((text for text in texts if text.place == place), None)
    if text is None:
        raise NotFound(f"nothing is otherwise in “{place[:200]}”")
    lines, short = compared(text.left or "", text.right or "")
    return ComparedTexts(place=place, lines=lines, short=short)


def take(
    context: Context,
    baseline: int,
    change: int | None,
    other: str,
    places: Collection[str] | None,
    confirmed: bool,
) -> TakenTexts:
    """Take texts over into a baseline: those of a kept change that is reviewed, or those that another state has
    otherwise. other: that state, as ``compare`` takes it. places: which of them; all where none are given.
    confirmed: that it is meant, where the baseline is protected. Raises Invalid, NotFound, Conflict."""
    with context.changing() as session:
        row = session.get(Baseline, baseline, with_for_update=True)
        if row is None:
            raise NotFound(f"there is no baseline {baseline}")
        _allowed(row, confirmed)
        if change is not None:
            texts, source, by_hand = _of_change(context, session, row, change)
        else:
            mine, theirs = _both(context, str(baseline), other)
            found, total = differing(session, mine, theirs, _MOST_SIMULATED)
            if places is None and total > len(found):
                raise Invalid(f"places: {total} texts differ; at most {_MOST_SIMULATED} are taken over at once")
            texts = [(text.key, text.place, text.right) for text in found]
            source, by_hand = theirs.name, ""
        if places is not None:
            known = {place for _, place, _ in texts}
            if unknown := sorted(set(places) - known):
                raise NotFound(f"places: nothing is otherwise in “{unknown[0][:200]}”")
            texts = [one for one in texts if one[1] in places]
        now = datetime.now(UTC)
        session.add_all(
            BaselineText(
                baseline_id=row.id, key=key, place=place, text=text, taken_at=now, who=context.who, source=source
            )
            for key, place, text in texts
        )
        return TakenTexts(taken=len(texts), by_hand=by_hand)


def taken(context: Context, baseline: int, cursor: str | None) -> TakenPage:
    """Return what was taken over into a baseline, the latest first. Raises NotFound, BadCursor."""
    _row(context.session, baseline)
    query = select(BaselineText).where(BaselineText.baseline_id == baseline)
    if cursor is not None:
        (last,) = unpack(cursor, "what was taken over", int)
        query = query.where(BaselineText.id < last)
    rows = context.session.scalars(query.order_by(BaselineText.id.desc()).limit(_PAGE + 1)).all()
    return TakenPage(
        items=[
            TakenFact(
                id=one.id,
                place=one.place,
                gone=one.text is None,
                taken_at=one.taken_at,
                who=one.who,
                source=one.source,
            )
            for one in rows[:_PAGE]
        ],
        next=pack([rows[_PAGE - 1].id]) if len(rows) > _PAGE else None,
    )


def _of_change(
    context: Context, session: Session, row: Baseline, change: int
) -> tuple[list[tuple[str, str, str | None]], str, str]:
    """The texts of a kept change as (key, place, text), where they are from in words, and what is to be run by
    hand."""
    kept = session.get(KeptChange, change)
    if kept is None:
        raise NotFound(f"no change {change} is kept")
    if KeptState(kept.state) not in _SETTLED:
        raise Conflict(f"“{kept.name}” is {kept.state}; say that it is reviewed, then it can be taken over")
    if kept.database != row.database:
        raise Invalid(f"“{kept.name}” changes {kept.database}, the baseline is of {row.database}")
    side = side_of(session, row.id)
    assert side is not None
    keys = {place: text.key for place, text in world_of_side(context, side).texts.items()}
    keys = {**{place: text.key for place, text in world_of(context, row.database).texts.items()}, **keys}
    texts = [(keys.get(place, place), place, text) for place, text in sorted(kept.edits.items())]
    texts += [(keys.get(place, place), place, None) for place in kept.stopped]
    return texts, f"the change “{kept.name}”", kept.sql.strip()


def _both(context: Context, left: str, right: str) -> tuple[Side, Side]:
    kept = [_kept(context, written) for written in (left, right)]
    database = next((side.database for side in kept if side is not None), None)
    sides = zip((left, right), kept, strict=True)
    one, other = (_side(context, written, side, database) for written, side in sides)
    if (one.system, one.database) != (other.system, other.database):
        raise Invalid(f"{one.name} is of {one.database}, {other.name} of {other.database}")
    return one, other


def _kept(context: Context, written: str) -> Side | None:
    return side_of(context.session, int(written)) if written.isdecimal() else None


def _side(context: Context, written: str, kept: Side | None, database: str | None) -> Side:
    source, at, revision = written.partition("@")
    if at and source.isdecimal() and revision.strip():
        return side_of_revision(context, int(source), revision.strip(), database)
    if not written.isdecimal():
        raise Invalid(f"“{written[:100]}” is no state: the id of a baseline, 0 for now, or source@revision")
    system, name = chosen_database(context, database)
    return kept or Side(system=system.id, database=name)


def _world(context: Context, side: Side) -> DatabaseWorld:
    return world_of_side(context, side) if side.baseline else world_of(context, side.database)


def _what(text: DifferingText) -> str:
    return "added" if text.left is None else "taken out" if text.right is None else "edited"


def _label(here: DatabaseWorld, text: DifferingText) -> str:
    """How a world calls a text."""
    if text.place in here.texts:
        return text.place
    return next((label for label, row in here.texts.items() if row.key == text.key), text.place)


def _row(session: Session, baseline: int) -> Baseline:
    row = session.get(Baseline, baseline)
    if row is None:
        raise NotFound(f"there is no baseline {baseline}")
    return row


def _allowed(row: Baseline, confirmed: bool) -> None:
    if row.protected and not confirmed:
        raise Conflict(f"“{row.name}” is protected: confirm that it is meant")


def _free(session: Session, name: str) -> str:
    """A name that no baseline has."""
    named = " ".join(name.split())
    if not named:
        raise Invalid("name: a baseline is kept under a name")
    if session.scalar(select(Baseline.id).where(Baseline.name == named)) is not None:
        raise Conflict(f"there is a baseline “{named}” already")
    return named
