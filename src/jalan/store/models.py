"""The tables of the store.

Nothing is overwritten: what holds for a time has ``valid_from`` and ``valid_to``, and what holds now has no
``valid_to``. What a scan no longer finds is marked ``gone_since`` and kept.
"""

from datetime import datetime
from typing import Any, ClassVar

from sqlalchemy import DateTime, ForeignKey, Index, MetaData, UniqueConstraint, text
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

_NAMING = {
    "ix": "ix_%(table_name)s_%(column_0_N_name)s",
    "uq": "uq_%(table_name)s_%(column_0_N_name)s",
    "fk": "fk_%(table_name)s_%(column_0_name)s",
    "pk": "pk_%(table_name)s",
}


class Base(DeclarativeBase):
    """All models."""

    metadata = MetaData(naming_convention=_NAMING)
    type_annotation_map: ClassVar[dict[Any, Any]] = {
        datetime: DateTime(timezone=True),
        dict[str, Any]: JSONB,
        list[Any]: JSONB,
    }


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
    system_id: Mapped[int] = mapped_column(ForeignKey("system.id"))
    parent_id: Mapped[int | None] = mapped_column(ForeignKey("container.id"))
    path: Mapped[str]
    kind: Mapped[str]
    description: Mapped[str | None]
    owner: Mapped[str | None]


class Dataset(Base):
    """A table, view, file or report. ``placeholder``: named somewhere, but never seen in its own system."""

    __tablename__ = "dataset"
    __table_args__ = (UniqueConstraint("system_id", "name"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    system_id: Mapped[int] = mapped_column(ForeignKey("system.id"))
    container_id: Mapped[int] = mapped_column(ForeignKey("container.id"), index=True)
    name: Mapped[str]
    title: Mapped[str | None]
    kind: Mapped[str]
    description: Mapped[str | None]
    owner: Mapped[str | None]
    address: Mapped[str | None]
    rows: Mapped[int | None]
    placeholder: Mapped[bool]
    first_seen: Mapped[datetime]
    scanned_at: Mapped[datetime | None]
    gone_since: Mapped[datetime | None]


class Field(Base):
    """A column, or an element of a report. ``kind``: column, star, or the kind of the element."""

    __tablename__ = "field"
    __table_args__ = (UniqueConstraint("dataset_id", "name"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    dataset_id: Mapped[int] = mapped_column(ForeignKey("dataset.id"))
    name: Mapped[str]
    kind: Mapped[str]
    type: Mapped[str | None]
    ordinal: Mapped[int]
    description: Mapped[str | None]
    placeholder: Mapped[bool]
    first_seen: Mapped[datetime]
    gone_since: Mapped[datetime | None]


class Job(Base):
    """What runs statements: a pipeline, or one step of it."""

    __tablename__ = "job"
    __table_args__ = (UniqueConstraint("namespace", "name"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    namespace: Mapped[str]
    name: Mapped[str]
    parent_id: Mapped[int | None] = mapped_column(ForeignKey("job.id"))
    first_seen: Mapped[datetime]


class Definition(Base):
    """One version of a text that defines data: a file, a view, a foreign table, an element of a report.

    key: what it is the definition of; at most one version of a key is valid. place: the path or name shown to
    people. first_line: line of the file on which the text begins. template: variables and calls that the text is
    filled in with, none where it is no template.
    """

    __tablename__ = "definition"
    __table_args__ = (
        Index("uq_definition_key_valid", "key", unique=True, postgresql_where=text("valid_to is null")),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(index=True)
    version: Mapped[int]
    kind: Mapped[str]
    place: Mapped[str]
    first_line: Mapped[int]
    dialect: Mapped[str]
    search_path: Mapped[list[Any]]
    template: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    text: Mapped[str]
    system_id: Mapped[int] = mapped_column(ForeignKey("system.id"))
    database: Mapped[str]
    dataset_id: Mapped[int | None] = mapped_column(ForeignKey("dataset.id"))
    field_id: Mapped[int | None] = mapped_column(ForeignKey("field.id"))
    job_id: Mapped[int | None] = mapped_column(ForeignKey("job.id"))
    valid_from: Mapped[datetime]
    valid_to: Mapped[datetime | None]


class Statement(Base):
    """One SQL statement of a definition; start and end are offsets in its text."""

    __tablename__ = "statement"
    __table_args__ = (UniqueConstraint("definition_id", "ordinal"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    definition_id: Mapped[int] = mapped_column(ForeignKey("definition.id"))
    ordinal: Mapped[int]
    kind: Mapped[str]
    start: Mapped[int]
    end: Mapped[int]


class Link(Base):
    """A dependency with its evidence.

    target_field_id is empty where the source decides which rows the target has. kind: value or condition.
    origin: parsed, event, catalogue or declared. spans: where the source is named in the definition's text;
    expression: where the target is computed. path: which part of a semi-structured source is taken, empty for all
    of it. possible: the text does not say whether this column is meant or another one.
    """

    __tablename__ = "link"
    __table_args__ = (
        Index("ix_link_definition_valid", "definition_id", postgresql_where=text("valid_to is null")),
        Index("ix_link_source_field_id", "source_field_id"),
        Index("ix_link_target_dataset_id", "target_dataset_id"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    source_field_id: Mapped[int] = mapped_column(ForeignKey("field.id"))
    target_dataset_id: Mapped[int] = mapped_column(ForeignKey("dataset.id"))
    target_field_id: Mapped[int | None] = mapped_column(ForeignKey("field.id"))
    kind: Mapped[str]
    how: Mapped[str]
    origin: Mapped[str]
    definition_id: Mapped[int] = mapped_column(ForeignKey("definition.id"))
    statement_id: Mapped[int | None] = mapped_column(ForeignKey("statement.id"))
    spans: Mapped[list[Any]]
    expression: Mapped[list[Any] | None]
    path: Mapped[str] = mapped_column(server_default="")
    possible: Mapped[bool] = mapped_column(server_default=text("false"))
    valid_from: Mapped[datetime]
    valid_to: Mapped[datetime | None]


class Diagnostic(Base):
    """A place where extraction had to guess or gave up."""

    __tablename__ = "diagnostic"
    __table_args__ = (
        Index("ix_diagnostic_definition_valid", "definition_id", postgresql_where=text("valid_to is null")),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    definition_id: Mapped[int] = mapped_column(ForeignKey("definition.id"))
    code: Mapped[str]
    level: Mapped[str]
    message: Mapped[str]
    hint: Mapped[str]
    start: Mapped[int]
    end: Mapped[int]
    valid_from: Mapped[datetime]
    valid_to: Mapped[datetime | None]


class Ingestion(Base):
    """One scan or load: when, of what, and what it changed. state: running, done or failed."""

    __tablename__ = "ingestion"
    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str]
    subject: Mapped[str]
    state: Mapped[str]
    started_at: Mapped[datetime]
    finished_at: Mapped[datetime | None]
    counts: Mapped[dict[str, Any]]
    message: Mapped[str | None]
