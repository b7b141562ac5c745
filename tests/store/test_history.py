"""Query histories: logs really written by PostgreSQL, its statistics, and tables of queries."""

import time
from collections.abc import Iterator
from pathlib import Path

import orjson
import psycopg
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from sqlalchemy import Engine, select, text
from sqlalchemy.orm import Session

from jalan.demo.cluster import Cluster
from jalan.service.context import Context
from jalan.service.ingest import overview, sources
from jalan.service.ingest.configuration import HistoryConfig
from jalan.service.ingest.kinds.history import digest_files, file_reading
from jalan.service.ingest.registry import parse_config
from jalan.sources.errors import SourceError
from jalan.sources.history_files import digest_file
from jalan.store.schema import Dataset, Field, Link, Query, QueryField, Use
from tests.conftest import admin, fresh_database
from tests.store.state import content

SERVER = "islands:5432"


@pytest.fixture
def place(cluster: Cluster) -> Iterator[str]:
    """A database whose queries are logged, and statistics kept."""
    with fresh_database(cluster) as name, admin(cluster, name) as connection:
        connection.execute(
            """create table tickets (ticket_id int, fare int, status text);
               create table ports (port_id int, name text); create table gross (port text, fare int);
               create extension pg_stat_statements"""
        )
        connection.execute(f'alter database "{name}" set log_min_duration_statement = 0')
        connection.execute("select pg_stat_statements_reset()")
        yield name


JOINED = (
    "select t.fare from tickets t join ports p on p.port_id = t.ticket_id where t.status = '{}' "
    "order by p.name limit {}"
)


def _ask(cluster: Cluster, database: str, *queries: str, application: str = "notebook") -> None:
    with admin(cluster, database) as connection:
        connection.execute(f"set application_name = '{application}'")
        for query in queries:
            try:
                connection.execute(query)
            except psycopg.Error:
                continue


def _logged(cluster: Cluster, word: str, suffix: str = "json") -> None:
    """Wait until the log has a word: the server's logger is a process of its own."""
    for _ in range(100):
        if any(word in path.read_text(errors="replace") for path in cluster.logs.glob(f"*.{suffix}")):
            return
        time.sleep(0.05)
    raise AssertionError(f"{word} is not in the log")


def _run(store: Engine, **values: object) -> sources.Outcome:
    config = parse_config({"kind": "history", "server": SERVER, **values})
    return sources.ingest(
        Context(store, "test"), sources.ensure(Context(store, "test"), "history", config), config=config
    )


def _used(store: Engine) -> set[tuple[str, str | None, str]]:
    with Session(store) as session:
        query = select(Dataset.name, Field.name, QueryField.how).select_from(QueryField)
        query = query.join(Dataset, Dataset.id == QueryField.dataset_id).outerjoin(
            Field, Field.id == QueryField.field_id
        )
        return {(name.rpartition(".")[2], field, how) for name, field, how in session.execute(query)}


def _runs(store: Engine) -> int:
    with store.connect() as connection:
        return int(connection.execute(text("select coalesce(sum(runs), 0) from use")).scalar_one())


def test_a_json_log_tells_who_uses_what_and_how(store: Engine, cluster: Cluster, place: str) -> None:
    _ask(
        cluster, place,
        JOINED.format("x1", 3), JOINED.format("x2", 9),
        "insert into gross (port, fare) select name, 1 from ports", "select broken from tickets",
        "select 'last word'",
    )  # fmt: skip
    _logged(cluster, "last word")
    outcome = _run(store, format="jsonlog", files=f"{cluster.logs}/*.json", databases=[place])
    assert outcome.totals["queries"] == 3, "what failed did not run"
    assert {
        ("tickets", "fare", "read"), ("tickets", "status", "filtered"), ("ports", "port_id", "joined"),
        ("ports", "name", "sorted"), ("gross", "port", "written"), ("gross", None, "written"),
        ("ports", "name", "read"), ("tickets", None, "read"),
    } <= _used(store)  # fmt: skip
    with Session(store) as session:
        (use,) = session.scalars(select(Use).where(Use.runs == 2))
        assert (use.person, use.application) == ("jalan", "notebook")
        assert use.duration_ms > 0
        targets = {session.get_one(Dataset, k.target_dataset_id).name for k in session.scalars(select(Link))}
        assert targets == {f"{place}.public.gross"}, "what is written has links"
        dataset = session.scalars(select(Dataset).where(Dataset.name.endswith(".tickets"))).one()
        assert dataset.placeholder


def test_no_constant_of_a_query_is_kept(store: Engine, cluster: Cluster, place: str) -> None:
    _ask(cluster, place, "select * from tickets where status = 'someone@ferry.example'",
         "select fare from tickets where (status = 'other@ferry.example'", "select 'word two'")  # fmt: skip
    _logged(cluster, "word two")
    _run(store, format="jsonlog", files=f"{cluster.logs}/*.json", databases=[place])
    assert "ferry.example" not in str(content(store))
    assert "'?'" in str(content(store)["definition"])


def test_a_log_that_grows_is_read_on_and_what_was_read_counts_once(
    store: Engine, cluster: Cluster, place: str
) -> None:
    values = {"format": "jsonlog", "files": f"{cluster.logs}/*.json", "databases": [place]}
    _ask(cluster, place, "select fare from tickets", "select 'word three'")
    _logged(cluster, "word three")
    _run(store, **values)
    before, runs = content(store), _runs(store)
    assert _run(store, **values).counts == {}
    assert content(store) == before
    _ask(cluster, place, "select fare from tickets", "select 'word four'")
    _logged(cluster, "word four")
    assert _run(store, **values).totals["queries"] == 2
    assert _runs(store) == runs + 2
    with Session(store) as session:
        assert len(session.scalars(select(Query)).all()) == 2, "the same two queries, with other constants"


def test_a_csv_log_says_the_same(store: Engine, cluster: Cluster, place: str) -> None:
    _ask(cluster, place, "select fare\nfrom tickets -- \"a quote\"\nwhere status = 'x'", "select 'word five'")
    _logged(cluster, "word five", "csv")
    _run(store, format="csvlog", files=f"{cluster.logs}/*.csv", databases=[place])
    assert ("tickets", "status", "filtered") in _used(store)


def test_statistics_count_what_they_have_grown_by(store: Engine, cluster: Cluster, place: str) -> None:
    connection = {
        "host": "127.0.0.1", "port": cluster.port, "database": place, "user": "jalan", "password": cluster.password,
    }  # fmt: skip
    values = {"format": "pg_stat_statements", "connection": connection, "databases": [place]}
    query = "select fare from tickets where ticket_id = 7"
    _ask(cluster, place, query, query)
    _run(store, **values)
    assert ("tickets", "ticket_id", "filtered") in _used(store)
    first = _runs(store)
    _ask(cluster, place, query, query, query)
    _run(store, **values)
    with Session(store) as session:
        query = select(Use.runs).join(QueryField, QueryField.query_id == Use.query_id)
        (runs,) = session.scalars(query.where(QueryField.how == "filtered"))
    assert runs == 5, "what Jalan itself asks the catalogue is no use of data"
    assert _runs(store) > first
    with pytest.raises(SourceError, match="has no pg_stat_statements; as a superuser"):
        _run(store, **values | {"connection": connection | {"database": "postgres"}})


MAPPING = {"text": "sent", "time": "at", "user": "who", "database": "db", "duration": "ms", "rows": "rows"}
ROWS = [
    {"at": "2026-11-20T10:00:00", "who": "quay_desk", "db": "strait", "ms": 2, "rows": 3,
     "sent": f"select fare from tickets where ticket_id = {n}"}
    for n in range(40)
]  # fmt: skip
ROWS.append({"at": "2026-11-20", "who": "x", "db": "strait", "ms": 1, "rows": 0, "sent": "select from where ("})


def _table(path: Path) -> None:
    if path.suffix == ".parquet":
        pq.write_table(pa.Table.from_pylist(ROWS), path)
    elif path.suffix == ".jsonl":
        path.write_bytes(b"".join(orjson.dumps(row) + b"\n" for row in ROWS))
    else:
        lines = [",".join(ROWS[0])] + [",".join(f'"{value}"' for value in row.values()) for row in ROWS]
        path.write_text("\n".join(lines) + "\n")


@pytest.mark.parametrize("form", ["csv", "jsonl", "parquet"])
def test_tables_of_queries_by_a_mapping(store: Engine, tmp_path: Path, form: str) -> None:
    _table(tmp_path / f"queries.{form}")
    values = {"format": form, "files": str(tmp_path / f"queries.{form}"), "mapping": MAPPING}
    outcome = _run(store, **values)
    assert (outcome.totals["entries"], outcome.totals["queries"]) == (41, 2)
    assert _run(store, **values).counts == {}
    with Context(store, "test") as context:
        (source,) = overview.sources(context)
        (unread,) = overview.unread(context, source.id, 0, 5).items
    assert (source.coverage.full, source.coverage.none) == (1, 1)
    assert unread.text == "select from where ("
    assert _runs(store) == 41


def test_a_mapping_names_every_column_of_a_history(store: Engine, tmp_path: Path) -> None:
    path = tmp_path / "queries.csv"
    path.write_text(
        "sent,at,who,as,with,db,took,lines,size\n"
        "select fare from tickets,2026-11-20T10:00:00,ana,clerk,notebook,strait,1.5,3,700\n"
        "select fare from tickets,2026-11-20T11:00:00,ana,auditor,notebook,strait,2,4,900\n"
    )
    mapping = {
        "text": "sent", "time": "at", "user": "who", "role": "as", "application": "with", "database": "db",
        "duration": "took", "duration_unit": "s", "rows": "lines", "bytes": "size",
    }  # fmt: skip
    _run(store, format="csv", files=str(path), mapping=mapping)
    with Session(store) as session:
        uses = session.scalars(select(Use).order_by(Use.role)).all()
    assert [(u.person, u.role, u.application, u.duration_ms, u.rows, u.bytes) for u in uses] == [
        ("ana", "auditor", "notebook", 2000.0, 4, 900), ("ana", "clerk", "notebook", 1500.0, 3, 700)
    ]  # fmt: skip


def test_a_digest_made_elsewhere_gives_the_same_and_counts_once(store: Engine, tmp_path: Path) -> None:
    table = tmp_path / "queries.csv"
    _table(table)
    config = parse_config(
        {"kind": "history", "format": "csv", "files": str(table), "server": SERVER, "mapping": MAPPING}
    )
    digest = tmp_path / "digest.jsonl"
    assert digest_files([table], digest, config, 0, 1) == (41, 2)
    assert "ticket_id = 7" not in digest.read_text()
    _run(store, format="digest", files=str(digest))
    assert _runs(store) == 41
    assert _run(store, format="digest", files=str(digest)).counts == {}
    # What has come to the file since is another digest, from where the first one ended.
    end = table.stat().st_size
    with table.open("a") as file:
        file.write('"2026-11-21","quay_desk","strait","1","1","select fare from tickets where ticket_id = 99"\n')
    digest_files([table], tmp_path / "more.jsonl", config, end, 1)
    _run(store, format="digest", files=str(tmp_path / "more.jsonl"))
    assert _runs(store) == 42
    digest_files([table], tmp_path / "torn.jsonl", config, 10, 1)
    with table.open("a") as file:
        file.write('"2026-11-21","quay_desk","strait","1","1","select 1"\n')
    digest_files([table], tmp_path / "overlap.jsonl", config, 0, 1)
    with pytest.raises(SourceError, match="make one of what is new"):
        _run(store, format="digest", files=str(tmp_path / "overlap.jsonl"))


def test_several_processes_find_the_same_as_one(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from jalan.sources import history_files

    path = tmp_path / "queries.jsonl"
    path.write_bytes(b"".join(orjson.dumps(row) + b"\n" for row in ROWS * 300))
    monkeypatch.setattr(history_files, "PIECE", 100_000)
    monkeypatch.setattr(history_files, "_SEVERAL", 200_000)
    config = parse_config(
        {"kind": "history", "format": "jsonl", "files": str(path), "server": SERVER, "mapping": MAPPING}
    )
    for workers, name in ((1, "one"), (2, "two")):
        digest_files([path], tmp_path / name, config, 0, workers)
    assert (tmp_path / "one").read_text() == (tmp_path / "two").read_text()
    assert (tmp_path / "one").read_text().count('"use"') == 2


def test_a_line_that_is_still_written_is_left_for_the_next_time(store: Engine, tmp_path: Path) -> None:
    path = tmp_path / "queries.jsonl"
    line = orjson.dumps(ROWS[0]) + b"\n"
    path.write_bytes(line + line[:40])
    values = {"format": "jsonl", "files": str(path), "mapping": MAPPING}
    assert _run(store, **values).totals["entries"] == 1
    path.write_bytes(line + line)
    assert _run(store, **values).totals["entries"] == 1
    assert _runs(store) == 2
    path.write_bytes(line)
    with pytest.raises(SourceError, match="is shorter than when it was last read"):
        _run(store, **values)


@pytest.mark.parametrize(
    ("values", "message"),
    [
        ({"format": "csv", "files": "x"}, "csv needs a mapping"),
        ({"format": "jsonlog"}, "jsonlog needs files"),
        ({"format": "pg_stat_statements"}, "needs a connection"),
        ({"format": "tape", "files": "x"}, "format: Input should be 'jsonlog'"),
        ({"format": "csv", "files": "x", "maping": {}}, "maping: is not known here"),
    ],
)
def test_a_wrong_configuration_is_explained(values: dict, message: str) -> None:
    from jalan.service.errors import Invalid

    with pytest.raises(Invalid, match=message):
        parse_config({"kind": "history", "server": SERVER, **values})


def test_a_broken_quote_loses_its_line_and_no_other_and_the_line_is_told(store: Engine, tmp_path: Path) -> None:
    path = tmp_path / "queries.csv"
    lines = ["at,who,sent"]
    lines += [f'2026-11-20T10:00:00,ana,"select fare from tickets where ticket_id = {n}"' for n in range(60)]
    lines[20] = "2026-11-20T10:00:00,ana,\"select fare from tickets where note = 'open"
    path.write_text("\n".join(lines) + "\n")
    mapping = {"text": "sent", "time": "at", "user": "who"}
    outcome = _run(store, format="csv", files=str(path), mapping=mapping, database="strait")
    assert _runs(store) == 59
    (note,) = [note for note in outcome.notes if note.code == "unreadable_entry"]
    assert note.place == "queries.csv:21"
    assert "quote" in note.message


def test_a_broken_quote_in_a_piece_of_a_large_file_loses_one_line(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from jalan.sources import history_files
    from jalan.usage import csv_records

    monkeypatch.setattr(history_files, "PIECE", 20_000)
    monkeypatch.setattr(csv_records, "LONGEST", 5_000)
    row = '"2026-11-20T10:00:00","ana","strait","1","1","select fare\nfrom tickets, ports\nwhere ticket_id = {}"\n'
    rows = [row.format(n) for n in range(3000)]
    broken = {700, 701, 1500, 2998}
    for number in broken:
        rows[number] = '"2026-11-20T10:00:00","ana","strait","1","1","select fare from tickets where open\n'
    path = tmp_path / "queries.csv"
    path.write_text('"at","who","db","ms","rows","sent"\n' + "".join(rows))
    config = parse_config(
        {"kind": "history", "format": "csv", "files": str(path), "server": SERVER, "mapping": MAPPING}
    )
    assert isinstance(config, HistoryConfig)
    for workers in (1, 2):
        found, piece, _ = digest_file(path, file_reading(config), 0, lambda *_: None, workers)
        assert piece is not None
        assert piece.end == path.stat().st_size
        runs = sum(amounts[0] for amounts in found.uses.values())
        assert runs == 3000 - len(broken)
        told = {bad.line for bad in found.problems}
        assert told == {2 + 3 * n - 2 * len([b for b in broken if b < n]) for n in broken}


def test_what_no_database_can_keep_is_told_and_the_rest_is_read(store: Engine, tmp_path: Path) -> None:
    path = tmp_path / "queries.jsonl"
    good = {"sent": "select fare from tickets", "at": "2026-11-20T10:00:00", "who": "ana", "db": "strait"}
    bad = [
        good | {"sent": "select '\0'"}, good | {"who": "a\0b"}, good | {"ms": "1e400"}, good | {"ms": "NaN"},
        good | {"rows": 1e30}, good | {"at": "0001-01-01T00:00:00+14:00"}, good | {"at": None},
        good | {"at": [1]}, good | {"sent": " "}, [1], 3, None,
    ]  # fmt: skip
    path.write_bytes(b"".join(orjson.dumps(row) + b"\n" for row in [good, *bad, good]) + b"\xff\n{\n")
    outcome = _run(store, format="jsonl", files=str(path), mapping=MAPPING)
    assert _runs(store) == 2
    told = [note.place for note in outcome.notes if note.code == "unreadable_entry"]
    assert told == [f"queries.jsonl:{line}" for line in range(2, len(bad) + 2)] + [
        "queries.jsonl:15",
        "queries.jsonl:16",
    ]


@pytest.mark.parametrize(
    "line",
    [
        b'{"query": "f", "database": "d", "text": "x", "first": "now", "last": "2026-01-01"}',
        b'{"query": "f", "database": 7, "text": "x", "first": "2026-01-01", "last": "2026-01-01"}',
        b'{"use": "g", "database": "d", "day": "2026-01-01", "person": "", "role": "", "application": "",'
        b' "runs": 1, "duration_ms": 1, "rows": 1, "bytes": 1}',
        b'{"use": "f", "database": "d", "day": "2026-13-01", "person": "", "role": "", "application": "",'
        b' "runs": 1, "duration_ms": 1, "rows": 1, "bytes": 1}',
        b'{"use": "f", "database": "d", "day": "2026-01-01", "person": "a\\u0000", "role": "", "application": "",'
        b' "runs": 1, "duration_ms": 1, "rows": 1, "bytes": 1}',
        b"[]", b"7", b"{",
    ],
)  # fmt: skip
def test_a_digest_that_is_none_is_refused_with_its_line(store: Engine, tmp_path: Path, line: bytes) -> None:
    head = b'{"digest": 1, "file": "x", "start": 0, "end": 9, "entries": 1, "without_data": 0, "bad": 0}\n'
    query = b'{"query": "f", "database": "d", "text": "select 1", "first": "2026-01-01", "last": "2026-01-01"}\n'
    (tmp_path / "d.jsonl").write_bytes(head + query + line + b"\n")
    with pytest.raises(SourceError, match=r"d\.jsonl: line 3: "):
        _run(store, format="digest", files=str(tmp_path / "d.jsonl"))
