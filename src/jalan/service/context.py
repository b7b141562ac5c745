"""Who asks for something, and of which store: what every use-case is given."""

from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime
from functools import cached_property
from types import TracebackType
from typing import Self

from sqlalchemy import Engine
from sqlalchemy.orm import Session

from jalan.service.graph_cache.cache import GraphCache
from jalan.service.graph_cache.names import Names
from jalan.service.graph_cache.view import GraphView


class Context:
    """One request, command or piece of background work.

    engine: the store.
    who: the person, or what stands for one; every change says who made it.
    as_of: the time that is asked about; none for now. session: for reading, opened when it is first asked for;
        ``close`` ends it. Use-cases that change something do so in a transaction of their own. graph: the graph
        as it is, or was at ``as_of``.
    """

    def __init__(
        self, engine: Engine, who: str, *, as_of: datetime | None = None, cache: GraphCache | None = None
    ) -> None:
        self.engine = engine
        self.who = who
        self.as_of = as_of
        self._cache = cache
        self._session: Session | None = None

    def at(self, as_of: datetime | None) -> "Context":
        """Return who asks, at another time. It is to be closed like any other."""
        return Context(self.engine, self.who, as_of=as_of, cache=self._cache)

    @property
    def session(self) -> Session:
        """A session for reading."""
        if self._session is None:
            # Without a transaction: what only reads holds nobody up, however long it is kept open.
            self._session = Session(self.engine.execution_options(isolation_level="AUTOCOMMIT"))
        return self._session

    @cached_property
    def graph(self) -> GraphView:
        """The graph that is asked about."""
        return (self._cache or GraphCache(self.engine)).get(self.as_of)

    @cached_property
    def names(self) -> Names:
        """What is shown of the things in the graph."""
        return Names(self.session, self.graph)

    @contextmanager
    def changing(self) -> Iterator[Session]:
        """Change something in one transaction; who asks sees it afterwards."""
        with Session(self.engine) as session, session.begin():
            yield session
        self.see_changes()

    def see_changes(self) -> None:
        """Wait until the shared graph has what was just changed, so that who changed it is shown it."""
        if self._cache is not None:
            self._cache.catch_up()

    def close(self) -> None:
        """Give the session back."""
        if self._session is not None:
            self._session.close()
            self._session = None

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()
