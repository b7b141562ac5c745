"""What PostgreSQL makes of types: what can be cast to what, and which operator or function is meant.

Source: PostgreSQL 15 documentation, chapter 10 "Type Conversion"; the tables are its own catalogue's.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cache
from importlib.resources import files

UNKNOWN = "unknown"
"""The type of a constant in quotes until something is made of it."""
_ANY = '"any"'
_ELEMENTS = frozenset({"anyelement", "anynonarray", "anyenum", "anycompatible", "anycompatiblenonarray"})
_ARRAYS = frozenset({"anyarray", "anycompatiblearray"})
_RANGES = frozenset({"anyrange", "anymultirange", "anycompatiblerange", "anycompatiblemultirange"})
_POLYMORPHIC = _ELEMENTS | _ARRAYS | _RANGES
_IMPLICIT, _ASSIGNED, _EXPLICIT = "i", "a", "e"
IMPLICIT, ASSIGNMENT, EXPLICIT = (_IMPLICIT,), (_IMPLICIT, _ASSIGNED), (_IMPLICIT, _ASSIGNED, _EXPLICIT)
"""How much a cast may do by itself: in an expression, where a value is put into a column, where it is asked for."""
_FAMILIES = (
    {"smallint", "integer", "bigint"},
    {"real", "double precision"},
    {"text", "character varying"},
    {"date", "timestamp without time zone", "timestamp with time zone"},
)
"""Types whose values an index can hold against one another."""
_WITHOUT_EQUALITY = frozenset({"json", "xml", "point", "path", "line", "polygon"})
_WITHOUT_ORDER = _WITHOUT_EQUALITY | {"lseg", "box", "circle", "jsonpath"}


@dataclass(frozen=True, slots=True)
class TypedRoutine:
    """A function or an operator. arguments: types of its arguments, the last one any number of times where it is
    variadic. kind: empty for a function, a for an aggregate, w for a window function. defaults: how many of the
    last arguments may be left out."""

    name: str
    arguments: tuple[str, ...]
    result: str
    variadic: bool = False
    kind: str = ""
    is_set: bool = False
    defaults: int = 0

    def taking(self, count: int) -> tuple[str, ...] | None:
        """Return its arguments for a call with so many, none where it cannot be called so."""
        own = len(self.arguments)
        if own - self.defaults <= count <= own and not (self.variadic and count < own):
            return self.arguments[:count]
        if self.variadic and count >= own:
            last = self.arguments[-1]
            element = {"anyarray": "anyelement", "anycompatiblearray": "anycompatible"}.get(
                last, last.removesuffix("[]")
            )
            return (*self.arguments[:-1], *[element] * (count - own + 1))
        return None


class Ambiguous(Exception):
    """Several routines fit equally well."""


class NotUnique(Ambiguous):
    """Several are the same without what may be left out of a call."""


class TypeSystem:
    """Types, casts, operators and functions."""

    def __init__(self, data: str) -> None:
        self._categories: dict[str, str] = {}
        self._preferred: set[str] = set()
        self._casts: dict[tuple[str, str], str] = {}
        self.operators: dict[str, list[TypedRoutine]] = {}
        self.functions: dict[str, list[TypedRoutine]] = {}
        part = ""
        for line in data.splitlines():
            if line.startswith("[") and line.endswith("]") and "\t" not in line:
                part = line[1:-1]
            elif line and not line.startswith("# "):
                self._take(part, line.split("\t"))

    def _take(self, part: str, row: list[str]) -> None:
        if part == "types":
            self._categories[row[0]] = row[1]
            if row[2]:
                self._preferred.add(row[0])
        elif part == "casts":
            self._casts[row[0], row[1]] = row[2]
        elif part == "operators":
            arguments = tuple(row[1:3]) if row[1] else (row[2],)
            self.operators.setdefault(row[0], []).append(TypedRoutine(row[0], arguments, row[3]))
        elif part == "functions":
            arguments = tuple(row[1].split(",")) if row[1] else ()
            flags = row[3]
            defaults = int("".join(one for one in flags if one.isdecimal()) or 0)
            kind = "a" if "a" in flags else "w" if "w" in flags else ""
            self.functions.setdefault(row[0], []).append(
                TypedRoutine(row[0], arguments, row[2], "v" in flags, kind, "s" in flags, defaults)
            )

    # --- types -----------------------------------------------------------------------------------------

    def knows(self, name: str) -> bool:
        """Whether it is one of the types that the server brings along."""
        return name in self._categories or (name.endswith("[]") and name[:-2] in self._categories)

    def takes_known(self, routine: TypedRoutine) -> bool:
        """Whether the types of all its arguments are known."""
        return all(self.knows(one) or one in _POLYMORPHIC or one == _ANY for one in routine.arguments)

    def category(self, name: str) -> str:
        """Return the category of a type, one letter: N numbers, S strings, D times …"""
        return "A" if name.endswith("[]") else "X" if name == UNKNOWN else self._categories.get(name, "U")

    def is_preferred(self, name: str) -> bool:
        """Whether a type is the one of its category that is chosen where several would do."""
        return name in self._preferred

    def can_compare(self, name: str) -> bool:
        """Whether two values can be told to be equal: needed to group, to sort, and to keep one of each."""
        return name.removesuffix("[]") not in _WITHOUT_EQUALITY

    def may_point(self, own: str, needed: str) -> bool:
        """Whether a foreign key of one type may need a key of another; where that is not known, it may."""
        if not (self.knows(own) and self.knows(needed)) or any(own in one and needed in one for one in _FAMILIES):
            return True
        return self.casts(own, needed)

    def can_order(self, name: str) -> bool:
        """Whether two values can be told which comes first."""
        return name.removesuffix("[]") not in _WITHOUT_ORDER

    def casts(self, source: str, target: str, how: Sequence[str] = IMPLICIT) -> bool:
        """Whether a value can become one of another type."""
        if target in (source, _ANY) or source == UNKNOWN:
            return True
        if source.endswith("[]") and target.endswith("[]"):
            return self.casts(source[:-2], target[:-2], how)
        if self._casts.get((source, target), "") in how:
            return True
        # Through its text anything can become a string, and a string anything.
        if self.category(target) == "S" and _ASSIGNED in how and target != "name":
            return True
        return self.category(source) == "S" and _EXPLICIT in how

    def common(self, types: Iterable[str]) -> str | None:
        """Return the type in which values of several meet (CASE, UNION, IN …), none where there is none."""
        several = list(types)
        found = next((one for one in several if one != UNKNOWN), None)
        if found is None:
            return "text"
        for one in several:
            if one in (UNKNOWN, found):
                continue
            if self.category(one) != self.category(found):
                return None
            if not self.is_preferred(found) and self.casts(found, one) and not self.casts(one, found):
                found = one
        return found if all(self.casts(one, found) for one in several) else None

    # --- operators and functions -----------------------------------------------------------------------

    def operator(self, name: str, left: str | None, right: str) -> TypedRoutine | None:
        """Return the operator that is meant, none where there is none that fits. Raises Ambiguous."""
        given = (right,) if left is None else (left, right)
        several = [one for one in self.operators.get(name, ()) if len(one.arguments) == len(given)]
        if len(given) == 2 and UNKNOWN in given and given != (UNKNOWN, UNKNOWN):
            # A constant in quotes is first taken for one of the type of the other side.
            known = next(one for one in given if one != UNKNOWN)
            for one in several:
                if one.arguments == (known, known):
                    return one
        return self._chosen([(one, one.arguments) for one in several], given)

    def function(self, name: str, given: Sequence[str]) -> TypedRoutine | None:
        """Return the function that is meant, none where there is none that fits. Raises Ambiguous."""
        return self.chosen(self.functions.get(name, ()), given)

    def chosen(self, routines: Iterable[TypedRoutine], given: Sequence[str]) -> TypedRoutine | None:
        """Return which of several is meant for arguments of some types, none where none fits. Raises Ambiguous."""
        several = []
        for one in routines:
            taken = one.taking(len(given))
            if taken is not None:
                several.append((one, taken))
        found = self._chosen(several, tuple(given))
        if found is not None:
            # Those that are the same without what may be left out cannot be told apart.
            same = [one for one, taken in several if taken == found.taking(len(given))]
            left_out = [one for one in same if len(one.arguments) > len(given) and not one.variadic]
            if left_out and len([one for one in same if not one.variadic]) > 1:
                raise NotUnique
        return found

    def may_be_called(self, name: str, given: Sequence[str | None]) -> bool:
        """Whether any function of a name may be meant where not all types are known."""
        taken = (one.taking(len(given)) for one in self.functions.get(name, ()))
        return any(
            one is not None
            and all(type_ is None or self._accepts(wanted, type_) for wanted, type_ in zip(one, given, strict=True))
            for one in taken
        )

    def result(self, routine: TypedRoutine, given: Sequence[str]) -> str | None:
        """Return the type that a routine gives for arguments; none where that cannot be told."""
        if routine.result not in _POLYMORPHIC:
            return None if routine.result in ("record", "void") else routine.result
        element = self._element(routine, given)
        if element is None or routine.result in _RANGES:
            return None
        return f"{element}[]" if routine.result in _ARRAYS and not element.endswith("[]") else element

    def _element(self, routine: TypedRoutine, given: Sequence[str]) -> str | None:
        """What stands for ``anyelement`` in a call."""
        elements: list[str] = []
        for wanted, one in zip(routine.taking(len(given)) or (), given, strict=False):
            if wanted in _ELEMENTS:
                elements.append(one)
            elif wanted in _ARRAYS and one.endswith("[]"):
                elements.append(one[:-2])
            elif wanted in _RANGES:
                return None
        return self.common(elements) if elements else None

    def _accepts(self, wanted: str, given: str) -> bool:
        if wanted in _ELEMENTS or wanted == _ANY:
            return not (wanted in ("anynonarray", "anycompatiblenonarray") and given.endswith("[]")) and (
                wanted != "anyenum" or given == UNKNOWN
            )
        if wanted in _ARRAYS:
            return given.endswith("[]") or given == UNKNOWN
        if wanted in _RANGES:
            return given.endswith("range") or given == UNKNOWN
        return self.casts(given, wanted)

    def _fits(self, taken: Sequence[str], given: Sequence[str]) -> bool:
        """Whether all that stands for one thing is the same, or can be made so."""
        same = [
            one[:-2] if wanted in _ARRAYS and one.endswith("[]") else one
            for wanted, one in zip(taken, given, strict=True)
            if (wanted in _ELEMENTS or wanted in _ARRAYS) and one != UNKNOWN
        ]
        if any("compatible" in wanted for wanted in taken):
            return not same or self.common(same) is not None
        return len(set(same)) <= 1

    def _chosen(
        self, several: Sequence[tuple[TypedRoutine, Sequence[str]]], given: tuple[str, ...]
    ) -> TypedRoutine | None:
        for routine, taken in several:
            if tuple(taken) == given:
                return routine
        left = [
            (routine, taken)
            for routine, taken in several
            if all(map(self._accepts, taken, given)) and self._fits(taken, given)
        ]
        if len(left) < 2:
            return left[0][0] if left else None
        exact = self._best(left, [sum(a == b != UNKNOWN for a, b in zip(t, given, strict=True)) for _, t in left])
        if len(exact) == 1:
            return exact[0][0]
        liked = [sum(map(self._likes, taken, given)) for _, taken in exact]
        left = self._best(exact, liked)
        if len(left) == 1:
            return left[0][0]
        return self._by_the_unknown(left, given)

    @staticmethod
    def _best(
        several: Sequence[tuple[TypedRoutine, Sequence[str]]], counts: Sequence[int]
    ) -> list[tuple[TypedRoutine, Sequence[str]]]:
        most = max(counts)
        return [one for one, count in zip(several, counts, strict=True) if count == most]

    def _likes(self, wanted: str, given: str) -> bool:
        if given == UNKNOWN:
            return False
        return wanted == given or (self.is_preferred(wanted) and self.category(wanted) == self.category(given))

    def _by_the_unknown(
        self, left: list[tuple[TypedRoutine, Sequence[str]]], given: tuple[str, ...]
    ) -> TypedRoutine:
        """Choose by what the constants in quotes are best taken for."""
        open_ = [n for n, one in enumerate(given) if one == UNKNOWN]
        if not open_:
            raise Ambiguous
        for n in open_:
            categories = {self.category(taken[n]) for _, taken in left}
            category = "S" if "S" in categories else categories.pop() if len(categories) == 1 else None
            if category is None:
                break
            of_it = [one for one in left if self.category(one[1][n]) == category]
            preferred = [one for one in of_it if self.is_preferred(one[1][n])]
            left = preferred or of_it or left
        if len(left) == 1:
            return left[0][0]
        known = {one for one in given if one != UNKNOWN}
        if len(known) == 1:
            # The constants are of the type that all the others have.
            other = known.pop()
            alike = (other,) * len(given)
            same = [one for one in left if all(map(self._accepts, one[1], alike)) and self._fits(one[1], alike)]
            if len(same) == 1:
                return same[0][0]
        raise Ambiguous


@cache
def type_system() -> TypeSystem:
    """Return what PostgreSQL 15 brings along."""
    return TypeSystem(files(__package__).joinpath("postgresql.txt").read_text(encoding="utf-8"))
