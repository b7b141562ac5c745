"""Names are found by parts of them, and with typing errors"""

from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None

_DATASET = "lower(name || ' ' || coalesce(title, ''))"


def upgrade() -> None:
    op.execute("create extension if not exists pg_trgm")
    op.execute(f"create index ix_dataset_words on dataset using gin (({_DATASET}) gin_trgm_ops)")
    op.execute("create index ix_dataset_description on dataset using gin ((lower(description)) gin_trgm_ops)")
    op.execute("create index ix_dataset_lower_name on dataset (lower(name))")
    op.execute("create index ix_field_words on field using gin ((lower(name)) gin_trgm_ops)")
    op.execute("create index ix_field_lower_name on field (lower(name) text_pattern_ops)")
    op.execute("create index ix_link_target_field_id on link (target_field_id)")


def downgrade() -> None:
    for name in ("dataset_words", "dataset_description", "dataset_lower_name", "field_words", "field_lower_name"):
        op.execute(f"drop index ix_{name}")
    op.execute("drop index ix_link_target_field_id")
