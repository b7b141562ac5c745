"""Reads tables from CSV, XLSX and Parquet files: every value as text, empty ones as nothing."""

import zipfile
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from jalan.sources.errors import FileError, SourceError
from jalan.sources.extras import parquet_file, xlsx_book
from jalan.sources.files import Files, decoded
from jalan.usage.csv_records import BadRecord, Record, Shape, records

Row = dict[str, str]
_MOST_CELLS = 50_000_000
_UNPACKED = 20  # times the size of the packed file, if that is more than…
_ALWAYS_UNPACKED = 100_000_000  # …this many bytes
_SUFFIXES = (".csv", ".tsv", ".txt", ".xlsx", ".xlsm", ".parquet")


@dataclass(slots=True)
class Table:
    """The columns and rows of a table, and what could not be read.

    lines: where each row begins in the file.
    more: how many rows there are besides that could not be read.
    """

    columns: list[str]
    rows: list[Row] = field(default_factory=list)
    lines: list[int] = field(default_factory=list)
    bad: list[FileError] = field(default_factory=list)
    more: int = 0

    def skip(self, error: FileError) -> None:
        """Count a row that cannot be read."""
        if len(self.bad) < 100:
            self.bad.append(error)
        else:
            self.more += 1


def read_table(location: str, files: Files) -> Table:
    """Return a table. Raises SourceError where it cannot be read at all.

    The kind of the file is told by its name. Values lose the space around them.
    """
    suffix = Path(location).suffix.lower()
    if suffix not in _SUFFIXES:
        raise SourceError(f"{location}: expected a file that ends in .csv, .tsv, .xlsx or .parquet")
    path = files.sized(location)
    if suffix == ".parquet":
        found = _parquet(path)
    elif suffix in (".xlsx", ".xlsm"):
        found = _xlsx(path)
    else:
        found = _csv(location, files.read(location), "\t" if suffix == ".tsv" else None)
    table: Table | None = None
    cells = 0
    for line, values in found:
        if isinstance(values, BadRecord):
            error = FileError(location, line, values.message)
            if table is None:
                raise error
            table.skip(error)
        elif table is None:
            table = Table(_columns(location, line, values))
        else:
            _add(table, location, line, values)
            cells += len(values)
            if cells > _MOST_CELLS:
                raise SourceError(f"{location} has more than {_MOST_CELLS:,} values")
    if table is None:
        raise FileError(location, 1, "the table has no columns")
    return table


def _columns(location: str, line: int, values: list[str]) -> list[str]:
    columns = [word.strip() for word in values]
    while columns and not columns[-1]:
        columns.pop()
    if not columns:
        raise FileError(location, line, "the table has no columns")
    doubles = sorted({name for name in columns if columns.count(name) > 1})
    if doubles:
        raise FileError(location, line, f"there are several columns “{doubles[0]}”")
    return columns


def _add(table: Table, location: str, line: int, values: list[str]) -> None:
    columns = table.columns
    if len(values) > len(columns) and any(value.strip() for value in values[len(columns) :]):
        table.skip(FileError(location, line, f"{len(values)} values for {len(columns)} columns"))
        return
    if any("\0" in value for value in values):
        table.skip(FileError(location, line, "there is a NUL in it"))
        return
    row = dict.fromkeys(columns, "")
    row.update(zip(columns, [value.strip() for value in values], strict=False))
    table.rows.append(row)
    table.lines.append(line)


def _csv(location: str, data: bytes, delimiter: str | None) -> Iterator[tuple[int, list[str] | BadRecord]]:
    text = decoded(location, data)
    if delimiter is None:
        head = text.partition("\n")[0]
        delimiter = max(",;\t|", key=head.count)
    for record in records(text, Shape(delimiter=delimiter)):
        if not isinstance(record, Record):
            yield record.line, record
        elif record.values:
            yield record.line, record.values


def _xlsx(path: Path) -> Iterator[tuple[int, list[str] | BadRecord]]:
    # The library meets broken files with whatever exception came first.
    try:
        with zipfile.ZipFile(path) as packed:
            size = sum(member.file_size for member in packed.infolist())
        if size > max(_ALWAYS_UNPACKED, _UNPACKED * path.stat().st_size):
            raise SourceError(f"{path} opens to {size:,} bytes, which is more than is read of a file of this size")
        book = xlsx_book(path)
        if not book.worksheets:
            raise SourceError(f"{path} has no sheet")
    except SourceError:
        raise
    except Exception as error:
        raise SourceError(f"{path}: this is no XLSX file ({type(error).__name__})") from error
    try:
        for number, row in enumerate(book.worksheets[0].iter_rows(values_only=True), 1):
            values = [_text(value) for value in row]
            if any(values):
                yield number, values
    except Exception as error:
        raise SourceError(f"{path}: this XLSX file cannot be read to its end ({type(error).__name__})") from error
    finally:
        book.close()


def _parquet(path: Path) -> Iterator[tuple[int, list[str] | BadRecord]]:
    broken: type[Exception] = OSError
    try:
        table, broken = parquet_file(path)
        if table.metadata.num_rows * len(table.schema_arrow.names) > _MOST_CELLS:
            raise SourceError(f"{path} has more than {_MOST_CELLS:,} values")
        yield 1, list(table.schema_arrow.names)
        number = 1
        for batch in table.iter_batches(10_000):
            columns = [column.to_pylist() for column in batch.columns]
            for values in zip(*columns, strict=True):
                number += 1
                yield number, [_text(value) for value in values]
    except (broken, OSError, ValueError, OverflowError) as error:
        if isinstance(error, SourceError):
            raise
        raise SourceError(f"{path}: this is no Parquet file ({type(error).__name__})") from error


def _text(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    return str(value)
