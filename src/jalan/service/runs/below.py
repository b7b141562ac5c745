"""What a job and all that it calls, however deep, read and write, taken together."""

from collections import Counter

from sqlalchemy import select, text
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.orm import Session

from jalan.runs.fold import Name
from jalan.service.context import Context
from jalan.service.errors import NotFound
from jalan.service.runs.answers import FlowFact, JobBelow, JobLineage
from jalan.service.runs.job_versions import sides, versions_of
from jalan.service.runs.jobs import flows_of_code, job_brief, last_runs
from jalan.service.runs.same_data import read_as
from jalan.store.among import is_among
from jalan.store.schema import Dataset, DatasetName, Job, System

_MOST_JOBS = 2_000
_SHOWN = 500

# The jobs that each of some jobs has ever called, however often: each step looks for the next one in the index.
_CALLED = text(
    """
    select caller, called.job from unnest(cast(:callers as int[])) caller, lateral (
        with recursive called as (
            (select job_id as job from run where parent_job_id = caller order by job_id limit 1)
            union all
            (select (select job_id from run where parent_job_id = caller and job_id > called.job
                     order by job_id limit 1)
             from called where called.job is not null)
        )
        select job from called where job is not null limit :most
    ) called
    """
)


def job_lineage(context: Context, job_id: int) -> JobLineage:
    """Return what a job and all below it read and write, by their latest versions and by the code that they run.

    Raises NotFound. Cost: the jobs below it.
    """
    session = context.session
    top = session.get(Job, job_id)
    if top is None:
        raise NotFound(f"there is no job {job_id}")
    depth, caller, cut = _below(session, job_id)
    reads, writes = _sides(session, set(depth))
    names = {name for side in (reads, writes) for several in side.values() for name in several}
    known = _known(session, names)
    same = _same(context, known)
    for side in (reads, writes):
        for one, several in side.items():
            side[one] = {same.get(name, name) for name in several}
    order = _as_tree(job_id, caller)
    rows = {row.id: row for row in session.scalars(select(Job).where(is_among(Job.id, order[:_SHOWN])))}
    last = last_runs(session, order[:_SHOWN])
    readers = Counter(name for names in reads.values() for name in names)
    written = sorted({name for names in writes.values() for name in names})
    outside = sorted(readers.keys() - set(written))
    return JobLineage(
        job=job_brief(top),
        jobs=[
            JobBelow(
                job=job_brief(rows[one]),
                depth=depth[one],
                called_by=caller.get(one),
                reads=len(reads.get(one, ())),
                writes=len(writes.get(one, ())),
                last_state=last[one][1] if one in last else None,
                last_at=last[one][2] if one in last else None,
            )
            for one in order[:_SHOWN]
        ],
        jobs_total=len(order),
        reads=[_flow(name, known, 0) for name in outside[:_SHOWN]],
        reads_total=len(outside),
        writes=[_flow(name, known, readers[name]) for name in written[:_SHOWN]],
        writes_total=len(written),
        cut=cut,
    )


def _flow(name: Name, known: dict[Name, int], within: int) -> FlowFact:
    return FlowFact(dataset=known.get(name), namespace=name[0], name=name[1], within=within)


def _below(session: Session, job_id: int) -> tuple[dict[int, int], dict[int, int], bool]:
    """How deep below a job each one lies, by whom it is called first, and whether there are more."""
    depth, caller = {job_id: 0}, {}
    level, cut = [job_id], False
    while level:
        rows = session.execute(_CALLED, {"callers": level, "most": _MOST_JOBS}).all()
        now, level = depth[level[0]], []
        for calling, called in rows:
            if called in depth:
                continue
            if len(depth) == _MOST_JOBS:
                cut = True
                break
            depth[called], caller[called] = now + 1, calling
            level.append(called)
    return depth, caller, cut


def _as_tree(top: int, caller: dict[int, int]) -> list[int]:
    """Each job before those that it calls."""
    called: dict[int, list[int]] = {}
    for job, calling in caller.items():
        called.setdefault(calling, []).append(job)
    found, waiting = [], [top]
    while waiting:
        job = waiting.pop()
        found.append(job)
        waiting += sorted(called.get(job, ()), reverse=True)
    return found


def _sides(session: Session, jobs: set[int]) -> tuple[dict[int, set[Name]], dict[int, set[Name]]]:
    """What each job reads and writes: by its latest version, and by the code that it runs."""
    reads: dict[int, set[Name]] = {}
    writes: dict[int, set[Name]] = {}
    latest = {job: one for (job, _), one in versions_of(session, jobs).items()}
    for job, version in latest.items():
        _, inputs, outputs = sides(version.row)
        reads.setdefault(job, set()).update(inputs)
        writes.setdefault(job, set()).update(outputs)
    by_code = [flows_of_code(session, jobs, side) for side in ("in", "out")]
    ids = {dataset for pairs in by_code for _, dataset in pairs}
    names = _names(session, ids)
    for pairs, side in zip(by_code, (reads, writes), strict=True):
        for job, dataset in pairs:
            if dataset in names:
                side.setdefault(job, set()).add(names[dataset])
    return reads, writes


def _names(session: Session, ids: set[int]) -> dict[int, Name]:
    """Names of datasets: those by which events speak of them, or else those of the catalogue."""
    query = select(Dataset.id, System.namespace, Dataset.name).join(System).where(is_among(Dataset.id, ids))
    found = {id_: (namespace, name) for id_, namespace, name in session.execute(query)}
    spoken = (
        select(DatasetName.dataset_id, DatasetName.namespace, DatasetName.name)
        .where(is_among(DatasetName.dataset_id, ids))
        .order_by(DatasetName.dataset_id, DatasetName.id)
        .ext(distinct_on(DatasetName.dataset_id))
    )
    found.update({id_: (namespace, name) for id_, namespace, name in session.execute(spoken) if id_ is not None})
    return found


def _same(context: Context, known: dict[Name, int]) -> dict[Name, Name]:
    """One name for all names of a dataset: the first in the order of letters."""
    meant = read_as(context, known.values())
    first: dict[int, Name] = {}
    for name in sorted(known):
        first.setdefault(meant[known[name]], name)
    return {name: first[meant[id_]] for name, id_ in known.items()}


def _known(session: Session, names: set[Name]) -> dict[Name, int]:
    """Ids of the datasets that names stand for."""
    query = select(DatasetName.namespace, DatasetName.name, DatasetName.dataset_id).where(
        DatasetName.name.in_([name for _, name in names]), DatasetName.dataset_id.is_not(None)
    )
    found = {(namespace, name): id_ for namespace, name, id_ in session.execute(query) if id_ is not None}
    scanned = (
        select(System.namespace, Dataset.name, Dataset.id)
        .join(System)
        .where(Dataset.name.in_([name for _, name in names]))
    )
    return {**{(namespace, name): id_ for namespace, name, id_ in session.execute(scanned)}, **found}
