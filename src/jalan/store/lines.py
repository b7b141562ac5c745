"""Lines of texts that are asked for, not read."""

from typing import Any

from sqlalchemy import ColumnElement, Integer, func

from jalan.store.schema import Definition


def line_at(offset: ColumnElement[int] | Any) -> ColumnElement[int]:
    """SQL for the line, counted from where its text begins, in which an offset of a definition's text lies."""
    before = func.substr(Definition.text, 1, offset)
    breaks = func.length(before) - func.length(func.replace(before, "\n", ""))
    return (Definition.first_line + func.coalesce(breaks, 0)).cast(Integer)
