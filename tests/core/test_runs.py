"""Events: what is refused and where it is wrong, and what they add up to, whatever order they come in."""

import json
import random
from datetime import UTC, datetime, timedelta
from typing import Any
from uuid import UUID

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jalan.runs import facets
from jalan.runs.events import MOST_DEPTH, BadEvent, canonical, read_event, read_json, read_time
from jalan.runs.fold import RunFold, fold
from jalan.runs.lateness import missed
from jalan.runs.usual import usual
from jalan.runs.versions import changes, growth, version

RUN = "018f2f7a-2d3b-7c44-9a51-6f0f0a7d1c11"
BEGUN = datetime(2026, 11, 27, 2, 0, tzinfo=UTC)


def event(**values: Any) -> dict[str, Any]:
    """A run's event; values replace or add."""
    return {
        "eventType": "START",
        "eventTime": "2026-11-27T02:00:00Z",
        "producer": "urn:ferry",
        "schemaURL": "https://openlineage.io/spec/2-0-2/OpenLineage.json#/$defs/RunEvent",
        "run": {"runId": RUN},
        "job": {"namespace": "ferry", "name": "nightly.tidy.refunds"},
        "inputs": [],
        "outputs": [],
        **values,
    }


# --- what is refused -------------------------------------------------------------------------------------

WRONG = [
    ([], "$"),
    ({"eventTime": None}, "$.eventTime"),
    ({"eventTime": "yesterday"}, "$.eventTime"),
    ({"eventTime": "0001-01-01T00:00:00Z"}, "$.eventTime"),
    ({"eventTime": 1764208800}, "$.eventTime"),
    ({"producer": ""}, "$.producer"),
    ({"schemaURL": 3}, "$.schemaURL"),
    ({"eventType": "STARTED"}, "$.eventType"),
    ({"run": {"runId": "17"}}, "$.run.runId"),
    ({"run": []}, "$.run"),
    ({"job": {"namespace": "ferry"}}, "$.job.name"),
    ({"job": {"namespace": "ferry", "name": "x" * 1001}}, "$.job.name"),
    ({"job": {"namespace": "ferry", "name": "a", "facets": {"sql": "select 1"}}}, "$.job.facets.sql"),
    ({"inputs": {}}, "$.inputs"),
    ({"inputs": [{"namespace": "n", "name": "a"}, {"namespace": "n"}]}, "$.inputs[1].name"),
    ({"outputs": [{"namespace": "n", "name": "a", "outputFacets": []}]}, "$.outputs[0].outputFacets"),
    ({"run": {"runId": RUN, "facets": {"parent": {"run": {}, "job": {}}}}}, "$.run.facets.parent.run.runId"),
    (
        {"run": {"runId": RUN, "facets": {"parent": {"run": {"runId": RUN}, "job": {"name": "a"}}}}},
        "$.run.facets.parent.job.namespace",
    ),
]


@pytest.mark.parametrize(("values", "path"), WRONG)
def test_what_is_wrong_is_told_by_its_path(values: Any, path: str) -> None:
    body = values if isinstance(values, list) else event(**values)
    with pytest.raises(BadEvent) as told:
        read_event(body)
    assert told.value.path == path
    assert str(told.value).startswith(f"{path}: ")


def test_an_event_without_subject_is_refused() -> None:
    body = event()
    for name in ("run", "job", "eventType"):
        del body[name]
    with pytest.raises(BadEvent, match="“run” with “job”"):
        read_event(body)


@pytest.mark.parametrize(
    ("text", "path"),
    [
        ('{"a": {"b": ["x", "tide\\u0000"]}}', "$.a.b[1]"),
        ('{"a": {"b\\u0000": 1}}', "$.a.b\\x00"),
        ('{"a": ["\\ud800"]}', "$.a[0]"),
        ('{"a": NaN}', "$.a"),
        ('{"a": [1, -Infinity]}', "$.a[1]"),
        ('{"a": 1e999}', "$.a"),
        ('{"a": 1', "$"),
        ("", "$"),
        ("[" * 100_000, "$"),
    ],
)
def test_what_no_store_can_hold_is_refused_by_its_path(text: str, path: str) -> None:
    with pytest.raises(BadEvent) as told:
        read_json(text.encode())
    assert told.value.path == path


def test_depth_is_bounded_and_what_is_allowed_is_read() -> None:
    deep = "[" * MOST_DEPTH + "]" * MOST_DEPTH
    assert read_json(deep.encode()) is not None
    with pytest.raises(BadEvent, match="brackets"):
        read_json(f"[{deep}]".encode())
    assert read_json(("[" + "[]," * 5_000 + "[]]").encode())


def test_numbers_keep_every_digit() -> None:
    long = "123456789012345678901234567890"
    assert read_json(f'{{"n": {long}}}'.encode()) == {"n": int(long)}
    assert canonical(read_json(f'{{"n": {long}}}'.encode())) == f'{{"n":{long}}}'.encode()
    one, other = (
        read_event(read_json(json.dumps(event(rows=0)).replace('"rows": 0', f'"rows": {n}').encode()))
        for n in (9007199254740993, 9007199254740992)
    )
    assert one.digest != other.digest


def test_the_same_content_is_the_same_event() -> None:
    body = event(zone="quay")
    turned = dict(reversed(body.items()))
    assert read_event(body).digest == read_event(json.loads(json.dumps(turned, indent=3))).digest
    assert read_event(body).digest != read_event(event(zone="pier")).digest


def test_times_without_zone_are_utc_and_zones_are_kept() -> None:
    assert read_time("2026-03-01T04:30:00") == datetime(2026, 3, 1, 4, 30, tzinfo=UTC)
    assert read_time("2026-03-01T04:30:00+02:00") == datetime(2026, 3, 1, 2, 30, tzinfo=UTC)
    assert read_time("9999-12-31T23:59:59-12:00") is None


# --- what events add up to -------------------------------------------------------------------------------

facet = st.fixed_dictionaries({"_producer": st.just("urn:ferry"), "rowCount": st.integers(0, 9)})
sides = st.lists(
    st.fixed_dictionaries(
        {
            "namespace": st.just("n"),
            "name": st.sampled_from("abc"),
            "facets": st.dictionaries(st.sampled_from("xy"), facet),
        }
    ),
    max_size=3,
)
told = st.lists(
    st.builds(
        lambda kind, minutes, inputs, outputs, of_run, of_job: event(
            eventType=kind,
            eventTime=(BEGUN + timedelta(minutes=minutes)).isoformat(),
            inputs=inputs,
            outputs=outputs,
            run={"runId": RUN, "facets": of_run},
            job={"namespace": "ferry", "name": "tides", "facets": of_job},
        ),
        st.sampled_from(("START", "RUNNING", "COMPLETE", "ABORT", "FAIL", "OTHER")),
        st.integers(0, 4),  # several at the same time
        sides,
        sides,
        st.dictionaries(st.sampled_from("uv"), facet),
        st.dictionaries(st.sampled_from("st"), facet),
    ),
    min_size=1,
    max_size=7,
)


@given(told, st.randoms(use_true_random=False))
def test_any_order_any_number_of_times_the_state_is_the_same(
    bodies: list[dict[str, Any]], dice: random.Random
) -> None:
    events = [read_event(body) for body in bodies]
    expected = fold(events)
    again = [*events, *dice.choices(events, k=dice.randint(0, 5))]
    dice.shuffle(again)
    assert fold(again) == expected
    # Kept in between, and taken up again: as the store does it.
    state = RunFold()
    for one in again:
        state.add(one)
        state = RunFold.read(json.loads(canonical(state.write())))
    assert state == expected


@given(told, st.integers(0, 6))
def test_what_comes_after_a_pause_ends_in_the_same(bodies: list[dict[str, Any]], cut: int) -> None:
    events = [read_event(body) for body in bodies]
    state = RunFold.read(json.loads(canonical(fold(events[:cut]).write()))) if events[:cut] else RunFold()
    for one in events[cut:]:
        state.add(one)
    assert state == fold(events)


@pytest.mark.parametrize(
    ("kinds", "state"),
    [
        (["START"], "running"),
        (["START", "RUNNING"], "running"),
        (["START", "COMPLETE"], "done"),
        (["COMPLETE", "RUNNING"], "done"),  # told late
        (["FAIL", "COMPLETE"], "done"),
        (["COMPLETE", "FAIL"], "failed"),
        (["START", "ABORT"], "stopped"),
        (["OTHER"], "unknown"),
    ],
)
def test_an_end_counts_more_than_what_comes_later_without_being_one(kinds: list[str], state: str) -> None:
    events = [
        read_event(event(eventType=kind, eventTime=(BEGUN + timedelta(minutes=n)).isoformat()))
        for n, kind in enumerate(kinds)
    ]
    assert fold(events).state == state


def test_a_version_is_another_one_when_code_inputs_or_outputs_are() -> None:
    def done(sql: str, *inputs: str) -> RunFold:
        job = {"namespace": "ferry", "name": "tides", "facets": {"sql": {"query": sql}}}
        read = [{"namespace": "n", "name": name} for name in inputs]
        return fold([read_event(event(eventType="COMPLETE", job=job, inputs=read))])

    first, same, code, data = (
        done("select 1", "a", "b"),
        done("select 1", "b", "a"),
        done("select 2", "a", "b"),
        done("select 1", "a", "c"),
    )
    versions = [version(one) for one in (first, same, code, data)]
    digests = [one.digest for one in versions if one is not None]
    assert digests[0] == digests[1]
    assert len(set(digests)) == 3
    a, b = versions[0], versions[3]
    assert a is not None
    assert b is not None
    told = changes((a.code_digest, a.inputs, a.outputs), (b.code_digest, b.inputs, b.outputs))
    assert (told.code, told.inputs_added, told.inputs_gone) == (False, (("n", "c"),), (("n", "b"),))
    assert version(fold([read_event(event(eventType="FAIL"))])) is None


def test_what_runs_on_tells_a_version_when_it_finds_more() -> None:
    def running(minute: int, *topics: str, kind: str = "RUNNING") -> Any:
        time = (BEGUN + timedelta(minutes=minute)).isoformat()
        read = [{"namespace": "kafka://quay:9092", "name": topic} for topic in topics]
        return read_event(
            event(eventType=kind, eventTime=time, inputs=read, outputs=[{"namespace": "n", "name": "t"}])
        )

    begun = fold([running(0, "gates", kind="START")])
    assert version(begun) is None
    first, more = fold([running(1, "gates")]), fold([running(1, "gates"), running(2, "gates", "north-gates")])
    one, other = version(first), version(more)
    assert one is not None
    assert other is not None
    told = changes((one.code_digest, one.inputs, one.outputs), (other.code_digest, other.inputs, other.outputs))
    assert [name for _, name in told.inputs_added] == ["north-gates"]
    assert growth(first) == []
    assert growth(more) == [(BEGUN + timedelta(minutes=1), one), (BEGUN + timedelta(minutes=2), other)]
    # What is told late, or out of order, tells the same.
    assert growth(fold([running(2, "gates", "north-gates"), running(1, "gates")])) == growth(more)
    assert growth(RunFold.read(json.loads(json.dumps(more.write())))) == growth(more)
    # A state that was kept before times were has been one version all the time.
    kept = more.write()
    kept |= {side: [one[:4] for one in kept[side]] for side in ("inputs", "outputs")}
    assert RunFold.read(kept).inputs.keys() == more.inputs.keys()
    assert growth(RunFold.read(kept)) == []
    # What has ended was what it was in the end.
    assert growth(fold([running(1, "gates"), running(2, "north-gates"), running(3, kind="COMPLETE")])) == []


def test_facets_that_are_not_as_they_should_be_say_nothing() -> None:
    broken = {
        name: {
            "run": 1,
            "job": [],
            "message": {},
            "tags": 3,
            "environmentVariables": [1, {"name": 2}],
            "parameters": 7,
        }
        for name in (
            "errorMessage",
            "tags",
            "environmentVariables",
            "executionParameters",
            "nominalTime",
            "externalQuery",
        )
    }
    run = fold([read_event(event(run={"runId": RUN, "facets": broken}))])
    assert facets.message(run) == ("", "")
    assert facets.parameters(run) == {}
    assert facets.nominal(run) == (None, None)
    assert facets.caller(run) is None
    assert facets.code(run) is None


def test_callers_parameters_and_amounts_are_read() -> None:
    parent = {
        "run": {"runId": RUN},
        "job": {"namespace": "ferry", "name": "nightly"},
        "root": {"run": {"runId": RUN}, "job": {"namespace": "ferry", "name": "nightly"}},
    }
    variables = {
        "environmentVariables": [{"name": "SAILING_DAY", "value": "2026-11-26"}, {"name": "USER", "value": "quay"}]
    }
    out = {
        "namespace": "n",
        "name": "tidy.refunds",
        "facets": {"version": {"datasetVersion": "17"}},
        "outputFacets": {"outputStatistics": {"rowCount": 8140, "size": 1 << 70}},
    }
    run = fold(
        [
            read_event(
                event(
                    run={"runId": RUN, "facets": {"parent": parent, "environmentVariables": variables}},
                    outputs=[out],
                )
            )
        ]
    )
    called = facets.caller(run)
    assert called is not None
    assert (called.run, called.job, called.root) == (UUID(RUN), ("ferry", "nightly"), UUID(RUN))
    assert facets.parameters(run)["SAILING_DAY"] == "2026-11-26"
    assert facets.who(run) == "quay"
    side = run.outputs["n", "tidy.refunds"]
    assert facets.amount(side, True) == facets.Amount(8140, None)
    assert facets.dataset_version(side) == "17"


def test_few_numbers_are_not_usual_and_a_little_more_is_not_unusual() -> None:
    assert usual([3, 4, 5]) is None
    steady = usual([1000] * 9)
    assert steady is not None
    assert (steady.judge(1001), steady.judge(300), steady.judge(5000)) == ("", "low", "high")


@pytest.mark.parametrize(
    ("last", "now", "schedule", "every", "due"),
    [
        ("27 02:05", "28 02:30", "0 2 * * *", None, None),  # an hour's grace
        ("27 02:05", "28 03:00", "0 2 * * *", None, "28 02:00"),
        ("27 01:59:30", "27 12:00", "0 2 * * *", None, None),  # clocks differ
        ("26 02:05", "28 02:30", "0 2 * * *", None, "27 02:00"),
        ("27 11:55", "27 12:01", "*/5 * * * *", None, None),
        ("27 11:55", "27 12:02", "*/5 * * * *", None, "27 12:00"),
        ("27 02:00", "27 03:29", None, 60, None),
        ("27 02:00", "27 03:31", None, 60, "27 03:00"),
        ("27 02:00", "27 03:31", "every full moon", 60, "27 03:00"),
        ("27 02:00", "28 02:00", None, None, None),
    ],
)
def test_a_job_is_late_by_its_schedule_or_by_its_habit(
    last: str, now: str, schedule: str | None, every: int | None, due: str | None
) -> None:
    def at(written: str) -> datetime:
        day, time = written.split()
        return datetime.fromisoformat(f"2026-11-{day}T{time}")

    found = missed(at(last), at(now), schedule, None if every is None else timedelta(minutes=every))
    assert found == (None if due is None else at(due))
