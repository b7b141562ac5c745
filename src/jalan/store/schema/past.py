"""What rows said before they were changed."""

from datetime import datetime
from typing import Any

from sqlalchemy import BigInteger, Index, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from jalan.store.schema.base import Base


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
