"""Writes definitions with their statements, links and diagnostics: old ones are closed, never changed."""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from sqlalchemy import select, update

from jalan.store.catalogue import CatalogueWriter
from jalan.store.models import Definition, Diagnostic, Job, Link, Statement

Span = tuple[int, int]


@dataclass(frozen=True, slots=True)
class NewLink:
    """A link as it should hold now."""

    source_field_id: int
    target_dataset_id: int
    target_field_id: int | None
    kind: str
    how: str
    statement: int | None
    spans: tuple[Span, ...]
    expression: Span | None
    path: str = ""
    possible: bool = False


@dataclass(frozen=True, slots=True)
class NewDiagnostic:
    """A diagnostic as it should hold now."""

    code: str
    level: str
    message: str
    hint: str
    start: int
    end: int


class DefinitionWriter:
    """Keeps the versions of definitions and what was read out of each."""

    def __init__(self, catalogue: CatalogueWriter) -> None:
        self._session = catalogue.session
        self._now = catalogue.now
        self.changes = catalogue.changes
        self._valid = {
            d.key: d for d in self._session.scalars(select(Definition).where(Definition.valid_to.is_(None)))
        }

    def valid(self) -> list[Definition]:
        """Return the definitions that hold now."""
        return list(self._valid.values())

    def define(self, key: str, **values: Any) -> Definition:
        """Say how something is defined now. The same text again changes nothing; another makes a new version."""
        before = self._valid.get(key)
        if before is not None and all(getattr(before, name) == value for name, value in values.items()):
            return before
        version = 1
        if before is not None:
            version = before.version + 1
            self.close(before)
            self.changes["definitions changed"] += 1
        else:
            query = select(Definition.version).where(Definition.key == key).order_by(Definition.version.desc())
            version = (self._session.scalars(query.limit(1)).first() or 0) + 1
            self.changes["definitions"] += 1
        found = Definition(key=key, version=version, valid_from=self._now, **values)
        self._session.add(found)
        self._session.flush()
        self._valid[key] = found
        return found

    def close(self, definition: Definition) -> None:
        """Say that a definition holds no longer, nor what was read out of it."""
        definition.valid_to = self._now
        self._valid.pop(definition.key, None)
        for model in (Link, Diagnostic):
            self._session.execute(
                update(model)
                .where(model.definition_id == definition.id, model.valid_to.is_(None))
                .values(valid_to=self._now)
            )
        self._session.flush()

    def close_missing(self, prefix: str, seen: Iterable[str]) -> None:
        """Close the definitions whose key begins so and that are not among those seen."""
        kept = set(seen)
        for key, definition in list(self._valid.items()):
            if key.startswith(prefix) and key not in kept:
                self.close(definition)
                self.changes["definitions closed"] += 1

    def job(self, namespace: str, name: str, parent: Job | None) -> Job:
        """Return a job."""
        query = select(Job).where(Job.namespace == namespace, Job.name == name)
        found = self._session.scalars(query).first()
        if found is None:
            found = Job(
                namespace=namespace, name=name, parent_id=parent.id if parent else None, first_seen=self._now
            )
            self._session.add(found)
            self._session.flush()
            self.changes["jobs"] += 1
        return found

    def statements(self, definition: Definition, found: list[tuple[str, Span]]) -> list[int]:
        """Write the statements of a definition, each a kind and a span; returns their ids in order."""
        query = select(Statement).where(Statement.definition_id == definition.id).order_by(Statement.ordinal)
        rows = list(self._session.scalars(query))
        for ordinal, (kind, (start, end)) in enumerate(found):
            if ordinal == len(rows):
                row = Statement(definition_id=definition.id, ordinal=ordinal, kind=kind, start=start, end=end)
                self._session.add(row)
                rows.append(row)
                self.changes["statements"] += 1
        self._session.flush()
        return [row.id for row in rows]

    def links(self, definition: Definition, origin: str, wanted: set[NewLink]) -> None:
        """Close the links of a definition that are not wanted any more, and open those that are new."""
        query = select(Link).where(Link.definition_id == definition.id, Link.valid_to.is_(None))
        present: dict[NewLink, Link] = {}
        for row in self._session.scalars(query):
            spans = tuple((start, end) for start, end in row.spans)
            expression = (row.expression[0], row.expression[1]) if row.expression else None
            key = NewLink(
                row.source_field_id, row.target_dataset_id, row.target_field_id, row.kind, row.how,
                row.statement_id, spans, expression, row.path, row.possible,
            )  # fmt: skip
            present[key] = row
        for key, row in present.items():
            if key not in wanted:
                row.valid_to = self._now
                self.changes["links closed"] += 1
        added = [
            {
                "source_field_id": link.source_field_id,
                "target_dataset_id": link.target_dataset_id,
                "target_field_id": link.target_field_id,
                "kind": link.kind,
                "how": link.how,
                "origin": origin,
                "definition_id": definition.id,
                "statement_id": link.statement,
                "spans": [list(span) for span in link.spans],
                "expression": list(link.expression) if link.expression else None,
                "path": link.path,
                "possible": link.possible,
                "valid_from": self._now,
            }
            for link in wanted
            if link not in present
        ]
        if added:
            self._session.execute(Link.__table__.insert(), added)  # type: ignore[attr-defined]
            self.changes["links"] += len(added)
        self._session.flush()

    def diagnostics(self, definition: Definition, wanted: set[NewDiagnostic]) -> None:
        """Close the diagnostics of a definition that are gone, and open those that are new."""
        query = select(Diagnostic).where(Diagnostic.definition_id == definition.id, Diagnostic.valid_to.is_(None))
        present = {
            NewDiagnostic(row.code, row.level, row.message, row.hint, row.start, row.end): row
            for row in self._session.scalars(query)
        }
        for key, row in present.items():
            if key not in wanted:
                row.valid_to = self._now
                self.changes["diagnostics closed"] += 1
        for found in wanted - present.keys():
            self._session.add(
                Diagnostic(
                    definition_id=definition.id, code=found.code, level=found.level, message=found.message,
                    hint=found.hint, start=found.start, end=found.end, valid_from=self._now,
                )
            )  # fmt: skip
            self.changes["diagnostics"] += 1
        self._session.flush()
