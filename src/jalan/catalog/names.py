"""Names of datasets as OpenLineage writes them: a namespace for the system and a name inside it.

Source: OpenLineage specification, "Naming Conventions" (PostgreSQL: ``postgres://{host}:{port}`` and
``{database}.{schema}.{table}``). Producers keep to them more or less, so the same thing comes under several
spellings.
"""

import re
from collections.abc import Mapping, Sequence

POSTGRES_PORT = 5432
_SCHEMES = {
    "postgresql": "postgres",
    "sqlserver": "mssql",
    "mariadb": "mysql",
    "s3a": "s3",
    "s3n": "s3",
    "gcs": "gs",
}
_PORTS = {
    "postgres": 5432,
    "mysql": 3306,
    "mssql": 1433,
    "redshift": 5439,
    "oracle": 1521,
    "cassandra": 9042,
    "kafka": 9092,
}
_SCHEMAS = {"postgres": "public", "redshift": "public", "mssql": "dbo"}
_FOLDED_UP = frozenset({"oracle", "snowflake", "db2"})
_FOLDED_DOWN = frozenset({"postgres", "redshift", "trino"})
_PART = re.compile(r'"((?:[^"]|"")*)"|`([^`]*)`|\[([^\]]*)\]|([^.]+)')
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


def server_namespace(written: str) -> str:
    """Return the namespace of a PostgreSQL server written as ``host`` or ``host:port``. Raises ValueError.

    >>> server_namespace("Tide.example")
    'postgres://tide.example:5432'
    >>> server_namespace("islands:harbour")
    Traceback (most recent call last):
    ValueError: “islands:harbour” is no server; expected host:port
    """
    host, _, port = written.partition(":")
    if not host or (port and not port.isdigit()):
        raise ValueError(f"“{written}” is no server; expected host:port")
    return postgres_namespace(host, int(port) if port else None)


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


def place_of_file(server: str, written: str) -> tuple[str, str]:
    """Return the namespace and the name of a file that a statement names. server: the namespace of what runs it.

    Source: OpenLineage specification, "Naming Conventions": ``file://{host}`` and a path, ``s3://{bucket}`` and a
    key.

    >>> place_of_file("postgres://islands:5432", "/out/fares.csv")
    ('file://islands', '/out/fares.csv')
    >>> place_of_file("postgres://islands:5432", "s3://tides/2026/all.parquet")
    ('s3://tides', '2026/all.parquet')
    >>> place_of_file("postgres://islands:5432", "@landing/fares")
    ('postgres://islands:5432', '@landing/fares')
    """
    scheme, separator, rest = written.partition("://")
    if separator and scheme.isalnum():
        bucket, _, key = rest.partition("/")
        return normal_namespace(f"{scheme}://{bucket}"), key or "/"
    if written.startswith("@"):
        return server, written if "/" in written else f"{written}/"
    host = server.partition("://")[2].partition(":")[0] or "local"
    return f"file://{host}", written if "/" in written else f"./{written}"


def title_of(name: str) -> str:
    """Return what a dataset is called on the screen where nobody has given it a title: no database.

    >>> title_of("strait.core.sailings")
    'core.sailings'
    >>> title_of("office/ledger.v2.xlsx")
    'office/ledger.v2.xlsx'
    """
    schema, _, table = name.rpartition(".")
    return f"{schema.rpartition('.')[2]}.{table}" if schema and "/" not in name else name


def normal_namespace(written: str) -> str:
    """Return a namespace in its one spelling: scheme, host in lower case, and port.

    >>> normal_namespace("postgresql://ISLANDS")
    'postgres://islands:5432'
    >>> normal_namespace("s3a://Tides/")
    's3://Tides'
    >>> normal_namespace("reports")
    'reports'
    """
    scheme, separator, rest = written.strip().partition("://")
    if not separator:
        return written.strip()
    scheme = _SCHEMES.get(scheme.lower(), scheme.lower())
    rest = rest.rstrip("/")
    port = _PORTS.get(scheme)
    if port is None or "," in rest:
        return f"{scheme}://{rest}"
    place, slash, path = rest.rpartition("@")[2].partition("/")
    host, colon, given = place.rpartition(":")
    if not colon or not given.isdigit():
        host, given = place, str(port)
    host = host.lower()
    return f"{scheme}://{_LOOPBACK.get(host, host)}:{given}{slash}{path}"


def spellings(namespace: str, written: str, databases: Sequence[str] = ()) -> list[str]:
    """Return the names that a producer may mean, the likeliest first.

    Quotes are taken off; a name without them may be folded by the rules of its system, and may leave out the
    database (where there is one only) and the default schema.

    >>> spellings("postgres://islands:5432", 'STRAIT.core."sailing_revenue"')
    ['STRAIT.core.sailing_revenue', 'strait.core.sailing_revenue']
    >>> spellings("postgres://islands:5432", "fares", ["strait"])
    ['fares', 'strait.public.fares']
    """
    scheme = namespace.partition("://")[0]
    if scheme not in _PORTS and scheme not in _FOLDED_UP | _FOLDED_DOWN:
        return [written]
    exact, folded = [], []
    for double, back, bracket, plain in _PART.findall(written):
        quoted = double.replace('""', '"') or back or bracket
        exact.append(quoted or plain)
        down, up = scheme in _FOLDED_DOWN, scheme in _FOLDED_UP
        folded.append(quoted or (plain.lower() if down else plain.upper() if up else plain))
    if not exact:
        return [written]
    found = [".".join(exact), ".".join(folded)]
    default = _SCHEMAS.get(scheme)
    if default is not None and len(databases) == 1:
        for parts in (exact, folded):
            if len(parts) == 2:
                found.append(".".join([databases[0], *parts]))
            elif len(parts) == 1:
                found.append(".".join([databases[0], default, *parts]))
    return list(dict.fromkeys(found))
