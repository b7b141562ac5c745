"""Conditions over many ids: one parameter, whatever their number."""

from collections.abc import Collection
from typing import Any

from sqlalchemy import ColumnElement, Integer, bindparam, func
from sqlalchemy.dialects.postgresql import ARRAY


def is_among(column: Any, ids: Collection[int]) -> ColumnElement[bool]:
    """Return the condition that a column has one of these ids."""
    given = bindparam(None, [int(id_) for id_ in ids], type_=ARRAY(Integer), unique=True)
    found: ColumnElement[bool] = column == func.any(given)
    return found
