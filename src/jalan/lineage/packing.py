"""Extractions as plain tuples, which go from one process to another many times faster than objects do."""

import marshal
import pickle
from collections.abc import Iterable
from dataclasses import fields
from itertools import islice, starmap
from operator import attrgetter
from typing import Any

from jalan.lineage.model import Diagnostic, Extraction, Link, Output, Source, Statement

_SOURCE = attrgetter("table", "column", "how", "span", "spans", "path", "possible")
_LINK = attrgetter(
    "target", "output", "table", "column", "kind", "how", "span", "spans", "statement", "path", "possible"
)
_DIAGNOSTIC = attrgetter("code", "level", "message", "span", "hint")


_FIELDS = frozenset(field.name for field in fields(Extraction))


class PackedExtraction(Extraction):
    """An extraction that has come from another process. It is opened when it is first looked into: until then it is
    a few bytes, and whoever gathers a large batch does not do alone what several processes have shared."""

    __slots__ = ("_data",)

    def __init__(self, data: bytes) -> None:
        self._data = data

    def __getattr__(self, name: str) -> Any:
        if name not in _FIELDS:
            raise AttributeError(name)
        opened = _unpacked(_loads(self._data))
        for field in _FIELDS:
            setattr(self, field, getattr(opened, field))
        return getattr(self, name)

    def __eq__(self, other: object) -> bool:
        if not isinstance(other, Extraction):
            return NotImplemented
        return all(getattr(self, field) == getattr(other, field) for field in _FIELDS)

    __hash__ = None  # type: ignore[assignment]

    def __reduce__(self) -> tuple[type, tuple[bytes]]:
        return (PackedExtraction, (self._data,))


def pack(found: Iterable[Extraction]) -> list[bytes]:
    """Return extractions (without details) as bytes for ``unpack``."""
    return [_dumps(_packed(extraction)) for extraction in found]


def _dumps(packed: tuple[Any, ...]) -> bytes:
    try:
        return marshal.dumps(packed)
    except ValueError:  # a kind of str that marshal does not know
        return pickle.dumps(packed)


def _loads(data: bytes) -> Any:
    return pickle.loads(data) if data[:1] == b"\x80" else marshal.loads(data)  # \x80 begins every pickle


def unpack(data: Iterable[bytes]) -> list[Extraction]:
    """Return the extractions that ``pack`` was given."""
    return [PackedExtraction(packed) for packed in data]


def _packed(found: Extraction) -> tuple[Any, ...]:
    sources: list[Source] = []
    statements = []
    numbers = {id(diagnostic): n for n, diagnostic in enumerate(found.diagnostics)}
    for statement in found.statements:
        outputs = []
        for output in statement.outputs:
            sources += output.values
            sources += output.conditions
            outputs.append((output.name, len(output.values), len(output.conditions), output.span))
        sources += statement.row_conditions
        reported = [numbers[id(diagnostic)] for diagnostic in statement.diagnostics]
        statements.append(
            (
                statement.kind,
                statement.span,
                statement.target,
                outputs,
                len(statement.row_conditions),
                reported,
                statement.reads,
                statement.uses,
            )
        )
    return (
        statements,
        list(map(_SOURCE, sources)),
        list(map(_DIAGNOSTIC, found.diagnostics)),
        list(map(_LINK, found.links)),
        found.intermediates,
        found.dialect,
        found.files,
    )


def _unpacked(packed: tuple[Any, ...]) -> Extraction:
    statements, sources, diagnostics, links, intermediates, dialect, files = packed
    rest = starmap(Source, sources)
    problems = list(starmap(Diagnostic, diagnostics))
    found = []
    for kind, span, target, outputs, rows, reported, reads, uses in statements:
        made = [
            Output(name, list(islice(rest, values)), list(islice(rest, conditions)), place)
            for name, values, conditions, place in outputs
        ]
        found.append(
            Statement(
                kind, span, target, made, list(islice(rest, rows)), [problems[n] for n in reported], reads, uses
            )
        )
    return Extraction(found, problems, list(starmap(Link, links)), intermediates, dialect, files)
