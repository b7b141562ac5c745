"""What the questions about the catalog answer. These models are the API's schemas; ``id`` is an id in the store."""

from datetime import datetime
from typing import Any, Literal

from pydantic import BaseModel, Field

from jalan.service.briefs import DefinitionFact, FieldBrief
from jalan.service.usage.answers import UseFact

FindKind = Literal["dataset", "field", "report", "element"]


class ColumnFact(FieldBrief):
    """A column of the dataset in question, with all that is known of it.

    facts: nullable, default, generated, key and the like, where its system tells.
    """

    description: str | None
    reports: int
    facts: dict[str, Any]


class AliasFact(BaseModel):
    """Another name of a dataset. origin: person, or symlink where a producer sends it."""

    id: int
    namespace: str
    name: str
    origin: str
    who: str
    since: datetime
    note: str | None


class ClaimFact(BaseModel):
    """What a source says of a column. itself: it is a scan of the very system; that one holds."""

    source: str
    itself: bool
    since: datetime
    has: bool
    type: str | None


class ConflictFact(BaseModel):
    """A column that sources disagree about; the claim that holds comes first."""

    column: str
    claims: list[ClaimFact]


class PointFact(BaseModel):
    """A commit that changed what writes a dataset."""

    revision: str
    at: datetime
    author: str
    summary: str
    path: str
    change: str


class DatasetFacts(BaseModel):
    """An asset with its facts and columns. details: what its system tells beyond that, by name.

    columns_total, reports_total: how many there are, where not all are listed.
    """

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
    placeholder: bool
    gone_since: datetime | None
    first_seen: datetime
    scanned_at: datetime | None
    feeds_itself: bool
    columns: list[ColumnFact]
    columns_total: int
    written_by: list[DefinitionFact]
    upstream: int
    downstream: int
    reports: list[str]
    reports_total: int
    unread: int
    bytes: int | None
    details: dict[str, Any]
    known_as: list[AliasFact]
    conflicts: list[ConflictFact]
    points: list[PointFact]
    uses: list[UseFact]


class Found(BaseModel):
    """A hit of the find box. ``why`` says which part matched; ``field`` is set for columns and elements."""

    kind: FindKind
    dataset: int
    field: int | None
    title: str
    path: str
    dataset_kind: str
    why: str


class CatalogRow(BaseModel):
    """A dataset in the catalog."""

    id: int
    name: str
    title: str
    kind: str
    system: str
    container: str
    description: str | None
    owner: str | None
    placeholder: bool
    gone: bool
    columns: int
    upstream: int
    downstream: int
    reports: int
    why: str | None


class FacetCount(BaseModel):
    """One value of a facet and how many rows have it."""

    value: str
    count: int


class FacetPage(BaseModel):
    """Values of one facet, the most frequent first. total: how many there are in all."""

    values: list[FacetCount]
    total: int


class CatalogPage(BaseModel):
    """A page of the catalog with counting facets. ``next`` is the cursor of the next page.

    facet_totals: how many values each facet has; ``facets`` lists the most frequent, and those that are chosen.
    """

    items: list[CatalogRow]
    total: int
    next: str | None
    facets: dict[str, list[FacetCount]] = Field(description="facet name → counts")
    facet_totals: dict[str, int]


class SystemFact(BaseModel):
    """A system with what is known of it."""

    namespace: str
    kind: str
    databases: list[str]
    datasets: int
    fields: int
    placeholders: int
    scanned_at: datetime | None


class Connection(BaseModel):
    """How many links lead from one container to another (databases, and all reports)."""

    source: str
    target: str
    links: int


class DiagnosticFact(BaseModel):
    """A place that could not be read, or where something was guessed."""

    level: str
    code: str
    message: str
    hint: str
    place: str
    line: int
    excerpt: str


class RecentIngestion(BaseModel):
    """One scan or load."""

    kind: str
    subject: str
    state: str
    started_at: datetime
    finished_at: datetime | None
    changed: dict[str, int]
    found: dict[str, int]
    message: str | None


class Change(BaseModel):
    """A definition that changed lately."""

    place: str
    kind: str
    version: int
    at: datetime
    dataset: int | None


class Overview(BaseModel):
    """What is loaded, how far it can be trusted, and what needs a look."""

    systems: list[SystemFact]
    datasets: dict[str, int]
    fields: int
    placeholders: int
    gone: int
    links: dict[str, int]
    definitions: int
    statements: int
    statements_followed: int
    columns_traced: int
    columns_traceable: int
    diagnostics: list[DiagnosticFact]
    diagnostic_counts: dict[str, int]
    connections: list[Connection]
    ingestions: list[RecentIngestion]
    changes: list[Change]
    reports: list[CatalogRow]
