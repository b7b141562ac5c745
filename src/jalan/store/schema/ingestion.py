"""What feeds Jalan, and what each source says."""

from datetime import datetime
from typing import Any

from sqlalchemy import Index, text
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from jalan.store.schema.base import Base, reference


class Source(Base):
    """Something that feeds Jalan: what it is, how to reach it, and how far it has been read.

    secrets: encrypted, see ``jalan.service.ingest.secrets``.
    schedule: five fields as of cron, none where it is ingested when somebody asks.
    state: what the next ingestion goes on from, by kind.
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
    source_id: Mapped[int] = mapped_column(reference("source.id"), index=True)
    text: Mapped[str]
    declared_at: Mapped[datetime]
    declared_by: Mapped[str]
    taken_back_at: Mapped[datetime | None]
    taken_back_by: Mapped[str | None]


class Ingestion(Base):
    """One ingestion of a source: when, of what, and what it changed. state: running, done, failed or cancelled.

    progress: what is being done, how much of it is done, how much there is.
    cancel: somebody asked for its end.
    notes: what it did not understand outside of SQL texts.
    coverage: of the whole source, when it was done.
    """

    __tablename__ = "ingestion"
    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str]
    subject: Mapped[str]
    source_id: Mapped[int | None] = mapped_column(reference("source.id"), index=True)
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


class Claim(Base):
    """What a source says of the columns of a dataset: ``[name, type]`` in order. itself: the source is a scan of
    the very system that has the dataset."""

    __tablename__ = "claim"
    __table_args__ = (
        Index("uq_claim_valid", "dataset_id", "source_id", unique=True, postgresql_where=text("valid_to is null")),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    dataset_id: Mapped[int] = mapped_column(reference("dataset.id"))
    source_id: Mapped[int] = mapped_column(reference("source.id"))
    itself: Mapped[bool]
    columns: Mapped[list[Any]]
    valid_from: Mapped[datetime]
    valid_to: Mapped[datetime | None]
