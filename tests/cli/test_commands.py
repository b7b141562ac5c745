"""The command line: what it prints, where, and with which exit code."""

import json
from pathlib import Path

import pytest
from sqlalchemy import Engine
from typer.testing import CliRunner

from jalan.cli.main import app
from jalan.demo import scenario
from jalan.demo.start import KNOWN_AS
from tests.conftest import Demo

RUNNER = CliRunner()


def _run(*arguments: str, text: str | None = None):  # type: ignore[no-untyped-def]
    return RUNNER.invoke(app, list(arguments), input=text)


def test_extract_prints_json() -> None:
    done = _run("extract", "-", text="select sum(fare) as gross from tickets where paid")
    assert done.exit_code == 0
    found = json.loads(done.stdout)
    (statement,) = found["statements"]
    (source,) = statement["outputs"][0]["values"]
    assert source == {
        "table": "tickets", "column": "fare", "how": "aggregation", "span": [11, 15], "spans": [[11, 15]],
        "path": "", "possible": False,
    }  # fmt: skip
    assert statement["row_conditions"][0]["column"] == "paid"


def test_extract_takes_known_tables(tmp_path: Path) -> None:
    known = tmp_path / "tables.json"
    known.write_text('{"core.tickets": ["ticket_id", "fare"]}')
    sql = tmp_path / "a.sql"
    sql.write_text("create view v as select * from core.tickets")
    done = _run("extract", str(sql), "--tables", str(known))
    assert [o["name"] for o in json.loads(done.stdout)["statements"][0]["outputs"]] == ["ticket_id", "fare"]


def test_extract_exits_with_1_on_errors_and_says_where() -> None:
    done = _run("extract", "-", text="select 1;\nselec fare")
    assert done.exit_code == 1
    assert "-:2:1: error: expected a statement, met “selec” [syntax_error]" in done.stderr
    assert len(json.loads(done.stdout)["statements"]) == 1


def test_extract_fills_in_templates_and_says_how_outputs_are_made(tmp_path: Path) -> None:
    values = tmp_path / "values.yaml"
    values.write_text('variables: {env: prod}\ncalls: {dataset: "core.{0}"}\n')
    sql = "select sum(fare) as gross from {{ dataset('tickets') }} where env = '{{ env }}'"
    done = _run("extract", "-", "--vars", str(values), "--detail", "--dialect", "auto", text=sql)
    assert done.exit_code == 0, done.stderr
    found = json.loads(done.stdout)
    assert found["dialect"] == "postgresql"
    (output,) = found["statements"][0]["outputs"]
    assert output["values"][0]["table"] == "core.tickets"
    assert output["detail"]["expression"] == "sum(fare)"
    assert [step["kind"] for step in output["detail"]["chain"]] == ["same", "aggregated"]
    shown = _run("extract", "-", "--vars", str(values), "--detail", "--format", "table", text=sql)
    assert "same fare → aggregated gross" in shown.stdout


def test_a_bad_file_of_values_says_where(tmp_path: Path) -> None:
    values = tmp_path / "values.yaml"
    values.write_text("variabels: {}\n")
    done = _run("extract", "-", "--vars", str(values), text="select 1")
    assert done.exit_code == 2
    assert "values.yaml:1" in done.stderr
    assert "did you mean “variables”" in done.stderr or "variables" in done.stderr
    assert _run("extract", "-", "--vars", str(tmp_path / "none.yaml"), text="select 1").exit_code == 2


def test_what_is_only_guessed_is_no_error() -> None:
    done = _run("extract", "-", text="select * from unheard_of")
    assert done.exit_code == 0
    assert "warning: the columns behind * of “unheard_of” are not known" in done.stderr


@pytest.mark.parametrize(
    ("arguments", "message"),
    [
        (["extract", "missing.sql"], "cannot read missing.sql"),
        (["extract", "-", "--dialect", "fog"], "unknown dialect 'fog'; known: auto, ansi"),
        (["extract"], "Missing argument"),
        (["scan", "x", "--alias", "y"], "expected HOST:PORT=HOST:PORT"),
    ],
)
def test_wrong_use_exits_with_2(arguments: list[str], message: str) -> None:
    done = _run(*arguments, text="select 1")
    assert done.exit_code == 2
    assert message in done.stderr


def test_bad_tables_are_refused(tmp_path: Path) -> None:
    known = tmp_path / "tables.json"
    known.write_text('{"a": "b"}')
    done = _run("extract", "-", "--tables", str(known), text="select 1")
    assert (done.exit_code, "expected {" in done.stderr) == (2, True)
    known.write_text("{")
    assert "this is no JSON" in _run("extract", "-", "--tables", str(known), text="select 1").stderr


def test_extract_as_a_table_names_what_flows_where() -> None:
    done = _run("extract", "-", "--format", "table", text="create view v as select fare from tickets where paid")
    rows = [line.split() for line in done.stdout.splitlines()[1:] if line.strip()]
    assert rows == [
        ["-", "1", "v", "fare", "value", "tickets.fare", "identity"],
        ["-", "1", "v", "(rows)", "condition", "tickets.paid", "filter"],
    ]


def test_extract_speaks_openlineage() -> None:
    sql = "create table gross as select sum(fare) as gross from tickets where paid"
    (event,) = json.loads(_run("extract", "-", "--format", "openlineage", text=sql).stdout)
    (output,) = event["outputs"]
    facet = output["facets"]["columnLineage"]
    (source,) = facet["fields"]["gross"]["inputFields"]
    assert (source["name"], source["field"]) == ("tickets", "fare")
    assert (source["transformations"][0]["type"], source["transformations"][0]["subtype"]) == (
        "DIRECT",
        "AGGREGATION",
    )
    assert facet["dataset"][0]["transformations"][0] == {
        "type": "INDIRECT", "subtype": "FILTER", "description": "", "masking": False,
    }  # fmt: skip
    assert event["inputs"] == [{"namespace": "sql", "name": "tickets"}]


@pytest.mark.parametrize("command", ["extract", "scan", "load", "migrate", "serve", "openapi", "version"])
def test_every_command_helps_with_an_example(command: str) -> None:
    done = _run(command, "--help")
    assert done.exit_code == 0
    assert f"jalan {command}" in done.stdout


def test_scan_and_load_print_what_they_found(store: Engine, demo: Demo) -> None:
    address = store.url.render_as_string(hide_password=False)
    url = demo.cluster.url("strait").replace("+psycopg", "")
    done = _run("scan", url, "--as", KNOWN_AS, "--store", address, "--format", "json")
    assert done.exit_code == 0, done.stderr
    assert json.loads(done.stdout)["found"] == {"tables": 46, "columns": 296}
    done = _run("load", str(scenario.REPOSITORY), "--store", address)
    assert done.exit_code == 0, done.stderr
    assert "reports" in done.stdout
    done = _run("load", str(scenario.REPOSITORY), "--store", address, "--format", "json")
    assert json.loads(done.stdout)["changed"] == {}


def test_a_folder_that_cannot_be_read_exits_with_1(store: Engine, tmp_path: Path) -> None:
    done = _run("load", str(tmp_path), "--store", store.url.render_as_string(hide_password=False))
    assert done.exit_code == 1
    assert "holds no SQL files" in done.stderr
