"""Changes that people keep"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None

_TIME = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.create_table(
        "kept_change",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("who", sa.String(), nullable=False),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("kept_at", _TIME, nullable=False),
        sa.Column("database", sa.String(), nullable=False),
        sa.Column("sql", sa.Text(), nullable=False),
        sa.Column("stopped", JSONB(), nullable=False),
        sa.Column("edits", JSONB(), nullable=False),
        sa.Column("late", JSONB(), nullable=False),
        sa.Column("delivers", JSONB(), nullable=False),
        sa.Column("outcome", JSONB(), nullable=False),
        sa.Column("refused", sa.Text(), nullable=True),
        sa.Column("at", _TIME, nullable=False),
        sa.Column("changed_by", sa.String(), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("kept_change")
