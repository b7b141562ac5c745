"""SQL that a script puts together as text: which text it is, as far as it is constant, and its tokens with their
places in the script."""

import re
from collections.abc import Callable

from jalan.lineage.scope import Made, Text
from jalan.sql import tree
from jalan.sql.dialect import Dialect
from jalan.sql.lexer import Tokens
from jalan.sql.pieces import Piece, tokens_of

_PLACEHOLDER = re.compile(r"%(?:\d+\$)?[IsL]|%%")
_PASSED = frozenset({"quote_ident", "quotename", "concat", "trim", "btrim", "upper", "lower", "rtrim", "ltrim"})


def constant(node: tree.Expression, text: str, variable: Callable[[tree.Column], Made | None]) -> Text | None:
    """Return the text that an expression is known to be, in pieces with their offsets; None if it is not known."""
    if isinstance(node, tree.Literal):
        return _literal(node, text)
    if isinstance(node, tree.Cast):
        return constant(node.argument, text, variable)
    if isinstance(node, tree.Column):
        made = variable(node)
        return None if made is None else made.text
    if isinstance(node, tree.Binary) and node.operator in ("||", "+"):
        left = constant(node.left, text, variable)
        right = constant(node.right, text, variable)
        return None if left is None or right is None else left + right
    if isinstance(node, tree.Call):
        parts = [constant(argument, text, variable) for argument in node.arguments]
        known = [part for part in parts if part is not None]
        if not known or len(known) < len(parts):
            return None
        if node.parts[-1].lower() == "format":
            return _formatted(known)
        if node.parts[-1].lower() in _PASSED:
            return [piece for part in known for piece in part]
    return None


def _literal(node: tree.Literal, text: str) -> Text | None:
    written = text[node.start : node.end]
    while written.startswith("(") and written.endswith(")"):
        return None
    if written[:1] == "$":
        width = written.index("$", 1) + 1
        return [(written[width:-width], node.start + width)]
    if "'" not in written:
        return [(written, node.start)] if written.isdigit() else None
    opening = written.index("'") + 1
    pieces = []
    offset = node.start + opening
    for n, part in enumerate(written[opening:-1].split("''")):
        if n:
            pieces.append(("'", offset - 1))
        pieces.append((part, offset))
        offset += len(part) + 2
    return pieces


def _formatted(parts: list[Text]) -> Text:
    """``format('… %I …', name)``: the arguments in the place of the marks."""
    given = iter(parts[1:])
    found: Text = []
    for piece, offset in parts[0]:
        at = 0
        for mark in _PLACEHOLDER.finditer(piece):
            found.append((piece[at : mark.start()], offset + at))
            if mark[0] == "%%":
                found.append(("%", offset + mark.start()))
            else:
                value = next(given, [])
                quote = "'" if mark[0].endswith("L") else ""
                found += [(quote, offset + mark.start()), *value, (quote, offset + mark.start())]
            at = mark.end()
        found.append((piece[at:], offset + at))
    return found


def tokens_of_text(pieces: Text, text: str, dialect: Dialect) -> Tokens:
    """Return the tokens of constant text; their offsets are those of the pieces in the whole text."""
    return tokens_of([Piece(piece, at, at + len(piece)) for piece, at in pieces], text, dialect)
