"""The code behind a link."""

from typing import Any

from sqlalchemy import ColumnElement, Select, or_, select
from sqlalchemy.orm import Session

from jalan.catalog.kinds import LinkKind, definition_kind
from jalan.service.context import Context
from jalan.service.errors import NotFound
from jalan.service.graph_cache.names import LinkInfo, Names
from jalan.service.graph_cache.view import GraphView
from jalan.service.lineage.answers import Evidence, Mark, WayStep
from jalan.service.lineage.briefs import definition_fact
from jalan.service.lineage.derivation import how_it_is_made
from jalan.store.among import is_among
from jalan.store.past import as_at
from jalan.store.schema import Definition, Link, Statement
from jalan.store.validity import valid_at

_MOST_MARKS = 2_000


def evidence(context: Context, link_id: int) -> Evidence:
    """Return the code behind a link, with the characters that prove it marked.

    What else flows into the same target in the same statement is marked as well, so that the code can be read
    with understanding: other values, and what decides.
    """
    view, names, session = context.graph, context.names, context.session
    asked_for = _held(session, view, link_id)
    same = _between_the_same(session, view, names, asked_for)
    info = same[0]
    text, asked = session.execute(
        select(Definition.text, Definition.asked).where(Definition.id == info.definition)
    ).one()
    definition = names.definitions([info.definition])[info.definition]
    source, target = view.field(info.source), _node(view, info)
    start, end = _statement(session, view, info) or (0, len(text))
    expression: str | None = None
    way: list[WayStep] = []
    if info.expression is not None:
        expression, way = how_it_is_made(session, view, definition, text, asked, info.expression)
    return Evidence(
        link=info.id,
        kind=LinkKind(info.kind),
        how=info.how,
        origin=info.origin,
        source=names.label(source),
        target=names.label(target),
        expression=expression,
        definition=definition_fact(definition),
        text=text,
        first_line=definition.first_line,
        marks=_marks(session, view, info),
        start=start,
        end=end,
        others=[other.id for other in same[1:]],
        path=info.path,
        possible=all(one.possible for one in same),
        way=way,
    )


def _node(view: GraphView, info: LinkInfo) -> int:
    return ~view.dataset(info.dataset) if info.target is None else view.field(info.target)


def _held(session: Session, view: GraphView, link_id: int) -> Link:
    query = select(Link).where(Link.id == link_id, *valid_at(Link, view.as_of))
    found = session.scalars(query).first()
    if found is None:
        raise NotFound(f"there is no link {link_id} (now, or at the time that was asked for)")
    return found


def _alike(view: GraphView, id_: int, of_dataset: bool) -> list[int]:
    """The ids of all that is read as the same dataset or field."""
    joined = view.graph.nodes.joined
    pairs = joined.datasets if of_dataset else joined.fields
    canonical = int([*pairs[pairs[:, 0] == id_, 1], id_][0])
    return [canonical, *pairs[pairs[:, 1] == canonical, 0].tolist()]


def _between_the_same(session: Session, view: GraphView, names: Names, link: Link) -> list[LinkInfo]:
    """All links between the same two that do the same, the best evidenced first."""
    query = select(Link.id, Definition.kind).join(Definition).where(
        *valid_at(Link, view.as_of),
        is_among(Link.source_field_id, _alike(view, link.source_field_id, False)),
        Link.kind == link.kind,
    )  # fmt: skip
    if link.target_field_id is None:
        datasets = _alike(view, link.target_dataset_id, True)
        query = query.where(is_among(Link.target_dataset_id, datasets), Link.target_field_id.is_(None))
    else:
        query = query.where(is_among(Link.target_field_id, _alike(view, link.target_field_id, False)))
    ranked = sorted((definition_kind(kind).about.rank, id_) for id_, kind in session.execute(query))
    infos = names.links(id_ for _, id_ in ranked)
    return [infos[id_] for _, id_ in ranked]


def _marks(session: Session, view: GraphView, info: LinkInfo) -> list[Mark]:
    marks = [Mark(start=start, end=end, kind="link") for start, end in info.spans]
    taken = set(info.spans)
    for row in session.execute(_beside(view, info).order_by(Link.id).limit(_MOST_MARKS)):
        for start, end in row.spans:
            if (start, end) not in taken:
                taken.add((start, end))
                marks.append(Mark(start=start, end=end, kind=LinkKind(row.kind)))
    if info.expression is not None:
        marks.append(Mark(start=info.expression[0], end=info.expression[1], kind="expression"))
    return sorted(marks, key=lambda mark: (mark.start, -mark.end))


def _beside(view: GraphView, info: LinkInfo) -> Select[Any]:
    """What else flows into the same target, or decides about it, in the same statement."""
    rows = Link.target_field_id.is_(None) & is_among(Link.target_dataset_id, _alike(view, info.dataset, True))
    ends: ColumnElement[bool] = rows
    if info.target is not None:
        ends = or_(rows, is_among(Link.target_field_id, _alike(view, info.target, False)))
    return select(Link.kind, Link.spans).where(
        Link.definition_id == info.definition,
        Link.statement_id.is_not_distinct_from(info.statement),
        ends,
        *valid_at(Link, view.as_of),
    )


def _statement(session: Session, view: GraphView, info: LinkInfo) -> tuple[int, int] | None:
    query = select(*Statement.__table__.columns).where(Statement.id == info.statement)
    for row in as_at(session, Statement, session.execute(query), view.as_of):
        return row.start, row.end
    return None
