"""Relations and routines as they are written in the SQL of a plan."""

from jalan.change.stored import FOREIGN, StoredRelation, StoredRoutine
from jalan.sql.dialects import get_dialect
from jalan.sql.lexer import WORD, tokenize

POSTGRESQL = get_dialect("postgresql")


def quoted(name: str) -> str:
    """A name as it is written in SQL."""
    tokens = tokenize(name, POSTGRESQL)
    plain = len(tokens.kinds) == 2 and tokens.kinds[0] == WORD and name == name.lower()
    return name if plain and name not in POSTGRESQL.reserved else '"' + name.replace('"', '""') + '"'


def whole_name(name: str) -> str:
    return ".".join(map(quoted, name.split(".")))


def showing(foreign: str, name: str, column: str | None, new: str) -> str:
    """What lets a foreign table show another table, or its column ``name`` another column."""
    written = "'" + new.replace("'", "''") + "'"
    if column is None:
        return f"alter foreign table {foreign} options (set table_name {written})"
    return f"alter foreign table {foreign} alter column {quoted(name)} options (set column_name {written})"


def short_name(one: StoredRelation | StoredRoutine) -> str:
    """The name of something in its own database; of a routine with what it is called with."""
    return ".".join(map(quoted, one.name.split(".")[-2:])) + _arguments(one)


def name_of(one: StoredRelation | StoredRoutine) -> str:
    """The name of something with that of another database in front."""
    return whole_name(one.name) + _arguments(one)


def _arguments(one: StoredRelation | StoredRoutine) -> str:
    return f"({', '.join(one.takes.arguments)})" if isinstance(one, StoredRoutine) else ""


def database_of(one: StoredRelation | StoredRoutine) -> str:
    parts = one.name.split(".")
    return parts[0] if len(parts) > 2 else ""


def columns_of(relation: StoredRelation) -> list[str]:
    return [f"{quoted(name)} {relation.type_of(name) or '…'}" for name in relation.columns]


def made_again(relation: StoredRelation | StoredRoutine) -> str:
    """What makes something again."""
    if isinstance(relation, StoredRoutine):
        return relation.text.strip().rstrip(";")
    if relation.query is None:
        word = "foreign table" if relation.kind == FOREIGN else "table"
        return f"create {word} {short_name(relation)} ({', '.join(columns_of(relation))})"
    names = ", ".join(map(quoted, relation.columns))
    query = relation.query.text.strip().rstrip(";")
    return f"create {relation.words} {short_name(relation)} ({names}) as\n{query}"
