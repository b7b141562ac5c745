"""Files with something wrong in them, of every kind that a source reads: never an exception that nobody foresaw,
never a hang; what is lost is told."""

import io
import json
import os
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path
from typing import Any

import httpx
import openpyxl
import orjson
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import Engine

from jalan.demo.sources import OFFICE
from jalan.service.context import Context
from jalan.service.errors import Invalid
from jalan.service.ingest import sources
from jalan.service.ingest.registry import parse_config
from jalan.sources.errors import SourceError
from jalan.sources.reports_service import ReportsService
from jalan.store.database import migrate, open_store
from tests.conftest import Cluster, fresh_database
from tests.store.test_tabular import CONFIG as TABULAR

SERVER = "islands:5432"
EXAMPLES = 500 if os.environ.get("JALAN_NIGHTLY") else 25
ROWS = [
    {
        "at": "2026-11-20T10:00:00",
        "who": "ana",
        "db": "strait",
        "ms": 2,
        "sent": f"select fare from t{n} where a = {n}",
    }
    for n in range(6)
]
MAPPING = {"text": "sent", "time": "at", "user": "who", "database": "db", "duration": "ms"}
JSONLOG = b"".join(
    orjson.dumps({"timestamp": "2026-11-20 10:00:00.1 UTC", "user": "ana", "dbname": "strait", "message": text})
    + b"\n"
    for text in ("duration: 1.5 ms  statement: select fare from tickets", "statement: delete from t where x = 'é'")
)
CSVLOG = b"".join(
    b'2026-11-20 10:00:0%d.1 UTC,ana,strait,1,"h",s,1,"SELECT",2026-11-20 10:00:00 UTC,1/1,0,LOG,00000,'
    b'"duration: 1 ms  statement: select ""a"",\n b from t",,,,,,,,,psql\n' % n
    for n in range(5)
)
DIGEST = (
    b'{"digest": 1, "file": "x", "start": 0, "end": 9, "entries": 1, "without_data": 0, "bad": 0}\n'
    b'{"query": "f", "database": "strait", "text": "select 1", "first": "2026-01-01", "last": "2026-01-01"}\n'
    b'{"use": "f", "database": "strait", "day": "2026-01-01", "person": "", "role": "", "application": "",'
    b' "runs": 1, "duration_ms": 1, "rows": 1, "bytes": 1}\n'
)
REPORT = (
    "report: gross\ntitle: Gross\nowner: Quay\ndatabase: strait\nserver: islands:5432\nelements:\n"
    "  - {name: a, kind: chart, dataset: core.t, columns: {g: sum(x)}, filters: [y > 1]}\n"
    "  - name: b\n    kind: chart\n    sql: |\n      select &x from t\n"
)


def _parquet() -> bytes:
    out = io.BytesIO()
    pq.write_table(pa.Table.from_pylist(ROWS), out)
    return out.getvalue()


def _xlsx() -> bytes:
    book, out = openpyxl.Workbook(), io.BytesIO()
    for line in (OFFICE / "register-datasets.csv").read_text().splitlines()[:5]:
        book.active.append(line.split(","))  # type: ignore[union-attr]
    book.save(out)
    return out.getvalue()


def _history(form: str) -> dict[str, Any]:
    mapping = MAPPING if form in ("csv", "jsonl", "parquet") else None
    return {
        "kind": "history",
        "format": form,
        "files": "{}",
        "server": SERVER,
        "mapping": mapping,
        "database": "strait",
    }


CSV = ("at,who,db,ms,sent\n" + "".join(",".join(f'"{v}"' for v in row.values()) + "\n" for row in ROWS)).encode()
KINDS: dict[str, tuple[str, bytes, dict[str, Any]]] = {
    "jsonlog": ("x.json", JSONLOG, _history("jsonlog")),
    "csvlog": ("x.csv", CSVLOG, _history("csvlog")),
    "csv": ("x.csv", CSV, _history("csv")),
    "jsonl": ("x.jsonl", b"".join(orjson.dumps(row) + b"\n" for row in ROWS), _history("jsonl")),
    "parquet": ("x.parquet", _parquet(), _history("parquet")),
    "digest": ("x.jsonl", DIGEST, _history("digest")),
    "events": ("x.jsonl", (OFFICE / "gate-events.jsonl").read_bytes(), {"kind": "events", "file": "{}"}),
    "declared": ("x.yaml", (OFFICE / "declared.yaml").read_bytes(), {"kind": "declared", "location": "{}"}),
    "table": ("x.csv", (OFFICE / "register-datasets.csv").read_bytes(), TABULAR | {
        "datasets": "{}", "flows": str(OFFICE / "register-flows.csv")}),
    "workbook": ("x.xlsx", _xlsx(), TABULAR | {"datasets": "{}", "flows": str(OFFICE / "register-flows.csv")}),
    "settings": ("sql/jalan.yaml", b"database: strait\nserver: islands:5432\nfiles: {'a*': {dialect: mysql}}\n",
                 {"kind": "repository", "location": "{}"}),
    "file": ("sql/a.sql", b"insert into core.t select x, 'a' from core.s where {{ y }} > 1;\n",
             {"kind": "repository", "location": "{}"}),
    "report": ("sql/r.yaml", REPORT.encode(), {"kind": "repository", "location": "{}"}),
}  # fmt: skip

EDITS = st.lists(
    st.tuples(
        st.sampled_from(["cut", "put", "twice", "flip"]), st.floats(0, 1), st.integers(1, 40),
        st.sampled_from([b"\0", b'"', b"\n", b"\xff", b"'", b"[", b"{", b"&a *a", b"\\u0000", b",", b"\r"]),
    ),
    min_size=1, max_size=4,
)  # fmt: skip


def _edited(data: bytes, edits: list[tuple[str, float, int, bytes]]) -> bytes:
    for what, where, length, word in edits:
        at = int(where * len(data))
        if what == "cut":
            data = data[:at] + data[at + length :]
        elif what == "put":
            data = data[:at] + word + data[at:]
        elif what == "twice":
            data = data[:at] + data[at : at + length] + data[at:]
        else:
            data = data[:at] + bytes(b ^ 0x41 for b in data[at : at + length]) + data[at + length :]
    return data


@pytest.fixture(scope="module")
def kept(cluster: Cluster) -> Iterator[Engine]:
    with fresh_database(cluster) as name:
        engine = open_store(cluster.url(name))
        migrate(engine)
        yield engine
        engine.dispose()


@pytest.mark.parametrize("kind", KINDS)
def test_a_file_with_something_wrong_in_it(kept: Engine, tmp_path: Path, kind: str) -> None:
    name, data, config = KINDS[kind]
    (tmp_path / "sql").mkdir()
    (tmp_path / "sql" / "jalan.yaml").write_text("database: strait\nserver: islands:5432\n")
    (tmp_path / "sql" / "good.sql").write_text("insert into core.t select x from core.s;\n")
    place = tmp_path / "sql" if name.startswith("sql/") else tmp_path / name
    told = parse_config({key: str(place) if value == "{}" else value for key, value in config.items()})

    @given(EDITS)
    @settings(max_examples=EXAMPLES, suppress_health_check=list(HealthCheck))
    def tried(edits: list[tuple[str, float, int, bytes]]) -> None:
        (tmp_path / name).write_bytes(_edited(data, edits))
        for work in (
            lambda: sources.preview(told),
            lambda: sources.ingest(
                Context(kept, "test"), sources.ensure(Context(kept, "test"), kind, told), config=told
            ),
        ):
            with suppress(SourceError, Invalid):
                work()

    tried()


JSON = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=8),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.sampled_from(
        ["items", "next", "id", "name", "title", "columns", "query", "database", "expression", "kind", "fields"]
    ), inner, max_size=5),
    max_leaves=25,
)  # fmt: skip


@given(st.lists(JSON, min_size=1, max_size=6))
def test_a_service_that_answers_anything(answers: list[Any]) -> None:
    count = 0

    def answer(request: httpx.Request) -> httpx.Response:
        nonlocal count
        count += 1
        found = answers[count % len(answers)]
        if count % 3:
            found = {"items": found if isinstance(found, list) else [found, {"id": "a", "name": "n"}]}
        return httpx.Response(200, content=json.dumps(found).encode(errors="replace"))

    service = ReportsService("http://desk", None, retries=0, transport=httpx.MockTransport(answer))
    with service, suppress(SourceError):
        service.read(lambda what, done, total: None)
    assert count < 1000
