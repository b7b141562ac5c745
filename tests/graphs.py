"""The whole graph by name, as tests compare it."""

import numpy as np

from jalan.service.context import Context
from jalan.service.graph_cache.names import DatasetInfo, FieldInfo


def all_datasets(context: Context) -> dict[int, DatasetInfo]:
    """Return every dataset by its position."""
    return context.names.datasets_at(np.flatnonzero(context.graph.graph.known_datasets).tolist())


def all_fields(context: Context) -> dict[str, FieldInfo]:
    """Return every field by the title of its dataset and its name."""
    fields = context.names.fields_at(np.flatnonzero(context.graph.graph.known_fields).tolist())
    return {context.names.label(position): info for position, info in fields.items()}


def all_links(context: Context) -> set[tuple[str, str]]:
    """Return the ends of every link, by name."""
    graph = context.graph.graph
    columns = graph.columns(graph.every_link())
    all_datasets(context)
    all_fields(context)
    label = context.names.label
    ends = zip(columns.sources.tolist(), columns.targets.tolist(), strict=True)
    return {(label(source), label(target)) for source, target in ends}
