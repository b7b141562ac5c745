"""Aliases: a person or a producer says that two names are one, and it can be taken back.

Nothing is moved when two become one: every reader of the store follows the aliases that hold. So taking one back
loses nothing, and what came in meanwhile under either name is where it was said to be.
"""

from collections.abc import Iterator
from datetime import UTC, datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from jalan.catalog.aliases import AliasCircle, Name
from jalan.catalog.names import normal_namespace
from jalan.service.context import Context
from jalan.service.errors import Conflict, NotFound
from jalan.service.ingest.log import bump
from jalan.store.repositories.aliases import alias_map
from jalan.store.repositories.catalog import CatalogueWriter
from jalan.store.schema import Alias, Dataset, System


class Aliases:
    """The aliases that hold, with the datasets they stand for."""

    def __init__(self, catalogue: CatalogueWriter) -> None:
        self._catalogue = catalogue
        self._map = alias_map(catalogue.session)

    def names_in(self, system: System, prefix: str) -> Iterator[tuple[str, Dataset]]:
        """Yield every name of this system that begins so and stands for a dataset elsewhere, with that dataset."""
        systems = {s.namespace: s for s in self._catalogue.systems()}
        for (namespace, name), stands_for in self._map.pairs():
            if namespace != system.namespace:
                continue
            if name:
                dataset = self._find(systems, self._map.resolve((namespace, name)))
                if dataset is not None and name.startswith(prefix):
                    yield name, dataset
            elif stands_for[0] in systems:
                yield from self._catalogue.datasets(systems[stands_for[0]], prefix).items()

    def _find(self, systems: dict[str, System], name: Name) -> Dataset | None:
        system = systems.get(name[0])
        return None if system is None else self._catalogue.find(system, name[1])


def join(context: Context, dataset: int, into: int, note: str | None = None) -> int:
    """Say that two datasets are one, known from now on as the second; returns the id of the alias.

    Raises NotFound, and Conflict where they already are one or would stand for each other.
    """
    who = context.who
    with context.changing() as session:
        names = []
        for wanted in (dataset, into):
            found = session.execute(
                select(System.namespace, Dataset.name).join(Dataset).where(Dataset.id == wanted)
            ).first()
            if found is None:
                raise NotFound(f"there is no dataset {wanted}")
            names.append((found[0], found[1]))
        alias = add_alias(session, names[0], names[1], "person", who, note)
        if alias is None:
            raise Conflict(f"{names[0][1]} and {names[1][1]} are one already")
        bump(session, "alias", f"{names[0][1]} is {names[1][1]}", who)
        return alias.id


def join_systems(context: Context, namespace: str, into: str, note: str | None = None) -> int:
    """Say that two namespaces are of one system, known from now on by the second; returns the id of the alias.

    Raises Conflict where they already are one.
    """
    who = context.who
    names = normal_namespace(namespace), normal_namespace(into)
    with context.changing() as session:
        alias = add_alias(session, (names[0], ""), (names[1], ""), "person", who, note)
        if alias is None:
            raise Conflict(f"{names[0]} and {names[1]} are one already")
        bump(session, "alias", f"{names[0]} is {names[1]}", who)
        return alias.id


def add_alias(
    session: Session,
    name: Name,
    stands_for: Name,
    origin: str,
    who: str,
    note: str | None = None,
    source_id: int | None = None,
) -> Alias | None:
    """Write an alias; returns none where the two are one already. Raises Conflict where it would close a circle."""
    known = alias_map(session)
    name, stands_for = known.resolve(name), known.resolve(stands_for)
    if name == stands_for:
        return None
    try:
        known.add(name, stands_for)
    except AliasCircle as error:
        raise Conflict(str(error)) from error
    alias = Alias(
        from_namespace=name[0],
        from_name=name[1],
        to_namespace=stands_for[0],
        to_name=stands_for[1],
        origin=origin,
        who=who,
        note=note,
        source_id=source_id,
        valid_from=datetime.now(UTC),
    )
    session.add(alias)
    session.flush()
    return alias


def part(context: Context, alias_id: int) -> None:
    """Take an alias back: the two are two again. Raises NotFound."""
    who = context.who
    with context.changing() as session:
        alias = session.get(Alias, alias_id)
        if alias is None or alias.valid_to is not None:
            raise NotFound(f"there is no alias {alias_id} that holds")
        alias.valid_to = datetime.now(UTC)
        alias.ended_by = who
        bump(session, "alias", f"{alias.from_name} is no longer {alias.to_name}", who)


def find_alias(session: Session, name: str, stands_for: str) -> int:
    """Return the id of the alias that holds between two names. Raises NotFound."""
    query = select(Alias).where(Alias.valid_to.is_(None))
    wanted = normal_namespace(name), normal_namespace(stands_for)
    for alias in session.scalars(query):
        if not alias.from_name and (alias.from_namespace, alias.to_namespace) == wanted:
            return alias.id
        if alias.from_name and _is_called(alias.from_name, name) and _is_called(alias.to_name, stands_for):
            return alias.id
    raise NotFound(f"“{name}” does not stand for “{stands_for}”")


def _is_called(full: str, name: str) -> bool:
    return full == name or full.endswith(f".{name}")
