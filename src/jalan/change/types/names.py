"""Names of types as people write them and as PostgreSQL says them."""

import re
from dataclasses import dataclass

_SPELLED = {
    "int": "integer", "int2": "smallint", "int4": "integer", "int8": "bigint", "serial": "integer",
    "serial4": "integer", "bigserial": "bigint", "serial8": "bigint", "smallserial": "smallint",
    "serial2": "smallint",
    "decimal": "numeric", "dec": "numeric", "float4": "real", "float8": "double precision",
    "float": "double precision", "bool": "boolean", "varchar": "character varying",
    "char varying": "character varying",
    "bpchar": "character", "char": "character", "nchar": "character", "varbit": "bit varying",
    "timestamp": "timestamp without time zone", "timestamptz": "timestamp with time zone",
    "time": "time without time zone", "timetz": "time with time zone",
}  # fmt: skip
_FIXED = frozenset({"character", "bit"})
"""Types that have a length of one where none is said."""
_WRITTEN = re.compile(
    r'\s*("?[\w ."]+?"?)\s*(?:\(([^()]*)\)\s*([\w ]*))?\s*((?:\[\d*\]|array\b)\s*)*\Z', re.IGNORECASE
)
_INTEGERS = ("smallint", "integer", "bigint")
_STRINGS = frozenset({"text", "character varying"})
_LONGEST = 200  # characters


@dataclass(frozen=True, slots=True)
class TypeName:
    """A type. base: its name as PostgreSQL says it, of arrays with ``[]`` at the end. modifier: what stands in
    parentheses: lengths, precision and scale; none where none is said."""

    base: str
    modifier: str = ""

    def __str__(self) -> str:
        if not self.modifier:
            return self.base
        element = self.base.removesuffix("[]")
        first, _, rest = (
            element.partition(" ") if element.startswith(("timestamp ", "time ")) else (element, "", "")
        )
        written = f"{first}({self.modifier})" + (f" {rest}" if rest else "")
        return written + self.base[len(element) :]

    @property
    def is_array(self) -> bool:
        """Whether it is an array of others."""
        return self.base.endswith("[]")

    def element(self) -> "TypeName":
        """Return what an array is made of."""
        return TypeName(self.base.removesuffix("[]"), self.modifier)

    def array(self) -> "TypeName":
        """Return the array of it."""
        return self if self.is_array else TypeName(f"{self.base}[]", self.modifier)


def is_wider(one: TypeName, other: TypeName) -> bool:
    """Whether the values of a type stay what they are in another one, and whatever is made of them does, too.

    >>> is_wider(TypeName("integer"), TypeName("bigint")), is_wider(TypeName("integer"), TypeName("numeric"))
    (True, False)
    """
    if one.base in _INTEGERS and other.base in _INTEGERS:
        return _INTEGERS.index(one.base) <= _INTEGERS.index(other.base)
    if one.base in _STRINGS and other.base in _STRINGS:
        return not other.modifier or (bool(one.modifier) and int(other.modifier) >= int(one.modifier))
    if one.base == other.base == "numeric" and one.modifier and other.modifier:
        (width, scale), (wider, other_scale) = (_digits(each.modifier) for each in (one, other))
        return scale == other_scale and wider >= width
    return one == other


def _digits(modifier: str) -> tuple[int, int]:
    parts = [int(part) for part in modifier.split(",") if part.lstrip("-").isdecimal()]
    return (parts[0] if parts else 0, parts[1] if len(parts) > 1 else 0)


def declared_type(written: str) -> TypeName | None:
    """Return the type that a declaration or a cast names; none where it is no name of a type.

    >>> declared_type("varchar(20)")
    TypeName(base='character varying', modifier='20')
    >>> str(declared_type("timestamp(3) with time zone"))
    'timestamp(3) with time zone'
    """
    found = _WRITTEN.match(" ".join(written.split())) if len(written) <= _LONGEST else None
    if found is None:
        return None
    name = " ".join(part for part in (found[1].strip(), (found[3] or "").strip()) if part)
    modifier = ",".join(part.strip() for part in (found[2] or "").split(","))
    is_array = found[4] is not None
    base = name if name.startswith('"') else name.lower()
    base = base.removeprefix("pg_catalog.")
    if base == '"char"' or base.startswith('"'):
        return TypeName(base, modifier)
    if modifier and base == "float":
        return TypeName("real" if modifier.isdecimal() and int(modifier) < 25 else "double precision")
    base = _SPELLED.get(base, base)
    if base in _FIXED and not modifier:
        modifier = "1"
    one = TypeName(base, modifier)
    return one.array() if is_array else one
