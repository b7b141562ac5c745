"""Reads histories of queries from files, in pieces that several processes can digest."""

import csv
import hashlib
import time
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ProcessPoolExecutor
from dataclasses import dataclass, replace
from itertools import islice
from multiprocessing import get_context
from pathlib import Path
from typing import Any, Literal

import orjson

from jalan.sources.errors import SourceError
from jalan.sources.extras import parquet_file
from jalan.sources.files import shown_name
from jalan.usage.clocks import Clock
from jalan.usage.csv_records import Record, Shape, complete, records
from jalan.usage.digest import Digest, Digester, HistoryPiece, Reading
from jalan.usage.entries import (
    CSVLOG,
    BadEntry,
    Columns,
    LogEntry,
    csv_shape,
    first_time,
    read_csv,
    read_csvlog,
    read_jsonlog,
    read_numbered,
    read_rows,
)

Format = Literal["jsonlog", "csvlog", "csv", "jsonl", "parquet"]
PIECE = 4 << 20
_SEVERAL = 3 * PIECE  # from this size on it pays to start processes
_ROWS = 50_000
_LONGEST_LINE = 64_000_000  # bytes
_SETTLED = 600.0  # seconds without a change after which a table is taken to be whole

Tell = Callable[[str, int, int], None]


@dataclass(frozen=True, slots=True)
class HistoryFile:
    """How a file of queries is read. zone: of the times that do not say theirs."""

    form: Format
    columns: Columns | None
    how: Reading
    zone: str = "UTC"


def identity(path: Path, form: str) -> str | None:
    """Return a word for a file that holds however it is called, and while it grows; none while it is empty."""
    if form == "parquet":
        digest = hashlib.sha256()
        with path.open("rb") as file:
            while block := file.read(1 << 20):
                digest.update(block)
        return digest.hexdigest()[:32]
    # The first line of a log has its time; that of a table may be the same in all of them, the second is not.
    wanted = 2 if form == "csv" else 1
    with path.open("rb") as file:
        head = list(islice(file, wanted))
    if len(head) < wanted or not head[-1].endswith(b"\n"):
        return None
    return hashlib.sha256(b"".join(head)).hexdigest()[:32]


def digest_file(
    path: Path, how: HistoryFile, start: int, tell: Tell, workers: int = 2, at_most: int | None = None
) -> tuple[Digest, HistoryPiece | None, list[str]]:
    """Digest a file from a place on; returns the digest, what it is of, and what people should know.

    The last record of a file that is still written is left for the next time. at_most: bytes of a text to look at,
    where a first impression is enough. Raises SourceError.
    """
    try:
        file = identity(path, how.form)
        if file is None:
            return Digest(), None, []
        if how.form == "parquet":
            return _digest_parquet(path, how, start, file, tell)
        size = path.stat().st_size
        if size < start:
            raise SourceError(f"{path} is shorter than when it was last read: was it cut off?")
        end = size if at_most is None else min(size, start + at_most)
        digest, end, notes = _digest_text(path, how, start, end, tell, workers)
    except OSError as error:
        raise SourceError(f"cannot read {path}: {error.strerror}") from error
    digest.settle()
    return digest, HistoryPiece(file, start, end), notes


def _digest_text(
    path: Path, how: HistoryFile, start: int, size: int, tell: Tell, workers: int
) -> tuple[Digest, int, list[str]]:
    total = Digest()
    end = start
    notes: list[str] = []
    header = _header(path) if how.form == "csv" else None
    name = path.name
    lines = _Lines(path)
    pieces = _pieces(path, start, size, how.form, _shape(how, header), notes)

    def take(found: Digest, offset: int, length: int) -> None:
        nonlocal end
        if found.problems:
            before = lines.before(offset)
            found.problems = [replace(bad, line=before + bad.line, file=shown_name(name)) for bad in found.problems]
        total.add(found)
        end = offset + length
        tell(f"reading {name}", end - start, size - start)

    if size - start < _SEVERAL or workers < 2:
        worker = _Worker(how, header)
        for offset, data in pieces:
            _check_zone(data, how, offset == start, notes)
            take(worker.digest(data, offset), offset, len(data))
        return total, end, notes
    with ProcessPoolExecutor(workers, get_context("spawn"), _start_worker, (how, header)) as pool:
        waiting: list[tuple[Future[Digest], int, int]] = []
        try:
            for offset, data in pieces:
                _check_zone(data, how, offset == start, notes)
                waiting.append((pool.submit(_digest_piece, data, offset), offset, len(data)))
                if len(waiting) > 2 * workers:
                    future, at, length = waiting.pop(0)
                    take(future.result(), at, length)
            for future, at, length in waiting:
                take(future.result(), at, length)
        except BaseException:
            pool.shutdown(wait=False, cancel_futures=True)
            raise
    return total, end, notes


class _Lines:
    """Counts the lines of a file up to places that only grow."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._at = self._count = 0

    def before(self, offset: int) -> int:
        """Return how many lines end before a place."""
        with self._path.open("rb") as file:
            file.seek(self._at)
            while self._at < offset and (block := file.read(min(PIECE, offset - self._at))):
                self._count += block.count(b"\n")
                self._at += len(block)
        return self._count


def _check_zone(data: bytes, how: HistoryFile, first: bool, notes: list[str]) -> None:
    if first and how.form in ("jsonlog", "csvlog"):
        found = first_time(data, how.form)
        doubt = None if found is None else Clock(how.zone).doubt(found[1], found[0])
        if doubt is not None:
            notes.append(doubt)


class _Worker:
    def __init__(self, how: HistoryFile, header: list[str] | None) -> None:
        self._how = how
        self._header = header
        self._digester = Digester(how.how)
        self._clock = Clock(how.zone)

    def digest(self, data: bytes, offset: int) -> Digest:
        return self._digester.digest(self._entries(data, offset))

    def _entries(self, data: bytes, offset: int) -> Iterator[LogEntry | BadEntry]:
        form = self._how.form
        if form == "jsonlog":
            return read_jsonlog(data, self._clock)
        if form == "csvlog":
            return read_csvlog(data, self._clock)
        assert self._how.columns is not None
        if form == "jsonl":
            return _json_entries(data, self._how.columns, self._clock)
        text = data.decode("utf-8", "replace").removeprefix("\ufeff")
        return read_csv(text, self._header or [], self._how.columns, self._clock)


def _json_entries(data: bytes, columns: Columns, clock: Clock) -> Iterator[LogEntry | BadEntry]:
    for number, line in enumerate(data.splitlines(), 1):
        if not line.strip():
            continue
        try:
            found = orjson.loads(line)
        except orjson.JSONDecodeError as error:
            yield BadEntry(number, f"this is no JSON: {error}")
            continue
        if not isinstance(found, dict):
            yield BadEntry(number, "expected an object")
            continue
        yield from read_numbered([(number, _Lenient(found))], columns, clock)


class _Lenient(dict[str, Any]):
    """A row in which what is not given is empty; only a column that must be there is missed."""

    def __missing__(self, key: str) -> Any:
        return None


_worker: _Worker | None = None


def _start_worker(how: HistoryFile, header: list[str] | None) -> None:
    global _worker
    _worker = _Worker(how, header)


def _digest_piece(data: bytes, offset: int) -> Digest:
    assert _worker is not None
    return _worker.digest(data, offset)


def _header(path: Path) -> list[str]:
    with path.open(encoding="utf-8-sig", errors="replace", newline="") as file:
        try:
            return next(csv.reader([file.readline(_LONGEST_LINE)]), [])
        except csv.Error as error:
            raise SourceError(f"{path}: the first line is no header of CSV ({error})") from error


def _shape(how: HistoryFile, header: list[str] | None) -> Shape | None:
    """What the records of a file look like; none where each line is one."""
    if how.form == "csvlog":
        return CSVLOG
    if how.form != "csv" or how.columns is None:
        return None
    return csv_shape(header or [], how.columns, Clock(how.zone))


def _pieces(
    path: Path, start: int, end: int, form: Format, shape: Shape | None, notes: list[str]
) -> Iterator[tuple[int, bytes]]:
    """Yield whole records, a few MiB at a time, each piece with its offset."""
    with path.open("rb") as file:
        file.seek(start)
        offset, rest = start, b""
        while block := file.read(min(PIECE, end - offset - len(rest))):
            data = rest + block
            cut = data.rfind(b"\n") + 1 if shape is None else complete(data, shape)
            if cut:
                yield offset, data[:cut]
                offset += cut
            rest = data[cut:]
            if len(rest) > _LONGEST_LINE:
                raise SourceError(f"{path}: the line at byte {offset} has more than {_LONGEST_LINE:,} bytes")
    if not rest.strip():
        return
    if _is_over(path, rest, form, shape):
        yield offset, rest
    elif end == path.stat().st_size:
        notes.append(f"the last record, at byte {offset}, is not complete yet: it is left for the next time")


def _is_over(path: Path, rest: bytes, form: Format, shape: Shape | None) -> bool:
    """Whether what is left at the end of a file will not be written on: it is several records, of which the first
    lacks a quote, or the last row of a table that nobody has touched for a while."""
    if shape is not None:
        behind = rest.partition(b"\n")[2].decode("utf-8", "replace")
        for record in records(behind, shape):
            if isinstance(record, Record) and len(record.values) > 1 and shape.fits(record.values):
                return True
    return form in ("csv", "jsonl") and time.time() - path.stat().st_mtime > _SETTLED


def _digest_parquet(
    path: Path, how: HistoryFile, start: int, file: str, tell: Tell
) -> tuple[Digest, HistoryPiece | None, list[str]]:
    assert how.columns is not None
    broken: type[Exception] = OSError
    try:
        table, broken = parquet_file(path)
        count = table.metadata.num_rows
        if start >= count:
            return Digest(), HistoryPiece(file, start, count), []
        digester, clock = Digester(how.how), Clock(how.zone)
        total = Digest()
        done = 0
        for batch in table.iter_batches(_ROWS):
            found = digester.digest(read_rows(iter(batch.to_pylist()), how.columns, clock))
            found.problems = [replace(p, line=done + p.line, file=shown_name(path.name)) for p in found.problems]
            total.add(found)
            done += batch.num_rows
            tell(f"reading {path.name}", done, count)
    except (broken, ValueError, OverflowError) as error:
        raise SourceError(f"cannot read {path} as Parquet: {error}") from error
    total.settle()
    return total, HistoryPiece(file, 0, count), []
