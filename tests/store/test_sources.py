"""Sources and their runs: secrets, schedules, stopping, and processes that are killed."""

import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path

import orjson
import pytest
from sqlalchemy import Engine, select, text, update
from sqlalchemy.orm import Session

from jalan.demo.cluster import Cluster
from jalan.demo.report_desk import create_desk, read_content, served
from jalan.demo.sources import OFFICE
from jalan.service.context import Context
from jalan.service.errors import Conflict, Invalid, NotFound
from jalan.service.ingest import log, overview, scheduler, secrets, sources
from jalan.service.ingest.log import Cancelled, IngestionLog
from jalan.service.ingest.once import load
from jalan.service.ingest.registry import parse_config
from jalan.sources.errors import SourceError
from jalan.store.schema import Ingestion, Source
from tests.conftest import admin, fresh_database
from tests.store.state import content
from tests.store.test_tabular import CONFIG as TABULAR

PASSWORD = "a secret that nobody may see"


@pytest.fixture(autouse=True)
def key(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """Every test has a key of its own."""
    path = tmp_path / "keys" / "secret.key"
    monkeypatch.setenv("JALAN_SECRET_KEY_FILE", str(path))
    return path


def _postgres(**values: object) -> dict:
    return {
        "kind": "postgresql",
        "host": "tide",
        "database": "strait",
        "user": "reader",
        "password": PASSWORD,
        **values,
    }


def _declared(tmp_path: Path) -> dict:
    path = tmp_path / "declared.yaml"
    path.write_text(
        "by: Quay\nlinks:\n  - from: {namespace: a, name: x}\n    to: {namespace: a, name: y}\n    because: so\n"
    )
    return {"kind": "declared", "location": str(path)}


def _source(store: Engine, source: int) -> overview.SourceFact:
    with Context(store, "test") as context:
        return overview.source(context, source)


# --- secrets ---------------------------------------------------------------------------------------------


def test_secrets_are_encrypted_and_in_no_answer(store: Engine, key: Path) -> None:
    source = sources.add(Context(store, "test"), "place", _postgres())
    with store.connect() as connection:
        row = connection.execute(text("select * from source")).mappings().one()
    assert PASSWORD not in str(dict(row))
    shown = _source(store, source).model_dump_json()
    assert PASSWORD not in shown
    assert _source(store, source).secrets == {"password": "kept"}
    with Session(store) as session:
        found = sources.configuration(session.get_one(Source, source))
    assert found.password.get_secret_value() == PASSWORD  # type: ignore[attr-defined]
    assert key.stat().st_mode & 0o077 == 0
    assert PASSWORD not in repr(found)


def test_a_secret_may_come_from_the_environment(
    store: Engine, cluster: Cluster, monkeypatch: pytest.MonkeyPatch
) -> None:
    config = _postgres(
        host="127.0.0.1", port=cluster.port, database="postgres", user="jalan", password="env:JALAN_SOURCE_TIDE_PW"
    )
    source = sources.add(Context(store, "test"), "place", config)
    assert _source(store, source).secrets == {"password": "env:JALAN_SOURCE_TIDE_PW"}
    with pytest.raises(Invalid, match="the environment variable JALAN_SOURCE_TIDE_PW is not set"):
        sources.ingest(Context(store, "test"), source)
    monkeypatch.setenv("JALAN_SOURCE_TIDE_PW", cluster.password)
    assert sources.ingest(Context(store, "test"), source).totals["tables"] == 0


def test_no_other_variable_of_the_server_is_sent_anywhere(store: Engine, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("HARBOUR_KEY", "tidal")
    config = _postgres(host="127.0.0.1", port=1, database="postgres", user="jalan", password="env:HARBOUR_KEY")
    source = sources.add(Context(store, "test"), "place", config)
    with pytest.raises(Invalid, match="whose names begin with JALAN_SOURCE_") as refused:
        sources.ingest(Context(store, "test"), source)
    assert "tidal" not in str(refused.value)


def test_a_password_in_a_git_address_is_sealed_and_in_no_answer(store: Engine) -> None:
    config = {"kind": "repository", "location": f"https://ann:{PASSWORD.replace(' ', '%20')}@quay.example/x.git"}
    source = sources.add(Context(store, "test"), "place", {**config, "revision": "main"})
    with store.connect() as connection:
        row = connection.execute(text("select * from source")).mappings().one()
    assert row["config"]["location"] == "https://quay.example/x.git"
    assert "ann" not in str(row["config"])
    assert _source(store, source).secrets == {"credentials": "kept"}
    with Session(store) as session:
        found = sources.configuration(session.get_one(Source, source))
    assert found.credentials.get_secret_value() == f"ann:{PASSWORD}"  # type: ignore[attr-defined]


def test_another_key_cannot_read_them_and_says_so(store: Engine, key: Path) -> None:
    source = sources.add(Context(store, "test"), "place", _postgres())
    key.unlink()
    with pytest.raises(Invalid, match="were encrypted with another key; set JALAN_SECRET_KEY"):
        sources.ingest(Context(store, "test"), source)


def test_under_another_key_lists_are_read_and_secrets_can_be_given_anew(store: Engine, key: Path) -> None:
    source = sources.add(Context(store, "test"), "place", _postgres())
    key.unlink()
    assert _source(store, source).secrets == {"password": "unreadable"}
    with pytest.raises(Invalid, match="give the secrets again"):
        sources.change(Context(store, "test"), source, _postgres(password=None), schedule=None)
    sources.change(Context(store, "test"), source, _postgres(password="another"), schedule=None)
    assert _source(store, source).secrets == {"password": "kept"}


def test_a_key_that_others_can_read_is_refused(store: Engine, key: Path) -> None:
    sources.add(Context(store, "test"), "place", _postgres())
    key.chmod(0o640)
    with pytest.raises(Invalid, match="others may read this key"):
        sources.add(Context(store, "test"), "other", _postgres())


def _password(store: Engine, source: int) -> str:
    with Session(store) as session:
        found = sources.configuration(session.get_one(Source, source))
    return found.password.get_secret_value()  # type: ignore[attr-defined, no-any-return]


def test_the_key_is_changed_and_nothing_is_lost(store: Engine, key: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    source = sources.add(Context(store, "test"), "place", _postgres())
    before = key.read_bytes()
    assert secrets.rotate(store) == (1, [], None)
    assert key.read_bytes() != before
    assert key.stat().st_mode & 0o077 == 0
    assert _password(store, source) == PASSWORD
    monkeypatch.setenv("JALAN_SECRET_KEY", key.read_text())
    done, left, new = secrets.rotate(store)
    assert (done, left) == (1, [])
    with pytest.raises(Invalid, match="another key"):
        _password(store, source)
    assert secrets.rotate(store)[:2] == (0, ["place"])
    monkeypatch.setenv("JALAN_SECRET_KEY", new or "")
    assert _password(store, source) == PASSWORD


def test_a_change_of_keys_that_was_broken_off_is_gone_on_with(
    store: Engine, key: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    source = sources.add(Context(store, "test"), "place", _postgres())

    def broken(*_: object) -> None:
        raise OSError("the machine stopped")

    with monkeypatch.context() as patch:
        patch.setattr("os.replace", broken)
        with pytest.raises(OSError, match="stopped"):
            secrets.rotate(store)
    assert _password(store, source) == PASSWORD
    assert secrets.rotate(store) == (1, [], None)
    assert _password(store, source) == PASSWORD
    assert [path.name for path in key.parent.iterdir()] == [key.name]


def test_a_run_that_fails_leaves_settings_and_sources_as_they_were(store: Engine, tmp_path: Path) -> None:
    (tmp_path / "jalan.yaml").write_text("database: strait\nserver: islands:5432\n")
    (tmp_path / "a.sql").write_text("insert into core.a select b from core.c")
    load(Context(store, "command line"), tmp_path, name="ferry")
    with Context(store, "test") as context:
        before = overview.sources(context)[0].config
    for name in ("ferry", "new"):
        with pytest.raises(SourceError):
            load(Context(store, "command line"), tmp_path, name=name, revision="-x")
        with pytest.raises(SourceError):
            load(Context(store, "command line"), tmp_path / "nowhere", name=name)
    with Context(store, "test") as context:
        (found,) = overview.sources(context)
    assert (found.name, found.config) == ("ferry", before)
    assert load(Context(store, "command line"), tmp_path, name="new").totals["files"] == 1


def test_a_change_keeps_secrets_but_sends_them_to_no_other_address(store: Engine) -> None:
    source = sources.add(Context(store, "test"), "place", _postgres())
    sources.change(
        Context(store, "test"), source, _postgres(password=None, database="harbour"), schedule="0 3 * * *"
    )
    with Session(store) as session:
        found = sources.configuration(session.get_one(Source, source))
    assert found.password.get_secret_value() == PASSWORD  # type: ignore[attr-defined]
    with pytest.raises(Invalid, match="host: this is another address; give the secrets again"):
        sources.change(Context(store, "test"), source, _postgres(password=None, host="elsewhere"), schedule=None)
    with Session(store) as session, pytest.raises(Invalid, match="another address"):
        sources.completed(session, source, _postgres(password=None, port=6000))


# --- adding, removing ------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("config", "message"),
    [
        ({"kind": "fax"}, "kind: “fax” is no kind of source; there are postgresql, repository"),
        (_postgres(hots="x"), "hots: is not known here; postgresql has kind, host, port"),
        ({"kind": "postgresql", "host": "x", "database": "y"}, "user: Field required"),
        (_postgres(include=["("]), "include.0: “\\(” is no regular expression"),
        (_postgres(known_as="islands"), "known_as: String should match"),
        (_postgres(port=0), "port: Input should be greater"),
    ],
)
def test_a_wrong_configuration_is_explained(store: Engine, config: dict, message: str) -> None:
    with pytest.raises(Invalid, match=message):
        sources.add(Context(store, "test"), "place", config)


def test_names_are_taken_once_and_can_be_used_again_after_removal(store: Engine, tmp_path: Path) -> None:
    source = sources.add(Context(store, "test"), "office", _declared(tmp_path))
    sources.ingest(Context(store, "test"), source)
    with pytest.raises(Conflict, match="there is a source “office” already"):
        sources.add(Context(store, "test"), "office", _declared(tmp_path))
    with pytest.raises(Invalid, match="without colon"):
        sources.add(Context(store, "test"), "a:b", _declared(tmp_path))
    sources.remove(Context(store, "test"), source)
    with Session(store) as session, pytest.raises(NotFound):
        sources.get(session, source)
    assert sources.add(Context(store, "test"), "office", _declared(tmp_path)) == source
    assert sources.ingest(Context(store, "test"), source).counts == {}, "what it brought was still there"


# --- schedules -------------------------------------------------------------------------------------------


def test_the_trouble_of_one_source_stops_no_other(
    store: Engine, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    broken = sources.add(Context(store, "test"), "broken", _declared(tmp_path), schedule="0 0 29 2 *")
    never = sources.add(Context(store, "test"), "never", _declared(tmp_path), schedule="0 0 29 2 *")
    sources.add(Context(store, "test"), "office", _declared(tmp_path), schedule="0 0 29 2 *")
    with store.begin() as connection:
        connection.execute(update(Source).where(Source.id == broken).values(schedule="every now and then"))
        connection.execute(update(Source).where(Source.id == never).values(schedule="0 0 30 2 *"))
    begin = scheduler.start
    monkeypatch.setattr(scheduler, "start", lambda context, id_: begin(context, id_) if id_ != broken else 1 / 0)
    (run,) = scheduler.Scheduler(store).look(datetime.now(UTC) + timedelta(days=3000))
    _until(lambda: _run_of(store, run).state == "done")
    assert _run_of(store, run).subject == "office"
    with Context(store, "test") as context:
        assert [one.name for one in overview.sources(context)] == ["broken", "never", "office"]


def test_the_last_words_of_a_process_are_kept(
    store: Engine, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    source = sources.add(Context(store, "test"), "office", _declared(tmp_path))
    program = tmp_path / "python"
    program.write_text("#!/bin/sh\necho 'out of tide' >&2\nexit 7\n")
    program.chmod(0o755)
    monkeypatch.setattr(sys, "executable", str(program))
    run = scheduler.start(Context(store, "test"), source)
    _until(lambda: _run_of(store, run).state == "failed")
    assert "exit code 7): out of tide" in (_run_of(store, run).message or "")
    monkeypatch.setattr(sys, "executable", str(tmp_path / "nothing"))
    with pytest.raises(Conflict, match="no process could be started"):
        scheduler.start(Context(store, "test"), source)
    assert not _source(store, source).ongoing


def test_a_source_is_started_when_its_time_has_come(store: Engine, tmp_path: Path) -> None:
    source = sources.add(Context(store, "test"), "office", _declared(tmp_path), schedule="0 0 29 2 *")
    sources.add(Context(store, "test"), "when asked", _declared(tmp_path))
    watch = scheduler.Scheduler(store)
    assert watch.look(datetime.now(UTC)) == []
    (run,) = watch.look(datetime.now(UTC) + timedelta(days=3000))
    _until(lambda: _run_of(store, run).state == "done")
    assert _run_of(store, run).who == "schedule"
    assert _source(store, source).last_ingestion.id == run  # type: ignore[union-attr]
    assert watch.look(datetime.now(UTC)) == []


@pytest.mark.parametrize("schedule", ["often", "* * * *", "61 * * * *", "* * * * * *", "0 0 30 2 *"])
def test_what_is_no_schedule_is_refused(store: Engine, tmp_path: Path, schedule: str) -> None:
    with pytest.raises(Invalid, match=r"is no schedule; expected five fields|never comes: there is no such day"):
        sources.add(Context(store, "test"), "office", _declared(tmp_path), schedule=schedule)


# --- runs ------------------------------------------------------------------------------------------------


def _run_of(store: Engine, run: int) -> overview.IngestionFact:
    with Context(store, "test") as context:
        return overview.ingestion(context, run)


def _until(there: Callable[[], bool], seconds: float = 90) -> None:
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        if there():
            return
        time.sleep(0.05)
    raise AssertionError("it did not come to pass")


def test_a_run_can_be_stopped_and_nothing_of_it_is_kept(
    store: Engine, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    source = sources.add(Context(store, "test"), "office", _declared(tmp_path))
    before = content(store)

    def asked(run: IngestionLog, session: Session) -> None:
        log.cancel(Context(store, "test"), run.id)
        run._looked = 0.0
        run.tell("links", 1, 2)

    monkeypatch.setattr(IngestionLog, "take_lock", asked)
    with pytest.raises(Cancelled):
        sources.ingest(Context(store, "test"), source)
    last = _source(store, source).last_ingestion
    assert last is not None
    assert (last.state, last.message) == ("cancelled", "nothing of it was kept")
    assert content(store) == before
    assert not log.cancel(Context(store, "test"), last.id)


def test_a_run_shows_how_far_it_is(store: Engine, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    source = sources.add(Context(store, "test"), "office", _declared(tmp_path))
    shown: list[overview.IngestionFact | None] = []
    told = IngestionLog.take_lock

    def looking(run: IngestionLog, session: Session) -> None:
        run.tell("statements", 0, 7)
        shown.append(_source(store, source).ongoing)
        told(run, session)

    monkeypatch.setattr(IngestionLog, "take_lock", looking)
    sources.ingest(Context(store, "test"), source)
    assert shown[0] is not None
    assert shown[0].progress is not None
    assert shown[0].progress.model_dump() == {"what": "statements", "done": 0, "total": 7}
    assert _source(store, source).ongoing is None


def test_a_second_run_of_a_source_is_refused(
    store: Engine, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    source = sources.add(Context(store, "test"), "office", _declared(tmp_path))
    refused: list[str] = []
    told = IngestionLog.take_lock

    def twice(run: IngestionLog, session: Session) -> None:
        monkeypatch.setattr(IngestionLog, "take_lock", told)
        for again in (
            lambda: sources.ingest(Context(store, "x"), source),
            lambda: scheduler.start(Context(store, "x"), source),
        ):
            with pytest.raises(Conflict, match="is being ingested already") as caught:
                again()
            refused.append(str(caught.value))
        told(run, session)

    monkeypatch.setattr(IngestionLog, "take_lock", twice)
    sources.ingest(Context(store, "test"), source)
    assert len(refused) == 2
    assert _source(store, source).last_done is not None


# --- processes that are killed ---------------------------------------------------------------------------

_KILLED = """
import os, signal, sys
from jalan.cli.main import app
from jalan.service.ingest.unit_of_work import UnitOfWork
from jalan.store.repositories.definitions import DefinitionWriter
flush = DefinitionWriter.flush
def dying(self, finally_=False):
    flush(self, finally_)
    if finally_:
        os.kill(os.getpid(), signal.SIGKILL)
if sys.argv[1] == "late":
    DefinitionWriter.flush = dying
else:
    def early(self):
        os.kill(os.getpid(), signal.SIGKILL)
    UnitOfWork.writing = early
app(sys.argv[2:])
"""


def _kinds(tmp_path: Path, cluster: Cluster, database: str, desk: str) -> dict[str, dict]:
    with admin(cluster, database) as connection:
        connection.execute("create table fares (port text, cents int)")
        connection.execute("create view euros as select cents / 100.0 as euros from fares")
    sql = tmp_path / "sql"
    sql.mkdir()
    (sql / "jalan.yaml").write_text("server: islands:5432\ndatabase: strait\n")
    (sql / "gross.sql").write_text("insert into core.gross select cents / 100.0 as gross from landing.fares;\n")
    for command in (
        ["init", "--quiet", "--initial-branch", "main"],
        ["add", "--all"],
        ["commit", "--quiet", "-m", "x"],
    ):
        git = ["git", "-C", str(sql), "-c", "user.name=T", "-c", "user.email=t@ferry.example"]
        subprocess.run([*git, *command], check=True)
    history = tmp_path / "queries.jsonl"
    rows = [{"at": "2026-11-20", "sql": f"select c{n % 9} from core.gross where x = {n}"} for n in range(300)]
    history.write_bytes(b"".join(orjson.dumps(row) + b"\n" for row in rows))
    return {
        "postgresql": {"host": "127.0.0.1", "port": cluster.port, "database": database, "user": "jalan",
                       "password": cluster.password},
        "repository": {"location": str(sql), "revision": "main"},
        "history": {"format": "jsonl", "files": str(history), "server": "islands:5432", "database": "strait",
                    "mapping": {"text": "sql", "time": "at"}},
        "reports": {"url": desk, "token": "t", "known_as": "reports://desk", "server": "islands:5432"},
        "tabular": {**TABULAR, "datasets": str(OFFICE / "register-datasets.csv"),
                    "flows": str(OFFICE / "register-flows.csv")},
        "declared": _declared(tmp_path),
        "events": {"file": str(OFFICE / "gate-events.jsonl")},
    }  # fmt: skip


def test_killed_in_the_middle_of_each_kind_and_run_again_ends_as_one_clean_run(
    store: Engine, cluster: Cluster, tmp_path: Path, key: Path
) -> None:
    from jalan.store.database import migrate, open_store

    with (
        fresh_database(cluster) as name,
        fresh_database(cluster) as clean_name,
        served(create_desk(read_content(), "t")) as desk,
    ):
        clean = open_store(cluster.url(clean_name))
        migrate(clean)
        for kind, values in _kinds(tmp_path, cluster, name, desk).items():
            config = {**values, "kind": kind}
            source = sources.add(Context(store, "test"), kind, config)
            environment = {
                **os.environ, "JALAN_STORE": store.url.render_as_string(hide_password=False),
                "JALAN_SECRET_KEY_FILE": str(key),
            }  # fmt: skip
            before = content(store)
            for when in ("early", "late"):
                command = [sys.executable, "-c", _KILLED, when, "source", "ingest", kind]
                done = subprocess.run(command, env=environment, capture_output=True, check=False)
                assert done.returncode == -signal.SIGKILL, done.stderr.decode()
                assert content(store) == before, f"{kind}: half a run leaves nothing"
                _until(lambda source=source: _source(store, source).ongoing is None)  # type: ignore[misc]
                last = _source(store, source).last_ingestion
                assert last is not None
                assert last.state == "failed"
                assert "the process ended before the ingestion was done" in (last.message or "")
            sources.ingest(Context(store, "test"), source)
            sources.ingest(Context(clean, "test"), sources.add(Context(clean, "test"), kind, config))
            assert content(store) == content(clean), f"{kind}: the same end as one clean run"
            assert sources.ingest(Context(store, "test"), source).counts == {}, f"{kind}: twice is as good as once"
        clean.dispose()


def test_a_run_that_was_announced_and_never_began_is_over_after_a_while(store: Engine, tmp_path: Path) -> None:
    source = sources.add(Context(store, "test"), "office", _declared(tmp_path))
    run = log.announce(store, "declared", "office", source_id=source, who="test")
    assert _run_of(store, run).state == "running"
    with Session(store) as session, session.begin():
        early = datetime.now(UTC) - timedelta(minutes=2)
        session.execute(update(Ingestion).where(Ingestion.id == run).values(started_at=early))
    assert _run_of(store, run).state == "failed"


def test_who_changed_and_removed_a_source_is_kept(store: Engine, tmp_path: Path) -> None:
    source = sources.add(Context(store, "Ana"), "office", _declared(tmp_path))
    sources.change(Context(store, "Ben"), source, _declared(tmp_path), schedule="0 3 * * *")
    sources.remove(Context(store, "Cleo"), source)
    with Session(store) as session:
        query = select(Ingestion.subject, Ingestion.who).where(Ingestion.kind == "source").order_by(Ingestion.id)
        assert session.execute(query).all() == [("office changed", "Ben"), ("office removed", "Cleo")]
        assert session.get_one(Source, source).created_by == "Ana"


def test_the_log_of_runs_survives_its_source(store: Engine, tmp_path: Path) -> None:
    source = sources.add(Context(store, "test"), "office", _declared(tmp_path))
    sources.ingest(Context(store, "test"), source)
    sources.remove(Context(store, "test"), source)
    with Session(store) as session:
        assert session.scalars(select(Ingestion.state).where(Ingestion.source_id == source)).all() == ["done"]


def test_a_configuration_is_the_same_after_the_store(store: Engine) -> None:
    config = parse_config({**TABULAR, "datasets": "a.csv", "flows": "b.csv"})
    source = sources.add(Context(store, "test"), "register", {**TABULAR, "datasets": "a.csv", "flows": "b.csv"})
    with Session(store) as session:
        assert sources.configuration(session.get_one(Source, source)) == config
