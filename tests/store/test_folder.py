"""Reading folders: what is wrong is said with file, line and what is allowed."""

from pathlib import Path

import pytest

from jalan.demo import scenario
from jalan.sources.errors import SourceError
from jalan.sources.folder import read_folder

REPORT = """report: gross
title: Gross
owner: Revenue desk
database: strait
elements:
  - name: By month
    kind: chart
    sql: |
      select month, gross
      from mart.route_month
"""


def _read(folder: Path, text: str) -> None:
    (folder / "gross.yaml").write_text(text)
    read_folder(folder)


@pytest.mark.parametrize(
    ("old", "new", "message"),
    [
        ("kind: chart", "kind: charts", r"gross.yaml:7: “charts” is not one of .*did you mean “chart”"),
        ("owner:", "ovner:", r"gross.yaml:\d: “ovner” is not known here; allowed are .*did you mean “owner”"),
        ("title: Gross\n", "", r"gross.yaml:1: “title” is missing"),
        (
            "    sql: |",
            "    dataset: mart.x\n    sql: |",
            r"gross.yaml:6: an element has either “sql”, or “dataset”",
        ),
        ("elements:", "elements: [", r"gross.yaml:\d+: this is no YAML"),
        ("database: strait", "database: 3", r"gross.yaml:4: “database” must be of type string"),
    ],
)
def test_a_wrong_report_is_refused_with_line_and_hint(tmp_path: Path, old: str, new: str, message: str) -> None:
    with pytest.raises(SourceError, match=message):
        _read(tmp_path, REPORT.replace(old, new))


def test_an_element_twice_is_refused(tmp_path: Path) -> None:
    twice = REPORT + REPORT[REPORT.index("  - name") :]
    with pytest.raises(SourceError, match=r"gross.yaml:11: an element “By month” is already in line 6"):
        _read(tmp_path, twice)


def test_two_reports_of_one_name_are_refused(tmp_path: Path) -> None:
    for name in ("a.yaml", "b.yaml"):
        (tmp_path / name).write_text(REPORT)
    found = read_folder(tmp_path)
    assert [report.path for report in found.reports] == ["a.yaml"]
    assert [str(problem) for problem in found.problems] == ["b.yaml:1: a report “gross” is already in a.yaml"]


def test_a_dataset_with_expressions_becomes_a_query(tmp_path: Path) -> None:
    text = REPORT[: REPORT.index("    sql")] + (
        "    dataset: mart.route_month\n    columns:\n      gross: sum(gross)\n"
        "    filters:\n      - month > now()\n"
    )
    (tmp_path / "gross.yaml").write_text(text)
    (element,) = read_folder(tmp_path).reports[0].elements
    assert element.sql == 'select sum(gross) as "gross"\nfrom mart.route_month\nwhere (month > now())\n'


def test_an_element_knows_its_line(tmp_path: Path) -> None:
    (tmp_path / "gross.yaml").write_text(REPORT)
    (element,) = read_folder(tmp_path).reports[0].elements
    assert REPORT.splitlines()[element.line - 1].strip() == element.sql.splitlines()[0]


def test_sql_without_settings_is_refused(tmp_path: Path) -> None:
    (tmp_path / "a.sql").write_text("select 1")
    with pytest.raises(SourceError, match=r"a.sql:1: no jalan.yaml in its folder or above"):
        read_folder(tmp_path)


def test_an_order_of_missing_files_is_refused(tmp_path: Path) -> None:
    (tmp_path / "jalan.yaml").write_text("database: strait\norder:\n  - missing.sql\n")
    with pytest.raises(SourceError, match=r"jalan.yaml:3: there is no file “missing.sql”"):
        read_folder(tmp_path)


def test_an_empty_folder_and_a_missing_one_are_refused(tmp_path: Path) -> None:
    with pytest.raises(SourceError, match="holds no SQL files, no reports and no declarations"):
        read_folder(tmp_path)
    with pytest.raises(SourceError, match="is no folder"):
        read_folder(tmp_path / "missing")


def test_the_demo_has_what_it_promises() -> None:
    found = read_folder(scenario.REPOSITORY)
    assert len(found.files) >= 30
    assert len(found.reports) >= 8
    assert sum(len(report.elements) for report in found.reports) >= 30
    everything = "\n".join(file.text for file in found.files)
    for construct in ("merge into", "temporary table", "materialized view", "union all", "recursive", "over ("):
        assert construct in everything


def test_files_may_differ_by_pattern(tmp_path: Path) -> None:
    (tmp_path / "jalan.yaml").write_text(
        "database: strait\npipeline: nightly\nowner: Data\nschedule: 0 3 * * *\nvariables: {a: 1}\nfiles:\n"
        "  'lake/*.sql': {dialect: spark, search_path: [lake], variables: {b: 2}}\n"
        "  'lake/fares.sql': {job: fares, schedule: 0 5 * * *, owner: Sales}\n"
    )
    (tmp_path / "lake").mkdir()
    for name in ("lake/fares.sql", "lake/tides.sql", "core.sql"):
        (tmp_path / name).write_text("select 1;\n")
    found = {file.path: file for file in read_folder(tmp_path).files}
    fares, tides, core = found["lake/fares.sql"], found["lake/tides.sql"], found["core.sql"]
    assert (fares.dialect, fares.search_path, fares.job, fares.schedule, fares.owner) == (
        "spark", ["lake"], "fares", "0 5 * * *", "Sales",
    )  # fmt: skip
    assert (tides.dialect, tides.job, tides.owner) == ("spark", None, None)
    assert tides.template == {"variables": {"a": 1, "b": 2}}
    assert (core.dialect, core.template) == ("postgresql", {"variables": {"a": 1}})
    (tmp_path / "jalan.yaml").write_text("database: strait\nfiles:\n  'laek/*.sql': {dialect: spark}\n")
    with pytest.raises(SourceError, match=r"jalan.yaml:3: no file is named like “laek/\*.sql”"):
        read_folder(tmp_path)


def test_the_nearest_settings_hold(tmp_path: Path) -> None:
    (tmp_path / "inner").mkdir()
    (tmp_path / "jalan.yaml").write_text("database: strait\n")
    (tmp_path / "inner" / "jalan.yaml").write_text("database: harbour\ndialect: mysql\n")
    (tmp_path / "a.sql").write_text("select 1")
    (tmp_path / "inner" / "b.sql").write_text("select 1")
    found = {file.path: (file.database, file.dialect) for file in read_folder(tmp_path).files}
    assert found == {"a.sql": ("strait", "postgresql"), "inner/b.sql": ("harbour", "mysql")}


NESTED = """\
report: board
title: Board
owner: Sales
database: strait
elements:
  - name: Fares
    kind: group
    dataset: core.fares
    filters: [port <> 'Selm']
    elements:
      - name: By month
        kind: chart
        dimensions: {month: "date_trunc('month', sold_on)"}
        measures: {gross: sum(fare)}
        filters: [fare > 0]
      - name: Port
        kind: filter
        columns: {port: port}
"""


def test_elements_inside_take_over_dataset_and_filters(tmp_path: Path) -> None:
    (tmp_path / "board.yaml").write_text(NESTED)
    (report,) = read_folder(tmp_path).reports
    month, port = report.elements
    assert (month.name, month.line, port.name) == ("Fares / By month", 11, "Fares / Port")
    assert month.sql.split("\n")[1:] == [
        '       sum(fare) as "gross"', "from core.fares", "where (port <> 'Selm')", "  and (fare > 0)",
        "group by (date_trunc('month', sold_on))", "",
    ]  # fmt: skip
    assert "group by" not in port.sql


@pytest.mark.parametrize(
    ("text", "message"),
    [
        (NESTED.replace("    dataset: core.fares\n", ""), r"board.yaml:10: “dataset” is missing: what are the"),
        (NESTED.replace("measures:", "mesures:"), r"board.yaml:14: “mesures” is not known here.*mean “measures”"),
        (NESTED.replace("        columns: {port: port}\n", ""), r"board.yaml:16: an element has either “sql”, or"),
        (NESTED.replace("kind: chart", "kind: cart"), r"board.yaml:12: “cart” is not one of chart.*mean “chart”"),
    ],
)
def test_what_is_wrong_inside_is_said_with_its_line(tmp_path: Path, text: str, message: str) -> None:
    (tmp_path / "board.yaml").write_text(text)
    with pytest.raises(SourceError, match=message):
        read_folder(tmp_path)
