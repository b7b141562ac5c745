"""What the use-cases answer. These models are the API's schemas; ``id`` is an id in the store."""

from datetime import date, datetime
from typing import Any, Literal

from pydantic import BaseModel, Field

from jalan.catalog.kinds import LinkKind

FindKind = Literal["dataset", "field", "report", "element"]


class FieldBrief(BaseModel):
    """A column, or an element of a report. ``ahead`` and ``back`` count the value links on either side."""

    id: int
    name: str
    kind: str
    type: str | None
    placeholder: bool
    gone: bool
    back: int
    ahead: int


class DatasetBrief(BaseModel):
    """A dataset as it stands in a lane. ``fields`` are those that links in view start or end at."""

    id: int
    name: str
    title: str
    kind: str
    system: str
    container: str
    owner: str | None
    placeholder: bool
    gone: bool
    feeds_itself: bool
    fields: list[FieldBrief]
    total_fields: int


class Crossing(BaseModel):
    """A link in view. ``target_field`` is empty where the source decides which rows the target has.

    label: what happens on the way, in the words of the code. by: the job or place that does it. more: further
    links between the same two. possible: the code does not say whether this column or another one is meant.
    """

    id: int
    source_dataset: int
    source_field: int
    target_dataset: int
    target_field: int | None
    kind: LinkKind
    how: str
    label: str
    by: str
    more: int
    possible: bool


class Lane(BaseModel):
    """All that lies ``offset`` hops from here: negative is back, positive ahead."""

    offset: int
    datasets: list[DatasetBrief]


class Beyond(BaseModel):
    """What lies further away than is shown."""

    hops: int
    datasets: int
    reports: int
    next_datasets: int


class Step(BaseModel):
    """One step of a trail: the code that carries values into a field.

    links: all that this code carries into it; ``link`` is the one named first in the text.
    """

    link: int
    links: list[int]
    source: str
    target: str
    place: str
    line: int


class Road(BaseModel):
    """Lanes around a dataset, or the trail of some of its fields."""

    focus: int
    fields: list[int]
    lanes: list[Lane]
    crossings: list[Crossing]
    back: Beyond
    ahead: Beyond
    steps: list[Step]
    as_of: datetime | None


class ColumnFact(FieldBrief):
    """A column of the dataset in question, with all that is known of it.

    facts: nullable, default, generated, key and the like, where its system tells.
    """

    description: str | None
    reports: int
    facts: dict[str, Any]


class DefinitionFact(BaseModel):
    """A text that writes the dataset. revision, author and authored_at: of the commit that gave it this text."""

    id: int
    kind: str
    place: str
    job: str | None
    version: int
    valid_from: datetime
    revision: str | None
    author: str | None
    authored_at: datetime | None


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


class UseFact(BaseModel):
    """How often somebody used a dataset in the last 30 days, and through how many different queries."""

    person: str
    application: str
    writes: bool
    runs: int
    last: date
    queries: int


class DatasetFacts(BaseModel):
    """An asset with its facts and columns. details: what its system tells beyond that, by name."""

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
    written_by: list[DefinitionFact]
    back: int
    ahead: int
    reports: list[str]
    unread: int
    bytes: int | None
    details: dict[str, Any]
    known_as: list[AliasFact]
    conflicts: list[ConflictFact]
    points: list[PointFact]
    uses: list[UseFact]


class Mark(BaseModel):
    """Characters of a text that prove something. ``link``: the very link that was asked for."""

    start: int
    end: int
    kind: Literal["link", "value", "condition", "expression"]


class WayStep(BaseModel):
    """One step of how a value is made: same, renamed, computed, aggregated or constant, with what makes it."""

    kind: str
    table: str
    name: str
    expression: str


class Evidence(BaseModel):
    """The code behind a link. Offsets count characters of ``text``; line ``first_line`` is its first.

    expression: what makes the target, in one normal form. way: how, step by step through the intermediates of the
    code. path: which part of the source is taken, empty for all of it. possible: the code does not say whether this
    source is meant or another one.
    """

    link: int
    kind: LinkKind
    how: str
    origin: str
    source: str
    target: str
    expression: str | None
    definition: DefinitionFact
    text: str
    first_line: int
    marks: list[Mark]
    start: int
    end: int
    others: list[int]
    path: str
    possible: bool
    way: list[WayStep]


class PathStep(BaseModel):
    """One hop of a path: the field reached, and the link that leads there (none from rows to their columns)."""

    field: int | None
    dataset: int
    label: str
    link: int | None
    kind: Literal["value", "condition", "rows", "contains"]


class Dependent(BaseModel):
    """A column or report element that depends on the field in question, with the shortest path to it."""

    field: int
    name: str
    kind: str
    dataset: int
    dataset_name: str
    dataset_title: str
    report: bool
    owner: str | None
    effect: LinkKind
    hops: int
    path: list[PathStep]


class Dependents(BaseModel):
    """What depends on a field."""

    field: int
    label: str
    items: list[Dependent]
    columns: int
    elements: int
    reports: int


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
    back: int
    ahead: int
    reports: int
    why: str | None


class FacetCount(BaseModel):
    """One value of a facet and how many rows have it."""

    value: str
    count: int


class CatalogPage(BaseModel):
    """A page of the catalog with counting facets. ``next`` is the cursor of the next page."""

    items: list[CatalogRow]
    total: int
    next: str | None
    facets: dict[str, list[FacetCount]] = Field(description="facet name → counts")


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
