"""What rows said before they were changed is kept, so that the past can be shown as it was"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None

# Which columns make up what is shown, by table. That a scan has found a dataset once more is told by its system.
_SHOWN = {
    "system": ("namespace", "kind", "scanned_at"),
    "container": ("path", "kind", "description", "owner"),
    "dataset": (
        "container_id",
        "name",
        "title",
        "kind",
        "description",
        "owner",
        "address",
        "rows",
        "bytes",
        "facts",
        "placeholder",
        "gone_since",
    ),
    "field": ("name", "kind", "type", "ordinal", "description", "facts", "placeholder", "gone_since"),
    "definition": ("revision", "authored_at", "author"),
    "statement": ("kind", "start", "end"),
}
_LEFT_OUT = {"definition": ("text", "asked", "coverage", "template")}


def upgrade() -> None:
    op.create_table(
        "past",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column("of_table", sa.String(), nullable=False),
        sa.Column("row_id", sa.Integer(), nullable=False),
        sa.Column("valid_to", sa.DateTime(timezone=True), nullable=False),
        sa.Column("content", JSONB(), nullable=False),
        sa.UniqueConstraint("of_table", "row_id", "valid_to", name="uq_past"),
    )
    op.create_index("ix_past_of_table_valid_to", "past", ["of_table", "valid_to"])
    # Of several changes at one time the first has what was there before.
    op.execute(
        """
        create function keep_past() returns trigger language plpgsql as $$
        begin
            insert into past (of_table, row_id, valid_to, content)
            values (
                tg_table_name, old.id,
                coalesce(nullif(current_setting('jalan.now', true), '')::timestamptz, clock_timestamp()),
                to_jsonb(old) - tg_argv
            )
            on conflict on constraint uq_past do nothing;
            return null;
        end $$
        """
    )
    for table, columns in _SHOWN.items():
        changed = " or ".join(f'old."{column}" is distinct from new."{column}"' for column in columns)
        left_out = ", ".join(f"'{column}'" for column in _LEFT_OUT.get(table, ("id",)))
        op.execute(
            f"create trigger {table}_past after update on {table} for each row when ({changed}) "
            f"execute function keep_past({left_out})"
        )


def downgrade() -> None:
    for table in _SHOWN:
        op.execute(f"drop trigger {table}_past on {table}")
    op.execute("drop function keep_past()")
    op.drop_table("past")
