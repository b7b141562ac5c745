"""Export in open formats, read back by other programs, and by an empty Jalan."""

import csv
import io
import json

import networkx
import prov.model
import pyarrow.parquet as pq
import pydot
import pytest
from sqlalchemy import Engine

from jalan.formats.graph import GraphRecord, LinkRecord
from jalan.formats.registry import FORMATS
from jalan.service.context import Context
from jalan.service.errors import NotFound
from jalan.service.ingest import sources
from jalan.service.ingest.configuration import EventsConfig
from jalan.service.lineage.export import export, find_dataset, graph_record
from tests.conftest import Demo
from tests.store.state import content


def _export(engine: Engine, form: str, around: str | None = None, **hops: int) -> bytes:
    with Context(engine, "test") as context:
        dataset = None if around is None else find_dataset(context, around)
        return export(context, FORMATS[form], around=dataset, **hops)


def _record(engine: Engine) -> GraphRecord:
    with Context(engine, "test") as context:
        return graph_record(context)


def _link(k: LinkRecord) -> tuple[object, ...]:
    return (k.source, k.target[:2], k.target[2] or "", k.kind, k.how, k.origin, tuple(k.spans), k.expression or (),
            k.path, k.possible)  # fmt: skip


def _comparable(graph: GraphRecord) -> tuple[object, ...]:
    """Everything of a graph but the owners that only stand at a schema, and the keys that a source gives."""
    datasets = {
        (d.namespace, d.name, d.kind, d.title, d.description, d.owner, d.placeholder, tuple(sorted(d.aliases)),
         tuple(sorted((f.name, f.kind, f.type, f.placeholder) for f in d.fields)))
        for d in graph.datasets
    }  # fmt: skip
    definitions = {
        (d.kind, d.place, d.job, d.text, d.first_line, d.dialect, d.database, tuple(d.search_path),
         tuple(sorted(_link(k) for k in d.links)))
        for d in graph.definitions
    }  # fmt: skip
    return datasets, definitions


def test_an_empty_jalan_reads_our_export_and_has_the_same_graph(demo: Demo, store: Engine, tmp_path) -> None:  # type: ignore[no-untyped-def]
    written = _export(demo.engine, "openlineage")
    path = tmp_path / "graph.jsonl"
    path.write_bytes(written)
    config = EventsConfig(file=str(path))
    source = sources.ensure(Context(store, "test"), "graph", config)
    sources.ingest(Context(store, "test"), source, config=config)
    ours, theirs = _comparable(_record(demo.engine)), _comparable(_record(store))
    assert theirs[0] == ours[0]
    assert theirs[1] == ours[1]
    before = content(store)
    assert sources.ingest(Context(store, "test"), source, config=config).counts == {}
    assert content(store) == before
    again = [json.loads(line) for line in _export(store, "openlineage").splitlines()]
    assert len(again) == len(written.splitlines())


def test_events_have_what_the_standard_asks_for(demo: Demo) -> None:
    events = [json.loads(line) for line in _export(demo.engine, "openlineage").splitlines()]
    for event in events:
        assert {"eventTime", "producer", "schemaURL"} <= event.keys()
        kind = event["schemaURL"].rpartition("/")[2]
        assert kind == ("DatasetEvent" if "dataset" in event else "JobEvent")
        facets = (event.get("dataset") or event["job"])["facets"]
        assert all({"_producer", "_schemaURL"} <= facet.keys() for facet in facets.values())
    (revenue,) = [
        output for event in events if "job" in event for output in event["outputs"]
        if output["name"] == "strait.core.sailing_revenue" and "file:ferry" in event["job"]["name"]
    ]  # fmt: skip
    gross = revenue["facets"]["columnLineage"]["fields"]["gross"]["inputFields"]
    assert {(f["field"], f["transformations"][0]["type"], f["transformations"][0]["subtype"]) for f in gross} >= {
        ("fare_paid", "DIRECT", "AGGREGATION")
    }


def test_prov_is_read_by_the_reference_library(demo: Demo) -> None:
    document = prov.model.ProvDocument.deserialize(
        content=_export(demo.engine, "prov-json").decode(), format="json"
    )
    derivations = list(document.get_records(prov.model.ProvDerivation))
    graph = _record(demo.engine)
    assert len(derivations) == sum(len(d.links) for d in graph.definitions)
    entities = {str(e.identifier) for e in document.get_records(prov.model.ProvEntity)}
    assert len(entities) == len(graph.datasets) + sum(len(d.fields) for d in graph.datasets)
    for derivation in derivations:
        generated, used = derivation.args[:2]
        assert str(generated) in entities
        assert str(used) in entities


def test_graphml_is_read_by_networkx_and_has_the_same_ways(demo: Demo) -> None:
    read = networkx.read_graphml(io.BytesIO(_export(demo.engine, "graphml")), force_multigraph=True)
    label = {node: (data["dataset"], data["label"]) for node, data in read.nodes(data=True)}
    values = networkx.DiGraph(
        (label[s], label[t]) for s, t, data in read.edges(data=True) if data["link"] == "value"
    )
    assert networkx.has_path(
        values, ("ticketing.public.tickets", "fare_cents"), ("revenue-by-route", "Gross by month")
    )
    assert not networkx.has_path(
        values, ("harbour.ops.weather", "wind_knots"), ("revenue-by-route", "Gross by month")
    )


def test_drawings_hold_every_dataset_and_an_edge_for_each_two(demo: Demo) -> None:
    graph = _record(demo.engine)
    between = {
        (k.source[:2], k.target[:2], k.kind) for d in graph.definitions for k in d.links
    }  # fmt: skip
    (drawn,) = pydot.graph_from_dot_data(_export(demo.engine, "dot").decode())
    assert len(drawn.get_edges()) == len(between)
    assert sum(len(cluster.get_nodes()) for cluster in drawn.get_subgraphs()) == len(graph.datasets)
    lines = _export(demo.engine, "mermaid").decode().splitlines()
    assert lines[0] == "flowchart LR"
    assert sum("-->" in line or "-.->" in line for line in lines) == len(between)


def test_tables_of_links_say_the_same_as_csv_and_parquet(demo: Demo) -> None:
    rows = list(csv.DictReader(io.StringIO(_export(demo.engine, "csv").decode())))
    table = pq.read_table(io.BytesIO(_export(demo.engine, "parquet"))).to_pylist()
    assert len(rows) == len(table) == sum(len(d.links) for d in _record(demo.engine).definitions)
    board = [row for row in rows if row["target_dataset"] == "strait.mart.sailing_board"]
    found = [row for row in board if row["target_column"] == "revenue" and row["place"].endswith(".sql")]
    assert [(row["source_column"], row["how"], row["expression"], row["line"]) for row in found] == [
        ("gross", "identity", "v.gross", "6")
    ]
    assert all(not row["expression"].startswith(("=", "+", "-", "@")) for row in rows)


def test_the_part_around_an_asset(demo: Demo) -> None:
    whole = _record(demo.engine)
    lines = _export(demo.engine, "mermaid", "mart.sailing_board", upstream=1, downstream=1).decode()
    assert "core.sailing_revenue" in lines
    assert "landing.tickets" not in lines
    assert lines.count('["') < len(whole.datasets)
    with pytest.raises(NotFound, match=r"there is no dataset “mart\.nothing”"):
        _export(demo.engine, "dot", "mart.nothing")
