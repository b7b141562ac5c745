"""Versions of jobs in the order in which they were first run. When that was is told by the runs: what a run tells
under way may be another version than it tells in the end."""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import ColumnElement, exists, func, select, true
from sqlalchemy.orm import Session

from jalan.runs.fold import Name
from jalan.store.among import is_among
from jalan.store.schema import JobVersion, Run, RunVersion


@dataclass(frozen=True, slots=True)
class Numbered:
    """A version with its number, from 1, among those of its job, and when its first run began."""

    row: JobVersion
    number: int
    first_at: datetime


def sides(version: JobVersion) -> tuple[str, list[Name], list[Name]]:
    """Return what ``jalan.runs.versions.changes`` compares: the code's digest, inputs and outputs."""
    inputs, outputs = (
        [(namespace, name) for namespace, name in kept] for kept in (version.inputs, version.outputs)
    )
    return version.code_digest, inputs, outputs


def grows() -> ColumnElement[bool]:
    """Whether a run has become other versions of its job while it went on."""
    return exists().where(RunVersion.run == Run.id)


def versions_of(session: Session, jobs: Collection[int]) -> dict[tuple[int, str], Numbered]:
    """Return the versions of jobs that any run tells of, by job and digest, in order. Cost: these versions."""
    begun = (
        select(Run.started_at.label("at"))
        .where(Run.job_id == JobVersion.job_id, Run.version == JobVersion.digest, ~grows())
        .order_by(Run.started_at)
        .limit(1)
    )
    became = (
        select(RunVersion.since.label("at"))
        .where(RunVersion.job_id == JobVersion.job_id, RunVersion.digest == JobVersion.digest)
        .order_by(RunVersion.since)
        .limit(1)
    )
    either = begun.correlate(JobVersion).union_all(became.correlate(JobVersion)).subquery()
    first = select(func.min(either.c.at).label("started_at")).lateral("first")
    query = (
        select(JobVersion, first.c.started_at)
        .join(first, true())
        .where(is_among(JobVersion.job_id, jobs), first.c.started_at.is_not(None))
        .order_by(JobVersion.job_id, first.c.started_at, JobVersion.digest)
    )
    found: dict[tuple[int, str], Numbered] = {}
    job, number = None, 0
    for row, first_at in session.execute(query):
        number = number + 1 if row.job_id == job else 1
        job = row.job_id
        found[row.job_id, row.digest] = Numbered(row, number, first_at)
    return found
