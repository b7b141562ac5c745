"""What is declared on the screen has a table of its own; it stood in the state of its source"""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "declaration",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column(
            "source_id",
            sa.Integer(),
            sa.ForeignKey("source.id", deferrable=True, initially="DEFERRED"),
            nullable=False,
        ),
        sa.Column("text", sa.String(), nullable=False),
        sa.Column("declared_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("declared_by", sa.String(), nullable=False),
        sa.Column("taken_back_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("taken_back_by", sa.String(), nullable=True),
    )
    op.create_index("ix_declaration_source_id", "declaration", ["source_id"])
    # The state never said when each was declared; the source was made for the first of them.
    op.execute(
        """
        insert into declaration (id, source_id, text, declared_at, declared_by)
        select cast(entry.key as integer), source.id, entry.value, source.created_at, source.created_by
        from source, jsonb_each_text(source.state -> 'entries') as entry where source.kind = 'declared'
        """
    )
    op.execute(
        """
        select setval(
            'declaration_id_seq',
            (select coalesce(max(cast(state ->> 'next' as integer)), 1) from source where kind = 'declared'), false
        )
        """
    )
    # Which consumers there were is told by their links now.
    op.execute("update source set state = state - 'entries' - 'next' - 'consumers'")


def downgrade() -> None:
    op.execute(
        """
        update source set state = source.state || jsonb_build_object('next', kept.next, 'entries', kept.entries)
        from (
            select source_id, max(id) + 1 as next,
                coalesce(jsonb_object_agg(id, text) filter (where taken_back_at is null), '{}') as entries
            from declaration group by source_id
        ) as kept
        where kept.source_id = source.id
        """
    )
    op.drop_table("declaration")
