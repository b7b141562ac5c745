"""Writes runs: the states that events add up to, with their jobs, the names of datasets, and versions."""

from collections.abc import Collection, Iterable
from dataclasses import dataclass
from datetime import datetime
from functools import cached_property
from typing import Any
from uuid import UUID

from psycopg.types.json import Jsonb
from sqlalchemy import Connection

from jalan.runs import facets
from jalan.runs.events import canonical
from jalan.runs.fold import UNKNOWN, Facets, Name, RunFold
from jalan.runs.versions import Version, code_digest, growth, version
from jalan.store.repositories import events

_MOST_WORDS = 4_000  # characters that a run is found by
_JOB_FACETS = frozenset({"documentation", "ownership", "jobType", "tags", "sourceCodeLocation"})


@dataclass
class Known:
    """A run as the store has it, or will have it. events: how many were taken into it."""

    fold: RunFold
    events: int

    @cached_property
    def version(self) -> Version | None:
        """The version of its job that it tells of."""
        return version(self.fold)

    @cached_property
    def caller(self) -> facets.Caller | None:
        """Who called it."""
        return facets.caller(self.fold)


def read_folds(connection: Connection, ids: Collection[UUID]) -> dict[UUID, Known]:
    """Return the states of runs; they are held until the end of the transaction."""
    query = "select run_id, fold, events from run where run_id = any(%(ids)s) order by id for update"
    rows = connection.exec_driver_sql(query, {"ids": list(ids)})
    return {run: Known(RunFold.read(fold) if fold else RunFold(), events) for run, fold, events in rows}


def job_ids(connection: Connection, names: Collection[Name], make: bool) -> dict[Name, int]:
    """Return the ids of jobs by namespace and name. make: those that are not there yet too."""
    given = {"ns": [ns for ns, _ in names], "name": [name for _, name in names]}
    wanted = "(select distinct * from unnest(%(ns)s::text[], %(name)s::text[]) as w (namespace, name)) w"
    if make:
        connection.exec_driver_sql(
            f"insert into job (namespace, name, first_seen) select namespace, name, now() from {wanted} "
            "on conflict do nothing",
            given,
        )
    query = f"select j.namespace, j.name, j.id from job j join {wanted} using (namespace, name)"
    return {(ns, name): id_ for ns, name, id_ in connection.exec_driver_sql(query, given)}


def dataset_name_ids(connection: Connection, told: dict[Name, Facets]) -> dict[Name, int]:
    """Return the ids of names of datasets, made where they are new, after what was told of each was taken in."""
    names = list(told)
    given = {"ns": [ns for ns, _ in names], "name": [name for _, name in names]}
    wanted = "unnest(%(ns)s::text[], %(name)s::text[]) as w (namespace, name)"
    connection.exec_driver_sql(
        f"insert into dataset_name (namespace, name) select * from {wanted} on conflict do nothing", given
    )
    query = f"select d.namespace, d.name, d.id, d.facets from dataset_name d join {wanted} using (namespace, name)"
    found, changed = {}, []
    for ns, name, id_, kept in connection.exec_driver_sql(query, given):
        found[ns, name] = id_
        before = {one: ((stamp[0], stamp[1]), facet) for one, (stamp, facet) in kept.items()}
        after = merged(before, told[ns, name])
        if after != before:
            # The same said later is kept too: what was said in between must not take its place.
            news = {one: facet for one, (_, facet) in after.items()} != {one: f for one, (_, f) in before.items()}
            changed.append({"id": id_, "facets": _json(after), "news": news})
    if changed:
        statement = "update dataset_name set facets = %(facets)s, untold = untold or %(news)s where id = %(id)s"
        connection.exec_driver_sql(statement, changed)
    return found


def merged(one: Facets, other: Facets) -> Facets:
    """Return of each facet the one with the greater stamp."""
    found = dict(one)
    for name, (stamp, facet) in other.items():
        if name not in found or stamp > found[name][0]:
            found[name] = (stamp, facet)
    return found


def write_runs(
    connection: Connection, runs: dict[UUID, Known], jobs: dict[Name, int], names: dict[Name, int]
) -> None:
    """Write the states of runs, what they read and wrote, and their versions."""
    rows = [_row(run, known, jobs) for run, known in sorted(runs.items())]
    columns = list(rows[0])
    listed, values = ", ".join(columns), ", ".join(f"%({one})s" for one in columns)
    kept = ", ".join(f"{one} = excluded.{one}" for one in columns if one != "run_id")
    statement = f"insert into run ({listed}) values ({values}) on conflict (run_id) do update set {kept}"
    connection.exec_driver_sql(statement, rows)
    ids: dict[UUID, int] = dict(
        connection.exec_driver_sql(
            "select run_id, id from run where run_id = any(%(ids)s)", {"ids": list(runs)}
        ).all()
    )
    sides = [row for run, known in runs.items() for row in _sides(ids[run], known.fold, names)]
    if sides:
        connection.exec_driver_sql(
            "insert into run_dataset values (%(run)s, %(side)s, %(name)s, %(rows)s, %(bytes)s, %(version)s) "
            "on conflict (run, side, name_id) do update set rows = excluded.rows, bytes = excluded.bytes, "
            "version = excluded.version",
            sides,
        )
    grown = {run: growth(known.fold) for run, known in runs.items()}
    _write_growth(connection, runs, ids, grown, jobs)
    versions = [
        _version_row(jobs[known.fold.job[1]], one)
        for run, known in runs.items()
        for one in (*(version for _, version in grown[run]), known.version)
        if known.fold.job is not None and one is not None
    ]
    if versions:
        connection.exec_driver_sql(
            "insert into job_version (job_id, digest, code_digest, kind, text, dialect, place, revision, inputs, "
            "outputs) values (%(job)s, %(digest)s, %(code)s, %(kind)s, %(text)s, %(dialect)s, %(place)s, "
            "%(revision)s, %(inputs)s, %(outputs)s) on conflict (job_id, digest) do nothing",
            versions,
        )


def _write_growth(
    connection: Connection,
    runs: dict[UUID, Known],
    ids: dict[UUID, int],
    grown: dict[UUID, list[tuple[datetime, Version]]],
    jobs: dict[Name, int],
) -> None:
    """Write which versions runs have been, one after the other; an event that comes late may tell otherwise."""
    connection.exec_driver_sql("delete from run_version where run = any(%(runs)s)", {"runs": list(ids.values())})
    rows = [
        {"run": ids[run], "job": jobs[job[1]], "digest": one.digest, "since": since}
        for run, several in grown.items()
        if (job := runs[run].fold.job) is not None
        for since, one in several
    ]
    if rows:
        connection.exec_driver_sql(
            "insert into run_version (run, job_id, digest, since) values (%(run)s, %(job)s, %(digest)s, %(since)s)",
            rows,
        )


def write_callers(connection: Connection, callers: dict[UUID, tuple[int, datetime]]) -> None:
    """Let there be runs of which so far only those that they called have spoken.

    callers: run → id of its job, and when the first run that it called began.
    """
    given = {
        "run": list(callers),
        "job": [job for job, _ in callers.values()],
        "at": [at for _, at in callers.values()],
        "state": UNKNOWN,
    }
    connection.exec_driver_sql(
        "insert into run "
        "(run_id, job_id, root_job_id, state, started_at, last_at, message, who, code, events, words, fold) "
        "select w.run, w.job, w.job, %(state)s, w.at, w.at, '', '', '', 0, "
        "left(lower(j.namespace || ' ' || j.name || ' ' || w.run), 4000), '{}'::jsonb "
        "from unnest(%(run)s::uuid[], %(job)s::int[], %(at)s::timestamptz[]) as w (run, job, at) "
        "join job j on j.id = w.job on conflict (run_id) do update "
        "set started_at = least(run.started_at, excluded.started_at), "
        "last_at = least(run.last_at, excluded.last_at) "
        "where run.events = 0",
        given,
    )


def mark_jobs(
    connection: Connection, jobs: dict[int, Facets], told: Collection[int], sessions: Collection[UUID]
) -> None:
    """Take in what was said of jobs. told: those of which a run may have told more of the data than before.
    sessions: runs; so may all that they have called."""
    changed = []
    for id_, kept in connection.exec_driver_sql(
        "select id, facets from job where id = any(%(ids)s)", {"ids": list(jobs)}
    ):
        before = {name: ((stamp[0], stamp[1]), facet) for name, (stamp, facet) in kept.items()}
        new = {name: one for name, one in jobs[id_].items() if name in _JOB_FACETS}
        after = merged(before, new)
        if after != before:
            changed.append({"id": id_, "facets": _json(after)})
    if changed:
        connection.exec_driver_sql("update job set facets = %(facets)s where id = %(id)s", changed)
    if told:
        connection.exec_driver_sql(
            "update job set untold = true where id = any(%(ids)s) and not untold", {"ids": list(told)}
        )
    if sessions:
        connection.exec_driver_sql(
            "update job set untold = true where not untold and id in "
            "(select job_id from run where parent = any(%(sessions)s) and version is not null)",
            {"sessions": list(sessions)},
        )


def begin_again(connection: Connection) -> int:
    """Forget what events add up to, and let every event wait again; returns how many there are."""
    connection.exec_driver_sql("truncate run, run_dataset, run_version, job_version, event_waiting, event_refused")
    return events.wait_again(connection)


def _row(run: UUID, known: Known, jobs: dict[Name, int]) -> dict[str, Any]:
    found = known.fold
    assert found.job is not None
    started, ended = found.started_at, found.ended_at
    assert started is not None
    called, of_version = known.caller, known.version
    written = [facets.amount(side, True) for side in found.outputs.values()]
    rows = [one.rows for one in written if one.rows is not None]
    sizes = [one.bytes for one in written if one.bytes is not None]
    return {
        "run_id": run,
        "job_id": jobs[found.job[1]],
        "parent": called.run if called else None,
        "root": called.root if called else None,
        "parent_job_id": jobs[called.job] if called else None,
        "root_job_id": jobs[(called.root_job or called.job) if called else found.job[1]],
        "state": found.state,
        "started_at": started,
        "ended_at": ended,
        "last_at": found.last_at,
        "nominal_at": facets.nominal(found)[0],
        "took": max(0.0, (ended - started).total_seconds()) if ended else None,
        "rows": min(sum(rows), (1 << 63) - 1) if rows else None,
        "bytes": min(sum(sizes), (1 << 63) - 1) if sizes else None,
        "message": facets.message(found)[0][:10_000],
        "who": facets.who(found)[:200],
        "code": of_version.code_digest if of_version else code_digest(found),
        "version": of_version.digest if of_version else None,
        "events": known.events,
        "words": _words(run, found),
        "fold": _json(found.write()),
    }


def _words(run: UUID, found: RunFold) -> str:
    assert found.job is not None
    parts = [*found.job[1], str(run), facets.who(found), facets.message(found)[0][:500]]
    parts += [name for side in (found.inputs, found.outputs) for name in side_names(side)]
    parts += [f"{key}={value}" for key, value in facets.parameters(found).items()]
    return " ".join(parts)[:_MOST_WORDS].lower()


def side_names(side: Iterable[Name]) -> list[str]:
    """Return the names of datasets without their namespaces."""
    return [name for _, name in sorted(side)]


def _sides(run: int, found: RunFold, names: dict[Name, int]) -> list[dict[str, Any]]:
    rows = []
    for word, sides in (("in", found.inputs), ("out", found.outputs)):
        for name, side in sides.items():
            much = facets.amount(side, word == "out")
            rows.append(
                {
                    "run": run,
                    "side": word,
                    "name": names[name],
                    "rows": much.rows,
                    "bytes": much.bytes,
                    "version": facets.dataset_version(side)[:500],
                }
            )
    return rows


def _version_row(job: int, found: Version) -> dict[str, Any]:
    code = found.code
    return {
        "job": job,
        "digest": found.digest,
        "code": found.code_digest,
        "kind": code.kind if code else "",
        "text": code.text if code else "",
        "dialect": code.dialect if code else "",
        "place": code.place if code else "",
        "revision": code.revision if code else "",
        "inputs": _json(found.inputs),
        "outputs": _json(found.outputs),
    }


def _json(value: Any) -> Jsonb:
    return Jsonb(value, dumps=lambda one: canonical(one).decode())
