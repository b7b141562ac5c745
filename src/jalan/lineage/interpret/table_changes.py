"""What the statements of a script do to the tables themselves: making, dropping, renaming, changing columns."""

from jalan.lineage.intermediates import Storage
from jalan.lineage.tables import TableState
from jalan.sql import tree


class TableChanges:
    """Keeps, beside the names, which storage each table of the script has."""

    def __init__(self, tables: TableState) -> None:
        self._tables = tables
        self.storages: dict[str, Storage] = {}

    def create(self, key: str, temporary: bool) -> None:
        """Say that a table of this key was made."""
        self.storages[key] = Storage(key, temporary)

    def drop(self, name: tree.TableName) -> None:
        """Say that a table was dropped: what it held was only on the way."""
        key = self._tables.find(name.parts).key
        storage = self.storages.pop(key, None)
        if storage is not None:
            storage.intermediate = True
        self._tables.drop(name.parts)

    def rename_all(self, node: tree.RenameTables) -> None:
        """Rename tables one after the other."""
        for old, new in node.pairs:
            self._rename(old.parts, new.parts)

    def alter(self, parts: tuple[str, ...], action: tree.AlterAction) -> None:
        """Take one action of an ALTER."""
        if action.action == "rename" and action.table is not None:
            new = action.table.parts
            self._rename(parts, new if len(new) >= len(parts) else (*parts[: len(parts) - len(new)], *new))
        elif action.action == "set_schema" and action.new is not None:
            self._rename(parts, (*parts[:-2], action.new, parts[-1]))
        elif action.action == "swap" and action.table is not None:
            self._swap(parts, action.table.parts)
        else:
            self._change_columns(parts, action)

    def _rename(self, parts: tuple[str, ...], new: tuple[str, ...]) -> None:
        before, after = self._tables.rename(parts, new)
        storage = self.storages.pop(before.key, None)
        # What had no storage here was made before the script: under its new name it is still that table.
        self.storages[after.key] = storage or Storage(before.key, False, made_here=False)
        if storage is not None:
            storage.key = after.key

    def _swap(self, parts: tuple[str, ...], other: tuple[str, ...]) -> None:
        one, two = self._tables.swap(parts, other)
        first, second = self.storages.pop(one.key, None), self.storages.pop(two.key, None)
        self.storages[one.key] = second or Storage(two.key, False, made_here=False)
        self.storages[two.key] = first or Storage(one.key, False, made_here=False)
        if second is not None:
            second.key = one.key
        if first is not None:
            first.key = two.key

    def _change_columns(self, parts: tuple[str, ...], action: tree.AlterAction) -> None:
        table = self._tables.find(parts)
        if table.columns is None:
            return
        columns = list(table.columns)
        old = table.lookup.get(action.old, action.old) if action.old is not None else None
        if action.action == "add_column":
            columns += action.columns or ()
        elif action.action == "replace_columns":
            columns = list(action.columns or ())
        elif action.action == "drop_column":
            gone = {table.lookup.get(name, name) for name in action.columns or ()}
            columns = [name for name in columns if name not in gone]
            storage = self.storages.get(table.key)
            if storage is not None:
                storage.dropped |= set(map(str, gone))
        elif action.action == "rename_column" and old in columns and action.new is not None:
            columns[columns.index(old)] = action.new
            storage = self.storages.get(table.key)
            if storage is not None:
                storage.renamed[str(old)] = str(action.new)
        else:
            return
        self._tables.make(parts, columns, table.temporary)
