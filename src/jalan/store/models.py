"""The tables of the store.

Nothing is overwritten: what holds for a time has ``valid_from`` and ``valid_to``, and what holds now has no
``valid_to``. What a scan no longer finds is marked ``gone_since`` and kept.
"""

from datetime import date, datetime
from typing import Any, ClassVar

from sqlalchemy import BigInteger, DateTime, ForeignKey, Index, MetaData, UniqueConstraint, text
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

_NAMING = {
    "ix": "ix_%(table_name)s_%(column_0_N_name)s",
    "uq": "uq_%(table_name)s_%(column_0_N_name)s",
    "fk": "fk_%(table_name)s_%(column_0_name)s",
    "pk": "pk_%(table_name)s",
}


def _reference(column: str) -> ForeignKey:
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
    system_id: Mapped[int] = mapped_column(_reference("system.id"))
    parent_id: Mapped[int | None] = mapped_column(_reference("container.id"))
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
    system_id: Mapped[int] = mapped_column(_reference("system.id"))
    container_id: Mapped[int] = mapped_column(_reference("container.id"), index=True)
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


class Field(Base):
    """A column, or an element of a report. ``kind``: column, star, calculated, or the kind of the element.

    facts: nullable, default, generated, key and the like, where its system tells.
    """

    __tablename__ = "field"
    __table_args__ = (UniqueConstraint("dataset_id", "name"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    dataset_id: Mapped[int] = mapped_column(_reference("dataset.id"))
    name: Mapped[str]
    kind: Mapped[str]
    type: Mapped[str | None]
    ordinal: Mapped[int]
    description: Mapped[str | None]
    facts: Mapped[dict[str, Any]] = mapped_column(server_default=text("'{}'::jsonb"), default=dict)
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
    parent_id: Mapped[int | None] = mapped_column(_reference("job.id"))
    owner: Mapped[str | None]
    schedule: Mapped[str | None]
    first_seen: Mapped[datetime]


class Definition(Base):
    """One version of a text that defines data: a file, a view, a foreign table, an element of a report.

    key: what it is the definition of; at most one version of a key is valid. place: the path or name shown to
    people. first_line: line of the file on which the text begins. template: variables and calls that the text is
    filled in with, none where it is no template. revision, authored_at, author: the commit that gave it this text.
    asked: which tables the last extraction looked up and what it was told, so that it need not be done again while
    the answers stay the same. coverage: how much of it was read, see ``jalan.service.ingest.coverage``.
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
    system_id: Mapped[int] = mapped_column(_reference("system.id"))
    database: Mapped[str]
    dataset_id: Mapped[int | None] = mapped_column(_reference("dataset.id"))
    field_id: Mapped[int | None] = mapped_column(_reference("field.id"))
    job_id: Mapped[int | None] = mapped_column(_reference("job.id"))
    source_id: Mapped[int | None] = mapped_column(_reference("source.id"), index=True)
    revision: Mapped[str | None]
    authored_at: Mapped[datetime | None]
    author: Mapped[str | None]
    asked: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    coverage: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    valid_from: Mapped[datetime]
    valid_to: Mapped[datetime | None]


class Statement(Base):
    """One SQL statement of a definition; start and end are offsets in its text."""

    __tablename__ = "statement"
    __table_args__ = (UniqueConstraint("definition_id", "ordinal"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    definition_id: Mapped[int] = mapped_column(_reference("definition.id"))
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
    source_field_id: Mapped[int] = mapped_column(_reference("field.id"))
    target_dataset_id: Mapped[int] = mapped_column(_reference("dataset.id"))
    target_field_id: Mapped[int | None] = mapped_column(_reference("field.id"))
    kind: Mapped[str]
    how: Mapped[str]
    origin: Mapped[str]
    definition_id: Mapped[int] = mapped_column(_reference("definition.id"))
    statement_id: Mapped[int | None] = mapped_column(_reference("statement.id"))
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
    definition_id: Mapped[int] = mapped_column(_reference("definition.id"))
    code: Mapped[str]
    level: Mapped[str]
    message: Mapped[str]
    hint: Mapped[str]
    start: Mapped[int]
    end: Mapped[int]
    valid_from: Mapped[datetime]
    valid_to: Mapped[datetime | None]


class Source(Base):
    """Something that feeds Jalan: what it is, how to reach it, and how far it has been read.

    secrets: encrypted, see ``jalan.service.ingest.secrets``. schedule: five fields as of cron, none where it is
    ingested when somebody asks. state: what the next ingestion goes on from, by kind.
    """

    __tablename__ = "source"
    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str]
    name: Mapped[str] = mapped_column(unique=True)
    config: Mapped[dict[str, Any]]
    secrets: Mapped[bytes | None]
    schedule: Mapped[str | None]
    state: Mapped[dict[str, Any]] = mapped_column(default=dict)
    created_at: Mapped[datetime]
    created_by: Mapped[str]
    removed_at: Mapped[datetime | None]


class Declaration(Base):
    """What somebody declared on the screen, as the YAML that a file would have. One that was taken back stays."""

    __tablename__ = "declaration"
    id: Mapped[int] = mapped_column(primary_key=True)
    source_id: Mapped[int] = mapped_column(_reference("source.id"), index=True)
    text: Mapped[str]
    declared_at: Mapped[datetime]
    declared_by: Mapped[str]
    taken_back_at: Mapped[datetime | None]
    taken_back_by: Mapped[str | None]


class Ingestion(Base):
    """One ingestion of a source: when, of what, and what it changed. state: running, done, failed or cancelled.

    progress: what is being done, how much of it is done, how much there is. cancel: somebody asked for its end.
    notes: what it did not understand outside of SQL texts. coverage: of the whole source, when it was done.
    """

    __tablename__ = "ingestion"
    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str]
    subject: Mapped[str]
    source_id: Mapped[int | None] = mapped_column(_reference("source.id"), index=True)
    who: Mapped[str] = mapped_column(server_default="", default="")
    state: Mapped[str]
    progress: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    cancel: Mapped[bool] = mapped_column(server_default=text("false"), default=False)
    started_at: Mapped[datetime]
    finished_at: Mapped[datetime | None]
    counts: Mapped[dict[str, Any]]
    notes: Mapped[list[Any]] = mapped_column(server_default=text("'[]'::jsonb"), default=list)
    coverage: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    message: Mapped[str | None]


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
    source_id: Mapped[int | None] = mapped_column(_reference("source.id"))
    who: Mapped[str]
    note: Mapped[str | None]
    valid_from: Mapped[datetime]
    valid_to: Mapped[datetime | None]
    ended_by: Mapped[str | None]


class Claim(Base):
    """What a source says of the columns of a dataset: ``[name, type]`` in order. itself: the source is a scan of
    the very system that has the dataset."""

    __tablename__ = "claim"
    __table_args__ = (
        Index("uq_claim_valid", "dataset_id", "source_id", unique=True, postgresql_where=text("valid_to is null")),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    dataset_id: Mapped[int] = mapped_column(_reference("dataset.id"))
    source_id: Mapped[int] = mapped_column(_reference("source.id"))
    itself: Mapped[bool]
    columns: Mapped[list[Any]]
    valid_from: Mapped[datetime]
    valid_to: Mapped[datetime | None]


class Revision(Base):
    """A commit that changed a definition. key: that of the definition. change: added, changed or removed."""

    __tablename__ = "revision"
    __table_args__ = (UniqueConstraint("key", "revision"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    source_id: Mapped[int] = mapped_column(_reference("source.id"))
    key: Mapped[str]
    revision: Mapped[str]
    change: Mapped[str]
    path: Mapped[str]
    authored_at: Mapped[datetime]
    author: Mapped[str]
    summary: Mapped[str]
    text: Mapped[str | None]


class Query(Base):
    """A query that ran, once a fingerprint; its text and what was read out of it are its definition's."""

    __tablename__ = "query"
    __table_args__ = (UniqueConstraint("source_id", "database", "fingerprint"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    source_id: Mapped[int] = mapped_column(_reference("source.id"))
    definition_id: Mapped[int] = mapped_column(_reference("definition.id"), index=True)
    fingerprint: Mapped[str]
    database: Mapped[str]
    first_at: Mapped[datetime]
    last_at: Mapped[datetime]


class Use(Base):
    """How often somebody ran a query on a day. duration_ms, rows and bytes are sums."""

    __tablename__ = "use"
    __table_args__ = (UniqueConstraint("query_id", "day", "person", "role", "application", name="uq_use"),)
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    query_id: Mapped[int] = mapped_column(_reference("query.id"))
    day: Mapped[date]
    person: Mapped[str]
    role: Mapped[str]
    application: Mapped[str]
    runs: Mapped[int] = mapped_column(BigInteger)
    duration_ms: Mapped[float]
    rows: Mapped[int] = mapped_column(BigInteger)
    bytes: Mapped[int] = mapped_column(BigInteger)


class QueryField(Base):
    """What a query does with a column, or (without field) with a dataset: read, filtered, joined, grouped, sorted,
    or written."""

    __tablename__ = "query_field"
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    query_id: Mapped[int] = mapped_column(_reference("query.id"), index=True)
    dataset_id: Mapped[int] = mapped_column(_reference("dataset.id"), index=True)
    field_id: Mapped[int | None] = mapped_column(_reference("field.id"))
    how: Mapped[str]


class ReportView(Base):
    """How often somebody looked at a report on a day."""

    __tablename__ = "report_view"
    __table_args__ = (UniqueConstraint("dataset_id", "person", "day", name="uq_report_view"),)
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    source_id: Mapped[int] = mapped_column(_reference("source.id"))
    dataset_id: Mapped[int] = mapped_column(_reference("dataset.id"))
    person: Mapped[str]
    day: Mapped[date]
    views: Mapped[int]


class Past(Base):
    """What a row said until it was changed, kept by triggers; see ``jalan.store.past``. row_id: its id."""

    __tablename__ = "past"
    __table_args__ = (
        UniqueConstraint("of_table", "row_id", "valid_to", name="uq_past"),
        Index("ix_past_of_table_valid_to", "of_table", "valid_to"),
    )
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    of_table: Mapped[str]
    row_id: Mapped[int]
    valid_to: Mapped[datetime]
    content: Mapped[dict[str, Any]]
