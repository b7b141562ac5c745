"""A database as a world that changes are simulated in: its relations, and the texts that are run over them in an
order that respects what each needs."""

from collections import defaultdict
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from threading import Lock
from types import SimpleNamespace
from typing import Any

from sqlalchemy import cast, func, select
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Session

from jalan.catalog.kinds import DefinitionKind, FieldKind
from jalan.change.described import (
    DescribedColumn,
    DescribedDatabase,
    DescribedRelation,
    DescribedRoutine,
    world_over,
)
from jalan.change.ran import Text
from jalan.change.routines import KINDS
from jalan.change.simulation import World
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


@dataclass(slots=True)
class DatabaseWorld:
    """A world with what its names stand for. datasets: by name of the relation. texts: by place. not_run: places of
    templates, which nobody fills in. Several ask it at once: each simulates in a world ``apart``."""

    system: str
    database: str
    world: World
    datasets: dict[str, int]
    texts: dict[str, Any]
    not_run: list[str]

    def run_places(self) -> list[str]:
        """Return the places of the texts that are run, and not only asked."""
        return sorted(text.place for text in self.world.texts if not text.is_query)


class _Worlds(dict[tuple[int, str, int], tuple[tuple[int | None, int], DatabaseWorld]]):
    """Worlds by system, database and baseline (0 for now), each with the last ingestion that had changed anything
    when it was made, and the last text that was taken over. lock: held while one is made, so that who asks for the
    same one waits for it."""

    def __init__(self) -> None:
        super().__init__()
        self.lock = Lock()


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
    return _kept_world(context, (system.id, name, 0), 0, lambda: _Reader(context, system, name, NOW))


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
    return _kept_world(context, key, side.version, lambda: _Reader(context, system, side.database, side))


def _kept_world(
    context: Context, key: tuple[int, str, int], version: int, reader: Callable[[], "_Reader"]
) -> DatabaseWorld:
    # A text may change without any change of what links to what.
    changed = select(func.max(Ingestion.id)).where(Ingestion.counts["changed"] != cast({}, JSONB))
    last = (context.session.scalars(changed).one(), version)
    worlds = context.graph.remembered("worlds", _Worlds)
    with worlds.lock:
        found = worlds.get(key)
        if found is None or found[0] != last:
            found = (last, reader().world())
            worlds[key] = found
            of_baselines = [one for one in worlds if one[2]]
            for one in of_baselines[:-_BASELINE_WORLDS]:
                worlds.pop(one, None)
        return found[1]


def described(context: Context, database: str | None) -> DescribedDatabase:
    """Return a database with all that is run over it, to be written down; that with most texts where none is named.
    Raises NotFound."""
    system, name = chosen_database(context, database)
    return _Reader(context, system, name, NOW).described()


def world_of_description(described: DescribedDatabase) -> DatabaseWorld:
    """Return the world of a database that was written down. There are no datasets and definitions behind it."""
    rows = {
        text.place: SimpleNamespace(id=None, dataset_id=None, first_line=1, key=text.place, text=text.text)
        for text in described.texts
    }
    world = world_over(described)
    return DatabaseWorld(described.system, described.database, world, {}, rows, list(described.not_run))


class _Reader:
    """Reads the description of a database from the store. ids: the dataset of each relation, by its name. rows: the
    definition of each text, by its place."""

    def __init__(self, context: Context, system: System, database: str, side: Side) -> None:
        self._session = context.session
        self._side = side
        self._system, self._database = system, database
        self._prefix = f"{database}."
        self.ids: dict[str, int] = {}
        self.rows: dict[str, Any] = {}

    def world(self) -> DatabaseWorld:
        """Return the world of the database."""
        described = self.described()
        return DatabaseWorld(
            described.system,
            described.database,
            world_over(described),
            self.ids,
            self.rows,
            list(described.not_run),
        )

    def described(self) -> DescribedDatabase:
        """Return all of it."""
        texts, not_run = self._texts()
        self.rows = {text.place: row for text, row in texts}
        return DescribedDatabase(
            self._system.namespace,
            self._database,
            tuple(self._relations()),
            tuple(self._routines()),
            tuple(text for text, _ in texts),
            tuple(not_run),
        )

    # --- relations -------------------------------------------------------------------------------------

    def _relations(self) -> Iterator[DescribedRelation]:
        rows = {
            row.id: row
            for row in self._session.execute(
                select(Dataset.id, Dataset.name, Dataset.kind).where(
                    Dataset.system_id == self._system.id, Dataset.gone_since.is_(None), ~Dataset.placeholder
                )
            )
        }
        columns: dict[int, list[DescribedColumn]] = defaultdict(list)
        query = (
            select(Field.dataset_id, Field.name, Field.type, Field.facts)
            .where(is_among(Field.dataset_id, rows), Field.gone_since.is_(None), Field.kind == FieldKind.COLUMN)
            .order_by(Field.dataset_id, Field.ordinal)
        )
        for column in self._session.execute(query):
            columns[column.dataset_id].append(_column(column))
        queries, shown = self._queries(), self._shown(rows)
        for id_, row in sorted(rows.items()):
            name = row.name.removeprefix(self._prefix)
            self.ids[name] = id_
            text, path = queries.get(id_, (None, []))
            shows, shown_as = shown.get(id_, (None, {}))
            yield DescribedRelation(name, row.kind, tuple(columns[id_]), text, tuple(path), shows, shown_as)

    def _routines(self) -> Iterator[DescribedRoutine]:
        """Yield the functions and procedures that the databases have."""
        query = select(Definition.text, Definition.search_path, Definition.database).where(
            Definition.system_id == self._system.id,
            Definition.kind.in_((DefinitionKind.FUNCTION, DefinitionKind.PROCEDURE)),
            Definition.valid_to.is_(None),
        )
        for text, path, database in self._session.execute(query):
            node = next(iter(parse(text, get_dialect("postgresql"))), None)
            if isinstance(node, tree.Routine) and node.kind in KINDS and len(node.parts) > 1:
                prefix = "" if database == self._database else f"{database}."
                yield DescribedRoutine(prefix + ".".join(map(str, node.parts)), text, tuple(path), prefix)

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


def _column(row: Any) -> DescribedColumn:
    facts = row.facts
    default = str(facts.get("default") or "") if facts.get("default") or facts.get("identity") else None
    return DescribedColumn(
        row.name,
        row.type or "",
        facts.get("nullable") is not False,
        default,
        str(facts["generated"]) if facts.get("generated") else None,
        facts.get("key") == "primary",
        tuple(map(str, facts.get("unique", ()))),
        tuple(map(str, facts.get("references", ()))),
    )
