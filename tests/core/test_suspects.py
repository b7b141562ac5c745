"""Suspects: what is odd, what something further upstream explains, and what is no oddity at all."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from typing import Any
from uuid import UUID

from jalan.runs.order import upstream_order
from jalan.runs.suspects import Past, Suspect, Witness, suspects
from jalan.runs.timetable import in_order

NIGHT = datetime(2026, 11, 27, 2, 0, tzinfo=UTC)
MORNING = NIGHT + timedelta(hours=4)
DAY = 86_400.0


def witness(job: int, *needs: int, **values: Any) -> Witness:
    """A job of each night that went as usual; values replace."""
    past = [Past(NIGHT - timedelta(days=n), 1000 + n % 3, NIGHT - timedelta(days=n)) for n in range(1, 40)]
    usual = Witness(
        job, 3, True, needs, UUID(int=job), "done", NIGHT, NIGHT + timedelta(minutes=2), 1001, past, DAY,
        nominal_at=NIGHT,
    )  # fmt: skip
    return replace(usual, **values)


def accused(*witnesses: Witness) -> list[Suspect]:
    return suspects(witnesses, MORNING)


def kinds(one: Suspect) -> list[str]:
    return [kind for kind, _ in one.reasons]


def test_nobody_is_accused_where_all_is_as_usual() -> None:
    assert accused(witness(1), witness(2, 1), witness(3, 2)) == []
    # A little more than ever, of a job that hardly varies.
    assert accused(witness(1, rows=1200)) == []
    # Too few runs to know what is usual.
    assert accused(witness(1, rows=9, past=[Past(NIGHT - timedelta(days=1), 1000)], every=None)) == []


def test_what_something_further_upstream_explains_is_no_cause() -> None:
    found = accused(witness(1, rows=300), witness(2, 1, rows=310), witness(3, 2, rows=290))
    assert [one.job for one in found] == [1]
    before = {"started_at": NIGHT - timedelta(days=1), "past": witness(2).past[1:]}
    failed = accused(witness(1, state="failed", message="fog"), witness(2, 1, nominal_at=None, **before))
    assert [(one.job, one.reasons[0]) for one in failed] == [(1, ("failed", "failed: fog"))]
    # Other code is a cause of its own, whatever happened before.
    assert {one.job for one in accused(witness(1, rows=300), witness(2, 1, changed="ran other code"))} == {1, 2}


def test_what_carries_the_number_counts_more_and_of_two_alike_the_nearer() -> None:
    found = accused(witness(1, rows=300, carries=False), witness(2, rows=300, hops=5), witness(3, rows=300, hops=2))
    assert [one.job for one in found] == [3, 2, 1]


def test_a_race_a_doubled_run_and_a_backfill_in_the_wrong_order_are_seen() -> None:
    race = witness(1, ended_at=NIGHT + timedelta(minutes=50), readers_began=NIGHT + timedelta(minutes=9))
    assert kinds(accused(race)[0]) == ["late"]
    earlier = [Past(NIGHT - timedelta(minutes=20), 1000, NIGHT), *witness(1).past]
    assert kinds(accused(witness(1, past=earlier))[0]) == ["twice"]
    back = accused(witness(1, nominal_at=NIGHT - timedelta(days=5)))[0]
    assert back.reasons[0] == ("order", "ran for 22 Nov 02:00 after it had run for 26 Nov 02:00")


def test_the_hour_and_the_day_of_the_week_are_compared_with_their_like() -> None:
    # A loader of every half hour that has much to do by day and little at night.
    def rows(at: datetime) -> int:
        return 5000 if 8 <= at.hour < 20 else 100

    halves = [NIGHT - timedelta(minutes=30 * n) for n in range(1, 400)]
    past = [Past(at, rows(at)) for at in halves]
    night = witness(1, past=past, rows=100, every=1800.0, nominal_at=None)
    assert suspects([night], NIGHT + timedelta(minutes=20)) == []
    assert kinds(suspects([replace(night, rows=5000)], NIGHT + timedelta(minutes=20))[0]) == ["rows"]


def test_a_job_that_did_not_run_is_missed_only_after_its_time() -> None:
    before = NIGHT - timedelta(days=1)
    last = witness(1, started_at=before, ended_at=before, nominal_at=before, past=witness(1).past[1:])
    assert suspects([last], NIGHT + timedelta(hours=1)) == []
    assert kinds(suspects([last], NIGHT + timedelta(hours=20))[0]) == ["missing"]


def test_what_must_run_stands_in_order_and_circles_stand_together() -> None:
    # 1 and 2 need one another; 3 needs what 2 writes.
    writers = {10: [1], 20: [2], 30: [3], 40: [4]}
    reads = {1: [20], 2: [10], 3: [20], 4: []}
    found = upstream_order(30, writers, reads)
    assert (found.jobs, found.circles) == ([1, 2, 3], [[0, 1]])
    assert found.after[2] == [1]
    assert upstream_order(99, writers, reads).jobs == []


def test_stations_stand_in_the_order_in_which_most_data_goes() -> None:
    flows = {("c", "d"): 5, ("a", "b"): 3, ("b", "c"): 4, ("d", "b"): 1, ("d", "d"): 9}
    assert in_order(flows, ["lonely"]) == ["a", "lonely", "b", "c", "d"]
