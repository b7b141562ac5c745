"""The graph, or the part around an asset, in open formats."""

from collections import defaultdict
from collections.abc import Collection
from datetime import UTC, datetime

import numpy as np
from pydantic import BaseModel
from sqlalchemy import String, cast, or_, select
from sqlalchemy.orm import Session

from jalan.catalog.kinds import DefinitionKind
from jalan.formats.graph import DatasetRecord, DefinitionRecord, FieldRecord, GraphRecord, LinkRecord
from jalan.formats.registry import FORMATS, GraphFormat
from jalan.graph.columns import Flags, Ints
from jalan.service.catalog.listing import listing
from jalan.service.context import Context
from jalan.service.errors import NotFound
from jalan.service.graph_cache.names import FieldInfo, Names
from jalan.service.graph_cache.view import GraphView
from jalan.store.among import is_among
from jalan.store.schema import Definition, Statement
from jalan.store.validity import valid_at

_NAMED = 6


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


def find_dataset(context: Context, name: str) -> int:
    """Return the id of the dataset of a name, with or without its namespace or database. Raises NotFound."""
    view, session = context.graph, context.session
    listed = listing(view)
    full = listed.c.namespace + "/" + listed.c.name
    known = or_(listed.c.name == name, listed.c.title == name, full == name, cast(listed.c.id, String) == name)
    query = select(listed.c.id, full.label("full")).where(known).order_by(listed.c.id).limit(_NAMED)
    found = session.execute(query).all() if "\0" not in name else []
    if not found:
        raise NotFound(f"there is no dataset “{name}”; give schema.table, or the id that its address shows")
    if len(found) > 1:
        raise NotFound(f"“{name}” is the name of several datasets: {', '.join(row.full for row in found)}")
    id_: int = found[0].id
    return id_


def export(
    context: Context, form: GraphFormat, *, around: int | None = None, upstream: int = 50, downstream: int = 50
) -> bytes:
    """Return the graph in a format.

    around: id of a dataset; then only what lies so many hops upstream and downstream of it. Raises NotFound.
    """
    graph = graph_record(context, _chosen(context.graph, around, upstream, downstream))
    return form.write(graph, (context.graph.as_of or datetime.now(UTC)).isoformat())


def _chosen(view: GraphView, around: int | None, upstream: int, downstream: int) -> Ints | None:
    if around is None:
        return None
    at = view.dataset(around)
    before = view.pairs.hops(at, False, limit=upstream)
    behind = view.pairs.hops(at, True, limit=downstream)
    return np.flatnonzero((before >= 0) | (behind >= 0)).astype(np.int32)


def graph_record(context: Context, chosen: Ints | None = None) -> GraphRecord:
    """Return the graph without ids. chosen: positions of datasets; links between others are left out."""
    view, names = context.graph, context.names
    graph = view.graph
    within = graph.known_datasets.copy()
    if chosen is not None:
        within &= np.isin(np.arange(graph.datasets), chosen)
    shown = np.flatnonzero(within).astype(np.int32)
    infos = names.datasets_at(shown.tolist())
    members, whose = graph.fields_of(shown)
    fields = names.fields_at(members.tolist())
    mine: dict[int, dict[int, FieldInfo]] = defaultdict(dict)
    for field, at in zip(members.tolist(), whose.tolist(), strict=True):
        mine[int(shown[at])][field] = fields[field]
    datasets = []
    for position, info in infos.items():
        if info.gone_since is not None:
            continue
        records = [
            FieldRecord(f.name, f.kind, f.type, f.description, f.placeholder)
            for f in (mine[position][at] for at in names.in_order(mine[position]))
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
            records,
            view.aliases.standing_for((info.namespace, info.name)),
        )
        datasets.append(record)
    return GraphRecord(datasets, _definitions(context, within, whole=chosen is None))


def _definitions(context: Context, within: Flags, whole: bool) -> list[DefinitionRecord]:
    view, names, session = context.graph, context.names, context.session
    links = _links(view, names, within)
    ids = _texts_that_hold(session, view, links) if whole else set(links)
    infos = names.definitions(ids)
    statements: dict[int, list[tuple[str, int, int]]] = defaultdict(list)
    ordinals: dict[int, int] = {}
    query = select(Statement).where(is_among(Statement.definition_id, ids)).order_by(Statement.ordinal)
    for row in session.scalars(query):
        ordinals[row.id] = len(statements[row.definition_id])
        statements[row.definition_id].append((row.kind, row.start, row.end))
    texts = dict(session.execute(select(Definition.id, Definition.text).where(is_among(Definition.id, ids))).all())
    found = []
    for id_, info in infos.items():
        for link in links.get(id_, []):
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
                texts[id_],
                info.namespace,
                info.database,
                info.search_path,
                info.template,
                info.revision,
                statements[id_],
                links.get(id_, []),
            )
        )
    return sorted(found, key=lambda d: d.key)


def _texts_that_hold(session: Session, view: GraphView, linked: Collection[int]) -> set[int]:
    """Ids of the definitions that hold; of the queries of a history only those that write."""
    query = select(Definition.id).where(*valid_at(Definition, view.as_of))
    query = query.where(or_(Definition.kind != DefinitionKind.QUERY, is_among(Definition.id, linked)))
    return set(session.scalars(query))


def _links(view: GraphView, names: Names, within: Flags) -> dict[int, list[LinkRecord]]:
    """Every link in view by its definition, also those that the graph shows as further evidence of another."""
    graph = view.graph
    links = graph.every_link()
    columns = graph.columns(links)
    sources, targets = graph.field_dataset[columns.sources], graph.dataset_of(columns.targets)
    columns = columns.take(np.flatnonzero(within[sources] & within[targets]))
    found: dict[int, list[LinkRecord]] = defaultdict(list)
    infos = names.links(columns.ids.tolist())
    ends = np.unique(np.concatenate((columns.sources, columns.targets[columns.targets >= 0])))
    fields = names.fields_at(ends.tolist())
    datasets = names.datasets_at(np.flatnonzero(within).tolist())
    for n, id_ in enumerate(columns.ids.tolist()):
        info = infos[id_]
        source, target = int(columns.sources[n]), int(columns.targets[n])
        place = datasets[int(graph.field_dataset[source])]
        end = datasets[int(graph.field_dataset[target]) if target >= 0 else ~target]
        found[info.definition].append(
            LinkRecord(
                (place.namespace, place.name, fields[source].name),
                (end.namespace, end.name, fields[target].name if target >= 0 else None),
                info.kind,
                info.how,
                info.origin,
                info.spans,
                info.expression,
                info.path,
                info.possible,
                info.statement,
            )
        )
    for mine in found.values():
        mine.sort(key=lambda link: (link.target[:2], link.target[2] or "", link.source, link.kind, link.how))
    return found
