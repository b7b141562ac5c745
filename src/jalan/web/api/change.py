"""What breaks if this is changed."""

from typing import Annotated

from fastapi import APIRouter, Query
from pydantic import BaseModel, Field

from jalan.service.change.answers import ChangeOutcome, ChangeTarget, ChangeText
from jalan.service.change.simulate import MOST_EDITED, MOST_TEXT, simulate, targets, text_at, texts_named
from jalan.web.deps import Now

router = APIRouter(prefix="/api/v1")


class ChangeIn(BaseModel):
    """A change. sql: DDL, or an edited definition, of relations named as the database names them; those of other
    databases on the same server with theirs in front. database: the one that is changed; by default that over which
    most texts are run. stopped: places of texts that are not run any more. edits: places of texts, with what they
    are instead; one that is not known is added."""

    sql: Annotated[str, Field(max_length=MOST_TEXT)] = ""
    database: Annotated[str | None, Field(max_length=200)] = None
    stopped: Annotated[list[Annotated[str, Field(max_length=1_000)]], Field(max_length=50)] = []
    edits: Annotated[
        dict[Annotated[str, Field(max_length=1_000)], Annotated[str, Field(max_length=MOST_EDITED)]],
        Field(max_length=500),
    ] = {}


@router.get("/changes/databases")
def get_change_databases(context: Now) -> list[ChangeTarget]:
    """The databases that changes can be simulated in."""
    return targets(context)


@router.post("/changes/simulate")
def simulate_change(context: Now, given: ChangeIn) -> ChangeOutcome:
    """What a change does to all that is run and asked after it. Nothing is written."""
    return simulate(context, given.sql, given.database, given.stopped, given.edits or None)


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


@router.get("/changes/text")
def get_change_text(
    context: Now,
    place: Annotated[str, Query(max_length=1_000)],
    database: Annotated[str | None, Query(max_length=200)] = None,
) -> ChangeText:
    """A text as it is now."""
    return text_at(context, database, place)
