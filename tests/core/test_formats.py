"""The formats by themselves, on a small graph whose names mean harm."""

import csv
import io
import json
from collections.abc import Callable
from xml.etree import ElementTree as ET

import pytest

from jalan.catalog.kinds import (
    NOT_SQL,
    DatasetKind,
    DefinitionKind,
    FieldKind,
    How,
    LinkKind,
    LinkOrigin,
    definition_kind,
)
from jalan.change.consequences import CONSEQUENCES
from jalan.formats.graph import DatasetRecord, DefinitionRecord, FieldRecord, GraphRecord, LinkRecord
from jalan.formats.openlineage_graph import EventError, events, read_event
from jalan.formats.registry import FORMATS, GraphFormat
from jalan.lineage import model

AT = "2026-11-27T08:00:00+00:00"
HARM = '<b>"tide"</b> & \\ | ] --> {x}; \n=1+1'


def dataset(name: str, *fields: str, kind: str = DatasetKind.TABLE) -> DatasetRecord:
    """Return a dataset with these columns."""
    columns = [FieldRecord(field, FieldKind.COLUMN, "numeric", None) for field in fields]
    return DatasetRecord("n", name, None, kind, "about " + name, "Quay desk", "core", False, "postgresql", columns)


def link(source: str, target: str | None, kind: str = LinkKind.VALUE, how: str = How.IDENTITY) -> LinkRecord:
    """Return a link from a column of tickets to one of fares, or to its rows."""
    return LinkRecord(
        ("n", "tickets", source),
        ("n", "fares", target),
        kind,
        how,
        LinkOrigin.PARSED,
        [(7, 11)],
        (7, 15),
        "",
        False,
        0,
    )


def graph(*links: LinkRecord, names: tuple[str, str] = ("tickets", "fares")) -> GraphRecord:
    """Return tickets, fares, and the text between them."""
    text = "select fare * 2 from tickets where not void"
    definition = DefinitionRecord(
        "file:fares",
        DefinitionKind.FILE,
        "fares.sql",
        "jobs",
        "nightly.fares",
        "postgresql",
        1,
        text,
        "n",
        "strait",
        ["core"],
        None,
        "abc1234",
        [("insert", 0, len(text))],
        list(links),
    )
    return GraphRecord([dataset(names[0], "fare", "void"), dataset(names[1], "fare", "double")], [definition])


SMALL = graph(link("fare", "double", how=How.TRANSFORMATION), link("void", None, LinkKind.CONDITION, How.FILTER))


@pytest.mark.parametrize("form", FORMATS.values(), ids=lambda form: form.name)
def test_every_format_writes_every_graph(form: GraphFormat) -> None:
    for one in (SMALL, graph(), GraphRecord([], []), graph(link("fare", "double"), names=(HARM, "fares"))):
        assert isinstance(form.write(one, AT), bytes)
    assert form.write(SMALL, AT) == form.write(SMALL, AT)


@pytest.mark.parametrize("form", FORMATS.values(), ids=lambda form: form.name)
def test_a_format_says_what_it_is(form: GraphFormat) -> None:
    assert FORMATS[form.name] is form
    assert form.title
    assert form.about
    assert "/" in form.media_type
    assert form.ending.isalnum()


def test_the_table_of_links_has_a_row_a_link_and_no_formula() -> None:
    rows = list(csv.DictReader(io.StringIO(FORMATS["csv"].write(SMALL, AT).decode())))
    assert [(r["source_column"], r["target_column"], r["kind"], r["how"], r["expression"]) for r in rows] == [
        ("fare", "double", "value", "transformation", "fare * 2"),
        ("void", "", "condition", "filter", "fare * 2"),
    ]
    assert {(r["job"], r["place"], r["line"], r["revision"]) for r in rows} == {
        ("nightly.fares", "fares.sql", "1", "abc1234")
    }
    harm = graph(link("=1+1", "double"))
    (row,) = csv.DictReader(io.StringIO(FORMATS["csv"].write(harm, AT).decode()))
    assert row["source_column"] == "'=1+1"


def test_graphml_has_datasets_columns_and_links() -> None:
    root = ET.fromstring(FORMATS["graphml"].write(SMALL, AT))
    space = {"g": "http://graphml.graphdrawing.org/xmlns"}
    labels = {
        data.text
        for node in root.iterfind(".//g:node", space)
        for data in node.iterfind("g:data", space)
        if data.get("key") == "node_label"
    }
    assert labels == {"tickets", "fares", "fare", "void", "double"}
    assert len(root.findall(".//g:edge", space)) == 4 + 2


@pytest.mark.parametrize("name", ["dot", "mermaid", "graphml"])
def test_names_that_mean_harm_stay_text(name: str) -> None:
    text = FORMATS[name].write(graph(names=(HARM, "fares")), AT).decode()
    assert "<b>" not in text or name == "dot"
    if name == "graphml":
        ET.fromstring(text)
    if name == "mermaid":
        assert all("-->" not in line.partition("[")[2] for line in text.splitlines())
    if name == "dot":
        assert '\\"tide\\"' in text


@pytest.mark.parametrize(("name", "value", "condition"), [("dot", "solid", "dashed"), ("mermaid", "-->", "-.->")])
def test_drawings_tell_values_from_conditions(name: str, value: str, condition: str) -> None:
    text = FORMATS[name].write(SMALL, AT).decode()
    assert value in text
    assert condition in text
    only = FORMATS[name].write(graph(link("fare", "double")), AT).decode()
    assert condition not in only


def test_prov_derives_each_target_by_its_activity() -> None:
    found = json.loads(FORMATS["prov-json"].write(SMALL, AT))
    derived = found["wasDerivedFrom"].values()
    assert len(derived) == 2
    assert {d["jalan:how"] for d in derived} == {"transformation", "filter"}
    assert {d["prov:activity"] for d in derived} <= set(found["activity"])


def test_events_come_back_as_what_went_out() -> None:
    datasets: list[DatasetRecord] = []
    definitions = []
    for event in events(SMALL, AT):
        found, definition = read_event(json.loads(json.dumps(event)))
        datasets += found
        definitions += [definition] if definition is not None else []
    assert {d.name: [f.name for f in d.fields] for d in datasets if d.fields} == {
        "tickets": ["fare", "void"],
        "fares": ["fare", "double"],
    }
    assert [[(k.source, k.target, k.kind, k.how) for k in d.links] for d in definitions] == [
        [(k.source, k.target, k.kind, k.how) for k in SMALL.definitions[0].links]
    ]


@pytest.mark.parametrize(
    "event",
    [
        None,
        [],
        "START",
        7,
        {},
        {"job": 3},
        {"job": {"namespace": "n"}},
        {"dataset": {"name": "x"}},
        {"job": {"namespace": "n", "name": "x"}, "outputs": [3]},
    ],
)
def test_what_is_no_event_is_said_to_be_none(event: object) -> None:
    with pytest.raises((EventError, LookupError, TypeError, ValueError, AttributeError)):
        read_event(event)


# --- kinds and consequences ------------------------------------------------------------------------------


def test_kinds_are_the_strings_that_the_store_keeps() -> None:
    assert f"{LinkKind.VALUE} {FieldKind.STAR} {DatasetKind.MATERIALISED_VIEW}" == "value star materialised view"
    assert LinkKind("condition") is LinkKind.CONDITION
    assert {How.JOIN: 1}["join"] == 1  # type: ignore[index]


def test_extraction_says_how_in_the_same_words() -> None:
    said = {
        model.IDENTITY,
        model.TRANSFORMATION,
        model.AGGREGATION,
        model.JOIN,
        model.FILTER,
        model.GROUP_BY,
        model.SORT,
        model.WINDOW,
        model.CONDITIONAL,
    }
    assert said == set(How)
    assert all(type(word) is str for word in said)


@pytest.mark.parametrize(
    ("kind", "origin", "is_sql", "made", "rank"),
    [
        ("file", "parsed", True, False, 0),
        ("query", "parsed", True, False, 4),
        ("view", "catalogue", True, True, 2),
        ("trigger", "catalogue", True, True, 0),
        ("foreign_table", "catalogue", False, True, 1),
        ("flow", "catalogue", False, False, 3),
        ("event", "event", False, False, 3),
        ("declaration", "parsed", False, False, 0),
        ("calculation", "parsed", False, False, 0),
        ("extract", "parsed", True, False, 0),
    ],
)
def test_what_belongs_to_a_kind_of_definition(kind: str, origin: str, is_sql: bool, made: bool, rank: int) -> None:
    about = definition_kind(kind).about
    assert (about.origin, about.is_sql, about.made_by_database, about.rank) == (origin, is_sql, made, rank)
    assert (kind in NOT_SQL) is not is_sql


def test_a_kind_that_nobody_knows_is_taken_for_a_file() -> None:
    assert definition_kind("sonnet") is DefinitionKind.FILE
    assert definition_kind("foreign_table").label == "foreign table"


def test_consequences_have_names_and_words_of_their_own() -> None:
    names = [consequence.name for consequence in CONSEQUENCES]
    assert len(set(names)) == len(names)
    assert all(consequence.label for consequence in CONSEQUENCES)
    assert names[0] == LinkKind.VALUE, "the worst first"


@pytest.mark.parametrize("write", [FORMATS["dot"].write, FORMATS["mermaid"].write])
def test_a_dataset_without_links_is_drawn_too(write: Callable[[GraphRecord, str], bytes]) -> None:
    assert b"lighthouse" in write(GraphRecord([dataset("lighthouse", "height")], []), AT)
