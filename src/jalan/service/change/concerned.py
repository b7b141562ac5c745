"""Whom a change concerns: the reports with how often they are looked at, and who asks for what is otherwise."""

from collections.abc import Mapping, Sequence
from datetime import UTC, date, datetime, timedelta

import numpy as np
from sqlalchemy import and_, exists, func, or_, select

from jalan.catalog.kinds import DatasetKind
from jalan.change.outcome import Kind, Outcome
from jalan.service.change.answers import ConcernedPerson, ConcernedReport, ConsequenceFact
from jalan.service.change.world import DatabaseWorld
from jalan.service.context import Context
from jalan.store.among import is_among
from jalan.store.schema import Dataset, Field, QueryField, ReportView, Use

_DAYS = 30
_REPORTS = 200
_PEOPLE = 50
_ELEMENTS = 20
_HOPS = 5  # from what a database fills to a report of a service


def concerned_reports(
    context: Context, here: DatabaseWorld, consequences: Sequence[ConsequenceFact]
) -> list[ConcernedReport]:
    """Return the reports of which elements have a consequence, or that show what has one, those first that are
    looked at most. consequences: the worst first."""
    elements: dict[int, list[ConsequenceFact]] = {}
    kinds: dict[int, str] = {}
    for one in consequences:
        if one.dataset is not None:
            kinds.setdefault(one.dataset, one.kind)
            if one.what == "report":
                elements.setdefault(one.dataset, []).append(one)
    kinds = {**_showing(context, here, kinds), **{one: kinds[one] for one in elements}}
    infos = context.names.datasets(list(kinds))
    views, told = _views(context, list(kinds)), _told(context, list(kinds))
    found = []
    for dataset, kind in kinds.items():
        seen, people, last = views.get(dataset, (0, 0, None))
        if dataset not in infos or infos[dataset].kind != DatasetKind.REPORT:
            continue  # what a service extracts for its reports is looked at by nobody
        several = elements.get(dataset, [])
        found.append(
            ConcernedReport(
                dataset=dataset,
                title=infos[dataset].title,
                owner=infos[dataset].owner,
                kind=kind,
                elements=[one.subject.rpartition(": ")[2] for one in several[:_ELEMENTS]],
                views=seen,
                people=people,
                last_opened=last,
                told=dataset in told,
            )
        )
    return sorted(found, key=lambda one: (-one.views, one.title))[:_REPORTS]


def _showing(context: Context, here: DatabaseWorld, kinds: Mapping[int, str]) -> dict[int, str]:
    """The reports that are made of what has a consequence, and not by a text that was run: those of services, by
    their formulas. Each with the kind of what it is made of."""
    graph, pairs = context.graph.graph, context.graph.pairs
    known = {graph.dataset_position(id_) for id_ in here.datasets.values()}
    met = {place: kind for id_, kind in kinds.items() if (place := graph.dataset_position(id_)) >= 0}
    frontier, found = sorted(met), {}
    for _ in range(_HOPS):
        others, where = pairs.beside(np.array(frontier, dtype=np.int32), downstream=True)
        after = []
        for other, at in zip(others.tolist(), where.tolist(), strict=True):
            if other not in met and other not in known:
                met[other] = met[frontier[at]]
                after.append(other)
        found.update({context.graph.dataset_id(one): met[one] for one in after if graph.reports[one]})
        frontier = after
        if not frontier:
            break
    return found


def _views(context: Context, datasets: list[int]) -> dict[int, tuple[int, int, date | None]]:
    """How often, and by how many, reports were looked at in the last days, and when the last time."""
    if not datasets:
        return {}
    late = ReportView.day > _since()
    query = (
        select(
            ReportView.dataset_id,
            func.coalesce(func.sum(ReportView.views).filter(late), 0),
            func.count(ReportView.person.distinct()).filter(late),
            func.max(ReportView.day),
        )
        .where(is_among(ReportView.dataset_id, datasets))
        .group_by(ReportView.dataset_id)
    )
    return {dataset: (int(views), people, last) for dataset, views, people, last in context.session.execute(query)}


def _told(context: Context, datasets: list[int]) -> set[int]:
    """Of which reports it would be known that somebody looked at them: those of a service that tells of any."""
    if not datasets:
        return set()
    systems_of = select(Dataset.id, Dataset.system_id).where(is_among(Dataset.id, datasets))
    mine: dict[int, int] = dict(context.session.execute(systems_of).all())
    any_view = exists().where(ReportView.dataset_id == Dataset.id)
    telling = select(Dataset.system_id).where(is_among(Dataset.system_id, set(mine.values())), any_view).distinct()
    systems = set(context.session.scalars(telling))
    return {id_ for id_, system in mine.items() if system in systems}


def concerned_people(context: Context, here: DatabaseWorld, found: Outcome) -> list[ConcernedPerson]:
    """Return who has asked lately for what the change takes away or makes otherwise, those first who ask most."""
    whole: set[int] = set()
    columns: dict[int, frozenset[str]] = {}
    for name, gone in found.lost.items():
        _note(here, name, gone, whole, columns)
    for one in found.consequences:
        some = frozenset(one.columns) if one.kind is Kind.VALUES else None
        if one.kind is not Kind.SHAPE:
            _note(here, one.subject, some, whole, columns)
    if not whole and not columns:
        return []
    pairs = select(Field.id, Field.dataset_id, Field.name).where(is_among(Field.dataset_id, list(columns)))
    fields = [id_ for id_, dataset, name in context.session.execute(pairs) if name in columns[dataset]]
    query = (
        select(Use.person, func.sum(Use.runs), func.count(Use.query_id.distinct()), func.max(Use.day))
        .where(
            Use.day > _since(),
            Use.query_id.in_(
                select(QueryField.query_id).where(
                    or_(
                        is_among(QueryField.dataset_id, list(whole)),
                        and_(is_among(QueryField.dataset_id, list(columns)), is_among(QueryField.field_id, fields)),
                    )
                )
            ),
        )
        .group_by(Use.person)
        .order_by(func.sum(Use.runs).desc(), Use.person)
        .limit(_PEOPLE)
    )
    return [
        ConcernedPerson(person=person, runs=int(runs), queries=queries, last=last)
        for person, runs, queries, last in context.session.execute(query)
    ]


def _note(
    here: DatabaseWorld,
    subject: str,
    some: frozenset[str] | None,
    whole: set[int],
    columns: dict[int, frozenset[str]],
) -> None:
    dataset = here.datasets.get(subject)
    if dataset is None:
        return
    if some is None:
        whole.add(dataset)
    else:
        columns[dataset] = columns.get(dataset, frozenset()) | some


def _since() -> date:
    return (datetime.now(UTC) - timedelta(days=_DAYS)).date()
