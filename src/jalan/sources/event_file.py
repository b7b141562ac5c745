"""Reads OpenLineage events from a file: one a line, or an array."""

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import orjson

from jalan.sources.errors import FileError, SourceError


def read_event_file(location: str) -> Iterator[tuple[int, Any]]:
    """Yield each event with its line, or its place in the array. Raises SourceError."""
    path = Path(location).expanduser()
    try:
        with path.open("rb") as file:
            first = file.read(1)
            file.seek(0)
            if first == b"[":
                yield from enumerate(orjson.loads(file.read()), 1)
                return
            for number, line in enumerate(file, 1):
                if line.strip():
                    try:
                        yield number, orjson.loads(line)
                    except orjson.JSONDecodeError as error:
                        raise FileError(location, number, f"this is no JSON: {error}") from error
    except orjson.JSONDecodeError as error:
        raise SourceError(f"{location} is no JSON: {error}") from error
    except OSError as error:
        raise SourceError(f"cannot read {location}: {error.strerror}") from error
