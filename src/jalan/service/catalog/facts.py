"""One asset with all that is known of it."""

import numpy as np
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from jalan.graph.impact import reports_reached
from jalan.service.catalog import provenance
from jalan.service.catalog.answers import ColumnFact, DatasetFacts
from jalan.service.context import Context
from jalan.service.graph_cache.names import DefinitionInfo, Names
from jalan.service.graph_cache.view import GraphView
from jalan.service.lineage.briefs import definition_fact, field_brief, field_counts
from jalan.service.usage.uses import uses
from jalan.store.among import is_among
from jalan.store.schema import Diagnostic
from jalan.store.validity import valid_at

_COLUMNS = 500
_REPORTS = 100
_DEFINITIONS = 200


def facts(context: Context, dataset_id: int, columns_from: int = 0) -> DatasetFacts:
    """Return what is known about a dataset. columns_from: how many of its columns are left out at the beginning; a
    few hundred are shown at a time."""
    view, names, session = context.graph, context.names, context.session
    dataset = view.dataset(dataset_id)
    info = names.dataset(dataset)
    around = view.around(dataset)
    writing = _definitions_of(view, names, dataset)
    ids = [definition.id for definition in writing]
    columns, total = _columns(view, names, dataset, columns_from)
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
        feeds_itself=bool(view.pairs.feeding_themselves[dataset]),
        columns=columns,
        columns_total=total,
        written_by=[definition_fact(definition) for definition in writing[:_DEFINITIONS]],
        upstream=around.upstream,
        downstream=around.downstream,
        reports=_reports(view, names, dataset),
        reports_total=around.reports,
        unread=_unread(session, view, ids),
        bytes=info.bytes,
        details={**provenance.told_by_events(session, info, view.as_of), **info.facts},
        known_as=provenance.aliases(session, info, view.as_of),
        conflicts=provenance.conflicts(session, info, view.as_of),
        points=provenance.points(session, writing, view.as_of),
        uses=uses(session, info, view.as_of),
    )


def _columns(view: GraphView, names: Names, dataset: int, start: int) -> tuple[list[ColumnFact], int]:
    graph = view.graph
    members, _ = graph.fields_of(np.array([dataset], dtype=np.int32))
    live = members[graph.live_fields[members]]
    idle = [star for star in live[graph.stars[live]].tolist() if _is_idle(view, star)]
    # The names decide about the order, so all are looked up; what costs a walk is worked out for those shown.
    infos = names.fields_at(field for field in live.tolist() if field not in idle)
    ordered = names.in_order(infos)
    shown = np.array(ordered[start : start + _COLUMNS], dtype=np.int32)
    counts = field_counts(view, shown)
    reports = dict(zip(ordered[start : start + _COLUMNS], reports_reached(graph, shown).tolist(), strict=True))
    return [
        ColumnFact(
            **field_brief(infos[field], counts[field]).model_dump(),
            description=infos[field].description,
            reports=reports[field],
            facts=infos[field].facts,
        )
        for field in shown.tolist()
    ], len(ordered)


def _is_idle(view: GraphView, star: int) -> bool:
    """Whether a field that stands for all columns is needed by no link any more: the columns are known now."""
    return field_counts(view, np.array([star], dtype=np.int32))[star] == (0, 0)


def _definitions_of(view: GraphView, names: Names, dataset: int) -> list[DefinitionInfo]:
    graph = view.graph
    here = np.array([dataset], dtype=np.int32)
    fields, _ = graph.fields_of(here)
    links = np.concatenate((graph.links_to(fields, False)[0], graph.links_deciding(here)[0]))
    ids = np.unique(graph.columns(links).definitions).tolist()
    return sorted(names.definitions(ids).values(), key=lambda d: (d.kind, d.place, d.id))


def _reports(view: GraphView, names: Names, dataset: int) -> list[str]:
    graph = view.graph
    reached = np.flatnonzero((view.pairs.hops(dataset, True) > 0) & graph.reports)[:_REPORTS]
    return sorted(info.title for info in names.datasets_at(reached.tolist()).values())


def _unread(session: Session, view: GraphView, definitions: list[int]) -> int:
    query = select(func.count()).where(
        is_among(Diagnostic.definition_id, definitions),
        *valid_at(Diagnostic, view.as_of),
        Diagnostic.level != "info",
    )
    return session.scalars(query).one()
