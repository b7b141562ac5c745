"""A dialect is data: what the lexer, the grammar and name resolution look up, never a fork of them."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import Enum


class Folding(Enum):
    """What the database does to the case of an identifier written without quotes."""

    LOWER = "lower"
    UPPER = "upper"
    KEEP = "keep"

    def apply(self, text: str) -> str:
        if self is Folding.LOWER:
            return text.lower()
        return text.upper() if self is Folding.UPPER else text


@dataclass(frozen=True, slots=True, eq=False)
class Dialect:
    """Everything about one SQL dialect that reading and resolving it needs.

    name: what callers pass as ``dialect``.
    folding: of unquoted identifiers.
    identifier_quotes: pairs of opening and closing characters.
    nested_comments: whether ``/* /* */ */`` is one comment.
    dollar_strings, escape_strings: whether ``$tag$…$tag$`` and ``E'…\\n…'`` exist.
    parameter_patterns: regular expressions of placeholders for values.
    operator_precedence: binding power of each infix operator (see ``sql.expressions``).
    reserved: words that name no column, table or function.
    reserved_as_alias: further words that are no alias unless AS stands before them.
    default_schemas: where unqualified table names are looked up.
    aggregates: functions that fold many rows into one value.
    function_columns: output columns of table functions that name their own.
    system_columns: columns that every table has and no catalogue lists.
    type_names: the name the database gives a type written in SQL, where it differs
        (it decides the name of an output column that is a bare cast).
    function_names: the name of the function that stands behind special syntax or behind another name,
        for the same reason.
    unnamed: the name of an output that nothing names.
    """

    name: str
    folding: Folding
    identifier_quotes: tuple[tuple[str, str], ...]
    nested_comments: bool
    dollar_strings: bool
    escape_strings: bool
    parameter_patterns: tuple[str, ...]
    operator_precedence: Mapping[str, int]
    reserved: frozenset[str]
    reserved_as_alias: frozenset[str]
    default_schemas: tuple[str, ...]
    aggregates: frozenset[str]
    function_columns: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    system_columns: frozenset[str] = frozenset()
    type_names: Mapping[str, str] = field(default_factory=dict)
    function_names: Mapping[str, str] = field(default_factory=dict)
    unnamed: str = "?column?"
