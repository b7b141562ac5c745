"""What is usual for a number that runs tell again and again: how long, how many rows."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

_ENOUGH = 4  # runs, before anything is called usual
_SPREAD = 1.4826  # what a median of absolute deviations is of a standard deviation, where they are normal
_FAR = 4.0
_AT_LEAST = 0.2  # of the median: numbers that hardly ever vary may do so a little


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
    if len(values) < _ENOUGH:
        return None
    numbers = np.asarray(values, dtype=np.float64)
    middle = float(np.median(numbers))
    spread = float(np.median(np.abs(numbers - middle))) * _SPREAD
    reach = max(_FAR * spread, _AT_LEAST * abs(middle))
    return Usual(max(0.0, middle - reach), middle, middle + reach, len(numbers))
