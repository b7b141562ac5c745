"""The lineage screen's questions: lanes around a dataset, trails of fields, evidence, what depends on a field."""

from typing import Literal

import numpy as np

from jalan.catalog.kinds import DatasetKind, LinkKind
from jalan.graph.dependencies import ROWS, VALUE, longest_hops
from jalan.graph.ordering import order_lanes
from jalan.graph.spread import Ints, Reach
from jalan.service.answers import (
    Beyond,
    Crossing,
    DatasetBrief,
    DefinitionFact,
    Dependent,
    Dependents,
    Evidence,
    FieldBrief,
    Lane,
    Mark,
    PathStep,
    Road,
    Step,
    WayStep,
)
from jalan.service.details import how_it_is_made
from jalan.service.errors import Invalid, NotFound
from jalan.service.snapshot import DefinitionInfo, Snapshot

_NOTHING = Beyond(hops=0, datasets=0, reports=0, next_datasets=0)


def lanes(snapshot: Snapshot, dataset_id: int, back: int, ahead: int, conditions: bool) -> Road:
    """Return what lies up to ``back`` hops before and ``ahead`` hops behind a dataset."""
    focus = _dataset(snapshot, dataset_id)
    before, behind = snapshot.graph.hops(focus, conditions)
    placed: dict[int, int] = {focus: 0}
    for distances, sign, depth in ((before, -1, back), (behind, 1, ahead)):
        for dataset in np.flatnonzero((distances > 0) & (distances <= depth)).tolist():
            offset = sign * int(distances[dataset])
            # A dataset on a circle lies on both sides: it stands where it is nearer.
            if dataset not in placed or abs(offset) < abs(placed[dataset]):
                placed[dataset] = offset
    links = _links_between(snapshot, placed, conditions)
    return Road(
        focus=dataset_id,
        fields=[],
        lanes=_lanes(snapshot, placed, links),
        crossings=[_crossing(snapshot, link) for link in links],
        back=_beyond(snapshot, before, back),
        ahead=_beyond(snapshot, behind, ahead),
        steps=[],
        as_of=snapshot.as_of,
    )


def trail(snapshot: Snapshot, field_ids: list[int], conditions: bool) -> Road:
    """Return the part of the graph that carries the values of fields of one dataset, from end to end.

    conditions: whether to show what decides about the rows and columns on the trail as well.
    """
    fields = np.array([_field(snapshot, field_id) for field_id in field_ids], dtype=np.int64)
    focus = snapshot.fields[int(fields[0])].dataset
    if any(snapshot.fields[int(field)].dataset != focus for field in fields):
        raise Invalid("field: these are fields of several datasets; a trail is of one")
    graph = snapshot.graph
    back, ahead, carried = graph.trail(fields)
    placed = _trail_lanes(snapshot, focus, back, ahead, carried)
    links = carried.tolist()
    if conditions:
        on_trail = np.flatnonzero((back >= 0) | (ahead >= 0))
        deciding = graph.deciding(np.array(sorted(placed), dtype=np.int64), on_trail)
        # A condition is shown where it comes from something on the trail; the rest is in the lanes.
        links += [link for link in deciding.tolist() if snapshot.fields[int(graph.sources[link])].dataset in placed]
    return Road(
        focus=snapshot.datasets[focus].id,
        fields=field_ids,
        lanes=_lanes(snapshot, placed, links, set(fields.tolist())),
        crossings=[_crossing(snapshot, link) for link in links],
        back=_NOTHING,
        ahead=_NOTHING,
        steps=_steps(snapshot, carried, placed),
        as_of=snapshot.as_of,
    )


def _trail_lanes(snapshot: Snapshot, focus: int, back: Ints, ahead: Ints, carried: Ints) -> dict[int, int]:
    """Lanes of a trail are counted along the longest way, so that all of it is read from left to right."""
    graph = snapshot.graph
    sources = graph.field_dataset[graph.sources[carried]]
    targets = graph.field_dataset[graph.targets[carried]]
    behind = np.unique(graph.field_dataset[np.flatnonzero(ahead >= 0)])
    before = np.unique(graph.field_dataset[np.flatnonzero(back >= 0)])
    start = np.array([focus])
    placed = longest_hops(behind, sources, targets, start)
    for dataset, hops in longest_hops(before, targets, sources, start).items():
        if dataset not in placed:
            placed[dataset] = -hops
    return placed


def _steps(snapshot: Snapshot, carried: Ints, placed: dict[int, int]) -> list[Step]:
    """One step for each field on the trail and each text that writes it, from the sources to the reports."""
    graph = snapshot.graph
    together: dict[tuple[int, int], list[int]] = {}
    for link in carried.tolist():
        together.setdefault((int(graph.targets[link]), snapshot.links[link].definition), []).append(link)
    found = []
    for (target, definition_id), links in together.items():
        first = min(links, key=lambda link: snapshot.links[link].spans[0])
        info, definition = snapshot.links[first], snapshot.definitions[definition_id]
        step = Step(
            link=info.id,
            links=[snapshot.links[link].id for link in links],
            source=", ".join(sorted(snapshot.node_label(int(graph.sources[link])) for link in links)),
            target=snapshot.node_label(target),
            place=definition.place,
            line=definition.line(info.spans[0][0]),
        )
        found.append(((placed.get(snapshot.node_dataset(target), 0), step.target, step.place), step))
    found.sort(key=lambda pair: pair[0])
    return [step for _, step in found]


# --- pieces of a road ------------------------------------------------------------------------------------


def _dataset(snapshot: Snapshot, dataset_id: int) -> int:
    found = snapshot.dataset_at.get(dataset_id)
    if found is None:
        raise NotFound(f"there is no dataset {dataset_id}")
    return found


def _field(snapshot: Snapshot, field_id: int) -> int:
    found = snapshot.field_at.get(field_id)
    if found is None:
        raise NotFound(f"there is no field {field_id}")
    return found


def _links_between(snapshot: Snapshot, placed: dict[int, int], conditions: bool) -> list[int]:
    graph = snapshot.graph
    shown = np.zeros(graph.datasets, dtype=np.bool_)
    shown[list(placed)] = True
    sources, targets = graph.dataset_ends
    wanted = shown[sources] & shown[targets] & (sources != targets)
    if not conditions:
        wanted &= graph.kinds == VALUE
    return [int(link) for link in np.flatnonzero(wanted)]


def _lanes(
    snapshot: Snapshot, placed: dict[int, int], links: list[int], always: set[int] | None = None
) -> list[Lane]:
    graph = snapshot.graph
    touched: dict[int, set[int]] = {dataset: set() for dataset in placed}
    pairs = set()
    for link in links:
        source, target = int(graph.sources[link]), int(graph.targets[link])
        touched[snapshot.node_dataset(source)].add(source)
        if target < graph.fields:
            touched[snapshot.node_dataset(target)].add(target)
        pairs.add((snapshot.node_dataset(source), snapshot.node_dataset(target)))
    for node in always or ():
        touched[snapshot.node_dataset(node)].add(node)
    members: dict[int, list[int]] = {}
    for dataset in sorted(placed, key=lambda d: snapshot.datasets[d].title):
        members.setdefault(placed[dataset], []).append(dataset)
    ordered = order_lanes(members, sorted(pairs))
    counts = field_counts(snapshot)
    return [
        Lane(
            offset=offset,
            datasets=[dataset_brief(snapshot, d, sorted(touched[d]), counts) for d in ordered[offset]],
        )
        for offset in sorted(ordered)
    ]


def field_counts(snapshot: Snapshot) -> tuple[Ints, Ints]:
    """Return how many value links lead (to, from) each field."""
    graph = snapshot.graph
    values = graph.kinds == VALUE
    back = np.bincount(graph.targets[values], minlength=graph.fields)
    ahead = np.bincount(graph.sources[values], minlength=graph.fields)
    return back, ahead


def field_brief(snapshot: Snapshot, field: int, counts: tuple[Ints, Ints]) -> FieldBrief:
    """Return a field as lists show it."""
    info = snapshot.fields[field]
    return FieldBrief(
        id=info.id,
        name=info.name,
        kind=info.kind,
        type=info.type,
        placeholder=info.placeholder,
        gone=info.gone_since is not None,
        back=int(counts[0][field]),
        ahead=int(counts[1][field]),
    )


def dataset_brief(snapshot: Snapshot, dataset: int, fields: list[int], counts: tuple[Ints, Ints]) -> DatasetBrief:
    """Return a dataset as lanes show it."""
    info = snapshot.datasets[dataset]
    live = [f for f in info.fields if snapshot.fields[f].gone_since is None]
    return DatasetBrief(
        id=info.id,
        name=info.name,
        title=info.title,
        kind=info.kind,
        system=info.system,
        container=info.container,
        owner=info.owner,
        placeholder=info.placeholder,
        gone=info.gone_since is not None,
        feeds_itself=snapshot.graph.feeds_itself(dataset),
        fields=[field_brief(snapshot, f, counts) for f in fields],
        total_fields=len(live),
    )


def _crossing(snapshot: Snapshot, link: int) -> Crossing:
    graph = snapshot.graph
    source, target = int(graph.sources[link]), int(graph.targets[link])
    info = snapshot.links[link]
    return Crossing(
        id=info.id,
        source_dataset=snapshot.datasets[snapshot.node_dataset(source)].id,
        source_field=snapshot.fields[source].id,
        target_dataset=snapshot.datasets[snapshot.node_dataset(target)].id,
        target_field=snapshot.fields[target].id if target < graph.fields else None,
        kind=LinkKind(info.kind),
        how=info.how,
        label=snapshot.link_label(link),
        by=snapshot.definitions[info.definition].by,
        more=len(info.others),
        possible=info.possible,
    )


def _beyond(snapshot: Snapshot, distances: Ints, depth: int) -> Beyond:
    further = np.flatnonzero(distances > depth).tolist()
    reports = sum(snapshot.datasets[d].kind == DatasetKind.REPORT for d in further)
    return Beyond(
        hops=max(0, int(distances.max(initial=0)) - depth),
        datasets=len(further) - reports,
        reports=reports,
        next_datasets=int(np.count_nonzero(distances == depth + 1)),
    )


# --- evidence --------------------------------------------------------------------------------------------


def definition_fact(info: DefinitionInfo) -> DefinitionFact:
    """Return a definition as lists show it."""
    return DefinitionFact(
        id=info.id,
        kind=info.kind,
        place=info.place,
        job=info.job,
        version=info.version,
        valid_from=info.valid_from,
        revision=info.revision,
        author=info.author,
        authored_at=info.authored_at,
    )


def evidence(snapshot: Snapshot, link_id: int) -> Evidence:
    """Return the code behind a link, with the characters that prove it marked.

    What else flows into the same target in the same statement is marked as well, so that the code can be read
    with understanding: other values, and what decides.
    """
    position = snapshot.link_at.get(link_id)
    if position is None:
        raise NotFound(f"there is no link {link_id} (now, or at the time that was asked for)")
    graph = snapshot.graph
    info = snapshot.links[position]
    source, target = int(graph.sources[position]), int(graph.targets[position])
    definition = snapshot.definitions[info.definition]
    marks = [Mark(start=start, end=end, kind="link") for start, end in info.spans]
    taken = set(info.spans)
    rows_node = graph.fields + snapshot.node_dataset(target)
    for other in np.flatnonzero((graph.targets == target) | (graph.targets == rows_node)).tolist():
        beside = snapshot.links[other]
        if beside.definition != info.definition or beside.statement != info.statement:
            continue
        for span in beside.spans:
            if span not in taken:
                taken.add(span)
                kind = LinkKind(beside.kind)
                marks.append(Mark(start=span[0], end=span[1], kind=kind))
    if info.expression is not None:
        marks.append(Mark(start=info.expression[0], end=info.expression[1], kind="expression"))
    start, end = snapshot.statements.get(info.statement or -1, (0, len(definition.text)))
    expression: str | None = None
    way: list[WayStep] = []
    if info.expression is not None:
        expression, way = how_it_is_made(snapshot, definition, info.expression)
    return Evidence(
        link=info.id,
        kind=LinkKind(info.kind),
        how=info.how,
        origin=info.origin,
        source=snapshot.node_label(source),
        target=snapshot.node_label(target),
        expression=expression,
        definition=definition_fact(definition),
        text=definition.text,
        first_line=definition.first_line,
        marks=sorted(marks, key=lambda mark: (mark.start, -mark.end)),
        start=start,
        end=end,
        others=info.others,
        path=info.path,
        possible=info.possible,
        way=way,
    )


# --- what depends on a field -----------------------------------------------------------------------------


def dependents(snapshot: Snapshot, field_id: int, conditions: bool) -> Dependents:
    """Return every column and report element downstream of a field, nearest first, with its path."""
    field = _field(snapshot, field_id)
    graph = snapshot.graph
    by_value, by_any = graph.dependents(np.array([field]))
    reached = by_any if conditions else by_value
    items = []
    for node in np.flatnonzero(reached.distance[: graph.fields] > 0).tolist():
        carries = by_value.distance[node] > 0
        path = _path(snapshot, by_value if carries else by_any, node, carries)
        info = snapshot.fields[node]
        dataset = snapshot.datasets[info.dataset]
        items.append(
            Dependent(
                field=info.id,
                name=info.name,
                kind=info.kind,
                dataset=dataset.id,
                dataset_name=dataset.name,
                dataset_title=dataset.title,
                report=dataset.kind == DatasetKind.REPORT,
                owner=dataset.owner,
                effect="value" if carries else "condition",
                hops=sum(step.link is not None for step in path),
                path=path,
            )
        )
    items.sort(key=lambda item: (not item.report, item.effect != "value", item.hops, item.dataset_title, item.name))
    elements = [item for item in items if item.report]
    return Dependents(
        field=field_id,
        label=snapshot.node_label(field),
        items=items,
        columns=len(items) - len(elements),
        elements=len(elements),
        reports=len({item.dataset for item in elements}),
    )


def _path(snapshot: Snapshot, reach: Reach, node: int, by_value: bool) -> list[PathStep]:
    graph = snapshot.graph
    found = []
    for step in graph.path(reach, node, by_value):
        kind: Literal["value", "condition", "rows", "contains"] = "contains"
        if step.edge >= 0:
            edge = int(graph.kinds[step.edge])
            kind = "value" if edge == VALUE else "rows" if edge == ROWS else "condition"
        target = step.target
        found.append(
            PathStep(
                field=snapshot.fields[target].id if target < graph.fields else None,
                dataset=snapshot.datasets[snapshot.node_dataset(target)].id,
                label=snapshot.node_label(target),
                link=snapshot.links[step.edge].id if step.edge >= 0 else None,
                kind=kind,
            )
        )
    return found
