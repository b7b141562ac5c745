"""Fields, datasets and definitions as lists and lanes show them."""

import numpy as np

from jalan.graph.dependencies import VALUE
from jalan.graph.spread import Ints
from jalan.service.briefs import DatasetBrief, DefinitionFact, FieldBrief
from jalan.service.graph_cache.names import DefinitionInfo
from jalan.service.graph_cache.snapshot import Snapshot


def field_counts(snapshot: Snapshot) -> tuple[Ints, Ints]:
    """Return how many value links lead (to, from) each field."""
    graph = snapshot.graph
    values = graph.kinds == VALUE
    upstream = np.bincount(graph.targets[values], minlength=graph.fields)
    downstream = np.bincount(graph.sources[values], minlength=graph.fields)
    return upstream, downstream


def field_brief(snapshot: Snapshot, field: int, counts: tuple[Ints, Ints]) -> FieldBrief:
    """Return a field as lists show it."""
    info = snapshot.fields[field]
    return FieldBrief(
        id=info.id,
        name=info.name,
        kind=info.kind,
        type=info.type,
        placeholder=info.placeholder,
        gone=info.gone_since is not None,
        upstream=int(counts[0][field]),
        downstream=int(counts[1][field]),
    )


def dataset_brief(snapshot: Snapshot, dataset: int, fields: list[int], counts: tuple[Ints, Ints]) -> DatasetBrief:
    """Return a dataset as lanes show it."""
    info = snapshot.datasets[dataset]
    live = [f for f in info.fields if snapshot.fields[f].gone_since is None]
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
        feeds_itself=snapshot.graph.feeds_itself(dataset),
        fields=[field_brief(snapshot, f, counts) for f in fields],
        total_fields=len(live),
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
