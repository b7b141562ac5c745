"""Fields, datasets and definitions as lists and lanes show them."""

import numpy as np

from jalan.graph.columns import Ints
from jalan.service.briefs import DatasetBrief, DefinitionFact, FieldBrief
from jalan.service.graph_cache.names import DatasetInfo, DefinitionInfo, FieldInfo, Names
from jalan.service.graph_cache.view import GraphView

Counts = dict[int, tuple[int, int]]


def field_counts(view: GraphView, fields: Ints) -> Counts:
    """Return for each field how many value links lead (to, from) it."""
    upstream, downstream = view.graph.value_counts(fields)
    return dict(zip(fields.tolist(), zip(upstream.tolist(), downstream.tolist(), strict=True), strict=True))


def field_brief(info: FieldInfo, counts: tuple[int, int]) -> FieldBrief:
    """Return a field as lists show it."""
    return FieldBrief(
        id=info.id,
        name=info.name,
        kind=info.kind,
        type=info.type,
        placeholder=info.placeholder,
        gone=info.gone_since is not None,
        upstream=counts[0],
        downstream=counts[1],
    )


def dataset_briefs(view: GraphView, names: Names, shown: dict[int, list[int]]) -> dict[int, DatasetBrief]:
    """Return datasets as lanes show them, by position, each with some of its fields."""
    datasets = names.datasets_at(shown)
    every = np.array([field for fields in shown.values() for field in fields], dtype=np.int32)
    fields = names.fields_at(every.tolist())
    counts = field_counts(view, every)
    return {
        dataset: _brief(
            view,
            dataset,
            datasets[dataset],
            [field_brief(fields[f], counts[f]) for f in names.in_order({f: fields[f] for f in mine})],
        )
        for dataset, mine in shown.items()
    }


def _brief(view: GraphView, dataset: int, info: DatasetInfo, fields: list[FieldBrief]) -> DatasetBrief:
    return DatasetBrief(
        id=info.id,
        name=info.name,
        title=info.title,
        kind=info.kind,
        system=info.system,
        container=info.container,
        owner=info.owner,
        placeholder=info.placeholder,
        gone=info.gone_since is not None,
        feeds_itself=bool(view.pairs.feeding_themselves[dataset]),
        fields=fields,
        total_fields=int(view.graph.column_counts[dataset]),
    )


def definition_fact(info: DefinitionInfo) -> DefinitionFact:
    """Return a definition as lists show it."""
    return DefinitionFact(
        id=info.id,
        kind=info.kind,
        place=info.place,
        job=info.job,
        version=info.version,
        valid_from=info.valid_from,
        revision=info.revision,
        author=info.author,
        authored_at=info.authored_at,
    )
