"""Writes the graph as GraphML, with every column.

Source: GraphML Primer (2007).
"""

from xml.etree import ElementTree as ET

from jalan.formats.graph import GraphRecord

_KEYS = {
    "node": ("label", "type", "namespace", "dataset", "kind", "owner"),
    "edge": ("link", "how", "origin", "by", "path", "possible"),
}


_NAMESPACE = "http://graphml.graphdrawing.org/xmlns"


def graphml(graph: GraphRecord) -> bytes:
    """Return datasets and columns as nodes, links and membership as edges."""
    root = ET.Element("graphml", xmlns=_NAMESPACE)
    for domain, names in _KEYS.items():
        for name in names:
            ET.SubElement(
                root, "key", {"id": f"{domain}_{name}", "for": domain, "attr.name": name, "attr.type": "string"}
            )
    body = ET.SubElement(root, "graph", edgedefault="directed")
    ids: dict[tuple[str, str, str | None], str] = {}
    for dataset in graph.datasets:
        ids[(*dataset.key, None)] = top = f"d{len(ids)}"
        _node(
            body,
            top,
            label=dataset.name,
            type="dataset",
            namespace=dataset.namespace,
            dataset=dataset.name,
            kind=dataset.kind,
            owner=dataset.owner or "",
        )
        for field in dataset.fields:
            ids[(*dataset.key, field.name)] = inner = f"f{len(ids)}"
            _node(
                body,
                inner,
                label=field.name,
                type="field",
                namespace=dataset.namespace,
                dataset=dataset.name,
                kind=field.kind,
                owner="",
            )
            _edge(body, top, inner, link="contains")
    for definition in graph.definitions:
        by = definition.job or definition.place
        for link in definition.links:
            if link.source in ids and link.target in ids:
                _edge(
                    body,
                    ids[link.source],
                    ids[link.target],
                    link=link.kind,
                    how=link.how,
                    origin=link.origin,
                    by=by,
                    path=link.path,
                    possible="yes" if link.possible else "no",
                )
    ET.indent(root)
    written: bytes = ET.tostring(root, encoding="utf-8", xml_declaration=True)
    return written


def _node(body: ET.Element, id_: str, **values: str) -> None:
    node = ET.SubElement(body, "node", id=id_)
    for name, value in values.items():
        ET.SubElement(node, "data", key=f"node_{name}").text = _xml(value)


def _edge(body: ET.Element, source: str, target: str, **values: str) -> None:
    edge = ET.SubElement(body, "edge", source=source, target=target)
    for name, value in values.items():
        ET.SubElement(edge, "data", key=f"edge_{name}").text = _xml(value)


def _xml(text: str) -> str:
    """Characters that XML 1.0 cannot hold are shown as a question mark in a box."""
    return "".join(c if c in "\t\n\r" or (c >= " " and not "\ud800" <= c <= "\udfff") else "\ufffd" for c in text)
