"""Text to tokens, by one compiled regular expression a dialect.

The expression matches every character of the text, a token together with the space before it, so the pieces that
``findall`` returns lie end to end and their offsets are a running sum of their lengths: no match object is made
for a token. What a piece is depends on its text alone and is looked up in a dictionary; words come back again and
again.
"""

import re
from dataclasses import dataclass
from functools import cache
from itertools import accumulate, compress
from operator import add, itemgetter

from jalan.sql.dialects.dialect import Dialect, Folding

SKIP, WORD, QUOTED, STRING, NUMBER, OPERATOR, PARAMETER, INVALID, LOCATION, END = range(10)

_KIND, _KEY, _SPACE = itemgetter(0), itemgetter(1), itemgetter(2)
_MAX_OPERATOR = 62  # PostgreSQL allows 63 characters; the bound keeps a run of operator characters linear.
_MARKS = r"[+\-*/<>=~!@#%^&|`?]"
_COMMENT_DEPTH = 6  # Comments nested deeper than this end at the first closing mark too many.
_CACHE_LIMIT = 100_000
_CACHED_LENGTH = 40
_BRACKET_STRINGS = (r"\[.*?\]", r"\{.*?\}", r"\(.*?\)", "<.*?>", "!.*?!", r"\|.*?\|", "#.*?#", "~.*?~", '".*?"')

# What a template engine or a shell would put something in for. Braces inside braces once, for a call's mapping.
_HOLE = r"\{\{(?:[^{}]|\{[^{}]*\})*\}\}|\$\{[^{}\n]*\}"
_TAG = r"\{%(?:[^%{]|%(?!\})|\{(?!%))*%\}|\{#(?:[^#{]|#(?!\})|\{(?!#))*#\}"


@dataclass(slots=True, eq=False)
class Tokens:
    """The tokens of a text as parallel sequences, closed by one END token at the end of the text.

    kinds: one of the kinds above.
    keys: what the grammar compares with: words in lower case, operators as written, one mark for each other kind
        (``'`` string, ``"`` quoted name, ``{{`` name with a template's hole in it, ``0`` number, ``$`` parameter,
        ``@/`` location, empty at the end).
    starts, ends: offsets in the text, end exclusive.
    spellings: the tokens themselves where they are not what the text has at these offsets (a template that was
        filled in, a statement put together from pieces).
    """

    text: str
    kinds: list[int]
    keys: list[str]
    starts: list[int]
    ends: list[int]
    spellings: list[str] | None = None

    def written(self, i: int) -> str:
        """Return a token as it is written; beyond the end there is nothing."""
        if i >= len(self.kinds):
            return ""
        if self.spellings is not None:
            return self.spellings[i]
        return self.text[self.starts[i] : self.ends[i]]


Entry = tuple[int, str, int]
"""Kind, key, and how much space stands before the token."""


class _Classes(dict[str, Entry]):
    """Piece of text → entry, filled on first sight. Long pieces are not kept: they hardly repeat."""

    def __init__(self, dialect: Dialect) -> None:
        super().__init__()
        self._quotes = dict(dialect.identifier_quotes)
        self._strings = dialect.string_quotes
        self._prefix = re.compile(rf"(?:{dialect.string_prefixes}|[nN]?[qQ](?='))?(?=['\"])")
        self._backslashes = dialect.backslash_escapes
        self._escapes = dialect.escape_prefixes
        self._comments = (
            (*dialect.line_comments, "/*", "*/") if dialect.executed_comments else (*dialect.line_comments, "/*")
        )
        self._name_starts = dialect.name_starts
        self._stages = dialect.stages
        self._triple = dialect.triple_quotes
        self._digit_names = dialect.digit_names
        self._number = re.compile(_number_pattern(dialect))

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
        if text.startswith(self._comments):
            return (SKIP, "")
        prefix = self._prefix.match(text)
        opening = prefix.end() if prefix is not None else 0
        quote = text[opening]
        if quote in self._strings and quote in "'\"":
            return (STRING if self._is_closed(text, opening) else INVALID, "'")
        if quote in self._quotes and (opening == 0 or quote == '"'):
            closed = len(text) > opening + 1 and text[-1] == self._quotes[quote]
            return (QUOTED if closed else INVALID, '"')
        if first.isdigit() or (first == "." and len(text) > 1 and text[1].isdigit()):
            if self._digit_names and not self._number.fullmatch(text):
                return (WORD, text.lower())
            return (NUMBER, "0")
        if text.startswith(("{%", "{#")):
            return (SKIP, "")
        if len(text) > 3 and text[-1] != "$" and ("{{" in text or "${" in text):
            return (QUOTED, "{{")
        if first == "$" and first not in self._name_starts:
            if len(text) > 1 and text[1:].replace("_", "a").isalnum():
                return (PARAMETER, "$")
            return (STRING if len(text) > 2 else INVALID, "'")
        if first.isalpha() or first == "_" or (first in self._name_starts and len(text) > 1):
            return (WORD, text.lower())
        if first == "@" and len(text) > 1 and self._stages:
            return (LOCATION, "@/")
        if first in ":@&?":
            name = text.lstrip(":@&?")
            if name and (name[0].isalnum() or name[0] in "_'\"`."):
                return (PARAMETER, "$")
        if first in "+-*/<>=~!@#%^&|`?:,().;[]{}":
            return (OPERATOR, text)
        return (INVALID, text)

    def _is_closed(self, text: str, opening: int) -> bool:
        quote = text[opening]
        if text[:opening].lower().endswith("q"):
            return len(text) > opening + 3 and text[-1] == quote
        width = 3 if self._triple and text[opening : opening + 3] == quote * 3 else 1
        body = text[opening + width : -width]
        if len(text) < opening + 2 * width or not text.endswith(quote * width):
            return False
        if self._backslashes or (opening and text[0] in self._escapes):
            body = re.sub(r"\\.", "", body, flags=re.DOTALL)
            if body.endswith("\\"):
                return False
        return width == 3 or body.replace(quote * 2, "").count(quote) == 0


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


def _string_patterns(dialect: Dialect) -> list[str]:
    found = []
    prefixes = dialect.string_prefixes
    escapes = dialect.escape_prefixes
    for quote in dialect.string_quotes:
        plain = rf"{quote}(?:[^{quote}]++|{quote}{quote})*(?:{quote}|\Z)"
        escaped = rf"{quote}(?:[^{quote}\\]++|{quote}{quote}|\\(?:.|\Z))*(?:{quote}|\Z)"
        if dialect.triple_quotes:
            triple = quote * 3
            body = rf"(?:[^{quote}\\]++|\\(?:.|\Z)|{quote}(?!{quote}{quote}))*"
            found.append(rf"(?:{prefixes})?{triple}{body}(?:{triple}|\Z)")
        body = escaped if dialect.backslash_escapes else plain
        found.append(body)
        if escapes:
            found.append(rf"[{escapes}]{escaped}")
        if prefixes:
            found.append(rf"(?:{prefixes}){body}")
    if dialect.bracket_strings:
        found.insert(0, rf"[nN]?[qQ]'(?:{'|'.join(_BRACKET_STRINGS)})'")
    if "&" in prefixes:
        found.append(r'[uU]&"(?:[^"]++|"")*(?:"|\Z)')
    return found


def _number_pattern(dialect: Dialect) -> str:
    suffix = rf"(?:(?:{dialect.number_suffixes})(?!\w))?" if dialect.number_suffixes else ""
    power = r"(?:[eE][+\-]?\d++)?"
    return (
        rf"0[xX][0-9a-fA-F_]++|\d[\d_]*+(?:\.(?!\.)[\d_]*+)?{power}{suffix}"
        rf"|(?<![\w\"\]`])\.\d[\d_]*+{power}{suffix}"
    )


def _operator_pattern(dialect: Dialect) -> str:
    """The operators of the dialect, longest first; where any may be made, PostgreSQL's rule for where one ends.

    A placeholder ends an operator: none of PostgreSQL's has a ``?`` behind another sign than ``@`` or ``?``, and
    ``%s`` behind a sign is what its drivers put a value in for.
    """
    if dialect.operators:
        return "|".join(re.escape(o) for o in sorted(dialect.operators, key=lambda o: (-len(o), o)))
    no_comment = "(?!" + "|".join(map(re.escape, (*dialect.line_comments, "/*"))) + ")"
    plain, special = r"[+\-*/<>=]", r"[~!@#%^&|`]"
    inside = rf"(?:(?!%s\b|%\(\w+\)s\b)[+\-*/<>=~!@#%^&|`]|(?<=\?)\?|(?<=@)(?<!{_MARKS}@)\?)"
    first = rf"(?:(?:{no_comment}{plain}){{1,{_MAX_OPERATOR}}}(?!%s\b|%\(\w+\)s\b))?{special}|\?"
    return (
        rf"(?:{first})(?:{no_comment}{inside}){{0,{_MAX_OPERATOR}}}"
        rf"|(?:{no_comment}{plain}){{0,{_MAX_OPERATOR}}}{no_comment}[*/<>=]|[+\-]"
    )


def _pattern(dialect: Dialect, dollar: bool) -> re.Pattern[str]:
    starts, rest = re.escape(dialect.name_starts), re.escape(dialect.name_characters)
    words = rf"(?:[^\W\d]|[{starts}])[\w{rest}]*+" if starts else rf"[^\W\d][\w{rest}]*+"
    quoted = [
        rf"{re.escape(o)}(?:[^{re.escape(c)}]++|{re.escape(c) * 2})*(?:{re.escape(c)}|\Z)"
        for o, c in dialect.identifier_quotes
    ]
    brackets = r"\]" if ("[", "]") in dialect.identifier_quotes else r"\[\]"
    # Two slashes behind a colon are those of an address: file:///tmp, s3://bucket.
    comments = [
        rf"{'(?<![:/])' if opening == '//' else ''}{re.escape(opening)}[^\n\r]*+"
        for opening in dialect.line_comments
    ]
    if dialect.executed_comments:
        comments += [r"/\*M?!\d*+", r"\*/(?!\*)"]
    number = _number_pattern(dialect)
    # The commonest first: an alternative is tried only where those before it do not match.
    parts = [
        # Words of plain letters first: that a character is among some is found out faster than its class.
        rf"[A-Za-z_{starts}][A-Za-z0-9_{rest}]*+(?!['&\"{{\x80-\U0010ffff])",
        rf"{words}(?!['&\"{{])",
        rf"::|:=|[,();}}{brackets}]|\.(?![\d.])|\{{(?![{{%#])"
        + ("" if dialect.operators else rf"|[*/<>=](?!{_MARKS})|=>(?!{_MARKS})"),
        r"\d++(?![\w.])",
        *_string_patterns(dialect),
        rf"(?:[^\W\d]\w*+)?(?:{_HOLE})(?:{_HOLE}|\w)*",
        words,
        *([rf"(?!(?:{number})(?!\w))\d+[^\W\d]\w*+"] if dialect.digit_names else []),
        number,
        *quoted,
        *comments,
        _comment_pattern(dialect.nested_comments),
        _TAG,
        *([r"@[~%]?(?:(?!/\*)[\w$\"./*=%-])+"] if dialect.stages else []),
        *([r"\$(?P<tag>(?:[^\W\d]\w*)?)\$(?:.*?\$(?P=tag)\$|.*\Z)"] if dollar else []),
        *dialect.parameter_patterns,
        _operator_pattern(dialect),
        ".",
    ]
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
        entries = list(map(self._classes.__getitem__, pieces))
        offsets = list(accumulate(map(len, pieces), initial=0))
        ends = offsets[1:]
        kinds = list(map(_KIND, entries))
        if SKIP in kinds:
            entries = list(compress(entries, kinds))
            offsets = list(compress(offsets, kinds))
            ends = list(compress(ends, kinds))
            kinds = list(filter(None, kinds))
        keys = list(map(_KEY, entries))
        starts = list(map(add, offsets, map(_SPACE, entries)))
        kinds.append(END)
        keys.append("")
        starts.append(len(text))
        ends.append(len(text))
        return Tokens(text, kinds, keys, starts, ends)


def identifier(text: str, kind: int, folding: Folding) -> str:
    """Return the name that a WORD or QUOTED token stands for."""
    if kind == WORD:
        name = folding.apply(text)
    elif "{{" in text or "${" in text:
        name = text  # a hole of a template may hold anything
        if text[0] in '"`[':
            name = text[1:-1]
    elif text[0] in "uU":
        body = text[3:-1].replace('""', '"')
        name = re.sub(
            r"\\(\\|[0-9a-fA-F]{4}|\+[0-9a-fA-F]{6})",
            lambda m: "\\" if m[1] == "\\" else _character(m[1].lstrip("+"), m[0]),
            body,
        )
    else:
        closing = text[-1]
        name = text[1:-1].replace(closing * 2, closing)
    return folding.named(name)


def _character(digits: str, written: str) -> str:
    code = int(digits, 16)
    return chr(code) if code < 0x110000 else written


@cache
def _lexer(dialect: Dialect) -> Lexer:
    return Lexer(dialect)


def tokenize(text: str, dialect: Dialect) -> Tokens:
    """Return the tokens of the text in that dialect."""
    return _lexer(dialect).read(text)
