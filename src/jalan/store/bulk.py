"""Many rows at once: ids in blocks, rows by COPY."""

from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from typing import Any

import orjson
from sqlalchemy import text
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Session, make_transient_to_detached

from jalan.store.schema.graph import TransactionId

_BLOCK = 500
_SINGLY = 60  # so many are looked up one by one at least
_TIMES = 100  # one query costs about what it takes to read so many rows


class Ids:
    """Hands out ids of a table's own sequence, a block at a time, so that rows need not be written to have one."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self._left: dict[str, list[int]] = {}

    def next(self, table: str) -> int:
        """Return an id that no other row of the table has or will have."""
        left = self._left.get(table)
        if not left:
            query = text("select nextval(cast(:sequence as regclass)) from generate_series(1, :count)")
            with self._session.no_autoflush:
                found = self._session.execute(query, {"sequence": f"{table}_id_seq", "count": _BLOCK})
                left = self._left[table] = [row[0] for row in found][::-1]
        return left.pop()


def insert_new(session: Session, rows: Sequence[DeclarativeBase], finally_: bool = False) -> None:
    """Write new rows of any tables by COPY and let the session know them: what changes later is an update.

    Every row has its id, and a value wherever its table has none by itself; its transaction the store writes.
    finally_: nothing changes later, and the session need not know them.
    """
    by_table: dict[type[DeclarativeBase], list[DeclarativeBase]] = {}
    for row in rows:
        by_table.setdefault(type(row), []).append(row)
    for model, mine in by_table.items():
        table = model.__table__
        given = [column for column in table.columns if not isinstance(column.type, TransactionId)]
        columns = [column.name for column in given]
        is_json = [isinstance(column.type, JSONB) for column in given]
        copy_rows(
            session,
            str(table.name),  # type: ignore[attr-defined]
            columns,
            (
                [
                    orjson.dumps(value).decode() if json and value is not None else value
                    for value, json in zip(map(row.__dict__.get, columns), is_json, strict=True)
                ]
                for row in mine
            ),
        )
        if not finally_:
            _let_know(session, mine, columns)


def _let_know(session: Session, rows: Sequence[DeclarativeBase], columns: Sequence[str]) -> None:
    """Let the session know rows that were written, with all that was: what nobody has set was written as nothing,
    and would otherwise be asked for when it is looked at, a query for each row."""
    for row in rows:
        for name in columns:
            row.__dict__.setdefault(name, None)
        make_transient_to_detached(row)
    session.add_all(rows)


def merge_rows(
    session: Session,
    model: type[DeclarativeBase],
    columns: Sequence[str],
    rows: Iterable[Sequence[Any]],
    otherwise: str,
) -> int:
    """Write rows into the table of a model by COPY, or change those that its unique constraint finds there.

    otherwise: what to set in those, as SQL; the row that was to be written is ``excluded``. Returns how many rows
    are new or changed.
    """
    table = str(model.__table__.name)  # type: ignore[attr-defined]
    session.flush()
    session.execute(text(f'create temporary table staged (like "{table}" including defaults) on commit drop'))
    session.execute(text("alter table staged drop column id"))
    copy_rows(session, "staged", columns, rows)
    names = ", ".join(f'"{name}"' for name in columns)
    done = session.execute(
        text(
            f'insert into "{table}" ({names}) select {names} from staged '
            f"on conflict on constraint uq_{table} do update set {otherwise}"
        )
    )
    session.execute(text("drop table staged"))
    changed: int = done.rowcount  # type: ignore[attr-defined]
    return changed


class OneByOne:
    """Tells when things that are looked up one by one had better be read all at once: when all are not many more
    than those asked for. So what is read stays in proportion to what is asked, whatever else there is."""

    def __init__(self) -> None:
        self._asked: Counter[object] = Counter()
        self._count_at: dict[object, int] = {}

    def is_enough(self, kind: object, count: Callable[[], int]) -> bool:
        """Whether all of a kind should be read now that one more is asked for. count: how many there are."""
        self._asked[kind] += 1
        if self._asked[kind] < self._count_at.get(kind, _SINGLY):
            return False
        all_ = count()
        self._count_at[kind] = max(self._asked[kind] + 1, all_ // _TIMES)
        return all_ <= _TIMES * self._asked[kind]


def copy_rows(session: Session, table: str, columns: Sequence[str], rows: Iterable[Sequence[Any]]) -> None:
    """Write rows into a table by COPY, in the session's transaction. JSON values are given as text."""
    session.flush()
    names = ", ".join(f'"{column}"' for column in columns)
    driver = session.connection().connection.driver_connection
    assert driver is not None
    with driver.cursor() as cursor, cursor.copy(f'copy "{table}" ({names}) from stdin') as copy:
        for row in rows:
            copy.write_row(row)
