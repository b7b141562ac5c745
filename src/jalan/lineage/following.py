"""Calls of routines that another text defines: followed as if the routine stood before the text that calls it.

What comes out of it is placed where the call stands, so that every place is one of the text that was given.
"""

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from typing import Any

from jalan.lineage.model import Diagnostic, Extraction, Link, Output, Source, Span, Statement
from jalan.lineage.script import extract
from jalan.lineage.tables import KnownTables
from jalan.sql.dialects import get_dialect

_NAME = r'[\w$]+|"[^"]+"|`[^`]+`|\[[^\]]+\]'
_CALLED = re.compile(
    rf"(?:(?:{_NAME})\.)*({_NAME})\s*\(|\b(?:call|exec|execute)\s+(?:(?:{_NAME})\.)*({_NAME})", re.I
)
_DEFINED = re.compile(
    rf"\b(?:function|procedure|proc)\s+(?:if\s+not\s+exists\s+)?((?:(?:{_NAME})\.)*(?:{_NAME}))", re.I
)
_MOST_ROUTINES = 30
_MOST_CHARACTERS = 300_000
_QUOTES = '"`[]'


def last_name(written: str) -> str:
    """Return the last part of a name as routines are looked up by it.

    >>> last_name('mart."Refresh"'), last_name("refresh")
    ('refresh', 'refresh')
    """
    return written.rpartition(".")[2].strip(_QUOTES).lower()


def called_names(text: str) -> set[str]:
    """Return the names that may be those of called routines: what stands before a parenthesis, or behind CALL.

    >>> sorted(called_names("call mart.refresh(); select f(a) from t; exec [dbo].[load]"))
    ['f', 'load', 'refresh']
    """
    return {last_name(found[1] or found[2]) for found in _CALLED.finditer(text)}


def routines_of(text: str, extraction: Extraction) -> dict[str, list[int]]:
    """Return the routines that a text defines: last name → where it does. Of two with one name, none."""
    found: dict[str, list[list[int]]] = {}
    for statement in extraction.statements:
        if statement.kind in ("create_function", "create_procedure"):
            name = _DEFINED.search(text, *statement.span)
            if name is not None:
                found.setdefault(last_name(name[1]), []).append(list(statement.span))
    return {name: spans[0] for name, spans in found.items() if len(spans) == 1}


def extract_following(
    sql: str,
    routines: Mapping[str, str],
    *,
    dialect: str,
    tables: Mapping[str, Sequence[str]] | KnownTables | None = None,
    search_path: Iterable[str] | None = None,
    **options: Any,
) -> Extraction:
    """Read the lineage out of a text, and follow its calls of routines that it does not define itself.

    routines: last name → the statement that creates it, in the dialect of the text. options: as of ``extract``.
    """
    followed = {} if options or not routines else _followed(sql, routines)
    if not followed:
        return extract(sql, dialect=dialect, tables=tables, search_path=search_path, **options)
    separator = get_dialect(dialect).batch_separator
    between = f"\n{separator}\n" if separator else ";\n"
    before = ""
    regions: list[tuple[int, str]] = []  # where each begins, and what in the text leads to it
    for name, caller in followed.items():
        regions.append((len(before), caller))
        before += routines[name] + between
    found = extract(before + sql, dialect=dialect, tables=tables, search_path=search_path)
    return _Placed(found, sql, len(before), regions).extraction()


def _followed(sql: str, routines: Mapping[str, str]) -> dict[str, str]:
    """Return the routines that are called, each before those that call it, with the name that leads to it."""
    own = {last_name(found[1]) for found in _DEFINED.finditer(sql)}
    found: dict[str, str] = {}
    waiting = [(name, name) for name in sorted(called_names(sql)) if name in routines and name not in own]
    size = 0
    while waiting:
        name, caller = waiting.pop()
        if name in found or len(found) >= _MOST_ROUTINES or size + len(routines[name]) > _MOST_CHARACTERS:
            continue
        size += len(routines[name])
        found[name] = caller
        waiting += [(n, caller) for n in sorted(called_names(routines[name])) if n in routines and n not in own]
    return dict(reversed(found.items()))


class _Placed:
    """What was read of routines and the text behind them, with all places in the text."""

    def __init__(self, found: Extraction, sql: str, base: int, regions: list[tuple[int, str]]) -> None:
        self._found = found
        self._base = base
        self._regions = [(begin, self._call(sql, caller)) for begin, caller in regions]
        self._intermediates = set(found.intermediates)

    @staticmethod
    def _call(sql: str, name: str) -> Span:
        found = re.search(rf"(?:(?:{_NAME})\.)*[\"`\[]?\b{re.escape(name)}\b[\"`\]]?", sql, re.I)
        return found.span() if found is not None else (0, len(sql))

    def extraction(self) -> Extraction:
        """Return it."""
        kept = [(n, s) for n, s in enumerate(self._found.statements) if self._is_kept(s)]
        statements = sorted(((n, self._statement(s)) for n, s in kept), key=lambda pair: pair[1].span[0])
        at = {n: number for number, (n, _) in enumerate(statements)}
        links = [self._link(link, at[link.statement]) for link in self._found.links if link.statement in at]
        diagnostics = [self._diagnostic(d) for d in self._found.diagnostics if d.span[0] >= self._base]
        return Extraction(
            [s for _, s in statements],
            diagnostics,
            links,
            self._found.intermediates,
            self._found.dialect,
            self._found.files,
        )

    def _is_kept(self, statement: Statement) -> bool:
        """Whether a statement is one of the text, or writes what lasts in a routine that the text calls."""
        if statement.span[0] >= self._base:
            return True
        return statement.target is not None and statement.target not in self._intermediates

    def _span(self, span: Span) -> Span:
        start, end = span
        if start >= self._base:
            return start - self._base, end - self._base
        return next(call for begin, call in reversed(self._regions) if begin <= start)

    def _statement(self, s: Statement) -> Statement:
        return Statement(
            s.kind,
            self._span(s.span),
            s.target,
            [self._output(o) for o in s.outputs],
            [self._source(one) for one in s.row_conditions],
            [self._diagnostic(d) for d in s.diagnostics if d.span[0] >= self._base],
            s.reads,
            s.uses,
        )

    def _output(self, output: Output) -> Output:
        values = [self._source(one) for one in output.values]
        conditions = [self._source(one) for one in output.conditions]
        return Output(output.name, values, conditions, self._span(output.span))

    def _source(self, source: Source) -> Source:
        return replace(source, span=self._span(source.span), spans=self._spans(source.spans))

    def _spans(self, spans: tuple[Span, ...]) -> tuple[Span, ...]:
        return tuple(dict.fromkeys(self._span(span) for span in spans))

    def _link(self, link: Link, statement: int) -> Link:
        return replace(link, span=self._span(link.span), spans=self._spans(link.spans), statement=statement)

    def _diagnostic(self, diagnostic: Diagnostic) -> Diagnostic:
        return replace(diagnostic, span=self._span(diagnostic.span))
