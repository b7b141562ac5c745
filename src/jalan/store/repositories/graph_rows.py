"""The graph as the store has it, in rows of numbers: all of it by binary COPY, and what has changed since.

Which transactions a reading has seen is told by its token, PostgreSQL's own snapshot. What is new since is what was
written by transactions that are visible now and were not then: none is missed, however long it took.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

import numpy as np
import psycopg
from numpy.typing import NDArray

from jalan.catalog.kinds import DatasetKind, DefinitionKind, FieldKind, LinkKind
from jalan.graph.columns import (
    CONDITION,
    DATASET_ROW,
    FIELD_ROW,
    HOWS,
    LINK_ROW,
    ORIGINS,
    PLACEHOLDER,
    RANK_AT,
    REPORT,
    ROWS,
    STAR,
    VALUE,
    Rows,
    link_code,
)

_CHUNK = 100_000  # rows
_EPOCH = datetime(2000, 1, 1, tzinfo=UTC)


@dataclass(frozen=True, slots=True)
class Token:
    """What a reading has seen. snapshot: PostgreSQL's. version: how many transactions had changed the graph."""

    snapshot: str
    version: int


def moment(time: datetime) -> int:
    """Return a time as the columns of the graph count it.

    >>> moment(datetime(2000, 1, 1, 0, 0, 1, tzinfo=UTC))
    1000000
    """
    passed = time - _EPOCH
    return (passed.days * 86_400 + passed.seconds) * 1_000_000 + passed.microseconds


def _case(column: str, numbers: dict[str, int], other: int) -> str:
    whens = " ".join(f"when '{name}' then {number}" for name, number in numbers.items())
    return f"(case {column} {whens} else {other} end)"


def _ranks() -> dict[str, int]:
    return {kind.value: kind.about.rank for kind in DefinitionKind}


def _code() -> str:
    """SQL for the code of a link without its rank."""
    hows = {name: link_code(0, name, "parsed", False, 0) for name in HOWS}
    origins = {name: link_code(0, "identity", name, False, 0) for name in ORIGINS}
    kind = f"(case when target_field_id is null then {ROWS} when l.kind = '{LinkKind.VALUE}' then {VALUE} "
    kind += f"else {CONDITION} end)"
    possible = f"(case when l.possible then {link_code(0, 'identity', 'parsed', True, 0)} else 0 end)"
    how = _case("l.how", hows, link_code(0, "", "parsed", False, 0))
    origin = _case("l.origin", origins, link_code(0, "identity", "", False, 0))
    return f"{kind} | {possible} | {how} | {origin}"


_DATASETS = (
    f"id, (case when kind = '{DatasetKind.REPORT}' then {REPORT} else 0 end) "
    f"| (case when placeholder then {PLACEHOLDER} else 0 end), first_seen, coalesce(gone_since, 'infinity')"
)
_FIELDS = (
    f"id, dataset_id, (case when kind = '{FieldKind.STAR}' then {STAR} else 0 end) "
    f"| (case when placeholder then {PLACEHOLDER} else 0 end), first_seen, coalesce(gone_since, 'infinity')"
)


def _links(rank: str) -> str:
    """SQL for the columns of links. rank: SQL for the rank of the definition of each."""
    return (
        "l.id, l.source_field_id, l.target_dataset_id, coalesce(l.target_field_id, 0), "
        f"{_code()} | ({rank} << {RANK_AT}), l.definition_id, l.valid_from, coalesce(l.valid_to, 'infinity')"
    )


def begin(connection: psycopg.Connection) -> Token:
    """Begin to read one moment of the store, in a transaction of its own; return what it sees."""
    connection.execute("begin isolation level repeatable read read only")
    row = connection.execute("select pg_current_snapshot()::text, (select count(*) from graph_version)").fetchone()
    assert row is not None
    return Token(row[0], row[1])


def since(connection: psycopg.Connection, before: Token) -> Token | None:
    """Begin to read what has changed since; return what is seen now, or none where nothing has changed."""
    connection.execute("begin isolation level repeatable read read only")
    row = connection.execute(
        "select pg_current_snapshot()::text, count(*) from graph_version "
        "where xact >= pg_snapshot_xmin(%(old)s::pg_snapshot) "
        "and not pg_visible_in_snapshot(xact, %(old)s::pg_snapshot)",
        {"old": before.snapshot},
    ).fetchone()
    assert row is not None
    return Token(row[0], before.version + row[1]) if row[1] else None


def datasets(connection: psycopg.Connection, before: Token | None = None) -> Rows:
    """Return the rows of datasets, all or those that have changed."""
    return _all(
        _read(connection, f"select {_DATASETS} from dataset{_changed('', before)} order by id", DATASET_ROW),
        DATASET_ROW,
    )


def fields(connection: psycopg.Connection, before: Token | None = None) -> Rows:
    """Return the rows of fields, all or those that have changed."""
    query = f"select {_FIELDS} from field{_changed('', before)} order by id"
    return _all(_read(connection, query, FIELD_ROW), FIELD_ROW)


def links(connection: psycopg.Connection, before: Token | None = None) -> Iterator[Rows]:
    """Yield the rows of links in pieces, all or those that have changed."""
    if before is not None:
        columns = _links(_case("d.kind", _ranks(), 0))
        query = f"select {columns} from link l join definition d on d.id = l.definition_id{_changed('l.', before)}"
        yield from _read(connection, query, LINK_ROW)
        return
    ranks = _ranks_of_definitions(connection)
    for rows in _read(connection, f"select {_links('0')} from link l", LINK_ROW):
        rows["code"] |= ranks[rows["definition"]] << RANK_AT
        yield rows


def aliases_changed(connection: psycopg.Connection, before: Token) -> bool:
    """Whether anything was joined or parted since."""
    row = connection.execute(f"select exists (select from alias{_changed('', before)})").fetchone()
    return bool(row and row[0])


def _ranks_of_definitions(connection: psycopg.Connection) -> NDArray[np.int32]:
    row = connection.execute("select coalesce(max(id), 0) from definition").fetchone()
    assert row is not None
    ranks = np.zeros(row[0] + 1, dtype=np.int32)
    kinds = _ranks()
    # Most are of no rank: only the others are asked for.
    ranked = [kind for kind, rank in kinds.items() if rank]
    for id_, kind in connection.execute("select id, kind from definition where kind = any(%s)", (ranked,)):
        ranks[id_] = kinds[kind]
    return ranks


def _changed(prefix: str, before: Token | None) -> str:
    if before is None:
        return ""
    old = f"'{before.snapshot}'::pg_snapshot"
    return (
        f" where {prefix}changed >= pg_snapshot_xmin({old}) and not pg_visible_in_snapshot({prefix}changed, {old})"
    )


def _read(connection: psycopg.Connection, query: str, row: np.dtype[Any]) -> Iterator[Rows]:
    """Yield the rows of a query whose columns are all of fixed width, in pieces."""
    wire = [("count", ">i2")]
    for name in row.names or ():
        wire += [(f"{name} length", ">i4"), (name, row[name].newbyteorder(">").str)]
    width = np.dtype(wire).itemsize
    with connection.cursor() as cursor, cursor.copy(f"copy ({query}) to stdout (format binary)") as copy:
        pieces: list[bytes] = []
        for piece in copy:
            pieces.append(bytes(piece))
            if len(pieces) == _CHUNK:
                # The first piece begins with a header, and the last one is a mark.
                yield _rows(b"".join(pieces), wire, width, row)
                pieces = []
        if pieces:
            yield _rows(b"".join(pieces), wire, width, row)


_HEADER = b"PGCOPY\n\xff\r\n\0"
_HEADER_LENGTH = 19


def _rows(data: bytes, wire: Any, width: int, row: np.dtype[Any]) -> Rows:
    start = _HEADER_LENGTH if data.startswith(_HEADER) else 0
    read = np.frombuffer(data, dtype=np.dtype(wire), count=(len(data) - start) // width, offset=start)
    found = np.empty(len(read), dtype=row)
    for name in row.names or ():
        found[name] = read[name]
    return found


def _all(pieces: Iterator[Rows], row: np.dtype[Any]) -> Rows:
    found = list(pieces)
    return np.concatenate(found) if found else np.empty(0, dtype=row)
