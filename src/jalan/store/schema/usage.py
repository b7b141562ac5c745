"""Who runs which queries, and looks at which reports."""

from datetime import date, datetime

from sqlalchemy import BigInteger, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from jalan.store.schema.base import Base, reference


class Query(Base):
    """A query that ran, once a fingerprint; its text and what was read out of it are its definition's."""

    __tablename__ = "query"
    __table_args__ = (UniqueConstraint("source_id", "database", "fingerprint"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    source_id: Mapped[int] = mapped_column(reference("source.id"))
    definition_id: Mapped[int] = mapped_column(reference("definition.id"), index=True)
    fingerprint: Mapped[str]
    database: Mapped[str]
    first_at: Mapped[datetime]
    last_at: Mapped[datetime]


class Use(Base):
    """How often somebody ran a query on a day. duration_ms, rows and bytes are sums."""

    __tablename__ = "use"
    __table_args__ = (UniqueConstraint("query_id", "day", "person", "role", "application", name="uq_use"),)
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    query_id: Mapped[int] = mapped_column(reference("query.id"))
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
    query_id: Mapped[int] = mapped_column(reference("query.id"), index=True)
    dataset_id: Mapped[int] = mapped_column(reference("dataset.id"), index=True)
    field_id: Mapped[int | None] = mapped_column(reference("field.id"))
    how: Mapped[str]


class ReportView(Base):
    """How often somebody looked at a report on a day."""

    __tablename__ = "report_view"
    __table_args__ = (UniqueConstraint("dataset_id", "person", "day", name="uq_report_view"),)
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    source_id: Mapped[int] = mapped_column(reference("source.id"))
    dataset_id: Mapped[int] = mapped_column(reference("dataset.id"))
    person: Mapped[str]
    day: Mapped[date]
    views: Mapped[int]
