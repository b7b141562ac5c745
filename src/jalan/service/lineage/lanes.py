"""The lanes around a dataset."""

import numpy as np
from numpy.typing import NDArray

from jalan.graph.columns import Ints
from jalan.graph.lanes import links_between
from jalan.service.context import Context
from jalan.service.graph_cache.view import GraphView
from jalan.service.lineage.answers import LineageMap
from jalan.service.lineage.drawing import Wanted, chosen_datasets, drawn
from jalan.service.lineage.map_parts import beyond, bundles_of, crossings, lanes_of


def lanes(
    context: Context,
    dataset_id: int,
    upstream: int,
    downstream: int,
    conditions: bool,
    wanted: Wanted | None = None,
) -> LineageMap:
    """Return what lies up to ``upstream`` hops before and ``downstream`` hops behind a dataset."""
    view, names, session = context.graph, context.names, context.session
    before, behind, offsets = _around(view, dataset_id, upstream, downstream, conditions)
    datasets = np.flatnonzero(offsets != _OUTSIDE).astype(np.int32)
    weights = _weights(view, offsets, conditions)[datasets]
    placed, totals = chosen_datasets(session, view, wanted or Wanted(), datasets, offsets[datasets], weights)
    links = links_between(view.graph, view.pairs, np.array(list(placed), dtype=np.int32), conditions)
    shown = drawn(view, placed, totals, links, [])
    return LineageMap(
        focus=dataset_id,
        fields=[],
        lanes=lanes_of(view, names, shown),
        crossings=crossings(view, names, shown.links),
        bundles=bundles_of(view, shown),
        upstream=beyond(view, before, upstream),
        downstream=beyond(view, behind, downstream),
        steps=[],
        steps_total=0,
        version=view.version,
        as_of=view.as_of,
    )


def lanes_in_view(
    view: GraphView, dataset_id: int, upstream: int, downstream: int, conditions: bool
) -> tuple[Ints, Ints]:
    """Return the datasets around one, so many hops on each side, and the lane of each. Raises NotFound."""
    _, _, offsets = _around(view, dataset_id, upstream, downstream, conditions)
    datasets = np.flatnonzero(offsets != _OUTSIDE).astype(np.int32)
    return datasets, offsets[datasets]


_OUTSIDE = 1 << 20


def _around(
    view: GraphView, dataset_id: int, upstream: int, downstream: int, conditions: bool
) -> tuple[Ints, Ints, Ints]:
    """How far each dataset lies before one and behind it, and the lane of each, or _OUTSIDE."""
    focus = view.dataset(dataset_id)
    before = view.pairs.hops(focus, False, conditions)
    behind = view.pairs.hops(focus, True, conditions)
    return before, behind, _offsets(before, behind, upstream, downstream)


def _offsets(before: Ints, behind: Ints, upstream: int, downstream: int) -> Ints:
    """The lane of each dataset, or _OUTSIDE. One on a circle lies on both sides: it stands where it is nearer."""
    found = np.full(len(before), _OUTSIDE, dtype=np.int32)
    near = (before >= 0) & (before <= upstream)
    found[near] = -before[near]
    near = (behind >= 0) & (behind <= downstream) & (behind < np.abs(found))
    found[near] = behind[near]
    return found


def _weights(view: GraphView, offsets: Ints, conditions: bool) -> NDArray[np.int64]:
    """How many links lead from each dataset to others in view, those that lie nearer to the middle."""
    pairs = view.pairs
    within = (offsets[pairs.sources] != _OUTSIDE) & (offsets[pairs.targets] != _OUTSIDE)
    within &= np.abs(offsets[pairs.sources]) != np.abs(offsets[pairs.targets])
    counts = (pairs.links if conditions else pairs.values)[within]
    sources, targets = pairs.sources[within], pairs.targets[within]
    outer = np.where(np.abs(offsets[sources]) > np.abs(offsets[targets]), sources, targets)
    return np.bincount(outer, weights=counts, minlength=len(offsets)).astype(np.int64)
