"""When a version of a job began is told by its runs"""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.drop_column("job_version", "first_at")
    op.execute("create index ix_run_version on run (job_id, version, started_at) where version is not null")


def downgrade() -> None:
    op.execute("drop index ix_run_version")
    op.add_column(
        "job_version",
        sa.Column("first_at", sa.DateTime(timezone=True), nullable=False, server_default=sa.text("now()")),
    )
