"""The aliases in the store."""

from datetime import datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from jalan.catalog.aliases import AliasMap
from jalan.store.schema import Alias


def alias_map(session: Session, as_of: datetime | None = None) -> AliasMap:
    """Return the aliases that hold, or held at a time."""
    query = select(Alias).order_by(Alias.id)
    if as_of is None:
        query = query.where(Alias.valid_to.is_(None))
    else:
        query = query.where(Alias.valid_from <= as_of, (Alias.valid_to.is_(None)) | (Alias.valid_to > as_of))
    return AliasMap(((a.from_namespace, a.from_name), (a.to_namespace, a.to_name)) for a in session.scalars(query))
