"""Writes the graph for other programs that draw or walk graphs: GraphML, DOT and Mermaid.

Source: GraphML Primer (2007); "The DOT Language" (Graphviz documentation); Mermaid documentation, "Flowcharts".
GraphML has every column; the two that draw have datasets, with how many columns pass between two of them.
"""

from collections import Counter
from xml.etree import ElementTree as ET

from jalan.catalog.kinds import LinkKind
from jalan.formats.graph import DatasetRecord, GraphRecord

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


def dot(graph: GraphRecord) -> str:
    """Return datasets as boxes, one cluster a system, and an edge for each two with links between them."""
    lines = ["digraph lineage {", "  rankdir=LR;", '  node [shape=box, fontname="sans-serif"];']
    ids = {dataset.key: f"n{number}" for number, dataset in enumerate(graph.datasets)}
    by_system: dict[str, list[DatasetRecord]] = {}
    for dataset in graph.datasets:
        by_system.setdefault(dataset.namespace, []).append(dataset)
    for number, (namespace, datasets) in enumerate(by_system.items()):
        lines.append(f"  subgraph cluster_{number} {{")
        lines.append(f"    label={_quoted(namespace)};")
        lines += [f"    {ids[dataset.key]} [label={_quoted(_label(dataset))}];" for dataset in datasets]
        lines.append("  }")
    for (source, target, kind), count in _between(graph).items():
        style = "solid" if kind == LinkKind.VALUE else "dashed"
        lines.append(f"  {ids[source]} -> {ids[target]} [style={style}, label={_quoted(str(count))}];")
    return "\n".join([*lines, "}", ""])


def mermaid(graph: GraphRecord) -> str:
    """Return the same as a flowchart that Markdown pages can hold."""
    lines = ["flowchart LR"]
    ids = {dataset.key: f"n{number}" for number, dataset in enumerate(graph.datasets)}
    for dataset in graph.datasets:
        lines.append(f'  {ids[dataset.key]}["{_entities(_label(dataset))}"]')
    for (source, target, kind), count in _between(graph).items():
        arrow = "-->" if kind == LinkKind.VALUE else "-.->"
        lines.append(f"  {ids[source]} {arrow}|{count}| {ids[target]}")
    return "\n".join([*lines, ""])


def _label(dataset: DatasetRecord) -> str:
    return dataset.title or dataset.name


def _between(graph: GraphRecord) -> dict[tuple[tuple[str, str], tuple[str, str], str], int]:
    """How many links of a kind lead from one dataset to another."""
    known = {dataset.key for dataset in graph.datasets}
    counted: Counter[tuple[tuple[str, str], tuple[str, str], str]] = Counter()
    for definition in graph.definitions:
        for link in definition.links:
            source, target = link.source[:2], link.target[:2]
            if source in known and target in known:
                counted[source, target, link.kind] += 1
    return dict(sorted(counted.items()))


def _quoted(text: str) -> str:
    escaped = text.replace("\\", "\\\\").replace('"', '\\"').replace("\n", "\\n")
    return f'"{escaped}"'


def _entities(text: str) -> str:
    return "".join(f"#{ord(c)};" if c in '#"<>&;`\n' else c for c in text)
