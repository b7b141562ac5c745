"""Systems, containers, datasets and fields."""

from datetime import datetime
from typing import Any

from sqlalchemy import BigInteger, UniqueConstraint, text
from sqlalchemy.orm import Mapped, mapped_column

from jalan.store.schema.base import Base, reference
from jalan.store.schema.graph import changed_column


class System(Base):
    """Something that holds data: a database server, or a place of reports."""

    __tablename__ = "system"
    id: Mapped[int] = mapped_column(primary_key=True)
    namespace: Mapped[str] = mapped_column(unique=True)
    kind: Mapped[str]
    first_seen: Mapped[datetime]
    scanned_at: Mapped[datetime | None]


class Container(Base):
    """A database, schema or folder; ``path`` is its full name inside the system."""

    __tablename__ = "container"
    __table_args__ = (UniqueConstraint("system_id", "path"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    system_id: Mapped[int] = mapped_column(reference("system.id"))
    parent_id: Mapped[int | None] = mapped_column(reference("container.id"))
    path: Mapped[str]
    kind: Mapped[str]
    description: Mapped[str | None]
    owner: Mapped[str | None]


class Dataset(Base):
    """A table, view, file or report. ``placeholder``: named somewhere, but never seen in its own system.

    facts: what its system tells of it beyond that, by name: partitions, privileges, keys, the foreign server.
    """

    __tablename__ = "dataset"
    __table_args__ = (UniqueConstraint("system_id", "name"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    system_id: Mapped[int] = mapped_column(reference("system.id"))
    container_id: Mapped[int] = mapped_column(reference("container.id"), index=True)
    name: Mapped[str]
    title: Mapped[str | None]
    kind: Mapped[str]
    description: Mapped[str | None]
    owner: Mapped[str | None]
    address: Mapped[str | None]
    rows: Mapped[int | None] = mapped_column(BigInteger)
    bytes: Mapped[int | None] = mapped_column(BigInteger)
    facts: Mapped[dict[str, Any]] = mapped_column(server_default=text("'{}'::jsonb"), default=dict)
    placeholder: Mapped[bool]
    first_seen: Mapped[datetime]
    scanned_at: Mapped[datetime | None]
    gone_since: Mapped[datetime | None]
    changed: Mapped[str] = changed_column()


class Field(Base):
    """A column, or an element of a report. ``kind``: column, star, calculated, or the kind of the element.

    facts: nullable, default, generated, key and the like, where its system tells.
    """

    __tablename__ = "field"
    __table_args__ = (UniqueConstraint("dataset_id", "name"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    dataset_id: Mapped[int] = mapped_column(reference("dataset.id"))
    name: Mapped[str]
    kind: Mapped[str]
    type: Mapped[str | None]
    ordinal: Mapped[int]
    description: Mapped[str | None]
    facts: Mapped[dict[str, Any]] = mapped_column(server_default=text("'{}'::jsonb"), default=dict)
    placeholder: Mapped[bool]
    first_seen: Mapped[datetime]
    gone_since: Mapped[datetime | None]
    changed: Mapped[str] = changed_column()
