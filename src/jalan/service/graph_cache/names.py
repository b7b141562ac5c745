"""What the graph knows of each thing by name."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from jalan.catalog.kinds import DefinitionKind, definition_kind


@dataclass(slots=True)
class DatasetInfo:
    """A dataset with the names that people see. joined: ids of the datasets that are this one by an alias."""

    id: int
    name: str
    title: str
    kind: str
    system: str
    namespace: str
    container: str
    description: str | None
    owner: str | None
    address: str | None
    rows: int | None
    bytes: int | None
    facts: dict[str, Any]
    placeholder: bool
    first_seen: datetime
    scanned_at: datetime | None
    gone_since: datetime | None
    fields: list[int]
    joined: list[int]


@dataclass(slots=True)
class FieldInfo:
    """A field; ``dataset`` is the position of its dataset."""

    id: int
    dataset: int
    name: str
    kind: str
    type: str | None
    description: str | None
    facts: dict[str, Any]
    placeholder: bool
    gone_since: datetime | None


@dataclass(slots=True)
class DefinitionInfo:
    """A definition with the job that runs it."""

    id: int
    kind: str
    place: str
    job: str | None
    version: int
    valid_from: datetime
    text: str
    first_line: int
    dialect: str
    search_path: list[str]
    template: dict[str, Any] | None
    database: str
    namespace: str
    key: str
    job_namespace: str | None
    revision: str | None
    authored_at: datetime | None
    author: str | None

    @property
    def by(self) -> str:
        """What stands in the gutter: the job, or else what of the database's does it, or the file."""
        if self.kind == DefinitionKind.DECLARATION:
            return f"declared {self.place}" if self.place.startswith("on ") else f"declared in {self.place}"
        kind = definition_kind(self.kind)
        if kind.about.made_by_database:
            return f"{kind.label} {self.place}"
        return self.job or self.place

    def line(self, offset: int) -> int:
        """Return the line, in the file, of a place in the text."""
        return self.first_line + self.text.count("\n", 0, offset)


@dataclass(slots=True)
class LinkInfo:
    """One link between two nodes, the best evidenced first; ``others`` are further ones between the same two."""

    id: int
    kind: str
    how: str
    origin: str
    definition: int
    statement: int | None
    spans: list[tuple[int, int]]
    expression: tuple[int, int] | None
    path: str
    possible: bool
    others: list[int]
