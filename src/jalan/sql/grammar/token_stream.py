"""A place in a list of tokens, and the small questions that a grammar asks there."""

from functools import cache
from typing import NoReturn

from jalan.sql.dialects.dialect import Dialect, Folding
from jalan.sql.lexer import END, INVALID, QUOTED, STRING, WORD, Tokens, identifier, tokenize

MAX_DEPTH = 120
_FURTHER = 16
_KEYS_BEHIND = [""] * _FURTHER
_KINDS_BEHIND = [END] * _FURTHER
NOTHING = Tokens("", [END], [""], [0], [0])


class SqlSyntaxError(Exception):
    """What was met is not what the grammar expects; ``start`` and ``end`` are offsets in the text."""

    def __init__(self, message: str, start: int, end: int, code: str = "syntax_error") -> None:
        super().__init__(message)
        self.start = start
        self.end = end
        self.code = code


@cache
def _no_aliases(dialect: Dialect) -> frozenset[str]:
    return dialect.reserved | dialect.reserved_as_alias


class TokenStream:
    """Steps through tokens.

    i: the index of the current one.
    depth: the levels of nesting around it. in_block: the procedural blocks around it.
    mark: what DELIMITER has named for the end of statements, empty for the semicolon.
    no_alias: words that are no alias here; in blocks there are more than ``stops_alias``.
    """

    def __init__(self, dialect: Dialect) -> None:
        self.dialect = dialect
        self.reserved = dialect.reserved
        self.no_alias = self.stops_alias = _no_aliases(dialect)
        self.folding = dialect.folding
        self.lower = dialect.folding is Folding.LOWER
        self.load(NOTHING)

    def load(self, tokens: Tokens) -> None:
        """Go to the first of these tokens."""
        self.text = tokens.text
        # Behind the end there are further ends, so that a look ahead by some tokens needs no question.
        self.keys = tokens.keys + _KEYS_BEHIND
        self.kinds = tokens.kinds + _KINDS_BEHIND
        self.starts = tokens.starts + tokens.starts[-1:] * _FURTHER
        self.ends = tokens.ends + tokens.ends[-1:] * _FURTHER
        self.written = tokens.written
        self.i = 0
        self.depth = 0
        self.in_block = 0
        self.mark = ""
        self.no_alias = self.stops_alias

    def fail(self, expected: str) -> NoReturn:
        """Raise, saying what was expected and what stands there instead."""
        i = self.i
        kind = self.kinds[i]
        if kind == END:
            met = "the end of the text"
        elif kind == INVALID and self.keys[i] in "'\"":
            opening = "string" if self.keys[i] == "'" else "quoted name"
            raise SqlSyntaxError(f"this {opening} is never closed", self.starts[i], self.ends[i], "unterminated")
        else:
            text = self.written(i)
            met = f"“{text if len(text) <= 40 else text[:37] + '…'}”"
        raise SqlSyntaxError(f"expected {expected}, met {met}", self.starts[i], self.ends[i])

    def enter(self) -> None:
        """Count one more level of nesting; raises beyond MAX_DEPTH, so that no text overflows the stack."""
        self.depth += 1
        if self.depth > MAX_DEPTH:
            i = self.i
            raise SqlSyntaxError(
                f"nested more than {MAX_DEPTH} levels deep", self.starts[i], self.ends[i], "too_deep"
            )

    def take(self, key: str) -> bool:
        """Step over the token if it is this one."""
        if self.keys[self.i] == key:
            self.i += 1
            return True
        return False

    def take_words(self, *words: str) -> bool:
        """Step over these tokens if all of them stand here, one after the other."""
        keys, i = self.keys, self.i
        if keys[i] != words[0]:
            return False
        for word in words:
            if keys[i] != word:
                return False
            i += 1
        self.i = i
        return True

    def expect(self, key: str) -> None:
        """Step over the token; raises if it is another one."""
        if self.keys[self.i] != key:
            self.fail(f"“{key.upper()}”" if key.isalpha() else f"“{key}”")
        self.i += 1

    def peek(self, ahead: int = 1) -> str:
        """Return the key of the token so many places ahead, empty beyond the end."""
        j = self.i + ahead
        return self.keys[j] if j < len(self.keys) else ""

    def name(self, what: str = "a name") -> str:
        """Read one identifier; any word will do where the grammar leaves no doubt."""
        i = self.i
        kind = self.kinds[i]
        if kind != WORD and kind != QUOTED:
            self.fail(what)
        self.i = i + 1
        if kind == WORD and self.lower:
            return self.keys[i]
        if self.keys[i + 1] == "uescape" and self.kinds[i + 2] == STRING and kind == QUOTED:
            self.i = i + 3
            text = self.written(i).replace(self.written(i + 2)[1:-1], "\\")
            return identifier(text, kind, self.folding)
        return identifier(self.written(i), kind, self.folding)

    def spelled(self, text: str) -> str:
        """Return a name that was taken from elsewhere than a token, in the dialect's way."""
        return identifier(text, WORD, self.folding)

    def qualified(self, what: str = "a name") -> tuple[str, ...]:
        """Read a name of one or more parts with dots between them."""
        if self.kinds[self.i] == WORD and self.keys[self.i] in self.reserved:
            self.fail(what)
        parts = [self.name(what)]
        while self.keys[self.i] == ".":
            self.i += 1
            parts.append(self.name(what))
        return tuple(parts)

    def end_of_last(self) -> int:
        """Return the offset behind the token before this one."""
        return self.ends[self.i - 1] if self.i else 0

    def names_in_parentheses(self) -> list[str]:
        """Read ``(a, b, c)``."""
        self.expect("(")
        names = [self.name()]
        while self.take(","):
            names.append(self.name())
        self.expect(")")
        return names

    def skip_parentheses(self) -> None:
        """Step over a pair of parentheses and all that is in it."""
        self.expect("(")
        open_ = 1
        while open_:
            key = self.keys[self.i]
            if key == "(":
                open_ += 1
            elif key == ")":
                open_ -= 1
            elif self.kinds[self.i] == END:
                self.fail("“)”")
            self.i += 1

    def to_end(self) -> None:
        """Step to the end of the statement; the semicolons of a BEGIN ATOMIC body belong to it."""
        atomic = 0
        while self.kinds[self.i] != END:
            key = self.keys[self.i]
            if (key == "begin" and self.peek() == "atomic") or (atomic and key == "case"):
                atomic += 1
            elif atomic and key == "end":
                atomic -= 1
            elif key == ";" and not atomic:
                return
            self.i += 1

    def at_mark(self) -> bool:
        """Whether the mark that DELIMITER has named for the end of statements stands here."""
        return bool(self.mark) and self.text.startswith(self.mark, self.starts[self.i])

    def take_mark(self) -> bool:
        """Step over that mark."""
        if not self.at_mark():
            return False
        end = self.starts[self.i] + len(self.mark)
        while self.kinds[self.i] != END and self.starts[self.i] < end:
            self.i += 1
        return True

    def inside(self, i: int) -> Tokens:
        """Return the tokens of what a string token holds, with their offsets in the whole text."""
        text = self.written(i)
        quote = text.index("$", 1) + 1 if text[0] == "$" else text.index(text[-1]) + 1
        body = text[quote : len(text) - (quote if text[0] == "$" else 1)]
        if text[0] != "$":
            # A doubled or escaped quote stands for one: the blank before it keeps every offset where it is.
            body = body.replace(text[-1] * 2, " " + text[-1])
            if self.dialect.backslash_escapes:
                body = body.replace("\\" + text[-1], " " + text[-1])
        found = tokenize(body, self.dialect)
        offset = self.starts[i] + quote
        starts = [start + offset for start in found.starts]
        return Tokens(self.text, found.kinds, found.keys, starts, [end + offset for end in found.ends])
