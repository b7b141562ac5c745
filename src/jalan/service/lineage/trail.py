"""The trail of fields: all that carries their values, from end to end."""

import numpy as np

from jalan.graph.columns import VALUE, Ints, kinds_of
from jalan.graph.trails import Trail, layers
from jalan.graph.trails import trail as trail_of
from jalan.graph.walk import Reach
from jalan.service.context import Context
from jalan.service.errors import Invalid
from jalan.service.graph_cache.names import Names
from jalan.service.graph_cache.view import GraphView
from jalan.service.lineage.answers import Beyond, LineageMap, Step
from jalan.service.lineage.map_parts import crossings, lanes_of

_NOTHING = Beyond(hops=0, datasets=0, reports=0, next_datasets=0)


def trail(context: Context, field_ids: list[int], conditions: bool) -> LineageMap:
    """Return the part of the graph that carries the values of fields of one dataset, from end to end.

    conditions: whether to show what decides about the rows and columns on the trail as well.
    """
    view, names = context.graph, context.names
    graph = view.graph
    fields = np.array([view.field(field_id) for field_id in field_ids], dtype=np.int32)
    focus = int(graph.field_dataset[fields[0]])
    if np.any(graph.field_dataset[fields] != focus):
        raise Invalid("field: these are fields of several datasets; a trail is of one")
    found = trail_of(graph, fields)
    placed = _lanes(view, focus, found)
    links = found.links
    if conditions:
        links = np.concatenate((links, _deciding(view, placed, found)))
    return LineageMap(
        focus=view.dataset_id(focus),
        fields=field_ids,
        lanes=lanes_of(view, names, placed, links, tuple(fields.tolist())),
        crossings=crossings(view, names, links),
        upstream=_NOTHING,
        downstream=_NOTHING,
        steps=_steps(view, names, found.links, placed),
        as_of=view.as_of,
    )


def _deciding(view: GraphView, placed: dict[int, int], found: Trail) -> Ints:
    """Conditions that come from something on the trail and decide about a field or about rows on it; the rest is in
    the lanes."""
    graph = view.graph
    on_trail = np.unique(np.concatenate((found.upstream.nodes, found.downstream.nodes)))
    links, _ = graph.links_to(on_trail, False)
    rows, _ = graph.links_deciding(np.array(sorted(placed), dtype=np.int32))
    links = np.concatenate((links[kinds_of(graph.columns(links).codes) != VALUE], rows))
    shown = np.zeros(graph.datasets, dtype=np.bool_)
    shown[list(placed)] = True
    kept: Ints = links[shown[graph.field_dataset[graph.sources(links)]]]
    return kept


def _lanes(view: GraphView, focus: int, found: Trail) -> dict[int, int]:
    """Lanes of a trail are counted along the longest way, so that all of it is read from left to right."""
    graph = view.graph
    sources = graph.field_dataset[graph.sources(found.links)]
    targets = graph.field_dataset[graph.targets(found.links)]
    placed = _placed(view, found.downstream, sources, targets, focus)
    for dataset, hops in _placed(view, found.upstream, targets, sources, focus).items():
        placed.setdefault(dataset, -hops)
    return placed


def _placed(view: GraphView, reach: Reach, sources: Ints, targets: Ints, focus: int) -> dict[int, int]:
    datasets = np.unique(view.graph.field_dataset[reach.nodes])
    within = np.isin(sources, datasets) & np.isin(targets, datasets) & (sources != targets)
    found = layers(datasets, sources[within], targets[within], focus)
    return dict(zip(datasets.tolist(), found.tolist(), strict=True))


def _steps(view: GraphView, names: Names, links: Ints, placed: dict[int, int]) -> list[Step]:
    """One step for each field on the trail and each text that writes it, from the sources to the reports."""
    graph = view.graph
    best, _ = graph.each_once(links)
    columns = graph.columns(best)
    infos = names.links(columns.ids.tolist())
    definitions = names.definitions({info.definition for info in infos.values()})
    names.fields_at(np.unique(np.concatenate((columns.sources, columns.targets))).tolist())
    together: dict[tuple[int, int], list[int]] = {}
    for n, (target, definition) in enumerate(
        zip(columns.targets.tolist(), columns.definitions.tolist(), strict=True)
    ):
        together.setdefault((target, definition), []).append(n)
    found = []
    for (target, definition_id), mine in together.items():
        first = min(mine, key=lambda n: infos[int(columns.ids[n])].spans[:1])
        info = infos[int(columns.ids[first])]
        step = Step(
            link=info.id,
            links=[int(columns.ids[n]) for n in mine],
            source=", ".join(sorted(names.label(int(columns.sources[n])) for n in mine)),
            target=names.label(target),
            place=definitions[definition_id].place,
            line=info.line,
        )
        found.append(((placed.get(int(graph.field_dataset[target]), 0), step.target, step.place), step))
    found.sort(key=lambda pair: pair[0])
    return [step for _, step in found]
