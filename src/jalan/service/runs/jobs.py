"""A job: its versions, who calls it and what it calls; and what must run for a dataset."""

from collections import Counter
from collections.abc import Collection
from datetime import datetime
from typing import Any

import numpy as np
from sqlalchemy import Select, func, select
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.orm import Session, aliased

from jalan.runs import facets
from jalan.runs.order import upstream_order
from jalan.runs.versions import changes
from jalan.service.context import Context
from jalan.service.errors import NotFound
from jalan.service.runs.answers import CallFact, JobBrief, JobFacts, JobVersionFact, OrderFact, StepFact
from jalan.service.runs.job_versions import grows, sides, versions_of
from jalan.service.runs.same_data import read_as
from jalan.store.among import is_among
from jalan.store.schema import DatasetName, Definition, Field, Job, Link, Run, RunDataset, RunVersion

_VERSIONS = 50
_CALLS = 50
_STEPS = 2_000


def job_facts(context: Context, job_id: int) -> JobFacts:
    """Return all about a job. Raises NotFound."""
    session = context.session
    job = session.get(Job, job_id)
    if job is None:
        raise NotFound(f"there is no job {job_id}")
    about = facets.about_job(job.facets)
    written = (
        select(DatasetName.dataset_id)
        .join(RunDataset, RunDataset.name_id == DatasetName.id)
        .join(Run, Run.id == RunDataset.run)
        .where(Run.job_id == job_id, RunDataset.side == "out", DatasetName.dataset_id.is_not(None))
        .distinct()
        .limit(_CALLS)
    )
    versions, total = job_versions(session, job_id)
    return JobFacts(
        job=job_brief(job),
        description=about.description,
        owner=about.owner or job.owner or "",
        job_type=about.type,
        tags=about.tags,
        schedule=job.schedule,
        versions=versions,
        versions_total=total,
        called_by=_calls(session, Run.job_id == job_id, Run.parent_job_id),
        calls=_calls(session, Run.parent_job_id == job_id, Run.job_id),
        datasets=[id_ for id_ in session.scalars(written) if id_ is not None],
    )


def job_brief(job: Job) -> JobBrief:
    """Return a job by its name."""
    return JobBrief(id=job.id, namespace=job.namespace, name=job.name)


def job_versions(session: Session, job_id: int) -> tuple[list[JobVersionFact], int]:
    """Return the versions of a job, the newest first, and how many there are."""
    whole = select(Run.version, func.count()).where(Run.job_id == job_id, ~grows()).group_by(Run.version)
    grown = select(RunVersion.digest, func.count()).where(RunVersion.job_id == job_id).group_by(RunVersion.digest)
    counts: Counter[str | None] = Counter()
    for digest, runs in (*session.execute(whole), *session.execute(grown)):
        counts[digest] += runs
    rows = list(versions_of(session, [job_id]).values())
    found = []
    for one, before in zip(rows, [None, *(version.row for version in rows)], strict=False):
        row = one.row
        told = changes(sides(before or row), sides(row))
        found.append(
            JobVersionFact(
                number=one.number,
                first_at=one.first_at,
                runs=counts[row.digest],
                kind=row.kind,
                text=row.text,
                place=row.place,
                revision=row.revision,
                inputs=[name for _, name in row.inputs],
                outputs=[name for _, name in row.outputs],
                code_changed=told.code,
                inputs_added=[name for _, name in told.inputs_added],
                inputs_gone=[name for _, name in told.inputs_gone],
                outputs_added=[name for _, name in told.outputs_added],
                outputs_gone=[name for _, name in told.outputs_gone],
            )
        )
    return found[::-1][:_VERSIONS], len(found)


def _calls(session: Session, which: Any, other: Any) -> list[CallFact]:
    calling = aliased(Job)
    query = (
        select(calling.id, calling.namespace, calling.name, func.count(), func.max(Run.started_at))
        .select_from(Run)
        .join(calling, calling.id == other)
        .where(which)
        .group_by(calling.id)
        .order_by(func.max(Run.started_at).desc())
        .limit(_CALLS)
    )
    return [
        CallFact(job=JobBrief(id=id_, namespace=ns, name=name), runs=count, last_at=last)
        for id_, ns, name, count, last in session.execute(query)
    ]


def order_for(context: Context, dataset_id: int) -> OrderFact:
    """Return the jobs that must run for a dataset. Raises NotFound. Cost: what lies upstream."""
    session, view = context.session, context.graph
    position = view.dataset(dataset_id)
    hops = view.pairs.hops(position, False)
    met = np.flatnonzero(hops >= 0).astype(np.int32)
    ids = [view.dataset_id(at) for at in met.tolist()]
    writers, reads = flows(context, ids)
    found = upstream_order(view.dataset_id(position), writers, reads)
    jobs = {job.id: job for job in session.scalars(select(Job).where(is_among(Job.id, found.jobs[:_STEPS])))}
    last = last_runs(session, found.jobs[:_STEPS])
    names = context.names.datasets(ids)
    wrote: dict[int, list[str]] = {}
    for dataset, several in writers.items():
        for job in several:
            if dataset in names:
                wrote.setdefault(job, []).append(names[dataset].title)
    steps = [
        StepFact(
            job=job_brief(jobs[job]),
            after=after,
            writes=sorted(wrote.get(job, [])),
            last_run=last[job][0] if job in last else None,
            last_state=last[job][1] if job in last else None,
            last_at=last[job][2] if job in last else None,
        )
        for job, after in zip(found.jobs[:_STEPS], found.after, strict=False)
    ]
    info = names[view.dataset_id(position)]
    origins = sorted(names[id_].title for id_ in ids if id_ in names and not writers.get(id_))
    return OrderFact(dataset=info.id, name=info.title, steps=steps, circles=found.circles, origins=origins[:_STEPS])


def flows(context: Context, ids: list[int]) -> tuple[dict[int, list[int]], dict[int, list[int]]]:
    """Which jobs write datasets, and which of these each of the jobs reads: by definitions that hold, and by what
    runs have told. Each dataset by the id of the one which it is read as."""
    session, meant = context.session, read_as(context, ids)
    of_code = select(Definition.job_id, Link.target_dataset_id).select_from(Link).join(Definition)
    writers = _pairs(
        session,
        of_code.where(is_among(Link.target_dataset_id, list(meant)), Link.valid_to.is_(None)),
        _of_runs("out").where(is_among(DatasetName.dataset_id, list(meant))),
    )
    jobs = sorted({job for job, _ in writers})
    reads = flows_of_code(session, jobs, "in") | _pairs(session, _of_runs("in").where(is_among(Run.job_id, jobs)))
    by_dataset: dict[int, list[int]] = {}
    for job, dataset in sorted({(job, meant[dataset]) for job, dataset in writers}):
        by_dataset.setdefault(dataset, []).append(job)
    by_job: dict[int, list[int]] = {}
    meant |= read_as(context, {dataset for _, dataset in reads})
    for job, dataset in sorted({(job, meant[dataset]) for job, dataset in reads}):
        by_job.setdefault(job, []).append(dataset)
    return by_dataset, by_job


def _of_runs(side: str) -> Select[*tuple[Any, ...]]:
    """Jobs with the datasets of one side of their runs."""
    return (
        select(Run.job_id, DatasetName.dataset_id)
        .select_from(Run)
        .join(RunDataset, RunDataset.run == Run.id)
        .join(DatasetName, DatasetName.id == RunDataset.name_id)
        .where(RunDataset.side == side)
    )


def _pairs(session: Session, *queries: Select[*tuple[Any, ...]]) -> set[tuple[int, int]]:
    return {
        (job, dataset)
        for query in queries
        for job, dataset in session.execute(query.distinct())
        if job is not None and dataset is not None
    }


def flows_of_code(session: Session, jobs: Collection[int], side: str) -> set[tuple[int, int]]:
    """Return which datasets jobs read (``in``) or write (``out``) by the definitions that they run."""
    read = select(Definition.job_id, Field.dataset_id).select_from(Link).join(Definition)
    written = select(Definition.job_id, Link.target_dataset_id).select_from(Link).join(Definition)
    query = read.join(Field, Field.id == Link.source_field_id) if side == "in" else written
    return _pairs(session, query.where(is_among(Definition.job_id, jobs), Link.valid_to.is_(None)))


def last_runs(session: Session, jobs: list[int]) -> dict[int, tuple[Any, str, datetime]]:
    """Return id, state and begin of the last run of each job."""
    query = (
        select(Run.job_id, Run.run_id, Run.state, Run.started_at)
        .where(is_among(Run.job_id, jobs))
        .order_by(Run.job_id, Run.started_at.desc())
        .ext(distinct_on(Run.job_id))
    )
    return {job: (run, state, at) for job, run, state, at in session.execute(query)}
