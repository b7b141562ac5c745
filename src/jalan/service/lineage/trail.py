"""The trail of fields: all that carries their values, from end to end."""

import numpy as np

from jalan.graph.columns import VALUE, Flags, Ints, distinct, kinds_of
from jalan.graph.trails import Trail, layers
from jalan.graph.trails import trail as trail_of
from jalan.graph.walk import Reach
from jalan.service.context import Context
from jalan.service.errors import Invalid
from jalan.service.graph_cache.names import Names
from jalan.service.graph_cache.view import GraphView
from jalan.service.lineage.answers import Beyond, LineageMap, Step
from jalan.service.lineage.drawing import Wanted, chosen_datasets, drawn
from jalan.service.lineage.map_parts import bundles_of, crossings, lanes_of

_NOTHING = Beyond(hops=0, datasets=0, reports=0, next_datasets=0)
_STEPS = 120
_NAMED = 12  # sources of a step


def trail(context: Context, field_ids: list[int], conditions: bool, wanted: Wanted | None = None) -> LineageMap:
    """Return the part of the graph that carries the values of fields of one dataset, from end to end.

    conditions: whether to show what decides about the rows and columns on the trail as well.
    """
    view, names, session = context.graph, context.names, context.session
    graph = view.graph
    fields = np.array([view.field(field_id) for field_id in field_ids], dtype=np.int32)
    focus = int(graph.field_dataset[fields[0]])
    if np.any(graph.field_dataset[fields] != focus):
        raise Invalid("field: these are fields of several datasets; a trail is of one")
    found = trail_of(graph, fields)
    froms = graph.field_dataset[graph.sources(found.links)]
    tos = graph.field_dataset[graph.targets(found.links)]
    datasets, lanes = _lanes(view, focus, found, froms, tos)
    weights = np.bincount(np.concatenate((froms, tos)), minlength=graph.datasets)[datasets]
    placed, totals = chosen_datasets(session, view, wanted or Wanted(), datasets, lanes, weights)
    shown = np.zeros(graph.datasets, dtype=np.bool_)
    shown[list(placed)] = True
    carried = found.links[shown[froms] & shown[tos]]
    links = carried
    if conditions:
        links = np.concatenate((carried, _deciding(view, shown, found)))
    choice = drawn(view, placed, totals, links, fields.tolist())
    best = choice.links.best
    steps, steps_total = _steps(view, names, best[kinds_of(graph.columns(best).codes) == VALUE], placed)
    return LineageMap(
        focus=view.dataset_id(focus),
        fields=field_ids,
        lanes=lanes_of(view, names, choice),
        crossings=crossings(view, names, choice.links),
        bundles=bundles_of(view, choice),
        upstream=_NOTHING,
        downstream=_NOTHING,
        steps=steps,
        steps_total=steps_total,
        version=view.version,
        as_of=view.as_of,
    )


def _deciding(view: GraphView, shown: Flags, found: Trail) -> Ints:
    """Conditions that come from a dataset that is shown and decide about a field or about rows on the trail; the
    rest is in the lanes."""
    graph = view.graph
    on_trail = np.concatenate((found.upstream.nodes, found.downstream.nodes[found.downstream.hops > 0]))
    on_trail = distinct(on_trail[shown[graph.field_dataset[on_trail]]])
    links, _ = graph.links_to(on_trail, False)
    rows, _ = graph.links_deciding(np.flatnonzero(shown).astype(np.int32))
    links = np.concatenate((links[kinds_of(graph.columns(links).codes) != VALUE], rows))
    kept: Ints = links[shown[graph.field_dataset[graph.sources(links)]]]
    return kept


def _lanes(view: GraphView, focus: int, found: Trail, sources: Ints, targets: Ints) -> tuple[Ints, Ints]:
    """The datasets of a trail and their lanes, counted along the longest way, so that all is read from left to
    right."""
    behind, after = _placed(view, found.downstream, sources, targets, focus)
    before, ahead = _placed(view, found.upstream, targets, sources, focus)
    only = ~np.isin(before, behind)
    return np.concatenate((behind, before[only])), np.concatenate((after, -ahead[only]))


def _placed(view: GraphView, reach: Reach, sources: Ints, targets: Ints, focus: int) -> tuple[Ints, Ints]:
    met = np.zeros(view.graph.datasets, dtype=np.bool_)
    met[view.graph.field_dataset[reach.nodes]] = True
    datasets = np.flatnonzero(met).astype(np.int32)
    within = met[sources] & met[targets] & (sources != targets)
    return datasets, layers(datasets, sources[within], targets[within], focus)


def _steps(view: GraphView, names: Names, links: Ints, placed: dict[int, int]) -> tuple[list[Step], int]:
    """One step for each field on the trail and each text that writes it, from the sources to the reports; and how
    many there are."""
    graph = view.graph
    columns = graph.columns(links)
    infos = names.links(columns.ids.tolist())
    definitions = names.definitions({info.definition for info in infos.values()})
    ends = np.unique(np.concatenate((columns.sources, columns.targets)))
    names.fields_at(ends.tolist())
    names.datasets_at(np.unique(graph.field_dataset[ends]).tolist())
    together: dict[tuple[int, int], list[int]] = {}
    for n, key in enumerate(zip(columns.targets.tolist(), columns.definitions.tolist(), strict=True)):
        together.setdefault(key, []).append(n)
    found = []
    for (target, definition_id), mine in together.items():
        first = min(mine, key=lambda n: infos[int(columns.ids[n])].spans[:1])
        info = infos[int(columns.ids[first])]
        labels = sorted(names.label(int(columns.sources[n])) for n in mine)
        step = Step(
            link=info.id,
            links=[int(columns.ids[n]) for n in mine[:_NAMED]],
            source=", ".join(labels[:_NAMED]),
            more=max(0, len(labels) - _NAMED),
            target=names.label(target),
            place=definitions[definition_id].place,
            line=info.line,
        )
        found.append(((placed.get(int(graph.field_dataset[target]), 0), step.target, step.place), step))
    found.sort(key=lambda pair: pair[0])
    return [step for _, step in found[:_STEPS]], len(found)
