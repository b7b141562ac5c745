"""What may have made a number wrong: what ran otherwise than usual on the way to it, the likeliest cause first.

How it ranks (``docs/runs.md`` has the weights):

1. Each job on the way is looked at for what is odd in its last run: it failed, did not run, ran after those that
   read what it writes, ran twice where it usually runs once, filled in an earlier day over a later one, wrote an
   unusual number of rows for that hour and day of the week, failed a check, ran other code or read other data than
   the time before.
2. What an oddity further upstream explains is no cause: rows that are few because those it read were few, a job
   that did not run because one that it needs failed.
3. What carries values of the number counts more than what only decides about it; what is far more unusual counts
   more; of two alike the nearer one comes first.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from uuid import UUID

import numpy as np

from jalan.runs.usual import ENOUGH, alike

FAILED, MISSING, LATE, ROWS, CHECK = "failed", "missing", "late", "rows", "check"
CODE, DATA, TWICE, ORDER = "code", "data", "twice", "order"
_WEIGHTS = {
    FAILED: 1.0,
    CHECK: 0.9,
    MISSING: 0.85,
    ROWS: 0.8,
    CODE: 0.65,
    DATA: 0.6,
    LATE: 0.6,
    TWICE: 0.7,
    ORDER: 0.75,
}
_SOON = 0.25  # of the usual time between two runs
_EXPLAINED = 0.1
_LEAST = 0.2
_ONLY_DECIDES = 0.5
_FAR = 5.0
_RATIO = 1.6  # less than that is no oddity, however steady it was before


@dataclass(frozen=True, slots=True)
class Past:
    """An earlier good run of a job: when it began, the rows that it wrote, and the time that it was meant for."""

    at: datetime
    rows: int | None
    nominal_at: datetime | None = None


@dataclass(frozen=True, slots=True)
class Witness:
    """A job on the way to a number, with its last run before the moment that is asked about.

    hops: of the nearest dataset that it writes. carries: whether values come through it, and not only conditions.
    needs: jobs whose output it reads. every: seconds from one run to the next, usually. readers_began: when the
    first of those that read what it writes began, in the same run of the pipeline. changed, data_changed: what is
    another than in the run before, in words.
    """

    job: int
    hops: int
    carries: bool
    needs: tuple[int, ...]
    run: UUID | None
    state: str
    started_at: datetime
    ended_at: datetime | None
    rows: int | None
    past: Sequence[Past] = ()
    every: float | None = None
    message: str = ""
    readers_began: datetime | None = None
    changed: str = ""
    data_changed: str = ""
    checks_failed: tuple[str, ...] = ()
    nominal_at: datetime | None = None


@dataclass(frozen=True, slots=True)
class Suspect:
    """A job with why it is suspected. score: from 0 to 1. reasons: kind and words, the weightiest first."""

    job: int
    run: UUID | None
    hops: int
    score: float
    reasons: tuple[tuple[str, str], ...]


@dataclass(slots=True)
class _Case:
    witness: Witness
    found: dict[str, tuple[float, str]] = field(default_factory=dict)


def suspects(witnesses: Sequence[Witness], asked_at: datetime) -> list[Suspect]:
    """Return who is suspected, the likeliest first; nobody where nothing is odd."""
    cases = {one.job: _Case(one, dict(_oddities(one, asked_at))) for one in witnesses}
    explained = _explained(cases)
    found = []
    for job, case in cases.items():
        reasons = []
        for kind, (much, words) in case.found.items():
            weight = _WEIGHTS[kind] * much
            if kind in (ROWS, MISSING, LATE, CHECK) and job in explained:
                weight *= _EXPLAINED
            if not case.witness.carries:
                weight *= _ONLY_DECIDES
            reasons.append((weight, kind, words))
        reasons.sort(reverse=True)
        # Further reasons make it likelier, each by less.
        score = 1.0 - math.prod(1.0 - weight for weight, _, _ in reasons)
        if score >= _LEAST:
            listed = tuple((kind, words) for weight, kind, words in reasons)
            found.append(Suspect(job, case.witness.run, case.witness.hops, round(score, 3), listed))
    return sorted(found, key=lambda one: (-one.score, one.hops, one.job))


def _oddities(one: Witness, asked_at: datetime) -> list[tuple[str, tuple[float, str]]]:
    found: list[tuple[str, tuple[float, str]]] = []
    if one.state in ("failed", "stopped"):
        words = f"{one.state}: {one.message}" if one.message else one.state
        found.append((FAILED, (1.0, words)))
    if one.every is not None and one.state != "running":
        missed = (asked_at - one.started_at).total_seconds() / one.every
        if missed > 1.5:
            found.append((MISSING, (min(1.0, missed / 2), f"did not run; usually every {_lasting(one.every)}")))
    if one.readers_began is not None and one.ended_at is not None and one.readers_began < one.ended_at:
        by = (one.ended_at - one.readers_began).total_seconds()
        found.append((LATE, (1.0, f"ended {_lasting(by)} after what reads its data had begun")))
    if one.state == "done" and one.past and one.every is not None:
        since = (one.started_at - one.past[0].at).total_seconds()
        if since < _SOON * one.every:
            found.append((TWICE, (1.0, f"ran twice within {_lasting(since)}; usually every {_lasting(one.every)}")))
    if one.nominal_at is not None:
        later = [past.nominal_at for past in one.past if past.nominal_at and past.nominal_at > one.nominal_at]
        if later:
            words = f"ran for {one.nominal_at:%d %b %H:%M} after it had run for {max(later):%d %b %H:%M}"
            found.append((ORDER, (1.0, words)))
    if one.state == "done" and (odd := _rows(one)) is not None:
        found.append((ROWS, odd))
    if one.checks_failed:
        found.append((CHECK, (1.0, f"failed checks: {', '.join(one.checks_failed[:3])}")))
    if one.changed:
        found.append((CODE, (1.0, one.changed)))
    if one.data_changed:
        found.append((DATA, (1.0, one.data_changed)))
    return found


def _rows(one: Witness) -> tuple[float, str] | None:
    """How unusual the number of rows is, beside runs that are like this one."""
    if one.rows is None:
        return None
    told = [(past.at, past.rows) for past in one.past if past.rows is not None]
    numbers = alike(told, one.started_at)
    if len(numbers) < ENOUGH:
        return None
    logs = np.log1p(np.asarray(numbers, dtype=np.float64))
    middle = float(np.median(logs))
    spread = max(float(np.median(np.abs(logs - middle))) * 1.4826, 0.03)
    away = abs(math.log1p(one.rows) - middle)
    if away < _FAR * spread or away < math.log(_RATIO):
        return None
    usually = round(math.expm1(middle))
    much = min(1.0, 0.6 + 0.4 * away / math.log(4))
    return much, f"{'fewer' if one.rows < usually else 'more'} rows than usual: {one.rows:,}, usually {usually:,}"


def _explained(cases: Mapping[int, _Case]) -> set[int]:
    """Jobs that need, directly or not, another one in which something is odd that would explain theirs."""
    causes = {job for job, case in cases.items() if {FAILED, ROWS, MISSING, LATE, CHECK} & case.found.keys()}
    found: set[int] = set()
    for job in cases:
        seen, waiting = {job}, list(cases[job].witness.needs)
        while waiting:
            other = waiting.pop()
            if other in seen or other not in cases:
                continue
            seen.add(other)
            if other in causes:
                found.add(job)
                break
            waiting += cases[other].witness.needs
    return found


def _lasting(seconds: float) -> str:
    if seconds < 90:
        return f"{seconds:.0f} s"
    if seconds < 5400:
        return f"{seconds / 60:.0f} min"
    return f"{seconds / 3600:.0f} h" if seconds < 172_800 else f"{seconds / 86_400:.0f} d"
