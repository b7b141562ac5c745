"""Changes that are kept under a name: what they did then, what they would do now, and what became of them."""

from collections.abc import Iterable
from datetime import UTC, datetime

from sqlalchemy import func, select
from sqlalchemy.orm import Session, load_only

from jalan.service.change.answers import (
    ChangeOutcome,
    ConsequenceName,
    KeptChangeBrief,
    KeptChangeFact,
    KeptChangeOutcome,
    KeptChangesPage,
    KeptState,
)
from jalan.service.change.proposed import ProposedChange
from jalan.service.change.simulate import shown, simulate
from jalan.service.context import Context
from jalan.service.cursors import pack, unpack
from jalan.service.errors import Invalid, NotFound
from jalan.store.schema import KeptChange

_PAGE = 50
_DIFFERENT = 200
_SHOWN = (
    KeptChange.id, KeptChange.name, KeptChange.who, KeptChange.state, KeptChange.kept_at, KeptChange.database,
    KeptChange.refused, KeptChange.at, KeptChange.changed_by,
)  # fmt: skip


def kept_changes(context: Context, cursor: str | None) -> KeptChangesPage:
    """Return the changes that are kept, the latest first. Raises BadCursor."""
    # A page tells how many consequences there were, and reads neither these nor the texts.
    count = func.jsonb_array_length(KeptChange.outcome)
    query = select(KeptChange, count).options(load_only(*_SHOWN)).order_by(KeptChange.id.desc()).limit(_PAGE + 1)
    if cursor is not None:
        (last,) = unpack(cursor, "changes", int)
        query = query.where(KeptChange.id < last)
    rows = context.session.execute(query).all()
    page = rows[:_PAGE]
    return KeptChangesPage(
        items=[_brief(row, consequences) for row, consequences in page],
        next=pack([page[-1][0].id]) if len(rows) > _PAGE else None,
    )


def keep_change(context: Context, name: str, asked: ProposedChange) -> int:
    """Keep a change with what it does now; returns its id. Raises Invalid, NotFound."""
    named = _name(name)
    found = simulate(context, asked)
    with context.changing() as session:
        now = datetime.now(UTC)
        row = KeptChange(
            name=named, who=context.who, state="proposed", kept_at=now, database=found.database, sql=asked.sql,
            stopped=asked.stopped, edits=asked.edits, late=asked.late, delivers=asked.delivers,
            dialect=asked.dialect, outcome=_names(found), refused=found.refused, at=now, changed_by=context.who,
        )  # fmt: skip
        session.add(row)
        session.flush()
        return row.id


def kept_change(context: Context, change: int) -> KeptChangeOutcome:
    """Return a kept change with what it does now, and what is different from what it did then; or why it cannot be
    made any more. Raises NotFound."""
    row = _row(context.session, change)
    kept = _fact(row)
    try:
        now = simulate(context, _proposed(row))
    except (Invalid, NotFound) as error:
        return KeptChangeOutcome(
            kept=kept, outcome=None, impossible=str(error), came=[], came_total=0, went=[], went_total=0
        )
    was, here = {tuple(one) for one in row.outcome}, {tuple(one) for one in _names(now)}
    came, went = here - was, was - here
    return KeptChangeOutcome(
        kept=kept,
        outcome=shown(now),
        impossible=None,
        came=_consequences(came),
        came_total=len(came),
        went=_consequences(went),
        went_total=len(went),
    )


def change_kept(context: Context, change: int, name: str | None, state: KeptState | None, settle: bool) -> None:
    """Give a kept change another name or state. settle: what it does now is what it will be held against from now
    on. Raises Invalid, NotFound."""
    found = simulate(context, _proposed(_row(context.session, change))) if settle else None
    with context.changing() as session:
        mine = _row(session, change)
        mine.changed_by = context.who
        if name is not None:
            mine.name = _name(name)
        if state is not None:
            mine.state = state
        if found is not None:
            mine.outcome, mine.refused, mine.at = _names(found), found.refused, datetime.now(UTC)


def let_change_go(context: Context, change: int) -> None:
    """Keep a change no longer. Raises NotFound."""
    with context.changing() as session:
        session.delete(_row(session, change))


def _row(session: Session, change: int) -> KeptChange:
    row = session.get(KeptChange, change)
    if row is None:
        raise NotFound(f"no change {change} is kept")
    return row


def _proposed(row: KeptChange) -> ProposedChange:
    return ProposedChange(row.sql, row.database, row.stopped, row.edits, row.late, row.delivers, row.dialect)


def _name(name: str) -> str:
    named = " ".join(name.split())
    if not named:
        raise Invalid("name: a change is kept under a name")
    return named


def _names(found: ChangeOutcome) -> list[list[str]]:
    return sorted([one.kind, one.subject] for one in found.consequences)


def _consequences(names: Iterable[tuple[str, ...]]) -> list[ConsequenceName]:
    return [ConsequenceName(kind=kind, subject=subject) for kind, subject in sorted(names)[:_DIFFERENT]]


def _brief(row: KeptChange, consequences: int) -> KeptChangeBrief:
    return KeptChangeBrief(
        id=row.id,
        name=row.name,
        who=row.who,
        state=KeptState(row.state),
        kept_at=row.kept_at,
        database=row.database,
        consequences=consequences,
        refused=row.refused,
        at=row.at,
        changed_by=row.changed_by,
    )


def _fact(row: KeptChange) -> KeptChangeFact:
    asked = _proposed(row)
    return KeptChangeFact(
        **dict(_brief(row, len(row.outcome))),
        sql=asked.sql,
        stopped=asked.stopped,
        edits=asked.edits,
        late=asked.late,
        delivers=asked.delivers,
        dialect=asked.dialect,
    )
