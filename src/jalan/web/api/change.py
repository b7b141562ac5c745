"""What breaks if this is changed."""

from typing import Annotated

from fastapi import APIRouter, Query
from pydantic import BaseModel, Field

from jalan.service.change import kept
from jalan.service.change.answers import (
    ChangeOutcome,
    ChangeTarget,
    ChangeText,
    KeptChangeOutcome,
    KeptChangesPage,
    KeptState,
    PlanRoute,
    ReadText,
    RowSample,
)
from jalan.service.change.planned import plan
from jalan.service.change.proposed import ProposedChange
from jalan.service.change.reading import read_text, tables_named
from jalan.service.change.sample import sample_change as sampled
from jalan.service.change.simulate import MOST_EDITED, MOST_TEXT, shown, simulate, targets, text_at, texts_named
from jalan.web.api.made import Made
from jalan.web.deps import Id, Now

router = APIRouter(prefix="/api/v1")


class ChangeIn(BaseModel):
    """A change. sql: DDL, or an edited definition, of relations named as the database names them; those of other
    databases on the same server with theirs in front. database: the one that is changed; by default that over which
    most texts are run. stopped: places of texts that are not run any more. edits: places of texts, with what they
    are instead; one that is not known is added. late: places of texts that are run after all others. delivers:
    relations into which other rows come from outside, or columns into which other values do. dialect: that the SQL
    is written in, by default that of most texts."""

    sql: Annotated[str, Field(max_length=MOST_TEXT)] = ""
    database: Annotated[str | None, Field(max_length=200)] = None
    stopped: Annotated[list[Annotated[str, Field(max_length=1_000)]], Field(max_length=50)] = []
    edits: Annotated[
        dict[Annotated[str, Field(max_length=1_000)], Annotated[str, Field(max_length=MOST_EDITED)]],
        Field(max_length=500),
    ] = {}
    late: Annotated[list[Annotated[str, Field(max_length=1_000)]], Field(max_length=50)] = []
    delivers: Annotated[list[Annotated[str, Field(max_length=1_000)]], Field(max_length=50)] = []
    dialect: Annotated[str | None, Field(max_length=40)] = None

    def proposed(self) -> ProposedChange:
        """What is asked about."""
        return ProposedChange(
            self.sql, self.database, self.stopped, self.edits, self.late, self.delivers, self.dialect
        )


class KeptChangeIn(ChangeIn):
    """A change that is to be kept, under a name."""

    name: Annotated[str, Field(max_length=200)]


class KeptChangeEdit(BaseModel):
    """What becomes of a kept change. settle: hold it from now on against what it does now."""

    name: Annotated[str | None, Field(max_length=200)] = None
    state: KeptState | None = None
    settle: bool = False


@router.get("/changes")
def get_changes(context: Now, cursor: Annotated[str | None, Query(max_length=200)] = None) -> KeptChangesPage:
    """The changes that are kept, the latest first."""
    return kept.kept_changes(context, cursor)


@router.post("/changes", status_code=201)
def keep_change(context: Now, given: KeptChangeIn) -> Made:
    """Keep a change under a name, with what it does now."""
    return Made(id=kept.keep_change(context, given.name, given.proposed()))


@router.get("/changes/kept/{change}")
def get_kept_change(context: Now, change: Id) -> KeptChangeOutcome:
    """A kept change with what it does now, and what is different from then."""
    return kept.kept_change(context, change)


@router.patch("/changes/kept/{change}", status_code=204)
def edit_kept_change(context: Now, change: Id, given: KeptChangeEdit) -> None:
    """Give a kept change another name or state, or settle what it does."""
    kept.change_kept(context, change, given.name, given.state, given.settle)


@router.delete("/changes/kept/{change}", status_code=204)
def let_change_go(context: Now, change: Id) -> None:
    """Keep a change no longer."""
    kept.let_change_go(context, change)


@router.get("/changes/databases")
def get_change_databases(context: Now) -> list[ChangeTarget]:
    """The databases that changes can be simulated in."""
    return targets(context)


@router.post("/changes/simulate")
def simulate_change(context: Now, given: ChangeIn) -> ChangeOutcome:
    """What a change does to all that is run and asked after it. Nothing is written."""
    return shown(simulate(context, given.proposed()))


class PlanIn(BaseModel):
    """A change that is to be carried out: DDL over relations named as ``ChangeIn`` names them."""

    sql: Annotated[str, Field(max_length=MOST_TEXT)]
    database: Annotated[str | None, Field(max_length=200)] = None


@router.post("/changes/plan")
def plan_change(context: Now, given: PlanIn) -> list[PlanRoute]:
    """How a change is carried out: which SQL in which order, what is changed before or with it, and what takes each
    step back. Nothing is written."""
    return plan(context, given.sql, given.database)


class SampleIn(ChangeIn):
    """An edited query of which rows are looked at. subject: the relation that it fills, or the place of a report's
    query. condition: a filter over its columns, as SQL."""

    subject: Annotated[str, Field(max_length=1_000)]
    condition: Annotated[str, Field(max_length=2_000)] = ""


@router.post("/changes/sample")
def sample_change(context: Now, given: SampleIn) -> RowSample:
    """Rows of an edited query from the real database, before and after. They are read in a read-only transaction
    that gives up in time, where the source allows it."""
    return sampled(context, given.proposed(), given.subject, given.condition)


@router.get("/changes/texts")
def get_change_texts(
    context: Now,
    q: Annotated[str, Query(max_length=200)] = "",
    database: Annotated[str | None, Query(max_length=200)] = None,
    limit: Annotated[int, Query(ge=1, le=200)] = 20,
    asked: bool = False,
) -> list[str]:
    """The places of texts that are run over a database, by words in them: what may stop; with those that are only
    asked: what may be edited."""
    return texts_named(context, database, q, limit, asked)


class ReadIn(BaseModel):
    """A text that is being written. place: of the text that it would be."""

    text: Annotated[str, Field(max_length=MOST_TEXT)]
    dialect: Annotated[str, Field(max_length=40)] = "postgresql"
    database: Annotated[str | None, Field(max_length=200)] = None
    place: Annotated[str | None, Field(max_length=1_000)] = None


@router.post("/changes/read")
def read_change_text(context: Now, given: ReadIn) -> ReadText:
    """What a text that is being written means: its columns, what these are made of, and what is wrong with it."""
    return read_text(context, given.database, given.text, given.dialect, given.place)


@router.get("/changes/tables")
def get_change_tables(
    context: Now,
    q: Annotated[str, Query(max_length=200)] = "",
    database: Annotated[str | None, Query(max_length=200)] = None,
    limit: Annotated[int, Query(ge=1, le=200)] = 30,
) -> dict[str, list[str]]:
    """Relations by words in their names, each with its columns: what can be written."""
    return tables_named(context, database, q, limit)


@router.get("/changes/text")
def get_change_text(
    context: Now,
    place: Annotated[str, Query(max_length=1_000)],
    database: Annotated[str | None, Query(max_length=200)] = None,
) -> ChangeText:
    """A text as it is now."""
    return text_at(context, database, place)
