"""Texts are found by what they ask for, make, call and define, so that a change reads only what it touches"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import ARRAY

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("definition", sa.Column("reader", sa.String(), nullable=True))
    op.add_column(
        "definition", sa.Column("names", ARRAY(sa.Text()), nullable=False, server_default=sa.text("'{}'"))
    )
    op.execute("create index ix_definition_names on definition using gin (names) where valid_to is null")
    op.execute(
        "create index ix_definition_reader on definition (system_id, database, reader) where valid_to is null"
    )
    op.execute("create index ix_definition_key_words on definition (key text_pattern_ops) where valid_to is null")
    op.create_index("ix_definition_valid_to", "definition", ["valid_to"])
    op.create_table(
        "relinked",
        sa.Column("system_id", sa.Integer(), primary_key=True),
        sa.Column("database", sa.String(), primary_key=True),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("seen", sa.String(), nullable=False),
        sa.Column("xact", sa.String(), nullable=False),
        sa.Column("complete", sa.Boolean(), nullable=False),
        sa.ForeignKeyConstraint(
            ["system_id"], ["system.id"], name="fk_relinked_system_id", deferrable=True, initially="DEFERRED"
        ),
    )


def downgrade() -> None:
    op.drop_table("relinked")
    op.drop_index("ix_definition_valid_to")
    op.drop_index("ix_definition_key_words")
    op.drop_column("definition", "names")
    op.drop_column("definition", "reader")
