"""The graph of now, kept in step with the store by what has changed in it; and those of times that were asked for.

Nothing is built while somebody waits: a new moment is made beside the one that questions are answered from, and
put in its place. Who does not ``follow`` the store (a command, a test) looks for changes with each question.
"""

import contextlib
import threading
from collections import OrderedDict
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime

import numpy as np
import psycopg
import structlog
from sqlalchemy import Engine
from sqlalchemy.orm import Session

from jalan.catalog.aliases import AliasMap
from jalan.catalog.kinds import DatasetKind, FieldKind
from jalan.collecting import seldom_collecting
from jalan.graph.columns import DATASET_ROW, FIELD_ROW, FOREVER, PLACEHOLDER, REPORT, STAR, Joined, Rows
from jalan.graph.lanes import pairs_of
from jalan.graph.timeline import NO_LINKS, Difference, Timeline, timeline_of
from jalan.service.graph_cache.view import GraphView
from jalan.store.database import plain_address
from jalan.store.past import said_then
from jalan.store.repositories import graph_rows
from jalan.store.repositories.aliases import alias_map
from jalan.store.repositories.graph_rows import Token, moment
from jalan.store.repositories.joined import joined
from jalan.store.schema import Dataset, Field

_TIMES = 4  # moments of the past that are kept
_LOOK_EVERY = 5.0  # seconds, should a notice get lost
_AGAIN_AFTER = 1.0  # seconds
log = structlog.get_logger("jalan.graph")


class GraphCache:
    """Keeps the graph of a store. Safe for several threads."""

    def __init__(self, engine: Engine) -> None:
        self.engine = engine
        self._lock = threading.Lock()
        self._timeline: Timeline | None = None
        self._token: Token | None = None
        self._aliases = AliasMap()
        self._now: GraphView | None = None
        self._then: OrderedDict[tuple[datetime, int], GraphView] = OrderedDict()
        self._end = threading.Event()
        self._follower: threading.Thread | None = None

    def get(self, as_of: datetime | None = None) -> GraphView:
        """Return the graph as it is, or as it was at a time."""
        now = self._now
        if now is None or self._follower is None:
            now = self.catch_up()
        return now if as_of is None else self._at(as_of, now)

    # --- now -----------------------------------------------------------------------------------------

    def catch_up(self) -> GraphView:
        """See all that is committed by now; return the graph with it. Cost: what has changed."""
        with self._lock:
            if self._timeline is None or self._token is None:
                return self._load()
            with _reading(self.engine) as connection:
                token = graph_rows.since(connection, self._token)
                if token is None:
                    assert self._now is not None
                    return self._now
                return self._step(connection, self._token, token, self._timeline)

    def _load(self) -> GraphView:
        with _reading(self.engine) as connection, seldom_collecting:
            token = graph_rows.begin(connection)
            datasets, fields = graph_rows.datasets(connection), graph_rows.fields(connection)
            found = self._joined()
            self._timeline = timeline_of(datasets, fields, graph_rows.links(connection), found)
        return self._show(token)

    def _step(self, connection: psycopg.Connection, before: Token, token: Token, timeline: Timeline) -> GraphView:
        datasets, fields = graph_rows.datasets(connection, before), graph_rows.fields(connection, before)
        links = [NO_LINKS, *graph_rows.links(connection, before)]
        others: Joined | None = None
        if graph_rows.aliases_changed(connection, before) or (
            self._aliases.pairs() and (len(datasets) or len(fields))
        ):
            others = self._joined()
        self._timeline = timeline.after(Difference(datasets, fields, np.concatenate(links), others))
        found = self._show(token)
        if self._timeline.wants_folding:
            self._timeline = self._timeline.folded()
            found = self._show(token)
        return found

    def _joined(self) -> Joined:
        # Read a moment later than the rest: what was joined meanwhile is joined again at the next step.
        with Session(self.engine) as session:
            self._aliases = alias_map(session)
            return joined(session, self._aliases)

    def _show(self, token: Token) -> GraphView:
        assert self._timeline is not None
        self._token = token
        self._now = GraphView(self._timeline.now, self._timeline.pairs, self._aliases, token.version)
        return self._now

    # --- the past ------------------------------------------------------------------------------------

    def _at(self, as_of: datetime, now: GraphView) -> GraphView:
        key = (as_of, now.version)
        found = self._then.get(key)
        if found is not None:
            return found
        timeline = self._timeline
        assert timeline is not None
        with Session(self.engine) as session:
            aliases = alias_map(session, as_of)
            datasets = _datasets_then(session, as_of)
            fields = _fields_then(session, as_of)
            others = joined(session, aliases, as_of)
        graph = timeline.at(moment(as_of), others, datasets, fields)
        found = GraphView(graph, pairs_of(graph, graph.every_link()), aliases, now.version, as_of)
        with self._lock:
            self._then[key] = found
            while len(self._then) > _TIMES:
                self._then.popitem(last=False)
        return found

    # --- following -----------------------------------------------------------------------------------

    def follow(self) -> None:
        """Begin to follow the store, in a thread of its own; ``close`` ends it."""
        self._follower = threading.Thread(target=self._follow, name="graph", daemon=True)
        self._follower.start()

    def close(self) -> None:
        """End following."""
        self._end.set()
        if self._follower is not None:
            self._follower.join(timeout=_LOOK_EVERY)
            self._follower = None

    def _follow(self) -> None:
        while not self._end.is_set():
            try:
                self._listen()
            except Exception as error:
                # A store that is away now may be back the next time.
                log.error("graph not in step", reason=type(error).__name__)
                self._end.wait(_AGAIN_AFTER)

    def _listen(self) -> None:
        url = plain_address(self.engine)
        with psycopg.connect(url, autocommit=True) as connection:
            connection.execute("listen jalan_graph")
            self.catch_up()
            waited = 0.0
            while not self._end.is_set():
                told = list(connection.notifies(timeout=0.5, stop_after=1))
                waited += 0.5
                if told or waited >= _LOOK_EVERY:
                    waited = 0.0
                    self.catch_up()


@contextmanager
def _reading(engine: Engine) -> Iterator[psycopg.Connection]:
    """A connection on which transactions are begun by hand."""
    with engine.connect() as pooled:
        connection = pooled.connection.driver_connection
        assert isinstance(connection, psycopg.Connection)
        connection.autocommit = True
        try:
            yield connection
        finally:
            with contextlib.suppress(psycopg.Error):
                connection.execute("rollback")
                connection.autocommit = False


def _datasets_then(session: Session, at: datetime) -> Rows:
    """What datasets said at a time, of those that say something else by now."""
    found = said_then(session, Dataset, at)
    rows = np.zeros(len(found), dtype=DATASET_ROW)
    for n, (id_, content) in enumerate(found.items()):
        flags = REPORT * (content["kind"] == DatasetKind.REPORT) | PLACEHOLDER * content["placeholder"]
        rows[n] = (id_, flags, _moment(content["first_seen"]), _moment(content["gone_since"]))
    return rows


def _fields_then(session: Session, at: datetime) -> Rows:
    found = said_then(session, Field, at)
    rows = np.zeros(len(found), dtype=FIELD_ROW)
    for n, (id_, content) in enumerate(found.items()):
        flags = STAR * (content["kind"] == FieldKind.STAR) | PLACEHOLDER * content["placeholder"]
        gone = _moment(content["gone_since"])
        rows[n] = (id_, content["dataset_id"], flags, _moment(content["first_seen"]), gone)
    return rows


def _moment(written: str | None) -> int:
    return FOREVER if written is None else moment(datetime.fromisoformat(written))
