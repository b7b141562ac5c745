"""The pieces of what is drawn: lanes in order, links between them, what lies beyond."""

import numpy as np

from jalan.catalog.kinds import LinkKind
from jalan.graph.columns import Ints, are_possible
from jalan.graph.lane_order import order_lanes
from jalan.service.graph_cache.names import Names
from jalan.service.graph_cache.view import GraphView
from jalan.service.lineage.answers import Beyond, Crossing, Lane
from jalan.service.lineage.briefs import dataset_briefs


def lanes_of(
    view: GraphView, names: Names, placed: dict[int, int], links: Ints, always: tuple[int, ...] = ()
) -> list[Lane]:
    """Return the lanes of datasets, each with the fields that links start or end at, and those that are always
    shown. placed: the lane of each dataset."""
    graph = view.graph
    sources, targets = graph.sources(links), graph.targets(links)
    ends = np.unique(np.concatenate((sources, targets[targets >= 0], np.array(always, dtype=np.int32))))
    touched: dict[int, list[int]] = {dataset: [] for dataset in placed}
    for field, dataset in zip(ends.tolist(), graph.field_dataset[ends].tolist(), strict=True):
        touched[dataset].append(field)
    pairs = set(zip(graph.field_dataset[sources].tolist(), graph.dataset_of(targets).tolist(), strict=True))
    infos = names.datasets_at(placed)
    members: dict[int, list[int]] = {}
    for dataset in sorted(placed, key=lambda d: (infos[d].title, infos[d].id)):
        members.setdefault(placed[dataset], []).append(dataset)
    ordered = order_lanes(members, sorted(pairs))
    briefs = dataset_briefs(view, names, touched)
    return [Lane(offset=offset, datasets=[briefs[d] for d in ordered[offset]]) for offset in sorted(ordered)]


def crossings(view: GraphView, names: Names, links: Ints) -> list[Crossing]:
    """Return links as they are drawn, those between the same two once."""
    graph = view.graph
    best, more = graph.each_once(links)
    columns = graph.columns(best)
    infos = names.links(columns.ids.tolist())
    definitions = names.definitions({info.definition for info in infos.values()})
    ends = np.concatenate((columns.sources, columns.targets[columns.targets >= 0]))
    fields = names.fields_at(np.unique(ends).tolist())
    sources = graph.field_dataset[columns.sources].tolist()
    targets = graph.dataset_of(columns.targets).tolist()
    certain = _certain(view, links)
    found = []
    for n, id_ in enumerate(columns.ids.tolist()):
        info = infos[id_]
        source, target = int(columns.sources[n]), int(columns.targets[n])
        possible = (source, target, info.kind) not in certain if info.possible else False
        end = fields[target] if target >= 0 else None
        found.append(
            Crossing(
                id=id_,
                source_dataset=view.dataset_id(sources[n]),
                source_field=fields[source].id,
                target_dataset=view.dataset_id(targets[n]),
                target_field=None if end is None else end.id,
                kind=LinkKind(info.kind),
                how=info.how,
                label=names.link_label(info, fields[source], end, possible),
                by=definitions[info.definition].by,
                more=int(more[n]),
                possible=possible,
            )
        )
    return found


def _certain(view: GraphView, links: Ints) -> set[tuple[int, int, str]]:
    """The ends of links of which one of several is certain, although the first is only possible."""
    columns = view.graph.columns(links)
    if not np.any(are_possible(columns.codes)):
        return set()
    certain = np.flatnonzero(~are_possible(columns.codes))
    kinds = np.where((columns.codes[certain] & 3) == 0, LinkKind.VALUE.value, LinkKind.CONDITION.value)
    ends = zip(columns.sources[certain].tolist(), columns.targets[certain].tolist(), kinds.tolist(), strict=True)
    return set(ends)


def beyond(view: GraphView, distances: Ints, depth: int) -> Beyond:
    """Return what lies further away than is shown."""
    further = distances > depth
    reports = int(np.count_nonzero(further & view.graph.reports))
    return Beyond(
        hops=max(0, int(distances.max(initial=0)) - depth),
        datasets=int(np.count_nonzero(further)) - reports,
        reports=reports,
        next_datasets=int(np.count_nonzero(distances == depth + 1)),
    )
