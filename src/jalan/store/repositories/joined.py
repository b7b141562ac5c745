"""Which datasets and fields are read as others, because somebody said that they are one."""

from datetime import datetime

import numpy as np
from sqlalchemy import or_, select, tuple_
from sqlalchemy.orm import Session

from jalan.catalog.aliases import AliasMap
from jalan.graph.columns import NOTHING_JOINED, Ints, Joined
from jalan.store.past import as_at
from jalan.store.schema import Dataset, Field, System


def joined(session: Session, aliases: AliasMap, as_of: datetime | None = None) -> Joined:
    """Return what is read as what, now or at a time. Cost: the datasets that the aliases speak of."""
    if not aliases.pairs():
        return NOTHING_JOINED
    stands_for = _datasets(session, aliases, as_of)
    if not stands_for:
        return NOTHING_JOINED
    return Joined(_pairs(stands_for), _pairs(_fields(session, stands_for, as_of)))


def _pairs(found: dict[int, int]) -> Ints:
    return np.array(sorted(found.items()), dtype=np.int32).reshape(-1, 2)


def _datasets(session: Session, aliases: AliasMap, as_of: datetime | None) -> dict[int, int]:
    pairs = aliases.pairs()
    whole = {name[0] for pair in pairs for name in pair if not pair[0][1]}
    single = [name for pair in pairs for name in pair if name[1]]
    query = select(*Dataset.__table__.columns, System.namespace).join(System, System.id == Dataset.system_id)
    if as_of is None:
        query = query.where(or_(System.namespace.in_(whole), tuple_(System.namespace, Dataset.name).in_(single)))
    else:  # it may have had another name then
        query = query.where(System.namespace.in_(whole | {name[0] for name in single}), Dataset.first_seen <= as_of)
    ids = {}
    for row in as_at(session, Dataset, session.execute(query), as_of):
        ids[row.namespace, row.name] = row.id
    found = {}
    for name, id_ in ids.items():
        meant = ids.get(aliases.resolve(name), id_)
        if meant != id_:
            found[id_] = meant
    return found


def _fields(session: Session, stands_for: dict[int, int], as_of: datetime | None) -> dict[int, int]:
    """Fields of datasets that are one are one where they have the same name: that of the dataset itself, or else
    that of the first of the others."""
    query = select(*Field.__table__.columns).where(Field.dataset_id.in_({*stands_for, *stands_for.values()}))
    if as_of is not None:
        query = query.where(Field.first_seen <= as_of)
    rows = list(as_at(session, Field, session.execute(query), as_of))
    rows.sort(key=lambda field: (field.dataset_id in stands_for, field.dataset_id, field.ordinal, field.id))
    first: dict[tuple[int, str], int] = {}
    found = {}
    for row in rows:
        one = first.setdefault((stands_for.get(row.dataset_id, row.dataset_id), row.name), row.id)
        if one != row.id:
            found[row.id] = one
    return found
