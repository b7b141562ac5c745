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


class Bundle(BaseModel):
    """Links between two datasets that are not shown one by one, summed. values: those that carry values."""

    source_dataset: int
    target_dataset: int
    values: int
    links: int


class Lane(BaseModel):
    """What lies ``offset`` hops from here: negative is upstream, positive downstream.

    total: how many datasets there are; ``datasets`` are those that are linked most, or that were asked for.
    """

    offset: int
    total: int
    datasets: list[DatasetBrief]


class Beyond(BaseModel):
    """What lies further away than is shown."""

    hops: int
    datasets: int
    reports: int
    next_datasets: int


class Step(BaseModel):
    """One step of a trail: the code that carries values into a field.

    links: what this code carries into it, some of it where it is much; ``link`` is the one named first in the
        text. more: how many sources are not named.
    how, label: what happens to the value, and in the words of the code. dataset: that of the target, in ``lane``.
    level: how far the step stands aside of the main road; fed_by: the places of the steps in this list that make
        what it is made of.
    grouped_by, decided_by: the columns by which rows are put together, and those that decide otherwise which there
        are; some of them.
    """

    link: int
    links: list[int]
    source: str
    more: int
    target: str
    place: str
    line: int
    how: str
    label: str
    dataset: int
    lane: int
    level: int
    fed_by: list[int]
    grouped_by: list[str]
    decided_by: list[str]


class StoryStep(BaseModel):
    """A step in words. link: that of the step. expression: what makes the value, in the normal form."""

    link: int
    words: str
    expression: str


class Story(BaseModel):
    """What the trail of fields says, in one sentence and step by step; of steps that change nothing, nothing."""

    sentence: str
    steps: list[StoryStep]


class LineageMap(BaseModel):
    """Lanes around a dataset, or the trail of some of its fields.

    crossings: links drawn one by one; bundles: the others between what is shown. steps_total: how many there are,
    where not all are listed. version: of the graph that this is of; it grows with every change.
    """

    focus: int
    fields: list[int]
    lanes: list[Lane]
    crossings: list[Crossing]
    bundles: list[Bundle]
    upstream: Beyond
    downstream: Beyond
    steps: list[Step]
    steps_total: int
    version: int
    as_of: datetime | None


class WithinMatch(BaseModel):
    """A dataset of a road, or one of its fields, whose name holds what is looked for. lane: its offset."""

    lane: int
    dataset: int
    title: str
    field: int | None
    name: str


class Within(BaseModel):
    """What a road holds by its names, also where it is not shown; in the order of its lanes. total: how many there
    are, where not all are listed."""

    matches: list[WithinMatch]
    total: int


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


class DependentGroup(BaseModel):
    """The columns or elements of one dataset that depend on the field in question. hops: of the nearest."""

    dataset: int
    title: str
    kind: str
    owner: str | None
    effect: str
    hops: int
    count: int


class Dependents(BaseModel):
    """What depends on a field: a page of it, and by dataset.

    items: reports first, the worst and nearest first. total: how many there are; those that match where words are
    given. next: cursor of the next page. groups: the same by dataset, the first of them; groups_total: how many.
    effects: what may happen to it, by name, in words. columns, elements, reports: of all.
    """

    field: int
    label: str
    items: list[Dependent]
    total: int
    next: str | None
    groups: list[DependentGroup]
    groups_total: int
    effects: dict[str, str]
    columns: int
    elements: int
    reports: int
    version: int
