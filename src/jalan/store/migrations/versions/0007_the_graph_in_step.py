"""Every row of the graph says which transaction gave it its content, so that what is new can be asked for"""

from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None

# Which columns make up the graph, by table: only a change of these is told.
_SHOWN = {
    "dataset": ("system_id", "container_id", "name", "title", "kind", "owner", "placeholder", "gone_since"),
    "field": ("dataset_id", "name", "kind", "ordinal", "placeholder", "gone_since"),
    "link": ("valid_to", "valid_from", "source_field_id", "target_dataset_id", "target_field_id", "possible"),
    "alias": ("from_namespace", "from_name", "to_namespace", "to_name", "valid_to"),
}


def upgrade() -> None:
    op.execute("create table graph_version (xact xid8 primary key default pg_current_xact_id())")
    op.execute(
        """
        create function note_change() returns trigger language plpgsql as $$
        begin
            new.changed := pg_current_xact_id();
            return new;
        end $$
        """
    )
    # One row a transaction, and one notice: PostgreSQL folds those that are alike.
    op.execute(
        """
        create function tell_change() returns trigger language plpgsql as $$
        begin
            insert into graph_version values (pg_current_xact_id()) on conflict do nothing;
            perform pg_notify('jalan_graph', '');
            return null;
        end $$
        """
    )
    for table, columns in _SHOWN.items():
        op.execute(f"alter table {table} add column changed xid8 not null default pg_current_xact_id()")
        op.execute(f"create index ix_{table}_changed on {table} (changed)")
        differs = " or ".join(f'old."{column}" is distinct from new."{column}"' for column in columns)
        op.execute(
            f"create trigger {table}_changed before update on {table} for each row when ({differs}) "
            "execute function note_change()"
        )
        op.execute(
            f"create trigger {table}_told after insert or update or delete on {table} for each statement "
            "execute function tell_change()"
        )


def downgrade() -> None:
    for table in _SHOWN:
        op.execute(f"drop trigger {table}_told on {table}")
        op.execute(f"drop trigger {table}_changed on {table}")
        op.execute(f"alter table {table} drop column changed")
    op.execute("drop function tell_change()")
    op.execute("drop function note_change()")
    op.execute("drop table graph_version")
