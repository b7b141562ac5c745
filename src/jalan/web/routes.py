"""What can be asked, as a list."""

from typing import Annotated

from fastapi import APIRouter, Depends, Query, Request
from sqlalchemy.orm import Session

from jalan.service import assets, roads
from jalan.service.answers import CatalogPage, DatasetFacts, Dependents, Evidence, Found, Overview, Road
from jalan.service.overview import overview
from jalan.service.snapshot import Snapshot, SnapshotCache
from jalan.web.parameters import AsOf, Conditions, Id

router = APIRouter(prefix="/api/v1")


def _cache(request: Request) -> SnapshotCache:
    cache: SnapshotCache = request.app.state.cache
    return cache


def _snapshot(cache: Annotated[SnapshotCache, Depends(_cache)], as_of: AsOf = None) -> Snapshot:
    return cache.get(as_of)


Graph = Annotated[Snapshot, Depends(_snapshot)]
Cache = Annotated[SnapshotCache, Depends(_cache)]


@router.get("/overview")
def get_overview(cache: Cache) -> Overview:
    """What is loaded and what needs a look."""
    with Session(cache.engine) as session:
        return overview(cache.get(), session)


@router.get("/find")
def get_find(
    graph: Graph,
    q: Annotated[str, Query(description="Words that the name must hold.", max_length=200)],
    limit: Annotated[int, Query(ge=1, le=100)] = 20,
) -> list[Found]:
    """Find datasets, columns, reports and elements by name."""
    return assets.find(graph, q, limit)


@router.get("/catalog")
def get_catalog(
    graph: Graph,
    q: Annotated[str, Query(max_length=200)] = "",
    kind: Annotated[list[str] | None, Query()] = None,
    system: Annotated[list[str] | None, Query()] = None,
    container: Annotated[list[str] | None, Query()] = None,
    owner: Annotated[list[str] | None, Query()] = None,
    state: Annotated[list[str] | None, Query()] = None,
    limit: Annotated[int, Query(ge=1, le=500)] = 100,
    cursor: str | None = None,
) -> CatalogPage:
    """Browse all datasets, with counting facets."""
    chosen = {"kind": kind, "system": system, "container": container, "owner": owner, "state": state}
    return assets.catalog(graph, q, {k: v for k, v in chosen.items() if v}, limit, cursor)


@router.get("/datasets/{dataset}")
def get_dataset(graph: Graph, cache: Cache, dataset: Id) -> DatasetFacts:
    """One asset with all its facts and columns."""
    with Session(cache.engine) as session:
        return assets.facts(graph, session, dataset)


@router.get("/datasets/{dataset}/lanes")
def get_lanes(
    graph: Graph,
    dataset: Id,
    back: Annotated[int, Query(ge=0, le=50, description="Hops upstream.")] = 2,
    ahead: Annotated[int, Query(ge=0, le=50, description="Hops downstream.")] = 2,
    conditions: Conditions = True,
) -> Road:
    """The lanes around a dataset."""
    return roads.lanes(graph, dataset, back, ahead, conditions)


@router.get("/trail")
def get_trail(
    graph: Graph,
    field: Annotated[list[int], Query(min_length=1, max_length=50, description="Fields of one dataset.")],
    conditions: Conditions = True,
) -> Road:
    """The trail of fields: all that carries their values, from the sources to the reports."""
    return roads.trail(graph, field, conditions)


@router.get("/links/{link}/evidence")
def get_evidence(graph: Graph, link: Id) -> Evidence:
    """The code behind a link, with the exact characters."""
    return roads.evidence(graph, link)


@router.get("/fields/{field}/dependents")
def get_dependents(graph: Graph, field: Id, conditions: Conditions = True) -> Dependents:
    """Every column and report element that depends on a field, each with its path."""
    return roads.dependents(graph, field, conditions)
