"""What is loaded, how far it can be trusted, and what needs a look."""

from collections import defaultdict
from typing import Any

import numpy as np
from sqlalchemy import case, func, select
from sqlalchemy.orm import Session

from jalan.catalog.kinds import FLOWING_STATEMENTS, DatasetKind, DefinitionKind
from jalan.graph.columns import VALUE, kinds_of
from jalan.graph.lanes import Pairs
from jalan.service.catalog.answers import Change, Connection, DiagnosticFact, Overview, RecentIngestion, SystemFact
from jalan.service.catalog.listing import listing
from jalan.service.catalog.pages import catalog_rows
from jalan.service.context import Context
from jalan.service.graph_cache.view import GraphView
from jalan.store.lines import line_at
from jalan.store.schema import Definition, Diagnostic, Ingestion, Link, Statement, System

_LISTED = 50
_REPORTS = 60
_READ_OF_EXCERPT = 1000
_CONNECTIONS = 400
_LEVELS = {"error": 0, "warning": 1, "info": 2}


def overview(context: Context) -> Overview:
    """Return the state of everything that has been brought in."""
    view, names, session = context.graph, context.names, context.session
    counted = view.remembered("overview", lambda: _counted(view, session))
    reports = _reports(session, view)
    diagnostic_counts = session.execute(
        select(Diagnostic.level, func.count()).where(Diagnostic.valid_to.is_(None)).group_by(Diagnostic.level)
    ).all()
    return Overview(
        **counted,
        diagnostics=_diagnostics(session),
        diagnostic_counts=dict(diagnostic_counts),
        ingestions=_ingestions(session),
        changes=_changes(session),
        reports=catalog_rows(view, names, reports, {}),
    )


def _counted(view: GraphView, session: Session) -> dict[str, Any]:
    """What is counted over everything: once for each version of the graph."""
    graph = view.graph
    statements = dict(
        session.execute(
            select(Statement.kind, func.count())
            .join(Definition)
            .where(Definition.valid_to.is_(None))
            .group_by(Statement.kind)
        ).all()
    )
    listed = listing(view)
    kinds = session.execute(select(listed.c.kind, func.count()).where(~listed.c.gone).group_by(listed.c.kind)).all()
    traced, traceable = _traced(view)
    values = int(view.pairs.values.sum())
    every = int(view.pairs.links.sum())
    return {
        "systems": _systems(view, session),
        "datasets": dict(kinds),
        "fields": int(graph.column_counts[graph.live_datasets].sum()),
        "placeholders": int(np.count_nonzero(graph.placeholders & graph.live_datasets)),
        "gone": int(np.count_nonzero(graph.known_datasets & ~graph.live_datasets)),
        "links": {"value": values, "condition": every - values},
        "definitions": _definitions(session),
        "statements": sum(statements.values()),
        "statements_followed": sum(n for kind, n in statements.items() if kind in FLOWING_STATEMENTS),
        "columns_traced": traced,
        "columns_traceable": traceable,
        "connections": _connections(view, session),
    }


def _definitions(session: Session) -> int:
    """How many texts hold; of the queries of a history only those that write."""
    linked = select(Link.definition_id).where(Link.valid_to.is_(None))
    query = select(func.count()).where(Definition.valid_to.is_(None))
    texts = session.scalars(query.where(Definition.kind != DefinitionKind.QUERY)).one()
    queries = query.where(Definition.kind == DefinitionKind.QUERY, Definition.id.in_(linked))
    return texts + session.scalars(queries).one()


def _traced(view: GraphView) -> tuple[int, int]:
    """Of the columns of what is written by something we have read: how many have a source for their value."""
    graph = view.graph
    written = np.zeros(graph.datasets, dtype=np.bool_)
    written[view.pairs.targets] = True
    traceable = graph.live_fields & written[graph.field_dataset]
    has_source = np.zeros(graph.fields, dtype=np.bool_)
    for part, alive in zip(graph.parts, graph.alive, strict=True):
        carries = kinds_of(part.links.codes) == VALUE
        has_source[part.links.targets[carries if alive is None else carries & alive]] = True
    return int(np.count_nonzero(has_source & traceable)), int(np.count_nonzero(traceable))


def _systems(view: GraphView, session: Session) -> list[SystemFact]:
    graph, listed = view.graph, listing(view)
    query = select(listed.c.id, listed.c.namespace, listed.c.container, listed.c.state).where(~listed.c.gone)
    mine: dict[str, list[Any]] = defaultdict(list)
    for row in session.execute(query):
        mine[row.namespace].append(row)
    found = []
    for system in session.scalars(select(System).order_by(System.id)):
        rows = mine[system.namespace]
        found.append(
            SystemFact(
                namespace=system.namespace,
                kind=system.kind,
                databases=sorted({row.container.partition(".")[0] for row in rows}),
                datasets=len(rows),
                fields=int(graph.all_counts[view.positions([row.id for row in rows])].sum()),
                placeholders=sum(row.state == "placeholder" for row in rows),
                scanned_at=system.scanned_at,
            )
        )
    return found


def _connections(view: GraphView, session: Session) -> list[Connection]:
    """Schemas of databases, and other systems as a whole, and how many columns pass from one into the next; those
    through which most pass."""
    listed = listing(view)
    place = case((listed.c.system_kind == "postgresql", listed.c.container), else_=listed.c.namespace)
    numbers: dict[str, int] = {}
    where = np.full(view.graph.datasets, -1, dtype=np.int64)
    for id_, name in session.execute(select(listed.c.id, place)):
        position = view.graph.dataset_position(id_)
        if position >= 0:  # it may have come in a moment ago
            where[position] = numbers.setdefault(name, len(numbers))
    names = list(numbers)
    pairs: Pairs = view.pairs
    one, other = where[pairs.sources], where[pairs.targets]
    apart = (one != other) & (one >= 0) & (other >= 0) & (pairs.values > 0)
    keys, inverse = np.unique(one[apart] * max(1, len(names)) + other[apart], return_inverse=True)
    counts = np.bincount(inverse, weights=pairs.values[apart], minlength=len(keys)).astype(np.int64)
    most = np.argsort(-counts, kind="stable")[:_CONNECTIONS]
    found = [(names[k // len(names)], names[k % len(names)], int(counts[n])) for n in most for k in (int(keys[n]),)]
    return [Connection(source=s, target=t, links=n) for s, t, n in sorted(found)]


def _reports(session: Session, view: GraphView) -> list[int]:
    listed = listing(view)
    query = select(listed.c.id).where(listed.c.kind == DatasetKind.REPORT, ~listed.c.gone)
    return list(session.scalars(query.order_by(listed.c.id).limit(_REPORTS)))


def _diagnostics(session: Session) -> list[DiagnosticFact]:
    level = case(_LEVELS, value=Diagnostic.level, else_=len(_LEVELS))
    excerpt = func.substr(
        Definition.text, Diagnostic.start + 1, func.least(Diagnostic.end - Diagnostic.start, 1000)
    )
    query = (
        select(Diagnostic, Definition.place, line_at(Diagnostic.start).label("line"), excerpt.label("excerpt"))
        .join(Definition)
        .where(Diagnostic.valid_to.is_(None), Definition.valid_to.is_(None))
        .order_by(level, Definition.place.collate("C"), Diagnostic.start, Diagnostic.id)
        .limit(_LISTED)
    )
    return [
        DiagnosticFact(
            level=found.level,
            code=found.code,
            message=found.message,
            hint=found.hint,
            place=place,
            line=line,
            excerpt=" ".join(written.split())[:120],
        )
        for found, place, line, written in session.execute(query)
    ]


def _ingestions(session: Session) -> list[RecentIngestion]:
    brought = Ingestion.kind.not_in(("alias", "source"))  # those are what people changed in one step
    query = select(Ingestion).where(brought).order_by(Ingestion.id.desc()).limit(12)
    return [
        RecentIngestion(
            kind=row.kind,
            subject=row.subject,
            state=row.state,
            started_at=row.started_at,
            finished_at=row.finished_at,
            changed=row.counts.get("changed", {}),
            found=row.counts.get("found", {}),
            message=row.message,
        )
        for row in session.scalars(query)
    ]


def _changes(session: Session) -> list[Change]:
    query = select(Definition).where(Definition.version > 1).order_by(Definition.valid_from.desc()).limit(12)
    return [
        Change(place=row.place, kind=row.kind, version=row.version, at=row.valid_from, dataset=row.dataset_id)
        for row in session.scalars(query)
    ]
