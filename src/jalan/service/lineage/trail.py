"""The trail of fields: all that carries their values, from end to end."""

import numpy as np

from jalan.catalog.kinds import How
from jalan.graph.columns import HOWS, VALUE, Flags, Ints, LinkColumns, distinct, hows_of, kinds_of
from jalan.graph.road_order import walk_steps
from jalan.graph.trails import Trail, layers
from jalan.graph.trails import trail as trail_of
from jalan.graph.walk import Reach
from jalan.service.context import Context
from jalan.service.errors import Invalid
from jalan.service.graph_cache.names import LinkInfo, Names
from jalan.service.graph_cache.view import GraphView
from jalan.service.lineage.answers import Beyond, LineageMap, Step
from jalan.service.lineage.drawing import Drawn, Wanted, chosen_datasets, drawn
from jalan.service.lineage.map_parts import bundles_of, crossings, lanes_of

_NOTHING = Beyond(hops=0, datasets=0, reports=0, next_datasets=0)
_STEPS = 120
_NAMED = 12  # sources of a step
_DECIDING = 5_000  # links that decide about rows


def trail(context: Context, field_ids: list[int], conditions: bool, wanted: Wanted | None = None) -> LineageMap:
    """Return the part of the graph that carries the values of fields of one dataset, from end to end.

    conditions: whether to show what decides about the rows and columns on the trail as well.
    """
    view, names = context.graph, context.names
    focus, choice = _chosen(context, field_ids, conditions, wanted or Wanted())
    steps, steps_total = _steps(context, choice, field_ids)
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


def steps_of(context: Context, field_ids: list[int]) -> tuple[int, list[Step], int]:
    """Return the dataset of fields, and the steps of their trail without what is drawn: those that are listed, and
    how many there are. Raises NotFound, Invalid."""
    focus, choice = _chosen(context, field_ids, False, Wanted())
    return (context.graph.dataset_id(focus), *_steps(context, choice, field_ids))


def _chosen(context: Context, field_ids: list[int], conditions: bool, wanted: Wanted) -> tuple[int, Drawn]:
    """The position of the dataset of fields, and what is drawn of their trail."""
    view = context.graph
    graph = view.graph
    fields, focus = _asked(view, field_ids)
    found = trail_of(graph, fields)
    froms = graph.field_dataset[graph.sources(found.links)]
    tos = graph.field_dataset[graph.targets(found.links)]
    datasets, lanes = _lanes(view, focus, found, froms, tos)
    weights = np.bincount(np.concatenate((froms, tos)), minlength=graph.datasets)[datasets]
    placed, totals = chosen_datasets(context.session, view, wanted, datasets, lanes, weights)
    shown = np.zeros(graph.datasets, dtype=np.bool_)
    shown[list(placed)] = True
    links = found.links[shown[froms] & shown[tos]]
    if conditions:
        links = np.concatenate((links, _deciding(view, shown, found)))
    return focus, drawn(view, placed, totals, links, fields.tolist())


def _asked(view: GraphView, field_ids: list[int]) -> tuple[Ints, int]:
    """The positions of fields, and that of their dataset. Raises NotFound, Invalid."""
    fields = np.array([view.field(field_id) for field_id in field_ids], dtype=np.int32)
    focus = int(view.graph.field_dataset[fields[0]])
    if np.any(view.graph.field_dataset[fields] != focus):
        raise Invalid("field: these are fields of several datasets; a trail is of one")
    return fields, focus


def fields_on_trail(view: GraphView, field_ids: list[int]) -> tuple[Ints, Ints, Ints]:
    """Return the fields on a trail, the datasets that it goes through, and the lane of each. Raises NotFound,
    Invalid."""
    fields, focus = _asked(view, field_ids)
    found = trail_of(view.graph, fields)
    ends = [view.graph.field_dataset[one(found.links)] for one in (view.graph.sources, view.graph.targets)]
    datasets, lanes = _lanes(view, focus, found, *ends)
    return distinct(np.concatenate((found.upstream.nodes, found.downstream.nodes))), datasets, lanes


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


def _steps(context: Context, choice: Drawn, field_ids: list[int]) -> tuple[list[Step], int]:
    """One step for each field on the trail and each text that writes it, in the order of the road; and how many
    there are."""
    view, names, placed = context.graph, context.names, choice.lanes
    graph = view.graph
    focus = [view.field(field_id) for field_id in field_ids]
    best = choice.links.best
    columns = graph.columns(best[kinds_of(graph.columns(best).codes) == VALUE])
    infos = names.links(columns.ids.tolist())
    definitions = names.definitions({info.definition for info in infos.values()})
    ends = np.unique(np.concatenate((columns.sources, columns.targets)))
    fields = names.fields_at(ends.tolist())
    names.datasets_at(np.unique(graph.field_dataset[ends]).tolist())
    together: dict[tuple[int, int], list[int]] = {}
    for n, key in enumerate(zip(columns.targets.tolist(), columns.definitions.tolist(), strict=True)):
        together.setdefault(key, []).append(n)

    def lane(target: int) -> int:
        return placed.get(int(graph.field_dataset[target]), 0)

    keys = sorted(together, key=lambda key: (lane(key[0]), names.label(key[0]), definitions[key[1]].place))
    first = {key: min(together[key], key=lambda n: infos[int(columns.ids[n])].spans[:1]) for key in keys}
    made_of = [_in_the_text(together[key], columns, infos) for key in keys]
    walked = walk_steps([(key[0], made) for key, made in zip(keys, made_of, strict=True)], focus)[:_STEPS]
    deciding = _deciding_about(view, names, {keys[one.step] for one in walked})
    found = []
    for one in walked:
        key = keys[one.step]
        info = infos[int(columns.ids[first[key]])]
        source, target = fields[int(columns.sources[first[key]])], fields[key[0]]
        labels = sorted(names.label(int(columns.sources[n])) for n in together[key])
        grouped, decided = deciding.get((int(graph.field_dataset[key[0]]), key[1]), ([], []))
        found.append(
            Step(
                link=info.id,
                links=[int(columns.ids[n]) for n in together[key][:_NAMED]],
                source=", ".join(labels[:_NAMED]),
                more=max(0, len(labels) - _NAMED),
                target=names.label(key[0]),
                place=definitions[key[1]].place,
                line=info.line,
                how=info.how,
                label=names.link_label(info, source, target, info.possible),
                dataset=view.dataset_id(int(graph.field_dataset[key[0]])),
                lane=lane(key[0]),
                level=one.level,
                fed_by=[place for place in one.fed_by if place < len(walked)],
                grouped_by=grouped[:_NAMED],
                decided_by=decided[:_NAMED],
            )
        )
    return found, len(keys)


def _in_the_text(links: list[int], columns: LinkColumns, infos: dict[int, LinkInfo]) -> list[int]:
    """The sources of links in the order in which the text names them."""
    ordered = sorted(links, key=lambda n: infos[int(columns.ids[n])].spans[:1])
    return [int(columns.sources[n]) for n in ordered]


def _deciding_about(
    view: GraphView, names: Names, steps: set[tuple[int, int]]
) -> dict[tuple[int, int], tuple[list[str], list[str]]]:
    """Of a dataset and a definition that fills it: the names of the columns by which it groups, and of those that
    decide otherwise which rows it has."""
    graph = view.graph
    datasets = np.unique(graph.field_dataset[[target for target, _ in sorted(steps)]]).astype(np.int32)
    wanted = {(int(graph.field_dataset[target]), definition) for target, definition in steps}
    links, where = graph.links_deciding(datasets)
    columns = graph.columns(links)
    hows = hows_of(columns.codes)
    rows = zip(columns.sources.tolist(), columns.definitions.tolist(), where.tolist(), hows.tolist(), strict=True)
    kept = [row for row in rows if (int(datasets[row[2]]), row[1]) in wanted][:_DECIDING]
    fields = names.fields_at({row[0] for row in kept})
    found: dict[tuple[int, int], tuple[list[str], list[str]]] = {}
    for source, definition, at, how in kept:
        grouped, decided = found.setdefault((int(datasets[at]), definition), ([], []))
        name = fields[source].name
        mine = grouped if how == HOWS[How.GROUP_BY] else decided
        if name not in mine:
            mine.append(name)
    return found
