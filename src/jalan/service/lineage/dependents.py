"""What depends on a field: a page at a time, by dataset, or all of it as a stream."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

import numpy as np
from sqlalchemy import func, select

from jalan.catalog.kinds import DatasetKind
from jalan.change.consequences import CONSEQUENCES
from jalan.graph.columns import ROWS, VALUE, Flags, Ints, distinct, kinds_of
from jalan.graph.walk import Reach
from jalan.service.catalog.listing import all_words, listing, words_of
from jalan.service.context import Context
from jalan.service.cursors import read_cursor, write_cursor
from jalan.service.graph_cache.names import Names
from jalan.service.graph_cache.view import GraphView
from jalan.service.lineage.answers import Dependent, DependentGroup, Dependents, PathStep
from jalan.service.streams import StreamForm, header, written
from jalan.store.among import is_among
from jalan.store.past import table_at
from jalan.store.schema import Field

_GROUPS = 60
_CHUNK = 2_000
_COLUMNS = ("dataset", "name", "kind", "report", "owner", "effect", "hops")


@dataclass(frozen=True, slots=True, eq=False)
class _Told:
    """Fields that depend on one, each with the worst consequence that reaches it, in order.

    nodes, ranks, hops, places: of each field, the number of its consequence, how many links away it lies, and where
    it stands in that consequence's reach.
    """

    reaches: list[Reach | None]
    nodes: Ints
    ranks: Ints
    hops: Ints
    places: Ints

    def some(self, which: Flags | Ints) -> "_Told":
        return _Told(self.reaches, self.nodes[which], self.ranks[which], self.hops[which], self.places[which])


def dependents(
    context: Context, field_id: int, conditions: bool, words: str = "", limit: int = 100, cursor: str | None = None
) -> Dependents:
    """Return columns and report elements downstream of a field, reports and what is near first, with their paths.

    conditions: whether what is only decided about counts too. words: that names or owners must hold. Raises
    BadCursor.
    """
    view, names = context.graph, context.names
    graph = view.graph
    start = read_cursor(cursor, "what depends on a field")
    field = view.field(field_id)
    every = _told(view, field, conditions)
    in_reports = graph.reports[graph.field_dataset[every.nodes]]
    told = every.some(_holding(context, every, words)) if words_of(words) else every
    page = told.some(np.arange(start, min(start + limit, len(told.nodes)), dtype=np.int32))
    groups, groups_total = _groups(view, names, told)
    return Dependents(
        field=field_id,
        label=names.label(field),
        items=_items(view, names, page),
        total=len(told.nodes),
        next=write_cursor(start + limit) if start + limit < len(told.nodes) else None,
        groups=groups,
        groups_total=groups_total,
        effects={consequence.name: consequence.label for consequence in CONSEQUENCES},
        columns=int(np.count_nonzero(~in_reports)),
        elements=int(np.count_nonzero(in_reports)),
        reports=len(distinct(graph.field_dataset[every.nodes[in_reports]])),
        version=view.version,
    )


def _told(view: GraphView, field: int, conditions: bool) -> _Told:
    graph = view.graph
    taken = np.zeros(graph.fields, dtype=np.bool_)
    reaches: list[Reach | None] = []
    found = []
    for rank, consequence in enumerate(CONSEQUENCES):
        if not (consequence.by_value or conditions):
            reaches.append(None)
            continue
        reach = consequence.reached(graph, np.array([field], dtype=np.int32))
        reaches.append(reach)
        places = np.flatnonzero((reach.nodes >= 0) & (reach.hops > 0)).astype(np.int32)
        places = places[~taken[reach.nodes[places]]]
        if consequence.happens_to is not None:
            places = places[consequence.happens_to(graph, reach.nodes[places])]
        nodes = reach.nodes[places]
        taken[nodes] = True
        found.append((nodes, np.full(len(nodes), rank, np.int32), reach.links_passed()[places], places))
    nodes, ranks, hops, places = (np.concatenate(column) for column in zip(*found, strict=True))
    datasets = graph.field_dataset[nodes]
    order = np.lexsort((nodes, datasets, hops, ranks, ~graph.reports[datasets]))
    return _Told(reaches, nodes[order], ranks[order], hops[order], places[order])


def _holding(context: Context, told: _Told, words: str) -> Flags:
    """Which fields, or whose datasets or owners, hold the words."""
    view, session = context.graph, context.session
    listed, field = listing(view), table_at(Field, view.as_of, "f")
    text = (
        listed.c.words + " " + func.lower(field.c.name) + " " + func.lower(func.coalesce(listed.c.shown_owner, ""))
    )
    ids = view.graph.nodes.fields.ids[told.nodes].tolist()
    # Columns of what is read as another stand under that one, so its name is the one that counts.
    query = select(field.c.id).join(listed, listed.c.id == field.c.dataset_id)
    query = query.where(is_among(field.c.id, ids), all_words(text, words_of(words)))
    positions = view.graph.nodes.field_at[np.array(session.scalars(query).all(), dtype=np.int32)]
    return np.isin(told.nodes, positions)


def _groups(view: GraphView, names: Names, told: _Told) -> tuple[list[DependentGroup], int]:
    datasets = view.graph.field_dataset[told.nodes]
    which, firsts, counts = np.unique(datasets, return_index=True, return_counts=True)
    order = np.argsort(firsts)[:_GROUPS]
    infos = names.datasets_at(which[order].tolist())
    found = []
    for n in order.tolist():
        info, first = infos[int(which[n])], firsts[n]
        found.append(
            DependentGroup(
                dataset=info.id,
                title=info.title,
                kind=info.kind,
                owner=info.owner,
                effect=CONSEQUENCES[int(told.ranks[first])].name,
                hops=int(told.hops[first]),
                count=int(counts[n]),
            )
        )
    return found, len(which)


def _items(view: GraphView, names: Names, page: _Told) -> list[Dependent]:
    graph = view.graph
    paths: list[tuple[Reach, list[tuple[int, int]]]] = []
    for rank, place in zip(page.ranks.tolist(), page.places.tolist(), strict=True):
        reach = page.reaches[rank]
        assert reach is not None
        paths.append((reach, reach.way(place)))
    on_ways = {int(reach.nodes[at]) for reach, way in paths for at, _ in way}
    infos = names.fields_at(node for node in on_ways if node >= 0)
    owners = [int(graph.field_dataset[node]) if node >= 0 else ~node for node in on_ways]
    datasets = names.datasets_at(set(owners))
    found = []
    for n, node in enumerate(page.nodes.tolist()):
        dataset = datasets[int(graph.field_dataset[node])]
        found.append(
            Dependent(
                field=infos[node].id,
                name=infos[node].name,
                kind=infos[node].kind,
                dataset=dataset.id,
                dataset_name=dataset.name,
                dataset_title=dataset.title,
                report=dataset.kind == DatasetKind.REPORT,
                owner=dataset.owner,
                effect=CONSEQUENCES[int(page.ranks[n])].name,
                hops=int(page.hops[n]),
                path=_path(view, names, *paths[n]),
            )
        )
    return found


def _path(view: GraphView, names: Names, reach: Reach, way: list[tuple[int, int]]) -> list[PathStep]:
    graph = view.graph
    columns = graph.columns(np.array([max(0, link) for _, link in way], dtype=np.int32))
    found = []
    for n, (at, link) in enumerate(way):
        node = int(reach.nodes[at])
        kind: Literal["value", "condition", "rows", "contains"] = "contains"
        if link >= 0:
            what = int(kinds_of(columns.codes[n : n + 1])[0])
            kind = "value" if what == VALUE else "rows" if what == ROWS else "condition"
        dataset = int(graph.field_dataset[node]) if node >= 0 else ~node
        found.append(
            PathStep(
                field=view.field_id(node) if node >= 0 else None,
                dataset=view.dataset_id(dataset),
                label=names.label(node),
                link=int(columns.ids[n]) if link >= 0 else None,
                kind=kind,
            )
        )
    return found


# --- all of it -------------------------------------------------------------------------------------------


def all_dependents(context: Context, field_id: int, conditions: bool, form: StreamForm) -> Iterator[bytes]:
    """Return everything that depends on a field, in pieces: one row each, without the ways. Raises NotFound."""
    told = _told(context.graph, context.graph.field(field_id), conditions)
    return _rows(context, told, form)


def _rows(context: Context, told: _Told, form: StreamForm) -> Iterator[bytes]:
    view = context.graph
    yield header(_COLUMNS, form)
    for start in range(0, len(told.nodes), _CHUNK):
        part = told.some(np.arange(start, min(start + _CHUNK, len(told.nodes)), dtype=np.int32))
        names = Names(context.session, view)  # what is sent is forgotten
        fields = names.fields_at(part.nodes.tolist())
        datasets = names.datasets_at(set(view.graph.field_dataset[part.nodes].tolist()))
        rows = []
        for n, node in enumerate(part.nodes.tolist()):
            dataset = datasets[int(view.graph.field_dataset[node])]
            rows.append(
                (
                    dataset.name,
                    fields[node].name,
                    fields[node].kind,
                    dataset.kind == DatasetKind.REPORT,
                    dataset.owner,
                    CONSEQUENCES[int(part.ranks[n])].name,
                    int(part.hops[n]),
                )
            )
        yield written(_COLUMNS, rows, form)
