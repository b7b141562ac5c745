"""How a column is made, for a person: read out of its definition when somebody asks."""

from typing import Any

from sqlalchemy import ColumnElement, FromClause, func, or_, select
from sqlalchemy.orm import Session

from jalan.catalog.kinds import FieldKind
from jalan.lineage.model import Detail
from jalan.lineage.script import extract
from jalan.service.graph_cache.names import DefinitionInfo
from jalan.service.graph_cache.view import GraphView
from jalan.service.lineage.answers import WayStep
from jalan.sql.dialects import DIALECTS
from jalan.store.among import is_among
from jalan.store.past import table_at
from jalan.store.schema import Dataset, Field, System

_MOST_TABLES = 2_000


def how_it_is_made(
    session: Session,
    view: GraphView,
    definition: DefinitionInfo,
    text: str,
    asked: dict[str, Any] | None,
    place: tuple[int, int],
) -> tuple[str, list[WayStep]]:
    """Return the expression at a place of a definition in the normal form, and the steps that lead to it.

    asked: what its extraction asked for, so that no other table is looked up. Where the place holds no output any
    more the expression is as it is written, without steps.
    """
    detail = details_of(session, view, definition, text, asked).get(place)
    if detail is None:
        start, end = place
        return " ".join(text[start:end].split()), []
    steps = [WayStep(kind=s.kind, table=s.table, name=s.name, expression=s.expression) for s in detail.chain]
    return detail.expression, steps


def details_of(
    session: Session, view: GraphView, definition: DefinitionInfo, text: str, asked: dict[str, Any] | None
) -> dict[tuple[int, int], Detail]:
    """Return how each output of a definition is made, by its place; nothing where it is no SQL. asked: what its
    extraction asked for. Cost: reading the text."""
    # Declarations, flows and calculated fields are no SQL.
    if definition.dialect not in DIALECTS:
        return {}
    known = tables_asked_for(session, view, definition, asked)
    found = extract(
        text,
        dialect=definition.dialect,
        tables=known,
        search_path=definition.search_path,
        detail=True,
        **(definition.template or {}),
    )
    outputs = (output for statement in found.statements for output in statement.outputs)
    return {output.span: output.detail for output in outputs if output.detail is not None}


def tables_asked_for(
    session: Session, view: GraphView, definition: DefinitionInfo, asked: dict[str, Any] | None
) -> dict[str, list[str]]:
    """Return the tables that the extraction of a definition asked for, with their columns at the graph's time."""
    prefix = f"{definition.database}."
    # Also those that are not there by now: at the time that is asked about they may have been.
    written = {prefix + ".".join(parts) for parts, _ in (asked or {}).get("asked", ())}
    wanted: dict[tuple[str, str], str] = {}  # namespace and lower name → name as it is asked for
    for name in sorted(written)[:_MOST_TABLES]:
        namespace, meant = view.aliases.resolve((definition.namespace, name))
        wanted[namespace, meant.lower()] = name.removeprefix(prefix)
    dataset, field = table_at(Dataset, view.as_of, "d"), table_at(Field, view.as_of, "f")
    query = (
        select(dataset.c.id, dataset.c.name, System.namespace)
        .join(System, System.id == dataset.c.system_id)
        .where(func.lower(dataset.c.name).in_({name for _, name in wanted}))
        .where(System.namespace.in_({namespace for namespace, _ in wanted}))
        .where(~dataset.c.placeholder, *_there(view, dataset))
    )
    keys = {}
    for row in session.execute(query):
        as_asked = wanted.get((row.namespace, row.name.lower()))
        if as_asked is not None:
            own = row.name.removeprefix(prefix)
            keys[row.id] = own if own.lower() == as_asked.lower() else as_asked
    columns = (
        select(field.c.dataset_id, field.c.name)
        .where(is_among(field.c.dataset_id, keys), field.c.kind == FieldKind.COLUMN, *_there(view, field))
        .order_by(field.c.dataset_id, field.c.ordinal)
    )
    found: dict[str, list[str]] = {}
    for id_, column in session.execute(columns):
        found.setdefault(keys[id_], []).append(column)
    return found


def _there(view: GraphView, table: FromClause) -> list[ColumnElement[bool]]:
    gone: ColumnElement[bool] = table.c.gone_since.is_(None)
    if view.as_of is None:
        return [gone]
    return [or_(gone, table.c.gone_since > view.as_of), table.c.first_seen <= view.as_of]
