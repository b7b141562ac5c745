"""Writes definitions with their statements, links and diagnostics: old ones are closed, never changed."""

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

import orjson
from sqlalchemy import ColumnElement, func, select, update

from jalan.store.bulk import OneByOne, copy_rows
from jalan.store.repositories.catalog import CatalogueWriter
from jalan.store.schema import Base, Definition, Diagnostic, Job, Link, Statement

Span = tuple[int, int]

_LINK_COLUMNS = (
    "source_field_id",
    "target_dataset_id",
    "target_field_id",
    "kind",
    "how",
    "origin",
    "definition_id",
    "statement_id",
    "spans",
    "expression",
    "path",
    "possible",
    "valid_from",
)
_DIAGNOSTIC_COLUMNS = ("definition_id", "code", "level", "message", "hint", "start", "end", "valid_from")
_STATEMENT_COLUMNS = ("id", "definition_id", "ordinal", "kind", "start", "end")


def _family(key: str) -> str:
    """The beginning that the keys of one source have in common.

    >>> _family("file:ferry:core/fares.sql")
    'file:ferry:'
    """
    return ":".join(key.split(":")[:2]) + ":"


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


@dataclass(slots=True)
class _Present:
    """What the store has of a definition: ids of its statements in order, and what holds with the id of each."""

    statements: list[int] = field(default_factory=list)
    links: dict[NewLink, int] = field(default_factory=dict)
    diagnostics: dict[NewDiagnostic, int] = field(default_factory=dict)


class DefinitionWriter:
    """Keeps the versions of definitions and what was read out of each. What is new is written by ``flush``."""

    def __init__(self, catalogue: CatalogueWriter) -> None:
        self._session = catalogue.session
        self._catalogue = catalogue
        self._now = catalogue.now
        self.changes = catalogue.changes
        self._valid: dict[str, Definition | None] = {}
        self._whole: list[str] = []
        self._versions: dict[str, int] | None = None
        self._one_by_one = OneByOne()
        self._jobs: dict[tuple[str, str], Job | None] = {}
        self._whole_namespaces: set[str] = set()
        self._new: set[int] = set()
        self._known: dict[int, _Present] = {}
        self._loaded: set[int | None] = set()
        self._moved: set[int] = set()
        self._links: list[tuple[Any, ...]] = []
        self._diagnostics: list[tuple[Any, ...]] = []
        self._statements: list[tuple[Any, ...]] = []

    def valid(self, prefix: str) -> list[Definition]:
        """Return the definitions that hold now and whose keys begin so. Cost: these definitions."""
        if not any(prefix.startswith(whole) for whole in self._whole):
            query = select(Definition).where(
                Definition.valid_to.is_(None), Definition.key.startswith(prefix, autoescape=True)
            )
            with self._session.no_autoflush:
                for row in self._session.scalars(query):
                    self._valid.setdefault(row.key, row)
            self._whole.append(prefix)
        return [d for key, d in list(self._valid.items()) if d is not None and key.startswith(prefix)]

    def keys(self, prefix: str) -> dict[str, str]:
        """Return the keys of the definitions that hold now and begin so, each with its place; no text is read."""
        query = select(Definition.key, Definition.place).where(
            Definition.valid_to.is_(None), Definition.key.startswith(prefix, autoescape=True)
        )
        with self._session.no_autoflush:
            found = dict(self._session.execute(query).all())
        for key, definition in self._valid.items():  # what was opened and closed here may not be written yet
            if key.startswith(prefix):
                found.pop(key, None)
                if definition is not None:
                    found[key] = definition.place
        return found

    def find(self, key: str) -> Definition | None:
        """Return the definition of that key that holds now, or none."""
        if key not in self._valid:
            if any(key.startswith(prefix) for prefix in self._whole):
                return None
            family = _family(key)
            if self._one_by_one.is_enough(family, lambda: len(self.keys(family))):
                self.valid(family)
            else:
                query = select(Definition).where(Definition.key == key, Definition.valid_to.is_(None))
                with self._session.no_autoflush:
                    self._valid[key] = self._session.scalars(query).first()
        return self._valid.get(key)

    def define(self, key: str, provenance: dict[str, Any] | None = None, **values: Any) -> Definition:
        """Say how something is defined now. The same text again changes nothing; another makes a new version.

        provenance: revision, authored_at and author of the text, if they are known; they make no new version.
        """
        values = {"template": None, "job_id": None, "field_id": None, "dataset_id": None, **values}
        known = {"source_id": self._catalogue.source_id, **(provenance or {})}
        before = self.find(key)
        if before is not None and all(getattr(before, name) == value for name, value in values.items()):
            if before.source_id != known["source_id"]:
                self._moved.add(before.id)
            for name, value in known.items():
                if getattr(before, name) != value:
                    setattr(before, name, value)
            return before
        if before is not None:
            version = before.version + 1
            self.close(before)
            self.changes["definitions changed"] += 1
        else:
            version = self._last_version(key) + 1
            self.changes["definitions"] += 1
        found = Definition(key=key, version=version, valid_from=self._now, names=[], **values, **known)
        self._catalogue.make(found)
        self._valid[key] = found
        self._new.add(found.id)
        return found

    def _last_version(self, key: str) -> int:
        if self._versions is not None:
            return self._versions.get(key, 0)
        with self._session.no_autoflush:
            if self._one_by_one.is_enough("versions", lambda: self._count(Definition)):
                query = select(Definition.key, func.max(Definition.version)).group_by(Definition.key)
                self._versions = dict(self._session.execute(query).all())
                return self._versions.get(key, 0)
            return self._session.scalar(select(func.max(Definition.version)).where(Definition.key == key)) or 0

    def close(self, definition: Definition) -> None:
        """Say that a definition holds no longer, nor what was read out of it."""
        definition.valid_to = self._now
        self._valid[definition.key] = None
        for model in (Link, Diagnostic):
            self._session.execute(
                update(model)
                .where(model.definition_id == definition.id, model.valid_to.is_(None))
                .values(valid_to=self._now)
            )
        self._session.flush()

    def close_key(self, key: str) -> None:
        """Close the definition of a key, if there is one."""
        found = self.find(key)
        if found is not None:
            self.close(found)
            self.changes["definitions closed"] += 1

    def close_missing(self, prefix: str, seen: Iterable[str]) -> None:
        """Close the definitions whose key begins so and that are not among those seen."""
        gone = self.keys(prefix).keys() - set(seen)
        for key in sorted(gone):
            definition = self.find(key)
            if definition is not None:
                self.close(definition)
                self.changes["definitions closed"] += 1

    def job(self, namespace: str, name: str, parent: Job | None) -> Job:
        """Return a job."""
        found = self._find_job(namespace, name)
        if found is None:
            found = Job(
                namespace=namespace,
                name=name,
                parent_id=parent.id if parent else None,
                first_seen=self._now,
                facets={},
                untold=False,
            )
            self._catalogue.make(found)
            self._jobs[namespace, name] = found
            self.changes["jobs"] += 1
        return found

    def _find_job(self, namespace: str, name: str) -> Job | None:
        if (namespace, name) not in self._jobs:
            if namespace in self._whole_namespaces:
                return None
            mine: tuple[ColumnElement[bool], ...] = (Job.namespace == namespace,)
            if self._one_by_one.is_enough(("jobs", namespace), lambda: self._count(Job, *mine)):
                self._whole_namespaces.add(namespace)
            else:
                mine = (*mine, Job.name == name)
            with self._session.no_autoflush:
                for job in self._session.scalars(select(Job).where(*mine)):
                    self._jobs.setdefault((job.namespace, job.name), job)
        return self._jobs.get((namespace, name))

    def statements(self, definition: Definition, found: list[tuple[str, Span]]) -> list[int]:
        """Write the statements of a definition, each a kind and a span; returns their ids in order."""
        ids = list(self._present(definition).statements)
        for ordinal, (kind, (start, end)) in enumerate(found):
            if ordinal == len(ids):
                ids.append(self._catalogue.ids.next("statement"))
                self._statements.append((ids[-1], definition.id, ordinal, kind, start, end))
                self.changes["statements"] += 1
        return ids

    def links(self, definition: Definition, origin: str, wanted: set[NewLink]) -> None:
        """Close the links of a definition that are not wanted any more, and open those that are new."""
        self.links_by_origin(definition, {origin: wanted})

    def links_by_origin(self, definition: Definition, wanted: dict[str, set[NewLink]]) -> None:
        """The same where the links of one definition are of several origins."""
        present = self._present(definition).links
        every = set().union(*wanted.values())
        closed = [id_ for key, id_ in present.items() if key not in every]
        self._close(Link, closed)
        for origin, links in wanted.items():
            self._open(definition, origin, [link for link in links if link not in present])

    def _close(self, model: type[Link] | type[Diagnostic], ids: list[int]) -> None:
        if ids:
            self._session.execute(update(model).where(model.id.in_(ids)).values(valid_to=self._now))
            self.changes[f"{model.__tablename__}s closed"] += len(ids)

    def _open(self, definition: Definition, origin: str, added: list[NewLink]) -> None:
        self._links += [
            (
                link.source_field_id,
                link.target_dataset_id,
                link.target_field_id,
                link.kind,
                link.how,
                origin,
                definition.id,
                link.statement,
                orjson.dumps(link.spans).decode(),
                orjson.dumps(link.expression).decode() if link.expression else None,
                link.path,
                link.possible,
                self._now,
            )
            for link in added
        ]
        if added:
            self.changes["links"] += len(added)

    def diagnostics(self, definition: Definition, wanted: set[NewDiagnostic]) -> None:
        """Close the diagnostics of a definition that are gone, and open those that are new."""
        present = self._present(definition).diagnostics
        self._close(Diagnostic, [id_ for key, id_ in present.items() if key not in wanted])
        for new in wanted - present.keys():
            self._diagnostics.append(
                (definition.id, new.code, new.level, new.message, new.hint, new.start, new.end, self._now)
            )
            self.changes["diagnostics"] += 1

    def _present(self, definition: Definition) -> "_Present":
        """What the store has of a definition; asked once for all definitions of the same source."""
        if definition.id in self._new:
            return _Present()
        if definition.id in self._moved:
            # It was another source's before: what the store has of it is not among what this one has.
            self._moved.discard(definition.id)
            self._known.pop(definition.id, None)
            self._load(Definition.id == definition.id)
        elif definition.id not in self._known and definition.source_id not in self._loaded:
            whose = Definition.source_id.is_not_distinct_from(definition.source_id)
            holding = (whose, Definition.valid_to.is_(None))
            kind = ("present", definition.source_id)
            if self._one_by_one.is_enough(kind, lambda: self._count(Definition, *holding)):
                self._loaded.add(definition.source_id)
                self._load(whose)
            else:
                self._load(Definition.id == definition.id)
                self._known.setdefault(definition.id, _Present())
        return self._known.get(definition.id, _Present())

    def _count(self, model: type[Base], *which: ColumnElement[bool]) -> int:
        with self._session.no_autoflush:
            return self._session.scalars(select(func.count()).select_from(model).where(*which)).one()

    def _load(self, whose: ColumnElement[bool]) -> None:
        mine = (whose, Definition.valid_to.is_(None))
        known: dict[int, _Present] = {}
        with self._session.no_autoflush:
            statements = select(Statement.definition_id, Statement.id).join(Definition).where(*mine)
            for definition_id, id_ in self._session.execute(statements.order_by(Statement.ordinal)):
                known.setdefault(definition_id, _Present()).statements.append(id_)
            links = select(Link).join(Definition).where(*mine, Link.valid_to.is_(None))
            for row in self._session.execute(links.with_only_columns(*Link.__table__.columns)):
                spans = tuple((start, end) for start, end in row.spans)
                expression = (row.expression[0], row.expression[1]) if row.expression else None
                key = NewLink(
                    row.source_field_id,
                    row.target_dataset_id,
                    row.target_field_id,
                    row.kind,
                    row.how,
                    row.statement_id,
                    spans,
                    expression,
                    row.path,
                    row.possible,
                )
                known.setdefault(row.definition_id, _Present()).links[key] = row.id
            found = select(Diagnostic).join(Definition).where(*mine, Diagnostic.valid_to.is_(None))
            for row in self._session.execute(found.with_only_columns(*Diagnostic.__table__.columns)):
                told = NewDiagnostic(row.code, row.level, row.message, row.hint, row.start, row.end)
                known.setdefault(row.definition_id, _Present()).diagnostics[told] = row.id
        self._known = known | self._known

    def flush(self, finally_: bool = False) -> None:
        """Write all that is new, in batches. finally_: none of it is changed any more."""
        self._catalogue.flush(finally_)
        for table, columns, rows in (
            ("statement", _STATEMENT_COLUMNS, self._statements),
            ("link", _LINK_COLUMNS, self._links),
            ("diagnostic", _DIAGNOSTIC_COLUMNS, self._diagnostics),
        ):
            if rows:
                copy_rows(self._session, table, columns, rows)
                rows.clear()
        self._new.clear()
        self._known.clear()
        self._loaded.clear()
        self._session.flush()
