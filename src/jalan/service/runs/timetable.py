"""Runs as lines that fall from station to station, as railways draw their day."""

from collections import Counter
from typing import Any

import numpy as np
from sqlalchemy import ColumnElement, and_, exists, func, or_, select
from sqlalchemy.orm import Session

from jalan.runs.timetable import in_order
from jalan.service.context import Context
from jalan.service.runs.answers import Line, Timetable
from jalan.service.runs.searching import Search, found_by, period
from jalan.store.schema import Container, Dataset, DatasetName, Job, JobVersion, Run, RunDataset

_MOST = 400  # lines; more are a grey mass
_COUNTED = 20_000  # runs; who draws some hundred of them need not know how many more there are
_STATIONS = 12
_REPORTS = "reports"


def timetable(context: Context, search: Search) -> Timetable:
    """Return runs with what they read and wrote as lines: what failed first, then the longest. Raises Invalid."""
    session = context.session
    since, until = period(session, search)
    conditions = found_by(context, search, since, until)
    conditions.append(_moves())
    rows = _drawn(session, conditions)
    total = len(rows)
    if total == _MOST:
        some = select(Run.id).where(*conditions).limit(_COUNTED).subquery()
        total = session.scalars(select(func.count()).select_from(some)).one()
    sides = _sides(session, [row.id for row in rows])
    # What a run that failed would have written is what the job usually writes.
    usual = _usual_sides(session, {row.job_id for row in rows if not sides.get(row.id, {}).get("out")})
    flows: Counter[tuple[str, str]] = Counter()
    ends: dict[int, tuple[list[str], list[str]]] = {}
    for row in rows:
        mine = sides.get(row.id, {})
        read = mine.get("in") or usual.get(row.job_id, {}).get("in") or []
        wrote = mine.get("out") or usual.get(row.job_id, {}).get("out") or []
        ends[row.id] = (read, wrote)
        flows.update((one, other) for one in read for other in wrote)
    # What no run tells of, such as tables that stand for those of another server, is in the graph.
    flows.update(_linked(context, [row.id for row in rows], flows))
    stations = _kept(flows, ends)
    places = {name: n for n, name in enumerate(stations)}
    lines = []
    for row in rows:
        starts, stops = ([places[name] for name in names if name in places] for names in ends[row.id])
        if starts or stops:
            lines.append(_line(row, min(starts or stops), max(stops or starts)))
    return Timetable(
        stations=stations,
        lines=lines,
        left_out=total - len(lines),
        counted_all=total < _COUNTED,
        since=since,
        until=until,
    )


def _drawn(session: Session, conditions: list[ColumnElement[bool]]) -> list[Any]:
    """Return the runs to draw: what failed first, then the longest."""
    ids: list[int] = []
    # One after the other: of the few that failed an index knows.
    for state in (Run.state == "failed", Run.state != "failed"):
        longest = select(Run.id).where(*conditions, state).order_by(Run.took.desc().nulls_first(), Run.id)
        if len(ids) < _MOST:
            ids += session.scalars(longest.limit(_MOST - len(ids)))
    query = select(Run.id, Run.run_id, Run.job_id, Job.name, Run.state, Run.started_at, Run.ended_at)
    found = {row.id: row for row in session.execute(query.join(Job, Job.id == Run.job_id).where(Run.id.in_(ids)))}
    return [found[id_] for id_ in ids]


def _moves() -> Any:
    """Whether a run is of a job that reads or writes anything itself, and does not only call others."""
    told = select(JobVersion.job_id).where(or_(JobVersion.inputs != [], JobVersion.outputs != []))
    return or_(Run.job_id.in_(told), and_(Run.version.is_(None), exists().where(RunDataset.run == Run.id)))


def _line(row: Any, first: int, last: int) -> Line:
    return Line(
        run=row.run_id,
        job=row.name,
        state=row.state,
        started_at=row.started_at,
        ended_at=row.ended_at,
        from_station=first,
        to_station=last,
    )


def _linked(context: Context, runs: list[int], known: Counter[tuple[str, str]]) -> Counter[tuple[str, str]]:
    """How often stations are linked in the graph, of the datasets that runs touch."""
    query = (
        select(Dataset.id, Container.path, Dataset.kind, DatasetName.name, DatasetName.namespace)
        .select_from(DatasetName)
        .join(RunDataset, RunDataset.name_id == DatasetName.id)
        .join(Dataset, Dataset.id == DatasetName.dataset_id)
        .join(Container, Container.id == Dataset.container_id)
        .where(RunDataset.run.in_(runs))
        .distinct()
    )
    view, stations = context.graph, {}
    for id_, path, kind, name, namespace in context.session.execute(query):
        stations[view.graph.dataset_position(id_)] = _station(path, kind, name, namespace)
    stations.pop(-1, None)
    touched = np.array(sorted(stations), dtype=np.int32)
    beside, where = view.pairs.beside(touched, downstream=True)
    found: Counter[tuple[str, str]] = Counter()
    for one, other in zip(touched[where].tolist(), beside.tolist(), strict=True):
        if other in stations:
            pair = (stations[one], stations[other])
            if pair not in known:
                found[pair] += 1
    return found


def _kept(flows: Counter[tuple[str, str]], ends: dict[int, tuple[list[str], list[str]]]) -> list[str]:
    """The stations that most lines touch, in the order in which data goes."""
    touched: Counter[str] = Counter(name for pair in ends.values() for names in pair for name in set(names))
    most = {name for name, _ in touched.most_common(_STATIONS)}
    return [name for name in in_order(flows, touched) if name in most]


def _sides(session: Session, runs: list[int]) -> dict[int, dict[str, list[str]]]:
    query = (
        select(
            RunDataset.run, RunDataset.side, Container.path, Dataset.kind, DatasetName.name, DatasetName.namespace
        )
        .join(DatasetName, DatasetName.id == RunDataset.name_id)
        .outerjoin(Dataset, Dataset.id == DatasetName.dataset_id)
        .outerjoin(Container, Container.id == Dataset.container_id)
        .where(RunDataset.run.in_(runs))
    )
    found: dict[int, dict[str, list[str]]] = {}
    for run, side, path, kind, name, namespace in session.execute(query):
        found.setdefault(run, {}).setdefault(side, []).append(_station(path, kind, name, namespace))
    return found


def _usual_sides(session: Session, jobs: set[int]) -> dict[int, dict[str, list[str]]]:
    """What the last good run of each job has read and written."""
    if not jobs:
        return {}
    last = (
        select(Run.job_id, func.max(Run.id).label("id"))
        .where(Run.job_id.in_(jobs), Run.state == "done")
        .group_by(Run.job_id)
    )
    runs = {row.id: row.job_id for row in session.execute(last)}
    return {runs[run]: sides for run, sides in _sides(session, list(runs)).items()}


def _station(path: str | None, kind: str | None, name: str, namespace: str) -> str:
    if kind == "report":
        return _REPORTS
    path = path or name.rpartition(".")[0]
    if not path:
        return namespace.partition("://")[2] or namespace
    # A database whose tables are all in its default schema goes by its own name.
    parts = path.rstrip("/").replace("/", ".").split(".")
    return parts[-2] if len(parts) > 1 and parts[-1] == "public" else parts[-1]
