"""Who may know why a number is wrong: the jobs on the way to it, with their last runs before a moment."""

from collections.abc import Sequence
from datetime import UTC, datetime
from itertools import pairwise
from typing import Any

import numpy as np
from sqlalchemy import func, select, true
from sqlalchemy.dialects.postgresql import array
from sqlalchemy.orm import Session

from jalan.graph.walk import walk
from jalan.runs.facets import checks
from jalan.runs.fold import RunFold
from jalan.runs.suspects import Past, Witness, suspects
from jalan.runs.versions import changes
from jalan.service.context import Context
from jalan.service.runs.answers import JobBrief, SuspectFact, SuspectReason, SuspectsFact
from jalan.service.runs.job_versions import sides
from jalan.service.runs.jobs import flows
from jalan.store.among import is_among
from jalan.store.schema import Job, JobVersion, Run

_MOST = 400  # datasets upstream
_PAST = 400  # runs


def suspects_of(context: Context, dataset_id: int, fields: Sequence[int], at: datetime | None) -> SuspectsFact:
    """Return who is suspected when something in a dataset looks wrong. Raises NotFound.

    fields: ids of the columns or elements that look wrong; all of them where there are none. at: when it looked
    wrong; now by default. Cost: what lies upstream, some hundred datasets at most.
    """
    session, view = context.session, context.graph
    moment = at or datetime.now(UTC)
    position = view.dataset(dataset_id)
    hops = view.pairs.hops(position, False)
    met = np.flatnonzero(hops >= 0).astype(np.int32)
    near = met[np.argsort(hops[met], kind="stable")][:_MOST]
    carriers = _carriers(context, position, fields)
    place = {view.dataset_id(one): int(one) for one in near.tolist()}
    writers, reads = flows(context, list(place))
    nearest: dict[int, int] = {}
    carries: dict[int, bool] = {}
    for dataset, jobs in writers.items():
        for job in jobs:
            nearest[job] = min(nearest.get(job, 1 << 30), int(hops[place[dataset]]))
            carries[job] = carries.get(job, False) or place[dataset] in carriers
    needs = {
        job: tuple({one for dataset in reads.get(job, ()) for one in writers.get(dataset, ())} - {job})
        for job in nearest
    }
    witnesses = _witnesses(session, nearest, carries, needs, moment)
    found = suspects(witnesses, moment)
    names = {
        job.id: JobBrief(id=job.id, namespace=job.namespace, name=job.name)
        for job in session.scalars(select(Job).where(is_among(Job.id, [one.job for one in found])))
    }
    info = context.names.datasets([view.dataset_id(position)])[view.dataset_id(position)]
    return SuspectsFact(
        dataset=info.id,
        name=info.title,
        at=moment,
        looked_at=len(witnesses),
        items=[
            SuspectFact(
                job=names[one.job],
                run=one.run,
                hops=one.hops,
                score=one.score,
                reasons=[SuspectReason(kind=kind, words=words) for kind, words in one.reasons],
            )
            for one in found
        ],
    )


def _carriers(context: Context, position: int, fields: Sequence[int]) -> set[int]:
    """The datasets through which values come."""
    graph = context.graph.graph
    if fields:
        seeds = np.array([context.graph.field(one) for one in fields], dtype=np.int32)
    else:
        seeds, _ = graph.fields_of(np.array([position], dtype=np.int32))
    reach = walk(graph, seeds, downstream=False, by_value=True)
    nodes = reach.nodes[reach.nodes >= 0]
    return {int(one) for one in np.unique(graph.field_dataset[nodes])}


def _witnesses(
    session: Session,
    nearest: dict[int, int],
    carries: dict[int, bool],
    needs: dict[int, tuple[int, ...]],
    moment: datetime,
) -> list[Witness]:
    history = _history(session, sorted(nearest), moment)
    versions = _versions(session, set(nearest))
    last = {job: (runs[0], runs[1:]) for job, runs in history.items() if runs}
    folds = _folds(session, [latest.id for latest, _ in last.values()])
    readers: dict[int, list[int]] = {}
    for job, before in needs.items():
        for one in before:
            readers.setdefault(one, []).append(job)
    found = []
    for job, (latest, earlier) in last.items():
        good = [one for one in earlier if one.state == "done"]
        # Of what called it in the same way: a run by hand is not every night's.
        alike = [one for one in good if one.parent_job_id == latest.parent_job_id]
        gaps = [(a.started_at - b.started_at).total_seconds() for a, b in pairwise(alike)]
        began = _readers_began(latest, [last[one][0] for one in readers.get(job, ()) if one in last])
        changed, data = _changed(latest, good, versions)
        fold = folds.get(latest.id, RunFold())
        found.append(
            Witness(
                job=job,
                hops=nearest[job],
                carries=carries[job],
                needs=needs[job],
                run=latest.run_id,
                state=latest.state,
                started_at=latest.started_at,
                ended_at=latest.ended_at,
                rows=latest.rows,
                past=[Past(one.started_at, one.rows, one.nominal_at) for one in alike],
                every=float(np.median(gaps)) if len(gaps) >= 4 else None,
                message=latest.message.splitlines()[0][:200] if latest.message else "",
                readers_began=began,
                nominal_at=latest.nominal_at,
                changed=changed,
                data_changed=data,
                checks_failed=tuple(
                    f"{check} {column}".strip()
                    for side in [*fold.inputs.values(), *fold.outputs.values()]
                    for check, column, held in checks(side)
                    if not held
                ),
            )
        )
    return found


def _readers_began(latest: Any, readers: Sequence[Any]) -> datetime | None:
    """When the first run that reads what this one writes began, of those that the same run on top has called."""
    if latest.root is None:
        return None
    return min((one.started_at for one in readers if one.root == latest.root), default=None)


def _changed(latest: Any, good: list[Any], versions: dict[tuple[int, str], JobVersion]) -> tuple[str, str]:
    """What is another in the last run than in the one before, in words: code, and what is read or written."""
    if not good:
        return "", ""
    before = good[0]
    code = data = ""
    if latest.code and before.code and latest.code != before.code:
        code = f"ran other code than before {before.started_at:%d %b %H:%M}"
    new, old = versions.get((latest.job_id, latest.version)), versions.get((before.job_id, before.version))
    if new is not None and old is not None:
        data = "; ".join(changes(sides(old), sides(new)).in_words(3, outputs=False))
    return code, data


def _history(session: Session, jobs: list[int], moment: datetime) -> dict[int, list[Any]]:
    """The last runs of jobs before a moment, the latest first."""
    if not jobs:
        return {}
    wanted = select(func.unnest(array(jobs)).label("job")).subquery("wanted")
    columns = (
        Run.id, Run.run_id, Run.job_id, Run.parent, Run.root, Run.parent_job_id, Run.state, Run.started_at,
        Run.ended_at, Run.rows, Run.message, Run.code, Run.version, Run.nominal_at,
    )  # fmt: skip
    last = (
        select(*columns)
        .where(Run.job_id == wanted.c.job, Run.started_at <= moment, Run.events > 0)
        .order_by(Run.started_at.desc())
        .limit(_PAST)
        .lateral("last")
    )
    query = select(last).select_from(wanted).join(last, true())
    found: dict[int, list[Any]] = {}
    for row in session.execute(query.order_by(last.c.job_id, last.c.started_at.desc())):
        found.setdefault(row.job_id, []).append(row)
    return found


def _folds(session: Session, runs: list[int]) -> dict[int, RunFold]:
    rows = session.execute(select(Run.id, Run.fold).where(Run.id.in_(runs)))
    return {id_: RunFold.read(fold) for id_, fold in rows if fold}


def _versions(session: Session, jobs: set[int]) -> dict[tuple[int, str], JobVersion]:
    rows = session.scalars(select(JobVersion).where(is_among(JobVersion.job_id, jobs)))
    return {(row.job_id, row.digest): row for row in rows}
