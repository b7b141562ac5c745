"""Changes that people keep."""

from datetime import datetime
from typing import Any

from sqlalchemy import Text
from sqlalchemy.orm import Mapped, mapped_column

from jalan.store.schema.base import Base


class KeptChange(Base):
    """A change that is kept under a name, to be looked at again.

    state: proposed, reviewed, done or dropped. sql, stopped, edits, late, delivers: what would change, see
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
    outcome: Mapped[list[Any]]
    refused: Mapped[str | None] = mapped_column(Text)
    at: Mapped[datetime]
    changed_by: Mapped[str]
