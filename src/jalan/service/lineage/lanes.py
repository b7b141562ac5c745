"""The lanes around a dataset."""

import numpy as np

from jalan.service.context import Context
from jalan.service.graph_cache.lookups import dataset_position
from jalan.service.lineage.answers import (
    LineageMap,
)
from jalan.service.lineage.map_parts import beyond, crossing, lanes_of, links_between


def lanes(context: Context, dataset_id: int, upstream: int, downstream: int, conditions: bool) -> LineageMap:
    """Return what lies up to ``upstream`` hops before and ``downstream`` hops behind a dataset."""
    snapshot = context.graph
    focus = dataset_position(snapshot, dataset_id)
    before, behind = snapshot.graph.hops(focus, conditions)
    placed: dict[int, int] = {focus: 0}
    for distances, sign, depth in ((before, -1, upstream), (behind, 1, downstream)):
        for dataset in np.flatnonzero((distances > 0) & (distances <= depth)).tolist():
            offset = sign * int(distances[dataset])
            # A dataset on a circle lies on both sides: it stands where it is nearer.
            if dataset not in placed or abs(offset) < abs(placed[dataset]):
                placed[dataset] = offset
    links = links_between(snapshot, placed, conditions)
    return LineageMap(
        focus=dataset_id,
        fields=[],
        lanes=lanes_of(snapshot, placed, links),
        crossings=[crossing(snapshot, link) for link in links],
        upstream=beyond(snapshot, before, upstream),
        downstream=beyond(snapshot, behind, downstream),
        steps=[],
        as_of=snapshot.as_of,
    )
