"""The pieces of what is drawn: lanes in order, links between them, what lies beyond."""

import numpy as np

from jalan.catalog.kinds import DatasetKind, LinkKind
from jalan.graph.dependencies import VALUE
from jalan.graph.ordering import order_lanes
from jalan.graph.spread import Ints
from jalan.service.graph_cache.snapshot import Snapshot
from jalan.service.lineage.answers import (
    Beyond,
    Crossing,
    Lane,
)
from jalan.service.lineage.briefs import dataset_brief, field_counts


def links_between(snapshot: Snapshot, placed: dict[int, int], conditions: bool) -> list[int]:
    graph = snapshot.graph
    shown = np.zeros(graph.datasets, dtype=np.bool_)
    shown[list(placed)] = True
    sources, targets = graph.dataset_ends
    wanted = shown[sources] & shown[targets] & (sources != targets)
    if not conditions:
        wanted &= graph.kinds == VALUE
    return [int(link) for link in np.flatnonzero(wanted)]


def lanes_of(
    snapshot: Snapshot, placed: dict[int, int], links: list[int], always: set[int] | None = None
) -> list[Lane]:
    graph = snapshot.graph
    touched: dict[int, set[int]] = {dataset: set() for dataset in placed}
    pairs = set()
    for link in links:
        source, target = int(graph.sources[link]), int(graph.targets[link])
        touched[snapshot.node_dataset(source)].add(source)
        if target < graph.fields:
            touched[snapshot.node_dataset(target)].add(target)
        pairs.add((snapshot.node_dataset(source), snapshot.node_dataset(target)))
    for node in always or ():
        touched[snapshot.node_dataset(node)].add(node)
    members: dict[int, list[int]] = {}
    for dataset in sorted(placed, key=lambda d: snapshot.datasets[d].title):
        members.setdefault(placed[dataset], []).append(dataset)
    ordered = order_lanes(members, sorted(pairs))
    counts = field_counts(snapshot)
    return [
        Lane(
            offset=offset,
            datasets=[dataset_brief(snapshot, d, sorted(touched[d]), counts) for d in ordered[offset]],
        )
        for offset in sorted(ordered)
    ]


def crossing(snapshot: Snapshot, link: int) -> Crossing:
    graph = snapshot.graph
    source, target = int(graph.sources[link]), int(graph.targets[link])
    info = snapshot.links[link]
    return Crossing(
        id=info.id,
        source_dataset=snapshot.datasets[snapshot.node_dataset(source)].id,
        source_field=snapshot.fields[source].id,
        target_dataset=snapshot.datasets[snapshot.node_dataset(target)].id,
        target_field=snapshot.fields[target].id if target < graph.fields else None,
        kind=LinkKind(info.kind),
        how=info.how,
        label=snapshot.link_label(link),
        by=snapshot.definitions[info.definition].by,
        more=len(info.others),
        possible=info.possible,
    )


def beyond(snapshot: Snapshot, distances: Ints, depth: int) -> Beyond:
    further = np.flatnonzero(distances > depth).tolist()
    reports = sum(snapshot.datasets[d].kind == DatasetKind.REPORT for d in further)
    return Beyond(
        hops=max(0, int(distances.max(initial=0)) - depth),
        datasets=len(further) - reports,
        reports=reports,
        next_datasets=int(np.count_nonzero(distances == depth + 1)),
    )
