"""Which runs are meant: words, states, jobs, data and time, as conditions."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta

from sqlalchemy import (
    ColumnElement,
    String,
    case,
    cast,
    exists,
    func,
    or_,
    select,
)
from sqlalchemy.orm import Session

from jalan.runs.search import BadSearch, Wanted, read_search
from jalan.service.context import Context
from jalan.service.errors import Invalid
from jalan.service.runs.same_data import other_names
from jalan.store.among import is_among
from jalan.store.patterns import holding_with_gaps
from jalan.store.schema import Dataset, DatasetName, EventRow, Field, Job, Run, RunDataset

NOBODY = "nobody"
_NAMES = 20_000  # of data, that a search resolves before it looks for runs


@dataclass(slots=True)
class Search:
    """What is looked for. since, until: when runs began; by default the last day there was anything.

    typed: see ``jalan.runs.search``. chosen: values of facets, by name. job, dataset: ids.
    """

    typed: str = ""
    chosen: dict[str, list[str]] = field(default_factory=dict)
    since: datetime | None = None
    until: datetime | None = None
    job: int | None = None
    dataset: int | None = None


def period(session: Session, search: Search) -> tuple[datetime, datetime]:
    """Return the time that is looked at: what is asked for, or the last day in which anything ran."""
    until, since = search.until, search.since
    if until is None:
        last = session.scalars(select(func.max(Run.started_at))).one()
        now = datetime.now(UTC)
        until = now if last is None or last > now - timedelta(days=1) or since is not None else last
        until = max(until, since or until)
    if since is None:
        since = until - timedelta(days=1)
    if since > until:
        raise Invalid("since: this is after “until”")
    return since, until


def found_by(context: Context, search: Search, since: datetime, until: datetime) -> list[ColumnElement[bool]]:
    """Return the conditions of a search. Raises Invalid."""
    wanted = typed(search)
    return [Run.started_at >= since, Run.started_at <= until, *meant(context, search, wanted)]


def typed(search: Search) -> Wanted:
    """Return what was typed. Raises Invalid."""
    try:
        return read_search(search.typed)
    except BadSearch as error:
        raise Invalid(f"q: {error}") from error


def meant(context: Context, search: Search, wanted: Wanted) -> list[ColumnElement[bool]]:
    """Return the conditions of a search, whenever a run began. Raises Invalid."""
    conditions: list[ColumnElement[bool]] = [Run.words.like(holding_with_gaps(word)) for word in wanted.words]
    if wanted.states:
        conditions.append(Run.state.in_(wanted.states))
    conditions += _measured(wanted)
    for name, values in wanted.named.items():
        conditions += [_named(context, name, value) for value in values]
    for name, values in search.chosen.items():
        conditions.append(_chosen(context, name, values))
    if search.job is not None:
        conditions.append(Run.job_id == search.job)
    if search.dataset is not None:
        conditions.append(_touching(context, None, DatasetName.dataset_id == search.dataset))
    return conditions


def _measured(wanted: Wanted) -> list[ColumnElement[bool]]:
    found: list[ColumnElement[bool]] = []
    # What is still running has taken as long as it has until now.
    took = func.coalesce(
        Run.took, case((Run.state == "running", func.extract("epoch", func.now() - Run.started_at)))
    )
    if wanted.longer is not None:
        found.append(took >= wanted.longer)
    if wanted.shorter is not None:
        found.append(took <= wanted.shorter)
    if wanted.rows is not None:
        found.append(Run.rows >= wanted.rows)
    if wanted.larger is not None:
        found.append(Run.bytes >= wanted.larger)
    return found


def _named(context: Context, name: str, value: str) -> ColumnElement[bool]:
    pattern = holding_with_gaps(value)
    if name == "job":
        jobs = select(Job.id).where(func.lower(Job.name).like(pattern))
        return or_(Run.job_id.in_(jobs), Run.parent_job_id.in_(jobs))
    if name == "who":
        return func.lower(Run.who).like(pattern)
    if name == "run":
        return cast(Run.run_id, String).like(pattern)
    if name == "type":
        return exists().where(EventRow.run == Run.run_id, func.lower(EventRow.type).like(pattern))
    if name == "column":
        columns = select(Field.dataset_id).where(func.lower(Field.name).like(pattern))
        return _touching(context, None, DatasetName.dataset_id.in_(columns))
    side = {"read": "in", "wrote": "out"}.get(name)
    return _touching(context, side, func.lower(DatasetName.name).like(pattern))


def _touching(context: Context, side: str | None, which: ColumnElement[bool]) -> ColumnElement[bool]:
    names = select(DatasetName.id).where(which)
    # With the ids themselves PostgreSQL knows how many runs to expect, and takes the way that suits as many.
    ids = context.session.scalars(names.limit(_NAMES + 1)).all()
    if len(ids) <= _NAMES:
        ids = sorted({*ids, *(one for others in other_names(context, ids).values() for one in others)})
    touched = is_among(RunDataset.name_id, ids) if len(ids) <= _NAMES else RunDataset.name_id.in_(names)
    query = select(RunDataset.run).where(touched)
    return Run.id.in_(query if side is None else query.where(RunDataset.side == side))


def _chosen(context: Context, name: str, values: Sequence[str]) -> ColumnElement[bool]:
    if name == "state":
        return Run.state.in_(values)
    if name == "who":
        return Run.who.in_(["" if value == NOBODY else value for value in values])
    if name == "pipeline":
        ids = [int(value) for value in values if value.isdecimal() and len(value) < 10]
        return Run.root_job_id.in_(ids)
    if name == "wrote":
        containers = [int(value) for value in values if value.isdecimal() and len(value) < 10]
        datasets = select(Dataset.id).where(Dataset.container_id.in_(containers))
        return _touching(context, "out", DatasetName.dataset_id.in_(datasets))
    raise Invalid(f"there is no facet “{name[:40]}”; there are state, pipeline, who, wrote")
