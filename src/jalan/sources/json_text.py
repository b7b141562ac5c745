"""JSON of others: what is in it that no database can keep."""

from typing import Any

_WRITTEN = b"\\u0000"


def holds_nul(data: bytes, value: Any) -> bool:
    """Whether a text in a value has a NUL. data: the JSON that it was read from.

    >>> import json
    >>> [holds_nul(json.dumps(text).encode(), text) for text in ("a" + chr(0), "a")]
    [True, False]
    """
    if _WRITTEN not in data:
        return False
    waiting = [value]
    while waiting:
        one = waiting.pop()
        if isinstance(one, str):
            if "\0" in one:
                return True
        elif isinstance(one, dict):
            waiting += [*one, *one.values()]
        elif isinstance(one, list):
            waiting += one
    return False
