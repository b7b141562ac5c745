"""Metadata in tables: mappings, rules of repair, and many rows."""

import csv
from pathlib import Path

import openpyxl
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from sqlalchemy import Engine, select
from sqlalchemy.orm import Session

from jalan.demo.sources import OFFICE
from jalan.service.context import Context
from jalan.service.errors import Invalid
from jalan.service.ingest import overview, sources
from jalan.service.ingest.registry import parse_config
from jalan.sources.errors import SourceError
from jalan.store.schema import Dataset
from tests.store.state import content, counts

CONFIG = {
    "kind": "tabular",
    "namespace": "file://office",
    "dataset_columns": {"id": "id", "name": "asset", "namespace": "system", "kind": "type", "owner": "steward"},
    "flow_columns": {
        "flow": "flow", "name": "flow_name", "dataset": "dataset", "side": "direction", "input": "in", "output": "out",
        "type": "flow_type",
    },
    "rules": [
        {"rule": "ignore", "where": {"column": "flow_type", "in": ["retired"]}},
        {"rule": "fill", "column": "dataset", "from": "target_hint"},
        {"rule": "drop_duplicates", "by": ["flow", "direction", "dataset"]},
        {"rule": "missing_side", "side": "output", "from": "target_hint"},
        {"rule": "missing_side", "side": "output", "from": "flow",
         "where": {"column": "flow_type", "in": ["self_named"]}},
    ],
}  # fmt: skip


def _rows(name: str) -> list[list[str]]:
    with (OFFICE / f"register-{name}.csv").open(newline="") as file:
        return list(csv.reader(file))


def _write(path: Path, rows: list[list[str]]) -> str:
    if path.suffix == ".xlsx":
        book = openpyxl.Workbook()
        for row in rows:
            book.active.append([value or None for value in row])
        book.save(path)
    elif path.suffix == ".parquet":
        head, *body = rows
        pq.write_table(pa.table({name: [row[n] for row in body] for n, name in enumerate(head)}), path)
    else:
        with path.open("w", newline="") as file:
            csv.writer(file, delimiter=";").writerows(rows)
    return str(path)


def _load(store: Engine, datasets: str, flows: str, **values: object) -> sources.Outcome:
    config = parse_config({**CONFIG, "datasets": datasets, "flows": flows, **values})
    return sources.ingest(
        Context(store, "test"), sources.ensure(Context(store, "test"), "register", config), config=config
    )


def _flows(store: Engine) -> set[tuple[str, str]]:
    with Context(store, "test") as context:
        pairs = context.graph.pairs
        ends = list(zip(pairs.sources.tolist(), pairs.targets.tolist(), strict=True))
        infos = context.names.datasets_at({at for pair in ends for at in pair})
    return {(infos[source].name, infos[target].name) for source, target in ends}


FLOWS = {
    ("tides/predictions.csv", "tides/checked.csv"), ("tides/checked.csv", "HARBOUR.ops.tides"),
    ("STRAIT.core.sailing_revenue", "statements/fares-monthly.xlsx"), ("gate-scans", "ticketing.public.tickets"),
    ("statements/fares-monthly.xlsx", "statements/ledger.xlsx"), ("statements/ledger.xlsx", "statements/ledger.xlsx"),
    ("gate-scans", "gate-alarms"),
}  # fmt: skip


@pytest.mark.parametrize("suffix", ["csv", "xlsx", "parquet"])
def test_tables_are_read_mapped_and_repaired(store: Engine, tmp_path: Path, suffix: str) -> None:
    datasets = _write(tmp_path / f"datasets.{suffix}", _rows("datasets"))
    flows = _write(tmp_path / f"flows.{suffix}", _rows("flows"))
    outcome = _load(store, datasets, flows)
    assert outcome.totals == {"datasets": 8, "flows": 6, "rows of flows": 13}
    assert _flows(store) == FLOWS
    before = content(store)
    assert _load(store, datasets, flows).counts == {}
    assert content(store) == before


def test_a_flow_whose_input_is_its_output_feeds_itself(store: Engine, tmp_path: Path) -> None:
    _load(store, str(OFFICE / "register-datasets.csv"), str(OFFICE / "register-flows.csv"))
    assert [one for one, other in _flows(store) if one == other] == ["statements/ledger.xlsx"]


def test_what_rules_did_and_what_is_left_out_is_noted(store: Engine, tmp_path: Path) -> None:
    rows = [*_rows("flows"), ["F9", "Torn", "load", "sideways", "D1", "", ""], ["", "", "", "in", "D1", "", ""]]
    flows = _write(tmp_path / "flows.csv", rows)
    _load(store, str(OFFICE / "register-datasets.csv"), flows)
    with Context(store, "test") as context:
        notes = overview.sources(context)[0].last_ingestion.notes
    assert [note.message for note in notes if note.code == "repaired"] == [
        "ignore: 1 row dropped", "fill dataset from target_hint: 1 row changed",
        "drop duplicates by flow, direction, dataset: 1 row dropped", "missing output from target_hint: 1 row added",
        "missing output from flow: 1 row added",
    ]  # fmt: skip
    unusable = {note.message for note in notes if note.code == "unusable_row"}
    assert unusable == {
        "“direction” is neither “in” nor “out”: 1 rows are left out", "“flow” is empty: 1 rows are left out",
    }  # fmt: skip


def test_the_preview_shows_what_rows_become_and_writes_nothing(store: Engine) -> None:
    before = counts(store)
    config = {**CONFIG, "datasets": str(OFFICE / "register-datasets.csv"),
              "flows": str(OFFICE / "register-flows.csv")}  # fmt: skip
    found = sources.preview(parse_config(config))
    assert {part.what: part.count for part in found.parts} == {
        "datasets": 8, "flows": 6, "rows of flows": 13, "flows that feed their own input": 1,
    }  # fmt: skip
    assert found.tables[1].title == "Flows after repair"
    assert any("1 datasets of flows are not listed, as gate-alarms" in warning for warning in found.warnings)
    assert counts(store) == before


@pytest.mark.parametrize(
    ("change", "error", "message"),
    [
        ({"datasets": "nowhere.csv"}, SourceError, r"there is no file .*/nowhere\.csv"),
        ({"dataset_columns": {"id": "idd", "name": "asset"}}, Invalid, "has no column “idd”; the nearest names are id"),
        ({"rules": [{"rule": "fill", "column": "datset", "from": "note"}]}, Invalid,
         "no column “datset”; the nearest names are dataset"),
        ({"rules": [{"rule": "mend"}]}, Invalid, "rules.0: Input tag 'mend'"),
    ],
)  # fmt: skip
def test_what_is_wrong_is_said_before_anything_is_written(
    store: Engine, change: dict, error: type[Exception], message: str
) -> None:
    values = {"datasets": str(OFFICE / "register-datasets.csv"), "flows": str(OFFICE / "register-flows.csv")}
    with pytest.raises(error, match=message):
        sources.preview(parse_config({**CONFIG, **values, **change}))


def test_a_dataset_that_is_no_longer_listed_is_gone(store: Engine, tmp_path: Path) -> None:
    datasets = _write(tmp_path / "datasets.csv", _rows("datasets"))
    _load(store, datasets, str(OFFICE / "register-flows.csv"))
    _write(tmp_path / "datasets.csv", [row for row in _rows("datasets") if row[0] != "D8"])
    _load(store, datasets, str(OFFICE / "register-flows.csv"))
    with Session(store) as session:
        gone = session.scalars(select(Dataset).where(Dataset.gone_since.is_not(None))).all()
    assert [d.name for d in gone] == ["statements/ledger.xlsx"]


def test_many_rows_load_and_load_again(store: Engine, tmp_path: Path) -> None:
    count = 3_000
    datasets = [["id", "system", "asset", "type", "about", "steward"]]
    datasets += [[f"D{n}", "file://office", f"area{n % 40}/set{n}.csv", "file", "", ""] for n in range(count)]
    flows = [["flow", "flow_name", "flow_type", "direction", "dataset", "target_hint", "note"]]
    for n in range(count):
        flows.append([f"F{n}", f"flow {n}", "load", "in", f"D{n}", "", ""])
        flows.append([f"F{n}", f"flow {n}", "load", "in", f"D{(n * 7) % count}", "", ""])
        flows.append([f"F{n}", f"flow {n}", "load", "out", f"D{(n * 3 + 1) % count}", "", ""])
    places = _write(tmp_path / "d.csv", datasets), _write(tmp_path / "f.csv", flows)
    assert _load(store, *places).totals["flows"] == count
    before = counts(store)
    assert _load(store, *places).counts == {}
    assert counts(store) == before
