"""The process that does one ingestion, and libraries that only some installations have."""

import builtins
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import Engine

from jalan.service.catalog.pages import catalog
from jalan.service.context import Context
from jalan.service.ingest import log, overview, sources, worker
from jalan.service.ingest.registry import parse_config
from jalan.sources.allowed import EVERYTHING
from jalan.sources.errors import SourceError
from jalan.sources.extras import parquet_file, xlsx_book
from jalan.sources.tables import read_table


@pytest.fixture
def source(store: Engine, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> int:
    """A folder of SQL that the settings allow."""
    (tmp_path / "jalan.yaml").write_text("database: strait\nserver: islands:5432\n")
    (tmp_path / "fares.sql").write_text("create table core.fares as select fare from landing.tickets;")
    monkeypatch.setenv("JALAN_FILES", str(tmp_path))
    monkeypatch.setenv("JALAN_STORE", store.url.render_as_string(hide_password=False))
    return sources.add(Context(store, "test"), "pipelines", {"kind": "repository", "location": str(tmp_path)})


def announced(store: Engine, source: int) -> int:
    """Put an ingestion into the log, as the scheduler does before it starts the process."""
    return log.announce(store, "repository", "pipelines", source_id=source, who="schedule")


def test_it_brings_the_source_up_to_date_under_the_number_that_was_announced(store: Engine, source: int) -> None:
    number = announced(store, source)
    worker.main(source, number, "schedule")
    with Context(store, "test") as context:
        found = overview.ingestion(context, number)
        assert (found.state, found.who, found.changed["links"]) == ("done", "schedule", 1)
        assert {row.title for row in catalog(context, "", {}, 9, None).items} == {"core.fares", "landing.tickets"}


def test_what_ends_it_is_its_last_word(store: Engine, source: int, capsys: pytest.CaptureFixture[str]) -> None:
    number = announced(store, source)
    with pytest.raises(SystemExit) as ended:
        worker.main(9999, number, "schedule")
    assert str(ended.value.code).startswith("jalan: ")


def test_it_stands_by_itself_as_a_process(store: Engine, source: int) -> None:
    number = announced(store, source)
    command = [sys.executable, "-m", "jalan.service.ingest.worker", str(source), str(number), "schedule"]
    ran = subprocess.run(command, capture_output=True, text=True, timeout=60, check=False)
    assert ran.returncode == 0, ran.stderr
    with Context(store, "test") as context:
        assert overview.ingestion(context, number).state == "done"


def test_a_store_that_does_not_answer_is_said(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("JALAN_STORE", "postgresql+psycopg://nobody@127.0.0.1:1/nowhere")
    with pytest.raises(SystemExit, match="the store does not answer"):
        worker.main(1, 1, "schedule")


def test_one_that_was_stopped_says_so_by_its_code(
    store: Engine, source: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    def stopped(*_: Any, **__: Any) -> None:
        raise log.Cancelled

    monkeypatch.setattr(worker, "ingest", stopped)
    with pytest.raises(SystemExit) as ended:
        worker.main(source, 1, "schedule")
    assert ended.value.code == 130


@pytest.mark.parametrize(
    ("package", "name", "open_"), [("pyarrow", "x.parquet", parquet_file), ("openpyxl", "x.xlsx", xlsx_book)]
)
def test_a_library_that_is_not_installed_is_asked_for_by_name(
    package: str, name: str, open_: Any, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    find = builtins.__import__

    def without(wanted: str, *arguments: Any, **named: Any) -> Any:
        if wanted.partition(".")[0] == package:
            raise ImportError(wanted)
        return find(wanted, *arguments, **named)

    monkeypatch.setattr(builtins, "__import__", without)
    with pytest.raises(SourceError, match=rf"needs {package}, which is not installed; .*jalan\[files\]"):
        open_(tmp_path / name)


@pytest.mark.parametrize("name", ["x.parquet", "x.xlsx"])
def test_what_is_no_such_file_is_said(name: str, tmp_path: Path) -> None:
    (tmp_path / name).write_bytes(b"PAR1 tide PK")
    with pytest.raises(SourceError, match="this is no"):
        read_table(str(tmp_path / name), EVERYTHING.files)


def test_a_configuration_of_no_known_kind_is_refused_with_the_kinds_there_are() -> None:
    with pytest.raises(Exception, match="repository"):
        parse_config({"kind": "lighthouse"})
