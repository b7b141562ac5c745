"""Ninety days of the pipeline's past, made up: events as a runner would have sent them, with faults whose cause is
known."""

import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from typing import Any
from uuid import UUID

import numpy as np
from sqlalchemy import Engine, text

from jalan.demo.pipeline import (
    NAMESPACE,
    PIPELINE,
    PRODUCER,
    REPOSITORY,
    ROW_BYTES,
    SCANNED,
    SERVER,
    TOPIC,
    Step,
    steps,
)
from jalan.formats.openlineage_run import Teller
from jalan.service.runs.intake import one_event
from jalan.store.repositories import events as store

DAYS = 90
_SEED = 20_261_127
_AT_ONCE = 2_000
_STATISTICS = "1-0-2/OutputStatisticsOutputDatasetFacet.json"
_TELLER = Teller(PRODUCER)
_WEEKDAY = (1.0, 0.96, 0.97, 1.02, 1.25, 1.6, 1.45)  # how much more the ferries carry, Monday first
_BOARD = "mart/sailing_board.sql"
_BOARD_CHANGED = datetime(2026, 9, 14, tzinfo=UTC)


@dataclass(frozen=True, slots=True)
class Fault:
    """Something that went wrong in a night. nights: how many ago. file: of the step that is its cause.

    kind: failed, late, few_rows, many_rows, or changed (other code). wrong: a table in which it shows.
    """

    nights: int
    kind: str
    file: str
    wrong: str
    message: str = ""


FAULTS = (
    Fault(1, "failed", "tidy/refunds.sql", "strait.mart.refund_watch", 'column "reason_code" does not exist'),
    Fault(8, "few_rows", "landing/tickets.sql", "strait.mart.route_month"),
    Fault(
        13, "failed", "landing/payments.sql", "strait.tidy.payments", "server closed the connection unexpectedly"
    ),
    Fault(19, "late", "landing/bookings.sql", "strait.mart.channel_mix"),
    Fault(26, "changed", "core/crew_hours.sql", "strait.mart.crew_load"),
    Fault(33, "many_rows", "landing/refunds.sql", "strait.mart.refund_watch"),
    Fault(41, "failed", "core/sailing_revenue.sql", "strait.mart.sailing_board", "division by zero"),
    Fault(52, "few_rows", "landing/incidents.sql", "strait.mart.punctuality"),
    Fault(64, "failed", "landing/passengers.sql", "strait.mart.loyalty", "canceling statement due to lock timeout"),
    Fault(77, "changed", "mart/seat_yield.sql", "strait.mart.seat_yield"),
)


@dataclass(slots=True)
class _Night:
    """One night under way. broken: tables that were not filled. shares: how much of the usual others have."""

    start: datetime
    dice: np.random.Generator
    faults: dict[str, Fault]
    number: int
    counts: Mapping[str, int]
    broken: set[str] = field(default_factory=set)
    shares: dict[str, float] = field(default_factory=dict)
    runs: int = 0

    def run(self) -> str:
        """The id of the next run of this night; the same each time that the past is made."""
        self.runs += 1
        return str(UUID(int=(0x0195 << 112) | (7 << 76) | (2 << 62) | (self.number << 16) | self.runs))


_NIGHT, _OVER, _EVENING = 2, 4, -4  # hours


def write_past(engine: Engine, counts: Mapping[str, int], now: datetime | None = None) -> int:
    """Put the events of the past into a store that has none of them; returns how many there are.

    counts: rows of each table of the warehouse today; the past had about as many. What would come after now has not
    happened yet.
    """
    now = now or datetime.now(UTC)
    end = now.replace(hour=0, minute=0, second=0, microsecond=0)
    with engine.connect() as connection:
        query = "select exists (select from event where type = 'COMPLETE' and namespace = :namespace)"
        if connection.execute(text(query), {"namespace": NAMESPACE}).scalar():
            return 0
    batch, count = [], 0
    # In the small hours the last night would not be over yet: then the pipeline runs in the evening.
    hour = _NIGHT if now.hour >= _OVER else _EVENING
    for event in past(end, counts, hour):
        if datetime.fromisoformat(event["eventTime"]) > now:
            continue
        batch.append(one_event(json.dumps(event).encode()))
        count += 1
        if len(batch) == _AT_ONCE:
            _write(engine, batch)
            batch = []
    _write(engine, batch)
    return count


def _write(engine: Engine, batch: list[Any]) -> None:
    if batch:
        with engine.begin() as connection:
            store.write(connection, batch)


def past(end: datetime, counts: Mapping[str, int], hour: int) -> Iterator[dict[str, Any]]:
    """Yield the events of the nights before a day, the oldest first.

    counts: rows of each table. hour: of the day, at which a night begins; below zero on the evening before.
    """
    for ago in range(DAYS, 0, -1):
        day = end - timedelta(days=ago - 1)
        dice = np.random.default_rng((_SEED, ago))
        faults = {fault.file: fault for fault in FAULTS if fault.nights == ago}
        night = _Night(day + timedelta(hours=hour), dice, faults, ago, counts)
        yield from _pipeline(night)
        yield from _gates(night)


def _pipeline(night: _Night) -> Iterator[dict[str, Any]]:
    parameters = {"SAILING_DAY": f"{night.start - timedelta(days=1):%Y-%m-%d}", "USER": "scheduler"}
    top = night.run()
    yield _event("START", night.start, top, PIPELINE, parameters=parameters, kind="PIPELINE")
    late = {file for file, fault in night.faults.items() if fault.kind == "late"}
    at, failed = night.start + timedelta(seconds=2), False
    stage, stage_run, stage_failed = "", "", False
    for step in steps():
        if step.stage != stage:
            if stage:
                kind = "FAIL" if stage_failed else "COMPLETE"
                yield _event(kind, at, stage_run, f"{PIPELINE}.{stage}", parent=(top, PIPELINE, top), kind="STAGE")
            stage, stage_run, stage_failed = step.stage, night.run(), False
            yield _event("START", at, stage_run, step.stage_job, parent=(top, PIPELINE, top), kind="STAGE")
        events = list(_step(night, step, at, (stage_run, step.stage_job, top), parameters))
        if events:
            yield from events
            if step.file not in late:  # the others do not wait for it
                at = datetime.fromisoformat(events[-1]["eventTime"]) + timedelta(seconds=1)
            if events[-1]["eventType"] == "FAIL":
                stage_failed = failed = True
    kind = "FAIL" if stage_failed else "COMPLETE"
    yield _event(kind, at, stage_run, f"{PIPELINE}.{stage}", parent=(top, PIPELINE, top), kind="STAGE")
    yield _event("FAIL" if failed else "COMPLETE", at + timedelta(seconds=1), top, PIPELINE, kind="PIPELINE")


def _step(
    night: _Night, step: Step, at: datetime, parent: tuple[str, str, str], parameters: dict[str, str]
) -> Iterator[dict[str, Any]]:
    """The events of a step; none where what it needs was not filled."""
    if night.broken.intersection(step.reads):
        night.broken |= set(step.writes)
        return
    fault = night.faults.get(step.file)
    if fault is not None and fault.kind == "late":
        at += timedelta(minutes=47)
    digest = sum(map(ord, step.file))
    took = (4 + digest % 50) * float(night.dice.lognormal(0, 0.08))
    busy = _WEEKDAY[(night.start - timedelta(days=1)).weekday()]
    more = busy / _WEEKDAY[4] * float(night.dice.lognormal(0, 0.03))
    more *= 1.0 - 0.002 * night.number  # it was a little less each day before
    run, sql = night.run(), _text(step, night)
    common: dict[str, Any] = {
        "parent": parent,
        "parameters": parameters,
        "kind": "TASK",
        "sql": sql,
        "file": step.file,
    }
    yield _event("START", at, run, step.job, **common)
    if fault is not None and fault.kind == "failed":
        night.broken |= set(step.writes)
        end = at + timedelta(seconds=max(1.0, took / 6))
        yield _event("FAIL", end, run, step.job, message=fault.message, reads=step.reads, **common)
        return
    share = min((night.shares.get(name, 1.0) for name in step.reads), key=lambda one: -abs(one - 1), default=1.0)
    if fault is not None:
        share *= {"few_rows": 0.31, "many_rows": 3.4}.get(fault.kind, 1.0)
    more *= share
    night.shares |= dict.fromkeys(step.writes, share)
    end = at + timedelta(seconds=took)
    yield _event(
        "COMPLETE",
        end,
        run,
        step.job,
        reads=step.reads,
        writes=[(name, int(more * night.counts.get(name, 100))) for name in step.writes],
        **common,
    )


def _text(step: Step, night: _Night) -> str:
    """The text of a step as it was in a night."""
    text = step.text
    if step.file == _BOARD and night.start < _BOARD_CHANGED:
        text = text.replace("v.gross as revenue", "v.net as revenue")
    changed = next((f for f in FAULTS if f.kind == "changed" and f.file == step.file), None)
    if changed is not None and night.number > changed.nights:
        text = f"-- as it was before\n{text.replace('/ 8', '/ 7.5').replace('* 100', '* 100.0')}"
    return text


def _gates(night: _Night) -> Iterator[dict[str, Any]]:
    """The loader of gate scans, every half hour."""
    for half in range(48):
        at = night.start - timedelta(hours=2) + timedelta(minutes=30 * half + 7)
        rows = int(300 * (0.2 + max(0.0, float(np.sin((half - 10) / 48 * 2 * np.pi)))) * 10)
        run = night.run()
        yield _event("START", at, run, "gate-loader", namespace="gates", kind="TASK")
        end = at + timedelta(seconds=20 + 6 * float(night.dice.random()))
        fields = {one: {"inputFields": [{**TOPIC, "field": other}]} for one, other in SCANNED.items()}
        loaded = _event(
            "COMPLETE", end, run, "gate-loader", namespace="gates", kind="TASK",
            inputs=[TOPIC], writes=[("ticketing.public.tickets", rows)],
        )  # fmt: skip
        loaded["outputs"][0]["facets"] = {
            "columnLineage": _TELLER.facet("1-2-0/ColumnLineageDatasetFacet.json", fields=fields)
        }
        yield loaded


def _event(
    type_: str,
    at: datetime,
    run: str,
    job: str,
    *,
    namespace: str = NAMESPACE,
    kind: str,
    parent: tuple[str, str, str] | None = None,
    parameters: dict[str, str] | None = None,
    message: str = "",
    sql: str = "",
    file: str = "",
    reads: tuple[str, ...] = (),
    writes: list[tuple[str, int]] | tuple[()] = (),
    inputs: list[dict[str, Any]] | tuple[()] = (),
) -> dict[str, Any]:
    """An event of a run, with the facets that a runner of SQL sends."""
    of_run = {}
    if parent is not None:
        of_run["parent"] = _TELLER.parent(parent[0], (NAMESPACE, parent[1]), (parent[2], (NAMESPACE, PIPELINE)))
    if parameters:
        of_run["environmentVariables"] = _TELLER.variables(parameters)
    if message:
        of_run["errorMessage"] = _TELLER.error(message, f"{message}\n  in pipelines/{file}", "SQL")
    of_job = {"jobType": _TELLER.job_type("RUNNER", kind)}
    if sql:
        of_job |= _TELLER.code(sql, "postgresql", kind="git", url=REPOSITORY, path=file)
    outputs = [
        {
            "namespace": SERVER,
            "name": name,
            "outputFacets": {"outputStatistics": _TELLER.facet(_STATISTICS, rowCount=rows, size=rows * ROW_BYTES)},
        }
        for name, rows in writes
    ]
    read = [*inputs, *({"namespace": SERVER, "name": name} for name in reads)]
    return _TELLER.event(
        type_, at, run, (namespace, job), of_run=of_run, of_job=of_job, inputs=read, outputs=outputs
    )
