"""Positions of the things that a question names by their ids in the store."""

from jalan.service.errors import NotFound
from jalan.service.graph_cache.snapshot import Snapshot


def dataset_position(snapshot: Snapshot, dataset_id: int) -> int:
    found = snapshot.dataset_at.get(dataset_id)
    if found is None:
        raise NotFound(f"there is no dataset {dataset_id}")
    return found


def field_position(snapshot: Snapshot, field_id: int) -> int:
    found = snapshot.field_at.get(field_id)
    if found is None:
        raise NotFound(f"there is no field {field_id}")
    return found
