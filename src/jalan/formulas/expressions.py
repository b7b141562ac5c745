"""Expressions of calculated fields in reports: what flows into them. Grammar: docs/calculated-fields.md."""

import difflib
import re
from dataclasses import dataclass

from jalan.lineage.model import (
    AGGREGATION,
    CONDITIONAL,
    FILTER,
    IDENTITY,
    TRANSFORMATION,
    VALUE_RANK,
    WINDOW,
    Span,
)

AGGREGATES = frozenset({"sum", "avg", "min", "max", "count", "distinct", "median", "first", "last"})
FUNCTIONS = frozenset(
    "abs round floor ceil sqrt power log exp sign length lower upper trim left right replace concat contains "
    "starts coalesce nullif year quarter month week day hour weekday date days_between today text number".split()
)
_WORDS = frozenset(
    {
        "if",
        "then",
        "elseif",
        "else",
        "end",
        "and",
        "or",
        "not",
        "in",
        "is",
        "empty",
        "where",
        "per",
        "true",
        "false",
    }
)
_TOKEN = re.compile(
    r"\s*(?:(?P<number>\d+(?:\.\d+)?)|(?P<string>'(?:[^']|'')*')|`(?P<quoted>[^`]+)`"
    r"|(?P<word>[^\W\d]\w*(?:\.[^\W\d]\w*)?)|(?P<sign><=|>=|<>|[-+*/%=<>(),]))"
)
_MAX_DEPTH = 100


class CalculationError(ValueError):
    """An expression is not as it should be. span: where."""

    def __init__(self, message: str, span: Span) -> None:
        super().__init__(message)
        self.span = span


@dataclass(frozen=True, slots=True)
class Named:
    """A field that an expression names.

    name: as written, maybe ``model.field``.
    kind: value or condition.
    how: as in ``Source``.
    spans: where.
    """

    name: str
    kind: str
    how: str
    spans: tuple[Span, ...]


def read_calculation(text: str) -> list[Named]:
    """Return the fields that an expression names, in order, each once a kind. Raises CalculationError.

    >>> [(n.name, n.kind, n.how) for n in read_calculation("sum(gross where status = 'sold') / 100")]
    [('gross', 'value', 'aggregation'), ('status', 'condition', 'conditional')]
    """
    return _Reader(text).read()


def read_filter(text: str) -> list[Named]:
    """Return the fields that a filter names: they decide which rows there are. Raises CalculationError."""
    return [Named(n.name, "condition", FILTER, n.spans) for n in _Reader(text).read()]


@dataclass(slots=True)
class _Token:
    kind: str
    text: str
    start: int
    end: int


def _tokens(text: str) -> list[_Token]:
    found = []
    at = 0
    while text[at:].strip():
        match = _TOKEN.match(text, at)
        if match is None:
            start = at + len(text[at:]) - len(text[at:].lstrip())
            raise CalculationError(f"“{text[start]}” is not expected here", (start, start + 1))
        kind = match.lastgroup or ""
        word, start, end = match.group(kind), match.start(kind), match.end(kind)
        if kind == "word" and word.lower() in _WORDS:
            kind, word = "key", word.lower()
        found.append(_Token("name" if kind in ("word", "quoted") else kind, word, start, end))
        at = match.end()
    return [*found, _Token("end", "", len(text), len(text))]


class _Reader:
    """Descends through an expression. What is met is noted under the role that the surroundings give it."""

    def __init__(self, text: str) -> None:
        self._tokens = _tokens(text)
        self._at = 0
        self._depth = 0
        self._found: dict[tuple[str, str], tuple[str, list[Span]]] = {}
        self._kind, self._how = "value", IDENTITY

    def read(self) -> list[Named]:
        if self._now.kind == "end":
            raise CalculationError("the expression is empty", (0, 0))
        self._expression()
        if self._now.kind != "end":
            raise self._unexpected("the end")
        return [Named(name, kind, how, tuple(spans)) for (name, kind), (how, spans) in self._found.items()]

    @property
    def _now(self) -> _Token:
        return self._tokens[self._at]

    def _take(self, *texts: str) -> bool:
        if self._now.text in texts and self._now.kind in ("sign", "key"):
            self._at += 1
            return True
        return False

    def _need(self, text: str) -> None:
        if not self._take(text):
            raise self._unexpected(f"“{text}”")

    def _unexpected(self, wanted: str) -> CalculationError:
        shown = f"“{self._now.text}”" if self._now.kind != "end" else "the end"
        return CalculationError(f"expected {wanted}, found {shown}", (self._now.start, self._now.end))

    def _as(self, kind: str, how: str) -> tuple[str, str]:
        """Give what follows another role; returns the one before."""
        before = self._kind, self._how
        if self._kind == "condition":
            return before
        if kind == "value":
            how = max(self._how, how, key=lambda one: VALUE_RANK[one])
        self._kind, self._how = kind, how
        return before

    def _expression(self) -> None:
        self._depth += 1
        if self._depth > _MAX_DEPTH:
            raise CalculationError("nested too deeply", (self._now.start, self._now.end))
        start = self._at
        # Whether this is more than one name is only known behind it, so what was met is raised afterwards.
        noted = {key: len(spans) for key, (_, spans) in self._found.items()}
        self._or()
        plain = self._at - start == 1
        if not plain:
            for key, (how, spans) in list(self._found.items()):
                if key[1] == "value" and how == IDENTITY and len(spans) > noted.get(key, 0):
                    self._found[key] = (TRANSFORMATION, spans)
        self._depth -= 1

    def _or(self) -> None:
        self._and()
        while self._take("or"):
            self._and()

    def _and(self) -> None:
        self._not()
        while self._take("and"):
            self._not()

    def _not(self) -> None:
        while self._take("not"):
            pass
        self._comparison()

    def _comparison(self) -> None:
        self._sum()
        if self._take("=", "<>", "<", "<=", ">", ">="):
            self._sum()
        elif self._take("is"):
            self._take("not")
            self._need("empty")
        elif self._take("in"):
            self._need("(")
            self._list()

    def _sum(self) -> None:
        self._product()
        while self._take("+", "-"):
            self._product()

    def _product(self) -> None:
        self._sign()
        while self._take("*", "/", "%"):
            self._sign()

    def _sign(self) -> None:
        while self._take("-", "+"):
            pass
        self._primary()

    def _primary(self) -> None:
        token = self._now
        if token.kind in ("number", "string") or (token.text in ("true", "false") and token.kind == "key"):
            self._at += 1
        elif self._take("("):
            self._expression()
            self._need(")")
        elif self._take("if"):
            self._if()
        elif token.kind == "name":
            self._at += 1
            if self._take("("):
                self._call(token)
            else:
                self._note(token)
        else:
            raise self._unexpected("a field, a value or a function")

    def _list(self) -> None:
        if self._take(")"):
            return
        self._expression()
        while self._take(","):
            self._expression()
        self._need(")")

    def _if(self) -> None:
        self._condition(CONDITIONAL)
        self._need("then")
        self._expression()
        while self._take("elseif"):
            self._condition(CONDITIONAL)
            self._need("then")
            self._expression()
        if self._take("else"):
            self._expression()
        self._need("end")

    def _condition(self, how: str) -> None:
        before = self._as("condition", how)
        self._expression()
        self._kind, self._how = before

    def _call(self, token: _Token) -> None:
        name = token.text.lower()
        if name not in AGGREGATES and name not in FUNCTIONS:
            near = difflib.get_close_matches(name, [*AGGREGATES, *FUNCTIONS], 3)
            hint = f" (did you mean {', '.join(near)}?)" if near else ""
            raise CalculationError(f"there is no function “{token.text}”{hint}", (token.start, token.end))
        if name not in AGGREGATES:
            before = self._as("value", TRANSFORMATION)
            self._list()
            self._kind, self._how = before
            return
        before = self._as("value", AGGREGATION)
        if not (self._now.text == ")" and self._now.kind == "sign"):
            if self._now.text not in ("where", "per"):
                self._expression()
            self._kind, self._how = before
            if self._take("where"):
                self._condition(CONDITIONAL)
            if self._take("per"):
                self._condition(WINDOW)
                while self._take(","):
                    self._condition(WINDOW)
        self._need(")")
        self._kind, self._how = before

    def _note(self, token: _Token) -> None:
        key = (token.text, self._kind)
        span = (token.start, token.end)
        how, spans = self._found.get(key, (self._how, []))
        if self._kind == "value":
            how = max(how, self._how, key=lambda one: VALUE_RANK[one])
        self._found[key] = (how, [*spans, span])
