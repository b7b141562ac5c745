"""What there is: overview, find, catalog, one asset; and what people say of it."""

from typing import Annotated

from fastapi import APIRouter, Depends, Query
from pydantic import BaseModel, Field

from jalan.service.catalog.answers import CatalogPage, DatasetFacts, FacetPage, Found, Overview
from jalan.service.catalog.facts import facts
from jalan.service.catalog.find import find
from jalan.service.catalog.overview import overview
from jalan.service.catalog.pages import catalog, facet
from jalan.service.ingest import declarations, identity
from jalan.service.ingest.declarations import ConsumerIn, DeclarationFact, LinkIn
from jalan.web.api.made import Made
from jalan.web.deps import Id, Now, Then

router = APIRouter(prefix="/api/v1")
Chosen = Annotated[list[str] | None, Query()]


def _choice(
    kind: Chosen = None,
    system: Chosen = None,
    container: Chosen = None,
    owner: Chosen = None,
    state: Chosen = None,
) -> dict[str, list[str]]:
    """Return what was chosen of each facet."""
    chosen = {"kind": kind, "system": system, "container": container, "owner": owner, "state": state}
    return {name: values for name, values in chosen.items() if values}


Choice = Annotated[dict[str, list[str]], Depends(_choice)]


class JoinIn(BaseModel):
    """Two datasets that are one; it is known by the second name from now on."""

    dataset: int
    into: int
    note: str | None = Field(None, max_length=500)


@router.get("/overview")
def get_overview(context: Now) -> Overview:
    """What is loaded and what needs a look."""
    return overview(context)


@router.get("/find")
def get_find(
    context: Then,
    q: Annotated[str, Query(description="Words that the name must hold.", max_length=200)],
    limit: Annotated[int, Query(ge=1, le=100)] = 20,
) -> list[Found]:
    """Find datasets, columns, reports and elements by name."""
    return find(context, q, limit)


@router.get("/catalog")
def get_catalog(
    context: Then,
    chosen: Choice,
    q: Annotated[str, Query(max_length=200)] = "",
    limit: Annotated[int, Query(ge=1, le=500)] = 100,
    cursor: str | None = None,
) -> CatalogPage:
    """Browse all datasets, with counting facets."""
    return catalog(context, q, chosen, limit, cursor)


@router.get("/catalog/facets/{name}")
def get_facet(
    context: Then,
    name: str,
    chosen: Choice,
    values: Annotated[str, Query(max_length=200, description="Words that the value must hold.")] = "",
    q: Annotated[str, Query(max_length=200)] = "",
    limit: Annotated[int, Query(ge=1, le=200)] = 50,
) -> FacetPage:
    """Find values of a facet of the catalog, for a choice as in GET /api/v1/catalog."""
    return facet(context, name, q, values, chosen, limit)


@router.get("/datasets/{dataset}")
def get_dataset(
    context: Then,
    dataset: Id,
    columns_from: Annotated[int, Query(ge=0, le=1_000_000, description="Columns to leave out at the start.")] = 0,
) -> DatasetFacts:
    """One asset with its facts and some hundred of its columns."""
    return facts(context, dataset, columns_from)


@router.get("/declarations")
def get_declarations(context: Now) -> list[DeclarationFact]:
    """What was declared on the screen."""
    return declarations.declared(context)


@router.post("/declarations/links", status_code=201)
def declare_link(context: Now, given: LinkIn) -> Made:
    """Declare a link that no text tells of."""
    return Made(id=declarations.declare_link(context, given))


@router.post("/declarations/consumers", status_code=201)
def declare_consumer(context: Now, given: ConsumerIn) -> Made:
    """Declare somebody or something that reads a dataset and that nobody can scan."""
    return Made(id=declarations.declare_consumer(context, given))


@router.delete("/declarations/{declaration}", status_code=204)
def take_back_declaration(context: Now, declaration: Id) -> None:
    """Take a declaration back; that it held until now is kept."""
    declarations.take_back(context, declaration)


@router.post("/aliases", status_code=201)
def join_datasets(context: Now, given: JoinIn) -> Made:
    """Say that two datasets are one."""
    return Made(id=identity.join(context, given.dataset, given.into, given.note))


@router.delete("/aliases/{alias}", status_code=204)
def part_datasets(context: Now, alias: Id) -> None:
    """Take it back: the two are two again, and nothing is lost."""
    identity.part(context, alias)
