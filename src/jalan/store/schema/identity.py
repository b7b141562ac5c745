"""Names that stand for one another."""

from datetime import datetime

from sqlalchemy import Index, text
from sqlalchemy.orm import Mapped, mapped_column

from jalan.store.schema.base import Base, reference
from jalan.store.schema.graph import changed_column


class Alias(Base):
    """Two names for one thing. Nothing is moved: what is said of the first name is read as said of the second.

    The names are those of OpenLineage; an empty name stands for the whole namespace. origin: person, or symlink
    where a producer sends it.
    """

    __tablename__ = "alias"
    __table_args__ = (
        Index(
            "uq_alias_from_valid",
            "from_namespace",
            "from_name",
            unique=True,
            postgresql_where=text("valid_to is null"),
        ),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    from_namespace: Mapped[str]
    from_name: Mapped[str]
    to_namespace: Mapped[str]
    to_name: Mapped[str]
    origin: Mapped[str]
    source_id: Mapped[int | None] = mapped_column(reference("source.id"))
    who: Mapped[str]
    note: Mapped[str | None]
    valid_from: Mapped[datetime]
    valid_to: Mapped[datetime | None]
    ended_by: Mapped[str | None]
    changed: Mapped[str] = changed_column()
