"""What is another around a dataset at one time than at an earlier one."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import ColumnElement, func, or_, select

from jalan.catalog.kinds import LinkKind
from jalan.graph.columns import VALUE, Ints, distinct, kinds_of
from jalan.graph.lanes import links_between
from jalan.service.context import Context
from jalan.service.errors import Invalid, NotFound
from jalan.service.history.answers import (
    ColumnChange,
    DatasetChange,
    DefinitionChange,
    Difference,
    LinkChange,
    Went,
)
from jalan.service.history.lines import compared
from jalan.store.among import is_among
from jalan.store.past import said_then
from jalan.store.schema import Definition, Field, Link
from jalan.store.validity import valid_at

_MOST_DATASETS = 1_000  # the nearest are compared
_MOST = 200  # of each list
_MOST_TEXTS = 40


@dataclass(frozen=True, slots=True)
class Reach:
    """How far around the dataset is looked: hops, and whether links that only decide count."""

    upstream: int
    downstream: int
    conditions: bool = True


def difference(context: Context, dataset_id: int, since: datetime, reach: Reach) -> Difference:
    """Return what came, went and changed since an earlier time, until that of the context.

    Raises NotFound where the dataset was there at neither, Invalid where the earlier time is the later one.
    """
    if context.as_of is not None and since > context.as_of:
        raise Invalid("since: this is after the time that it is compared with")
    with context.at(since) as then:
        both = (_near(then, dataset_id, reach), _near(context, dataset_id, reach))
        if both[0] is None and both[1] is None:
            raise NotFound(f"there is no dataset {dataset_id}, at neither time")
        nearest: dict[int, int] = {}
        for near in both:
            for id_, hops in (near or {}).items():
                nearest[id_] = min(hops, nearest.get(id_, hops))
        ids = sorted(nearest, key=lambda id_: (nearest[id_], id_))[:_MOST_DATASETS]
        datasets, datasets_total = _datasets(then, context, ids)
        columns, columns_total = _columns(then, context, ids, since)
        links, links_total = _links(then, context, ids, reach.conditions)
        definitions, definitions_total = _definitions(then, context, ids)
        return Difference(
            dataset=dataset_id,
            since=since,
            until=context.as_of,
            datasets=datasets,
            datasets_total=datasets_total,
            columns=columns,
            columns_total=columns_total,
            links=links,
            links_total=links_total,
            definitions=definitions,
            definitions_total=definitions_total,
            looked_at=len(ids),
            within=len(nearest),
            version=context.graph.version,
        )


def _near(context: Context, dataset_id: int, reach: Reach) -> dict[int, int] | None:
    """Ids of the datasets within reach, with how many hops away each lies; none where it is not there."""
    view = context.graph
    position = view.graph.dataset_position(dataset_id)
    if position < 0:
        return None
    found = {view.dataset_id(position): 0}
    for downstream, limit in ((False, reach.upstream), (True, reach.downstream)):
        hops = view.pairs.hops(position, downstream, reach.conditions, limit)
        for at in np.flatnonzero(hops > 0).tolist():
            id_ = view.dataset_id(at)
            found[id_] = min(found.get(id_, limit), int(hops[at]))
    return found


def _there(context: Context, ids: list[int]) -> set[int]:
    graph = context.graph.graph
    positions = ((id_, graph.dataset_position(id_)) for id_ in ids)
    return {id_ for id_, at in positions if at >= 0 and graph.live_datasets[at]}


def _datasets(then: Context, now: Context, ids: list[int]) -> tuple[list[DatasetChange], int]:
    before, after = _there(then, ids), _there(now, ids)
    moved: list[tuple[int, Went, Context]] = [
        *((id_, "came", now) for id_ in ids if id_ in after - before),
        *((id_, "went", then) for id_ in ids if id_ in before - after),
    ]
    shown = moved[:_MOST]
    names = {
        context: context.names.datasets([id_ for id_, _, where in shown if where is context])
        for context in (then, now)
    }
    found = [
        DatasetChange(dataset=id_, name=names[where][id_].title, kind=names[where][id_].kind, went=went)
        for id_, went, where in shown
        if id_ in names[where]
    ]
    return found, len(moved)


# --- columns ---------------------------------------------------------------------------------------------


def _live_fields(context: Context, ids: list[int]) -> Ints:
    """Ids of the columns that datasets have."""
    graph = context.graph.graph
    datasets = context.graph.positions(ids)
    fields, _ = graph.fields_of(distinct(datasets))
    return graph.nodes.fields.ids[fields[graph.live_fields[fields]]]


def _columns(then: Context, now: Context, ids: list[int], since: datetime) -> tuple[list[ColumnChange], int]:
    before, after = _live_fields(then, ids), _live_fields(now, ids)
    came = np.setdiff1d(after, before).tolist()
    went = np.setdiff1d(before, after).tolist()
    changed = _retyped(then, now, np.intersect1d(before, after).tolist(), since)
    found: list[ColumnChange] = []
    for listed, went_how, where in ((changed, "changed", now), (came, "came", now), (went, "went", then)):
        listed = listed[: max(0, _MOST - len(found))]
        fields = where.names.fields(listed)
        datasets = where.names.datasets({field.dataset for field in fields.values()})
        old = then.names.fields(listed) if went_how == "changed" else {}
        for id_ in listed:
            if id_ not in fields or fields[id_].dataset not in datasets:
                continue
            field = fields[id_]
            was = old[id_].type if id_ in old else field.type if went_how == "went" else None
            found.append(
                ColumnChange(
                    dataset=field.dataset,
                    field=id_,
                    name=f"{datasets[field.dataset].title}.{field.name}",
                    went=went_how,
                    before=was,
                    after=None if went_how == "went" else field.type,
                )
            )
    return found, len(changed) + len(came) + len(went)


def _retyped(then: Context, now: Context, ids: list[int], since: datetime) -> list[int]:
    """Which columns are there at both times and have another type."""
    touched = set(said_then(now.session, Field, since, ids))
    if now.as_of is not None and touched:
        touched |= set(said_then(now.session, Field, now.as_of, ids))
    old, new = then.names.fields(touched), now.names.fields(touched)
    return sorted(id_ for id_ in touched if id_ in old and id_ in new and old[id_].type != new[id_].type)


# --- links -----------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class _Links:
    """Links of one time: keys say from where to where and of which kind, each once, in order."""

    keys: NDArray[np.uint64]
    links: Ints
    where: Context

    def without(self, other: "_Links") -> "_Links":
        kept = np.flatnonzero(~np.isin(self.keys, other.keys))
        return _Links(self.keys[kept], self.links[kept], self.where)


def _links_of(context: Context, ids: list[int], conditions: bool) -> _Links:
    view, graph = context.graph, context.graph.graph
    datasets = view.positions(ids)
    once = graph.each_once(links_between(graph, view.pairs, distinct(datasets), conditions))
    found = graph.columns(once.best)
    # Fields and datasets by their ids: positions are those of one graph. Ids have 31 bits.
    is_field = found.targets >= 0
    ends = np.empty(len(found), dtype=np.int64)
    ends[is_field] = graph.nodes.fields.ids[found.targets[is_field]]
    ends[~is_field] = graph.nodes.datasets.ids[~found.targets[~is_field]]
    sources = graph.nodes.fields.ids[found.sources].astype(np.uint64)
    kinds = kinds_of(found.codes).astype(np.uint64)
    keys = np.bitwise_or(np.bitwise_or(sources << 33, kinds << 31), ends.astype(np.uint64)).astype(np.uint64)
    return _Links(keys, once.best, context)


def _links(then: Context, now: Context, ids: list[int], conditions: bool) -> tuple[list[LinkChange], int]:
    before, after = _links_of(then, ids, conditions), _links_of(now, ids, conditions)
    came, went = after.without(before), before.without(after)
    found = [*_told(came, "came", _MOST)]
    found += _told(went, "went", _MOST)
    return found, len(came.keys) + len(went.keys)


def _told(some: _Links, went: Went, limit: int) -> list[LinkChange]:
    names, view = some.where.names, some.where.graph
    columns = view.graph.columns(some.links)
    # Links that carry values first: what only decides is less.
    order = np.lexsort((columns.ids, kinds_of(columns.codes) != VALUE))[:limit]
    columns = columns.take(order)
    infos = names.links(columns.ids.tolist())
    ends = np.concatenate((columns.sources, columns.targets[columns.targets >= 0]))
    fields = names.fields_at(np.unique(ends).tolist())
    names.datasets_at(np.unique(view.graph.dataset_of(np.concatenate((columns.sources, columns.targets)))).tolist())
    found = []
    for n, id_ in enumerate(columns.ids.tolist()):
        info = infos[id_]
        source, target = int(columns.sources[n]), int(columns.targets[n])
        end = fields[target] if target >= 0 else None
        found.append(
            LinkChange(
                link=id_,
                kind=LinkKind(info.kind),
                source=names.label(source),
                target=names.label(target),
                label=names.link_label(info, fields[source], end, info.possible),
                went=went,
            )
        )
    return sorted(found, key=lambda one: (one.target, one.source))


# --- definitions -----------------------------------------------------------------------------------------


def _texts(context: Context, which: ColumnElement[bool]) -> dict[str, Any]:
    """Texts that hold at the time, by key, without the texts themselves."""
    query = select(
        Definition.id, Definition.key, Definition.place, Definition.kind, Definition.author, Definition.revision,
        func.md5(Definition.text).label("digest"),
    ).where(which, *valid_at(Definition, context.as_of))  # fmt: skip
    return {row.key: row for row in context.session.execute(query)}


def _defining(context: Context, ids: list[int]) -> dict[str, Any]:
    """The texts that define datasets or fill them."""
    linked = select(Link.definition_id).where(is_among(Link.target_dataset_id, ids), *valid_at(Link, context.as_of))
    return _texts(context, or_(is_among(Definition.dataset_id, ids), Definition.id.in_(linked)))


def _definitions(then: Context, now: Context, ids: list[int]) -> tuple[list[DefinitionChange], int]:
    before, after = _defining(then, ids), _defining(now, ids)
    # A text that no longer fills any of these may still be there and say something else: its key tells.
    only_now, only_then = after.keys() - before.keys(), before.keys() - after.keys()
    before |= _texts(then, Definition.key.in_(sorted(only_now)))
    after |= _texts(now, Definition.key.in_(sorted(only_then)))
    moved: list[tuple[str, Went]] = []
    for key in sorted(before.keys() | after.keys()):
        if key not in before:
            moved.append((key, "came"))
        elif key not in after:
            moved.append((key, "went"))
        elif before[key].digest != after[key].digest:
            moved.append((key, "changed"))
    moved.sort(key=lambda one: one[1] != "changed")
    shown = moved[:_MOST_TEXTS]
    wanted = {side[key].id for key, _ in shown for side in (before, after) if key in side}
    texts = dict(
        now.session.execute(select(Definition.id, Definition.text).where(is_among(Definition.id, wanted))).all()
    )
    found = []
    for key, went in shown:
        row = after.get(key) or before[key]
        old = texts[before[key].id] if key in before else ""
        new = texts[after[key].id] if key in after else ""
        lines, cut = compared(old, new)
        found.append(
            DefinitionChange(
                key=key,
                place=row.place,
                kind=row.kind,
                went=went,
                author=row.author,
                revision=row.revision,
                lines=lines,
                cut=cut,
            )
        )
    return found, len(moved)
