"""What depends on a field."""

from typing import Literal

import numpy as np

from jalan.catalog.kinds import DatasetKind
from jalan.change.consequences import CONSEQUENCES, Consequence
from jalan.graph.dependencies import ROWS, VALUE
from jalan.graph.spread import Reach
from jalan.service.context import Context
from jalan.service.graph_cache.lookups import field_position
from jalan.service.graph_cache.snapshot import Snapshot
from jalan.service.lineage.answers import (
    Dependent,
    Dependents,
    PathStep,
)


def dependents(context: Context, field_id: int, conditions: bool) -> Dependents:
    """Return every column and report element downstream of a field, nearest first, with its path.

    conditions: whether what is only decided about counts too.
    """
    snapshot = context.graph
    field = field_position(snapshot, field_id)
    graph = snapshot.graph
    told: dict[int, tuple[int, Consequence, Reach]] = {}
    for rank, consequence in enumerate(CONSEQUENCES):
        if not (consequence.by_value or conditions):
            continue
        reach = consequence.reached(graph, np.array([field]))
        for node in np.flatnonzero(reach.distance[: graph.fields] > 0).tolist():
            told.setdefault(node, (rank, consequence, reach))
    items = []
    for node, (rank, consequence, reach) in told.items():
        path = _path(snapshot, reach, node, consequence.by_value)
        info = snapshot.fields[node]
        dataset = snapshot.datasets[info.dataset]
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
        label=snapshot.node_label(field),
        items=[item for _, item in items],
        effects={consequence.name: consequence.label for consequence in CONSEQUENCES},
        columns=len(items) - len(elements),
        elements=len(elements),
        reports=len({item.dataset for item in elements}),
    )


def _path(snapshot: Snapshot, reach: Reach, node: int, by_value: bool) -> list[PathStep]:
    graph = snapshot.graph
    found = []
    for step in graph.path(reach, node, by_value):
        kind: Literal["value", "condition", "rows", "contains"] = "contains"
        if step.edge >= 0:
            edge = int(graph.kinds[step.edge])
            kind = "value" if edge == VALUE else "rows" if edge == ROWS else "condition"
        target = step.target
        found.append(
            PathStep(
                field=snapshot.fields[target].id if target < graph.fields else None,
                dataset=snapshot.datasets[snapshot.node_dataset(target)].id,
                label=snapshot.node_label(target),
                link=snapshot.links[step.edge].id if step.edge >= 0 else None,
                kind=kind,
            )
        )
    return found
