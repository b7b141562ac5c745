"""Rules that repair rows of flows."""

from jalan.catalog.repairs import FlowTable, check, drop_duplicates, fill, ignore, missing_side, where


def _table(*rows: tuple[str, str, str, str, str]) -> FlowTable:
    names = ("flow", "type", "side", "dataset", "hint")
    made = [dict(zip(names, row, strict=True)) for row in rows]
    lines = {id(row): line for line, row in enumerate(made, 2)}
    return FlowTable(made, "flow", "dataset", "side", "in", "out", lines)


def _rows(table: FlowTable) -> list[tuple[str, ...]]:
    return [tuple(row.values()) for row in table.rows]


def test_a_column_is_filled_from_another_where_it_is_empty() -> None:
    table = _table(
        ("F1", "load", "out", "", "D2"), ("F1", "load", "in", "", "D9"), ("F1", "load", "out", "D1", "D2")
    )
    done = fill(table, "dataset", "hint", where("side", ["out"], None))
    assert [row["dataset"] for row in table.rows] == ["D2", "", "D1"]
    assert done.changed == 1


def test_a_missing_side_is_taken_from_another_column_once() -> None:
    table = _table(
        ("F1", "load", "in", "D1", "D2"), ("F1", "load", "in", "D3", "D2"), ("F2", "load", "in", "D1", "D4"),
        ("F2", "load", "out", "D5", ""),
    )  # fmt: skip
    done = missing_side(table, "output", "hint", None)
    assert done.added == 1
    assert _rows(table)[-1] == ("F1", "load", "out", "D2", "D2")


def test_the_id_of_a_flow_of_one_type_is_that_of_its_output() -> None:
    table = _table(("D7", "self", "in", "D1", ""), ("F2", "load", "in", "D1", ""))
    missing_side(table, "output", "flow", where("type", ["self"], None))
    assert [(row["flow"], row["dataset"]) for row in table.rows if row["side"] == "out"] == [("D7", "D7")]


def test_doubles_are_dropped_and_rows_ignored_by_what_is_in_them() -> None:
    table = _table(
        ("F1", "load", "in", "D1", "a"), ("F1", "load", "in", "D1", "b"), ("F2", "old", "in", "D1", ""),
        ("F3", "", "in", "D1", ""),
    )  # fmt: skip
    assert drop_duplicates(table, ["flow", "side", "dataset"]).dropped == 1
    assert ignore(table, where("type", ["old"], None)).dropped == 1
    assert ignore(table, where("type", None, True)).dropped == 1
    assert _rows(table) == [("F1", "load", "in", "D1", "a")]


def test_what_still_cannot_be_used_is_told_and_not_dropped_in_silence() -> None:
    table = _table(
        ("F1", "load", "in", "D1", ""), ("", "load", "in", "D1", ""), ("F1", "load", "out", "", ""),
        ("F1", "load", "sideways", "D1", ""), ("F1", "load", "out", "", ""),
    )  # fmt: skip
    found = check(table, [])
    assert len(found.rows) == 1
    assert found.broken == {
        "“flow” is empty": (1, 3),
        "“dataset” is empty": (2, 4),
        "“side” is neither “in” nor “out”": (1, 5),
    }
