"""The command line: what it prints, where, and with which exit code."""

import json
from pathlib import Path

import pyarrow.parquet as pq
import pytest
from sqlalchemy import Engine
from typer.testing import CliRunner

from jalan import __version__
from jalan.cli.main import app
from jalan.demo import scenario
from jalan.demo.cluster import Cluster
from jalan.demo.sources import KNOWN_AS
from tests.conftest import Demo, fresh_database

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


_COMMANDS = [
    "extract", "scan", "load", "migrate", "serve", "openapi", "version", "digest-history", "export", "import",
    "alias", "change", "closure", "order", "picture",
    *(f"source {name}" for name in ("kinds", "add", "test", "list", "ingest", "stop", "remove", "unread")),
]  # fmt: skip


@pytest.mark.parametrize("command", _COMMANDS)
def test_every_command_helps_with_an_example(command: str) -> None:
    done = _run(*command.split(), "--help")
    assert done.exit_code == 0
    assert f"jalan {command}" in done.stdout


def test_scan_and_load_print_what_they_found(store: Engine, demo: Demo) -> None:
    address = store.url.render_as_string(hide_password=False)
    url = demo.cluster.url("strait").replace("+psycopg", "")
    done = _run("scan", url, "--as", KNOWN_AS, "--store", address, "--format", "json")
    assert done.exit_code == 0, done.stderr
    assert json.loads(done.stdout)["found"] == {"tables": 47, "columns": 298, "routines": 0, "triggers": 0}
    done = _run("load", str(scenario.REPOSITORY), "--store", address)
    assert done.exit_code == 0, done.stderr
    assert "reports" in done.stdout
    done = _run("load", str(scenario.REPOSITORY), "--store", address, "--format", "json")
    assert json.loads(done.stdout)["changed"] == {}


def test_a_folder_that_cannot_be_read_exits_with_1(store: Engine, tmp_path: Path) -> None:
    done = _run("load", str(tmp_path), "--store", store.url.render_as_string(hide_password=False))
    assert done.exit_code == 1
    assert "holds no SQL files" in done.stderr


def test_a_source_from_adding_to_removing(store: Engine, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("JALAN_SECRET_KEY_FILE", str(tmp_path / "secret.key"))
    monkeypatch.setenv("JALAN_STORE", store.url.render_as_string(hide_password=False))
    (tmp_path / "sql").mkdir()
    (tmp_path / "sql" / "jalan.yaml").write_text("server: islands:5432\ndatabase: strait\n")
    (tmp_path / "sql" / "torn.sql").write_text("insert into gross select fare from tickets;\nselect (1;\n")
    config = tmp_path / "source.yaml"
    config.write_text(f"kind: repository\nlocation: {tmp_path / 'sql'}\n")
    tried = _run("source", "test", str(config), "--format", "json")
    assert {"what": "SQL files", "count": 1, "examples": ["torn.sql"]} in json.loads(tried.stdout)["parts"]
    assert _run("source", "add", "sql", str(config), "--schedule", "0 3 * * *").exit_code == 0
    ran = _run("source", "ingest", "sql", "--format", "json")
    assert json.loads(ran.stdout)["found"]["files"] == 1
    (listed,) = json.loads(_run("source", "list", "--format", "json").stdout)
    assert (listed["name"], listed["last_ingestion"]["state"], listed["unread"]) == ("sql", "done", 2)
    (worst, *_) = json.loads(_run("source", "unread", "sql", "--format", "json").stdout)
    assert (worst["place"], worst["line"]) == ("torn.sql", 2)
    assert "it is not being ingested" in _run("source", "stop", "sql").stderr
    assert _run("source", "remove", "sql").exit_code == 0
    gone = _run("source", "ingest", "sql")
    assert (gone.exit_code, "there is no source “sql” yet" in gone.stderr) == (1, True)


def test_a_wrong_source_exits_with_1_and_says_why(store: Engine, tmp_path: Path) -> None:
    config = tmp_path / "source.json"
    config.write_text('{"kind": "repository", "loaction": "x"}')
    done = _run("source", "test", str(config))
    assert done.exit_code == 1
    assert "loaction: is not known here; repository has kind, location" in done.stderr
    config.write_text("{")
    assert _run("source", "test", str(config)).exit_code == 1


def test_a_history_becomes_a_digest_without_constants(tmp_path: Path) -> None:
    rows = [
        {"t": "2026-11-20", "q": f"select fare from tickets where email = 'p{n}@ferry.example'"} for n in range(3)
    ]
    (tmp_path / "q.jsonl").write_text("\n".join(json.dumps(row) for row in rows) + "\n")
    out = tmp_path / "digest.jsonl"
    done = _run(
        "digest-history", str(tmp_path / "q.jsonl"), "-o", str(out), "--kind", "jsonl", "--map", "text=q", "--map",
        "time=t", "--database", "strait",
    )  # fmt: skip
    assert done.exit_code == 0, done.stderr
    assert "3 entries, 1 different queries" in done.stderr
    lines = [json.loads(line) for line in out.read_text().splitlines()]
    assert [line.get("runs") for line in lines] == [None, None, 3]
    assert "ferry.example" not in out.read_text()
    assert _run("digest-history", str(tmp_path / "q.jsonl"), "--kind", "tape").exit_code == 1


def test_the_graph_goes_out_and_comes_in(store: Engine, demo: Demo, tmp_path: Path) -> None:
    out = tmp_path / "graph.jsonl"
    theirs = demo.engine.url.render_as_string(hide_password=False)
    assert _run("export", "-o", str(out), "--store", theirs).exit_code == 0
    drawn = _run("export", "--format", "mermaid", "--around", "mart.loyalty", "--upstream", "1", "--store", theirs)
    assert drawn.stdout.startswith("flowchart LR")
    mine = store.url.render_as_string(hide_password=False)
    done = _run("import", str(out), "--store", mine, "--format", "json")
    assert json.loads(done.stdout)["found"]["datasets"] > 90
    wrong = _run("export", "--around", "mart.nothing", "--store", mine)
    assert (wrong.exit_code, "there is no dataset “mart.nothing”" in wrong.stderr) == (1, True)
    assert _run("alias", "mart.loyalty", "mart.crew_load", "--store", mine).exit_code == 0
    assert _run("alias", "mart.loyalty", "mart.crew_load", "--store", mine, "--undo").exit_code == 0
    assert _run("alias", "mart.loyalty", "mart.crew_load", "--store", mine, "--undo").exit_code == 1


def test_a_road_is_drawn_without_a_browser(demo: Demo, tmp_path: Path) -> None:
    theirs = demo.engine.url.render_as_string(hide_password=False)
    out = tmp_path / "trail.svg"
    done = _run("picture", "core.sailing_revenue", "--column", "gross", "-o", str(out), "--store", theirs)
    assert (done.exit_code, "wrote" in done.stderr) == (0, True)
    drawn = out.read_text()
    for text in ("core.sailing_revenue: gross", "5 upstream", "3 downstream", "(t.fare - t.discount)", " UTC"):
        assert text in drawn
    hops = ("--upstream", "1", "--downstream", "0")
    lanes = _run("picture", "core.sailing_revenue", *hops, "--store", theirs).stdout
    assert "1 upstream" in lanes
    assert "downstream</text>" not in lanes
    wrong = _run("picture", "core.sailing_revenue", "--column", "tolls", "--store", theirs)
    assert (wrong.exit_code, "there is no column “tolls” in it" in wrong.stderr) == (1, True)


def test_what_depends_on_what_is_one_flat_table(demo: Demo, tmp_path: Path) -> None:
    theirs = demo.engine.url.render_as_string(hide_password=False)
    listed = _run("closure", "--store", theirs).stdout.splitlines()
    assert listed[0] == "dataset,depends_on,depth,job,path"
    out = tmp_path / "closure.parquet"
    done = _run("closure", "--format", "parquet", "-o", str(out), "--store", theirs)
    assert (done.exit_code, f"wrote {len(listed) - 1:,} rows" in done.stderr) == (0, True)
    table = pq.read_table(out)
    assert (table.num_rows, table.column_names) == (len(listed) - 1, listed[0].split(","))
    assert _run("closure", "--format", "parquet", "--store", theirs).exit_code == 2
    near = tmp_path / "near.csv"
    assert _run("closure", "--depth", "1", "-o", str(near), "--store", theirs).exit_code == 0
    assert 1 < len(near.read_text().splitlines()) < len(listed)


@pytest.mark.parametrize(
    ("url", "message"),
    [
        ("postgresql+psycopg://jalan@127.0.0.1:1/jalan", "the store does not answer"),
        ("harbour", "this is no address of a store"),
        ("fax://harbour", "this is no address of a store"),
    ],
)
@pytest.mark.parametrize(
    "command", [["serve"], ["migrate"], ["source", "list"], ["source", "ingest", "x"], ["export"], ["rotate-key"]]
)
def test_a_store_that_is_away_is_one_line(url: str, message: str, command: list[str], tmp_path: Path) -> None:
    arguments = [*command, "--store", url, *(["--frontend", str(tmp_path)] if command == ["serve"] else [])]
    result = RUNNER.invoke(app, arguments)
    assert result.exit_code in (1, 2)
    assert message in result.stderr
    assert len(result.stderr.strip().splitlines()) == 1


def test_a_store_without_tables_says_what_to_do(cluster: Cluster, tmp_path: Path) -> None:
    with fresh_database(cluster) as name:
        for command in (["source", "list"], ["serve", "--frontend", str(tmp_path)]):
            result = RUNNER.invoke(app, [*command, "--store", cluster.url(name)])
            assert result.exit_code == 1
            assert "the store is not at this version; run: jalan migrate" in result.stderr


def test_the_version_is_told() -> None:
    assert RUNNER.invoke(app, ["--version"]).stdout == f"{__version__}\n"
