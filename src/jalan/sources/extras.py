"""Libraries that only some kinds of files need: an extra of the installation, loaded when asked for."""

from typing import Any

from jalan.sources.errors import SourceError

_HOW = "install it with: pip install 'jalan[files]'"


def parquet_file(path: object) -> tuple[Any, type[Exception]]:
    """Open a Parquet file; returns it, and what is raised where it is broken.

    Raises SourceError where pyarrow is not installed; ArrowException, OSError, ValueError or OverflowError where
    this is no Parquet file.
    """
    try:
        import pyarrow
        from pyarrow import parquet
    except ImportError as error:
        raise SourceError(f"reading Parquet needs pyarrow, which is not installed; {_HOW}") from error
    try:
        return parquet.ParquetFile(path), pyarrow.ArrowException
    except pyarrow.ArrowException as error:
        raise ValueError(str(error)) from error


def xlsx_book(path: object) -> Any:
    """Open an XLSX workbook for reading. Raises SourceError where openpyxl is not installed."""
    try:
        from openpyxl import load_workbook
    except ImportError as error:
        raise SourceError(f"reading XLSX needs openpyxl, which is not installed; {_HOW}") from error
    return load_workbook(path, read_only=True, data_only=True)  # type: ignore[arg-type]
