"""What flows where: lanes, trails, evidence, what depends on a field; and the graph in open formats."""

from collections.abc import Sequence
from typing import Annotated

from fastapi import APIRouter, Query, Response
from fastapi.responses import StreamingResponse
from pydantic import Field

from jalan.service.lineage import export as exports
from jalan.service.lineage.answers import Dependents, Evidence, LineageMap, Story, Within
from jalan.service.lineage.closure import closure_stream
from jalan.service.lineage.dependents import all_dependents, dependents
from jalan.service.lineage.drawing import Wanted
from jalan.service.lineage.evidence import evidence
from jalan.service.lineage.export import FormatFact
from jalan.service.lineage.lanes import lanes
from jalan.service.lineage.picture import lanes_picture, trail_picture
from jalan.service.lineage.story import story
from jalan.service.lineage.trail import trail
from jalan.service.lineage.within import within_lanes, within_trail
from jalan.service.streams import StreamForm
from jalan.web.api.download import download
from jalan.web.deps import Conditions, Hops, Id, Then

router = APIRouter(prefix="/api/v1")
Words = Annotated[str, Query(max_length=200, description="Words that names or owners must hold.")]
Named = Annotated[
    Sequence[Annotated[str, Field(pattern=r"^-?\d{1,4}:", max_length=100)]],
    Query(max_length=100, description="lane:words – show of a lane what has these in its name, as -1:tickets."),
]
Shown = Annotated[
    Sequence[Annotated[str, Field(pattern=r"^-?\d{1,4}:\d{1,4}$")]],
    Query(max_length=100, description="lane:count – how many datasets of a lane to show, as -1:36."),
]


def _wanted(named: Sequence[str], shown: Sequence[str]) -> Wanted:
    words = (one.partition(":") for one in named)
    counts = (one.partition(":") for one in shown)
    return Wanted(
        {int(lane): text for lane, _, text in words}, {int(lane): int(count) for lane, _, count in counts}
    )


@router.get("/datasets/{dataset}/lanes")
def get_lanes(
    context: Then,
    dataset: Id,
    upstream: Hops = 2,
    downstream: Hops = 2,
    conditions: Conditions = True,
    named: Named = (),
    shown: Shown = (),
) -> LineageMap:
    """The lanes around a dataset, as many hops as asked for on each side; of each lane what is linked most."""
    return lanes(context, dataset, upstream, downstream, conditions, _wanted(named, shown))


@router.get("/trail")
def get_trail(
    context: Then,
    field: Annotated[list[int], Query(min_length=1, max_length=50, description="Fields of one dataset.")],
    conditions: Conditions = True,
    named: Named = (),
    shown: Shown = (),
) -> LineageMap:
    """The trail of fields: what carries their values, from the sources to the reports; of each lane what is linked
    most."""
    return trail(context, field, conditions, _wanted(named, shown))


@router.get("/datasets/{dataset}/lanes/within")
def get_within_lanes(
    context: Then,
    dataset: Id,
    q: Annotated[str, Query(min_length=1, max_length=200, description="Words that names must hold.")],
    upstream: Hops = 2,
    downstream: Hops = 2,
    conditions: Conditions = True,
) -> Within:
    """What is called so in the lanes around a dataset, whether it is shown or not, in the order of the lanes."""
    return within_lanes(context, dataset, upstream, downstream, conditions, q)


@router.get("/trail/within")
def get_within_trail(
    context: Then,
    field: Annotated[list[int], Query(min_length=1, max_length=50, description="Fields of one dataset.")],
    q: Annotated[str, Query(min_length=1, max_length=200, description="Words that names must hold.")],
) -> Within:
    """What is called so on the trail of fields, whether it is shown or not, in the order of the lanes."""
    return within_trail(context, field, q)


@router.get("/datasets/{dataset}/lanes/picture", response_class=Response)
def get_lanes_picture(
    context: Then, dataset: Id, upstream: Hops = 2, downstream: Hops = 2, conditions: Conditions = True
) -> Response:
    """The lanes around a dataset as SVG, with title, time and legend."""
    return _picture(lanes_picture(context, dataset, upstream, downstream, conditions))


@router.get("/trail/picture", response_class=Response)
def get_trail_picture(
    context: Then,
    field: Annotated[list[int], Query(min_length=1, max_length=50, description="Fields of one dataset.")],
    conditions: Conditions = True,
) -> Response:
    """The trail of fields as SVG, with title, time and legend."""
    return _picture(trail_picture(context, field, conditions))


def _picture(drawn: str) -> Response:
    headers = {"Content-Disposition": 'attachment; filename="road.svg"'}
    return Response(drawn, media_type="image/svg+xml", headers=headers)


@router.get("/trail/story")
def get_story(
    context: Then,
    field: Annotated[list[int], Query(min_length=1, max_length=50, description="Fields of one dataset.")],
) -> Story:
    """What the trail of fields says, in one sentence, and what each step of it does to the value, in words."""
    return story(context, field)


@router.get("/links/{link}/evidence")
def get_evidence(context: Then, link: Id) -> Evidence:
    """The code behind a link, with the exact characters."""
    return evidence(context, link)


@router.get("/fields/{field}/dependents")
def get_dependents(
    context: Then,
    field: Id,
    conditions: Conditions = True,
    q: Words = "",
    limit: Annotated[int, Query(ge=1, le=200)] = 100,
    cursor: str | None = None,
) -> Dependents:
    """The columns and report elements that depend on a field, each with its path, a page at a time."""
    return dependents(context, field, conditions, q, limit, cursor)


@router.get("/fields/{field}/dependents/all", response_class=StreamingResponse)
def get_all_dependents(
    context: Then, field: Id, conditions: Conditions = True, form: StreamForm = "ndjson"
) -> StreamingResponse:
    """Everything that depends on a field, as a stream of rows without their paths."""
    return download("dependents", all_dependents(context, field, conditions, form), form)


@router.get("/closure", response_class=StreamingResponse)
def get_closure(
    context: Then,
    conditions: Conditions = True,
    depth: Annotated[int | None, Query(ge=1, le=1_000, description="At most so many hops.")] = None,
    form: StreamForm = "csv",
) -> StreamingResponse:
    """All that each dataset depends on, as a stream of rows: the hops on the shortest way, the job that takes the
    first of them, and the way."""
    return download("closure", closure_stream(context, form, conditions, depth), form)


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
