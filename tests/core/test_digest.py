"""Digests of query histories."""

import json
import re
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jalan.sql.dialects import get_dialect
from jalan.sql.fingerprint import fingerprint, fingerprint_of, masked
from jalan.sql.lexer import tokenize
from jalan.usage.clocks import Clock
from jalan.usage.digest import Digester, DigestError, HistoryPiece, Reading, read_lines, write_lines
from jalan.usage.entries import BadEntry, Columns, LogEntry, first_time, read_csvlog, read_jsonlog, read_rows

_PIECES = st.sampled_from(
    ["select", "fare", "'sold'", "'it''s'", "12", "1.5", "1e3", ".5", "a.b", "a1", "x_2", "$1", "(", ")", ",", "=",
     "-", "--c\n", "/*x*/", '"a b"', "[1]", "E'\\''", "n'x'", "in", "'", '"', "$$", "t.1", "1.", "?", "\\"]
)  # fmt: skip
_TEXTS = st.lists(_PIECES, min_size=1, max_size=8).flatmap(
    lambda words: st.sampled_from([" ".join(words), "".join(words)])
)


@given(_TEXTS, _TEXTS, st.sampled_from(["postgresql", "mysql", "tsql", "bigquery", "oracle", "snowflake"]))
def test_texts_that_mask_to_the_same_have_the_same_fingerprint(one: str, other: str, dialect: str) -> None:
    rules = get_dialect(dialect)
    mask = masked(one)
    if mask is None:
        return
    assert fingerprint(one, dialect) == fingerprint_of(tokenize(one, rules)), "what is remembered is what is read"
    # Another text of the same mask: every constant is another one.
    again = re.sub(r"'[^']*'|(?<![\w.$])\d+", lambda found: "'q'" if found[0][0] == "'" else "70", one)
    if masked(again) == mask:
        assert fingerprint_of(tokenize(again, rules)) == fingerprint_of(tokenize(one, rules))
    if masked(other) == mask:
        assert fingerprint_of(tokenize(other, rules)) == fingerprint_of(tokenize(one, rules))


def test_masking_leaves_names_alone() -> None:
    one = masked("select t1.c2 from t1 where c2 = 12 and d in ('a', 'b')")
    assert one == masked("select t1.c2 from t1 where c2 = 7.5 and d in ('it', '')")
    assert one != masked("select t1.c3 from t1 where c2 = 12 and d in ('a', 'b')")
    assert one != masked("select t1.c2 from t1 where c2 < 12 and d in ('a', 'b')")
    assert masked('select "c 1" from t') is None
    assert masked("select 1 -- 2") is None


def _entry(text: str, time: str = "2026-11-20T10:00:00", person: str = "quay_desk", **values: object) -> LogEntry:
    return LogEntry(text, time, person, "", "notebook", "strait", **values)  # type: ignore[arg-type]


def test_the_same_query_is_kept_once_and_its_uses_are_added_up() -> None:
    digest = Digester(Reading()).digest(
        [
            _entry("select fare from tickets where seat = '12A'", duration_ms=2.0, rows=1),
            _entry("select fare from tickets where seat = '9C'", "2026-11-20T09:00:00", duration_ms=3.0, rows=2),
            _entry("select fare from tickets where seat = '9C'", "2026-11-21T09:00:00", person="revenue_desk"),
            _entry("begin"),
            BadEntry(7, "torn"),
        ]
    )
    ((key, (text, first, last)),) = digest.queries.items()
    assert key[0] == "strait"
    assert text == "select fare from tickets where seat = '?'"
    assert (first, last) == ("2026-11-20T09:00:00", "2026-11-21T09:00:00")
    assert sorted((use[2], use[3], amounts) for use, amounts in digest.uses.items()) == [
        ("2026-11-20", "quay_desk", [2, 5.0, 3, 0]),
        ("2026-11-21", "revenue_desk", [1, 0.0, 0, 0]),
    ]
    assert (digest.entries, digest.without_data, digest.bad) == (5, 1, 1)


def test_constants_are_kept_only_where_that_is_asked_for() -> None:
    text = "select 1 from passengers where email = 'kept@ferry.example'"
    assert "ferry" not in str(Digester(Reading()).digest([_entry(text)]).queries)
    assert "ferry" in str(Digester(Reading(keep_literals=True)).digest([_entry(text)]).queries)


def test_other_databases_and_jalan_itself_are_left_out_and_counted() -> None:
    entries = [_entry("select 1"), LogEntry("select 2", "2026-11-20T10:00:00", "x", "", "jalan", "strait"),
               LogEntry("select 3", "2026-11-20T10:00:00", "x", "", "", "harbour")]  # fmt: skip
    digest = Digester(Reading(databases=frozenset({"strait"}))).digest(entries)
    assert len(digest.queries) == 1
    assert digest.left_out == {"other databases": 1, "application jalan": 1}


def test_a_digest_survives_being_written_and_read() -> None:
    how = Reading()
    digest = Digester(how).digest([_entry("select fare from tickets"), _entry("select port from tides")])
    lines = list(write_lines(digest, HistoryPiece("abc", 0, 90), how))
    ((piece, again),) = read_lines(lines * 1)
    assert piece == HistoryPiece("abc", 0, 90)
    assert (again.queries, again.uses, again.entries) == (digest.queries, digest.uses, digest.entries)
    assert len(list(read_lines(lines * 3))) == 3


@pytest.mark.parametrize(
    ("lines", "message"),
    [([], "the file is empty"), ([b"{}\n"], "line 1: a digest begins"), ([b"nonsense"], "line 1: this is no line"),
     ([b'{"digest": 99}'], "a digest of version 99")],
)  # fmt: skip
def test_what_is_no_digest_is_said_to_be_none(lines: list[bytes], message: str) -> None:
    with pytest.raises(DigestError, match=message):
        list(read_lines(lines))


def _log(message: str, **values: object) -> bytes:
    line = {
        "timestamp": "2026-11-20 10:00:00.123 UTC", "user": "quay_desk", "dbname": "strait",
        "application_name": "notebook", "error_severity": "LOG", "message": message, **values,
    }  # fmt: skip
    return json.dumps(line).encode() + b"\n"


def test_lines_of_a_json_log() -> None:
    data = (
        _log("duration: 1.250 ms  statement: select 1") + _log("duration: 0.5 ms  execute q1: select $1")
        + _log("duration: 9.000 ms  parse q1: select $1") + _log("duration: 3 ms") + _log("connection received")
        + b'{"message": "duration: 1 ms  statement: torn'
    )  # fmt: skip
    found = list(read_jsonlog(data, Clock()))
    assert [(e.text, e.duration_ms, e.time) for e in found if isinstance(e, LogEntry)] == [
        ("select 1", 1.25, "2026-11-20T10:00:00"),
        ("select $1", 0.5, "2026-11-20T10:00:00"),
    ]
    assert [e.line for e in found if isinstance(e, BadEntry)] == [6]


def test_a_query_that_was_logged_and_then_failed_does_not_count() -> None:
    text = "select nothing from tides"
    data = _log(f"statement: {text}") + _log(
        "column does not exist", error_severity="ERROR", statement=text
    )  # fmt: skip
    digest = Digester(Reading()).digest(read_jsonlog(data + _log("statement: select 1"), Clock()))
    digest.settle()
    assert [found[0] for found in digest.queries.values()] == ["select 0"]


def test_lines_of_a_csv_log_may_go_over_several() -> None:
    row = (
        ["2026-11-20 10:00:00.123 UTC", "quay_desk", "strait"] + [""] * 8 + ["LOG", "", "{}"] + [""] * 8 + ["tool"]
    )
    line = ",".join(f'"{value}"' if value else "" for value in row)
    data = (
        line.replace("{}", 'duration: 2.0 ms  statement: select ""a b""\nfrom tides').encode() + b"\nshort,line\n"
    )
    good, bad = read_csvlog(data, Clock())
    assert isinstance(good, LogEntry)
    assert (good.text, good.duration_ms, good.application) == ('select "a b"\nfrom tides', 2.0, "tool")
    assert isinstance(bad, BadEntry)


def test_rows_of_a_table_by_a_mapping() -> None:
    columns = Columns("sql", "at", "who", duration="s", duration_factor=1000.0)
    rows = [
        {"sql": "select 1", "at": "2026-11-20T12:00:00+02:00", "who": "a", "s": "0.5"},
        {"sql": "select 2", "at": 1_763_632_800, "who": None, "s": ""},
        {"sql": "select 3", "at": datetime(2026, 11, 20, 10, tzinfo=UTC), "who": "a", "s": 1},
        {"sql": "", "at": "2026-11-20", "who": "a", "s": 0},
        {"sql": "select 4", "at": "yesterday", "who": "a", "s": 0},
        {"sql": "select 5", "at": "2026-11-20", "who": "a", "s": "long"},
        {"sql": "select 6", "who": "a", "s": "long"},
    ]
    found = list(read_rows(iter(rows), columns, Clock()))
    assert [(e.text, e.time, e.person, e.duration_ms) for e in found if isinstance(e, LogEntry)] == [
        ("select 1", "2026-11-20T10:00:00", "a", 500.0),
        ("select 2", "2025-11-20T10:00:00", "", 0.0),
        ("select 3", "2026-11-20T10:00:00", "a", 1000.0),
    ]
    assert [(e.line, e.message.split(";")[0]) for e in found if isinstance(e, BadEntry)] == [
        (4, "“sql” is empty"), (5, "“yesterday” is no time"), (6, "“s” must be a number, not “long”"),
        (7, "there is no column 'at'"),
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("zone", "written", "meant"),
    [
        ("UTC", "2026-11-23 13:04:05.678 UTC", "2026-11-23T13:04:05"),
        ("Europe/Lisbon", "2026-11-23 13:04:05.678 WET", "2026-11-23T13:04:05"),
        ("Europe/Lisbon", "2026-07-01 00:30:59.000 WEST", "2026-06-30T23:30:59"),
        ("Asia/Kathmandu", "2026-07-01 05:00:01.000 +0545", "2026-06-30T23:15:01"),
        # When clocks are put back, 1:30 is there twice, and the word says which of them is meant.
        ("Europe/Lisbon", "2026-10-25 01:30:00.000 WEST", "2026-10-25T00:30:00"),
        ("Europe/Lisbon", "2026-10-25 01:30:00.000 WET", "2026-10-25T01:30:00"),
    ],
)
def test_times_of_a_log_are_turned_into_utc(zone: str, written: str, meant: str) -> None:
    assert Clock(zone).stamp(written) == meant


@given(st.datetimes(datetime(1990, 1, 1), datetime(2037, 1, 1)), st.sampled_from(["America/Bogota", "Asia/Tokyo"]))
def test_a_time_is_the_same_moment_in_a_log_and_in_a_table(moment: datetime, zone: str) -> None:
    moment = moment.replace(microsecond=0)
    local = moment.replace(tzinfo=UTC).astimezone(ZoneInfo(zone))
    assert Clock(zone).stamp(f"{local:%Y-%m-%d %H:%M:%S}.000 {local.tzname()}") == moment.isoformat()
    assert Clock(zone).read(local.replace(tzinfo=None).isoformat()) == moment.isoformat()
    assert Clock("Africa/Cairo").read(local) == moment.isoformat(), "what says its zone needs no other"


def test_a_line_without_time_is_reported_and_the_rest_is_read() -> None:
    data = _log("statement: select 1", timestamp="soon") + _log("statement: select 2")
    bad, good = read_jsonlog(data, Clock())
    assert isinstance(bad, BadEntry)
    assert bad.message == "no line of a JSON log: “soon” is no time"
    assert isinstance(good, LogEntry)
    row = ["soon", *[""] * 12, "statement: select 1", *[""] * 9]
    (bad,) = read_csvlog(",".join(row).encode(), Clock())
    assert isinstance(bad, BadEntry)


def test_a_log_in_another_zone_than_said_is_doubted() -> None:
    said = Clock("Europe/Lisbon")
    assert said.doubt("WET", "2026-11-23 13:00") is None
    doubt = "the log is written in EST: its times are taken as those of Europe/Lisbon, where it is WET"
    assert said.doubt("EST", "2026-11-23 13:00") == doubt
    assert first_time(_log("statement: select 1"), "jsonlog") == ("2026-11-20 10:00", "UTC")
