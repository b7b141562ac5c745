"""Links that people declare on the screen: kept as the same YAML that a file would have, one entry each."""

import io
from datetime import UTC, datetime
from typing import Any, Literal

from pydantic import BaseModel, Field
from ruamel.yaml import YAML
from sqlalchemy import Engine, select
from sqlalchemy.orm import Session

from jalan.service.errors import Invalid, NotFound
from jalan.service.intake import sources
from jalan.service.intake.configuration import DeclaredConfig
from jalan.service.snapshot import Snapshot
from jalan.sources.declared import parse_declarations
from jalan.store.models import Source

NAME = "declared on the screen"


class DeclarationIn(BaseModel):
    """A link to declare. fields are optional: without one, all columns of the dataset are meant."""

    from_dataset: int
    from_field: int | None = None
    to_dataset: int
    to_field: int | None = None
    kind: Literal["value", "condition"] = "value"
    because: str = Field(min_length=1, max_length=1000)
    by: str = Field(min_length=1, max_length=200, description="Who says so.")


class DeclarationFact(BaseModel):
    """A link that was declared on the screen."""

    id: int
    source: str
    target: str
    kind: str
    because: str
    by: str
    on: str | None


def declare_link(engine: Engine, given: DeclarationIn, who: str) -> int:
    """Declare a link; returns its number. Raises NotFound, Invalid."""
    with Session(engine) as session:
        snapshot = Snapshot(session, None)
        entry = {
            "from": _reference(snapshot, given.from_dataset, given.from_field),
            "to": _reference(snapshot, given.to_dataset, given.to_field),
            "kind": given.kind,
            "because": given.because.strip(),
            "by": given.by.strip(),
            "on": datetime.now(UTC).date().isoformat(),
        }
    if not entry["because"] or not entry["by"]:
        raise Invalid("because: say why, and who says so")
    out = io.StringIO()
    YAML().dump({"links": [entry]}, out)
    source = sources.ensure(engine, NAME, DeclaredConfig(), who)
    with Session(engine) as session, session.begin():
        row = _locked(session, source)
        entries = dict(row.state.get("entries", {}))
        # A number is given once: what it was taken back for keeps it.
        number = int(row.state.get("next", 1))
        entries[str(number)] = out.getvalue()
        row.state = {**row.state, "next": number + 1, "entries": entries}
    sources.run(engine, source, who=who)
    return number


def take_back(engine: Engine, number: int, who: str) -> None:
    """Take a declaration back. Raises NotFound."""
    with Session(engine) as session, session.begin():
        row = session.scalars(select(Source).where(Source.name == NAME).with_for_update()).first()
        entries: dict[str, str] = {} if row is None else dict(row.state.get("entries", {}))
        if row is None or entries.pop(str(number), None) is None:
            raise NotFound(f"there is no declaration {number}")
        row.state = {**row.state, "entries": entries}
        source = row.id
    sources.run(engine, source, who=who)


def declared(engine: Engine) -> list[DeclarationFact]:
    """Return what was declared on the screen and was not taken back."""
    with Session(engine) as session:
        row = session.scalars(select(Source).where(Source.name == NAME)).first()
        entries: dict[str, str] = {} if row is None else row.state.get("entries", {})
    found = []
    for name, text in sorted(entries.items(), key=lambda entry: int(entry[0])):
        (link,) = parse_declarations(text, name).links
        found.append(
            DeclarationFact(
                id=int(name), source=str(link.source), target=str(link.target), kind=link.kind,
                because=link.because, by=link.by, on=link.on,
            )
        )  # fmt: skip
    return found


def _locked(session: Session, source: int) -> Source:
    return session.scalars(select(Source).where(Source.id == source).with_for_update()).one()


def _reference(snapshot: Snapshot, dataset: int, field: int | None) -> dict[str, Any]:
    at = snapshot.dataset_at.get(dataset)
    if at is None:
        raise NotFound(f"there is no dataset {dataset}")
    info = snapshot.datasets[at]
    found = {"namespace": info.namespace, "name": info.name}
    if field is not None:
        position = snapshot.field_at.get(field)
        if position is None or snapshot.fields[position].dataset != at:
            raise Invalid(f"field {field} is none of {info.title}")
        found["column"] = snapshot.fields[position].name
    return found
