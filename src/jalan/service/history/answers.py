"""What the questions about the past answer. These models are the API's schemas; times are UTC."""

from datetime import datetime
from typing import Literal
from uuid import UUID

from pydantic import BaseModel

Went = Literal["came", "went", "changed"]


class Happening(BaseModel):
    """One thing that happened. run, state: of a run. definition: of a text that came or changed."""

    kind: Literal["seen", "definition", "links", "columns", "facts", "run", "version"]
    words: str
    run: UUID | None = None
    state: str | None = None
    definition: int | None = None


class Moment(BaseModel):
    """What happened at one time, to the millisecond; the lineage as of it has what came then."""

    at: datetime
    happenings: list[Happening]


class HistoryPage(BaseModel):
    """Moments, the latest first."""

    items: list[Moment]
    next: str | None


class TextLine(BaseModel):
    """A line of two texts: in both, only in the earlier (``-``) or only in the later one (``+``); ``…`` stands for
    lines that are the same in both. before, after: its number in each, from 1."""

    mark: Literal[" ", "-", "+", "…"]
    before: int | None
    after: int | None
    text: str


class DatasetChange(BaseModel):
    """A dataset that came or went."""

    dataset: int
    name: str
    kind: str
    went: Went


class ColumnChange(BaseModel):
    """A column that came, went, or has another type. before, after: its types."""

    dataset: int
    field: int
    name: str
    went: Went
    before: str | None
    after: str | None


class LinkChange(BaseModel):
    """A link that came or went. source, target: as they are called then. link: its id, to see the evidence."""

    link: int
    kind: str
    source: str
    target: str
    label: str
    went: Went


class DefinitionChange(BaseModel):
    """A definition that came, went, or says something else; lines: the two texts side by side. cut: there were more
    lines than are compared."""

    key: str
    place: str
    kind: str
    went: Went
    author: str | None
    revision: str | None
    lines: list[TextLine]
    cut: bool


class Difference(BaseModel):
    """What is another around a dataset at one time than at an earlier one. until: none for now.

    Each list holds the first some hundred; the totals count all. looked_at: how many datasets were compared, of how
    many that lie within the reach.
    """

    dataset: int
    since: datetime
    until: datetime | None
    datasets: list[DatasetChange]
    datasets_total: int
    columns: list[ColumnChange]
    columns_total: int
    links: list[LinkChange]
    links_total: int
    definitions: list[DefinitionChange]
    definitions_total: int
    looked_at: int
    within: int
    version: int
