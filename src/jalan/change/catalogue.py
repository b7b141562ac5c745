"""Relations as a database keeps them, with what hangs on what: names may change, and a view goes on meaning the
very columns that it was made of.

Source: PostgreSQL 15 documentation, "ALTER TABLE", "DROP TABLE", "CREATE VIEW", "Dependency Tracking".
"""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Any

from jalan.change.known_routines import KnownRoutines, RoutineNumber
from jalan.change.stored import TABLE, TEMPORARY, VIEW, ColumnKey, StoredRelation, StoredRoutine
from jalan.change.types import ASSIGNMENT, TypeName, type_system
from jalan.sql.dialects import get_dialect
from jalan.sql.lexer import QUOTED, WORD, tokenize


class Refused(Exception):
    """The database would not do it; the message is what it would say."""


class RefusedType(Refused):
    """The database would not do it because of a type."""


class Catalogue:
    """What there is. Changes can be taken back to a mark. routines: the functions and procedures."""

    def __init__(self) -> None:
        self._relations: dict[int, StoredRelation] = {}
        self._named: dict[str, int] = {}
        self._hanging: dict[int, set[int]] = {}
        self._pointing: dict[int, set[int]] = {}
        self._next = 1
        self._calling: dict[int, set[int]] = {}
        self._done: list[tuple[Any, Any]] = []
        self.routines = KnownRoutines(self._done)

    def copy(self) -> "Catalogue":
        """Return another one in which there is the same; what happens in one does not happen in the other."""
        found = Catalogue()
        found._relations, found._named, found._next = dict(self._relations), dict(self._named), self._next
        found._hanging, found._pointing, found._calling = (
            {number: set(several) for number, several in index.items()}
            for index in (self._hanging, self._pointing, self._calling)
        )
        found.routines = self.routines.copy(found._done)
        return found

    # --- looking ---------------------------------------------------------------------------------------

    def find(self, name: str) -> StoredRelation | None:
        """Return a relation by its name."""
        number = self._named.get(name)
        return None if number is None else self._relations[number]

    def named(self, parts: Sequence[str], path: Iterable[str], prefix: str = "") -> StoredRelation | None:
        """Return a relation by the name that a text gives it: whole, or one that is looked for along a path.

        prefix: what stands in front of the names that the text knows.
        """
        written = ".".join(parts)
        names = [written] if len(parts) > 1 else [f"{schema}.{written}" for schema in path]
        return next((one for name in names if (one := self.find(prefix + name)) is not None), None)

    def by_number(self, number: int) -> StoredRelation | None:
        """Return a relation by its number, none once it is gone."""
        return self._relations.get(number)

    def __iter__(self) -> Iterator[StoredRelation]:
        return iter(list(self._relations.values()))

    @property
    def next_number(self) -> int:
        """The number that the next relation will have."""
        return self._next

    def hanging_on(self, number: int, column: int | None = None) -> list[StoredRelation]:
        """Return the views that hang on a relation, or on one of its columns."""
        found = [self._relations[one] for one in sorted(self._hanging.get(number, ()))]
        return found if column is None else [one for one in found if (number, column) in one.uses]

    def calling(self, routine: StoredRoutine) -> list[StoredRelation]:
        """Return the views whose queries call a routine."""
        return [self._relations[one] for one in sorted(self._calling.get(routine.number, ()))]

    def over(
        self, one: StoredRelation | StoredRoutine, column: int | None = None
    ) -> list[StoredRelation | StoredRoutine]:
        """Return the views and routines that hang on something, or on one of its columns, directly."""
        if isinstance(one, StoredRoutine):
            return [*self.calling(one), *self.routines.calling(one.number)]
        return [*self.hanging_on(one.number, column), *self.routines.keeping(one.number, column)]

    @property
    def has_calls(self) -> bool:
        """Whether any view calls a routine."""
        return any(self._calling.values())

    # --- changing --------------------------------------------------------------------------------------

    def mark(self) -> int:
        """Return where changes stand, for ``back_to``."""
        return len(self._done)

    def back_to(self, mark: int) -> None:
        """Take changes back."""
        while len(self._done) > mark:
            number, before = self._done.pop()
            if isinstance(number, RoutineNumber):
                self.routines.back_to(number.number, before)
            else:
                self._put(number, before)

    def touched_since(self, mark: int) -> set[str]:
        """Return the names of what was made, changed or dropped since; of routines also the signatures."""
        found = set()
        for number, before in self._done[mark:]:
            if isinstance(number, RoutineNumber):
                several = (before[0], self.routines.at(number.number))
                found |= {name for one in several if one is not None for name in (one.name, one.signature)}
                continue
            now = self._relations.get(number)
            found |= {one.name for one in (before, now) if one is not None}
        return found

    def _set(self, number: int, now: StoredRelation | None) -> None:
        self._done.append((number, self._relations.get(number)))
        self._put(number, now)

    def _put(self, number: int, now: StoredRelation | None) -> None:
        before = self._relations.pop(number, None)
        if before is not None:
            if self._named.get(before.name) == number:
                del self._named[before.name]
            for one in before.reads:
                self._hanging[one].discard(number)
            for one, _ in before.points_to:
                self._pointing[one].discard(number)
            for one in before.called:
                self._calling[one].discard(number)
        if now is not None:
            self._relations[number] = now
            self._named[now.name] = number
            for one in now.reads:
                self._hanging.setdefault(one, set()).add(number)
            for one, _ in now.points_to:
                self._pointing.setdefault(one, set()).add(number)
            for one in now.called:
                self._calling.setdefault(one, set()).add(number)

    def point(
        self,
        relation: StoredRelation,
        columns: Iterable[ColumnKey],
        references: Iterable[tuple[ColumnKey, ColumnKey]] = (),
    ) -> None:
        """Say which columns of other tables the foreign keys of a table need, and of which of its own each."""
        found = frozenset(columns)
        pairs = frozenset(pair for pair in (*references, *relation.references) if pair[1] in found)
        self._set(relation.number, replace(relation, points_to=found, references=pairs))

    def pointing_at(self, number: int, column: int | None = None) -> list[StoredRelation]:
        """Return the other tables whose foreign keys need a table, or one of its columns."""
        found = (self._relations[one] for one in sorted(self._pointing.get(number, ())) if one != number)
        return [one for one in found if column is None or (number, column) in one.points_to]

    def make(
        self,
        name: str,
        kind: str,
        columns: Iterable[str],
        types: Mapping[str, TypeName | None] | None = None,
        **more: object,
    ) -> StoredRelation:
        """Make a relation. types: of its columns, by name. Raises Refused where there is one of that name."""
        if name in self._named:
            raise Refused(f'relation "{_last(name)}" already exists')
        numbers = _numbered(columns)
        more["types"] = _by_number(numbers, types or {})
        found = StoredRelation(self._next, name, kind, numbers, **more)  # type: ignore[arg-type]
        self._next += 1
        self._set(found.number, found)
        return found

    def remake(
        self, old: StoredRelation, columns: Iterable[str], types: Mapping[str, TypeName | None] | None = None
    ) -> StoredRelation:
        """Make a table in place of another, as other databases than PostgreSQL do: views over it stay, by the
        names of its columns. Raises Refused."""
        names = list(_numbered(columns))
        last = max(old.columns.values(), default=0)
        new = {name: n for n, name in enumerate((one for one in names if one not in old.columns), last + 1)}
        numbers = {name: old.columns.get(name, new.get(name, 0)) for name in names}
        found = replace(old, kind=TABLE, columns=numbers, types=_by_number(numbers, types or {}), query=None)
        self._set(old.number, found)
        return found

    def replace_view(
        self,
        old: StoredRelation,
        columns: Iterable[str],
        types: Mapping[str, TypeName | None] | None = None,
        **more: object,
    ) -> StoredRelation:
        """Give a view another query. Raises Refused where its columns do not begin as they did."""
        new = _numbered(columns)
        if old.kind != VIEW:
            raise Refused(f'"{_last(old.name)}" is not a view')
        if len(new) < len(old.columns):
            raise Refused("cannot drop columns from view")
        for was, now in zip(old.columns, new, strict=False):
            if was != now:
                raise Refused(f'cannot change name of view column "{was}" to "{now}"')
        for column, type_ in (types or {}).items():
            before = old.type_of(column)
            if before is not None and type_ is not None and before != type_:
                raise RefusedType(f'cannot change data type of view column "{column}" from {before} to {type_}')
        more["types"] = {**old.types, **_by_number(new, types or {})}
        found = replace(old, columns=new, **more)  # type: ignore[arg-type]
        self._set(old.number, found)
        return found

    def drop(self, relation: StoredRelation, cascade: bool) -> list[StoredRelation]:
        """Drop a relation; return it with all that goes along. Raises Refused where something hangs on it."""
        return self._drop(relation, None, f"{relation.words} {_short(relation)}", cascade)

    def drop_column(self, relation: StoredRelation, column: str, cascade: bool) -> list[StoredRelation]:
        """Drop a column; return the views that go along. Raises Refused."""
        number = self._column(relation, column)
        if relation.is_query:
            raise Refused(f'ALTER action DROP COLUMN cannot be performed on relation "{_last(relation.name)}"')
        what = f"column {column} of {relation.words} {_short(relation)}"
        made_of_it = {n for n, sources in relation.generated.items() if number in sources}
        if made_of_it and not cascade:
            raise Refused(f"cannot drop {what} because other objects depend on it")
        gone = self._drop(relation, number, what, cascade)
        left = {name: n for name, n in relation.columns.items() if name != column and n not in made_of_it}
        pointed = frozenset(key for key in relation.points_to if key != (relation.number, number))
        keys = {name: one for name, one in relation.keys.items() if number not in one}
        lost = relation.lost_keys.union(one for one in relation.keys.values() if number in one)
        now = replace(relation, columns=left, points_to=pointed, keys=keys, lost_keys=lost)
        self._set(relation.number, now)
        return gone

    def drop_key(
        self, relation: StoredRelation, name: str, cascade: bool, leaning: Iterable[StoredRelation]
    ) -> list[StoredRelation]:
        """Drop a key; return the views that go along. leaning: those that lean on it. Raises Refused."""
        key = relation.keys.get(name)
        if key is None:
            return []  # no key: what checks rows, or points elsewhere, nothing leans on
        pointing = [
            one
            for one in self.pointing_at(relation.number)
            if {number for there, number in one.points_to if there == relation.number} & key
        ]
        views = list(leaning)
        if (pointing or views) and not cascade:
            what = f"constraint {name} on table {_short(relation)}"
            raise Refused(f"cannot drop {what} because other objects depend on it")
        for one in pointing:
            self.point(one, {(there, n) for there, n in one.points_to if there != relation.number})
        keys = {other: columns for other, columns in relation.keys.items() if other != name}
        primary = None if relation.primary == name else relation.primary
        lost = relation.lost_keys | {key}
        self._set(relation.number, replace(relation, keys=keys, primary=primary, lost_keys=lost))
        return self._fall(views)

    def _drop(self, relation: StoredRelation, column: int | None, what: str, cascade: bool) -> list[StoredRelation]:
        over = self.over(relation, column)
        pointing = self.pointing_at(relation.number, column)
        if (over or pointing) and not cascade:
            raise Refused(f"cannot drop {what} because other objects depend on it")
        for one in pointing:
            # Of these only the foreign key goes along.
            left = {key for key in one.points_to if key[0] != relation.number or column not in (None, key[1])}
            self.point(one, left)
        return self._fall([*([relation] if column is None else []), *over])

    def _fall(self, several: Iterable[StoredRelation | StoredRoutine]) -> list[StoredRelation]:
        """Drop some with all that hangs on them; return the relations."""
        gone: dict[int, StoredRelation] = {}
        fallen: dict[int, StoredRoutine] = {}
        waiting = list(several)
        while waiting:
            one = waiting.pop()
            if isinstance(one, StoredRoutine):
                if one.number not in fallen:
                    fallen[one.number] = one
                    waiting += self.over(one)
            elif one.number not in gone:
                gone[one.number] = one
                waiting += self.over(one)
        for number in gone:
            self._set(number, None)
        for number in fallen:
            self.routines.put(number, None)
        return list(gone.values())

    def drop_routine(self, routine: StoredRoutine, cascade: bool) -> list[StoredRelation]:
        """Drop a routine; return the views that go along. Raises Refused where something calls it of which the
        database knows."""
        if self.over(routine) and not cascade:
            raise Refused(f"cannot drop {routine.words} {routine.signature} because other objects depend on it")
        return self._fall([routine])

    def rename(self, relation: StoredRelation, name: str) -> None:
        """Give a relation another name: what hangs on it does not notice. Raises Refused."""
        if name in self._named:
            raise Refused(f'relation "{_last(name)}" already exists')
        self._set(relation.number, replace(relation, name=name))

    def rename_column(self, relation: StoredRelation, column: str, name: str) -> None:
        """Give a column another name: what hangs on it does not notice. Raises Refused."""
        self._column(relation, column)
        if name in relation.columns:
            raise Refused(f'column "{name}" of relation "{_last(relation.name)}" already exists')
        numbers = {name if one == column else one: n for one, n in relation.columns.items()}
        through = {name if one == column else one: made for one, made in relation.through.items()}
        remote = {name if one == column else one: there for one, there in relation.remote_columns.items()}
        self._set(relation.number, replace(relation, columns=numbers, through=through, remote_columns=remote))

    def show(self, relation: StoredRelation, column: str | None, name: str) -> None:
        """Let a foreign table show another column, or where none is given another table of the same schema."""
        if column is None:
            remote = f"{(relation.remote or '').rpartition('.')[0]}.{name}"
            self._set(relation.number, replace(relation, remote=remote))
        else:
            self._column(relation, column)
            self._set(relation.number, replace(relation, remote_columns={**relation.remote_columns, column: name}))

    def add_column(
        self, relation: StoredRelation, column: str, type_: TypeName | None = None, must_give: bool = False
    ) -> None:
        """Add a column at the end. must_give: it may not be null and has no default. Raises Refused."""
        if column in relation.columns:
            raise Refused(f'column "{column}" of relation "{_last(relation.name)}" already exists')
        if relation.is_query:
            raise Refused(f'ALTER action ADD COLUMN cannot be performed on relation "{_last(relation.name)}"')
        number = max(relation.columns.values(), default=0) + 1
        types = relation.types if type_ is None else {**relation.types, number: type_}
        needed = relation.must_give | {number} if must_give else relation.must_give
        columns = {**relation.columns, column: number}
        self._set(relation.number, replace(relation, columns=columns, types=types, must_give=needed))

    def know_key(self, relation: StoredRelation, name: str, columns: Iterable[str], is_primary: bool) -> None:
        """Say which columns are together in no two rows, and whether they are the primary key."""
        numbers = frozenset(relation.columns[column] for column in columns)
        primary = name if is_primary else relation.primary
        self._set(relation.number, replace(relation, keys={**relation.keys, name: numbers}, primary=primary))

    def know_types(self, relation: StoredRelation, types: Mapping[str, TypeName | None]) -> None:
        """Say which types columns have of which that is not known."""
        found = {**_by_number(relation.columns, types), **relation.types}
        self._set(relation.number, replace(relation, types=found))

    def retype(self, relation: StoredRelation, column: str, type_: TypeName, given: TypeName | None) -> None:
        """Give a column another type. given: that of what its new values are made of. Raises Refused."""
        number = self._column(relation, column)
        if relation.is_query:
            action = "ALTER COLUMN ... SET DATA TYPE"
            raise Refused(f'ALTER action {action} cannot be performed on relation "{_last(relation.name)}"')
        if self.hanging_on(relation.number, number):
            raise Refused("cannot alter type of a column used by a view or rule")
        if self.routines.keeping(relation.number, number):
            raise Refused("cannot alter type of a column used by a function or procedure")
        if any(number in sources for sources in relation.generated.values()):
            raise Refused("cannot alter type of a column used by a generated column")
        system = type_system()
        if given is not None and system.knows(given.base) and system.knows(type_.base):
            if not system.casts(given.base, type_.base, ASSIGNMENT):
                raise Refused(f'column "{column}" cannot be cast automatically to type {type_}')
        for needed, own in self._keys_over((relation.number, number), type_):
            if needed is not None and own is not None and not system.may_point(own.base, needed.base):
                raise Refused("foreign key constraint cannot be implemented")
        self._set(relation.number, replace(relation, types={**relation.types, number: type_}))

    def _keys_over(self, key: ColumnKey, type_: TypeName) -> Iterator[tuple[TypeName | None, TypeName | None]]:
        """The types at both ends of the foreign keys at a column that gets a type: what is needed, and by what."""
        near = [self._relations[key[0]], *self.pointing_at(key[0])]
        for relation in near:
            for own, needed in relation.references:
                if key in (own, needed):
                    ends = [type_ if one == key else self._type_at(one) for one in (needed, own)]
                    yield ends[0], ends[1]

    def _type_at(self, key: ColumnKey) -> TypeName | None:
        there = self._relations.get(key[0])
        return None if there is None else there.types.get(key[1])

    def say_null(self, relation: StoredRelation, column: str, may_be: bool) -> None:
        """Say whether a column may be null. Raises Refused."""
        number = self._column(relation, column)
        strict = relation.strict - {number} if may_be else relation.strict | {number}
        self._say(relation, number, strict, relation.filled)

    def say_default(self, relation: StoredRelation, column: str, default: str | None) -> None:
        """Say which default a column has, none where it has none. Raises Refused."""
        number = self._column(relation, column)
        filled = {n: one for n, one in relation.filled.items() if n != number}
        if default is not None:
            filled[number] = default
        self._say(relation, number, relation.strict, filled)

    def _say(
        self, relation: StoredRelation, number: int, strict: frozenset[int], filled: Mapping[int, str]
    ) -> None:
        must = number in strict and number not in filled and number not in relation.generated
        needed = relation.must_give | {number} if must else relation.must_give - {number}
        self._set(relation.number, replace(relation, strict=strict, filled=filled, must_give=needed))

    @staticmethod
    def _column(relation: StoredRelation, column: str) -> int:
        number = relation.columns.get(column)
        if number is None:
            raise Refused(f'column "{column}" of relation "{_last(relation.name)}" does not exist')
        return number


def columns_in(expression: str, columns: Mapping[str, int]) -> frozenset[int]:
    """Return the numbers of the columns that an expression names."""
    tokens = tokenize(expression, get_dialect("postgresql"))
    written = (tokens.written(n) for n, kind in enumerate(tokens.kinds) if kind in (WORD, QUOTED))
    names = {one[1:-1] if one.startswith('"') else one.lower() for one in written}
    return frozenset(number for name, number in columns.items() if name in names)


def made_name(parts: Sequence[str], path: Sequence[str], temporary: bool = False) -> str:
    """Return the name that a relation gets when it is made. path: where names are looked for, those that are
    temporary first."""
    if temporary:
        return f"{TEMPORARY}.{parts[-1]}"
    return ".".join(parts) if len(parts) > 1 else f"{path[1]}.{parts[0]}"


def _numbered(columns: Iterable[str]) -> dict[str, int]:
    """Columns in order with their numbers. Raises Refused where one is named twice."""
    found: dict[str, int] = {}
    for number, column in enumerate(columns, 1):
        if found.setdefault(column, number) != number:
            raise Refused(f'column "{column}" specified more than once')
    return found


def _by_number(columns: Mapping[str, int], types: Mapping[str, TypeName | None]) -> dict[int, TypeName]:
    return {columns[name]: one for name, one in types.items() if one is not None and name in columns}


def _last(name: str) -> str:
    return name.rpartition(".")[2]


def _short(relation: StoredRelation) -> str:
    """As the database names it: with its schema, without its database."""
    return ".".join(relation.name.split(".")[-2:])
