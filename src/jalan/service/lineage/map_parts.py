"""The pieces of what is drawn: lanes in order, links between them, what lies beyond."""

import numpy as np

from jalan.catalog.kinds import LinkKind
from jalan.graph.columns import Ints
from jalan.graph.dependencies import Once
from jalan.graph.lane_order import order_lanes
from jalan.service.graph_cache.names import Names
from jalan.service.graph_cache.view import GraphView
from jalan.service.lineage.answers import Beyond, Bundle, Crossing, Lane
from jalan.service.lineage.briefs import dataset_briefs
from jalan.service.lineage.drawing import Drawn


def lanes_of(view: GraphView, names: Names, drawn: Drawn) -> list[Lane]:
    """Return the lanes with the datasets that are shown, each with the fields that are."""
    graph = view.graph
    sources, targets = graph.sources(drawn.links.best), graph.targets(drawn.links.best)
    pairs = set(zip(graph.field_dataset[sources].tolist(), graph.dataset_of(targets).tolist(), strict=True))
    pairs |= {(source, target) for source, target, _, _ in drawn.bundles}
    infos = names.datasets_at(drawn.lanes)
    members: dict[int, list[int]] = {}
    for dataset in sorted(drawn.lanes, key=lambda d: (infos[d].title, infos[d].id)):
        members.setdefault(drawn.lanes[dataset], []).append(dataset)
    ordered = order_lanes(members, sorted(pairs))
    briefs = dataset_briefs(view, names, drawn.fields)
    return [
        Lane(offset=offset, total=drawn.totals[offset], datasets=[briefs[d] for d in ordered[offset]])
        for offset in sorted(ordered)
    ]


def bundles_of(view: GraphView, drawn: Drawn) -> list[Bundle]:
    """Return the links that are summed by the datasets at their ends."""
    return [
        Bundle(
            source_dataset=view.dataset_id(source),
            target_dataset=view.dataset_id(target),
            values=values,
            links=links,
        )
        for source, target, values, links in drawn.bundles
    ]


def crossings(view: GraphView, names: Names, links: Once) -> list[Crossing]:
    """Return links as they are drawn."""
    graph = view.graph
    best = graph.columns(links.best)
    infos = names.links(best.ids.tolist())
    definitions = names.definitions({info.definition for info in infos.values()})
    ends = np.concatenate((best.sources, best.targets[best.targets >= 0]))
    fields = names.fields_at(np.unique(ends).tolist())
    sources = graph.field_dataset[best.sources].tolist()
    targets = graph.dataset_of(best.targets).tolist()
    found = []
    for n, id_ in enumerate(best.ids.tolist()):
        info = infos[id_]
        source, target, possible = int(best.sources[n]), int(best.targets[n]), bool(links.possible[n])
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
                more=int(links.more[n]),
                possible=possible,
            )
        )
    return found


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
