"""The dialects that Jalan reads, by name."""

from jalan.sql.dialect import Dialect
from jalan.sql.dialects.ansi import ANSI
from jalan.sql.dialects.bigquery import BIGQUERY
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


class UnknownDialect(ValueError):
    """The asked-for dialect is not one that Jalan reads."""

    def __init__(self, name: str, known: list[str]) -> None:
        super().__init__(f"unknown dialect {name!r}; known: auto, {', '.join(known)}")


def get_dialect(name: str) -> Dialect:
    """Return the dialect of that name; raises UnknownDialect, which lists the known ones."""
    try:
        return DIALECTS[name]
    except KeyError:
        raise UnknownDialect(name, sorted(DIALECTS)) from None
