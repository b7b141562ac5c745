"""What all tables have in common."""

from datetime import datetime
from typing import Any, ClassVar

from sqlalchemy import DateTime, ForeignKey, MetaData
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase

_NAMING = {
    "ix": "ix_%(table_name)s_%(column_0_N_name)s",
    "uq": "uq_%(table_name)s_%(column_0_N_name)s",
    "fk": "fk_%(table_name)s_%(column_0_name)s",
    "pk": "pk_%(table_name)s",
}


def reference(column: str) -> ForeignKey:
    """A foreign key that is checked at the end of the transaction: rows are written in batches, in any order."""
    return ForeignKey(column, deferrable=True, initially="DEFERRED")


class Base(DeclarativeBase):
    """All models."""

    metadata = MetaData(naming_convention=_NAMING)
    type_annotation_map: ClassVar[dict[Any, Any]] = {
        datetime: DateTime(timezone=True),
        dict[str, Any]: JSONB,
        list[Any]: JSONB,
    }
