"""What several answers show of a field, a dataset and a text. These models are the API's schemas."""

from datetime import datetime

from pydantic import BaseModel


class FieldBrief(BaseModel):
    """A column, or an element of a report. ``downstream`` and ``upstream`` count the value links on either side."""

    id: int
    name: str
    kind: str
    type: str | None
    placeholder: bool
    gone: bool
    upstream: int
    downstream: int


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
