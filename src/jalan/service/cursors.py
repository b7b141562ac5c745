"""Cursors of lists that come a page at a time."""

import base64
import binascii
import json
from collections.abc import Callable
from typing import Any

_LARGEST = 1 << 31


class BadCursor(ValueError):
    """The cursor was not given out by the list; the message says which."""


def write_cursor(offset: int) -> str:
    """Return the cursor of a page."""
    return base64.urlsafe_b64encode(str(offset).encode()).decode()


def read_cursor(cursor: str | None, of: str) -> int:
    """Return where a page begins; the first one without a cursor. Raises BadCursor. of: which list, in words."""
    if cursor is None:
        return 0
    try:
        return min(max(0, int(base64.urlsafe_b64decode(cursor.encode()).decode())), _LARGEST)
    except (binascii.Error, ValueError) as error:
        raise BadCursor(f"“{cursor}” is no cursor of {of}; leave it out for the first page") from error


def pack(position: list[Any]) -> str:
    """Return the cursor of what follows a position."""
    return base64.urlsafe_b64encode(json.dumps(position).encode()).decode()


def unpack(cursor: str, of: str, *parts: Callable[[Any], Any]) -> tuple[Any, ...]:
    """Return the position of a cursor. Raises BadCursor. of: which list, in words. parts: what reads each part."""
    try:
        found = json.loads(base64.urlsafe_b64decode(cursor.encode()).decode())
        return tuple(read(part) for read, part in zip(parts, found, strict=True))
    except (ValueError, TypeError, OverflowError, RecursionError) as error:
        raise BadCursor(f"“{cursor[:80]}” is no cursor of {of}; leave it out for the first page") from error
