"""What people type to find runs: words with ``*`` for anything, states, and ``name:value``.

tidy.* failed who:quay longer:10m wrote:core.*
"""

import re
from dataclasses import dataclass, field

STATES = ("running", "done", "failed", "stopped", "unknown")
NAMES = ("job", "read", "wrote", "dataset", "column", "run", "who", "type", "longer", "shorter", "rows", "larger")
_UNITS = {"ms": 0.001, "s": 1.0, "": 1.0, "m": 60.0, "min": 60.0, "h": 3600.0, "d": 86_400.0}
_SIZES = {"": 1, "b": 1, "kb": 1_000, "mb": 1_000_000, "gb": 1_000_000_000, "tb": 1_000_000_000_000}
_SIZE = re.compile(r"(\d+(?:\.\d+)?)(b|kb|mb|gb|tb)?", re.IGNORECASE)
_DURATION = re.compile(r"(\d+(?:\.\d+)?)(ms|s|min|m|h|d)?")
_PART = re.compile(r'([a-z]+):"([^"]*)"|"([^"]*)"|(\S+)')
_MOST = 40


@dataclass(slots=True)
class Wanted:
    """What is looked for. words: that must all be there. states: of which one must hold. named: name → values,
    each of which must hold. longer, shorter: seconds. rows: least number of rows written; larger: of bytes."""

    words: list[str] = field(default_factory=list)
    states: list[str] = field(default_factory=list)
    named: dict[str, list[str]] = field(default_factory=dict)
    longer: float | None = None
    shorter: float | None = None
    rows: int | None = None
    larger: int | None = None


class BadSearch(ValueError):
    """What was typed cannot be understood; the message says which part."""


def read_search(typed: str) -> Wanted:
    """Read what was typed. Raises BadSearch.

    >>> read_search("tidy.* failed longer:10m").longer
    600.0
    """
    found = Wanted()
    for number, part in enumerate(_PART.finditer(typed)):
        if number == _MOST:
            raise BadSearch(f"more than {_MOST} words; leave some out")
        name, value, quoted, plain = part.groups()
        if quoted is not None or plain is not None:
            name, colon, value = (plain or "").partition(":")
            if quoted is not None or not colon or name not in NAMES:
                word = quoted if quoted is not None else plain
                if quoted is None and word in STATES:
                    found.states.append(word)
                elif word:
                    found.words.append(word)
                continue
        if not value:
            continue
        if name in ("longer", "shorter"):
            setattr(found, name, _seconds(name, value))
        elif name == "rows":
            if not value.isdecimal() or len(value) > 18:
                raise BadSearch(f"rows:{value[:40]} – expected a number, as rows:1000")
            found.rows = int(value)
        elif name == "larger":
            found.larger = _bytes(value)
        else:
            found.named.setdefault(name, []).append(value)
    return found


def _seconds(name: str, value: str) -> float:
    found = _DURATION.fullmatch(value)
    if found is None or len(value) > 20:
        raise BadSearch(f"{name}:{value[:40]} – expected a time, as {name}:90s, {name}:10m or {name}:2h")
    return float(found[1]) * _UNITS[found[2] or ""]


def _bytes(value: str) -> int:
    found = _SIZE.fullmatch(value)
    if found is None or len(value) > 20:
        raise BadSearch(f"larger:{value[:40]} – expected a size, as larger:10kB or larger:2MB")
    return int(float(found[1]) * _SIZES[(found[2] or "").lower()])
