"""Entries of a history: what one line of a log, or one row of a table, says about a query that ran.

Source of the logs' forms: PostgreSQL documentation, "Error Reporting and Logging" (CSV and JSON log output).
"""

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from itertools import zip_longest
from typing import Any

import orjson

from jalan.usage.clocks import Clock
from jalan.usage.csv_records import BadRecord, Shape, records

_CSV_COLUMNS = 23  # up to application_name; later versions have more behind it
_EXECUTED = ("statement: ", "execute ")
LARGEST = 1e15  # of a duration, or of rows and bytes of one query
_FAILED = frozenset({"ERROR", "FATAL", "PANIC"})


@dataclass(slots=True)
class LogEntry:
    """A query that ran.

    time: ISO 8601 in UTC, seconds.
    runs: -1 takes back one that failed after it was logged.

    duration_ms, rows and bytes are sums over the runs; 0 where the history does not say.
    """

    text: str
    time: str
    person: str = ""
    role: str = ""
    application: str = ""
    database: str = ""
    duration_ms: float = 0.0
    rows: int = 0
    bytes: int = 0
    runs: int = 1


@dataclass(frozen=True, slots=True)
class Columns:
    """Which column of a table of queries holds what; duration_factor makes milliseconds of its durations."""

    text: str
    time: str
    person: str | None = None
    role: str | None = None
    application: str | None = None
    database: str | None = None
    duration: str | None = None
    duration_factor: float = 1.0
    rows: str | None = None
    bytes: str | None = None


@dataclass(frozen=True, slots=True)
class BadEntry:
    """A line that could not be read. line: counted from 1, in its piece until the file is known.

    file: its name, once it is known.
    """

    line: int
    message: str
    file: str = ""


def read_jsonlog(data: bytes, clock: Clock) -> Iterator[LogEntry | BadEntry]:
    """Read lines of PostgreSQL's JSON log."""
    logged = False  # whether queries are logged before they run, so that those that fail are among them
    for number, line in enumerate(data.splitlines(), 1):
        if b"statement: " not in line and b"execute " not in line and b'"statement"' not in line:
            continue
        try:
            found = orjson.loads(line)
            message, time = found["message"], clock.stamp(found["timestamp"])
        except (ValueError, KeyError, TypeError, OverflowError) as error:
            yield BadEntry(number, f"no line of a JSON log: {error}")
            continue
        who = (str(found.get("user", "")), "", str(found.get("application_name", "")), str(found.get("dbname", "")))
        if logged and found.get("error_severity") in _FAILED and "statement" in found:
            yield _kept(number, LogEntry(str(found["statement"]), time, *who, runs=-1))
            continue
        query = _query_of(str(message))
        if query is not None:
            text, duration, before = query
            logged = logged or before
            yield _kept(number, LogEntry(text, time, *who, duration))


def _is_csvlog(values: list[str]) -> bool:
    return len(values) >= _CSV_COLUMNS and values[0][:4].isdigit()


CSVLOG = Shape(None, _is_csvlog)
"""What lines of a CSV log look like."""


def read_csvlog(data: bytes, clock: Clock) -> Iterator[LogEntry | BadEntry]:
    """Read lines of PostgreSQL's CSV log; a query may go over several."""
    logged = False

    for record in records(data.decode("utf-8", "replace"), CSVLOG):
        if isinstance(record, BadRecord):
            yield BadEntry(record.line, f"no line of a CSV log: {record.message}")
            continue
        row = record.values
        if not row:
            continue
        if len(row) < _CSV_COLUMNS:
            yield BadEntry(record.line, f"no line of a CSV log: {len(row)} columns instead of {_CSV_COLUMNS}")
            continue
        try:
            time = clock.stamp(row[0])
        except (ValueError, OverflowError) as error:
            yield BadEntry(record.line, f"no line of a CSV log: {error}")
            continue
        if logged and row[11] in _FAILED and row[19]:
            yield _kept(record.line, LogEntry(row[19], time, row[1], "", row[22], row[2], runs=-1))
            continue
        query = _query_of(row[13])
        if query is not None:
            text, duration, before = query
            logged = logged or before
            yield _kept(record.line, LogEntry(text, time, row[1], "", row[22], row[2], duration))


def _kept(line: int, entry: LogEntry) -> LogEntry | BadEntry:
    """The entry, unless there is something in it that no database can keep."""
    if "\0" in entry.text or "\0" in f"{entry.person}{entry.role}{entry.application}{entry.database}":
        return BadEntry(line, "there is a NUL in it")
    return entry


def _query_of(message: str) -> tuple[str, float, bool] | None:
    """Return text, milliseconds, and whether it was logged before it ran; none where it is another message."""
    duration = 0.0
    rest = message
    if message.startswith("duration: "):
        number, _, rest = message[10:].partition(" ms  ")
        if not rest:
            return None
        try:
            duration = float(number)
        except ValueError:
            return None
        if not 0 <= duration <= LARGEST:
            return None
    if not rest.startswith(_EXECUTED):
        return None
    _, _, text = rest.partition(": ")
    return text, duration, rest is message


def first_time(data: bytes, form: str) -> tuple[str, str | None] | None:
    """Return the first time of a piece of a log, to the minute, and the word for its zone; none if it has none."""
    line = data.partition(b"\n")[0]
    try:
        written = orjson.loads(line)["timestamp"] if form == "jsonlog" else line.partition(b",")[0].decode()
        day, time, *zone = written.split(" ")
    except (ValueError, KeyError, TypeError, AttributeError):
        return None  # the line is reported where it is read
    return f"{day} {time[:5]}", zone[0] if zone else None


def csv_shape(header: list[str], mapping: Columns, clock: Clock) -> Shape:
    """Return what the records of a table of queries look like: as many values as names, one of them a time."""
    at = header.index(mapping.time) if mapping.time in header else -1

    def likely(values: list[str]) -> bool:
        try:
            return at < 0 or bool(clock.read(values[at]))
        except (ValueError, OverflowError):
            return False

    return Shape(len(header), likely)


def read_csv(text: str, header: list[str], mapping: Columns, clock: Clock) -> Iterator[LogEntry | BadEntry]:
    """Read a table of queries, or a part of one that has no line of names."""

    def rows() -> Iterator[tuple[int, Mapping[str, Any] | BadEntry]]:
        for record in records(text, csv_shape(header, mapping, clock)):
            if isinstance(record, BadRecord):
                yield record.line, BadEntry(record.line, record.message)
            elif len(record.values) > len(header):
                message = f"{len(record.values)} values for {len(header)} columns"
                yield record.line, BadEntry(record.line, message)
            elif record.values and not (record.line == 1 and record.values == header):
                yield record.line, dict(zip_longest(header, record.values))

    return read_numbered(rows(), mapping, clock)


def read_rows(rows: Iterable[Mapping[str, Any]], mapping: Columns, clock: Clock) -> Iterator[LogEntry | BadEntry]:
    """Read rows of a table of queries."""
    return read_numbered(enumerate(rows, 1), mapping, clock)


def read_numbered(
    rows: Iterable[tuple[int, Mapping[str, Any] | BadEntry]], mapping: Columns, clock: Clock
) -> Iterator[LogEntry | BadEntry]:
    """The same with the line of each row; what is no row is passed on."""
    for number, row in rows:
        if isinstance(row, BadEntry):
            yield row
            continue
        try:
            text = row[mapping.text]
            if text is None or not str(text).strip():
                yield BadEntry(number, f"“{mapping.text}” is empty")
                continue
            entry = LogEntry(
                str(text),
                clock.read(row[mapping.time]),
                _word(row, mapping.person),
                _word(row, mapping.role),
                _word(row, mapping.application),
                _word(row, mapping.database),
                _number(row, mapping.duration) * mapping.duration_factor,
                int(_number(row, mapping.rows)),
                int(_number(row, mapping.bytes)),
            )
            yield _kept(number, entry)
        except KeyError as error:
            yield BadEntry(number, f"there is no column {error}; there are {', '.join(map(str, row))}")
        except (ValueError, TypeError, OverflowError) as error:
            yield BadEntry(number, str(error))


def _word(row: Mapping[str, Any], column: str | None) -> str:
    return "" if column is None else str(row[column] or "")


def _number(row: Mapping[str, Any], column: str | None) -> float:
    if column is None or row[column] in (None, ""):
        return 0.0
    try:
        found = float(row[column])
    except (ValueError, TypeError) as error:
        raise ValueError(f"“{column}” must be a number, not “{str(row[column])[:40]}”") from error
    if not abs(found) <= LARGEST:
        raise ValueError(f"“{column}” is beyond all measure")
    return found
