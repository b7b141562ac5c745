"""Reads OpenLineage events from a file: one a line, or an array."""

from collections.abc import Iterator
from typing import Any

import orjson

from jalan.sources.errors import FileError, SourceError
from jalan.sources.files import Files
from jalan.sources.json_text import holds_nul

_LONGEST = 20_000_000  # bytes of one event
_NUL = "there is a NUL in it, which no database can keep"


def read_event_file(location: str, files: Files) -> Iterator[tuple[int, Any]]:
    """Yield each event with its line, or its place in the array; a FileError where there should be one.

    Raises SourceError where the file cannot be read.
    """
    with files.open(location) as file:
        first = file.read(1)
        if first == b"[":
            yield from _array(location, files)
            return
        file.seek(0)
        number = 0
        while line := file.readline(_LONGEST + 1):
            number += 1
            if len(line) > _LONGEST:
                while line and not line.endswith(b"\n"):
                    line = file.readline(_LONGEST)
                yield number, FileError(location, number, f"this event has more than {_LONGEST:,} bytes")
            elif line.strip():
                yield number, _event(location, number, line)


def _array(location: str, files: Files) -> Iterator[tuple[int, Any]]:
    data = files.read(location)
    try:
        found = orjson.loads(data)
    except orjson.JSONDecodeError as error:
        raise SourceError(f"{location} is no JSON: {error}") from error
    for number, event in enumerate(found, 1):
        yield number, FileError(location, number, _NUL) if holds_nul(data, event) else event


def _event(location: str, number: int, line: bytes) -> Any:
    try:
        found = orjson.loads(line)
    except orjson.JSONDecodeError as error:
        return FileError(location, number, f"this is no JSON: {error}")
    return FileError(location, number, _NUL) if holds_nul(line, found) else found
