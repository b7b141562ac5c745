"""What is loaded, how far it can be trusted, and what needs a look."""

from collections import Counter

import numpy as np
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from jalan.catalog.kinds import FLOWING_STATEMENTS, DatasetKind
from jalan.graph.dependencies import VALUE
from jalan.service.catalog.answers import Change, Connection, DiagnosticFact, Overview, RecentIngestion, SystemFact
from jalan.service.catalog.pages import catalog_row
from jalan.service.context import Context
from jalan.service.graph_cache.snapshot import Snapshot
from jalan.store.schema import Definition, Diagnostic, Ingestion, Statement, System

_LISTED = 50
_LEVELS = {"error": 0, "warning": 1, "info": 2}


def overview(context: Context) -> Overview:
    """Return the state of everything that has been brought in."""
    snapshot, session = context.graph, context.session
    graph = snapshot.graph
    live = [d for d in snapshot.datasets if d.gone_since is None]
    reports = [i for i, d in enumerate(snapshot.datasets) if d.kind == DatasetKind.REPORT and d.gone_since is None]
    statements = dict(
        session.execute(
            select(Statement.kind, func.count())
            .join(Definition)
            .where(Definition.valid_to.is_(None))
            .group_by(Statement.kind)
        ).all()
    )
    traced, traceable = _traced(snapshot)
    diagnostics = _diagnostics(session)
    counted = session.execute(
        select(Diagnostic.level, func.count()).where(Diagnostic.valid_to.is_(None)).group_by(Diagnostic.level)
    ).all()
    return Overview(
        systems=_systems(snapshot, session),
        datasets=dict(Counter(d.kind for d in live)),
        fields=sum(snapshot.fields[f].gone_since is None for d in live for f in d.fields),
        placeholders=sum(d.placeholder for d in live),
        gone=len(snapshot.datasets) - len(live),
        links={
            "value": int(np.count_nonzero(graph.kinds == VALUE)),
            "condition": int(np.count_nonzero(graph.kinds != VALUE)),
        },
        definitions=len(snapshot.definitions),
        statements=sum(statements.values()),
        statements_followed=sum(count for kind, count in statements.items() if kind in FLOWING_STATEMENTS),
        columns_traced=traced,
        columns_traceable=traceable,
        diagnostics=diagnostics,
        diagnostic_counts=dict(counted),
        connections=_connections(snapshot),
        ingestions=_ingestions(session),
        changes=_changes(session),
        reports=[catalog_row(snapshot, i, None) for i in reports],
    )


def _traced(snapshot: Snapshot) -> tuple[int, int]:
    """Of the columns of what is written by something we have read: how many have a source for their value."""
    graph = snapshot.graph
    written = np.zeros(graph.datasets, dtype=np.bool_)
    written[graph.dataset_ends[1]] = True
    has_source = np.zeros(graph.fields, dtype=np.bool_)
    has_source[graph.targets[graph.kinds == VALUE]] = True
    traceable = [i for i, f in enumerate(snapshot.fields) if written[f.dataset] and f.gone_since is None]
    return int(np.count_nonzero(has_source[traceable])) if traceable else 0, len(traceable)


def _systems(snapshot: Snapshot, session: Session) -> list[SystemFact]:
    found = []
    for system in session.scalars(select(System).order_by(System.id)):
        mine = [d for d in snapshot.datasets if d.namespace == system.namespace and d.gone_since is None]
        found.append(
            SystemFact(
                namespace=system.namespace,
                kind=system.kind,
                databases=sorted({d.container.partition(".")[0] for d in mine}),
                datasets=len(mine),
                fields=sum(len(d.fields) for d in mine),
                placeholders=sum(d.placeholder for d in mine),
                scanned_at=system.scanned_at,
            )
        )
    return found


def _connections(snapshot: Snapshot) -> list[Connection]:
    """Schemas of databases, and other systems as a whole, and how many columns pass from one into the next."""
    graph = snapshot.graph
    places = [d.container if d.system == "postgresql" else d.namespace for d in snapshot.datasets]
    values = graph.kinds == VALUE
    sources, targets = (ends[values].tolist() for ends in graph.dataset_ends)
    counted = Counter(
        (places[s], places[t]) for s, t in zip(sources, targets, strict=True) if places[s] != places[t]
    )
    return [Connection(source=s, target=t, links=n) for (s, t), n in sorted(counted.items())]


def _diagnostics(session: Session) -> list[DiagnosticFact]:
    query = (
        select(Diagnostic, Definition)
        .join(Definition)
        .where(Diagnostic.valid_to.is_(None), Definition.valid_to.is_(None))
    )
    rows = sorted(session.execute(query), key=lambda row: (_LEVELS[row[0].level], row[1].place, row[0].start))
    return [
        DiagnosticFact(
            level=found.level,
            code=found.code,
            message=found.message,
            hint=found.hint,
            place=definition.place,
            line=definition.first_line + definition.text.count("\n", 0, found.start),
            excerpt=" ".join(definition.text[found.start : found.end].split())[:120],
        )
        for found, definition in rows[:_LISTED]
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
