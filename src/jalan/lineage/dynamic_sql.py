"""SQL that a script puts together as text: which text it is, as far as it is constant, and its tokens with their
places in the script."""

import re
from collections.abc import Callable, Iterator

from jalan.lineage.resolve.scope import Made, Text
from jalan.sql import tree
from jalan.sql.dialects.dialect import Dialect
from jalan.sql.grammar.script import Unread, statements_of
from jalan.sql.source_map import Piece, tokens_of

_PLACEHOLDER = re.compile(r"%(?:\d+\$)?[IsLtTd]|%%")
_PASSED = frozenset({"quote_ident", "quotename", "concat", "trim", "btrim", "upper", "lower", "rtrim", "ltrim"})
_PREFIX = re.compile(r"[A-Za-z]*&?")
_ESCAPED = {"n": "\n", "t": "\t", "r": "\r", "0": "\0"}
_CLOSING = {"[": "]", "(": ")", "{": "}", "<": ">"}

Lookup = Callable[[tree.Column | tree.Parameter], Made | None]


def constant(node: tree.Expression, text: str, dialect: Dialect, variable: Lookup) -> Text | None:
    """Return the text that an expression is known to be, in pieces with their offsets; None if it is not known."""
    if isinstance(node, tree.Literal):
        return literal(text[node.start : node.end], node.start, dialect)
    if isinstance(node, tree.Cast):
        return constant(node.argument, text, dialect, variable)
    if isinstance(node, tree.Column | tree.Parameter):
        made = variable(node)
        return None if made is None else made.text
    if isinstance(node, tree.Binary) and node.operator in ("||", "+"):
        left = constant(node.left, text, dialect, variable)
        right = constant(node.right, text, dialect, variable)
        return None if left is None or right is None else left + right
    if isinstance(node, tree.Call):
        parts = [constant(argument, text, dialect, variable) for argument in node.arguments]
        known = [part for part in parts if part is not None]
        if not known or len(known) < len(parts):
            return None
        if node.parts[-1].lower() == "format":
            return _formatted(known)
        if node.parts[-1].lower() in _PASSED:
            return [piece for part in known for piece in part]
    return None


def literal(written: str, offset: int, dialect: Dialect) -> Text | None:
    """Return what a constant says, in pieces with their offsets: the forms of strings of every dialect, strings
    that stand side by side, and whole numbers."""
    if written.isdigit():
        return [(written, offset)]
    found: Text = []
    at = 0
    while at < len(written):
        if written[at].isspace():
            at += 1
            continue
        prefix = _PREFIX.match(written, at)
        opening = at if prefix is None else prefix.end()
        before = written[at:opening].lower()
        if opening >= len(written):
            return None
        if written[opening] == "$":
            end = written.find("$", opening + 1) + 1
            tag = written[opening:end]
            closing = written.find(tag, end)
            if not end or closing < 0:
                return None
            found.append((written[end:closing], offset + end))
            at = closing + len(tag)
        elif before.endswith("q") and written[opening] == "'" and opening + 1 < len(written):
            mark = written[opening + 1]
            closing = written.find(_CLOSING.get(mark, mark) + "'", opening + 2)
            if closing < 0:
                return None
            found.append((written[opening + 2 : closing], offset + opening + 2))
            at = closing + 2
        elif written[opening] in dialect.string_quotes:
            escapes = "r" not in before and (
                dialect.backslash_escapes or (bool(before) and before in dialect.escape_prefixes.lower())
            )
            at = _quoted(written, opening, offset, escapes, dialect.triple_quotes, found)
            if at < 0:
                return None
        else:
            return None
    return found


def _quoted(written: str, opening: int, offset: int, escapes: bool, triple: bool, found: Text) -> int:
    """Add the pieces of a string that opens here; returns the place behind it, -1 if it is never closed."""
    quote = written[opening]
    width = 3 if triple and written.startswith(quote * 3, opening) else 1
    at = first = opening + width
    while at < len(written):
        if written.startswith(quote * width, at) and not (width == 1 and written.startswith(quote * 2, at)):
            found.append((written[first:at], offset + first))
            return at + width
        if width == 1 and written[at] == quote:  # a doubled quote stands for one
            found += [(written[first:at], offset + first), (quote, offset + at)]
            at = first = at + 2
        elif escapes and written[at] == "\\" and at + 1 < len(written):
            character = written[at + 1]
            found += [(written[first:at], offset + first), (_ESCAPED.get(character, character), offset + at)]
            at = first = at + 2
        else:
            at += 1
    return -1


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


def statements_of_text(pieces: Text, text: str, dialect: Dialect) -> Iterator[tree.StatementNode | Unread]:
    """Yield the statements of constant text; their offsets are those of the pieces in the whole text."""
    tokens = tokens_of([Piece(piece, at, at + len(piece)) for piece, at in pieces], text, dialect)
    yield from statements_of(tokens, dialect)


def query_of_text(pieces: Text | None, text: str, dialect: Dialect) -> tree.Query | None:
    """Return the first query of constant text, None if there is none or the text is not known."""
    statements = statements_of_text(pieces or [], text, dialect)
    return next((node.query for node in statements if isinstance(node, tree.QueryStatement)), None)
