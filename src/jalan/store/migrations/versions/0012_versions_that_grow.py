"""Which versions of its job a run has been, one after the other"""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def _to(column: str, target: str) -> sa.ForeignKeyConstraint:
    name = f"fk_run_version_{column}"
    return sa.ForeignKeyConstraint([column], [target], name=name, deferrable=True, initially="DEFERRED")


def upgrade() -> None:
    op.create_table(
        "run_version",
        sa.Column("run", sa.BigInteger(), nullable=False),
        sa.Column("job_id", sa.Integer(), nullable=False),
        sa.Column("digest", sa.String(), nullable=False),
        sa.Column("since", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("run", "digest", name="pk_run_version"),
        _to("run", "run.id"),
        _to("job_id", "job.id"),
    )
    op.create_index("ix_run_version_job", "run_version", ["job_id", "digest", "since"])


def downgrade() -> None:
    op.drop_table("run_version")
