"""Texts that define data, and what was read out of them."""

from datetime import datetime
from typing import Any

from sqlalchemy import Index, Text, UniqueConstraint, text
from sqlalchemy import text as sql
from sqlalchemy.dialects.postgresql import ARRAY, JSONB
from sqlalchemy.orm import Mapped, mapped_column

from jalan.store.schema.base import Base, reference
from jalan.store.schema.graph import changed_column


class Job(Base):
    """What runs statements: a pipeline, or one step of it.

    facets: what events have said of it, see ``jalan.runs.fold``. told: a word for what its events tell of data, as
    it stands in the catalogue. untold: they may have told more since.
    """

    __tablename__ = "job"
    __table_args__ = (
        UniqueConstraint("namespace", "name"),
        Index("ix_job_untold", "id", postgresql_where=text("untold")),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    namespace: Mapped[str]
    name: Mapped[str]
    parent_id: Mapped[int | None] = mapped_column(reference("job.id"))
    owner: Mapped[str | None]
    schedule: Mapped[str | None]
    first_seen: Mapped[datetime]
    facets: Mapped[dict[str, Any]] = mapped_column(server_default=text("'{}'::jsonb"), default=dict)
    told: Mapped[str | None]
    untold: Mapped[bool] = mapped_column(server_default=text("false"), default=False)


class Definition(Base):
    """One version of a text that defines data: a file, a view, a foreign table, an element of a report.

    key: what it is the definition of; at most one version of a key is valid.
    place: the path or name shown to people.
    first_line: line of the file on which the text begins.
    template: variables and calls that the text is filled in with, none where it is no template.
    revision, authored_at, author: the commit that gave it this text.
    asked: which tables the last extraction looked up and what it was told, so that it need not be done again
        while the answers stay the same.
    reader: a word for the code that did the last extraction; none where there was none yet.
    names: what the text asks for, makes, calls and defines, see ``jalan.lineage.project.TextReading.names``.
    coverage: how much of it was read, see ``jalan.service.ingest.coverage``.
    """

    __tablename__ = "definition"
    __table_args__ = (
        Index("uq_definition_key_valid", "key", unique=True, postgresql_where=text("valid_to is null")),
        Index("ix_definition_names", "names", postgresql_using="gin", postgresql_where=text("valid_to is null")),
        Index("ix_definition_reader", "system_id", "database", "reader", postgresql_where=text("valid_to is null")),
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
    system_id: Mapped[int] = mapped_column(reference("system.id"))
    database: Mapped[str]
    dataset_id: Mapped[int | None] = mapped_column(reference("dataset.id"))
    field_id: Mapped[int | None] = mapped_column(reference("field.id"))
    job_id: Mapped[int | None] = mapped_column(reference("job.id"))
    source_id: Mapped[int | None] = mapped_column(reference("source.id"), index=True)
    revision: Mapped[str | None]
    authored_at: Mapped[datetime | None]
    author: Mapped[str | None]
    asked: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    coverage: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    reader: Mapped[str | None]
    names: Mapped[list[str]] = mapped_column(ARRAY(Text()), server_default=sql("'{}'"), default=list)
    valid_from: Mapped[datetime]
    valid_to: Mapped[datetime | None] = mapped_column(index=True)


class Relinked(Base):
    """When the texts of a database were last read with the tables known.

    seen, xact: PostgreSQL's snapshot then, and the transaction that did it: what was written by others since, or
    was not to be seen yet, has to be looked at. complete: whether the database had been scanned.
    """

    __tablename__ = "relinked"
    system_id: Mapped[int] = mapped_column(reference("system.id"), primary_key=True)
    database: Mapped[str] = mapped_column(primary_key=True)
    at: Mapped[datetime]
    seen: Mapped[str]
    xact: Mapped[str]
    complete: Mapped[bool]


class Statement(Base):
    """One SQL statement of a definition; start and end are offsets in its text."""

    __tablename__ = "statement"
    __table_args__ = (UniqueConstraint("definition_id", "ordinal"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    definition_id: Mapped[int] = mapped_column(reference("definition.id"))
    ordinal: Mapped[int]
    kind: Mapped[str]
    start: Mapped[int]
    end: Mapped[int]


class Link(Base):
    """A dependency with its evidence.

    target_field_id is empty where the source decides which rows the target has.

    kind: value or condition.
    origin: parsed, event, catalogue or declared.
    spans: where the source is named in the definition's text;
    expression: where the target is computed.
    path: which part of a semi-structured source is taken, empty for all of it.
    possible: the text does not say whether this column is meant or another one.
    """

    __tablename__ = "link"
    __table_args__ = (
        Index("ix_link_definition_valid", "definition_id", postgresql_where=text("valid_to is null")),
        Index("ix_link_source_field_id", "source_field_id"),
        Index("ix_link_target_dataset_id", "target_dataset_id"),
        Index("ix_link_target_field_id", "target_field_id"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    source_field_id: Mapped[int] = mapped_column(reference("field.id"))
    target_dataset_id: Mapped[int] = mapped_column(reference("dataset.id"))
    target_field_id: Mapped[int | None] = mapped_column(reference("field.id"))
    kind: Mapped[str]
    how: Mapped[str]
    origin: Mapped[str]
    definition_id: Mapped[int] = mapped_column(reference("definition.id"))
    statement_id: Mapped[int | None] = mapped_column(reference("statement.id"))
    spans: Mapped[list[Any]]
    expression: Mapped[list[Any] | None]
    path: Mapped[str] = mapped_column(server_default="")
    possible: Mapped[bool] = mapped_column(server_default=text("false"))
    valid_from: Mapped[datetime]
    valid_to: Mapped[datetime | None]
    changed: Mapped[str] = changed_column()


class Diagnostic(Base):
    """A place where extraction had to guess or gave up."""

    __tablename__ = "diagnostic"
    __table_args__ = (
        Index("ix_diagnostic_definition_valid", "definition_id", postgresql_where=text("valid_to is null")),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    definition_id: Mapped[int] = mapped_column(reference("definition.id"))
    code: Mapped[str]
    level: Mapped[str]
    message: Mapped[str]
    hint: Mapped[str]
    start: Mapped[int]
    end: Mapped[int]
    valid_from: Mapped[datetime]
    valid_to: Mapped[datetime | None]


class Revision(Base):
    """A commit that changed a definition.

    key: that of the definition.
    change: added, changed or removed.
    """

    __tablename__ = "revision"
    __table_args__ = (UniqueConstraint("key", "revision"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    source_id: Mapped[int] = mapped_column(reference("source.id"))
    key: Mapped[str]
    revision: Mapped[str]
    change: Mapped[str]
    path: Mapped[str]
    authored_at: Mapped[datetime]
    author: Mapped[str]
    summary: Mapped[str]
    text: Mapped[str | None]
