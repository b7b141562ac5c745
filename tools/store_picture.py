"""Draw the tables of the store into docs/store.md, from their declarations: python -m tools.store_picture."""

from pathlib import Path

from jalan.store.schema import Base

PLACE = Path(__file__).parents[1] / "docs" / "store.md"
_HEAD = """\
# The store

PostgreSQL, through SQLAlchemy (`jalan.store.schema`), migrated by Alembic. Names stand in `system`, `container`,
`dataset` and `field`; what defines data in `definition` with its `statement`s, `link`s and `diagnostic`s, which
hold from and until; what feeds Jalan in `source` and `ingestion`, with each source's `claim`s, `declaration`s and
the `revision`s of its files; who uses what in `query`, `use`, `query_field` and `report_view`. What any row said
before it was changed is kept in `past` by triggers.

Drawn by `python -m tools.store_picture` from the tables themselves: keys, and the columns that lead elsewhere.

"""


def drawn() -> str:
    """Return the page."""
    lines = ["```mermaid", "erDiagram"]
    for table in sorted(Base.metadata.tables.values(), key=lambda table: table.name):
        lines.append(f"    {table.name} {{")
        for column in table.columns:
            key = "PK" if column.primary_key else "FK" if column.foreign_keys else ""
            if key:
                lines.append(f"        {column.type.__class__.__name__.lower()} {column.name} {key}")
        lines.append("    }")
        for constraint in sorted(table.foreign_key_constraints, key=lambda one: one.column_keys):
            optional = any(column.nullable for column in constraint.columns)
            one = "|o" if optional else "||"
            lines.append(
                f"    {constraint.referred_table.name} {one}--o{{ {table.name} : {constraint.column_keys[0]}"
            )
    return _HEAD + "\n".join([*lines, "```", ""])


if __name__ == "__main__":
    PLACE.write_text(drawn())
