"""The dialects that Jalan reads, by name."""

from difflib import get_close_matches

from jalan.sql.dialects.ansi import ANSI
from jalan.sql.dialects.bigquery import BIGQUERY
from jalan.sql.dialects.dialect import Dialect
from jalan.sql.dialects.duckdb import DUCKDB
from jalan.sql.dialects.mysql import MYSQL
from jalan.sql.dialects.oracle import ORACLE
from jalan.sql.dialects.postgresql import POSTGRESQL
from jalan.sql.dialects.redshift import REDSHIFT
from jalan.sql.dialects.snowflake import SNOWFLAKE
from jalan.sql.dialects.spark import SPARK
from jalan.sql.dialects.sqlite import SQLITE
from jalan.sql.dialects.trino import TRINO
from jalan.sql.dialects.tsql import TSQL

DIALECTS: dict[str, Dialect] = {
    dialect.name: dialect
    for dialect in (
        ANSI, POSTGRESQL, MYSQL, SQLITE, DUCKDB, SPARK, TRINO, BIGQUERY, SNOWFLAKE, REDSHIFT, TSQL, ORACLE,
    )
}  # fmt: skip


ALIASES = {
    "postgres": "postgresql", "pg": "postgresql", "psql": "postgresql", "plpgsql": "postgresql",
    "greenplum": "postgresql", "cockroachdb": "postgresql", "alloydb": "postgresql",
    "mssql": "tsql", "sqlserver": "tsql", "t-sql": "tsql", "transact-sql": "tsql", "synapse": "tsql",
    "fabric": "tsql", "azuresql": "tsql",
    "mariadb": "mysql", "aurora": "mysql", "percona": "mysql",
    "sparksql": "spark", "spark2": "spark", "spark3": "spark", "hive": "spark", "hiveql": "spark",
    "databricks": "spark", "pyspark": "spark",
    "presto": "trino", "prestodb": "trino", "athena": "trino", "starburst": "trino",
    "googlesql": "bigquery", "bq": "bigquery", "zetasql": "bigquery",
    "snowsql": "snowflake",
    "sqlite3": "sqlite",
    "plsql": "oracle", "pl/sql": "oracle",
    "sql": "ansi", "standard": "ansi", "iso": "ansi", "generic": "ansi",
    "amazonredshift": "redshift",
}  # fmt: skip
"""Other names that people give the dialects, without spaces, dashes and underscores but for those shown."""


class UnknownDialect(ValueError):
    """The asked-for dialect is not one that Jalan reads."""

    def __init__(self, name: str, known: list[str]) -> None:
        near = get_close_matches(name.lower(), [*known, *ALIASES], n=1)
        hint = f"did you mean {near[0]!r}? " if near else ""
        super().__init__(f"unknown dialect {name!r}; {hint}known: auto, {', '.join(known)}")


def dialect_name(name: str) -> str:
    """Return the name that Jalan has for a dialect; raises UnknownDialect, which names the nearest.

    >>> dialect_name("postgres"), dialect_name("SQL Server"), dialect_name("Spark-SQL")
    ('postgresql', 'tsql', 'spark')
    """
    if name in DIALECTS:
        return name
    lower = name.strip().lower()
    plain = lower.replace(" ", "").replace("-", "").replace("_", "")
    for candidate in (lower, plain):
        found = ALIASES.get(candidate, candidate)
        if found in DIALECTS:
            return found
    raise UnknownDialect(name, sorted(DIALECTS))


def get_dialect(name: str) -> Dialect:
    """Return the dialect of that name; raises UnknownDialect, which lists the known ones."""
    return DIALECTS[dialect_name(name)]
