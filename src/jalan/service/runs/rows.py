"""Runs as rows: each with what is usual for it, and the version of its job."""

from collections.abc import Sequence
from typing import Any

from sqlalchemy import (
    Select,
    case,
    func,
    select,
    true,
)
from sqlalchemy.dialects.postgresql import array
from sqlalchemy.orm import Session, aliased

from jalan.runs.usual import alike, usual
from jalan.service.runs.answers import JobBrief, RunRow, UsualFact
from jalan.service.runs.job_versions import versions_of
from jalan.store.schema import Job, Run

USUAL_OF = 60  # runs
_parent_job = aliased(Job)


def rows_query() -> Select[*tuple[Any, ...]]:
    """What a row of the ledger is made of."""
    return (
        select(
            Run.id,
            Run.run_id,
            Run.job_id,
            Job.namespace,
            Job.name,
            Run.parent,
            Run.parent_job_id,
            _parent_job.namespace.label("parent_namespace"),
            _parent_job.name.label("parent_name"),
            Run.state,
            Run.started_at,
            Run.ended_at,
            Run.took,
            Run.rows,
            Run.bytes,
            Run.message,
            Run.who,
            Run.version,
            Run.code,
            Run.events,
        )
        .join(Job, Job.id == Run.job_id)
        .outerjoin(_parent_job, _parent_job.id == Run.parent_job_id)
    )


def as_rows(session: Session, found: Sequence[Any]) -> list[RunRow]:
    """Return rows with what is usual for each, and its version. Cost: the last runs of their jobs."""
    jobs = {row.job_id for row in found}
    history = _history(session, {(row.job_id, row.parent_job_id) for row in found})
    versions = versions_of(session, jobs)
    rows = []
    for row in found:
        # What is usual is told by the other runs that were called by the same.
        others = [one for one in history.get((row.job_id, row.parent_job_id), []) if one.id != row.id]
        tooks = [(one.started_at, one.took) for one in others if one.took is not None]
        counts = [(one.started_at, one.rows) for one in others if one.rows is not None]
        version = versions.get((row.job_id, row.version))
        parent_job = (
            None
            if row.parent_job_id is None
            else JobBrief(id=row.parent_job_id, namespace=row.parent_namespace, name=row.parent_name)
        )
        rows.append(
            RunRow(
                run=row.run_id,
                job=JobBrief(id=row.job_id, namespace=row.namespace, name=row.name),
                parent=row.parent,
                parent_job=parent_job,
                state=row.state,
                started_at=row.started_at,
                ended_at=row.ended_at,
                took=row.took,
                usual_took=judged(alike(tooks, row.started_at), row.took),
                rows=row.rows,
                usual_rows=judged(alike(counts, row.started_at), row.rows),
                bytes=row.bytes,
                message=row.message[:500],
                who=row.who,
                version=version.number if version else None,
                is_new=version is not None and version.number > 1 and version.first_at == row.started_at,
                events=row.events,
            )
        )
    return rows


def judged(numbers: Sequence[float], value: float | None) -> UsualFact | None:
    """Return what is usual among numbers, and whether a value is."""
    found = usual(numbers)
    if found is None:
        return None
    verdict = "" if value is None else found.judge(value)
    return UsualFact(low=found.low, middle=found.middle, high=found.high, runs=found.runs, verdict=verdict)


def _history(session: Session, called: set[tuple[int, int | None]]) -> dict[tuple[int, int | None], list[Any]]:
    """The last good runs of jobs, by job and by the job that called it: id, began, how long each took, rows."""
    if not called:
        return {}
    listed = sorted(called, key=lambda pair: (pair[0], pair[1] or 0))
    wanted = select(
        func.unnest(array([job for job, _ in listed])).label("job"),
        func.unnest(array([caller or 0 for _, caller in listed])).label("caller"),
    ).subquery("wanted")
    # A CASE, of which PostgreSQL expects that it holds of half of all, so that it walks an index until it has
    # enough: of an equation it expects so little that it reads and sorts everything a job has ever run.
    called_by = case(
        (wanted.c.caller == 0, Run.parent_job_id.is_(None)), else_=Run.parent_job_id == wanted.c.caller
    )
    last = (
        select(Run.id, Run.started_at, Run.took, Run.rows)
        .where(Run.job_id == wanted.c.job, called_by, Run.state == "done")
        .order_by(Run.started_at.desc())
        .limit(USUAL_OF)
        .lateral("last")
    )
    query = select(wanted.c.job, wanted.c.caller, last).join(last, true())
    found: dict[tuple[int, int | None], list[Any]] = {}
    for row in session.execute(query):
        found.setdefault((row.job, row.caller or None), []).append(row)
    return found
