"""Rows of a long answer as a stream: CSV, or a JSON object a line."""

import csv
import io
from collections.abc import Iterable, Sequence
from typing import Literal

import orjson

StreamForm = Literal["ndjson", "csv"]


def header(columns: Sequence[str], form: StreamForm) -> bytes:
    """Return what stands before the first row."""
    return (",".join(columns) + "\n").encode() if form == "csv" else b""


def written(columns: Sequence[str], rows: Iterable[Sequence[object]], form: StreamForm) -> bytes:
    """Return rows as they are sent."""
    if form == "ndjson":
        return b"".join(orjson.dumps(dict(zip(columns, row, strict=True))) + b"\n" for row in rows)
    out = io.StringIO()
    csv.writer(out, lineterminator="\n").writerows(rows)
    return out.getvalue().encode()
