"""Which rows hold at a time."""

from datetime import datetime
from typing import Any

from sqlalchemy import or_


def valid_at(model: Any, as_of: datetime | None) -> list[Any]:
    """Return the conditions under which rows of a table hold at a time; now where none is given."""
    if as_of is None:
        return [model.valid_to.is_(None)]
    return [model.valid_from <= as_of, or_(model.valid_to.is_(None), model.valid_to > as_of)]
