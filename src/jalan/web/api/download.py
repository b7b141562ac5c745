"""Rows of a long answer as a file."""

from collections.abc import Iterator

from fastapi.responses import StreamingResponse

from jalan.service.streams import StreamForm

_TYPES: dict[StreamForm, str] = {"csv": "text/csv", "ndjson": "application/x-ndjson"}


def download(name: str, rows: Iterator[bytes], form: StreamForm) -> StreamingResponse:
    """Return rows as a stream that a browser keeps as a file."""
    headers = {"Content-Disposition": f'attachment; filename="{name}.{form}"'}
    return StreamingResponse(rows, media_type=_TYPES[form], headers=headers)
