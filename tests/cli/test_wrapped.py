"""``jalan run``: a command's outcome is its own, and what happened is told, sooner or later."""

import json
import os
import random
import signal
import subprocess
import sys
import time
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import Engine, text
from typer.testing import CliRunner

from jalan.cli.main import app
from jalan.service.runs.worker import work_through
from tests.events import night, send
from tests.web.serving import serving


def jalan(*arguments: str, spool: Path, to: str) -> subprocess.CompletedProcess[bytes]:
    return subprocess.run(command(*arguments, spool=spool, to=to), capture_output=True, timeout=60)


def command(*arguments: str, spool: Path, to: str) -> list[str]:
    return [sys.executable, "-m", "jalan.cli.main", "run", "--to", to, "--spool", str(spool), *arguments]


def waiting(spool: Path) -> list[dict[str, Any]]:
    return [json.loads(line) for line in spool.read_text().splitlines()] if spool.exists() else []


NOWHERE = "http://127.0.0.1:9"


@pytest.mark.parametrize("code", [0, 3])
def test_what_it_prints_and_how_it_ends_is_its_own(tmp_path: Path, code: int) -> None:
    script = "import sys; print('tide'); print('fog', file=sys.stderr); sys.stdout.buffer.write(b'\\xff'); "
    script += f"sys.exit({code})"
    alone = subprocess.run([sys.executable, "-c", script], capture_output=True)
    done = jalan("--job", "tides", "--", sys.executable, "-c", script, spool=tmp_path / "s.jsonl", to=NOWHERE)
    assert (done.returncode, done.stdout) == (alone.returncode, alone.stdout)
    assert alone.stderr in done.stderr
    start, end = waiting(tmp_path / "s.jsonl")
    assert (start["eventType"], end["eventType"]) == ("START", "COMPLETE" if code == 0 else "FAIL")
    assert start["run"]["runId"] == end["run"]["runId"]
    tags = {one["key"]: one["value"] for one in end["run"]["facets"]["tags"]["tags"]}
    assert tags["exit code"] == str(code)
    assert "tide" in tags["last lines"]


def test_a_command_that_is_not_there_and_one_that_is_killed(tmp_path: Path) -> None:
    spool = tmp_path / "s.jsonl"
    assert jalan("--job", "a", "--", str(tmp_path / "none"), spool=spool, to=NOWHERE).returncode == 127
    script = "import os, signal; os.kill(os.getpid(), signal.SIGKILL)"
    done = jalan("--job", "b", "--", sys.executable, "-c", script, spool=spool, to=NOWHERE)
    assert done.returncode == -signal.SIGKILL
    assert [one["eventType"] for one in waiting(spool)] == ["START", "FAIL", "START", "ABORT"]


def test_a_command_whose_reader_has_gone_ends_as_it_would_alone(tmp_path: Path) -> None:
    script = "import sys\nwhile True: print('tide' * 1000)"
    told = command("--job", "a", "--", sys.executable, "-c", script, spool=tmp_path / "s.jsonl", to=NOWHERE)
    process = subprocess.Popen(told, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)
    assert process.stdout is not None
    process.stdout.read(10)
    process.stdout.close()
    assert process.wait(30) == 1  # what Python says of a broken pipe
    assert [one["eventType"] for one in waiting(tmp_path / "s.jsonl")] == ["START", "FAIL"]


def test_what_must_run_is_printed_in_order(store: Engine) -> None:
    send(store, night(1, 0, random.Random(1)))
    work_through(store)
    url = store.url.render_as_string(hide_password=False)
    done = CliRunner().invoke(app, ["order", "mart.board", "--store", url])
    assert [line.split()[:2] for line in done.stdout.splitlines()] == [
        ["1", "nightly.tidy"],
        ["2", "nightly.core"],
        ["3", "nightly.mart"],
    ]
    listed = json.loads(CliRunner().invoke(app, ["order", "board", "--store", url, "--format", "json"]).stdout)
    assert [one["after"] for one in listed["steps"]] == [[], [0], [1]]
    assert CliRunner().invoke(app, ["order", "no such", "--store", url]).exit_code == 1


def test_signals_reach_the_command(tmp_path: Path) -> None:
    spool, mark = tmp_path / "s.jsonl", tmp_path / "mark"
    script = (
        "import pathlib, signal, sys, time\n"
        f"def stop(*_): pathlib.Path({str(mark)!r}).write_text('stopped'); sys.exit(5)\n"
        f"signal.signal(signal.SIGTERM, stop); pathlib.Path({str(mark)!r}).write_text('ready'); time.sleep(30)"
    )
    process = subprocess.Popen(command("--job", "a", "--", sys.executable, "-c", script, spool=spool, to=NOWHERE))
    end = time.monotonic() + 20
    while not (mark.exists() and mark.read_text()):
        assert time.monotonic() < end
        time.sleep(0.05)
    os.kill(process.pid, signal.SIGTERM)
    assert process.wait(20) == 5
    assert mark.read_text() == "stopped"


def test_what_waited_is_told_later_with_the_lineage_of_the_files(store: Engine, tmp_path: Path) -> None:
    spool, sql = tmp_path / "s.jsonl", tmp_path / "tides.sql"
    sql.write_text("insert into core.tides (height) select max(height_m) from harbour.readings;")
    named = ("--job", "tides", "--pipeline", "hourly", "--server", "islands:5432", "--database", "strait")
    jalan(*named, "--", "cat", str(sql), spool=spool, to=NOWHERE)
    assert len(waiting(spool)) == 2
    with serving(store) as address:
        jalan(*named, "--", "cat", str(sql), spool=spool, to=address)
        assert waiting(spool) == []
        work_through(store)
    with store.connect() as connection:
        runs = connection.execute(
            text(
                "select j.name, r.state, p.name, r.events from run r join job j on j.id = r.job_id "
                "left join job p on p.id = r.parent_job_id order by j.name"
            )
        ).all()
        links = connection.execute(
            text(
                "select s.name, t.name from link l join field s on s.id = l.source_field_id "
                "join field t on t.id = l.target_field_id where l.valid_to is null"
            )
        ).all()
    assert [tuple(row) for row in runs] == [("hourly", "unknown", None, 0), *[("tides", "done", "hourly", 2)] * 2]
    assert [tuple(row) for row in links] == [("height_m", "height")]
