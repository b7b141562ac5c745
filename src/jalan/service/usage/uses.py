"""Who uses a dataset."""

from datetime import UTC, date, datetime, timedelta

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from jalan.service.graph_cache.names import DatasetInfo
from jalan.service.usage.answers import UseFact
from jalan.store.schema import QueryField, ReportView, Use

_PEOPLE = 12


_DAYS = 30


def uses(session: Session, info: DatasetInfo, now: datetime | None = None) -> list[UseFact]:
    """Return who used a dataset in the last 30 days, or in those before a time, who did most first. Views of
    reports count as reads."""
    until: date = (now or datetime.now(UTC)).date()
    since = until - timedelta(days=_DAYS)
    ids = [info.id, *info.joined]
    mine = select(QueryField.query_id).where(QueryField.dataset_id.in_(ids)).distinct()
    written = (
        select(QueryField.query_id).where(QueryField.dataset_id.in_(ids), QueryField.how == "written").distinct()
    )
    query = (
        select(
            Use.person,
            Use.application,
            Use.query_id.in_(written).label("writes"),
            func.sum(Use.runs),
            func.max(Use.day),
            func.count(Use.query_id.distinct()),
        )
        .where(Use.query_id.in_(mine), Use.day.between(since, until))
        .group_by(Use.person, Use.application, "writes")
    )
    found = [
        UseFact(person=person or "unknown", application=application, writes=writes, runs=runs, last=last, queries=n)
        for person, application, writes, runs, last, n in session.execute(query)
    ]
    views = (
        select(ReportView.person, func.sum(ReportView.views), func.max(ReportView.day))
        .where(ReportView.dataset_id.in_(ids), ReportView.day.between(since, until))
        .group_by(ReportView.person)
    )
    found += [
        UseFact(person=person, application="views", writes=False, runs=count, last=last, queries=0)
        for person, count, last in session.execute(views)
    ]
    return sorted(found, key=lambda use: (-use.runs, use.person))[:_PEOPLE]
