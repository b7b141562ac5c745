"""Which dialect a text is written in: what speaks for each, and which of them can read it."""

import re
from dataclasses import dataclass

from jalan.sql.dialects import DIALECTS
from jalan.sql.grammar.script import Unread, parse

_LOOKED_AT = 200_000  # characters from the beginning
_TRIED = 5


@dataclass(frozen=True, slots=True)
class Guess:
    """The dialect, and why: what was found that speaks for it, with the line, or what else decided."""

    dialect: str
    reasons: tuple[str, ...]


def guess_dialect(text: str) -> Guess:
    """Guess the dialect of a text. PostgreSQL where nothing speaks for another one.

    >>> guess_dialect("select top 5 [port] from [dbo].[sailings]").dialect
    'tsql'
    """
    sample = text[:_LOOKED_AT]
    tells = {name: _tells(sample, name) for name in DIALECTS}
    order = list(DIALECTS)
    order.remove("postgresql")
    order.insert(0, "postgresql")
    likely = sorted(order, key=lambda name: -len(tells[name]))[:_TRIED]
    candidates = list(dict.fromkeys([*likely, "postgresql"]))
    unread = {name: _unread(sample, name) for name in candidates}
    best = min(candidates, key=lambda name: (unread[name], -len(tells[name]), order.index(name)))
    if unread[best]:
        # None reads all of it: another one may.
        unread |= {name: _unread(sample, name) for name in order if name not in unread}
        best = min(order, key=lambda name: (unread[name], -len(tells[name]), order.index(name)))
    reasons = tuple(tells[best])
    if not reasons:
        reasons = ("nothing in it speaks for another one",) if best == "postgresql" else ("it reads it best",)
    return Guess(best, reasons)


def _tells(text: str, name: str) -> list[str]:
    found = []
    for pattern, what in DIALECTS[name].tells:
        match = re.search(pattern, text, re.IGNORECASE)
        if match is not None:
            found.append(f"{what} (line {text.count(chr(10), 0, match.start()) + 1})")
    return found


def _unread(text: str, name: str) -> int:
    """How many statements this dialect cannot read."""
    return sum(1 for node in parse(text, DIALECTS[name]) if isinstance(node, Unread))
