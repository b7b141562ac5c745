"""What an ingestion works with: the source, its log, and one transaction to write in."""

from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from jalan.service.ingest.coverage import Coverage
from jalan.service.ingest.log import IngestionLog, Outcome
from jalan.service.ingest.relink import relink
from jalan.sources.allowed import Allowed
from jalan.store.past import say_when
from jalan.store.repositories.catalog import CatalogueWriter
from jalan.store.repositories.definitions import DefinitionWriter
from jalan.store.schema import Definition, Source, System


class UnitOfWork:
    """One ingestion of one source. ``state`` is what the last ingestion left for this one; ``totals`` count what
    was found; ``allowed`` is what it may read and reach; ``at`` is from when on what is told holds, none for now.

    All is written in one transaction: half an ingestion leaves nothing.
    """

    def __init__(self, log: IngestionLog, source: Source, allowed: Allowed, at: datetime | None = None) -> None:
        self._at = at
        self.log = log
        self.source = source
        self.allowed = allowed
        self.state: Mapping[str, Any] = dict(source.state)
        self._left: dict[str, Any] = {}
        self._settled: dict[str, Any] | None = None
        self.catalogue: CatalogueWriter
        self.definitions: DefinitionWriter
        self.session: Session
        self.totals: dict[str, int] = {}
        self.outcome: Outcome | None = None

    def tell(self, what: str, done: int, total: int) -> None:
        """Say how far the ingestion is. Raises Cancelled once somebody asked for the end."""
        self.log.tell(what, done, total)

    def leave(self, key: str, value: Any) -> None:
        """Leave something in the state for the next ingestion; it is kept if this one succeeds."""
        self._left[key] = value

    def settle(self, config: dict[str, Any]) -> None:
        """Say which configuration, without secrets, the source has once this ingestion has succeeded."""
        self._settled = config

    def relink(self, system: System, database: str) -> None:
        """Read the definitions of a database with the tables that are known now."""
        relink(self.catalogue, self.definitions, system, database, self.tell)

    @contextmanager
    def writing(self) -> Iterator[tuple[CatalogueWriter, DefinitionWriter]]:
        """Open the one transaction that the ingestion writes in; it is committed at the end, with the log."""
        with Session(self.log.engine, expire_on_commit=False) as session, session.begin():
            self.log.take_lock(session)
            self.session = session
            now = self._at or datetime.now(UTC)
            say_when(session, now)
            self.catalogue = CatalogueWriter(session, now, self.source.id)
            self.definitions = DefinitionWriter(self.catalogue)
            yield self.catalogue, self.definitions
            self.definitions.flush(finally_=True)
            self._finish(session)

    def _finish(self, session: Session) -> None:
        source = session.get_one(Source, self.source.id)
        state = {**source.state, **self._left}
        if source.state != state:
            source.state = state
        if self._settled is not None:
            source.removed_at = None
            if source.config != self._settled:
                source.config = self._settled
        self.outcome = Outcome(source.name, dict(self.catalogue.changes), self.totals, list(self.log.notes))
        coverage = coverage_of_sources(session, [source.id]).get(source.id, Coverage())
        self.log.finish(session, self.outcome, coverage.model_dump())


def coverage_of_sources(session: Session, ids: list[int]) -> dict[int | None, Coverage]:
    """Return how much of the texts that sources have brought was read, for those that have brought any."""
    names = list(Coverage.model_fields)
    sums = [func.coalesce(func.sum(Definition.coverage[name].as_integer()), 0) for name in names]
    query = select(Definition.source_id, *sums).where(Definition.source_id.in_(ids), Definition.valid_to.is_(None))
    found = session.execute(query.group_by(Definition.source_id))
    return {id_: Coverage(**dict(zip(names, counts, strict=True))) for id_, *counts in found}
