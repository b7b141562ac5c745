"""SQL with a template's holes filled in, every character with its place in the file as written.

The text goes through Jinja's sandbox with marks around each stretch of it, and the marks say afterwards where
everything came from.
"""

import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from jinja2 import TemplateSyntaxError, Undefined

from jalan.sql.sandbox import Sandbox
from jalan.sql.source_map import Piece

_OPEN, _MIDDLE, _CLOSE = "\ue000", "\ue001", "\ue002"  # private use: no SQL of anybody's has them
_MARK = re.compile(f"{_OPEN}(\\d+){_MIDDLE}|{_CLOSE}")
_SHELL = re.compile(r"\$\{(\w+)\}")
_CAPTURING = frozenset({"macro", "call", "filter", "set"})
_LONGEST_ARGUMENT = 100
_PARAMETER = re.compile(r"\{(\w+)\}")


@dataclass(slots=True)
class Problem:
    """What a template could not be filled with: code, message, and place in the file."""

    code: str
    message: str
    start: int
    end: int


@dataclass(slots=True)
class Rendered:
    """What a template becomes."""

    pieces: list[Piece]
    problems: list[Problem] = field(default_factory=list)


class _Hole(Undefined):
    """A variable that nobody has given: it stays a hole, which the grammar reads as an unknown value or name."""

    def __str__(self) -> str:
        return "{{" + str(self._undefined_name or "value") + "}}"

    def __call__(self, *arguments: Any, **named: Any) -> "_Hole":  # type: ignore[override]
        # What is called with other arguments is another thing: the hole keeps them in its name.
        given = [_shown(a) for a in arguments] + [f"{name}={_shown(a)}" for name, a in named.items()]
        return _Hole(name=f"{self._undefined_name}({', '.join(given)})")

    def __getattr__(self, name: str) -> "_Hole":
        if name[:2] == "__":
            raise AttributeError(name)
        return _Hole(name=f"{self._undefined_name}.{name}")

    def __getitem__(self, name: object) -> "_Hole":  # type: ignore[override]
        return self


def _shown(argument: object) -> str:
    text = repr(argument) if isinstance(argument, str | int | float) else type(argument).__name__
    return re.sub(r"[{}\\]", "", text[:_LONGEST_ARGUMENT])


def render(text: str, variables: Mapping[str, Any], calls: Mapping[str, str]) -> Rendered:
    """Fill in a template.

    variables: what names stand for.
    calls: function → the pattern that a call of it is replaced by, with ``{0}`` for its first argument and
        ``{name}`` for a named one, as ``{"dataset": "core.{0}"}``. Names that are in neither stay holes. Never
        raises: what cannot be filled in is a problem, and the text is then taken as it is.
    """
    problems: list[Problem] = []
    plain = text.replace("\r\n", " \n").replace("\r", " ")  # of the same length: the engine would shorten it
    environment = Sandbox(_Hole)
    places: list[tuple[int, int, bool]] = []
    try:
        marked = "".join(_marked(environment, plain, places, variables))
        functions = {name: _call(name, pattern) for name, pattern in calls.items()}
        filled = environment.fill(marked, {**variables, **functions})
    except TemplateSyntaxError as error:
        start = _line_start(text, error.lineno)
        end = text.find("\n", start)
        problems.append(Problem("template_error", str(error.message), start, len(text) if end < 0 else end))
        return Rendered([Piece(text, 0, len(text))], problems)
    except Exception as error:  # whatever goes wrong inside a template is a problem of the template
        problems.append(
            Problem(
                "template_error", f"the template cannot be filled in: {error or type(error).__name__}", 0, len(text)
            )
        )
        return Rendered([Piece(text, 0, len(text))], problems)
    pieces = list(_pieces(filled, places, plain))
    for piece in pieces:
        if "{{" in piece.text and piece.end - piece.start != len(piece.text):
            name = piece.text[piece.text.index("{{") + 2 :].partition("}}")[0]
            message = f"nobody says what “{name}” stands for"
            problems.append(Problem("undefined_variable", message, piece.start, piece.end))
    return Rendered(pieces, problems)


def _call(name: str, pattern: str) -> Callable[..., str]:
    def call(*arguments: Any, **named: Any) -> str:
        # Only whole arguments by number or name, never a look into one: a pattern comes from a file of anybody's.
        def argument(mark: re.Match[str]) -> str:
            key = mark[1]
            try:
                return str(arguments[int(key)] if key.isdigit() else named[key])
            except LookupError:
                raise ValueError(f"{name} has too few arguments for “{pattern}”") from None

        return _PARAMETER.sub(argument, pattern)

    return call


def _line_start(text: str, line: int) -> int:
    at = 0
    for _ in range(line - 1):
        at = text.find("\n", at) + 1
    return at


def _marked(
    environment: Sandbox, text: str, places: list[tuple[int, int, bool]], variables: Mapping[str, Any]
) -> Iterator[str]:
    """Yield the template with marks; ``places`` takes each mark's place, and whether it is plain text."""
    at = 0
    capturing: list[str] = []
    tag: list[str] = []
    opened = 0
    for _, kind, value in environment.lex(text):
        found = text.find(value, at) if value else at
        start, end = found, found + len(value)
        if kind == "data" and not capturing:
            yield from _marked_data(text, at, start, end, places, variables)
        elif kind == "data":
            yield text[at:end]
        else:
            if kind == "variable_begin" and not capturing:
                opened = start
                places.append((opened, opened, False))
                yield f"{_OPEN}{len(places) - 1}{_MIDDLE}"
            yield text[at:end]
            if kind == "variable_end" and not capturing:
                places[-1] = (opened, end, False)
                yield _CLOSE
            elif kind == "name":
                tag.append(value)
            elif kind == "operator" and value == "=":
                tag.append("=")
            elif kind == "block_begin":
                tag = []
            elif kind == "block_end" and tag:
                _follow(tag, capturing)
                tag = []
        at = end
    yield text[at:]


def _follow(tag: list[str], capturing: list[str]) -> None:
    """Keep count of the blocks whose text is not put out where it stands."""
    if tag[0].startswith("end") and capturing and tag[0] == f"end{capturing[-1]}":
        capturing.pop()
    elif tag[0] in _CAPTURING and not (tag[0] == "set" and "=" in tag):
        capturing.append(tag[0])


def _marked_data(
    text: str, at: int, start: int, end: int, places: list[tuple[int, int, bool]], variables: Mapping[str, Any]
) -> Iterator[str]:
    """Plain text, in which ``${name}`` is a hole too, if that name is known."""
    done = at
    for hole in _SHELL.finditer(text, start, end):
        if hole[1] not in variables:
            continue
        places.append((done, hole.start(), True))
        yield f"{_OPEN}{len(places) - 1}{_MIDDLE}{text[done : hole.start()]}{_CLOSE}"
        places.append((hole.start(), hole.end(), False))
        yield f"{_OPEN}{len(places) - 1}{_MIDDLE}{{{{ {hole[1]} }}}}{_CLOSE}"
        done = hole.end()
    places.append((done, end, True))
    yield f"{_OPEN}{len(places) - 1}{_MIDDLE}{text[done:end]}{_CLOSE}"


def _pieces(filled: str, places: list[tuple[int, int, bool]], text: str) -> Iterator[Piece]:
    stack: list[int] = []
    at = 0
    for mark in _MARK.finditer(filled):
        if mark.start() > at and stack:
            yield _piece(filled[at : mark.start()], places[stack[-1]], text)
        at = mark.end()
        if mark[1] is not None:
            stack.append(int(mark[1]))
        elif stack:
            stack.pop()


def _piece(filled: str, place: tuple[int, int, bool], text: str) -> Piece:
    start, end, plain = place
    if plain and len(filled) <= end - start:
        # The engine may have taken space away at either end.
        start = text.find(filled, start)
        return Piece(filled, start, start + len(filled))
    if len(filled) == end - start:
        filled += " "  # not a copy: all of it stands for all of the hole
    return Piece(filled, start, end)
