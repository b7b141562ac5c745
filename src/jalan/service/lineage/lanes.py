"""The lanes around a dataset."""

import numpy as np

from jalan.graph.lanes import links_between
from jalan.service.context import Context
from jalan.service.lineage.answers import LineageMap
from jalan.service.lineage.map_parts import beyond, crossings, lanes_of


def lanes(context: Context, dataset_id: int, upstream: int, downstream: int, conditions: bool) -> LineageMap:
    """Return what lies up to ``upstream`` hops before and ``downstream`` hops behind a dataset."""
    view, names = context.graph, context.names
    focus = view.dataset(dataset_id)
    before = view.pairs.hops(focus, False, conditions)
    behind = view.pairs.hops(focus, True, conditions)
    placed: dict[int, int] = {focus: 0}
    for distances, sign, depth in ((before, -1, upstream), (behind, 1, downstream)):
        for dataset in np.flatnonzero((distances > 0) & (distances <= depth)).tolist():
            offset = sign * int(distances[dataset])
            # A dataset on a circle lies on both sides: it stands where it is nearer.
            if dataset not in placed or abs(offset) < abs(placed[dataset]):
                placed[dataset] = offset
    links = links_between(view.graph, view.pairs, np.array(list(placed), dtype=np.int32), conditions)
    return LineageMap(
        focus=dataset_id,
        fields=[],
        lanes=lanes_of(view, names, placed, links),
        crossings=crossings(view, names, links),
        upstream=beyond(view, before, upstream),
        downstream=beyond(view, behind, downstream),
        steps=[],
        as_of=view.as_of,
    )
