"""Text to tokens, by one compiled regular expression a dialect.

The expression matches every character of the text, a token together with the space before it, so the pieces that
``findall`` returns lie end to end and their offsets are a running sum of their lengths: no match object is made
for a token. What a piece is depends on its text alone and is looked up in a dictionary; words come back again and
again.
"""

import re
from dataclasses import dataclass
from itertools import accumulate, compress
from operator import add

from jalan.sql.dialect import Dialect, Folding

SKIP, WORD, QUOTED, STRING, NUMBER, OPERATOR, PARAMETER, INVALID, END = range(9)

_MAX_OPERATOR = 62  # PostgreSQL allows 63 characters; the bound keeps a run of operator characters linear.
_COMMENT_DEPTH = 6  # Comments nested deeper than this end at the first closing mark too many.
_CACHE_LIMIT = 100_000
_CACHED_LENGTH = 40


@dataclass(slots=True, eq=False)
class Tokens:
    """The tokens of a text as parallel sequences, closed by one END token at the end of the text.

    kinds: one of the kinds above. keys: what the grammar compares with: words in lower case, operators as
    written, one mark for each other kind (``'`` string, ``"`` quoted name, ``0`` number, ``$`` parameter,
    empty at the end). starts, ends: offsets in the text, end exclusive.
    """

    text: str
    kinds: tuple[int, ...]
    keys: tuple[str, ...]
    starts: list[int]
    ends: list[int]

    def written(self, i: int) -> str:
        """Return a token as it is written."""
        return self.text[self.starts[i] : self.ends[i]]


Entry = tuple[int, str, int]
"""Kind, key, and how much space stands before the token."""


class _Classes(dict[str, Entry]):
    """Piece of text → entry, filled on first sight. Long pieces are not kept: they hardly repeat."""

    def __init__(self, dialect: Dialect) -> None:
        super().__init__()
        self._quotes = dict(dialect.identifier_quotes)

    def __missing__(self, piece: str) -> Entry:
        text = piece.lstrip()
        kind, key = self._classify(text) if text else (SKIP, "")
        entry = (kind, key, len(piece) - len(text))
        if len(piece) <= _CACHED_LENGTH:
            if len(self) > _CACHE_LIMIT:
                self.clear()
            self[piece] = entry
        return entry

    def _classify(self, text: str) -> tuple[int, str]:
        first = text[0]
        if text.startswith(("--", "/*")):
            return (SKIP, "")
        if first == "'" or (text[-1] == "'" and "'" in text[:3] and first not in ":"):
            closed = len(text) - text.index("'") > 1 and text[-1] == "'"
            return (STRING if closed else INVALID, "'")
        if first in self._quotes or text[:3].lower() == 'u&"':
            closed = len(text) > 1 and text[-1] in self._quotes.values()
            return (QUOTED if closed else INVALID, '"')
        if first.isdigit() or (first == "." and len(text) > 1 and text[1].isdigit()):
            return (NUMBER, "0")
        if first == "$":
            return (PARAMETER, "$") if text[1:].isdigit() else (STRING if len(text) > 2 else INVALID, "'")
        if first.isalpha() or first == "_":
            if len(text) > 2 and text[1] in "'&" and "'" in text:  # an unterminated prefixed string
                return (INVALID, "'")
            return (WORD, text.lower())
        if (first == ":" and len(text) > 1 and text not in ("::", ":=")) or text.startswith("%("):
            return (PARAMETER, "$")
        if first in "+-*/<>=~!@#%^&|`?:,().;[]{}":
            return (OPERATOR, text)
        return (INVALID, text)


# Groups are repeated greedily, never possessively: Python before 3.11.5 (Debian 12 has 3.11.2) matches possessive
# groups wrongly. It costs nothing: the alternatives of each group exclude one another, and what follows a group
# (the closing mark, or the end of the text) always matches, so there is nothing to step back for.


def _comment_pattern(nested: bool) -> str:
    if not nested:
        return r"/\*(?:[^*]++|\*(?!/))*(?:\*/|\Z)"
    pattern = r"/\*(?:[^*]++|\*(?!/))*(?:\*/|\Z)"
    for _ in range(_COMMENT_DEPTH):
        pattern = rf"/\*(?:[^*/]++|\*(?!/)|/(?!\*)|{pattern})*(?:\*/|\Z)"
    return pattern


def _pattern(dialect: Dialect, dollar: bool) -> re.Pattern[str]:
    strings = [r"'(?:[^']++|'')*(?:'|\Z)"]
    words = r"[^\W\d][\w$]*+"
    if dialect.escape_strings:
        strings.append(r"[eE]'(?:[^'\\]++|''|\\(?:.|\Z))*(?:'|\Z)")
        strings.append(r"[bBxXnN]'(?:[^']++|'')*(?:'|\Z)")
        strings.append(r"[uU]&'(?:[^']++|'')*(?:'|\Z)")
        strings.append(r'[uU]&"(?:[^"]++|"")*(?:"|\Z)')
    quoted = [
        rf"{re.escape(o)}(?:[^{re.escape(c)}]++|{re.escape(c) * 2})*(?:{re.escape(c)}|\Z)"
        for o, c in dialect.identifier_quotes
    ]
    plain, special = r"[+\-*/<>=]", r"[~!@#%^&|`?]"
    no_comment = r"(?!--|/\*)"
    operator = (
        rf"(?:{no_comment}{plain}){{0,{_MAX_OPERATOR}}}{special}(?:{no_comment}[+\-*/<>=~!@#%^&|`?]){{0,{_MAX_OPERATOR}}}"
        rf"|(?:{no_comment}{plain}){{0,{_MAX_OPERATOR}}}{no_comment}[*/<>=]|[+\-]"
    )
    # The commonest first: an alternative is tried only where those before it do not match.
    parts = [
        rf"{words}(?!['&\"])",
        r"::|:=|[,()\[\]{};]|\.(?![\d.])|=>?(?![+\-*/<>=~!@#%^&|`?])",
        *strings,
        words,
        r"0[xX][0-9a-fA-F_]++|\d[\d_]*+(?:\.(?!\.)[\d_]*+)?(?:[eE][+\-]?\d++)?|\.\d[\d_]*+(?:[eE][+\-]?\d++)?",
        *quoted,
        r"--[^\n\r]*+",
        _comment_pattern(dialect.nested_comments),
        *dialect.parameter_patterns,
    ]
    if dollar:
        parts.append(r"\$(?P<tag>(?:[^\W\d]\w*)?)\$(?:.*?\$(?P=tag)\$|.*\Z)")
    parts += [operator, "."]
    body = rf"\s*+(?:{'|'.join(parts)})|\s++"
    return re.compile(f"({body})" if dollar else body, re.DOTALL)


class Lexer:
    """Reads the text of one dialect into tokens. One object serves any number of texts."""

    def __init__(self, dialect: Dialect) -> None:
        self._plain = _pattern(dialect, dollar=False).findall
        self._dollar = _pattern(dialect, dollar=True).findall if dialect.dollar_strings else None
        self._classes = _Classes(dialect)

    def read(self, text: str) -> Tokens:
        """Return the tokens of the text, spaces and comments left out. Never raises."""
        pieces: list[str]
        if self._dollar is not None and "$" in text:
            pieces = [found[0] for found in self._dollar(text)]
        else:
            pieces = self._plain(text)
        classes = self._classes
        entries = [classes[piece] for piece in pieces]
        offsets = list(accumulate(map(len, pieces), initial=0))
        ends = offsets[1:]
        kept = [entry[0] for entry in entries]
        if SKIP in kept:
            entries = list(compress(entries, kept))
            offsets = list(compress(offsets, kept))
            ends = list(compress(ends, kept))
        entries.append((END, "", 0))
        if len(offsets) < len(entries):
            offsets.append(0)
        offsets[len(entries) - 1] = len(text)
        ends.append(len(text))
        kinds, keys, spaces = zip(*entries, strict=True)
        return Tokens(text, kinds, keys, list(map(add, offsets, spaces)), ends)


def identifier(text: str, kind: int, folding: Folding) -> str:
    """Return the name that a WORD or QUOTED token stands for."""
    if kind == WORD:
        return folding.apply(text)
    if text[0] in "uU":
        body = text[3:-1].replace('""', '"')
        return re.sub(
            r"\\(\\|[0-9a-fA-F]{4}|\+[0-9a-fA-F]{6})",
            lambda m: "\\" if m[1] == "\\" else _character(m[1].lstrip("+"), m[0]),
            body,
        )
    closing = text[-1]
    return text[1:-1].replace(closing * 2, closing)


def _character(digits: str, written: str) -> str:
    code = int(digits, 16)
    return chr(code) if code < 0x110000 else written
