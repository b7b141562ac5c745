"""What makes two statements the same query with other constants, and a statement without its constants.

Both work on tokens alone, so they read what the grammar does not. A history repeats the same queries with other
constants, so a fingerprint is remembered under the text with its plain constants masked: then it costs less than
lexing.
"""

import re
from hashlib import blake2b

from jalan.sql.dialects import get_dialect
from jalan.sql.dialects.dialect import Dialect
from jalan.sql.lexer import END, INVALID, LOCATION, NUMBER, OPERATOR, QUOTED, STRING, WORD, Tokens, tokenize

# On the tokens' keys with a space around each: "'" is a string, "0" a number, "$" a parameter.
_CONSTANTS = re.compile(r"(?: ')+(?= )| [0$](?= )")
_SIGNS = re.compile(
    r"( (?:[(,=<>\[]|<=|>=|<>|!=|between|and|limit|offset|then|else|when|select|in|return|values)) [+-](?= \?)"
)
_WORDS = re.compile(r"(?<= [(,]) (?:null|true|false)(?= [,)] )")
# A list of constants of any length is one: (?, ?, ?) becomes (?), (?), (?) becomes (?).
_ITEMS = re.compile(r"\? (?:, \? )+")
_ROWS = re.compile(r"\( \? \) (?:, \( \? \) )+")
_WRITTEN = frozenset({QUOTED, INVALID, LOCATION})


# A constant behind a sign that no name and no other kind of string ends with. The sign is kept: it is a group.
_PLAIN = re.compile(r"""([\s(=,<>+*/%|^~!;-])(?:'[^']*'|\d+(?:\.\d+)?(?![\w.]))""")
# Where any of this is in a text, what looks like a constant may be part of a name, a comment or another string.
_NOT_PLAIN = ("\\", '"', "`", "#", "[", "{", "--", "/*", "\0")
_DOLLAR = re.compile(r"\$(?!\d)")
_REMEMBERED = 20_000
_LONGEST_REMEMBERED = 10_000
_known: dict[tuple[str, str], str] = {}


def masked(text: str) -> str | None:
    """Return a key that is the same for texts which differ in plain constants, none where that takes a lexer.

    Texts with the same key have the same fingerprint; the other way round it need not hold.
    """
    for sign in _NOT_PLAIN:
        if sign in text:
            return None
    if "$" in text and _DOLLAR.search(text):
        return None
    key = "\0".join(_PLAIN.split(text))
    return None if "'" in key else key


def fingerprint(text: str, dialect: Dialect | str = "postgresql") -> str:
    """Return 32 hexadecimal digits that are the same for the same query with other constants, spacing, comments,
    or case of names without quotes; lists of constants count the same whatever their length.

    Source of the hash: BLAKE2b, 16 bytes. Raises UnknownDialect.
    """
    rules = _rules(dialect)
    # A text that cannot be masked has signs in it that no masked text has, so the two do not meet.
    key = (rules.name, masked(text) or text)
    found = _known.get(key)
    if found is None:
        if len(_known) >= _REMEMBERED:
            _known.clear()
        found = fingerprint_of(tokenize(text, rules))
        if len(text) <= _LONGEST_REMEMBERED:
            _known[key] = found
    return found


def _rules(dialect: Dialect | str) -> Dialect:
    return get_dialect(dialect) if isinstance(dialect, str) else dialect


def fingerprint_of(tokens: Tokens) -> str:
    """Return the fingerprint of tokens; it costs less than reading them did."""
    keys, kinds = tokens.keys, tokens.kinds
    if not _WRITTEN.isdisjoint(kinds):
        keys = list(keys)
        for i, kind in enumerate(kinds):
            if kind in _WRITTEN:
                keys[i] = tokens.written(i)
    shape = _SIGNS.sub(r"\1", _CONSTANTS.sub(" ?", f" {' '.join(keys)}"))
    shape = _ROWS.sub("( ? ) ", _ITEMS.sub("? ", _WORDS.sub(" ?", shape)))
    return blake2b(shape.rstrip("; ").encode("utf-8", "surrogatepass"), digest_size=16).hexdigest()


def redact(text: str, dialect: Dialect | str = "postgresql") -> str:
    """Return the text without comments and with every constant replaced: strings by ``'?'``, numbers by ``0``.

    What is left is the query as it was written, readable and parsable. Names keep: in quotes they are names, not
    constants. The ordinals of GROUP BY and ORDER BY keep too: they name columns. A text that is never closed is
    cut off there, since what follows may be anything.
    """
    dialect = _rules(dialect)
    tokens = tokenize(text, dialect)
    found: list[str] = []
    end = 0
    keys, kinds = tokens.keys, tokens.kinds
    for i, kind in enumerate(kinds):
        start = tokens.starts[i]
        gap = text[end:start]
        # Between tokens there is space and comments; the space is kept as far as it keeps lines apart.
        if gap:
            found.append("\n" if "\n" in gap else " " if (not gap.strip() or found) else "")
        if kind == END:
            break
        written = tokens.written(i)
        end = tokens.ends[i]
        if kind == STRING and keys[i - 2 : i] == ["unload", "("] and written[0] == "'":
            inner = redact(written[1:-1].replace("''", "'"), dialect)  # a query that is given as a string
            written = "'" + inner.replace("'", "''") + "'"
        elif kind == STRING:
            written = _string(written)
        elif kind == NUMBER:
            written = written if _is_ordinal(tokens, i) else "0"
        elif kind == INVALID and keys[i] in "'\"":
            found.append("…")
            break
        elif kind == LOCATION:
            written = written[:1] + "…" if "'" in written else written
        found.append(written)
    return "".join(found).strip()


def _string(written: str) -> str:
    if written[0] == "$":
        return "'?'"
    opening = min(at for at in (written.find("'"), written.find('"')) if at >= 0)
    prefix = written[:opening] if written[:opening].lower() in ("n", "e", "x", "b", "r") else ""
    if prefix.lower() in ("x", "b"):
        return f"{prefix}'0'"
    quote = written[opening]
    return f"{quote}?{quote}"


def _is_ordinal(tokens: Tokens, i: int) -> bool:
    """Whether a number stands alone between the commas of GROUP BY or ORDER BY."""
    keys, kinds = tokens.keys, tokens.kinds
    if not tokens.written(i).isdigit() or len(tokens.written(i)) > 3:
        return False
    if kinds[i + 1] == OPERATOR and keys[i + 1] not in (",", ")", ";"):
        return False
    at = i - 1
    while at > 0 and (keys[at] in (",", "asc", "desc", "nulls", "first", "last") or kinds[at] in (NUMBER, WORD)):
        if keys[at] == "by":
            return keys[at - 1] in ("group", "order")
        at -= 1
    return False
