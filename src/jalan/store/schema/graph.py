"""What keeps graphs in step with the store."""

from typing import Any

from sqlalchemy import text
from sqlalchemy.orm import Mapped, mapped_column
from sqlalchemy.types import UserDefinedType

from jalan.store.schema.base import Base


class TransactionId(UserDefinedType[str]):
    """The number of a transaction, PostgreSQL's ``xid8``. The store writes it itself."""

    cache_ok = True

    def get_col_spec(self, **_: Any) -> str:
        """Its name in the store."""
        return "xid8"


OF_TRANSACTION = text("pg_current_xact_id()")


def changed_column() -> Mapped[str]:
    """A column with the transaction that gave a row what the graph has of it; the store's triggers keep it."""
    return mapped_column(TransactionId, server_default=OF_TRANSACTION, index=True, nullable=False)


class GraphVersion(Base):
    """One transaction that changed the graph. How many there are is the version of the graph."""

    __tablename__ = "graph_version"
    xact: Mapped[str] = mapped_column(TransactionId, primary_key=True, server_default=OF_TRANSACTION)
