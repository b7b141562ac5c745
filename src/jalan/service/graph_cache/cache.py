"""The graph of now, kept until something has been brought in."""

from datetime import datetime
from threading import Lock

from sqlalchemy import Engine, func, select
from sqlalchemy.orm import Session

from jalan.service.graph_cache.snapshot import Snapshot
from jalan.store.schema import Ingestion


class SnapshotCache:
    """Keeps the snapshot of now, and builds those of the past on demand. Safe for several threads."""

    def __init__(self, engine: Engine) -> None:
        self.engine = engine
        self._lock = Lock()
        self._version: int | None = None
        self._current: Snapshot | None = None

    def get(self, as_of: datetime | None = None) -> Snapshot:
        """Return the graph as it is, or as it was at a time."""
        with Session(self.engine) as session:
            if as_of is not None:
                return Snapshot(session, as_of)
            with self._lock:
                # What an ingestion did becomes visible together with its state, so its id tells what is new.
                query = select(func.count()).select_from(Ingestion).where(Ingestion.state == "done")
                version = session.scalars(query).one()
                if self._current is None or version != self._version:
                    self._current = Snapshot(session, None)
                    self._version = version
                return self._current
