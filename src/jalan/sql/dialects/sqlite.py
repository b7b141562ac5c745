"""SQLite 3. Source: its documentation, "SQL As Understood By SQLite" with its syntax diagrams."""

from jalan.sql.dialects import common
from jalan.sql.dialects.common import words
from jalan.sql.dialects.dialect import Dialect, Folding, Naming

SQLITE = Dialect(
    name="sqlite",
    title="SQLite",
    folding=Folding.KEEP,
    identifier_quotes=(('"', '"'), ("`", "`"), ("[", "]")),
    string_prefixes=r"[xX]",
    parameter_patterns=(r"\?\d*", r"[:@$][A-Za-z_]\w*"),
    operators=common.OPERATORS | words("->> << >> =="),
    operator_precedence=common.PRECEDENCE | {"glob": 6, "regexp": 6, "match": 6},
    reserved=(common.RESERVED | words("limit")) - words("column for"),
    reserved_as_alias=common.ALIAS_STOPPERS | words("indexed glob regexp match filter over"),
    default_schemas=("main", "temp"),
    aggregates=common.AGGREGATES | words("total json_group_array json_group_object"),
    table_functions={
        "json_each": ("key", "value", "type", "atom", "id", "parent", "fullkey", "path"),
        "json_tree": ("key", "value", "type", "atom", "id", "parent", "fullkey", "path"),
        "generate_series": ("value",),
    },
    system_columns=words("rowid oid _rowid_"),
    deciding=common.DECIDING,
    paths=common.PATHS,
    naming=Naming.WRITTEN,
    string_aliases=True,
    implicit_recursion=True,
    tells=(
        (r"\bpragma\b", "PRAGMA"),
        (r"\bautoincrement\b", "AUTOINCREMENT"),
        (r"\bwithout\s+rowid\b", "WITHOUT ROWID"),
        (r"\binsert\s+or\s+(replace|ignore|abort|fail|rollback)\b", "INSERT OR …"),
        (r"\bglob\b", "GLOB"),
        (r"\bsqlite_\w+", "sqlite_ names"),
    ),
)
