"""A database as it is described, apart from where that is kept: what a world is made of in which changes are
simulated. It can be written down, and asked elsewhere."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from jalan.change.catalogue import Catalogue, columns_in
from jalan.change.ran import Text
from jalan.change.routines import keep, read_routine
from jalan.change.simulation import World
from jalan.change.stored import FOREIGN, MATERIALISED, TABLE, VIEW, ColumnKey, KeptQuery, stored_routine
from jalan.change.types import TypeName, declared_type
from jalan.change.views import hangs_on, stored_calls
from jalan.lineage.model import Statement
from jalan.lineage.script import extract

_KEPT_AS_QUERY = frozenset({VIEW, MATERIALISED})


@dataclass(frozen=True, slots=True)
class DescribedColumn:
    """A column. type: as the database says it. default: the expression of what it gets where it is given nothing,
    empty for one that the database keeps to itself. generated: of what it is always made. unique: the names of the
    constraints by which it is, with others or alone, in no two rows. references: the columns that foreign keys need
    of it, as schema.table.column."""

    name: str
    type: str = ""
    nullable: bool = True
    default: str | None = None
    generated: str | None = None
    primary: bool = False
    unique: tuple[str, ...] = ()
    references: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class DescribedRelation:
    """A relation by its name: schema.table, with the database in front of those of another one. kind: table, view,
    materialised view or foreign table. query: of a view, with where it looks for names. shows: of a foreign table,
    what it shows elsewhere; shown_as: the names that its columns have there."""

    name: str
    kind: str
    columns: tuple[DescribedColumn, ...]
    query: str | None = None
    path: tuple[str, ...] = ()
    shows: str | None = None
    shown_as: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class DescribedRoutine:
    """A function or procedure. prefix: the database in front of the names in it, where it is another one."""

    name: str
    text: str
    path: tuple[str, ...] = ()
    prefix: str = ""


@dataclass(frozen=True, slots=True)
class DescribedDatabase:
    """A database with all that is run over it and asked of it. texts: in the order in which they are run. not_run:
    places of templates, which nobody fills in."""

    system: str
    database: str
    relations: tuple[DescribedRelation, ...] = ()
    routines: tuple[DescribedRoutine, ...] = ()
    texts: tuple[Text, ...] = ()
    not_run: tuple[str, ...] = ()


def world_over(described: DescribedDatabase) -> World:
    """Return the world of a database. Cost: reading all that is run over it."""
    return World(_Maker(described).catalogue, described.texts)


class _Maker:
    def __init__(self, described: DescribedDatabase) -> None:
        self.catalogue = Catalogue()
        self._described = described
        self._types: dict[str, Mapping[str, TypeName | None]] = {
            one.name: {column.name: declared_type(column.type) for column in one.columns}
            for one in described.relations
        }
        self._relations()

    def _relations(self) -> None:
        """Make the relations, those without a query first, then views over what there is."""
        for routine in self._described.routines:
            self.catalogue.routines.make(stored_routine(routine.name, routine.text, routine.path, routine.prefix))
        waiting = []
        for one in self._described.relations:
            if one.query is not None and one.kind in _KEPT_AS_QUERY:
                waiting.append(one)
                continue
            more: dict[str, object] = {**_nullable(one), **_own_keys(one)}
            if one.shows is not None:
                more |= {"remote": one.shows, "remote_columns": dict(one.shown_as)}
            kind = FOREIGN if one.shows is not None else TABLE
            self.catalogue.make(one.name, kind, _names(one), self._types[one.name], **more)
        self._views(waiting)
        self._foreign_keys()
        # What is wrong with routines anyhow is not the fault of a change.
        for stored in self.catalogue.routines:
            known = read_routine(stored, self.catalogue).problems
            self.catalogue.routines.make(keep(replace(stored, known=known), self.catalogue))

    def _views(self, waiting: list[DescribedRelation]) -> None:
        known = {one.name: list(one.columns) for one in self.catalogue}
        known |= {one.name: _names(one) for one in waiting}
        inside: dict[str, dict[str, list[str]]] = {}
        read: dict[str, Statement | None] = {}
        for one in waiting:
            prefix = _outside(one.name)
            if prefix not in inside:
                # A query knows the relations of its own database, without its name.
                inside[prefix] = {n.removeprefix(prefix): c for n, c in known.items() if n.startswith(prefix)}
            found = extract(one.query or "", tables=inside[prefix], search_path=list(one.path)).statements
            read[one.name] = found[0] if found else None
        left = {one.name: one for one in waiting}
        while left:
            # One whose views are not made yet waits; of a circle, which no database has, the first is made.
            ready = [name for name in left if not _over(name, read[name]) & (left.keys() - {name})]
            for name in ready or list(left)[:1]:
                one, statement = left.pop(name), read[name]
                more = {} if statement is None else hangs_on(self.catalogue, statement, _outside(name))
                kept = KeptQuery(one.query or "", one.path, _outside(name))
                more |= {"query": kept, "calls": stored_calls(self.catalogue, kept, _names(one))}
                self.catalogue.make(name, one.kind, _names(one), self._types[name], **more)

    def _foreign_keys(self) -> None:
        """Say which columns of other tables those of a table need."""
        for one in self._described.relations:
            relation = self.catalogue.find(one.name)
            if relation is None:
                continue
            pairs = set[tuple[ColumnKey, ColumnKey]]()
            for column in one.columns:
                for reference in column.references:
                    table, _, needed = reference.rpartition(".")
                    other = self.catalogue.find(_outside(one.name) + table)
                    if other is not None and needed in other.columns and column.name in relation.columns:
                        own = (relation.number, relation.columns[column.name])
                        pairs.add((own, (other.number, other.columns[needed])))
            if pairs:
                self.catalogue.point(relation, {there for _, there in pairs}, pairs)


def _names(one: DescribedRelation) -> list[str]:
    return [column.name for column in one.columns]


def _outside(name: str) -> str:
    """What stands in front of the name of a relation of another database: that database."""
    database, _, rest = name.partition(".")
    return f"{database}." if "." in rest else ""


def _over(name: str, statement: Statement | None) -> set[str]:
    return set() if statement is None else {_outside(name) + one for one in statement.reads}


def _nullable(one: DescribedRelation) -> dict[str, object]:
    """Which columns of a table may not be null, and what makes those that are given none, by their numbers."""
    numbers = {column.name: number for number, column in enumerate(one.columns, 1)}
    strict, generated, filled = set(), {}, {}
    for number, column in enumerate(one.columns, 1):
        if not column.nullable:
            strict.add(number)
        if column.generated:
            generated[number] = columns_in(column.generated, numbers)
        elif column.default is not None:
            filled[number] = column.default
    return {"strict": frozenset(strict), "filled": filled, "generated": generated}


def _own_keys(one: DescribedRelation) -> dict[str, object]:
    """The keys of a table: the primary one under the name that it has where nobody gives it another."""
    keys: dict[str, set[int]] = {}
    primary = f"{one.name.rpartition('.')[2]}_pkey"
    for number, column in enumerate(one.columns, 1):
        if column.primary:
            keys.setdefault(primary, set()).add(number)
        for constraint in column.unique:
            keys.setdefault(constraint, set()).add(number)
    found = {constraint: frozenset(numbers) for constraint, numbers in keys.items()}
    return {"keys": found, "primary": primary if primary in found else None}
