"""A digest of a history: every query once, without its constants, and how often each person ran it on which day.

It is what is kept of a history, and what may be sent out of the house. Its size is that of the different queries,
not of the history.
"""

from collections import Counter
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from datetime import date, datetime
from typing import Any

import orjson

from jalan.sql.dialects import get_dialect
from jalan.sql.dialects.dialect import Dialect
from jalan.sql.fingerprint import fingerprint_of, masked, redact
from jalan.sql.lexer import tokenize
from jalan.usage.entries import LARGEST, BadEntry, LogEntry

VERSION = 1
_REMEMBERED = 100_000
_BAD_KEPT = 100
_WITHOUT_DATA = frozenset(
    "begin start commit end rollback abort savepoint release set reset show discard deallocate prepare listen "
    "unlisten notify fetch close move checkpoint lock vacuum analyze explain use".split()
)

QueryKey = tuple[str, str]
"""Database and fingerprint."""

UseKey = tuple[str, str, str, str, str, str]
"""Database, fingerprint, day, person, role, application."""


class DigestError(ValueError):
    """A file is no digest; the message says what was expected."""


@dataclass(slots=True)
class Digest:
    """What is kept of a history.

    queries: key → [text, first time, last time].
    uses: key → [runs, milliseconds, rows, bytes].
    entries: how many were read.
    without_data: of them, those of statements that touch no data.
    bad: those that could not be read, the first of them with line and message.
    """

    queries: dict[QueryKey, list[str]] = field(default_factory=dict)
    uses: dict[UseKey, list[float]] = field(default_factory=dict)
    entries: int = 0
    without_data: int = 0
    bad: int = 0
    problems: list[BadEntry] = field(default_factory=list)
    left_out: Counter[str] = field(default_factory=Counter)

    def add(self, other: "Digest") -> None:
        """Take in the digest of a later piece of the same history."""
        for key, (text, first, last) in other.queries.items():
            mine = self.queries.setdefault(key, [text, first, last])
            mine[1], mine[2] = min(mine[1], first), max(mine[2], last)
        for use, amounts in other.uses.items():
            known = self.uses.get(use)
            if known is None:
                self.uses[use] = amounts
            else:
                for n, amount in enumerate(amounts):
                    known[n] += amount
        self.entries += other.entries
        self.without_data += other.without_data
        self.bad += other.bad
        self.problems += other.problems[: _BAD_KEPT - len(self.problems)]
        self.left_out += other.left_out

    def settle(self) -> None:
        """Drop what was taken back: queries that were logged before they failed."""
        self.uses = {key: amounts for key, amounts in self.uses.items() if amounts[0] > 0}
        used = {key[:2] for key in self.uses}
        self.queries = {key: found for key, found in self.queries.items() if key in used}


@dataclass(frozen=True, slots=True)
class Reading:
    """How a history is read.

    database: of entries that name none.
    databases: only these, all where it is empty.
    applications: those that are left out.
    keep_literals: keep the constants of the queries.
    """

    dialect: str = "postgresql"
    database: str = ""
    databases: frozenset[str] = frozenset()
    applications: frozenset[str] = frozenset({"jalan"})
    keep_literals: bool = False


def _text(value: Any) -> str:
    if not isinstance(value, str) or "\0" in value:
        raise TypeError("expected a text, without NUL")
    return value


def _amount(value: Any) -> float:
    if not isinstance(value, int | float) or not 0 <= value <= LARGEST:
        raise TypeError("expected an amount")
    return value


class Digester:
    """Makes digests, and remembers which text is which query."""

    def __init__(self, how: Reading) -> None:
        self._how = how
        self._rules: Dialect = get_dialect(how.dialect)
        self._known: dict[str, str | None] = {}
        self._texts: dict[str, str] = {}

    def digest(self, entries: Iterable[LogEntry | BadEntry]) -> Digest:
        """Return the digest of entries."""
        found = Digest()
        how = self._how
        for entry in entries:
            found.entries += 1
            if isinstance(entry, BadEntry):
                found.bad += 1
                if len(found.problems) < _BAD_KEPT:
                    found.problems.append(entry)
                continue
            database = entry.database or how.database
            if how.databases and database not in how.databases:
                found.left_out["other databases"] += 1
                continue
            if entry.application in how.applications:
                found.left_out[f"application {entry.application}"] += 1
                continue
            fingerprint = self._fingerprint(entry.text)
            if fingerprint is None:
                found.without_data += 1
                continue
            query = found.queries.get((database, fingerprint))
            if query is None:
                text = self._texts[fingerprint]
                found.queries[database, fingerprint] = [text, entry.time, entry.time]
            elif entry.time > query[2]:
                query[2] = entry.time
            elif entry.time < query[1]:
                query[1] = entry.time
            key = (database, fingerprint, entry.time[:10], entry.person, entry.role, entry.application)
            use = found.uses.get(key)
            if use is None:
                found.uses[key] = [entry.runs, entry.duration_ms, entry.rows, entry.bytes]
            else:
                use[0] += entry.runs
                use[1] += entry.duration_ms
                use[2] += entry.rows
                use[3] += entry.bytes
        return found

    def _fingerprint(self, text: str) -> str | None:
        """Return the fingerprint of a text, none where it touches no data."""
        key = masked(text) or text
        if key in self._known:
            return self._known[key]
        if len(self._known) >= _REMEMBERED:
            self._known.clear()
        tokens = tokenize(text, self._rules)
        fingerprint = None
        if tokens.keys and tokens.keys[0] not in _WITHOUT_DATA and tokens.keys[0]:
            fingerprint = fingerprint_of(tokens)
            if fingerprint not in self._texts:
                self._texts[fingerprint] = text if self._how.keep_literals else redact(text, self._rules)
        self._known[key] = fingerprint
        return fingerprint


@dataclass(frozen=True, slots=True)
class HistoryPiece:
    """Which part of which file a digest is of. file: a word for the file that holds however it is called, and
    while it grows; start and end are places in it (bytes, or rows of a Parquet file)."""

    file: str
    start: int
    end: int


def write_lines(digest: Digest, piece: HistoryPiece, how: Reading) -> Iterator[bytes]:
    """Yield a digest as lines of JSON."""
    yield (
        orjson.dumps(
            {
                "digest": VERSION,
                "file": piece.file,
                "start": piece.start,
                "end": piece.end,
                "dialect": how.dialect,
                "entries": digest.entries,
                "without_data": digest.without_data,
                "bad": digest.bad,
            }
        )
        + b"\n"
    )
    for (database, fingerprint), (text, first, last) in sorted(digest.queries.items()):
        yield (
            orjson.dumps({"query": fingerprint, "database": database, "text": text, "first": first, "last": last})
            + b"\n"
        )
    for key, (runs, duration, rows, size) in sorted(digest.uses.items()):
        database, fingerprint, day, person, role, application = key
        yield (
            orjson.dumps(
                {
                    "use": fingerprint,
                    "database": database,
                    "day": day,
                    "person": person,
                    "role": role,
                    "application": application,
                    "runs": runs,
                    "duration_ms": round(duration, 3),
                    "rows": rows,
                    "bytes": size,
                }
            )
            + b"\n"
        )


def read_lines(lines: Iterable[bytes]) -> Iterator[tuple[HistoryPiece, Digest]]:
    """Read what ``write_lines`` wrote, one digest after the other. Raises DigestError."""
    piece: HistoryPiece | None = None
    digest = Digest()
    for number, line in enumerate(lines, 1):
        try:
            found: dict[str, Any] = orjson.loads(line)
            if "digest" in found:
                if found["digest"] != VERSION:
                    raise DigestError(f"line {number}: a digest of version {found['digest']}; {VERSION} is read")
                if piece is not None:
                    yield piece, digest
                piece = HistoryPiece(_text(found["file"]), int(found["start"]), int(found["end"]))
                digest = Digest(
                    entries=int(found["entries"]), without_data=int(found["without_data"]), bad=int(found["bad"])
                )
            elif piece is None:
                raise DigestError("line 1: a digest begins with a line that says what it is of")
            elif "query" in found:
                times = [datetime.fromisoformat(found[name]).isoformat() for name in ("first", "last")]
                digest.queries[_text(found["database"]), _text(found["query"])] = [_text(found["text"]), *times]
            else:
                use = (
                    _text(found["database"]),
                    _text(found["use"]),
                    date.fromisoformat(found["day"]).isoformat(),
                    _text(found["person"]),
                    _text(found["role"]),
                    _text(found["application"]),
                )
                if use[:2] not in digest.queries:
                    raise DigestError(f"line {number}: no line before it has the query “{use[1]:.40}”")
                digest.uses[use] = [_amount(found[name]) for name in ("runs", "duration_ms", "rows", "bytes")]
        except DigestError:
            raise
        except (ValueError, KeyError, TypeError, OverflowError) as error:
            raise DigestError(f"line {number}: this is no line of a digest ({error})") from error
    if piece is None:
        raise DigestError("the file is empty; expected what jalan digest-history writes")
    yield piece, digest
