"""What people declare on the screen, links and consumers: each is kept as the YAML that a file would have."""

import io
from collections.abc import Callable
from datetime import UTC, datetime
from typing import Any, Literal, TypeVar

from pydantic import BaseModel, Field
from ruamel.yaml import YAML
from sqlalchemy import select
from sqlalchemy.orm import Session

from jalan.catalog.kinds import LinkKind
from jalan.service.context import Context
from jalan.service.errors import Conflict, Invalid, NotFound
from jalan.service.ingest import sources
from jalan.service.ingest.configuration import DeclaredConfig
from jalan.service.ingest.kinds.declared import CONSUMERS, on_the_screen, write_declarations
from jalan.sources.declared import parse_declarations
from jalan.store.schema import Dataset, Declaration, Source, System

NAME = "declared on the screen"
T = TypeVar("T")


class LinkIn(BaseModel):
    """A link to declare. fields are optional: without one, all columns of the dataset are meant."""

    from_dataset: int
    from_field: int | None = None
    to_dataset: int
    to_field: int | None = None
    kind: Literal["value", "condition"] = "value"
    because: str = Field(min_length=1, max_length=1000)
    by: str = Field(min_length=1, max_length=200, description="Who says so.")


class ConsumerIn(BaseModel):
    """Somebody or something that reads a dataset and that nobody can scan. Without fields, it reads all of it."""

    name: str = Field(min_length=1, max_length=200)
    owner: str = Field(min_length=1, max_length=200)
    description: str | None = Field(None, max_length=1000)
    dataset: int
    fields: list[int] = Field(default=[], max_length=1000)
    because: str = Field(min_length=1, max_length=1000)
    by: str = Field(min_length=1, max_length=200, description="Who says so.")


class DeclarationFact(BaseModel):
    """A link or a consumer that was declared on the screen. sources: what feeds the target, or what is read."""

    id: int
    kind: Literal["value", "condition", "consumer"]
    sources: list[str]
    target: str
    owner: str | None
    because: str
    by: str
    on: str | None


def declare_link(context: Context, given: LinkIn) -> int:
    """Declare a link; returns its number. Raises NotFound, Invalid."""
    entry = {
        "from": _reference(context, given.from_dataset, given.from_field),
        "to": _reference(context, given.to_dataset, given.to_field),
        "kind": given.kind,
        **_said(given),
    }
    return _declare(context, {"links": [entry]})


def declare_consumer(context: Context, given: ConsumerIn) -> int:
    """Declare a consumer, or that one reads another dataset too; returns its number.

    Raises NotFound, Invalid, and Conflict where a consumer of that name has another owner.
    """
    name, owner = given.name.strip(), given.owner.strip()
    if not name or not owner:
        raise Invalid("name: give the consumer a name, and an owner")
    query = select(Dataset.owner).join(System, System.id == Dataset.system_id)
    query = query.where(System.namespace == CONSUMERS, Dataset.name == name, Dataset.gone_since.is_(None))
    for other in context.session.scalars(query):
        if other != owner:
            raise Conflict(f"“{name}” is declared already, and its owner is {other}; take another name")
    description = (given.description or "").strip()
    fields: list[int | None] = [*given.fields] or [None]
    entry = {
        "name": name,
        "owner": owner,
        **({"description": description} if description else {}),
        "reads": [_reference(context, given.dataset, field) for field in fields],
        **_said(given),
    }
    return _declare(context, {"consumers": [entry]})


def take_back(context: Context, number: int) -> None:
    """Take a declaration back; that it held until now is kept. Raises NotFound."""
    who = context.who

    def end(session: Session, source: Source) -> None:
        row = _declaration(session, number)
        row.taken_back_at, row.taken_back_by = datetime.now(UTC), who

    with Session(context.engine) as session:
        _declaration(session, number)
    _change(context, end)


def _declaration(session: Session, number: int) -> Declaration:
    found = session.get(Declaration, number)
    if found is None or found.taken_back_at is not None:
        raise NotFound(f"there is no declaration {number}")
    return found


def declared(context: Context) -> list[DeclarationFact]:
    """Return what was declared on the screen and was not taken back."""
    query = select(Declaration).join(Source).where(Source.name == NAME, Declaration.taken_back_at.is_(None))
    return [_fact(row) for row in context.session.scalars(query.order_by(Declaration.id))]


def _fact(row: Declaration) -> DeclarationFact:
    found = parse_declarations(row.text, str(row.id))
    for link in found.links:
        return DeclarationFact(
            id=row.id,
            kind=LinkKind.CONDITION if link.kind == LinkKind.CONDITION else LinkKind.VALUE,
            sources=[str(link.source)],
            target=str(link.target),
            owner=None,
            because=link.because,
            by=link.by,
            on=link.on,
        )
    (consumer,) = found.consumers
    return DeclarationFact(
        id=row.id,
        kind="consumer",
        sources=[str(one) for one in consumer.reads],
        target=consumer.name,
        owner=consumer.owner,
        because=consumer.because,
        by=consumer.by,
        on=consumer.on,
    )


def _declare(context: Context, entry: dict[str, Any]) -> int:
    who = context.who
    out = io.StringIO()
    YAML().dump(entry, out)

    def add(session: Session, source: Source) -> int:
        row = Declaration(source_id=source.id, text=out.getvalue(), declared_at=datetime.now(UTC), declared_by=who)
        session.add(row)
        session.flush()
        return row.id

    return _change(context, add)


def _change(context: Context, change: Callable[[Session, Source], T]) -> T:
    """Change what is declared, and what follows from it in the graph, in one transaction."""
    config = DeclaredConfig()
    source_id = sources.ensure(context, NAME, config)
    with sources.working(context, source_id, config=config) as work, work.writing():
        made = change(work.session, work.source)
        work.session.flush()
        write_declarations(work, on_the_screen(work), f"declared:{work.source.name}:")
    context.see_changes()
    return made


def _said(given: LinkIn | ConsumerIn) -> dict[str, str]:
    """Why, who and when."""
    because, by = given.because.strip(), given.by.strip()
    if not because or not by:
        raise Invalid("because: say why, and who says so")
    return {"because": because, "by": by, "on": datetime.now(UTC).date().isoformat()}


def _reference(context: Context, dataset: int, field: int | None) -> dict[str, Any]:
    view, names = context.graph, context.names
    at = view.dataset(dataset)
    info = names.dataset(at)
    found = {"namespace": info.namespace, "name": info.name}
    if field is not None:
        position = view.graph.field_position(field)
        if position < 0 or view.graph.field_dataset[position] != at:
            raise Invalid(f"field {field} is none of {info.title}")
        found["column"] = names.fields_at([position])[position].name
    return found
