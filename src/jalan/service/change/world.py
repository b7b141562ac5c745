"""A database as a world that changes are simulated in: its relations, and the texts that are run over them in an
order that respects what each needs."""

from collections import defaultdict
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from threading import Lock
from types import SimpleNamespace
from typing import Any

from sqlalchemy import cast, func, select
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Session

from jalan.catalog.kinds import DatasetKind, DefinitionKind, FieldKind
from jalan.change.catalogue import Catalogue, columns_in
from jalan.change.ran import Text
from jalan.change.routines import KINDS, keep, read_routine
from jalan.change.simulation import World
from jalan.change.stored import FOREIGN, TABLE, KeptQuery, stored_routine
from jalan.change.types import TypeName, declared_type
from jalan.change.views import hangs_on, stored_calls
from jalan.lineage.model import Statement
from jalan.lineage.script import extract
from jalan.runs.order import needed_first
from jalan.service.change.sides import ASKED_TEXTS, NOW, TEXTS, Side
from jalan.service.context import Context
from jalan.service.errors import NotFound
from jalan.sql import tree
from jalan.sql.dialects import get_dialect
from jalan.sql.grammar.script import parse
from jalan.store.among import is_among
from jalan.store.schema import Dataset, Definition, Field, Ingestion, Link, System
from jalan.store.validity import valid_at

_BASELINE_WORLDS = 3  # that are kept
_VIEWS = {DatasetKind.VIEW.value, DatasetKind.MATERIALISED_VIEW.value}


@dataclass(slots=True)
class DatabaseWorld:
    """A world with what its names stand for. datasets: by name of the relation. texts: by place. not_run: places of
    templates, which nobody fills in. One at a time asks it: hold ``lock``."""

    system: str
    database: str
    world: World
    datasets: dict[str, int]
    texts: dict[str, Any]
    not_run: list[str]
    lock: Lock = field(default_factory=Lock)

    def run_places(self) -> list[str]:
        """Return the places of the texts that are run, and not only asked."""
        return sorted(text.place for text in self.world.texts if not text.is_query)


class _Worlds(dict[tuple[int, str, int], tuple[tuple[int | None, int], DatabaseWorld]]):
    """Worlds by system, database and baseline (0 for now), each with the last ingestion that had changed anything
    when it was made, and the last text that was taken over."""


def databases(session: Session) -> list[tuple[System, str, int]]:
    """Return the databases over which texts are run, those with most texts first."""
    query = (
        select(System, Definition.database, func.count())
        .join(Definition, Definition.system_id == System.id)
        .where(Definition.valid_to.is_(None), Definition.kind.in_(TEXTS), Definition.database != "")
        .group_by(System.id, Definition.database)
        .order_by(func.count().desc(), Definition.database)
    )
    return [(system, database, count) for system, database, count in session.execute(query)]


def world_of(context: Context, database: str | None) -> DatabaseWorld:
    """Return the world of a database as it is now; of that with most texts where none is named. Raises NotFound.

    Cost: the whole database the first time, nothing as long as no ingestion changes anything.
    """
    system, name = chosen_database(context, database)
    return _kept_world(context, (system.id, name, 0), 0, lambda: _Builder(context, system, name, NOW))


def chosen_database(context: Context, database: str | None) -> tuple[System, str]:
    """Return a database with its system; that with most texts where none is named. Raises NotFound."""
    known = databases(context.session)
    chosen = next((one for one in known if database in (None, one[1])), None)
    if chosen is None:
        names = ", ".join(one for _, one, _ in known) or "none"
        raise NotFound(f"no texts are known that are run over “{database}”; there are: {names}")
    return chosen[0], chosen[1]


def world_of_side(context: Context, side: Side) -> DatabaseWorld:
    """Return the world in which the texts are those of a baseline, over the relations of now.

    Cost: as ``world_of``; some worlds of baselines are kept.
    """
    system = context.session.get_one(System, side.system)
    key = (system.id, side.database, side.baseline)
    return _kept_world(context, key, side.version, lambda: _Builder(context, system, side.database, side))


def _kept_world(
    context: Context, key: tuple[int, str, int], version: int, builder: Callable[[], "_Builder"]
) -> DatabaseWorld:
    # A text may change without any change of what links to what.
    changed = select(func.max(Ingestion.id)).where(Ingestion.counts["changed"] != cast({}, JSONB))
    last = (context.session.scalars(changed).one(), version)
    worlds = context.graph.remembered("worlds", _Worlds)
    found = worlds.get(key)
    if found is None or found[0] != last:
        found = (last, builder().build())
        worlds[key] = found
        of_baselines = [one for one in worlds if one[2]]
        for one in of_baselines[:-_BASELINE_WORLDS]:
            worlds.pop(one, None)
    return found[1]


class _Builder:
    def __init__(self, context: Context, system: System, database: str, side: Side) -> None:
        self._session = context.session
        self._side = side
        self._system, self._database = system, database
        self._prefix = f"{database}."
        self._catalogue = Catalogue()
        self._ids: dict[str, int] = {}
        self._types: dict[str, dict[str, TypeName | None]] = {}

    def build(self) -> DatabaseWorld:
        texts, not_run = self._texts()
        self._relations()
        world = World(self._catalogue, [text for text, _ in texts])
        by_place = {text.place: row for text, row in texts}
        return DatabaseWorld(self._system.namespace, self._database, world, self._ids, by_place, not_run)

    # --- relations -------------------------------------------------------------------------------------

    def _relations(self) -> None:
        """Make the relations, those without a query first, then views over what there is."""
        rows = {
            row.id: row
            for row in self._session.execute(
                select(Dataset.id, Dataset.name, Dataset.kind).where(
                    Dataset.system_id == self._system.id, Dataset.gone_since.is_(None), ~Dataset.placeholder
                )
            )
        }
        columns: dict[int, list[Any]] = defaultdict(list)
        query = (
            select(Field.dataset_id, Field.name, Field.type, Field.facts)
            .where(is_among(Field.dataset_id, rows), Field.gone_since.is_(None), Field.kind == FieldKind.COLUMN)
            .order_by(Field.dataset_id, Field.ordinal)
        )
        for column in self._session.execute(query):
            columns[column.dataset_id].append(column)
        self._types = {
            rows[id_].name.removeprefix(self._prefix): {one.name: declared_type(one.type or "") for one in listed}
            for id_, listed in columns.items()
        }
        self._routines()
        queries, shown = self._queries(), self._shown(rows)
        waiting = []
        for id_, row in sorted(rows.items()):
            name = row.name.removeprefix(self._prefix)
            self._ids[name] = id_
            if id_ in queries and row.kind in _VIEWS:
                waiting.append((name, row.kind, [one.name for one in columns[id_]], queries[id_]))
                continue
            kind = FOREIGN if id_ in shown else TABLE
            more = dict(zip(("remote", "remote_columns"), shown.get(id_, ()), strict=False))
            names = [one.name for one in columns[id_]]
            told = _nullable(columns[id_]) | _own_keys(name, columns[id_])
            self._catalogue.make(name, kind, names, self._types.get(name), **more, **told)
        self._views(waiting)
        self._foreign_keys(rows, columns)
        self._know_routines()

    def _routines(self) -> None:
        """Make the functions and procedures that the databases have."""
        query = select(Definition.text, Definition.search_path, Definition.database).where(
            Definition.system_id == self._system.id,
            Definition.kind.in_((DefinitionKind.FUNCTION, DefinitionKind.PROCEDURE)),
            Definition.valid_to.is_(None),
        )
        for text, path, database in self._session.execute(query):
            node = next(iter(parse(text, get_dialect("postgresql"))), None)
            if isinstance(node, tree.Routine) and node.kind in KINDS and len(node.parts) > 1:
                prefix = "" if database == self._database else f"{database}."
                name = prefix + ".".join(map(str, node.parts))
                self._catalogue.routines.make(stored_routine(name, text, tuple(path), prefix))

    def _know_routines(self) -> None:
        """Say what is wrong with routines anyhow: that is not the fault of a change; and what those hang on whose
        bodies the database keeps."""
        for routine in self._catalogue.routines:
            known = read_routine(routine, self._catalogue).problems
            self._catalogue.routines.make(keep(replace(routine, known=known), self._catalogue))

    def _views(self, waiting: list[tuple[str, str, list[str], Any]]) -> None:
        known = {one.name: list(one.columns) for one in self._catalogue}
        known |= {name: columns for name, _, columns, _ in waiting}
        inside: dict[str, dict[str, list[str]]] = {}
        read: dict[str, Statement | None] = {}
        kept: dict[str, KeptQuery] = {}
        for name, _, _, (text, path) in waiting:
            prefix = self._outside(name)
            kept[name] = KeptQuery(text, tuple(path), prefix)
            if prefix not in inside:
                # A query knows the relations of its own database, without its name.
                inside[prefix] = {n.removeprefix(prefix): c for n, c in known.items() if n.startswith(prefix)}
            found = extract(text, tables=inside[prefix], search_path=path).statements
            read[name] = found[0] if found else None
        left = {name: (kind, columns) for name, kind, columns, _ in waiting}
        while left:
            # One whose views are not made yet waits; of a circle, which no database has, the first is made.
            ready = [name for name in left if not self._over(name, read[name]) & (left.keys() - {name})]
            for name in ready or list(left)[:1]:
                kind, columns = left.pop(name)
                statement = read[name]
                more = {} if statement is None else hangs_on(self._catalogue, statement, self._outside(name))
                more["query"] = kept[name]
                more["calls"] = stored_calls(self._catalogue, kept[name], columns)
                self._catalogue.make(name, kind, columns, self._types.get(name), **more)

    @staticmethod
    def _outside(name: str) -> str:
        """What stands in front of the name of a relation of another database: that database."""
        database, _, rest = name.partition(".")
        return f"{database}." if "." in rest else ""

    def _over(self, name: str, statement: Statement | None) -> set[str]:
        return set() if statement is None else {self._outside(name) + one for one in statement.reads}

    def _queries(self) -> dict[int, tuple[str, list[str]]]:
        query = select(Definition.dataset_id, Definition.text, Definition.search_path).where(
            Definition.system_id == self._system.id,
            Definition.kind == DefinitionKind.VIEW,
            Definition.valid_to.is_(None),
        )
        return {id_: (text, path) for id_, text, path in self._session.execute(query) if id_ is not None}

    def _shown(self, rows: dict[int, Any]) -> dict[int, tuple[str, dict[str, str]]]:
        """Of each foreign table, the name of the relation that it shows, and the names of the columns there."""
        source, target = Field.__table__.alias("source"), Field.__table__.alias("target")
        query = (
            select(Link.target_dataset_id, source.c.dataset_id, source.c.name, target.c.name)
            .join(Definition, Definition.id == Link.definition_id)
            .join(source, source.c.id == Link.source_field_id)
            .join(target, target.c.id == Link.target_field_id)
            .where(
                Definition.kind == DefinitionKind.FOREIGN_TABLE,
                Definition.valid_to.is_(None),
                Link.valid_to.is_(None),
                is_among(Link.target_dataset_id, rows),
            )
        )
        found: dict[int, tuple[str, dict[str, str]]] = {}
        for table, there, name, here in self._session.execute(query):
            if there in rows:
                shown = rows[there].name.removeprefix(self._prefix)
                found.setdefault(table, (shown, {}))[1][here] = name
        return found

    def _foreign_keys(self, rows: dict[int, Any], columns: dict[int, list[Any]]) -> None:
        """What foreign keys need: ``references`` of a column names schema, table and column."""
        for id_, listed in columns.items():
            name = rows[id_].name
            database = name.split(".")[0]
            relation = self._catalogue.find(name.removeprefix(self._prefix))
            if relation is None:
                continue
            pairs = set()
            for one in listed:
                for reference in one.facts.get("references", ()):
                    table, _, column = str(reference).rpartition(".")
                    other = self._catalogue.find(f"{database}.{table}".removeprefix(self._prefix))
                    if other is not None and column in other.columns and one.name in relation.columns:
                        own = (relation.number, relation.columns[one.name])
                        pairs.add((own, (other.number, other.columns[column])))
            if pairs:
                self._catalogue.point(relation, {there for _, there in pairs}, pairs)

    # --- texts -----------------------------------------------------------------------------------------

    def _texts(self) -> tuple[list[tuple[Text, Any]], list[str]]:
        columns = (
            Definition.id, Definition.kind, Definition.place, Definition.text, Definition.search_path,
            Definition.dialect, Definition.dataset_id, Definition.first_line, Definition.template, Definition.key,
            Field.name.label("element"),
        )  # fmt: skip
        query = (
            select(*columns)
            .outerjoin(Field, Field.id == Definition.field_id)
            .where(
                Definition.system_id == self._system.id,
                Definition.database == self._database,
                *valid_at(Definition, self._side.at),
                Definition.kind.in_(TEXTS),
            )
        )
        rows = {row.id: row for row in self._session.execute(query.order_by(Definition.id))}
        seen: dict[str, int] = {}
        found, not_run = [], []
        for id_ in self._in_order(rows):
            row: Any = rows[id_]
            taken = self._side.taken.get(row.key)
            if taken is not None:
                if taken.text is None:
                    continue
                row = SimpleNamespace(**{**row._mapping, "text": taken.text})
            if row.template is not None:
                not_run.append(row.place)
                continue
            named = row.place if row.element is None else f"{row.place}: {row.element}"
            number = seen[named] = seen.get(named, 0) + 1
            place = named if number == 1 else f"{named} ({number})"
            asked = row.kind in ASKED_TEXTS
            found.append((Text(place, row.text, tuple(row.search_path) or ("public",), row.dialect, asked), row))
        known = {row.key for row in rows.values()}
        for key, taken in self._side.taken.items():
            if key not in known and taken.text is not None:
                # One that is no definition yet stands for a file of its own.
                own = {"id": None, "kind": DefinitionKind.FILE, "first_line": 1, "dataset_id": None, "key": key}
                found.append((Text(taken.place, taken.text), SimpleNamespace(**own, text=taken.text)))
        return found, not_run

    def _in_order(self, rows: dict[int, Any]) -> list[int]:
        """Put texts in an order in which each is run after those that fill what it reads; circles as they came."""
        place = {id_: n for n, id_ in enumerate(rows)}
        readers, writers = defaultdict(set), defaultdict(set)
        query = (
            select(Link.definition_id, Field.dataset_id, Link.target_dataset_id)
            .join(Field, Field.id == Link.source_field_id)
            .where(is_among(Link.definition_id, rows), *valid_at(Link, self._side.at))
            .distinct()
        )
        for definition, source, target in self._session.execute(query):
            readers[source].add(place[definition])
            writers[target].add(place[definition])
        edges = {
            (one, other)
            for dataset, several in writers.items()
            for one in several
            for other in readers.get(dataset, ())
            if one != other
        }
        ids = list(rows)
        return [ids[n] for n in needed_first(len(ids), edges)[0]]


def _nullable(columns: list[Any]) -> dict[str, Any]:
    """Which columns of a table may not be null, and what makes those that are given none, by their numbers."""
    numbers = {one.name: number for number, one in enumerate(columns, 1)}
    strict, generated, filled = set(), {}, {}
    for number, one in enumerate(columns, 1):
        if one.facts.get("nullable") is False:
            strict.add(number)
        if made_of := one.facts.get("generated"):
            generated[number] = columns_in(str(made_of), numbers)
        elif one.facts.get("default") or one.facts.get("identity"):
            filled[number] = str(one.facts.get("default") or "")
    return {"strict": frozenset(strict), "filled": filled, "generated": generated}


def _own_keys(name: str, columns: list[Any]) -> dict[str, Any]:
    """The keys of a table: the primary one under the name that it has where nobody gives it another."""
    keys: dict[str, set[int]] = {}
    primary = f"{name.rpartition('.')[2]}_pkey"
    for number, one in enumerate(columns, 1):
        if one.facts.get("key") == "primary":
            keys.setdefault(primary, set()).add(number)
        for constraint in one.facts.get("unique", ()):
            keys.setdefault(str(constraint), set()).add(number)
    found = {constraint: frozenset(numbers) for constraint, numbers in keys.items()}
    return {"keys": found, "primary": primary if primary in found else None}
