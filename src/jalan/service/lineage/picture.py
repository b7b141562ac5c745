"""Lanes and trails as pictures, made on the server."""

from datetime import UTC, datetime

from sqlalchemy import select

from jalan.catalog.kinds import DatasetKind, How, LinkKind
from jalan.formats.road_svg import Road, RoadCard, RoadLane, RoadLine, RoadRow, road_svg
from jalan.service.briefs import DatasetBrief
from jalan.service.context import Context
from jalan.service.errors import NotFound
from jalan.service.lineage.answers import LineageMap
from jalan.service.lineage.lanes import lanes
from jalan.service.lineage.trail import trail
from jalan.store.schema import Field


def lanes_picture(context: Context, dataset_id: int, upstream: int, downstream: int, conditions: bool) -> str:
    """Return the lanes around a dataset as SVG. Raises NotFound."""
    found = lanes(context, dataset_id, upstream, downstream, conditions)
    title = context.names.datasets([dataset_id])[dataset_id].title
    return road_svg(_road(context, found, title, f"{upstream} hops upstream, {downstream} downstream"))


def trail_picture(context: Context, field_ids: list[int], conditions: bool) -> str:
    """Return the trail of fields of one dataset as SVG. Raises NotFound, Invalid."""
    found = trail(context, field_ids, conditions)
    owner = context.names.datasets([found.focus])[found.focus].title
    names = context.names.fields(field_ids)
    title = f"{owner}: {', '.join(names[id_].name for id_ in field_ids)}"
    return road_svg(_road(context, found, title, "the trail of its values, from end to end"))


def fields_named(context: Context, dataset_id: int, names: list[str]) -> list[int]:
    """Return the ids of fields of a dataset by their names, in that order. Raises NotFound."""
    query = select(Field.id, Field.name).where(
        Field.dataset_id == dataset_id, Field.name.in_(names), Field.gone_since.is_(None)
    )
    found = {name: id_ for id_, name in context.session.execute(query)}
    if missing := [name for name in names if name not in found]:
        raise NotFound(f"there is no column “{missing[0]}” in it")
    return [found[name] for name in names]


def _road(context: Context, found: LineageMap, title: str, about: str) -> Road:
    does = {
        one.target_field: one.label
        for one in found.crossings
        if found.fields and one.kind == LinkKind.VALUE and one.how != How.IDENTITY and one.target_field is not None
    }
    time = (context.as_of or datetime.now(UTC)).astimezone(UTC)
    subtitle = f"{about}; as of {time:%Y-%m-%d %H:%M} UTC, version {found.version} of the graph"
    summed = sum(one.links for one in found.bundles)
    if summed:
        subtitle += f"; {summed} links are summed into {len(found.bundles)} lines"
    lines = [
        RoadLine(
            one.source_dataset, one.source_field, one.target_dataset, one.target_field, one.kind == LinkKind.VALUE
        )
        for one in found.crossings
    ]
    lines += [RoadLine(one.source_dataset, None, one.target_dataset, None, one.values > 0) for one in found.bundles]
    return Road(
        title,
        subtitle,
        [
            RoadLane(
                _lane_title(lane.offset),
                [_card(one, found.focus, does) for one in lane.datasets],
                lane.total,
            )
            for lane in found.lanes
        ],
        lines,
    )


def _lane_title(offset: int) -> str:
    return f"{-offset} upstream" if offset < 0 else f"{offset} downstream" if offset else "here"


def _card(one: DatasetBrief, focus: int, does: dict[int, str]) -> RoadCard:
    about = (
        f"{one.container.replace('.', ' / ')}, {one.kind}"
        if one.kind != DatasetKind.REPORT
        else one.owner or "report"
    )
    rows = [RoadRow(row.id, row.name, does.get(row.id, "")) for row in one.fields]
    return RoadCard(one.id, one.title, about, rows, one.total_fields - len(rows), one.id == focus)
