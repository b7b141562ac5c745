"""What is usual for a number that runs tell again and again: how long, how many rows."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from statistics import median
from typing import TypeVar

ENOUGH = 4  # runs, before anything is called usual
_SAME_HOUR = 2_400  # seconds
_SPREAD = 1.4826  # what a median of absolute deviations is of a standard deviation, where they are normal
_FAR = 4.0
_AT_LEAST = 0.2  # of the median: numbers that hardly ever vary may do so a little


N = TypeVar("N", int, float)


@dataclass(frozen=True, slots=True)
class Usual:
    """The middle of what there was, and the bounds beyond which a number is unusual. runs: how many told it."""

    low: float
    middle: float
    high: float
    runs: int

    def judge(self, value: float) -> str:
        """Return low, high, or nothing where a number is as usual."""
        return "low" if value < self.low else "high" if value > self.high else ""


def usual(values: Sequence[float]) -> Usual | None:
    """Return what is usual among numbers, none where they are too few.

    >>> usual([100, 104, 98, 101, 99]).judge(40)
    'low'
    >>> usual([100, 104, 98, 101, 99]).judge(110)
    ''
    """
    if len(values) < ENOUGH:
        return None
    middle = median(values)
    spread = median([abs(value - middle) for value in values]) * _SPREAD
    reach = max(_FAR * spread, _AT_LEAST * abs(middle))
    return Usual(max(0.0, middle - reach), middle, middle + reach, len(values))


def alike(told: Sequence[tuple[datetime, N]], at: datetime) -> list[N]:
    """Return the numbers of runs that are like one that began at a time: those at this hour of this day of the
    week, or else at this hour, or else on this day of the week, or else all; the first that are enough.

    >>> friday = datetime(2026, 11, 27, 2)
    >>> nights = [datetime(2026, 10, day, 2) for day in range(1, 31)]
    >>> alike([(night, night.weekday()) for night in nights], friday)
    [4, 4, 4, 4, 4]
    """
    second, weekday = _second(at), at.weekday()
    hour, day, both, every = [], [], [], []
    for when, number in told:
        every.append(number)
        between = abs(_second(when) - second)
        same_hour = min(between, 86_400 - between) <= _SAME_HOUR
        same_day = when.weekday() == weekday
        if same_hour:
            hour.append(number)
        if same_day:
            day.append(number)
        if same_hour and same_day:
            both.append(number)
    return next((some for some in (both, hour, day) if len(some) >= ENOUGH), every)


def _second(when: datetime) -> int:
    """The second of its day."""
    return when.hour * 3600 + when.minute * 60 + when.second
