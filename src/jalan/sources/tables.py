"""Reads tables from CSV, XLSX and Parquet files: every value as text, empty ones as nothing."""

import csv
from collections.abc import Iterator
from itertools import islice
from pathlib import Path
from typing import Any

import pyarrow.parquet as pq
from openpyxl import load_workbook
from openpyxl.utils.exceptions import InvalidFileException
from pyarrow import ArrowException

from jalan.sources.errors import FileError, SourceError

Row = dict[str, str]


def read_table(location: str, limit: int | None = None) -> tuple[list[str], list[Row]]:
    """Return the columns and the rows of a table, at most ``limit`` of them. Raises SourceError.

    The kind of the file is told by its name. Values lose the space around them.
    """
    path = Path(location).expanduser()
    if not path.is_file():
        raise SourceError(f"there is no file {location}")
    suffix = path.suffix.lower()
    if suffix == ".parquet":
        found = _parquet(path)
    elif suffix in (".xlsx", ".xlsm"):
        found = _xlsx(path)
    elif suffix in (".csv", ".tsv", ".txt"):
        found = _csv(path, "\t" if suffix == ".tsv" else None)
    else:
        raise SourceError(f"{location}: expected a file that ends in .csv, .tsv, .xlsx or .parquet")
    columns = [word.strip() for word in next(found, [])]
    if not columns:
        raise FileError(location, 1, "the table has no columns")
    doubles = sorted({name for name in columns if columns.count(name) > 1})
    if doubles:
        raise FileError(location, 1, f"there are several columns “{doubles[0]}”")
    rows = []
    for number, values in enumerate(islice(found, limit), 2):
        if len(values) > len(columns) and any(values[len(columns) :]):
            raise FileError(location, number, f"{len(values)} values for {len(columns)} columns")
        row = dict.fromkeys(columns, "")
        row.update(zip(columns, [value.strip() for value in values], strict=False))
        rows.append(row)
    return columns, rows


def _csv(path: Path, delimiter: str | None) -> Iterator[list[str]]:
    try:
        with path.open(encoding="utf-8-sig", newline="") as file:
            if delimiter is None:
                head = file.readline()
                delimiter = max(",;\t|", key=head.count)
                file.seek(0)
            for row in csv.reader(file, delimiter=delimiter):
                if row:
                    yield row
    except UnicodeDecodeError as error:
        raise FileError(path, 1, "the file is not in UTF-8") from error
    except csv.Error as error:
        raise SourceError(f"{path}: {error}") from error


def _xlsx(path: Path) -> Iterator[list[str]]:
    try:
        book = load_workbook(path, read_only=True, data_only=True)
    except (InvalidFileException, KeyError, OSError, ValueError) as error:
        raise SourceError(f"{path}: this is no XLSX file ({error})") from error
    try:
        for row in book.worksheets[0].iter_rows(values_only=True):
            values = [_text(value) for value in row]
            if any(values):
                yield values
    finally:
        book.close()


def _parquet(path: Path) -> Iterator[list[str]]:
    try:
        table = pq.ParquetFile(path)
        yield list(table.schema_arrow.names)
        for batch in table.iter_batches():
            columns = [column.to_pylist() for column in batch.columns]
            for values in zip(*columns, strict=True):
                yield [_text(value) for value in values]
    except ArrowException as error:
        raise SourceError(f"{path}: this is no Parquet file ({error})") from error


def _text(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    return str(value)
