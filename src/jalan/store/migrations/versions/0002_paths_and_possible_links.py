"""Links say which part of a column they take, and whether they are only possible"""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("link", sa.Column("path", sa.String(), server_default="", nullable=False))
    op.add_column("link", sa.Column("possible", sa.Boolean(), server_default=sa.text("false"), nullable=False))


def downgrade() -> None:
    op.drop_column("link", "possible")
    op.drop_column("link", "path")
