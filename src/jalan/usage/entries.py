"""Entries of a history: what one line of a log, or one row of a table, says about a query that ran.

Source of the logs' forms: PostgreSQL documentation, "Error Reporting and Logging" (CSV and JSON log output).
"""

import csv
import io
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

import orjson

from jalan.usage.clocks import Clock

_CSV_COLUMNS = 23  # up to application_name; later versions have more behind it
_EXECUTED = ("statement: ", "execute ")
_FAILED = frozenset({"ERROR", "FATAL", "PANIC"})


@dataclass(slots=True)
class Entry:
    """A query that ran. time: ISO 8601 in UTC, seconds. runs: -1 takes back one that failed after it was logged.

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
    """A line that could not be read. line: counted from 1 in its piece."""

    line: int
    message: str


def read_jsonlog(data: bytes, clock: Clock) -> Iterator[Entry | BadEntry]:
    """Read lines of PostgreSQL's JSON log."""
    logged = False  # whether queries are logged before they run, so that those that fail are among them
    for number, line in enumerate(data.splitlines(), 1):
        if b"statement: " not in line and b"execute " not in line and b'"statement"' not in line:
            continue
        try:
            found = orjson.loads(line)
            message, time = found["message"], clock.stamp(found["timestamp"])
        except (ValueError, KeyError, TypeError) as error:
            yield BadEntry(number, f"no line of a JSON log: {error}")
            continue
        if logged and found.get("error_severity") in _FAILED and "statement" in found:
            yield Entry(
                found["statement"], time, found.get("user", ""), "", found.get("application_name", ""),
                found.get("dbname", ""), runs=-1,
            )  # fmt: skip
            continue
        query = _query_of(message)
        if query is not None:
            text, duration, before = query
            logged = logged or before
            yield Entry(
                text, time, found.get("user", ""), "", found.get("application_name", ""),
                found.get("dbname", ""), duration,
            )  # fmt: skip


def read_csvlog(data: bytes, clock: Clock) -> Iterator[Entry | BadEntry]:
    """Read lines of PostgreSQL's CSV log; a query may go over several."""
    logged = False
    reader = csv.reader(io.StringIO(data.decode("utf-8", "replace"), newline=""))
    for row in reader:
        if len(row) < _CSV_COLUMNS:
            yield BadEntry(reader.line_num, f"no line of a CSV log: {len(row)} columns instead of {_CSV_COLUMNS}")
            continue
        try:
            time = clock.stamp(row[0])
        except ValueError as error:
            yield BadEntry(reader.line_num, f"no line of a CSV log: {error}")
            continue
        if logged and row[11] in _FAILED and row[19]:
            yield Entry(row[19], time, row[1], "", row[22], row[2], runs=-1)
            continue
        query = _query_of(row[13])
        if query is not None:
            text, duration, before = query
            logged = logged or before
            yield Entry(text, time, row[1], "", row[22], row[2], duration)


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


def read_rows(rows: Iterator[Mapping[str, Any]], mapping: Columns, clock: Clock) -> Iterator[Entry | BadEntry]:
    """Read rows of a table of queries."""
    for number, row in enumerate(rows, 1):
        try:
            text = row[mapping.text]
            if text is None or not str(text).strip():
                yield BadEntry(number, f"“{mapping.text}” is empty")
                continue
            yield Entry(
                str(text), clock.read(row[mapping.time]), _word(row, mapping.person), _word(row, mapping.role),
                _word(row, mapping.application), _word(row, mapping.database),
                _number(row, mapping.duration) * mapping.duration_factor, int(_number(row, mapping.rows)),
                int(_number(row, mapping.bytes)),
            )  # fmt: skip
        except KeyError as error:
            yield BadEntry(number, f"there is no column {error}; there are {', '.join(map(str, row))}")
        except (ValueError, TypeError) as error:
            yield BadEntry(number, str(error))


def _word(row: Mapping[str, Any], column: str | None) -> str:
    return "" if column is None else str(row[column] or "")


def _number(row: Mapping[str, Any], column: str | None) -> float:
    if column is None or row[column] in (None, ""):
        return 0.0
    try:
        return float(row[column])
    except ValueError as error:
        raise ValueError(f"“{column}” must be a number, not “{str(row[column])[:40]}”") from error
