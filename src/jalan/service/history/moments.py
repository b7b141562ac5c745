"""What has happened to a dataset, or to a job: moments, the latest first."""

from collections.abc import Iterable, Iterator, Sequence
from datetime import datetime, timedelta
from itertools import islice
from typing import Any

from sqlalchemy import ColumnElement, Select, and_, case, exists, func, or_, select, tuple_, union
from sqlalchemy.orm import Session, aliased

from jalan.catalog.kinds import FieldKind
from jalan.runs.versions import changes
from jalan.service.context import Context
from jalan.service.cursors import pack, unpack
from jalan.service.errors import NotFound
from jalan.service.history.answers import Happening, HistoryPage, Moment
from jalan.service.runs.job_versions import sides, versions_of
from jalan.store.among import is_among
from jalan.store.past import as_it_changed
from jalan.store.schema import Dataset, DatasetName, Definition, Field, Job, Link, Run, RunDataset

_NAMED = 4
_STATE_WORDS = {"done": "ran", "failed": "failed", "stopped": "was stopped", "running": "is running"}
Told = tuple[datetime, Happening]


def dataset_history(context: Context, dataset_id: int, runs: bool, limit: int, cursor: str | None) -> HistoryPage:
    """Return what has happened to a dataset. Raises NotFound, BadCursor.

    runs: whether the runs that wrote it count. Cost: what ever happened to this dataset.
    """
    session, view = context.session, context.graph
    id_ = view.dataset_id(view.dataset(dataset_id))
    ids = [id_, *view.joined.get(id_, [])]
    page = _Page(session, limit, cursor)
    told = [
        *_seen(session, ids),
        *_columns(session, ids),
        *_facts(session, ids),
        *_definitions(page, _keys_of(ids)),
        *_links_in(page, ids),
        *_links_out(page, context, ids),
    ]
    if runs:
        written = (
            select(RunDataset.run)
            .join(DatasetName, DatasetName.id == RunDataset.name_id)
            .where(is_among(DatasetName.dataset_id, ids), RunDataset.side == "out")
        )
        told += _runs(page, Run.id.in_(written))
    return page.of(told)


def job_history(context: Context, job_id: int, limit: int, cursor: str | None) -> HistoryPage:
    """Return what has happened to a job: its runs, its versions, the texts that it runs. Raises NotFound,
    BadCursor."""
    session = context.session
    if session.get(Job, job_id) is None:
        raise NotFound(f"there is no job {job_id}")
    page = _Page(session, limit, cursor)
    keys = select(Definition.key).where(Definition.job_id == job_id)
    return page.of([*_versions(session, job_id), *_definitions(page, keys), *_runs(page, Run.job_id == job_id)])


# --- pages -----------------------------------------------------------------------------------------------


class _Page:
    """A page of moments, of what several readers tell. Raises BadCursor.

    A reader of many rows gives the latest of them; before the last that it gave there may be others, so nothing is
    shown from there on: the next page begins there.
    """

    def __init__(self, session: Session, limit: int, cursor: str | None) -> None:
        self.session = session
        self._limit = limit
        self._before = None if cursor is None else unpack(cursor, "moments", datetime.fromisoformat)[0]
        self._enough = 20 * (limit + 1)  # rows: several may share a moment
        self._whole_after: datetime | None = None

    def rows(self, query: Select[*tuple[Any, ...]], column: Any) -> Sequence[Any]:
        """Return the latest rows of a query before this page's end. column: the time of each, its first column."""
        earlier = column.is_not(None) if self._before is None else column < self._before
        found = self.session.execute(query.where(earlier).order_by(column.desc()).limit(self._enough)).all()
        if len(found) == self._enough:
            last = to_the_millisecond(found[-1][0])
            self._whole_after = last if self._whole_after is None else max(last, self._whole_after)
        return found

    def of(self, told: Iterable[Told]) -> HistoryPage:
        """Put what was told together by its time."""
        found: dict[datetime, list[Happening]] = {}
        for at, happening in told:
            at = to_the_millisecond(at)
            if self._before is None or at < self._before:
                found.setdefault(at, []).append(happening)
        times = sorted(found, reverse=True)
        # Of a moment with more than a reader gives, what it gave is all there is to show.
        whole = [at for at in times if self._whole_after is None or at > self._whole_after] or times[:1]
        page = [Moment(at=at, happenings=found[at]) for at in whole[: self._limit]]
        more = len(times) > len(page) or self._whole_after is not None
        return HistoryPage(items=page, next=pack([page[-1].at.isoformat()]) if page and more else None)


def to_the_millisecond(at: datetime) -> datetime:
    """Return the first full millisecond at which what happened at a time has happened: browsers count no finer."""
    rest = at.microsecond % 1000
    return at if not rest else at + timedelta(microseconds=1000 - rest)


# --- what is told of a dataset ---------------------------------------------------------------------------


def _seen(session: Session, ids: Sequence[int]) -> Iterator[Told]:
    rows = session.execute(select(Dataset.id, Dataset.name, Dataset.first_seen).where(is_among(Dataset.id, ids)))
    for row in rows:
        words = "first seen" if row.id == ids[0] else f"first seen as {row.name}"
        yield row.first_seen, Happening(kind="seen", words=words)


def _columns(session: Session, ids: Sequence[int]) -> Iterator[Told]:
    """Columns that came, went, came back or got another type. Cost: the columns, and what they once said."""
    rows = {
        row.id: row
        for row in session.execute(
            select(Field.id, Field.name, Field.type, Field.first_seen, Field.gone_since, Field.ordinal)
            .where(is_among(Field.dataset_id, ids), Field.kind != FieldKind.STAR)
            .order_by(Field.ordinal)
        )
    }
    came: dict[datetime, list[str]] = {}
    for row in rows.values():
        came.setdefault(row.first_seen, []).append(row.name)
    for at, names in came.items():
        yield at, Happening(kind="columns", words=_columns_in_words(names, "came"))
    went: dict[tuple[datetime, str], list[str]] = {}
    for change in as_it_changed(session, Field, list(rows)):
        name = rows[change.id].name
        old, new = change.before, change.after
        if (old["gone_since"] is None) != (new["gone_since"] is None):
            went.setdefault((change.at, "went" if new["gone_since"] else "came back"), []).append(name)
        if old["type"] != new["type"] and old["type"] and new["type"]:
            words = f"{name}: {old['type']} became {new['type']}"
            yield change.at, Happening(kind="columns", words=words)
        if old["name"] != new["name"]:
            words = f"{old['name']} is called {new['name']}"
            yield change.at, Happening(kind="columns", words=words)
    for (at, how), names in went.items():
        yield at, Happening(kind="columns", words=_columns_in_words(names, how))


def _facts(session: Session, ids: Sequence[int]) -> Iterator[Told]:
    """Its kind, owner and description, and that it went."""
    for change in as_it_changed(session, Dataset, list(ids)):
        old, new = change.before, change.after
        words = []
        if (old["gone_since"] is None) != (new["gone_since"] is None):
            words.append("it went" if new["gone_since"] else "it came back")
        if old["kind"] != new["kind"]:
            words.append(f"{old['kind'].replace('_', ' ')} became {new['kind'].replace('_', ' ')}")
        if old["name"] != new["name"]:
            words.append(f"{old['name']} is called {new['name']}")
        if old["owner"] != new["owner"]:
            words.append(f"owner is {new['owner'] or 'nobody'}")
        if old["description"] != new["description"]:
            words.append("described otherwise" if new["description"] else "no longer described")
        if old["placeholder"] and not new["placeholder"]:
            words.append("found in its own system")
        for one in words:
            yield change.at, Happening(kind="facts", words=one)


def _keys_of(ids: Sequence[int]) -> Select[Any]:
    """The keys of all texts that ever defined datasets or filled them."""
    linked = select(Link.definition_id).where(is_among(Link.target_dataset_id, ids))
    mine = select(Definition.key).where(is_among(Definition.dataset_id, ids))
    return select(union(mine, select(Definition.key).where(Definition.id.in_(linked))).subquery().c.key)


def _definitions(page: _Page, keys: Select[Any]) -> Iterator[Told]:
    """Texts that came, say something else, or went."""
    other = aliased(Definition)
    continues = exists().where(other.key == Definition.key, other.valid_to == Definition.valid_from)
    begins = select(Definition.valid_from, Definition.id, Definition.place, Definition.author, continues)
    for at, id_, place, author, has_begun in page.rows(
        begins.where(Definition.key.in_(keys)), Definition.valid_from
    ):
        how = "otherwise " if has_begun else ""
        by = f" by {author}" if author else ""
        yield at, Happening(kind="definition", words=f"defined {how}in {place}{by}", definition=id_)
    goes_on = exists().where(other.key == Definition.key, other.valid_from == Definition.valid_to)
    ends = select(Definition.valid_to, Definition.id, Definition.place)
    for at, id_, place in page.rows(ends.where(Definition.key.in_(keys), ~goes_on), Definition.valid_to):
        yield at, Happening(kind="definition", words=f"no longer defined in {place}", definition=id_)


def _links_in(page: _Page, ids: Sequence[int]) -> Iterator[Told]:
    """How many links into it came or went. One that another text proves as well did neither, nor one that ends as
    the same begins: its text has a new version."""
    other = aliased(Link)
    same = and_(
        other.target_dataset_id == Link.target_dataset_id,
        other.source_field_id == Link.source_field_id,
        other.target_field_id.is_not_distinct_from(Link.target_field_id),
        other.kind == Link.kind,
        other.id != Link.id,
    )
    held_before = and_(
        other.valid_from < Link.valid_from, or_(other.valid_to.is_(None), other.valid_to >= Link.valid_from)
    )
    holds_after = and_(
        other.valid_from <= Link.valid_to, or_(other.valid_to.is_(None), other.valid_to > Link.valid_to)
    )
    ends = tuple_(Link.source_field_id, func.coalesce(Link.target_field_id, 0), Link.kind)
    for column, still, how in ((Link.valid_from, held_before, "came"), (Link.valid_to, holds_after, "went")):
        query = (
            select(column, func.count(func.distinct(ends)))
            .where(is_among(Link.target_dataset_id, ids), ~exists().where(same, still))
            .group_by(column)
        )
        for at, count in page.rows(query, column):
            words = f"{count} link{'' if count == 1 else 's'} into it {how}"
            yield at, Happening(kind="links", words=words)


def _links_out(page: _Page, context: Context, ids: Sequence[int]) -> Iterator[Told]:
    """Which datasets began or ceased to read it."""
    began = func.min(Link.valid_from)
    ended = case((~func.bool_or(Link.valid_to.is_(None)), func.max(Link.valid_to)))
    read = (
        select(Link.target_dataset_id, began.label("began"), ended.label("ended"))
        .join(Field, Field.id == Link.source_field_id)
        .where(is_among(Field.dataset_id, ids), ~is_among(Link.target_dataset_id, ids))
        .group_by(Link.target_dataset_id)
        .subquery()
    )
    for column, how in ((read.c.began, "reads it"), (read.c.ended, "no longer reads it")):
        query = select(column, func.array_agg(read.c.target_dataset_id)).group_by(column)
        for at, readers in page.rows(query, column):
            titles = sorted(info.title for info in context.names.datasets(readers[:_NAMED]).values())
            verb = how.replace("reads", "read") if len(readers) > 1 else how
            yield at, Happening(kind="links", words=f"{_some(titles, len(readers))} {verb}")


# --- what runs tell --------------------------------------------------------------------------------------


def _runs(page: _Page, which: ColumnElement[bool]) -> Iterator[Told]:
    query = (
        select(Run.started_at, Run.run_id, Run.state, Run.rows, Run.message, Job.name)
        .join(Job, Job.id == Run.job_id)
        .where(which, Run.events > 0)
    )
    for at, run, state, rows, message, name in page.rows(query, Run.started_at):
        words = f"{name} {_STATE_WORDS.get(state, state)}"
        if rows is not None:
            words += f", {rows:,} rows".replace(",", "\N{NO-BREAK SPACE}")
        if message:
            words += f": {message.splitlines()[0][:200]}"
        yield at, Happening(kind="run", words=words, run=run, state=state)


def _versions(session: Session, job_id: int) -> Iterator[Told]:
    before = None
    for one in versions_of(session, [job_id]).values():
        words = "first told what it does"
        if before is not None:
            told = changes(sides(before), sides(one.row))
            parts = [*(["other code"] if told.code else []), *told.in_words(_NAMED)]
            words = "; ".join(parts) or "as before"
        yield one.first_at, Happening(kind="version", words=f"version {one.number}: {words}")
        before = one.row


def _some(names: Iterable[str], total: int) -> str:
    """The first of some names, and how many there are besides."""
    shown = list(islice(names, _NAMED))
    more = f" and {total - len(shown)} more" if total > len(shown) else ""
    return f"{', '.join(shown)}{more}"


def _columns_in_words(names: Sequence[str], how: str) -> str:
    return f"column{'' if len(names) == 1 else 's'} {_some(names, len(names))} {how}"
