"""Changes that people keep."""

from datetime import datetime
from typing import Any

from sqlalchemy import ForeignKey, Text
from sqlalchemy.orm import Mapped, mapped_column

from jalan.store.schema.base import Base, reference


class KeptChange(Base):
    """A change that is kept under a name, to be looked at again.

    state: proposed, reviewed, done or dropped. sql, stopped, edits, late, delivers, dialect: what would change, see
    ``service.change.proposed``. outcome: what became of what, as (kind, subject), at the time ``at``, when it was
    kept or last settled; refused: why the database would not have made it then.
    """

    __tablename__ = "kept_change"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    who: Mapped[str]
    state: Mapped[str]
    kept_at: Mapped[datetime]
    database: Mapped[str]
    sql: Mapped[str] = mapped_column(Text)
    stopped: Mapped[list[Any]]
    edits: Mapped[dict[str, Any]]
    late: Mapped[list[Any]]
    delivers: Mapped[list[Any]]
    dialect: Mapped[str | None]
    outcome: Mapped[list[Any]]
    refused: Mapped[str | None] = mapped_column(Text)
    at: Mapped[datetime]
    changed_by: Mapped[str]


class Baseline(Base):
    """The state of all texts that are run over a database, and asked, under a name.

    at: they are what they were at that time, but for those that were taken over since: see ``BaselineText``.
    protected: taking something over is to be confirmed.
    """

    __tablename__ = "baseline"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    system_id: Mapped[int] = mapped_column(reference("system.id"))
    database: Mapped[str]
    at: Mapped[datetime]
    protected: Mapped[bool]
    made_at: Mapped[datetime]
    made_by: Mapped[str]


class BaselineText(Base):
    """A text that was taken over into a baseline; the last one of a key counts, those before stay to be looked at.

    key: of the definition, or the place of one that is none yet. text: none where it is not run any more. source:
    where it was taken from, in words.
    """

    __tablename__ = "baseline_text"
    id: Mapped[int] = mapped_column(primary_key=True)
    baseline_id: Mapped[int] = mapped_column(ForeignKey("baseline.id", ondelete="CASCADE"), index=True)
    key: Mapped[str]
    place: Mapped[str]
    text: Mapped[str | None] = mapped_column(Text)
    taken_at: Mapped[datetime]
    who: Mapped[str]
    source: Mapped[str]
