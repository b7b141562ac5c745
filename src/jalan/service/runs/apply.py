"""Takes received events into their runs. Any order, any number of times: the state at the end is the same."""

from collections.abc import Callable
from datetime import datetime
from typing import Any
from uuid import UUID

import structlog
from sqlalchemy import Connection, Engine, text

from jalan.runs.events import BadEvent, Event, read_event, read_json
from jalan.runs.fold import Facets, Name, RunFold
from jalan.runs.through import writes_temporary
from jalan.service.ingest.log import LOCK
from jalan.store.repositories import events, runs
from jalan.store.repositories.runs import Known

BATCH = 500
log = structlog.get_logger("jalan.runs")


def apply_waiting(engine: Engine, stop: Callable[[], bool] = lambda: False) -> int:
    """Take all waiting events into their runs, some hundred in a transaction; returns how many there were.

    stop: asked between two transactions.
    """
    done = 0
    while not stop():
        taken = _apply_some(engine)
        done += taken
        if not taken:
            break
    return done


def _apply_some(engine: Engine) -> int:
    with engine.begin() as connection:
        waiting = events.waiting(connection, BATCH)
        if not waiting:
            return 0
        read = [event for row in waiting if (event := _read(connection, row)) is not None]
        _take(connection, read)
        events.taken(connection, [row.id for row in waiting])
        connection.exec_driver_sql("notify jalan_runs")
    return len(waiting)


def _read(connection: Connection, row: Any) -> Event | None:
    """Read an event again. One that this version of Jalan cannot read is written down; the others go on."""
    if row.raw is None:
        return None  # it has been dropped since, with its month
    try:
        return read_event(read_json(row.raw.encode()))
    except BadEvent as error:
        why = str(error)
    except Exception as error:
        log.exception("event not taken")
        why = f"internal error: {type(error).__name__}"
    events.refuse(connection, row.at, row.digest, why)
    return None


def _take(connection: Connection, read: list[Event]) -> None:
    of_runs: dict[UUID, list[Event]] = {}
    datasets: dict[Name, Facets] = {}
    static: dict[Name, RunFold] = {}
    for event in read:
        if event.run is not None:
            of_runs.setdefault(event.run, []).append(event)
        elif event.job is not None:
            static.setdefault(event.job, RunFold()).add(_as_run(event))
        elif event.dataset is not None:
            about = RunFold()
            about.add(_about_dataset(event))
            said = about.inputs[event.dataset].facets
            datasets[event.dataset] = runs.merged(datasets.get(event.dataset, {}), said)
    known = runs.read_folds(connection, of_runs)
    changed: dict[UUID, Known] = {}
    for run, mine in of_runs.items():
        state = known.get(run) or Known(RunFold(), 0)
        for event in mine:
            state.fold.add(event)
        changed[run] = Known(state.fold, state.events + len(mine))
    callers: dict[UUID, tuple[Name, datetime]] = {}
    wanted = set(static)
    for one in changed.values():
        assert one.fold.job is not None
        wanted.add(one.fold.job[1])
        called, began = one.caller, one.fold.started_at
        if called is not None and began is not None:
            before = callers.get(called.run, (called.job, began))
            callers[called.run] = (min(before[0], called.job), min(before[1], began))
            wanted |= {called.job, called.root_job or called.job}
    jobs = _jobs(connection, wanted)
    told = [*changed.values(), *(Known(fold, 0) for fold in static.values())]
    for fold in (one.fold for one in told):
        for sides in (fold.inputs, fold.outputs):
            for name, side in sides.items():
                datasets[name] = runs.merged(datasets.get(name, {}), side.facets)
    names = runs.dataset_name_ids(connection, datasets) if datasets else {}
    if changed:
        runs.write_runs(connection, changed, jobs, names)
    if callers:
        runs.write_callers(connection, {run: (jobs[job], at) for run, (job, at) in callers.items()})
    _mark(connection, told, {jobs[name] for name in static}, jobs)


def _mark(connection: Connection, told: list[Known], static: set[int], jobs: dict[Name, int]) -> None:
    """Note what was said of jobs, and which of them may have told more of the data. static: those of which events
    about themselves have spoken."""
    said: dict[int, Facets] = {}
    telling = set(static)
    for one in told:
        assert one.fold.job is not None
        id_ = jobs[one.fold.job[1]]
        said[id_] = runs.merged(said.get(id_, {}), one.fold.job_facets)
        if one.version is not None:
            telling.add(id_)
    # What was made of a temporary may have been told before the temporary was.
    sessions = {one.caller.run for one in told if one.caller is not None and writes_temporary(one.fold)}
    runs.mark_jobs(connection, said, telling, sessions)


def _jobs(connection: Connection, names: set[Name]) -> dict[Name, int]:
    """The ids of jobs. New ones are made while no ingestion writes, which may be making the same ones."""
    found = runs.job_ids(connection, names, make=False)
    if names - found.keys():
        connection.execute(text("select pg_advisory_xact_lock(:lock)"), {"lock": LOCK})
        found = runs.job_ids(connection, names, make=True)
    return found


def _as_run(event: Event) -> Event:
    """An event about a job, as if a run had said it."""
    return Event(event.type, event.time, event.digest, None, event.job, None, {"run": {}, **event.body})


def _about_dataset(event: Event) -> Event:
    """An event about a dataset, as if a run had read it."""
    body = {"producer": event.body["producer"], "run": {}, "job": {}, "inputs": [event.body["dataset"]]}
    return Event(event.type, event.time, event.digest, None, event.dataset, None, body)
