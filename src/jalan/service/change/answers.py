"""What the questions about a change answer. These models are the API's schemas."""

from datetime import date, datetime
from enum import StrEnum

from pydantic import BaseModel

from jalan.service.history.answers import TextLine


class FailureFact(BaseModel):
    """Why a text fails: what the database would say, and at which characters of the text."""

    message: str
    start: int
    end: int
    text: str
    first_line: int


class ColumnEdit(BaseModel):
    """An output that a query makes otherwise. kind: added, removed, renamed, retyped, computed otherwise, moved."""

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

    kind: breaks, gone, goes stale, comes late, rows may change, values may change or shape changes. subject: a
    place or a name.
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


class ConcernedReport(BaseModel):
    """A report of which some elements have a consequence, or that shows what has one. kind: the worst.

    views, people: in the last 30 days. told: whether its service tells who looks at reports at all.
    """

    dataset: int
    title: str
    owner: str | None
    kind: str
    elements: list[str]
    views: int
    people: int
    last_opened: date | None
    told: bool


class ConcernedPerson(BaseModel):
    """Somebody who has asked for what is gone or otherwise in the last 30 days. runs: of how many queries."""

    person: str
    runs: int
    queries: int
    last: date


class ChangeOutcome(BaseModel):
    """What a change does to all that is run and asked after it.

    stopped: places of texts that are not run any more; edited, added: of those that are others, or new; late: of
    those that are run after all others. delivers: what is delivered otherwise.
    refused: why the database would not make it. edits: of views that get another query. reachable: how much lies
    downstream, which mere reachability would have warned of. counts: of consequences by kind. failing: texts that
    fail anyhow. not_run: texts of which nobody knows what they do, as they are templates. reports, people: those
    whom it concerns, the first first.
    """

    change: str
    stopped: list[str]
    edited: list[str]
    added: list[str]
    late: list[str]
    delivers: list[str]
    system: str
    database: str
    refused: str | None
    edits: list[EditFact]
    consequences: list[ConsequenceFact]
    consequences_total: int
    counts: dict[str, int]
    untouched: list[UntouchedFact]
    untouched_total: int
    reachable: int
    reports: list[ConcernedReport]
    people: list[ConcernedPerson]
    failing: list[str]
    not_run: list[str]
    version: int


class ChangeText(BaseModel):
    """A text that is run, or only asked, as an element of a report is."""

    place: str
    text: str
    dialect: str
    asked: bool


class KeptState(StrEnum):
    """How far a kept change has come."""

    PROPOSED = "proposed"
    REVIEWED = "reviewed"
    DONE = "done"
    DROPPED = "dropped"


class KeptChangeBrief(BaseModel):
    """A change that is kept. consequences: how many it had at ``at``."""

    id: int
    name: str
    who: str
    state: KeptState
    kept_at: datetime
    database: str
    consequences: int
    refused: str | None
    at: datetime
    changed_by: str


class KeptChangeFact(KeptChangeBrief):
    """A change that is kept, with what would change."""

    sql: str
    stopped: list[str]
    edits: dict[str, str]
    late: list[str]
    delivers: list[str]
    dialect: str | None


class KeptChangesPage(BaseModel):
    """Changes that are kept, the latest first."""

    items: list[KeptChangeBrief]
    next: str | None


class ConsequenceName(BaseModel):
    """What becomes of what."""

    kind: str
    subject: str


class KeptChangeOutcome(BaseModel):
    """A kept change with what it does now, and what came and went since it was last settled. impossible: why it
    cannot be made any more."""

    kept: KeptChangeFact
    outcome: ChangeOutcome | None
    impossible: str | None
    came: list[ConsequenceName]
    came_total: int
    went: list[ConsequenceName]
    went_total: int


class BaselineFact(BaseModel):
    """A state of all texts under a name. at: they are what they were then, but for those taken over since: so many,
    the last one at ``last_taken``."""

    id: int
    name: str
    system: str
    database: str
    at: datetime
    protected: bool
    made_at: datetime
    made_by: str
    taken: int
    last_taken: datetime | None


class RepositoryFact(BaseModel):
    """A git repository that is a source. revision: the one that is read. problem: why no branches are known."""

    id: int
    name: str
    revision: str
    branches: list[str]
    problem: str | None


class BaselineDifference(BaseModel):
    """A text that two states have otherwise. what: edited, added or taken out. asked: it is only asked."""

    place: str
    what: str
    asked: bool


class ComparedTexts(BaseModel):
    """A text as two states have it, line by line. short: some lines are left out."""

    place: str
    lines: list[TextLine]
    short: bool


class BaselineComparison(BaseModel):
    """What two states have otherwise: some of it, and how much in all. outcome: what would become of everything if
    the first became the second; none where too much differs."""

    left: str
    right: str
    database: str
    differences: list[BaselineDifference]
    total: int
    outcome: ChangeOutcome | None


class TakenTexts(BaseModel):
    """How many texts were taken over. by_hand: SQL of the change that no text has, and that is to be run."""

    taken: int
    by_hand: str


class TakenFact(BaseModel):
    """A text that was taken over into a baseline. gone: it is not run any more. source: where from, in words."""

    id: int
    place: str
    gone: bool
    taken_at: datetime
    who: str
    source: str


class TakenPage(BaseModel):
    """What was taken over, the latest first."""

    items: list[TakenFact]
    next: str | None


class SampledColumn(BaseModel):
    """A column of a sample, with how many nulls and how many different values it has in all rows; none where it is
    not there, or counting took too long."""

    name: str
    nulls_before: int | None
    nulls_after: int | None
    distinct_before: int | None
    distinct_after: int | None


class SampledRow(BaseModel):
    """A row before and after, its values as texts in the order of the columns. mark: ≁ where some differ, + or −
    where only one side has it."""

    mark: str
    before: list[str | None] | None
    after: list[str | None] | None


class RowSample(BaseModel):
    """Rows that a query gives as it is and as it would be. keys: the columns by which rows are put side by side.
    more: there are more of them. rows_before, rows_after: of all, none where counting took too long. failed_before,
    failed_after: what the database said."""

    columns: list[SampledColumn]
    rows: list[SampledRow]
    keys: list[str]
    rows_before: int | None
    rows_after: int | None
    more: bool
    failed_before: str | None
    failed_after: str | None


class ReadProblem(BaseModel):
    """What is wrong with a text, at which of its characters."""

    level: str
    message: str
    hint: str
    start: int
    end: int


class ReadOutput(BaseModel):
    """A column that a statement makes. values: the columns that it is made of; conditions: those that decide."""

    name: str
    start: int
    end: int
    values: list[str]
    conditions: list[str]


class ReadStatement(BaseModel):
    """A statement with the columns that it makes, of which so many are told. rows: what decides about its rows."""

    kind: str
    target: str | None
    start: int
    end: int
    outputs: list[ReadOutput]
    outputs_total: int
    rows: list[str]


class ReadText(BaseModel):
    """What a text means that is being written. tables: what it reads, with the columns that are known."""

    problems: list[ReadProblem]
    statements: list[ReadStatement]
    tables: dict[str, list[str]]


class PlanStepFact(BaseModel):
    """A step of a plan. sql: what is run, in which database; empty where only texts are changed, or one waits.
    before: places of texts that are changed by then, at any time; together: those that are changed in the same
    moment. undo: what takes it back. with_last: it is taken in the same moment as the step before it."""

    title: str
    sql: str
    database: str
    before: list[str]
    together: list[str]
    undo: str
    note: str
    with_last: bool


class PlanRoute(BaseModel):
    """One way to carry a change out."""

    name: str
    why: str
    steps: list[PlanStepFact]


class ChangeTarget(BaseModel):
    """A database that changes can be simulated in. texts: how many are run over it."""

    system: str
    database: str
    texts: int
