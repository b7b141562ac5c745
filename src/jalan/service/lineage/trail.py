"""The trail of fields: all that carries their values, from end to end."""

import numpy as np

from jalan.graph.dependencies import longest_hops
from jalan.graph.spread import Ints
from jalan.service.context import Context
from jalan.service.errors import Invalid
from jalan.service.graph_cache.lookups import field_position
from jalan.service.graph_cache.snapshot import Snapshot
from jalan.service.lineage.answers import (
    Beyond,
    LineageMap,
    Step,
)
from jalan.service.lineage.map_parts import crossing, lanes_of

_NOTHING = Beyond(hops=0, datasets=0, reports=0, next_datasets=0)


def trail(context: Context, field_ids: list[int], conditions: bool) -> LineageMap:
    """Return the part of the graph that carries the values of fields of one dataset, from end to end.

    conditions: whether to show what decides about the rows and columns on the trail as well.
    """
    snapshot = context.graph
    fields = np.array([field_position(snapshot, field_id) for field_id in field_ids], dtype=np.int64)
    focus = snapshot.fields[int(fields[0])].dataset
    if any(snapshot.fields[int(field)].dataset != focus for field in fields):
        raise Invalid("field: these are fields of several datasets; a trail is of one")
    graph = snapshot.graph
    upstream, downstream, carried = graph.trail(fields)
    placed = _trail_lanes(snapshot, focus, upstream, downstream, carried)
    links = carried.tolist()
    if conditions:
        on_trail = np.flatnonzero((upstream >= 0) | (downstream >= 0))
        deciding = graph.deciding(np.array(sorted(placed), dtype=np.int64), on_trail)
        # A condition is shown where it comes from something on the trail; the rest is in the lanes.
        links += [link for link in deciding.tolist() if snapshot.fields[int(graph.sources[link])].dataset in placed]
    return LineageMap(
        focus=snapshot.datasets[focus].id,
        fields=field_ids,
        lanes=lanes_of(snapshot, placed, links, set(fields.tolist())),
        crossings=[crossing(snapshot, link) for link in links],
        upstream=_NOTHING,
        downstream=_NOTHING,
        steps=_steps(snapshot, carried, placed),
        as_of=snapshot.as_of,
    )


def _trail_lanes(snapshot: Snapshot, focus: int, upstream: Ints, downstream: Ints, carried: Ints) -> dict[int, int]:
    """Lanes of a trail are counted along the longest way, so that all of it is read from left to right."""
    graph = snapshot.graph
    sources = graph.field_dataset[graph.sources[carried]]
    targets = graph.field_dataset[graph.targets[carried]]
    behind = np.unique(graph.field_dataset[np.flatnonzero(downstream >= 0)])
    before = np.unique(graph.field_dataset[np.flatnonzero(upstream >= 0)])
    start = np.array([focus])
    placed = longest_hops(behind, sources, targets, start)
    for dataset, hops in longest_hops(before, targets, sources, start).items():
        if dataset not in placed:
            placed[dataset] = -hops
    return placed


def _steps(snapshot: Snapshot, carried: Ints, placed: dict[int, int]) -> list[Step]:
    """One step for each field on the trail and each text that writes it, from the sources to the reports."""
    graph = snapshot.graph
    together: dict[tuple[int, int], list[int]] = {}
    for link in carried.tolist():
        together.setdefault((int(graph.targets[link]), snapshot.links[link].definition), []).append(link)
    found = []
    for (target, definition_id), links in together.items():
        first = min(links, key=lambda link: snapshot.links[link].spans[0])
        info, definition = snapshot.links[first], snapshot.definitions[definition_id]
        step = Step(
            link=info.id,
            links=[snapshot.links[link].id for link in links],
            source=", ".join(sorted(snapshot.node_label(int(graph.sources[link])) for link in links)),
            target=snapshot.node_label(target),
            place=definition.place,
            line=definition.line(info.spans[0][0]),
        )
        found.append(((placed.get(snapshot.node_dataset(target), 0), step.target, step.place), step))
    found.sort(key=lambda pair: pair[0])
    return [step for _, step in found]
