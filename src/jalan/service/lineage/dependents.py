"""What depends on a field."""

from typing import Literal

import numpy as np

from jalan.catalog.kinds import DatasetKind
from jalan.change.consequences import CONSEQUENCES, Consequence
from jalan.graph.columns import ROWS, VALUE, kinds_of
from jalan.graph.walk import Reach
from jalan.service.context import Context
from jalan.service.graph_cache.names import Names
from jalan.service.graph_cache.view import GraphView
from jalan.service.lineage.answers import Dependent, Dependents, PathStep


def dependents(context: Context, field_id: int, conditions: bool) -> Dependents:
    """Return every column and report element downstream of a field, nearest first, with its path.

    conditions: whether what is only decided about counts too.
    """
    view, names = context.graph, context.names
    graph = view.graph
    field = view.field(field_id)
    told: dict[int, tuple[int, int, Consequence, Reach]] = {}
    for rank, consequence in enumerate(CONSEQUENCES):
        if not (consequence.by_value or conditions):
            continue
        reach = consequence.reached(graph, np.array([field], dtype=np.int32))
        for place in np.flatnonzero((reach.nodes >= 0) & (reach.hops > 0)).tolist():
            told.setdefault(int(reach.nodes[place]), (place, rank, consequence, reach))
    infos = names.fields_at({field, *told})
    at = graph.field_dataset[list(told)].tolist() if told else []
    datasets = names.datasets_at({*at, int(graph.field_dataset[field])})
    items = []
    for (node, (place, rank, consequence, reach)), position in zip(told.items(), at, strict=True):
        path = _path(view, names, reach, place)
        info, dataset = infos[node], datasets[position]
        item = Dependent(
            field=info.id,
            name=info.name,
            kind=info.kind,
            dataset=dataset.id,
            dataset_name=dataset.name,
            dataset_title=dataset.title,
            report=dataset.kind == DatasetKind.REPORT,
            owner=dataset.owner,
            effect=consequence.name,
            hops=sum(step.link is not None for step in path),
            path=path,
        )
        items.append(((not item.report, rank, item.hops, item.dataset_title, item.name), item))
    items.sort(key=lambda pair: pair[0])
    elements = [item for _, item in items if item.report]
    return Dependents(
        field=field_id,
        label=names.label(field),
        items=[item for _, item in items],
        effects={consequence.name: consequence.label for consequence in CONSEQUENCES},
        columns=len(items) - len(elements),
        elements=len(elements),
        reports=len({item.dataset for item in elements}),
    )


def _path(view: GraphView, names: Names, reach: Reach, place: int) -> list[PathStep]:
    graph = view.graph
    found = []
    for at, link in reach.way(place):
        node = int(reach.nodes[at])
        kind: Literal["value", "condition", "rows", "contains"] = "contains"
        id_: int | None = None
        if link >= 0:
            columns = graph.columns(np.array([link], dtype=np.int32))
            id_ = int(columns.ids[0])
            what = int(kinds_of(columns.codes)[0])
            kind = "value" if what == VALUE else "rows" if what == ROWS else "condition"
        dataset = int(graph.field_dataset[node]) if node >= 0 else ~node
        found.append(
            PathStep(
                field=view.field_id(node) if node >= 0 else None,
                dataset=view.dataset_id(dataset),
                label=names.label(node),
                link=id_,
                kind=kind,
            )
        )
    return found
