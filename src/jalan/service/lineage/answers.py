"""What the questions about lineage answer. These models are the API's schemas; ``id`` is an id in the store."""

from datetime import datetime
from typing import Literal

from pydantic import BaseModel

from jalan.catalog.kinds import LinkKind
from jalan.service.briefs import DatasetBrief, DefinitionFact


class Crossing(BaseModel):
    """A link in view. ``target_field`` is empty where the source decides which rows the target has.

    label: what happens on the way, in the words of the code.
    by: the job or place that does it.
    more: further links between the same two.
    possible: the code does not say whether this column or another one is meant.
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
    """All that lies ``offset`` hops from here: negative is upstream, positive downstream."""

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


class LineageMap(BaseModel):
    """Lanes around a dataset, or the trail of some of its fields."""

    focus: int
    fields: list[int]
    lanes: list[Lane]
    crossings: list[Crossing]
    upstream: Beyond
    downstream: Beyond
    steps: list[Step]
    as_of: datetime | None


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

    expression: what makes the target, in one normal form.
    way: how, step by step through the intermediates of the code.
    path: which part of the source is taken, empty for all of it.
    possible: the code does not say whether this source is meant or another one.
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
    """A column or report element that depends on the field in question, with the shortest path to it. effect: what
    happens to it, see ``Dependents.effects``."""

    field: int
    name: str
    kind: str
    dataset: int
    dataset_name: str
    dataset_title: str
    report: bool
    owner: str | None
    effect: str
    hops: int
    path: list[PathStep]


class Dependents(BaseModel):
    """What depends on a field. effects: what may happen to it, by name, in words."""

    field: int
    label: str
    items: list[Dependent]
    effects: dict[str, str]
    columns: int
    elements: int
    reports: int
