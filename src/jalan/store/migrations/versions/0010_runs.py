"""Events as they are received, and the runs that they add up to"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None

_TIME = sa.DateTime(timezone=True)


def _to(table: str, column: str, target: str) -> sa.ForeignKeyConstraint:
    name = f"fk_{table}_{column}"
    return sa.ForeignKeyConstraint([column], [target], name=name, deferrable=True, initially="DEFERRED")


def upgrade() -> None:
    op.execute("create schema partitions")
    op.execute(
        "create table event (at timestamptz not null, digest bytea not null, "
        "received_at timestamptz not null default now(), type varchar not null, run uuid, "
        "namespace varchar not null, name varchar not null, raw text not null, "
        "constraint pk_event primary key (at, digest)) partition by range (at)"
    )
    op.execute("create index ix_event_run on event (run, at) where run is not null")
    op.execute("create index ix_event_name on event (namespace, name, at)")
    op.execute("create table partitions.event_other partition of event default")
    op.create_table(
        "event_waiting",
        sa.Column("id", sa.BigInteger(), primary_key=True, autoincrement=True),
        sa.Column("at", _TIME, nullable=False),
        sa.Column("digest", sa.LargeBinary(), nullable=False),
    )
    op.create_table(
        "event_refused",
        sa.Column("at", _TIME, nullable=False),
        sa.Column("digest", sa.LargeBinary(), nullable=False),
        sa.Column("why", sa.String(), nullable=False),
        sa.PrimaryKeyConstraint("at", "digest", name="pk_event_refused"),
    )
    op.create_table(
        "dataset_name",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("namespace", sa.String(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("dataset_id", sa.Integer(), nullable=True),
        sa.Column("facets", JSONB(), nullable=False, server_default=sa.text("'{}'::jsonb")),
        sa.Column("untold", sa.Boolean(), nullable=False, server_default=sa.text("true")),
        sa.UniqueConstraint("namespace", "name", name="uq_dataset_name_namespace_name"),
        _to("dataset_name", "dataset_id", "dataset.id"),
    )
    op.create_index("ix_dataset_name_dataset_id", "dataset_name", ["dataset_id"])
    op.create_index("ix_dataset_name_untold", "dataset_name", ["id"], postgresql_where=sa.text("untold"))
    op.add_column("job", sa.Column("facets", JSONB(), nullable=False, server_default=sa.text("'{}'::jsonb")))
    op.add_column("job", sa.Column("told", sa.String(), nullable=True))
    op.add_column("job", sa.Column("untold", sa.Boolean(), nullable=False, server_default=sa.text("false")))
    op.create_index("ix_job_untold", "job", ["id"], postgresql_where=sa.text("untold"))
    op.create_table(
        "run",
        sa.Column("id", sa.BigInteger(), primary_key=True, autoincrement=True),
        sa.Column("run_id", sa.Uuid(), nullable=False),
        sa.Column("job_id", sa.Integer(), nullable=False),
        sa.Column("parent", sa.Uuid(), nullable=True),
        sa.Column("root", sa.Uuid(), nullable=True),
        sa.Column("parent_job_id", sa.Integer(), nullable=True),
        sa.Column("root_job_id", sa.Integer(), nullable=False),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("started_at", _TIME, nullable=False),
        sa.Column("ended_at", _TIME, nullable=True),
        sa.Column("last_at", _TIME, nullable=False),
        sa.Column("nominal_at", _TIME, nullable=True),
        sa.Column("took", sa.Float(), nullable=True),
        sa.Column("rows", sa.BigInteger(), nullable=True),
        sa.Column("bytes", sa.BigInteger(), nullable=True),
        sa.Column("message", sa.String(), nullable=False),
        sa.Column("who", sa.String(), nullable=False),
        sa.Column("code", sa.String(), nullable=False),
        sa.Column("version", sa.String(), nullable=True),
        sa.Column("events", sa.Integer(), nullable=False),
        sa.Column("words", sa.String(), nullable=False),
        sa.Column("fold", JSONB(), nullable=False),
        sa.UniqueConstraint("run_id", name="uq_run_run_id"),
        _to("run", "job_id", "job.id"),
        _to("run", "parent_job_id", "job.id"),
        _to("run", "root_job_id", "job.id"),
    )
    op.execute("create index ix_run_started on run (started_at desc, id desc) include (state, events)")
    op.execute("create index ix_run_job_started on run (job_id, started_at desc)")
    op.execute("create index ix_run_state_started on run (state, started_at desc)")
    op.execute("create index ix_run_parent on run (parent) where parent is not null")
    op.execute("create index ix_run_parent_job on run (parent_job_id, job_id)")
    op.execute("create index ix_run_words on run using gin (words gin_trgm_ops)")
    op.create_table(
        "run_dataset",
        sa.Column("run", sa.BigInteger(), nullable=False),
        sa.Column("side", sa.String(), nullable=False),
        sa.Column("name_id", sa.Integer(), nullable=False),
        sa.Column("rows", sa.BigInteger(), nullable=True),
        sa.Column("bytes", sa.BigInteger(), nullable=True),
        sa.Column("version", sa.String(), nullable=False),
        sa.PrimaryKeyConstraint("run", "side", "name_id", name="pk_run_dataset"),
        _to("run_dataset", "run", "run.id"),
        _to("run_dataset", "name_id", "dataset_name.id"),
    )
    op.execute("create index ix_run_dataset_name on run_dataset (name_id, side, run desc)")
    op.create_table(
        "job_version",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("job_id", sa.Integer(), nullable=False),
        sa.Column("digest", sa.String(), nullable=False),
        sa.Column("code_digest", sa.String(), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("text", sa.Text(), nullable=False),
        sa.Column("dialect", sa.String(), nullable=False),
        sa.Column("place", sa.String(), nullable=False),
        sa.Column("revision", sa.String(), nullable=False),
        sa.Column("inputs", JSONB(), nullable=False),
        sa.Column("outputs", JSONB(), nullable=False),
        sa.Column("first_at", _TIME, nullable=False),
        sa.UniqueConstraint("job_id", "digest", name="uq_job_version_job_id_digest"),
        _to("job_version", "job_id", "job.id"),
    )
    op.create_table(
        "kept_search",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("query", JSONB(), nullable=False),
        sa.Column("who", sa.String(), nullable=False),
        sa.Column("kept_at", _TIME, nullable=False),
        sa.UniqueConstraint("name", name="uq_kept_search_name"),
    )


def downgrade() -> None:
    for table in ("kept_search", "job_version", "run_dataset", "run"):
        op.drop_table(table)
    op.drop_index("ix_job_untold")
    for column in ("facets", "told", "untold"):
        op.drop_column("job", column)
    for table in ("dataset_name", "event_refused", "event_waiting", "event"):
        op.drop_table(table)
    op.execute("drop schema partitions")
