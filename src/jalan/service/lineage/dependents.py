"""What depends on a field."""

from typing import Literal

import numpy as np

from jalan.catalog.kinds import DatasetKind
from jalan.graph.dependencies import ROWS, VALUE
from jalan.graph.spread import Reach
from jalan.service.context import Context
from jalan.service.graph_cache.snapshot import Snapshot
from jalan.service.lineage.answers import (
    Dependent,
    Dependents,
    PathStep,
)
from jalan.service.lineage.lookups import field_position


def dependents(context: Context, field_id: int, conditions: bool) -> Dependents:
    """Return every column and report element downstream of a field, nearest first, with its path."""
    snapshot = context.graph
    field = field_position(snapshot, field_id)
    graph = snapshot.graph
    by_value, by_any = graph.dependents(np.array([field]))
    reached = by_any if conditions else by_value
    items = []
    for node in np.flatnonzero(reached.distance[: graph.fields] > 0).tolist():
        carries = by_value.distance[node] > 0
        path = _path(snapshot, by_value if carries else by_any, node, carries)
        info = snapshot.fields[node]
        dataset = snapshot.datasets[info.dataset]
        items.append(
            Dependent(
                field=info.id,
                name=info.name,
                kind=info.kind,
                dataset=dataset.id,
                dataset_name=dataset.name,
                dataset_title=dataset.title,
                report=dataset.kind == DatasetKind.REPORT,
                owner=dataset.owner,
                effect="value" if carries else "condition",
                hops=sum(step.link is not None for step in path),
                path=path,
            )
        )
    items.sort(key=lambda item: (not item.report, item.effect != "value", item.hops, item.dataset_title, item.name))
    elements = [item for item in items if item.report]
    return Dependents(
        field=field_id,
        label=snapshot.node_label(field),
        items=items,
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
