"""Writes systems, containers, datasets and fields: each exists once, whoever names it first.

What is named is looked up by its name. Who names so many things of a system that all are not many more has that
system read in one go.
"""

from collections import Counter
from collections.abc import Collection
from datetime import datetime

from sqlalchemy import ColumnElement, func, select, true
from sqlalchemy.orm import DeclarativeBase, Session

from jalan.catalog.kinds import DatasetKind, FieldKind
from jalan.catalog.names import normal_namespace, spellings
from jalan.store.bulk import Ids, OneByOne, insert_new
from jalan.store.schema import Container, Dataset, Definition, Field, Job, System

_NEAR = 50


class CatalogueWriter:
    """Finds or makes what is named. ``changes`` counts what was added, joined, changed or marked gone.

    source_id: the source on whose behalf it writes, if there is one. What is made is written by ``flush``.
    """

    def __init__(self, session: Session, now: datetime, source_id: int | None = None) -> None:
        self.session = session
        self.now = now
        self.source_id = source_id
        self.ids = Ids(session)
        self.changes: Counter[str] = Counter()
        self._new: list[DeclarativeBase] = []
        self._by_id: dict[int, Dataset] = {}
        # There are few systems: as many as there are servers and services.
        self._systems = {s.namespace: s for s in session.scalars(select(System))}
        self._containers: dict[tuple[int, str], Container | None] = {}
        self._databases: dict[int, list[str]] = {}
        self._datasets: dict[int, dict[str, Dataset | None]] = {}
        self._whole: dict[int, list[str]] = {}
        self._one_by_one = OneByOne()
        self._fields: dict[int, dict[str, Field]] = {}

    def system(self, namespace: str, kind: str) -> System:
        """Return the system of that namespace."""
        found = self._systems.get(namespace)
        if found is None:
            found = System(namespace=namespace, kind=kind, first_seen=self.now, scanned_at=None)
            self._add(found, "systems")
            self._systems[namespace] = found
        return found

    def systems_with(self, database: str) -> list[System]:
        """Return the systems that hold a database of that name."""
        return [s for s in self._systems.values() if self._find_container(s.id, database) is not None]

    def systems(self) -> list[System]:
        """Return all systems."""
        return list(self._systems.values())

    def container(self, system: System, path: str, kinds: tuple[str, ...] = ("database", "schema")) -> Container:
        """Return the container at a dotted path, and make those above it."""
        found = self._find_container(system.id, path)
        if found is None:
            parent = path.rpartition("." if kinds != ("folder",) else "/")[0].strip()
            above = self.container(system, parent, kinds) if parent else None
            kind = kinds[min(path.count("."), len(kinds) - 1)]
            found = Container(system_id=system.id, parent_id=above.id if above else None, path=path, kind=kind)
            self._add(found, "containers")
            self._containers[system.id, path] = found
            if found.kind == "database":
                self._databases_of(system.id).append(path)
        return found

    def _find_container(self, system: int, path: str) -> Container | None:
        if (system, path) not in self._containers:
            query = select(Container).where(Container.system_id == system, Container.path == path)
            with self.session.no_autoflush:
                self._containers[system, path] = self.session.scalars(query).first()
        return self._containers[system, path]

    def _databases_of(self, system: int) -> list[str]:
        if system not in self._databases:
            query = select(Container.path).where(Container.system_id == system, Container.kind == "database")
            with self.session.no_autoflush:
                self._databases[system] = list(self.session.scalars(query.order_by(Container.id)))
        return self._databases[system]

    # --- finding datasets ----------------------------------------------------------------------------

    def find(self, system: System, name: str) -> Dataset | None:
        """Return the dataset of that name, or none."""
        known = self._datasets.setdefault(system.id, {})
        if name not in known:
            if self._is_whole(system.id, name):
                return None
            # Its datasets come with their fields, and those are most of the rows.
            count = select(func.count()).select_from(Field).join(Dataset).where(Dataset.system_id == system.id)
            if self._one_by_one.is_enough(system.id, lambda: self.session.scalars(count).one()):
                self.datasets(system)
            else:
                self._take(system.id, Dataset.name == name)
                known.setdefault(name, None)
        return known.get(name)

    def near(self, systems: Collection[System], written: str) -> list[str]:
        """Return names of datasets that are spelled somewhat like one, the nearest first."""
        likeness = func.similarity(Dataset.name, written)
        query = (
            select(Dataset.name)
            .where(Dataset.system_id.in_([system.id for system in systems]))
            .order_by(likeness.desc(), Dataset.name)
            .limit(_NEAR)
        )
        self.flush()
        return list(self.session.scalars(query))

    def datasets(self, system: System, prefix: str = "") -> dict[str, Dataset]:
        """Return all datasets of a system whose names begin so, with their fields. Cost: these datasets."""
        known = self._datasets.setdefault(system.id, {})
        if not self._is_whole(system.id, prefix):
            self._take(system.id, Dataset.name.startswith(prefix, autoescape=True) if prefix else true())
            self._whole.setdefault(system.id, []).append(prefix)
        return {
            name: dataset
            for name, dataset in list(known.items())
            if dataset is not None and name.startswith(prefix)
        }

    def _is_whole(self, system: int, name: str) -> bool:
        return any(name.startswith(prefix) for prefix in self._whole.get(system, ()))

    def _take(self, system: int, which: ColumnElement[bool]) -> None:
        known = self._datasets.setdefault(system, {})
        mine = (Dataset.system_id == system, which)
        with self.session.no_autoflush:
            new = {row.id for row in self.session.scalars(select(Dataset).where(*mine)) if self._known(known, row)}
            for id_ in new:
                self._fields[id_] = {}
            for field in self.session.scalars(select(Field).join(Dataset).where(*mine)):
                if field.dataset_id in new:
                    self._fields[field.dataset_id][field.name] = field

    def _known(self, known: dict[str, Dataset | None], row: Dataset) -> bool:
        """Note a dataset that was read; whether it is new here."""
        is_new = known.get(row.name) is None
        if is_new:
            known[row.name] = row
        return is_new

    def named(self, namespace: str, name: str) -> Dataset:
        """Return the dataset that a producer means, however it spells namespace and name.

        A spelling that is known comes first, the one that was given before others.
        """
        place = normal_namespace(namespace)
        scheme = place.partition("://")[0]
        system = self.system(place, {"postgres": "postgresql"}.get(scheme, scheme or "other"))
        found = spellings(place, name, self._databases_of(system.id))
        return self.dataset(system, next((one for one in found if self.find(system, one) is not None), found[0]))

    def dataset_of(self, id_: int) -> Dataset:
        """Return a dataset by its id."""
        found = self._by_id.get(id_) or self.session.get_one(Dataset, id_)
        system = next(s for s in self._systems.values() if s.id == found.system_id)
        return self.find(system, found.name) or found

    def dataset(self, system: System, name: str) -> Dataset:
        """Return the dataset of that name; one that nobody has scanned comes to be as a placeholder."""
        found = self.find(system, name)
        if found is None:
            found = self._new_dataset(self._container_of(system, name), name, DatasetKind.TABLE, placeholder=True)
        return found

    def _new_dataset(self, container: Container, name: str, kind: DatasetKind, *, placeholder: bool) -> Dataset:
        found = Dataset(
            system_id=container.system_id,
            container_id=container.id,
            name=name,
            kind=kind,
            facts={},
            placeholder=placeholder,
            first_seen=self.now,
        )
        self._add(found, "reports" if kind == DatasetKind.REPORT else "datasets")
        self._datasets.setdefault(container.system_id, {})[name] = found
        self._fields[found.id] = {}
        return found

    def _container_of(self, system: System, name: str) -> Container:
        """Databases name by points, files and topics by strokes or not at all."""
        if "/" in name:
            return self.container(system, name.rpartition("/")[0] or "/", ("folder",))
        return self.container(system, name.rpartition(".")[0])

    def file(self, namespace: str, name: str) -> Dataset:
        """Return a file, by the namespace of what holds it and its path there."""
        system = self.system(namespace, namespace.partition("://")[0])
        known = self.find(system, name)
        found = self.dataset(system, name)
        if known is None:
            found.kind = DatasetKind.FILE
        return found

    def report(self, system: System, folder: str, slug: str) -> Dataset:
        """Return a report; its folder may change, it stays the same report."""
        container = self.container(system, folder, ("folder",))
        found = self.find(system, slug)
        if found is None:
            found = self._new_dataset(container, slug, DatasetKind.REPORT, placeholder=False)
        self.update(found, "datasets changed", container_id=container.id)
        return found

    def fields(self, dataset: Dataset) -> dict[str, Field]:
        """Return the fields of a dataset by name."""
        return self._fields[dataset.id]

    def field(self, dataset: Dataset, name: str, kind: str = FieldKind.COLUMN) -> Field:
        """Return the field of that name; one that nobody has scanned comes to be as a placeholder."""
        known = self._fields[dataset.id]
        found = known.get(name)
        if found is None:
            found = Field(
                dataset_id=dataset.id,
                name=name,
                kind=FieldKind.STAR if name == "*" else kind,
                ordinal=len(known) + 1,
                facts={},
                placeholder=True,
                first_seen=self.now,
            )
            self._add(found, "fields")
            known[name] = found
        return found

    def fields_gone(self, dataset: Dataset, kept: Collection[str], counted_as: str) -> None:
        """Mark the fields of a dataset that are not among those kept as gone, since now."""
        for name, field in self._fields[dataset.id].items():
            if name not in kept and field.gone_since is None:
                self.update(field, counted_as, gone_since=self.now)

    def update(self, row: object, counted_as: str, **values: object) -> bool:
        """Set what differs; returns whether anything did."""
        changed = {key: value for key, value in values.items() if getattr(row, key) != value}
        for key, value in changed.items():
            setattr(row, key, value)
        if changed:
            self.changes[counted_as] += 1
        return bool(changed)

    def _add(self, row: System | Container | Dataset | Field, counted_as: str) -> None:
        self.make(row)
        if isinstance(row, Dataset):
            self._by_id[row.id] = row
        self.changes[counted_as] += 1

    def make(self, row: System | Container | Dataset | Field | Job | Definition) -> None:
        """Give a new row its id; it is written with the next ``flush``."""
        row.id = self.ids.next(row.__tablename__)
        self._new.append(row)

    def flush(self, finally_: bool = False) -> None:
        """Write what is new, in batches. finally_: none of it is changed any more."""
        insert_new(self.session, self._new, finally_)
        self._new.clear()
        self.session.flush()
