"""Names of datasets as OpenLineage writes them: a namespace for the system and a name inside it.

Source: OpenLineage specification, "Naming Conventions" (PostgreSQL: ``postgres://{host}:{port}`` and
``{database}.{schema}.{table}``).
"""

from collections.abc import Mapping, Sequence

POSTGRES_PORT = 5432
_LOOPBACK = {"localhost": "127.0.0.1", "::1": "127.0.0.1"}


def postgres_namespace(host: str, port: int | None, aliases: Mapping[str, str] | None = None) -> str:
    """Return the namespace of a PostgreSQL server.

    aliases: ``host:port`` as producers write it → ``host:port`` to be known by, so that a server which moves, or
    which every producer spells in its own way, stays one system.

    >>> postgres_namespace("Tide.example", None)
    'postgres://tide.example:5432'
    >>> postgres_namespace("localhost", 6000, {"127.0.0.1:6000": "islands:5432"})
    'postgres://islands:5432'
    """
    host = host.lower()
    place = f"{_LOOPBACK.get(host, host)}:{port or POSTGRES_PORT}"
    return f"postgres://{(aliases or {}).get(place, place)}"


def full_table_name(written: str, database: str, search_path: Sequence[str]) -> str:
    """Return ``database.schema.table`` for a name as a query writes it.

    >>> full_table_name("sailings", "strait", ["core"])
    'strait.core.sailings'
    >>> full_table_name("mart.routes", "strait", ["core"])
    'strait.mart.routes'
    """
    parts = written.count(".") + 1
    if parts == 1:
        return f"{database}.{search_path[0] if search_path else 'public'}.{written}"
    return f"{database}.{written}" if parts == 2 else written
