"""What rows said at a time, before they were changed.

The store's own triggers keep what a row said until a change; see the migration that made them.
"""

from collections.abc import Iterable, Iterator
from datetime import datetime
from types import SimpleNamespace
from typing import Any

from sqlalchemy import Row, text
from sqlalchemy.orm import DeclarativeBase, Session

_OF = """
    select distinct on (row_id) row_id, content from past
    where of_table = :table and valid_to > :at order by row_id, valid_to, id
"""


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
    found = session.execute(text(_OF), {"table": model.__tablename__, "at": at})
    before: dict[int, dict[str, Any]] = {row.row_id: row.content for row in found}
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
