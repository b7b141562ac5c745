"""The graph, or the part around an asset, in open formats."""

import io
from collections import defaultdict
from datetime import UTC, datetime
from enum import Enum

import numpy as np
import orjson
import pyarrow as pa
import pyarrow.parquet as pq
from sqlalchemy import select
from sqlalchemy.orm import Session

from jalan.formats import drawings
from jalan.formats.graph import DatasetRecord, DefinitionRecord, FieldRecord, GraphRecord, LinkRecord
from jalan.formats.link_table import COLUMNS, link_csv, link_rows
from jalan.formats.openlineage_graph import events
from jalan.formats.prov import prov_json
from jalan.service.errors import NotFound
from jalan.service.ingest.identity import alias_map
from jalan.service.snapshot import Snapshot
from jalan.store.models import Link, Statement


class ExportFormat(str, Enum):
    """What can be written. Source of each: see its writer in ``jalan.formats``."""

    openlineage = "openlineage"
    prov = "prov-json"
    graphml = "graphml"
    dot = "dot"
    mermaid = "mermaid"
    csv = "csv"
    parquet = "parquet"


MEDIA = {
    ExportFormat.openlineage: ("application/x-ndjson", "jsonl"),
    ExportFormat.prov: ("application/json", "json"),
    ExportFormat.graphml: ("application/xml", "graphml"),
    ExportFormat.dot: ("text/vnd.graphviz", "dot"),
    ExportFormat.mermaid: ("text/plain", "mmd"),
    ExportFormat.csv: ("text/csv", "csv"),
    ExportFormat.parquet: ("application/vnd.apache.parquet", "parquet"),
}
"""Media type and ending of the file."""


def find_dataset(snapshot: Snapshot, name: str) -> int:
    """Return the id of the dataset of a name, with or without its namespace or database. Raises NotFound."""
    found = [
        info
        for info in snapshot.datasets
        if name in (info.name, info.title, f"{info.namespace}/{info.name}", str(info.id))
    ]
    if not found:
        raise NotFound(f"there is no dataset “{name}”; give schema.table, or the id that its address shows")
    if len(found) > 1:
        names = ", ".join(f"{info.namespace}/{info.name}" for info in found[:5])
        raise NotFound(f"“{name}” is the name of several datasets: {names}")
    return found[0].id


def export(
    snapshot: Snapshot,
    session: Session,
    form: ExportFormat,
    *,
    around: int | None = None,
    back: int = 50,
    ahead: int = 50,
) -> bytes:
    """Return the graph in a format. around: id of a dataset; then only what lies so many hops before and behind it.

    Raises NotFound.
    """
    graph = graph_record(snapshot, session, _chosen(snapshot, around, back, ahead))
    if form is ExportFormat.openlineage:
        now = (snapshot.as_of or datetime.now(UTC)).isoformat()
        return b"".join(orjson.dumps(event) + b"\n" for event in events(graph, now))
    if form is ExportFormat.prov:
        return orjson.dumps(prov_json(graph), option=orjson.OPT_INDENT_2) + b"\n"
    if form is ExportFormat.graphml:
        return drawings.graphml(graph)
    if form is ExportFormat.dot:
        return drawings.dot(graph).encode()
    if form is ExportFormat.mermaid:
        return drawings.mermaid(graph).encode()
    if form is ExportFormat.csv:
        return link_csv(graph).encode()
    rows = list(link_rows(graph))
    columns = {name: pa.array([row[n] for row in rows], pa.string()) for n, name in enumerate(COLUMNS)}
    out = io.BytesIO()
    pq.write_table(pa.table(columns), out)
    return out.getvalue()


def _chosen(snapshot: Snapshot, around: int | None, back: int, ahead: int) -> set[int] | None:
    if around is None:
        return None
    at = snapshot.dataset_at.get(around)
    if at is None:
        raise NotFound(f"there is no dataset {around}")
    before, behind = snapshot.graph.hops(at)
    near = ((before >= 0) & (before <= back)) | ((behind >= 0) & (behind <= ahead))
    return {at, *np.flatnonzero(near).tolist()}


def graph_record(snapshot: Snapshot, session: Session, chosen: set[int] | None = None) -> GraphRecord:
    """Return the graph without ids. chosen: positions of datasets; links between others are left out."""
    aliases = alias_map(session, snapshot.as_of)
    datasets = []
    for position, info in enumerate(snapshot.datasets):
        if info.gone_since is not None or (chosen is not None and position not in chosen):
            continue
        fields = [
            FieldRecord(f.name, f.kind, f.type, f.description, f.placeholder)
            for f in (snapshot.fields[n] for n in info.fields)
            if f.gone_since is None
        ]
        record = DatasetRecord(
            info.namespace,
            info.name,
            info.title,
            info.kind,
            info.description,
            info.owner,
            info.container,
            info.placeholder,
            info.system,
            fields,
            aliases.standing_for((info.namespace, info.name)),
        )
        datasets.append(record)
    return GraphRecord(datasets, _definitions(snapshot, session, chosen))


def _definitions(snapshot: Snapshot, session: Session, chosen: set[int] | None) -> list[DefinitionRecord]:
    links = _links(snapshot, session, chosen)
    statements: dict[int, list[tuple[str, int, int]]] = defaultdict(list)
    ordinals: dict[int, int] = {}
    query = select(Statement).where(Statement.definition_id.in_(snapshot.definitions)).order_by(Statement.ordinal)
    for row in session.scalars(query):
        ordinals[row.id] = len(statements[row.definition_id])
        statements[row.definition_id].append((row.kind, row.start, row.end))
    found = []
    for id_, info in snapshot.definitions.items():
        mine = links.get(id_, [])
        if chosen is not None and not mine:
            continue
        for link in mine:
            link.statement = None if link.statement is None else ordinals.get(link.statement)
        found.append(
            DefinitionRecord(
                info.key,
                info.kind,
                info.place,
                info.job_namespace or info.namespace,
                info.job,
                info.dialect,
                info.first_line,
                info.text,
                info.namespace,
                info.database,
                info.search_path,
                info.template,
                info.revision,
                statements[id_],
                mine,
            )
        )
    return sorted(found, key=lambda d: d.key)


def _links(snapshot: Snapshot, session: Session, chosen: set[int] | None) -> dict[int, list[LinkRecord]]:
    """Every link in view, also those that the graph shows as further evidence of another."""
    shown = [id_ for link in snapshot.links for id_ in (link.id, *link.others)]
    found: dict[int, list[LinkRecord]] = defaultdict(list)
    for start in range(0, len(shown), 5000):
        query = select(Link).where(Link.id.in_(shown[start : start + 5000])).order_by(Link.id)
        for row in session.scalars(query):
            source = snapshot.fields[snapshot.field_at[row.source_field_id]]
            target = snapshot.dataset_at[row.target_dataset_id]
            if chosen is not None and not {source.dataset, target} <= chosen:
                continue
            place, end = snapshot.datasets[source.dataset], snapshot.datasets[target]
            column = (
                None
                if row.target_field_id is None
                else snapshot.fields[snapshot.field_at[row.target_field_id]].name
            )
            found[row.definition_id].append(
                LinkRecord(
                    (place.namespace, place.name, source.name),
                    (end.namespace, end.name, column),
                    row.kind,
                    row.how,
                    row.origin,
                    [(a, b) for a, b in row.spans],
                    (row.expression[0], row.expression[1]) if row.expression else None,
                    row.path,
                    row.possible,
                    row.statement_id,
                )
            )
    for links in found.values():
        links.sort(key=lambda link: (link.target[:2], link.target[2] or "", link.source, link.kind, link.how))
    return found
