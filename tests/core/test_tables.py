"""The tables that an extraction is given: how they are found, what is asked of them, and what may be meant."""

from jalan import extract
from jalan.lineage.tables import KnownTables, WatchedTables, split_key


def test_a_key_is_split_at_the_points_outside_of_quotes() -> None:
    assert split_key("core.fares") == ("core", "fares")
    assert split_key('core."odd.name".x') == ("core", "odd.name", "x")
    assert split_key('"A"') == ("A",)
    found = extract('select "Fare" from core."odd.name"', tables={'core."odd.name"': ["Fare", "fare"]})
    assert [(link.table, link.column) for link in found.links] == [('core."odd.name"', "Fare")]


def test_what_was_asked_is_remembered_with_what_was_told() -> None:
    watched = WatchedTables(KnownTables({"core.fares": ["fare"], "ports": ["port"]}))
    extract("select fare, port, x from fares, ports, nothing", tables=watched, search_path=["core", "public"])
    told = {parts: None if table is None else table.key for parts, table in watched.asked.items()}
    assert told[("core", "fares")] == "core.fares"
    assert told[("ports",)] == "ports"
    assert told[("public", "nothing")] is None


def _levels(sql: str, complete: bool) -> list[tuple[str, str]]:
    known = KnownTables({"core.fares": ["fare"], "core.ports": ["port"], "mart.fares_day": ["fare"]}, complete)
    return [(d.level, d.message) for d in extract(sql, tables=known, search_path=["core"]).diagnostics]


def test_a_name_that_nobody_knows_is_a_warning_where_all_are_known() -> None:
    assert _levels("select fare from faers", False) == [
        ("info", "the columns of “faers” are not known and are inferred from use")
    ]
    ((level, message),) = _levels("select fare from faers", True)
    assert level == "warning"
    assert message.endswith("; the nearest names are core.fares")
    ((_, elsewhere),) = _levels("select port from mart.ports", True)
    assert elsewhere.endswith("the nearest names are core.ports"), "the same name in another schema comes first"
    ((_, nothing),) = _levels("select x from quay.zeppelins", True)
    assert "nearest" not in nothing
    for of_the_system in ("pg_class", "information_schema.tables", "pg_catalog.x"):
        ((level, _),) = _levels(f"select oid from {of_the_system}", True)
        assert level == "info"


def test_what_the_script_makes_is_no_unknown_table() -> None:
    assert _levels("create table made as select fare from core.fares; select fare from made", True) == []
