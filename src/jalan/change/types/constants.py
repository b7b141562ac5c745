"""Constants in quotes: whether a type would take them as they are written."""

import re

_WHOLE = re.compile(r"\s*[+-]?\d+\s*\Z")
_NUMBER = re.compile(r"\s*([+-]?(\d+\.?\d*|\.\d+)(e[+-]?\d+)?|nan|[+-]?inf(inity)?)\s*\Z", re.IGNORECASE)
_UUID = re.compile(r"\s*\{?[0-9a-f]{4}(-?[0-9a-f]{4}){7}\}?\s*\Z", re.IGNORECASE)
_TRUTH = frozenset(
    [word[:n] for word in ("true", "false", "yes", "no") for n in range(1, len(word) + 1)]
    + ["on", "off", "of", "1", "0"]
)
_LIMITS = {"smallint": 2**15, "integer": 2**31, "bigint": 2**63}


def what_is_wrong(constant: str, base: str) -> str | None:
    """Return what the database says of a constant that a type does not take; none where it does, or nobody knows.

    >>> what_is_wrong("late", "integer")
    'invalid input syntax for type integer: "late"'
    """
    wrong = f'invalid input syntax for type {base}: "{constant}"'
    if base in _LIMITS:
        if not _WHOLE.match(constant):
            return wrong
        if not -_LIMITS[base] <= int(constant) < _LIMITS[base]:
            return f'value "{constant}" is out of range for type {base}'
    elif base in ("numeric", "real", "double precision"):
        return None if _NUMBER.match(constant) else wrong
    elif base == "boolean":
        return None if constant.strip().lower() in _TRUTH else wrong
    elif base == "uuid":
        return None if _UUID.match(constant) else wrong
    elif base in ("date", "timestamp without time zone", "timestamp with time zone"):
        # Of the many ways to write a time only this is certain: something of it must be a digit, or a known word.
        known = any(one.isdigit() for one in constant) or constant.strip().lower() in _WORDS
        return None if known else wrong
    return None


_WORDS = frozenset({"infinity", "-infinity", "epoch", "now", "today", "tomorrow", "yesterday", "allballs"})
