"""How datasets stand: whether what fills them ran, failed, is late or at work, and whether they are stale."""

from collections.abc import Sequence
from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np
from sqlalchemy import func, select, true
from sqlalchemy.dialects.postgresql import array
from sqlalchemy.orm import Session, aliased

from jalan.runs.lateness import missed
from jalan.service.context import Context
from jalan.service.runs.answers import StateFact
from jalan.service.runs.same_data import read_as
from jalan.store.among import is_among
from jalan.store.schema import DatasetName, Job, Run, RunDataset

_GAPS = 9  # runs that tell how often a job runs


def states(context: Context, datasets: Sequence[int]) -> list[StateFact]:
    """Return how each dataset stands that any run has written, by the last run of the job that writes it.

    Cost: the last runs of all jobs, and a walk from what failed.
    """
    session, view = context.session, context.graph
    meant = read_as(context, datasets)
    writers: dict[int, set[int]] = {}
    for known, jobs in _writers(session, list(meant)).items():
        writers.setdefault(meant[known], set()).update(jobs)
    latest = _latest(session, sorted({job for jobs in writers.values() for job in jobs}))
    stale = _stale(context)
    now = datetime.now(UTC)
    found = []
    for dataset in datasets:
        runs = [latest[job] for job in writers.get(meant[dataset], ()) if job in latest]
        position = view.graph.dataset_position(dataset)
        is_stale = position >= 0 and bool(stale[position])
        if not runs:
            if is_stale:
                found.append(StateFact(dataset=dataset, state="stale"))
            continue
        last = max(runs, key=lambda one: one.started_at)
        due = missed(last.started_at, now, last.schedule, last.every)
        found.append(
            StateFact(
                dataset=dataset,
                state=_state(last, due is not None, is_stale),
                job=last.name,
                run=last.run_id,
                at=last.started_at,
                filled_at=max((one.filled_at for one in runs if one.filled_at), default=None),
                due_at=due,
            )
        )
    return found


def _state(last: "_Latest", is_late: bool, is_stale: bool) -> str:
    if last.state in ("failed", "stopped", "running"):
        return last.state
    if is_late:
        return "late"
    return "stale" if is_stale else "fresh"


def _writers(session: Session, datasets: Sequence[int]) -> dict[int, set[int]]:
    """Which jobs write datasets, by the last runs that did."""
    if not datasets:
        return {}
    wanted = (
        select(DatasetName.dataset_id, DatasetName.id)
        .where(is_among(DatasetName.dataset_id, list(datasets)))
        .subquery("wanted")
    )
    last = (
        select(RunDataset.run)
        .where(RunDataset.name_id == wanted.c.id, RunDataset.side == "out")
        .order_by(RunDataset.run.desc())
        .limit(_GAPS)
        .lateral("last")
    )
    query = (
        select(wanted.c.dataset_id, Run.job_id)
        .select_from(wanted)
        .join(last, true())
        .join(Run, Run.id == last.c.run)
        .distinct()
    )
    found: dict[int, set[int]] = {}
    for dataset, job in session.execute(query):
        found.setdefault(dataset, set()).add(job)
    return found


def _latest(session: Session, jobs: list[int]) -> "dict[int, _Latest]":
    """The last run of each job, with how many seconds usually lie between two, and when the last good one ended."""
    if not jobs:
        return {}
    wanted = select(func.unnest(array(jobs)).label("job")).subquery("wanted")
    last = (
        select(Run.run_id, Run.state, Run.started_at, Run.root_job_id)
        .where(Run.job_id == wanted.c.job, Run.events > 0)
        .order_by(Run.started_at.desc())
        .limit(1)
        .lateral("last")
    )
    good = (
        select(Run.ended_at.label("filled_at"))
        .where(Run.job_id == wanted.c.job, Run.state == "done")
        .order_by(Run.started_at.desc())
        .limit(1)
        .lateral("good")
    )
    some = (
        select(Run.started_at)
        .where(Run.job_id == wanted.c.job, Run.events > 0)
        .order_by(Run.started_at.desc())
        .limit(_GAPS)
        .correlate(wanted)
        .subquery("some")
    )
    span = func.extract("epoch", func.max(some.c.started_at) - func.min(some.c.started_at))
    spread = select(func.count().label("n"), span.label("span")).select_from(some).lateral("spread")
    every = func.nullif(spread.c.span, 0) / func.nullif(spread.c.n - 1, 0)
    root = aliased(Job)
    query = (
        select(
            wanted.c.job, Job.name, last.c.run_id, last.c.state, last.c.started_at, good.c.filled_at,
            every.label("every"), spread.c.n, func.coalesce(Job.schedule, root.schedule).label("schedule"),
        )
        .select_from(wanted)
        .join(Job, Job.id == wanted.c.job)
        .join(last, true())
        .outerjoin(root, root.id == last.c.root_job_id)
        .outerjoin(good, true())
        .join(spread, true())
    )  # fmt: skip
    return {row.job: _Latest(row) for row in session.execute(query)}


class _Latest:
    def __init__(self, row: Any) -> None:
        self.name: str = row.name
        self.run_id = row.run_id
        self.state: str = row.state
        self.started_at: datetime = row.started_at
        self.filled_at: datetime | None = row.filled_at
        # Of few runs nobody knows how often there should be one.
        self.every = timedelta(seconds=float(row.every)) if row.every is not None and row.n >= 5 else None
        self.schedule: str | None = row.schedule


def _stale(context: Context) -> Any:
    """Which datasets lie downstream of one whose job failed the last time, (datasets,)."""
    session, view = context.session, context.graph
    last = (
        select(Run.id, Run.state)
        .where(Run.job_id == Job.id, Run.events > 0)
        .order_by(Run.started_at.desc())
        .limit(1)
        .lateral("last")
    )
    good = (
        select(Run.id)
        .where(Run.job_id == Job.id, Run.state == "done")
        .order_by(Run.started_at.desc())
        .limit(1)
        .lateral("good")
    )
    query = (
        select(DatasetName.dataset_id)
        .select_from(Job)
        .join(last, last.c.state.in_(["failed", "stopped"]))
        .join(good, true())
        .join(RunDataset, RunDataset.run == good.c.id)
        .join(DatasetName, DatasetName.id == RunDataset.name_id)
        .where(RunDataset.side == "out", DatasetName.dataset_id.is_not(None))
    )
    seeds = {view.graph.dataset_position(id_) for id_ in session.scalars(query) if id_ is not None} - {-1}
    if not seeds:
        return np.zeros(view.graph.datasets, dtype=np.bool_)
    return view.pairs.reached(np.array(sorted(seeds), dtype=np.int32), True) >= 0
