"""The graph, or the part around an asset, in open formats."""

from collections import defaultdict
from datetime import UTC, datetime

import numpy as np
from pydantic import BaseModel
from sqlalchemy import select
from sqlalchemy.orm import Session

from jalan.formats.graph import DatasetRecord, DefinitionRecord, FieldRecord, GraphRecord, LinkRecord
from jalan.formats.registry import FORMATS, GraphFormat
from jalan.service.context import Context
from jalan.service.errors import NotFound
from jalan.service.graph_cache.lookups import dataset_position
from jalan.service.graph_cache.snapshot import Snapshot
from jalan.store.repositories.aliases import alias_map
from jalan.store.schema import Link, Statement


class FormatFact(BaseModel):
    """A format in which the graph can be had. ending: of the file."""

    name: str
    title: str
    about: str
    ending: str


def formats() -> list[FormatFact]:
    """Return the formats in which the graph can be had."""
    return [FormatFact(name=f.name, title=f.title, about=f.about, ending=f.ending) for f in FORMATS.values()]


def format_named(name: str) -> GraphFormat:
    """Return the format of that name. Raises NotFound, which lists them."""
    found = FORMATS.get(name)
    if found is None:
        raise NotFound(f"there is no format “{name}”; there are: {', '.join(FORMATS)}")
    return found


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
    context: Context, form: GraphFormat, *, around: int | None = None, upstream: int = 50, downstream: int = 50
) -> bytes:
    """Return the graph in a format.

    around: id of a dataset; then only what lies so many hops upstream and downstream of it. Raises NotFound.
    """
    snapshot = context.graph
    graph = graph_record(snapshot, context.session, _chosen(snapshot, around, upstream, downstream))
    return form.write(graph, (snapshot.as_of or datetime.now(UTC)).isoformat())


def _chosen(snapshot: Snapshot, around: int | None, upstream: int, downstream: int) -> set[int] | None:
    if around is None:
        return None
    at = dataset_position(snapshot, around)
    before, behind = snapshot.graph.hops(at)
    near = ((before >= 0) & (before <= upstream)) | ((behind >= 0) & (behind <= downstream))
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
