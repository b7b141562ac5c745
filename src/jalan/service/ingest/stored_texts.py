"""The texts of a database and the tables around them, as the store has them: looked up by name."""

from collections.abc import Collection
from datetime import datetime
from functools import cache, cached_property
from hashlib import blake2b
from pathlib import Path
from typing import Any

from sqlalchemy import ColumnElement, Text, bindparam, func, literal_column, or_, select
from sqlalchemy.dialects.postgresql import ARRAY
from sqlalchemy.orm import Session

import jalan
from jalan.catalog.kinds import NOT_SQL, FieldKind
from jalan.lineage.project import TextReading
from jalan.lineage.tables import TYPED_WRONG, KnownTables, Parts
from jalan.store.among import is_among
from jalan.store.repositories.aliases import alias_map
from jalan.store.repositories.catalog import CatalogueWriter
from jalan.store.schema import Alias, Dataset, Definition, Field, Relinked, System

_LOOKED_AT = 2_000


@cache
def reader_word() -> str:
    """Return a word for the code that reads: what another one has read is read anew."""
    root = Path(jalan.__file__).parent
    digest = blake2b(digest_size=8)
    for package in ("sql", "lineage"):
        for path in sorted((root / package).rglob("*.py")):
            digest.update(path.read_bytes())
    return digest.hexdigest()


class StoredTexts:
    """What surrounds the texts of a database, looked up in the store."""

    def __init__(self, catalogue: CatalogueWriter, system: System, database: str) -> None:
        self._catalogue = catalogue
        self._session: Session = catalogue.session
        self._system = system
        self._database = database
        self._prefix = f"{database}."
        self._aliases = alias_map(self._session)
        self._systems = {one.namespace: one for one in catalogue.systems()}
        self.definitions: dict[int, Definition] = {}

    # --- texts ---------------------------------------------------------------------------------------

    def _mine(self) -> tuple[Any, ...]:
        return (
            Definition.system_id == self._system.id,
            Definition.database == self._database,
            Definition.valid_to.is_(None),
            Definition.kind.not_in(NOT_SQL),
            # What another Jalan has read comes with its links.
            ~Definition.key.startswith("event:"),
        )

    def unread(self) -> list[int]:
        """Return the ids of the texts that this code has not read yet."""
        other = or_(Definition.reader.is_(None), Definition.reader != reader_word())
        return list(self._session.scalars(select(Definition.id).where(*self._mine(), other)))

    def readings(self, ids: Collection[int]) -> list[TextReading]:
        query = select(Definition).where(is_among(Definition.id, ids))
        found = []
        for row in self._session.scalars(query):
            self.definitions[row.id] = row
            kept = row.asked if row.reader == reader_word() else None
            reading = TextReading(row.id, row.text, row.dialect, row.search_path, row.template)
            if kept is not None:
                reading.asked = {tuple(parts): told for parts, told in kept["asked"]}
                reading.makes, reading.called = kept["makes"], kept["called"]
                reading.routines = kept["routines"]
            found.append(reading)
        return found

    def with_names(self, names: Collection[str]) -> dict[int, list[str]]:
        given = bindparam(None, sorted(names), type_=ARRAY(Text()), unique=True)
        query = select(Definition.id, Definition.names).where(*self._mine(), Definition.names.overlap(given))
        return dict(self._session.execute(query).all())

    def names_closed(self, since: datetime) -> set[str]:
        """Return what texts have made and defined that hold no longer since a time."""
        query = select(Definition.names).where(
            Definition.valid_to > since,
            Definition.system_id == self._system.id,
            Definition.database == self._database,
        )
        return {name for names in self._session.scalars(query) for name in names if name[:2] in ("m:", "r:")}

    # --- tables --------------------------------------------------------------------------------------

    @cached_property
    def complete(self) -> bool:
        """Whether the database has been scanned."""
        query = select(Dataset.id).where(
            Dataset.system_id == self._system.id,
            Dataset.name.startswith(self._prefix, autoescape=True),
            ~Dataset.placeholder,
            Dataset.gone_since.is_(None),
        )
        if self._session.scalars(query.limit(1)).first() is not None:
            return True
        return any(self.scanned(name.removeprefix(self._prefix)) for name in self._alias_names())

    def _alias_names(self) -> list[str]:
        return [
            name
            for (namespace, name), _ in self._aliases.pairs()
            if namespace == self._system.namespace and name.startswith(self._prefix)
        ]

    def scanned(self, name: str) -> list[str] | None:
        own = self._usable(self._catalogue.find(self._system, self._prefix + name))
        if own is None:
            namespace, meant = self._aliases.resolve((self._system.namespace, self._prefix + name))
            system = self._systems.get(namespace)
            if system is not None and (system.id, meant) != (self._system.id, self._prefix + name):
                own = self._usable(self._catalogue.find(system, meant))
        return own

    def _usable(self, dataset: Dataset | None) -> list[str] | None:
        """The columns of a dataset that its own system knows: those of placeholders are guesses."""
        if dataset is None or dataset.placeholder or dataset.gone_since is not None:
            return None
        fields = self._catalogue.fields(dataset).values()
        columns = [f for f in fields if f.gone_since is None and f.kind == FieldKind.COLUMN]
        return [f.name for f in sorted(columns, key=lambda f: f.ordinal)] or None

    def scanned_folded(self, name: str) -> tuple[str, list[str]] | None:
        query = select(Dataset.name).where(
            Dataset.system_id == self._system.id, func.lower(Dataset.name) == (self._prefix + name).lower()
        )
        for full in self._session.scalars(query.order_by(Dataset.id)):
            own = full.removeprefix(self._prefix)
            columns = self.scanned(own) if own.lower() == name else None
            if columns is not None:
                return own, columns
        return None

    def near(self, parts: Parts) -> list[str]:
        last = parts[-1].lower()
        short = func.lower(func.substring(Dataset.name, "[^.]*$"))
        likely = (func.left(short, 1) == last[:1]) & (func.abs(func.length(short) - len(last)) <= TYPED_WRONG)
        query = (
            select(Dataset.name)
            .where(
                Dataset.system_id == self._system.id,
                Dataset.name.startswith(self._prefix, autoescape=True),
                ~Dataset.placeholder,
                Dataset.gone_since.is_(None),
                or_(short == last, likely),
            )
            .order_by(short != last, Dataset.id)
            .limit(_LOOKED_AT)
        )
        names = [name.removeprefix(self._prefix) for name in self._session.scalars(query)]
        return KnownTables(dict.fromkeys(names, ())).near(parts)

    # --- what has changed ----------------------------------------------------------------------------

    def changed_tables(self, last: Relinked) -> set[str]:
        """Return the names, as ``m:name``, of tables whose columns are others than at the last time, or that other
        names stand for now."""
        here = self._system.namespace
        of_fields = select(Field.dataset_id).where(_unseen(Field.changed, last))
        query = (
            select(System.namespace, Dataset.name)
            .join(System, System.id == Dataset.system_id)
            .where(or_(_unseen(Dataset.changed, last), Dataset.id.in_(of_fields)))
        )
        if not self._aliases.pairs():
            query = query.where(Dataset.system_id == self._system.id)
        shaped = {(namespace, name) for namespace, name in self._session.execute(query)}
        found = {name for namespace, name in shaped if namespace == here}
        found |= {name for name in self._alias_names() if self._aliases.resolve((here, name)) in shaped}
        found |= self._through_systems(shaped)
        aliases = select(Alias).where(Alias.from_namespace == here, _unseen(Alias.changed, last))
        for alias in self._session.scalars(aliases):
            if alias.from_name:
                found.add(alias.from_name)
            elif (system := self._systems.get(alias.to_namespace)) is not None:
                found |= self._catalogue.datasets(system, self._prefix).keys()
        return {f"m:{name.removeprefix(self._prefix)}" for name in found if name.startswith(self._prefix)}

    def _through_systems(self, shaped: set[tuple[str, str]]) -> set[str]:
        """Names in this system of tables of another one that this one stands for as a whole."""
        here = self._system.namespace
        whole = [name[0] for name, _ in self._aliases.pairs() if not name[1]]
        if here not in whole:
            return set()
        return {name for namespace, name in shaped if self._aliases.resolve((here, name)) == (namespace, name)}


def _unseen(column: Any, last: Relinked) -> ColumnElement[bool]:
    """Whether a row was written by another transaction than the last one, and after what that one saw."""
    return literal_column(
        f"({column.expression} >= pg_snapshot_xmin('{last.seen}'::pg_snapshot) "
        f"and not pg_visible_in_snapshot({column.expression}, '{last.seen}'::pg_snapshot) "
        f"and {column.expression} <> '{last.xact}'::xid8)"
    )
