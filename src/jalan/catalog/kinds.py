"""The kinds of things in the catalogue and the graph, each once, with what belongs to it.

All are strings: what the store keeps, and what the API shows.
"""

from dataclasses import dataclass
from enum import StrEnum


class LinkKind(StrEnum):
    """What a link does: it carries a value, or it only decides about one, or about the rows."""

    VALUE = "value"
    CONDITION = "condition"


class How(StrEnum):
    """In what way a source column takes part."""

    IDENTITY = "identity"
    TRANSFORMATION = "transformation"
    AGGREGATION = "aggregation"
    JOIN = "join"
    FILTER = "filter"
    GROUP_BY = "group_by"
    SORT = "sort"
    WINDOW = "window"
    CONDITIONAL = "conditional"


class LinkOrigin(StrEnum):
    """Who says that there is a link: a text that was read, an event, a system's own catalogue, a person."""

    PARSED = "parsed"
    EVENT = "event"
    CATALOGUE = "catalogue"
    DECLARED = "declared"


class FieldKind(StrEnum):
    """A column of a table, an element of a report, or the star that stands for all columns nobody has named."""

    COLUMN = "column"
    ELEMENT = "element"
    STAR = "star"


class DatasetKind(StrEnum):
    """What a dataset is, where we have to know it. Systems may name others, which are kept as they are."""

    TABLE = "table"
    VIEW = "view"
    MATERIALISED_VIEW = "materialised view"
    FOREIGN_TABLE = "foreign table"
    FILE = "file"
    TOPIC = "topic"
    MODEL = "model"
    REPORT = "report"


@dataclass(frozen=True)
class _About:
    """What belongs to a kind of definition.

    origin: who says the links that it gives.
    is_sql: whether it is read by extraction, and again when the tables that it asks for have changed.
    made_by_database: whether its text is put together from what a database says of itself.
    rank: of several definitions that prove the same link the one of the lowest rank is shown first: what people
        wrote before what a system says.
    """

    origin: LinkOrigin = LinkOrigin.PARSED
    is_sql: bool = True
    made_by_database: bool = False
    rank: int = 0


_OF_DATABASE = _About(LinkOrigin.CATALOGUE, made_by_database=True)
_NO_SQL = _About(is_sql=False)


class DefinitionKind(StrEnum):
    """What a text is that defines data."""

    FILE = "file"
    ELEMENT = "element"
    ELEMENT_COLUMNS = "element_columns"
    QUERY = "query"
    EXTRACT = "extract"
    CALCULATION = "calculation"
    DECLARATION = "declaration"
    EVENT = "event"
    STATEMENT = "statement"
    FLOW = "flow"
    VIEW = "view"
    TRIGGER = "trigger"
    FUNCTION = "function"
    PROCEDURE = "procedure"
    GENERATED = "generated"
    FOREIGN_TABLE = "foreign_table"

    @property
    def about(self) -> _About:
        """What belongs to it."""
        return _ABOUT.get(self, _WRITTEN)

    @property
    def label(self) -> str:
        """Its name for people."""
        return self.replace("_", " ")


_WRITTEN = _About()
_ABOUT = {
    DefinitionKind.QUERY: _About(rank=4),
    DefinitionKind.CALCULATION: _NO_SQL,
    DefinitionKind.DECLARATION: _NO_SQL,
    DefinitionKind.EVENT: _About(LinkOrigin.EVENT, is_sql=False, rank=3),
    DefinitionKind.STATEMENT: _About(rank=1),
    DefinitionKind.FLOW: _About(LinkOrigin.CATALOGUE, is_sql=False, rank=3),
    DefinitionKind.VIEW: _About(LinkOrigin.CATALOGUE, made_by_database=True, rank=2),
    DefinitionKind.TRIGGER: _OF_DATABASE,
    DefinitionKind.FUNCTION: _OF_DATABASE,
    DefinitionKind.PROCEDURE: _OF_DATABASE,
    DefinitionKind.GENERATED: _OF_DATABASE,
    DefinitionKind.FOREIGN_TABLE: _About(LinkOrigin.CATALOGUE, is_sql=False, made_by_database=True, rank=1),
}


def definition_kind(kind: str) -> DefinitionKind:
    """Return the kind of that name. One that only a newer version, or another producer, knows is taken for a file.

    >>> definition_kind("view").about.made_by_database, definition_kind("sonnet")
    (True, <DefinitionKind.FILE: 'file'>)
    """
    try:
        return DefinitionKind(kind)
    except ValueError:
        return DefinitionKind.FILE


NOT_SQL = frozenset(kind.value for kind in DefinitionKind if not kind.about.is_sql)
"""Kinds of definitions whose links are not read out of SQL."""


MAKING_STATEMENTS = frozenset(
    """
    create_table create_table_as create_view create_materialized_view alter_view create_table_clone
    create_external_table create_dynamic_table create_stream
    """.split()
)
"""Kinds of statements that make a table, so that those after them can know its columns."""

FLOWING_STATEMENTS = frozenset(
    """
    select create_table_as create_view create_materialized_view insert update delete merge create_foreign_table
    """.split()
)
"""Kinds of statements that move data, so that it counts how far they were read."""
