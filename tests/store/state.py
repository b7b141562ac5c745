"""The whole content of a store without ids and times, to compare two of them."""

from collections import Counter
from typing import Any

from sqlalchemy import Engine, inspect, text

_LEFT_OUT = {"alembic_version", "graph_version", "ingestion", "relinked", "source", "past"}
_TIMES = {"first_seen", "scanned_at", "gone_since", "valid_from", "valid_to", "since", "created_at", "authored_at",
          "first_at", "last_at"}  # fmt: skip
_NAMES = {
    "system": "namespace", "container": "path", "dataset": "name", "field": "name", "job": "name",
    "definition": "key", "query": "fingerprint", "source": "name", "statement": "ordinal",
}  # fmt: skip


def content(engine: Engine) -> dict[str, Counter[Any]]:
    """Return table → rows with how often each is there; references are shown by the name of what they lead to."""
    found: dict[str, Counter[Any]] = {}
    schema = inspect(engine)
    with engine.connect() as connection:
        names: dict[str, dict[int, Any]] = {}
        for table in schema.get_table_names():
            if table in _NAMES:
                rows = connection.execute(text(f'select id, "{_NAMES[table]}"::text from "{table}"'))
                names[table] = {id_: name for id_, name in rows.all()}  # noqa: C416
        for table in schema.get_table_names():
            if table in _LEFT_OUT:
                continue
            leads = {k["constrained_columns"][0]: k["referred_table"] for k in schema.get_foreign_keys(table)}
            rows = connection.execute(text(f'select * from "{table}"')).mappings()
            found[table] = Counter(
                tuple(
                    (name, _shown(name, value, names.get(leads[name], {}) if name in leads else None))
                    for name, value in row.items()
                    if name not in ("id", "changed")
                )
                for row in rows
            )
    return found


def _shown(name: str, value: Any, leads: dict[int, Any] | None) -> Any:
    if value is None:
        return None
    if leads is not None:
        return leads.get(value, "?")
    if name in _TIMES:
        return "a time"
    return repr(value) if isinstance(value, dict | list) else value


def counts(engine: Engine) -> dict[str, int]:
    """Return table → number of rows, without the log of runs."""
    return {table: sum(rows.values()) for table, rows in content(engine).items()}
