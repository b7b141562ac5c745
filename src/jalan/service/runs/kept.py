"""Searches of runs that people keep under a name."""

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import select

from jalan.service.context import Context
from jalan.service.errors import Conflict, Invalid, NotFound
from jalan.service.runs.answers import KeptSearchFact
from jalan.store.schema import KeptSearch

_MOST = 500
_KNOWN = frozenset({"q", "state", "pipeline", "who", "wrote", "span"})


def kept_searches(context: Context) -> list[KeptSearchFact]:
    """Return the searches that are kept, by name."""
    rows = context.session.scalars(select(KeptSearch).order_by(KeptSearch.name).limit(_MOST))
    return [
        KeptSearchFact(id=row.id, name=row.name, query=row.query, who=row.who, kept_at=row.kept_at) for row in rows
    ]


def keep_search(context: Context, name: str, query: dict[str, Any]) -> int:
    """Keep a search; returns its id. Raises Invalid, and Conflict where the name is taken."""
    name = name.strip()
    if not name:
        raise Invalid("name: a search needs a name")
    unknown = query.keys() - _KNOWN
    if unknown:
        raise Invalid(f"query.{min(unknown)}: is not known here; there are {', '.join(sorted(_KNOWN))}")
    with context.changing() as session:
        if session.scalars(select(KeptSearch.id).where(KeptSearch.name == name)).first() is not None:
            raise Conflict(f"there is a search “{name}” already; take another name, or let that one go")
        row = KeptSearch(name=name, query=query, who=context.who, kept_at=datetime.now(UTC))
        session.add(row)
        session.flush()
        return row.id


def let_go(context: Context, search: int) -> None:
    """Keep a search no longer. Raises NotFound."""
    with context.changing() as session:
        row = session.get(KeptSearch, search)
        if row is None:
            raise NotFound(f"there is no kept search {search}")
        session.delete(row)
