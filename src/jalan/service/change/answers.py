"""What the questions about a change answer. These models are the API's schemas."""

from pydantic import BaseModel


class FailureFact(BaseModel):
    """Why a text fails: what the database would say, and at which characters of the text."""

    message: str
    start: int
    end: int
    text: str
    first_line: int


class ColumnEdit(BaseModel):
    """An output that a query makes otherwise. kind: added, removed, renamed, computed otherwise or moved."""

    name: str
    kind: str
    before: str
    after: str


class RowEdit(BaseModel):
    """What came into what decides about the rows of a query, and what went. part: filter, join, grouping …"""

    part: str
    came: list[str]
    went: list[str]


class EditFact(BaseModel):
    """What differs between the query that a view has and the one that it is given.

    sentence: in words. clear: whether it could be told at all; where not, everything may differ. safe: whoever
    reads it by name finds what was there.
    """

    subject: str
    dataset: int | None
    clear: bool
    safe: bool
    sentence: str
    columns: list[ColumnEdit]
    rows: list[RowEdit]


class ConsequenceFact(BaseModel):
    """What becomes of one thing.

    kind: breaks, gone, goes stale, rows may change, values may change or shape changes. subject: a place or a name.
    dataset: of a relation, or of the report that an element is of; definition: of a text. because: the subject that
    it comes from. columns: those whose values may change.
    """

    kind: str
    subject: str
    what: str
    reason: str
    dataset: int | None
    definition: int | None
    owner: str | None
    because: str | None
    columns: list[str]
    failure: FailureFact | None


class UntouchedFact(BaseModel):
    """Something downstream that nothing happens to."""

    subject: str
    what: str
    dataset: int | None


class ChangeOutcome(BaseModel):
    """What a change does to all that is run and asked after it.

    stopped: places of texts that are not run any more; edited, added: of those that are others, or new.
    refused: why the database would not make it. edits: of views that get another query. reachable: how much lies
    downstream, which mere reachability would have warned of. counts: of consequences by kind. failing: texts that
    fail anyhow. not_run: texts of which nobody
    knows what they do, as they are templates.
    """

    change: str
    stopped: list[str]
    edited: list[str]
    added: list[str]
    system: str
    database: str
    refused: str | None
    edits: list[EditFact]
    consequences: list[ConsequenceFact]
    counts: dict[str, int]
    untouched: list[UntouchedFact]
    reachable: int
    failing: list[str]
    not_run: list[str]
    version: int


class ChangeText(BaseModel):
    """A text that is run, or only asked, as an element of a report is."""

    place: str
    text: str
    dialect: str
    asked: bool


class ChangeTarget(BaseModel):
    """A database that changes can be simulated in. texts: how many are run over it."""

    system: str
    database: str
    texts: int
