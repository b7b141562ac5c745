"""What rows said at a time, before they were changed.

The store's own triggers keep what a row said until a change; see the migration that made them.
"""

from collections.abc import Collection, Iterable, Iterator
from dataclasses import dataclass
from datetime import datetime
from types import SimpleNamespace
from typing import Any

from sqlalchemy import FromClause, Row, func, literal_column, select, text
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.orm import DeclarativeBase, Session

from jalan.store.among import is_among
from jalan.store.schema import Past


def say_when(session: Session, now: datetime) -> None:
    """Say what time the changes of this transaction have."""
    session.execute(text("select set_config('jalan.now', :now, true)"), {"now": now.isoformat()})


def as_at(
    session: Session, model: type[DeclarativeBase], rows: Iterable[Row[Any]], at: datetime | None
) -> Iterator[Any]:
    """Yield rows with what they said at a time; as they are where none is given.

    model: whose rows they are; each has its ``id``. What the past does not know of a row stays as it is.
    """
    if at is None:
        yield from rows
        return
    rows = list(rows)
    table = model.__table__
    before = said_then(session, model, at, [row.id for row in rows])
    times = {column.name for column in table.columns if column.type.python_type is datetime}
    for row in rows:
        content = before.get(row.id)
        if content is None:
            yield row
            continue
        said = {
            name: datetime.fromisoformat(value) if name in times and value is not None else value
            for name, value in content.items()
        }
        yield SimpleNamespace(**{**row._mapping, **said})


def said_then(
    session: Session, model: type[DeclarativeBase], at: datetime, ids: Collection[int] | None = None
) -> dict[int, dict[str, Any]]:
    """Return id → what a row said at a time, as JSON, for those that say something else by now.

    ids: the rows that are asked for; all where none are given.
    """
    query = (
        select(Past.row_id, Past.content)
        .where(Past.of_table == model.__tablename__, Past.valid_to > at)
        .ext(distinct_on(Past.row_id))
        .order_by(Past.row_id, Past.valid_to)
    )
    if ids is not None:
        query = query.where(is_among(Past.row_id, ids))
    return {row.row_id: row.content for row in session.execute(query)}


@dataclass(frozen=True, slots=True)
class Change:
    """A change of a row: when, and what it said before and after, as JSON."""

    id: int
    at: datetime
    before: dict[str, Any]
    after: dict[str, Any]


def as_it_changed(session: Session, model: type[DeclarativeBase], ids: Collection[int]) -> Iterator[Change]:
    """Yield every change of rows, in order. Cost: what these rows ever said."""
    past = (
        select(Past.row_id, Past.valid_to, Past.content)
        .where(Past.of_table == model.__tablename__, is_among(Past.row_id, ids))
        .order_by(Past.row_id, Past.valid_to)
    )
    said: dict[int, list[Any]] = {}
    for row in session.execute(past):
        said.setdefault(row.row_id, []).append(row)
    table = model.__table__
    now = select(table.c.id, func.to_jsonb(literal_column(model.__tablename__))).where(is_among(table.c.id, said))
    current = dict(session.execute(now).all())
    for id_, rows in said.items():
        if id_ not in current:
            continue
        after = [*(row.content for row in rows[1:]), current[id_]]
        for row, then in zip(rows, after, strict=True):
            yield Change(id_, row.valid_to, row.content, then)


def table_at(model: type[DeclarativeBase], at: datetime | None, name: str) -> FromClause:
    """Return a table as it was at a time, to be selected from; as it is where none is given."""
    table = model.__table__
    if at is None:
        return table.alias(name)
    of_table = model.__tablename__
    query = text(
        f"""
        with said as (
            select distinct on (row_id) row_id, content from past
            where of_table = '{of_table}' and valid_to > :at_{name} order by row_id, valid_to
        )
        select t.* from {of_table} t where not exists (select from said where row_id = t.id)
        union all
        select (jsonb_populate_record(t, said.content)).* from {of_table} t join said on said.row_id = t.id
        """
    ).bindparams(**{f"at_{name}": at})
    return query.columns(*(column._copy() for column in table.columns)).subquery(name)
