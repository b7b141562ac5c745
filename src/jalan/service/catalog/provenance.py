"""What is said of a dataset besides its facts: other names, what sources disagree about, commits."""

from datetime import datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from jalan.runs.facets import dataset_details
from jalan.service.catalog.answers import AliasFact, ClaimFact, ConflictFact, PointFact
from jalan.service.graph_cache.names import DatasetInfo, DefinitionInfo
from jalan.store.among import is_among
from jalan.store.schema import Alias, Claim, DatasetName, Revision, Source
from jalan.store.validity import valid_at

_POINTS = 50


def aliases(session: Session, info: DatasetInfo, as_of: datetime | None = None) -> list[AliasFact]:
    """Return the other names of a dataset, those by which its whole system goes left out."""
    query = select(Alias).where(
        Alias.to_namespace == info.namespace, Alias.to_name == info.name, *valid_at(Alias, as_of)
    )
    return [
        AliasFact(
            id=a.id,
            namespace=a.from_namespace,
            name=a.from_name,
            origin=a.origin,
            who=a.who,
            since=a.valid_from,
            note=a.note,
        )
        for a in session.scalars(query.order_by(Alias.id))
    ]


def conflicts(session: Session, info: DatasetInfo, as_of: datetime | None = None) -> list[ConflictFact]:
    """Return where sources disagree about columns or types: each column with what every source says of it."""
    query = (
        select(Claim, Source.name)
        .join(Source, Source.id == Claim.source_id)
        .where(Claim.dataset_id.in_([info.id, *info.joined]), *valid_at(Claim, as_of))
        # The system itself comes first, the freshest of equals.
        .order_by(Claim.itself.desc(), Claim.valid_from.desc())
    )
    said = [(claim, source, dict(claim.columns)) for claim, source in session.execute(query)]
    names = dict.fromkeys(name for _, _, columns in said for name in columns)
    found = []
    for name in names:
        claims = [
            ClaimFact(
                source=source,
                itself=claim.itself,
                since=claim.valid_from,
                has=name in columns,
                type=columns.get(name),
            )
            for claim, source, columns in said
        ]
        types = {c.type for c in claims if c.has and c.type is not None}
        if len(types) > 1 or not all(c.has for c in claims):
            found.append(ConflictFact(column=name, claims=claims))
    return found


def points(session: Session, definitions: list[DefinitionInfo], as_of: datetime | None) -> list[PointFact]:
    """Return the commits that changed what writes a dataset, the latest first."""
    keys = set()
    for info in definitions:
        if info.revision is not None:
            keys.add(f"{info.key.split(':')[1]}:{info.place}")
    query = select(Revision).where(Revision.key.in_(keys))
    if as_of is not None:
        query = query.where(Revision.authored_at <= as_of)
    query = query.order_by(Revision.authored_at.desc(), Revision.id.desc())
    return [
        PointFact(
            revision=r.revision, at=r.authored_at, author=r.author, summary=r.summary, path=r.path, change=r.change
        )
        for r in session.scalars(query.limit(_POINTS))
    ]


def told_by_events(session: Session, info: DatasetInfo, as_of: datetime | None) -> dict[str, Any]:
    """Return what events tell of a dataset beyond its columns. It is kept as it is now only."""
    if as_of is not None:
        return {}
    query = select(DatasetName.facets).where(is_among(DatasetName.dataset_id, [info.id, *info.joined]))
    found: dict[str, Any] = {}
    for facets in session.scalars(query.order_by(DatasetName.id)):
        found.update(dataset_details(facets))
    return found
