"""The past: what has happened to a dataset or a job, and what is another at one time than at an earlier one."""

from datetime import datetime
from typing import Annotated

from fastapi import APIRouter, Query

from jalan.service.history.answers import Difference, HistoryPage
from jalan.service.history.difference import Reach, difference
from jalan.service.history.moments import dataset_history, job_history
from jalan.web.deps import Conditions, Hops, Id, Now, Then, zoned

router = APIRouter(prefix="/api/v1")
Limit = Annotated[int, Query(ge=1, le=200)]
Cursor = Annotated[str | None, Query(max_length=200)]


@router.get("/datasets/{dataset}/history")
def get_dataset_history(
    context: Now,
    dataset: Id,
    runs: Annotated[bool, Query(description="Whether the runs that wrote it count.")] = True,
    limit: Limit = 50,
    cursor: Cursor = None,
) -> HistoryPage:
    """What has happened to a dataset, the latest first; each moment is one at which its lineage can be shown."""
    return dataset_history(context, dataset, runs, limit, cursor)


@router.get("/jobs/{job}/history")
def get_job_history(context: Now, job: Id, limit: Limit = 50, cursor: Cursor = None) -> HistoryPage:
    """What has happened to a job: its runs, its versions, the texts that it runs."""
    return job_history(context, job, limit, cursor)


@router.get("/datasets/{dataset}/difference")
def get_difference(
    context: Then,
    dataset: Id,
    since: Annotated[datetime, Query(description="The earlier time (ISO 8601, UTC without a zone).")],
    upstream: Hops = 2,
    downstream: Hops = 2,
    conditions: Conditions = True,
) -> Difference:
    """What came, went and is defined otherwise around a dataset since an earlier time; until now, or ``as_of``."""
    earlier = zoned(since)
    assert earlier is not None
    return difference(context, dataset, earlier, Reach(upstream, downstream, conditions))
