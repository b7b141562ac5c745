"""Writes the graph for programs that draw it from text: DOT and Mermaid.

Source: "The DOT Language" (Graphviz documentation); Mermaid documentation, "Flowcharts". Both have datasets, with
how many columns pass between two of them.
"""

from collections import Counter

from jalan.catalog.kinds import LinkKind
from jalan.formats.graph import DatasetRecord, GraphRecord


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
