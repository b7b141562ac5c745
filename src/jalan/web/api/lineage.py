"""What flows where: lanes, trails, evidence, what depends on a field; and the graph in open formats."""

from typing import Annotated

from fastapi import APIRouter, Query, Response

from jalan.service.lineage import export as exports
from jalan.service.lineage.answers import Dependents, Evidence, LineageMap
from jalan.service.lineage.dependents import dependents
from jalan.service.lineage.evidence import evidence
from jalan.service.lineage.export import FormatFact
from jalan.service.lineage.lanes import lanes
from jalan.service.lineage.trail import trail
from jalan.web.deps import Conditions, Hops, Id, Then

router = APIRouter(prefix="/api/v1")


@router.get("/datasets/{dataset}/lanes")
def get_lanes(
    context: Then, dataset: Id, upstream: Hops = 2, downstream: Hops = 2, conditions: Conditions = True
) -> LineageMap:
    """The lanes around a dataset, as many hops as asked for on each side."""
    return lanes(context, dataset, upstream, downstream, conditions)


@router.get("/trail")
def get_trail(
    context: Then,
    field: Annotated[list[int], Query(min_length=1, max_length=50, description="Fields of one dataset.")],
    conditions: Conditions = True,
) -> LineageMap:
    """The trail of fields: all that carries their values, from the sources to the reports."""
    return trail(context, field, conditions)


@router.get("/links/{link}/evidence")
def get_evidence(context: Then, link: Id) -> Evidence:
    """The code behind a link, with the exact characters."""
    return evidence(context, link)


@router.get("/fields/{field}/dependents")
def get_dependents(context: Then, field: Id, conditions: Conditions = True) -> Dependents:
    """Every column and report element that depends on a field, each with its path."""
    return dependents(context, field, conditions)


@router.get("/export-formats")
def get_export_formats() -> list[FormatFact]:
    """The formats in which the graph can be had."""
    return exports.formats()


@router.get("/export/{form}", response_class=Response)
def get_export(
    context: Then,
    form: str,
    around: Annotated[int | None, Query(description="Only the part around this dataset.")] = None,
    upstream: Hops = 50,
    downstream: Hops = 50,
) -> Response:
    """The graph, or the part around an asset, in an open format; see GET /api/v1/export-formats."""
    chosen = exports.format_named(form)
    found = exports.export(context, chosen, around=around, upstream=upstream, downstream=downstream)
    disposition = f'attachment; filename="lineage.{chosen.ending}"'
    return Response(found, media_type=chosen.media_type, headers={"Content-Disposition": disposition})
