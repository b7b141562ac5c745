"""The formats in which the graph can be had. Each writer has a file of its own, and stands in one list here."""

from collections.abc import Callable
from dataclasses import dataclass
from importlib.util import find_spec

import orjson

from jalan.formats.drawings import dot, mermaid
from jalan.formats.graph import GraphRecord
from jalan.formats.graphml import graphml
from jalan.formats.link_table import link_csv
from jalan.formats.openlineage_graph import events
from jalan.formats.parquet import link_parquet
from jalan.formats.prov import prov_json


@dataclass(frozen=True, slots=True)
class GraphFormat:
    """A format.

    name: what commands and addresses call it.
    title, about: for people.
    media_type, ending: of the file.
    write: takes the graph and its time (ISO 8601), returns the file.
    needs: a package that must be installed; empty for none.
    """

    name: str
    title: str
    about: str
    media_type: str
    ending: str
    write: Callable[[GraphRecord, str], bytes]
    needs: str = ""


def _events(graph: GraphRecord, at: str) -> bytes:
    return b"".join(orjson.dumps(event) + b"\n" for event in events(graph, at))


def _prov(graph: GraphRecord, at: str) -> bytes:
    return orjson.dumps(prov_json(graph), option=orjson.OPT_INDENT_2) + b"\n"


_ALL = (
    GraphFormat("openlineage", "OpenLineage", "events, one a line", "application/x-ndjson", "jsonl", _events),
    GraphFormat("prov-json", "W3C PROV", "JSON", "application/json", "json", _prov),
    GraphFormat(
        "graphml",
        "GraphML",
        "XML of nodes and edges",
        "application/xml",
        "graphml",
        lambda graph, at: graphml(graph),
    ),
    GraphFormat(
        "dot", "DOT", "text for Graphviz", "text/vnd.graphviz", "dot", lambda graph, at: dot(graph).encode()
    ),
    GraphFormat(
        "mermaid", "Mermaid", "text for Markdown", "text/plain", "mmd", lambda graph, at: mermaid(graph).encode()
    ),
    GraphFormat("csv", "CSV", "a row for each link", "text/csv", "csv", lambda graph, at: link_csv(graph).encode()),
    GraphFormat(
        "parquet",
        "Parquet",
        "a row for each link",
        "application/vnd.apache.parquet",
        "parquet",
        lambda graph, at: link_parquet(graph),
        needs="pyarrow",
    ),
)

FORMATS = {form.name: form for form in _ALL if not form.needs or find_spec(form.needs) is not None}
"""Those that can be written here, by name."""
