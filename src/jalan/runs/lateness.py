"""Whether a job should have run by now: by its schedule where it has one, or else by what it does usually."""

from datetime import datetime, timedelta

from croniter import CroniterError, croniter

_HABIT = 1.5  # times the usual time between two runs
_GRACE = 0.25  # of the time between two that are due
_MOST_GRACE = timedelta(hours=1)
_EARLY = timedelta(minutes=1)  # clocks differ


def missed(
    last_start: datetime, now: datetime, schedule: str | None = None, every: timedelta | None = None
) -> datetime | None:
    """Return when a job should have run since its last run began, none where it is not late.

    schedule: five fields as of cron, in UTC; one that nobody can read counts as none. every: the usual time between
    two runs, none where nobody knows.

    >>> night = datetime(2026, 11, 27, 2, 5)
    >>> missed(night, datetime(2026, 11, 28, 2, 30), "0 2 * * *") is None
    True
    >>> missed(night, datetime(2026, 11, 28, 5), "0 2 * * *")
    datetime.datetime(2026, 11, 28, 2, 0)
    """
    if schedule is not None:
        due = _due(schedule, now)
        if due is not None:
            return due if last_start < due - _EARLY else None
    if every is not None and now - last_start > _HABIT * every:
        return last_start + every
    return None


def _due(schedule: str, now: datetime) -> datetime | None:
    """The last time that a schedule was due so long ago that a run must have begun."""
    try:
        times = croniter(schedule, now)
        last: datetime = times.get_prev(datetime)
        before: datetime = times.get_prev(datetime)
    except (CroniterError, ValueError, OverflowError):
        return None
    grace = min(_MOST_GRACE, _GRACE * (last - before))
    return last if now - last >= grace else before
