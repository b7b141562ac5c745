"""Sources with their runs, aliases, claims, revisions, and the uses that query history tells of"""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def _time(name: str, nullable: bool = False) -> "sa.Column[Any]":
    return sa.Column(name, sa.DateTime(timezone=True), nullable=nullable)


def _reference(name: str, table: str, nullable: bool = False) -> "sa.Column[Any]":
    return sa.Column(
        name, sa.Integer(), sa.ForeignKey(f"{table}.id", deferrable=True, initially="DEFERRED"), nullable=nullable
    )


def upgrade() -> None:
    for table, columns in {
        "container": ("system_id", "parent_id"),
        "dataset": ("system_id", "container_id"),
        "field": ("dataset_id",),
        "job": ("parent_id",),
        "definition": ("system_id", "dataset_id", "field_id", "job_id"),
        "statement": ("definition_id",),
        "link": ("source_field_id", "target_dataset_id", "target_field_id", "definition_id", "statement_id"),
        "diagnostic": ("definition_id",),
    }.items():
        for column in columns:
            op.execute(f"alter table {table} alter constraint fk_{table}_{column} deferrable initially deferred")
    op.create_table(
        "source",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("name", sa.String(), nullable=False, unique=True),
        sa.Column("config", JSONB(), nullable=False),
        sa.Column("secrets", sa.LargeBinary(), nullable=True),
        sa.Column("schedule", sa.String(), nullable=True),
        sa.Column("state", JSONB(), nullable=False),
        _time("created_at"),
        sa.Column("created_by", sa.String(), nullable=False),
        _time("removed_at", True),
    )
    op.add_column("ingestion", _reference("source_id", "source", True))
    op.add_column("ingestion", sa.Column("who", sa.String(), nullable=False, server_default=""))
    op.add_column("ingestion", sa.Column("progress", JSONB(none_as_null=True), nullable=True))
    op.add_column("ingestion", sa.Column("cancel", sa.Boolean(), nullable=False, server_default=sa.text("false")))
    op.add_column("ingestion", sa.Column("notes", JSONB(), nullable=False, server_default=sa.text("'[]'::jsonb")))
    op.add_column("ingestion", sa.Column("coverage", JSONB(none_as_null=True), nullable=True))
    op.create_index("ix_ingestion_source_id", "ingestion", ["source_id"])

    op.add_column("definition", _reference("source_id", "source", True))
    op.add_column("definition", sa.Column("revision", sa.String(), nullable=True))
    op.add_column("definition", _time("authored_at", True))
    op.add_column("definition", sa.Column("author", sa.String(), nullable=True))
    op.add_column("definition", sa.Column("asked", JSONB(none_as_null=True), nullable=True))
    op.add_column("definition", sa.Column("coverage", JSONB(none_as_null=True), nullable=True))
    op.create_index("ix_definition_source_id", "definition", ["source_id"])

    op.add_column("dataset", sa.Column("bytes", sa.BigInteger(), nullable=True))
    op.alter_column("dataset", "rows", type_=sa.BigInteger())
    op.add_column("dataset", sa.Column("facts", JSONB(), nullable=False, server_default=sa.text("'{}'::jsonb")))
    op.add_column("field", sa.Column("facts", JSONB(), nullable=False, server_default=sa.text("'{}'::jsonb")))
    op.add_column("job", sa.Column("owner", sa.String(), nullable=True))
    op.add_column("job", sa.Column("schedule", sa.String(), nullable=True))

    op.create_table(
        "alias",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("from_namespace", sa.String(), nullable=False),
        sa.Column("from_name", sa.String(), nullable=False),
        sa.Column("to_namespace", sa.String(), nullable=False),
        sa.Column("to_name", sa.String(), nullable=False),
        sa.Column("origin", sa.String(), nullable=False),
        _reference("source_id", "source", True),
        sa.Column("who", sa.String(), nullable=False),
        sa.Column("note", sa.String(), nullable=True),
        _time("valid_from"),
        _time("valid_to", True),
        sa.Column("ended_by", sa.String(), nullable=True),
    )
    op.create_index(
        "uq_alias_from_valid",
        "alias",
        ["from_namespace", "from_name"],
        unique=True,
        postgresql_where=sa.text("valid_to is null"),
    )
    op.create_table(
        "claim",
        sa.Column("id", sa.Integer(), primary_key=True),
        _reference("dataset_id", "dataset"),
        _reference("source_id", "source"),
        sa.Column("itself", sa.Boolean(), nullable=False),
        sa.Column("columns", JSONB(), nullable=False),
        _time("valid_from"),
        _time("valid_to", True),
    )
    op.create_index(
        "uq_claim_valid",
        "claim",
        ["dataset_id", "source_id"],
        unique=True,
        postgresql_where=sa.text("valid_to is null"),
    )
    op.create_table(
        "revision",
        sa.Column("id", sa.Integer(), primary_key=True),
        _reference("source_id", "source"),
        sa.Column("key", sa.String(), nullable=False),
        sa.Column("revision", sa.String(), nullable=False),
        sa.Column("change", sa.String(), nullable=False),
        sa.Column("path", sa.String(), nullable=False),
        _time("authored_at"),
        sa.Column("author", sa.String(), nullable=False),
        sa.Column("summary", sa.String(), nullable=False),
        sa.Column("text", sa.String(), nullable=True),
        sa.UniqueConstraint("key", "revision", name="uq_revision_key_revision"),
    )
    op.create_table(
        "query",
        sa.Column("id", sa.Integer(), primary_key=True),
        _reference("source_id", "source"),
        _reference("definition_id", "definition"),
        sa.Column("fingerprint", sa.String(), nullable=False),
        sa.Column("database", sa.String(), nullable=False),
        _time("first_at"),
        _time("last_at"),
        sa.UniqueConstraint("source_id", "database", "fingerprint", name="uq_query_source_id_database_fingerprint"),
    )
    op.create_index("ix_query_definition_id", "query", ["definition_id"])
    op.create_table(
        "use",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        _reference("query_id", "query"),
        sa.Column("day", sa.Date(), nullable=False),
        sa.Column("person", sa.String(), nullable=False),
        sa.Column("role", sa.String(), nullable=False),
        sa.Column("application", sa.String(), nullable=False),
        sa.Column("runs", sa.BigInteger(), nullable=False),
        sa.Column("duration_ms", sa.Float(), nullable=False),
        sa.Column("rows", sa.BigInteger(), nullable=False),
        sa.Column("bytes", sa.BigInteger(), nullable=False),
        sa.UniqueConstraint("query_id", "day", "person", "role", "application", name="uq_use"),
    )
    op.create_table(
        "query_field",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        _reference("query_id", "query"),
        _reference("dataset_id", "dataset"),
        _reference("field_id", "field", True),
        sa.Column("how", sa.String(), nullable=False),
    )
    op.create_index("ix_query_field_query_id", "query_field", ["query_id"])
    op.create_index("ix_query_field_dataset_id", "query_field", ["dataset_id"])
    op.create_table(
        "report_view",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        _reference("source_id", "source"),
        _reference("dataset_id", "dataset"),
        sa.Column("person", sa.String(), nullable=False),
        sa.Column("day", sa.Date(), nullable=False),
        sa.Column("views", sa.Integer(), nullable=False),
        sa.UniqueConstraint("dataset_id", "person", "day", name="uq_report_view"),
    )


def downgrade() -> None:
    # The constraints stay deferrable: that takes nothing from the older code.
    for table in ("report_view", "query_field", "use", "query", "revision", "claim", "alias"):
        op.drop_table(table)
    for table, columns in {
        "job": ("owner", "schedule"),
        "field": ("facts",),
        "dataset": ("bytes", "facts"),
        "definition": ("source_id", "revision", "authored_at", "author", "asked", "coverage"),
        "ingestion": ("source_id", "who", "progress", "cancel", "notes", "coverage"),
    }.items():
        for column in columns:
            op.drop_column(table, column)
    op.drop_table("source")
