"""One run: what it did, who called it, what is another than usual, and what is stale because of it."""

from collections.abc import Sequence
from datetime import datetime
from typing import Any
from uuid import UUID

import numpy as np
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from jalan.runs import facets
from jalan.runs.fold import RunFold
from jalan.runs.usual import alike
from jalan.runs.versions import changes
from jalan.service.context import Context
from jalan.service.errors import NotFound
from jalan.service.runs.answers import (
    ChangesFact,
    EventsPage,
    RunFacts,
    RunRow,
    SideFact,
    StaleFact,
)
from jalan.service.runs.job_versions import sides
from jalan.service.runs.received_events import events_page
from jalan.service.runs.rows import USUAL_OF, as_rows, judged, rows_query
from jalan.service.runs.same_data import other_names
from jalan.store.schema import DatasetName, EventRow, Job, JobVersion, Run, RunDataset

_DEEPEST = 50
_STALE = 40
_CHILDREN = 200
_MEASURED = 100


def run_facts(context: Context, run_id: UUID) -> RunFacts:
    """Return all about a run. Raises NotFound."""
    session = context.session
    found = session.execute(rows_query().where(Run.run_id == run_id)).first()
    if found is None:
        raise NotFound(f"there is no run {run_id}")
    run = session.scalars(select(Run).where(Run.run_id == run_id)).one()
    job = session.get_one(Job, run.job_id)
    fold = RunFold.read(run.fold) if run.fold else RunFold()
    # What is told of the job elsewhere holds where this run's own events are silent.
    about = facets.about_job({**job.facets, **fold.job_facets})
    code = facets.code(fold)
    query, address = facets.outside(fold)
    before = last_good(session, run)
    stale, total, since = _stale(context, run, before)
    repaired = _repaired(session, run) if stale else None
    return RunFacts(
        row=as_rows(session, [found])[0],
        root=run.root,
        nominal_at=run.nominal_at,
        last_at=run.last_at,
        trace=facets.message(fold)[1],
        producer=fold.producer[1] if fold.producer else "",
        engine=facets.engine(fold),
        query=query,
        address=address,
        parameters=facets.parameters(fold),
        job_type=about.type,
        description=about.description,
        owner=about.owner or job.owner or "",
        tags=about.tags,
        place=code.place if code else "",
        revision=code.revision if code else "",
        code=code.text if code else "",
        code_dialect=code.dialect if code else "",
        callers=callers(session, run),
        children_total=session.scalars(select(func.count()).where(Run.parent == run_id)).one(),
        sides=_sides(context, run, fold),
        changes=_changes(session, run, fold, before),
        plans=facets.plans(fold),
        stale=stale,
        stale_total=total,
        stale_since=since,
        repaired_at=repaired.ended_at if repaired else None,
        repaired_by=repaired.run_id if repaired else None,
    )


def callers(session: Session, run: Run) -> list[RunRow]:
    """Return who called a run, the one on top first."""
    found: list[Any] = []
    seen, parent = {run.run_id}, run.parent
    while parent is not None and parent not in seen and len(found) < _DEEPEST:
        seen.add(parent)
        row = session.execute(rows_query().where(Run.run_id == parent)).first()
        if row is None:
            break
        found.insert(0, row)
        parent = row.parent
    return as_rows(session, found)


def children(context: Context, run_id: UUID) -> list[RunRow]:
    """Return the runs that a run has called, in the order in which they began; some hundred at most."""
    query = rows_query().where(Run.parent == run_id).order_by(Run.started_at, Run.id).limit(_CHILDREN)
    return as_rows(context.session, context.session.execute(query).all())


def run_events(context: Context, run_id: UUID, limit: int, cursor: str | None) -> EventsPage:
    """Return the events of a run as they were received, the latest first. Raises BadCursor."""
    return events_page(context.session, [EventRow.run == run_id], limit, cursor)


# --- what it read and wrote ------------------------------------------------------------------------------


def _sides(context: Context, run: Run, fold: RunFold) -> list[SideFact]:
    session = context.session
    query = (
        select(RunDataset, DatasetName)
        .join(DatasetName, DatasetName.id == RunDataset.name_id)
        .where(RunDataset.run == run.id)
        .order_by(RunDataset.side, DatasetName.name)
    )
    rows = session.execute(query).all()
    history = _amounts(session, run)
    writers = _writers(context, run, [side.name_id for side, _ in rows if side.side == "in"])
    found = []
    for side, name in rows:
        told = (fold.inputs if side.side == "in" else fold.outputs).get((name.namespace, name.name))
        writer = writers.get(side.name_id)
        measured = facets.measures(told) if told else {}
        found.append(
            SideFact(
                dataset=name.dataset_id,
                namespace=name.namespace,
                name=name.name,
                side=side.side,
                rows=side.rows,
                usual_rows=judged(alike(history.get((side.side, side.name_id), []), run.started_at), side.rows),
                bytes=side.bytes,
                version=side.version,
                pattern=facets.pattern(told) if told else [],
                subset=facets.subset(told) if told else "",
                checks=facets.checks(told) if told else [],
                measures=dict(list(measured.items())[:_MEASURED]),
                measured=len(measured),
                writer=writer[0] if writer else None,
                writer_state=writer[1] if writer else None,
                written_at=writer[2] if writer else None,
            )
        )
    return found


def _amounts(session: Session, run: Run) -> dict[tuple[str, int], list[tuple[datetime, int]]]:
    """How many rows the last good runs of the same job read and wrote of each dataset."""
    last = (
        select(Run.id)
        .where(
            Run.job_id == run.job_id,
            Run.parent_job_id.is_not_distinct_from(run.parent_job_id),
            Run.state == "done",
            Run.id != run.id,
        )
        .order_by(Run.started_at.desc())
        .limit(USUAL_OF)
    )
    query = (
        select(RunDataset.side, RunDataset.name_id, Run.started_at, RunDataset.rows)
        .join(Run, Run.id == RunDataset.run)
        .where(RunDataset.run.in_(last), RunDataset.rows.is_not(None))
    )
    found: dict[tuple[str, int], list[tuple[datetime, int]]] = {}
    for side, name, at, rows in session.execute(query):
        if rows is not None:
            found.setdefault((side, name), []).append((at, rows))
    return found


def _writers(context: Context, run: Run, names: Sequence[int]) -> dict[int, tuple[UUID, str, datetime]]:
    """Which run had written, last before this one began, what it has read."""
    found: dict[int, tuple[UUID, str, datetime]] = {}
    others = other_names(context, names)
    for name in names:
        query = (
            select(Run.run_id, Run.state, Run.ended_at)
            .join(RunDataset, RunDataset.run == Run.id)
            .where(
                RunDataset.name_id.in_([name, *others.get(name, ())]),
                RunDataset.side == "out",
                Run.ended_at <= run.started_at,
                Run.id != run.id,
            )
            .order_by(Run.ended_at.desc())
            .limit(1)
        )
        row = context.session.execute(query).first()
        if row is not None and row.ended_at is not None:
            found[name] = (row.run_id, row.state, row.ended_at)
    return found


# --- what is another than before -------------------------------------------------------------------------


def last_good(session: Session, run: Run) -> Run | None:
    """Return the last run of the same job before this one that went well."""
    query = select(Run).where(
        Run.job_id == run.job_id, Run.state == "done", Run.started_at < run.started_at, Run.id != run.id
    )
    return session.scalars(query.order_by(Run.started_at.desc()).limit(1)).first()


def _changes(session: Session, run: Run, fold: RunFold, before: Run | None) -> ChangesFact | None:
    """What is another than in the last good run; none where nothing is."""
    if before is None or before.version is None:
        return None
    old = session.scalars(
        select(JobVersion).where(JobVersion.job_id == run.job_id, JobVersion.digest == before.version)
    ).first()
    if old is None:
        return None
    _, old_in, old_out = sides(old)
    # What failed may have told less than it would have: of that only what is new counts.
    whole = run.version is not None
    new_in = {*fold.inputs, *(() if whole else old_in)}
    new_out = {*fold.outputs, *(() if whole else old_out)}
    told = changes(sides(old), (run.code or old.code_digest, new_in, new_out))
    if not (told.code or told.inputs_added or told.inputs_gone or told.outputs_added or told.outputs_gone):
        return None
    code = facets.code(fold)
    return ChangesFact(
        against=before.run_id,
        at=before.started_at,
        code=told.code,
        before=old.text if told.code else "",
        after=code.text if told.code and code else "",
        inputs_added=[name for _, name in told.inputs_added],
        inputs_gone=[name for _, name in told.inputs_gone],
        outputs_added=[name for _, name in told.outputs_added],
        outputs_gone=[name for _, name in told.outputs_gone],
    )


# --- what is stale ---------------------------------------------------------------------------------------


def _repaired(session: Session, run: Run) -> Any:
    """The first run of the same job after this one that went well."""
    query = select(Run.run_id, Run.ended_at).where(
        Run.job_id == run.job_id, Run.state == "done", Run.started_at > run.started_at
    )
    return session.execute(query.order_by(Run.started_at).limit(1)).first()


def _stale(context: Context, run: Run, before: Run | None) -> tuple[list[StaleFact], int, datetime | None]:
    """What had older data because a run failed: all that lies downstream of what it would have written."""
    session = context.session
    if run.state not in ("failed", "stopped"):
        return [], 0, None
    query = (
        select(DatasetName.dataset_id)
        .join(RunDataset, RunDataset.name_id == DatasetName.id)
        .where(
            RunDataset.run.in_([run.id, *([before.id] if before else [])]),
            RunDataset.side == "out",
            DatasetName.dataset_id.is_not(None),
        )
    )
    view = context.graph
    written = {view.graph.dataset_position(id_) for id_ in session.scalars(query) if id_ is not None} - {-1}
    if not written:
        return [], 0, before.ended_at if before else None
    hops = view.pairs.reached(np.array(sorted(written), dtype=np.int32), True)
    met = np.flatnonzero(hops >= 0)
    order = met[np.lexsort((met, hops[met], ~view.graph.reports[met]))]
    infos = context.names.datasets_at(order[:_STALE].tolist())
    stale = [
        StaleFact(
            dataset=infos[at].id,
            name=infos[at].name,
            title=infos[at].title,
            kind=infos[at].kind,
            owner=infos[at].owner,
            hops=int(hops[at]),
        )
        for at in order[:_STALE].tolist()
        if at in infos
    ]
    return stale, len(met), before.ended_at if before else None
