"""When a number looks wrong: the true cause of a planted fault comes first, and where nothing is wrong nobody is
accused."""

from datetime import UTC, datetime, timedelta

import pytest
from sqlalchemy import select

from jalan.demo.nights import FAULTS, Fault
from jalan.demo.pipeline import NAMESPACE, steps
from jalan.service.context import Context
from jalan.service.runs.answers import SuspectsFact
from jalan.service.runs.witnesses import suspects_of
from jalan.store.schema import Dataset
from tests.conftest import Demo

MORNING = datetime.now(UTC).replace(hour=6, minute=0, second=0, microsecond=0)
JOBS = {step.file: step.job for step in steps()}


def asked(demo: Demo, name: str, nights: int) -> SuspectsFact:
    """Who is suspected in the morning after a night."""
    with Context(demo.engine, "test") as context:
        dataset = context.session.scalars(select(Dataset.id).where(Dataset.name == name)).first()
        assert dataset is not None, name
        return suspects_of(context, dataset, (), MORNING - timedelta(days=nights - 1))


def test_the_true_cause_is_first_in_at_least_eight_of_ten(demo: Demo) -> None:
    first = {}
    for fault in FAULTS:
        found = asked(demo, fault.wrong, fault.nights)
        first[fault.file] = found.items[0].job.name if found.items else "nobody"
    wrong = {file: name for file, name in first.items() if name != JOBS[file]}
    assert len(first) == 10
    assert len(wrong) <= 2, wrong


@pytest.mark.parametrize("nights", [5, 16, 30, 47, 60])
def test_nobody_is_accused_where_nothing_is_wrong(demo: Demo, nights: int) -> None:
    assert all(abs(fault.nights - nights) > 1 for fault in FAULTS)
    for name in sorted({fault.wrong for fault in FAULTS}):
        found = asked(demo, name, nights)
        assert found.looked_at >= 2
        assert found.items == [], (name, found.items)


def test_what_is_not_on_the_way_is_not_accused(demo: Demo) -> None:
    fault = next(one for one in FAULTS if one.file == "landing/refunds.sql")
    assert asked(demo, "strait.mart.crew_load", fault.nights).items == []


def test_reasons_are_told_in_words(demo: Demo) -> None:
    def words(fault: Fault) -> str:
        item = asked(demo, fault.wrong, fault.nights).items[0]
        assert item.job.namespace == NAMESPACE
        assert item.run is not None
        return item.reasons[0].words

    by_kind = {fault.kind: words(fault) for fault in FAULTS}
    assert by_kind["few_rows"].startswith("fewer rows than usual: ")
    assert by_kind["failed"].startswith("failed: ")
    assert by_kind["changed"].startswith("ran other code than before ")
    assert "after what reads its data had begun" in by_kind["late"]
