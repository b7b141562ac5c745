"""One asset with all that is known of it."""

import numpy as np
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from jalan.catalog.kinds import DatasetKind, FieldKind
from jalan.graph.spread import Ints
from jalan.service.catalog import provenance
from jalan.service.catalog.answers import (
    ColumnFact,
    DatasetFacts,
)
from jalan.service.context import Context
from jalan.service.graph_cache.lookups import dataset_position
from jalan.service.graph_cache.snapshot import Snapshot
from jalan.service.lineage.briefs import definition_fact, field_brief, field_counts
from jalan.service.usage.uses import uses
from jalan.store.schema import Diagnostic
from jalan.store.validity import valid_at


def facts(context: Context, dataset_id: int) -> DatasetFacts:
    """Return everything known about a dataset."""
    snapshot, session = context.graph, context.session
    dataset = dataset_position(snapshot, dataset_id)
    info = snapshot.datasets[dataset]
    graph = snapshot.graph
    counts = field_counts(snapshot)
    upstream, downstream = graph.hops(dataset)
    reports = [
        d for d in np.flatnonzero(downstream > 0).tolist() if snapshot.datasets[d].kind == DatasetKind.REPORT
    ]
    writing = _definitions_of(snapshot, dataset)
    return DatasetFacts(
        id=info.id,
        name=info.name,
        title=info.title,
        kind=info.kind,
        system=info.system,
        namespace=info.namespace,
        container=info.container,
        description=info.description,
        owner=info.owner,
        address=info.address,
        rows=info.rows,
        placeholder=info.placeholder,
        gone_since=info.gone_since,
        first_seen=info.first_seen,
        scanned_at=info.scanned_at,
        feeds_itself=graph.feeds_itself(dataset),
        columns=[
            ColumnFact(
                **field_brief(snapshot, f, counts).model_dump(),
                description=snapshot.fields[f].description,
                reports=_reports_of_field(snapshot, f),
                facts=snapshot.fields[f].facts,
            )
            for f in info.fields
            if snapshot.fields[f].gone_since is None and not _is_idle_star(snapshot, f, counts)
        ],
        written_by=[definition_fact(snapshot.definitions[d]) for d in writing],
        upstream=int(np.count_nonzero(upstream > 0)),
        downstream=int(np.count_nonzero(downstream > 0)) - len(reports),
        reports=sorted(snapshot.datasets[d].title for d in reports),
        unread=_unread(session, snapshot, writing),
        bytes=info.bytes,
        details=info.facts,
        known_as=provenance.aliases(session, info, snapshot.as_of),
        conflicts=provenance.conflicts(session, info, snapshot.as_of),
        points=provenance.points(session, snapshot, writing),
        uses=uses(session, info, snapshot.as_of),
    )


def _is_idle_star(snapshot: Snapshot, field: int, counts: tuple[Ints, Ints]) -> bool:
    """Whether a field stands for all columns and no link needs it any more: the columns are known now."""
    return snapshot.fields[field].kind == FieldKind.STAR and not counts[0][field] and not counts[1][field]


def _definitions_of(snapshot: Snapshot, dataset: int) -> list[int]:
    graph = snapshot.graph
    links = np.flatnonzero(graph.dataset_ends[1] == dataset).tolist()
    found = dict.fromkeys(snapshot.links[link].definition for link in links)
    return sorted(found, key=lambda d: (snapshot.definitions[d].kind, snapshot.definitions[d].place))


def _reports_of_field(snapshot: Snapshot, field: int) -> int:
    carried = snapshot.graph.carriers(np.array([field]))
    reached = np.flatnonzero(carried.distance[: snapshot.graph.fields] > 0)
    datasets = set(snapshot.graph.field_dataset[reached].tolist())
    return sum(snapshot.datasets[d].kind == DatasetKind.REPORT for d in datasets)


def _unread(session: Session, snapshot: Snapshot, definitions: list[int]) -> int:
    query = select(func.count()).where(
        Diagnostic.definition_id.in_(definitions), *valid_at(Diagnostic, snapshot.as_of), Diagnostic.level != "info"
    )
    return session.scalars(query).one()
