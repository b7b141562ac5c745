"""States of all texts under a name, and what was taken over into them"""

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None

_TIME = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.add_column("kept_change", sa.Column("dialect", sa.String(), nullable=True))
    op.create_table(
        "baseline",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("name", sa.String(), nullable=False, unique=True),
        sa.Column(
            "system_id",
            sa.Integer(),
            sa.ForeignKey("system.id", deferrable=True, initially="DEFERRED"),
            nullable=False,
        ),
        sa.Column("database", sa.String(), nullable=False),
        sa.Column("at", _TIME, nullable=False),
        sa.Column("protected", sa.Boolean(), nullable=False),
        sa.Column("made_at", _TIME, nullable=False),
        sa.Column("made_by", sa.String(), nullable=False),
    )
    op.create_table(
        "baseline_text",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("baseline_id", sa.Integer(), sa.ForeignKey("baseline.id", ondelete="CASCADE"), nullable=False),
        sa.Column("key", sa.String(), nullable=False),
        sa.Column("place", sa.String(), nullable=False),
        sa.Column("text", sa.Text(), nullable=True),
        sa.Column("taken_at", _TIME, nullable=False),
        sa.Column("who", sa.String(), nullable=False),
        sa.Column("source", sa.String(), nullable=False),
    )
    op.create_index("ix_baseline_text_baseline_id", "baseline_text", ["baseline_id"])


def downgrade() -> None:
    op.drop_column("kept_change", "dialect")
    op.drop_table("baseline_text")
    op.drop_table("baseline")
