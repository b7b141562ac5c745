"""Baselines: states of all texts under a name."""

from datetime import datetime
from typing import Annotated

from fastapi import APIRouter, Query
from pydantic import BaseModel, Field

from jalan.service.change import baselines as kept
from jalan.service.change.answers import (
    BaselineComparison,
    BaselineFact,
    ComparedTexts,
    RepositoryFact,
    TakenPage,
    TakenTexts,
)
from jalan.service.change.revisions import repositories
from jalan.web.api.made import Made
from jalan.web.deps import LARGEST_ID, Id, Now, zoned

router = APIRouter(prefix="/api/v1")
_STATE = r"^(\d{1,9}|\d{1,9}@.{1,200})$"
Side = Annotated[
    str, Query(pattern=_STATE, description="A baseline by its id, 0 for how it is now, or source@revision.")
]


class BaselineIn(BaseModel):
    """A baseline that is to be kept. database: by default that over which most texts are run. at: the time at which
    its texts are taken as they were; now by default."""

    name: Annotated[str, Field(max_length=200)]
    database: Annotated[str | None, Field(max_length=200)] = None
    protected: bool = False
    at: datetime | None = None


class BaselineEdit(BaseModel):
    """What becomes of a baseline."""

    name: Annotated[str | None, Field(max_length=200)] = None
    protected: bool | None = None


class TakeIn(BaseModel):
    """What is taken over into a baseline: the texts of a kept change, or those that another state has otherwise (a
    baseline by its id, 0 for how it is now, or source@revision). places: which of them, all by default. confirmed:
    it is meant, though it is protected."""

    change: Annotated[int | None, Field(ge=1, le=LARGEST_ID)] = None
    other: Annotated[str, Field(pattern=_STATE)] = "0"
    places: Annotated[list[Annotated[str, Field(max_length=1_000)]] | None, Field(max_length=500)] = None
    confirmed: bool = False


@router.get("/baselines")
def get_baselines(context: Now) -> list[BaselineFact]:
    """All baselines, by their names."""
    return kept.baselines(context)


@router.post("/baselines", status_code=201)
def keep_baseline(context: Now, given: BaselineIn) -> Made:
    """Keep the state of all texts under a name."""
    return Made(id=kept.keep_baseline(context, given.name, given.database, given.protected, zoned(given.at)))


@router.get("/baselines/compare")
def compare_baselines(context: Now, left: Side = "0", right: Side = "0") -> BaselineComparison:
    """What two states have otherwise, and what would become of everything if the first became the second."""
    return kept.compare(context, left, right)


@router.get("/baselines/text")
def get_compared_text(
    context: Now, place: Annotated[str, Query(max_length=1_000)], left: Side = "0", right: Side = "0"
) -> ComparedTexts:
    """A text that two states have otherwise, as each has it."""
    return kept.texts_of(context, left, right, place)


@router.get("/repositories")
def get_repositories(context: Now) -> list[RepositoryFact]:
    """The git repositories among the sources, with their branches: what can be compared."""
    return repositories(context)


@router.patch("/baselines/{baseline}", status_code=204)
def edit_baseline(context: Now, baseline: Id, given: BaselineEdit) -> None:
    """Give a baseline another name, or protect it, or no more."""
    kept.change_baseline(context, baseline, given.name, given.protected)


@router.delete("/baselines/{baseline}", status_code=204)
def let_baseline_go(context: Now, baseline: Id, confirmed: bool = False) -> None:
    """Keep a baseline no longer, nor what was taken over into it."""
    kept.let_baseline_go(context, baseline, confirmed)


@router.post("/baselines/{baseline}/take")
def take_over(context: Now, baseline: Id, given: TakeIn) -> TakenTexts:
    """Take texts over into a baseline."""
    return kept.take(context, baseline, given.change, given.other, given.places, given.confirmed)


@router.get("/baselines/{baseline}/taken")
def get_taken(context: Now, baseline: Id, cursor: Annotated[str | None, Query(max_length=200)] = None) -> TakenPage:
    """What was taken over into a baseline, when and by whom, the latest first."""
    return kept.taken(context, baseline, cursor)
