"""The code behind a link."""

import numpy as np

from jalan.catalog.kinds import LinkKind
from jalan.service.context import Context
from jalan.service.errors import NotFound
from jalan.service.lineage.answers import (
    Evidence,
    Mark,
    WayStep,
)
from jalan.service.lineage.briefs import definition_fact
from jalan.service.lineage.derivation import how_it_is_made


def evidence(context: Context, link_id: int) -> Evidence:
    """Return the code behind a link, with the characters that prove it marked.

    What else flows into the same target in the same statement is marked as well, so that the code can be read
    with understanding: other values, and what decides.
    """
    snapshot = context.graph
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
