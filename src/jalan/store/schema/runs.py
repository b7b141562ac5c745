"""Events as they were received, and the runs that they add up to."""

from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import BigInteger, Index, LargeBinary, PrimaryKeyConstraint, Text, UniqueConstraint, text
from sqlalchemy.orm import Mapped, mapped_column

from jalan.store.schema.base import Base, reference


class EventRow(Base):
    """An event as it was received. Partitioned by the month of its time.

    digest: of its content: the same content again is the same event. type: see ``jalan.runs.events``.
    name: of the job, or of the dataset that an event about a dataset is about. raw: the very text.
    """

    __tablename__ = "event"
    __table_args__ = (
        PrimaryKeyConstraint("at", "digest"),
        Index("ix_event_run", "run", "at", postgresql_where=text("run is not null")),
        Index("ix_event_name", "namespace", "name", "at"),
        {"postgresql_partition_by": "RANGE (at)"},
    )
    at: Mapped[datetime]
    digest: Mapped[bytes] = mapped_column(LargeBinary)
    received_at: Mapped[datetime] = mapped_column(server_default=text("now()"))
    type: Mapped[str]
    run: Mapped[UUID | None]
    namespace: Mapped[str]
    name: Mapped[str]
    raw: Mapped[str] = mapped_column(Text)


class EventWaiting(Base):
    """An event that was received and is not yet taken into its run."""

    __tablename__ = "event_waiting"
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    at: Mapped[datetime]
    digest: Mapped[bytes] = mapped_column(LargeBinary)


class EventRefused(Base):
    """An event that was received and could not be taken into its run; ``why`` says so."""

    __tablename__ = "event_refused"
    __table_args__ = (PrimaryKeyConstraint("at", "digest"),)
    at: Mapped[datetime]
    digest: Mapped[bytes] = mapped_column(LargeBinary)
    why: Mapped[str]


class DatasetName(Base):
    """A name by which events speak of a dataset.

    dataset_id: the dataset, once that is known. facets: what events have said of it, see ``jalan.runs.fold``.
    untold: some of it is not in the catalogue yet.
    """

    __tablename__ = "dataset_name"
    __table_args__ = (
        UniqueConstraint("namespace", "name"),
        Index("ix_dataset_name_untold", "id", postgresql_where=text("untold")),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    namespace: Mapped[str]
    name: Mapped[str]
    dataset_id: Mapped[int | None] = mapped_column(reference("dataset.id"), index=True)
    facets: Mapped[dict[str, Any]] = mapped_column(server_default=text("'{}'::jsonb"), default=dict)
    untold: Mapped[bool] = mapped_column(server_default=text("true"))


class Run(Base):
    """A run of a job: the state that its events add up to.

    run_id: by which producers know it. A run that so far only others have spoken of has no events.
    parent, root: the run that called it, and the one on top of all, by their ``run_id``. root_job_id: its own job
    where nobody called it.
    took: seconds. rows, bytes: written, where it says. code, version: words for the code and the version of the
    job, see ``jalan.runs.versions``. words: what it is found by. fold: see ``jalan.runs.fold``.
    """

    __tablename__ = "run"
    __table_args__ = (
        Index("ix_run_started", text("started_at desc"), text("id desc"), postgresql_include=["state", "events"]),
        Index("ix_run_job_started", "job_id", text("started_at desc")),
        Index("ix_run_state_started", "state", text("started_at desc")),
        Index("ix_run_version", "job_id", "version", "started_at", postgresql_where=text("version is not null")),
        Index("ix_run_parent", "parent", postgresql_where=text("parent is not null")),
        Index("ix_run_parent_job", "parent_job_id", "job_id"),
        Index("ix_run_words", "words", postgresql_using="gin", postgresql_ops={"words": "gin_trgm_ops"}),
    )
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    run_id: Mapped[UUID] = mapped_column(unique=True)
    job_id: Mapped[int] = mapped_column(reference("job.id"))
    parent: Mapped[UUID | None]
    root: Mapped[UUID | None]
    parent_job_id: Mapped[int | None] = mapped_column(reference("job.id"))
    root_job_id: Mapped[int] = mapped_column(reference("job.id"))
    state: Mapped[str]
    started_at: Mapped[datetime]
    ended_at: Mapped[datetime | None]
    last_at: Mapped[datetime]
    nominal_at: Mapped[datetime | None]
    took: Mapped[float | None]
    rows: Mapped[int | None] = mapped_column(BigInteger)
    bytes: Mapped[int | None] = mapped_column(BigInteger)
    message: Mapped[str]
    who: Mapped[str]
    code: Mapped[str]
    version: Mapped[str | None]
    events: Mapped[int]
    words: Mapped[str]
    fold: Mapped[dict[str, Any]]


class RunDataset(Base):
    """A dataset that a run has read or written. side: ``in`` or ``out``. version: as the producer names it."""

    __tablename__ = "run_dataset"
    __table_args__ = (
        PrimaryKeyConstraint("run", "side", "name_id"),
        Index("ix_run_dataset_name", "name_id", "side", text("run desc")),
    )
    run: Mapped[int] = mapped_column(BigInteger, reference("run.id"))
    side: Mapped[str]
    name_id: Mapped[int] = mapped_column(reference("dataset_name.id"))
    rows: Mapped[int | None] = mapped_column(BigInteger)
    bytes: Mapped[int | None] = mapped_column(BigInteger)
    version: Mapped[str]


class JobVersion(Base):
    """A version of a job, see ``jalan.runs.versions``. inputs, outputs: (namespace, name) each."""

    __tablename__ = "job_version"
    __table_args__ = (UniqueConstraint("job_id", "digest"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    job_id: Mapped[int] = mapped_column(reference("job.id"))
    digest: Mapped[str]
    code_digest: Mapped[str]
    kind: Mapped[str]
    text: Mapped[str] = mapped_column(Text)
    dialect: Mapped[str]
    place: Mapped[str]
    revision: Mapped[str]
    inputs: Mapped[list[Any]]
    outputs: Mapped[list[Any]]


class RunVersion(Base):
    """A version that a job has become while a run went on. since: when the run became it. Of runs that have been
    one version all the time there is none: ``Run.version`` is all there is to say."""

    __tablename__ = "run_version"
    __table_args__ = (
        PrimaryKeyConstraint("run", "digest"),
        Index("ix_run_version_job", "job_id", "digest", "since"),
    )
    run: Mapped[int] = mapped_column(BigInteger, reference("run.id"))
    job_id: Mapped[int] = mapped_column(reference("job.id"))
    digest: Mapped[str]
    since: Mapped[datetime]


class KeptSearch(Base):
    """A search of runs that somebody keeps under a name."""

    __tablename__ = "kept_search"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    query: Mapped[dict[str, Any]]
    who: Mapped[str]
    kept_at: Mapped[datetime]
