"""Runs name datasets as they know them: by which ids and names the store knows one and the same dataset."""

from collections.abc import Collection, Iterable

import numpy as np
from sqlalchemy import select

from jalan.service.context import Context
from jalan.store.among import is_among
from jalan.store.schema import DatasetName


def read_as(context: Context, datasets: Iterable[int]) -> dict[int, int]:
    """Return all ids by which some datasets are known, each with that of the one which it is read as.

    Those that are not in the graph yet are read as themselves.
    """
    graph = context.graph.graph
    found = {one: one for one in datasets}
    places = {one: graph.dataset_position(one) for one in found}
    at = np.array(sorted({place for place in places.values() if place >= 0}), dtype=np.int32)
    for one, place in places.items():
        if place >= 0:
            found[one] = context.graph.dataset_id(place)
    found.update({id_: id_ for id_ in found.values()})
    for one in graph.read_as(at).tolist():
        id_ = int(graph.nodes.datasets.ids[one])
        found[id_] = context.graph.dataset_id(int(graph.nodes.canonical_dataset[one]))
    return found


def other_names(context: Context, names: Collection[int]) -> dict[int, list[int]]:
    """Return, by ids of names of data, the ids of the other names of the same data, where there are any."""
    if not len(context.graph.graph.nodes.aliases):
        return {}
    session = context.session
    known = {
        name: dataset
        for name, dataset in session.execute(
            select(DatasetName.id, DatasetName.dataset_id).where(is_among(DatasetName.id, names))
        )
        if dataset is not None
    }
    meant = read_as(context, set(known.values()))
    by_dataset: dict[int, list[int]] = {}
    query = select(DatasetName.id, DatasetName.dataset_id).where(is_among(DatasetName.dataset_id, list(meant)))
    for name, dataset in session.execute(query):
        if dataset is not None:
            by_dataset.setdefault(meant[dataset], []).append(name)
    found = {name: [one for one in by_dataset.get(meant[at], ()) if one != name] for name, at in known.items()}
    return {name: others for name, others in found.items() if others}
