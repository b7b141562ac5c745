"""The graph as open formats write it: plain records without ids of the store."""

from dataclasses import dataclass, field
from typing import Any

Span = tuple[int, int]


@dataclass(slots=True)
class FieldRecord:
    """A column or an element."""

    name: str
    kind: str
    type: str | None
    description: str | None
    placeholder: bool = False


@dataclass(slots=True)
class DatasetRecord:
    """A dataset.

    aliases: other names (namespace, name) that it goes by.
    kind: empty where nobody says.
    """

    namespace: str
    name: str
    title: str | None
    kind: str
    description: str | None
    owner: str | None
    container: str
    placeholder: bool
    system: str
    fields: list[FieldRecord] = field(default_factory=list)
    aliases: list[tuple[str, str]] = field(default_factory=list)

    @property
    def key(self) -> tuple[str, str]:
        """Namespace and name."""
        return self.namespace, self.name


@dataclass(slots=True)
class LinkRecord:
    """A link between (namespace, name, column); the target's column is none where it is about the rows."""

    source: tuple[str, str, str]
    target: tuple[str, str, str | None]
    kind: str
    how: str
    origin: str
    spans: list[Span]
    expression: Span | None
    path: str
    possible: bool
    statement: int | None


@dataclass(slots=True)
class DefinitionRecord:
    """A text with the links that it is evidence of. statements: kind, start and end of each."""

    key: str
    kind: str
    place: str
    job_namespace: str
    job: str | None
    dialect: str
    first_line: int
    text: str
    namespace: str
    database: str
    search_path: list[str]
    template: dict[str, Any] | None
    revision: str | None
    statements: list[tuple[str, int, int]] = field(default_factory=list)
    links: list[LinkRecord] = field(default_factory=list)


@dataclass(slots=True)
class GraphRecord:
    """The whole graph, or a part of it."""

    datasets: list[DatasetRecord]
    definitions: list[DefinitionRecord]
