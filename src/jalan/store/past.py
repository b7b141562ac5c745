"""What rows said at a time, before they were changed.

The store's own triggers keep what a row said until a change; see the migration that made them.
"""

from collections.abc import Iterable, Iterator
from datetime import datetime
from types import SimpleNamespace
from typing import Any

from sqlalchemy import Row, select, text
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.orm import DeclarativeBase, Session

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
    table = model.__table__
    query = (
        select(Past.row_id, Past.content)
        .where(Past.of_table == model.__tablename__, Past.valid_to > at)
        .ext(distinct_on(Past.row_id))
        .order_by(Past.row_id, Past.valid_to)
    )
    before: dict[int, dict[str, Any]] = {row.row_id: row.content for row in session.execute(query)}
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
