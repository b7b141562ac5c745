"""What must stand between two tokens so that they are read as these two: nothing, a space, or the end of a line.

The rule is written down here by itself, so that the lexers can be held against it.
"""

import re

from jalan.sql.lexer import LOCATION, OPERATOR, STRING, WORD

_PUNCTUATION = frozenset("()[]{},;.")
_STRING_PREFIXES = frozenset({"e", "b", "x", "n", "r", "q", "nq", "rb", "br", "u&"})


def needed(first: str, second: str, kind: int, after: int) -> str:
    """A space where two tokens would be read as one, or as others, without it."""
    if kind == STRING and after == STRING:
        return "\n"
    word = re.compile(r"[\w$#@]")
    if first.endswith("}}") and word.match(second[0]):
        return " "  # {{ schema }}_old is one name
    if word.match(first[-1]) and word.match(second[0]):
        return " "
    if kind == WORD and after == STRING and first.lower() in _STRING_PREFIXES:
        return " "
    if kind == OPERATOR and after == OPERATOR and first not in _PUNCTUATION and second not in _PUNCTUATION:
        return "" if second == "?" and first not in ("@", "?", "@?") else " "
    if first[-1] + second[0] in ("..", "/*", "--", "{{", "}}", "{%", "{#", "$$", "//", "::", ":=", "u&"):
        return " "
    if second[0] == "." and second != "." and re.match(r"[\w\"`\]]", first[-1]):
        return " "  # port.5 goes on with a name
    if (first[-1].isdigit() and second[0] == ".") or (first[-1] == "." and second[0].isdigit()):
        return " "
    if (first[-1] in "'\"`" and second[0] == first[-1]) or first[-1] in "?$@:" or second[0] in ":$&{":
        return " "
    if kind == LOCATION or (after == LOCATION and kind != OPERATOR):
        return " "
    return ""
