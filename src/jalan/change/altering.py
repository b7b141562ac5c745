"""What the actions of ALTER do to a relation."""

from collections.abc import Callable, Sequence

from jalan.change.actions import ColumnChange, Does, DroppedConstraint, ShownName, added_column, read_action
from jalan.change.catalogue import Catalogue, Refused
from jalan.change.keys import leanings
from jalan.change.ran import Ran, Text
from jalan.change.stored import POSTGRESQL, KeptQuery, StoredRelation
from jalan.change.types import ASSIGNMENT, TypedOutput, TypeName, is_wider, type_of_expression, type_system
from jalan.change.words import says
from jalan.sql import tree
from jalan.sql.dialects import get_dialect
from jalan.sql.grammar.script import parse


class Altering:
    """Takes the actions of one ALTER. keys: the words of the statement. find: the typed columns of a relation."""

    def __init__(
        self,
        catalogue: Catalogue,
        text: Text,
        ran: Ran,
        keys: Sequence[str],
        find: Callable[[tuple[str, ...]], list[TypedOutput] | None],
    ) -> None:
        self.ran = ran
        self._catalogue, self._text, self._keys, self._typed_columns = catalogue, text, keys, find

    def take(self, number: int, action: tree.AlterAction) -> None:
        """Do what an action does. number: of the relation. Raises Refused, Misfit."""
        found = self._numbered(number)
        self.ran.wrote.add(found.name)
        self.ran.names.add(found.name)
        act = ALTERED.get(action.action)
        if act is not None:
            act(self, number, action)

    def _numbered(self, number: int) -> StoredRelation:
        found = self._catalogue.by_number(number)
        assert found is not None
        return found

    def _drop_columns(self, number: int, action: tree.AlterAction) -> None:
        for column in map(str, action.columns or ()):
            found = self._numbered(number)
            if column not in found.columns and says(self._keys, "column", "if", "exists"):
                continue
            gone = self._catalogue.drop_column(found, column, says(self._keys, "cascade"))
            self.ran.names |= {one.name for one in gone}

    def _add_columns(self, number: int, action: tree.AlterAction) -> None:
        for column in map(str, action.columns or ()):
            found = self._numbered(number)
            if column not in found.columns or not says(self._keys, "column", "if", "not", "exists"):
                said = added_column(action, self._text.text, self._text.dialect)
                self._catalogue.add_column(found, column, said.type, said.must_be_given)

    def _rename_column(self, number: int, action: tree.AlterAction) -> None:
        if action.old is not None and action.new is not None:
            self._catalogue.rename_column(self._numbered(number), str(action.old), str(action.new))

    def _rename(self, number: int, action: tree.AlterAction) -> None:
        if action.table is None:
            return
        found, new = self._numbered(number), tuple(map(str, action.table.parts))
        name = ".".join(new if len(new) > 1 else (*found.name.split(".")[:-1], *new))
        self._catalogue.rename(found, name)
        self.ran.names.add(name)

    def _other(self, number: int, action: tree.AlterAction) -> None:
        does, found = read_action(action, self._text.text, self._text.dialect), self._numbered(number)
        if isinstance(does, ColumnChange):
            self._change_column(found, does)
        elif isinstance(does, DroppedConstraint):
            leaning = self._leaning(found, does.name)
            gone = self._catalogue.drop_key(found, does.name, says(self._keys, "cascade"), leaning)
            self.ran.names |= {one.name for one in gone}
        elif isinstance(does, ShownName) and found.remote is not None:
            self._catalogue.show(found, does.column, does.name)

    def _change_column(self, found: StoredRelation, change: ColumnChange) -> None:
        if change.does is Does.RETYPES:
            self._retype(found, change)
        elif change.does in (Does.SETS_NOT_NULL, Does.DROPS_NOT_NULL):
            self._catalogue.say_null(found, change.column, change.does is Does.DROPS_NOT_NULL)
        else:
            self._catalogue.say_default(found, change.column, change.default)

    def _leaning(self, found: StoredRelation, name: str) -> list[StoredRelation]:
        """The views whose queries group by a primary key, and show columns beside it."""
        if name != found.primary:
            return []
        views = []
        for view in self._catalogue.hanging_on(found.number):
            query = view.query
            if query is None or query.dialect != POSTGRESQL:
                continue

            def find(parts: tuple[str, ...], query: KeptQuery = query) -> StoredRelation | None:
                return self._catalogue.named(parts, query.path, query.prefix)

            nodes = parse(query.text, get_dialect("postgresql"))
            if any(
                one.relation.number == found.number and one.holds()
                for node in nodes
                if isinstance(node, tree.QueryStatement)
                for one in leanings(node.query, query.text, find)
            ):
                views.append(view)
        return views

    def _retype(self, found: StoredRelation, change: ColumnChange) -> None:
        if change.type is None:
            raise Refused("the new type is not one that is known")
        number = found.columns.get(change.column, 0)
        if number in found.generated and change.using is not None:
            raise Refused("cannot specify USING when altering type of generated column")
        before = given = found.type_of(change.column)
        if change.using is not None:
            given = self._type_of_expression(found, change.using)
        self._catalogue.retype(found, change.column, change.type, given)
        if number in found.filled:
            self._default_becomes(found.filled[number], change.column, change.type)
        if change.using is not None or before is None or not is_wider(before, change.type):
            known = self.ran.retyped.get(found.name, frozenset())
            self.ran.retyped[found.name] = known | {change.column}
            self.ran.filled.add(found.name)

    def _default_becomes(self, default: str, column: str, type_: TypeName) -> None:
        """Fail where a default does not become one of another type."""
        given = type_of_expression(default, "", self._typed_columns) if default else None
        system = type_system()
        if given is not None and system.knows(given.base) and system.knows(type_.base):
            if not system.casts(given.base, type_.base, ASSIGNMENT):
                raise Refused(f'default for column "{column}" cannot be cast automatically to type {type_}')

    def _type_of_expression(self, found: StoredRelation, span: tuple[int, int]) -> TypeName | None:
        """The type of an expression over the columns of one table."""
        table = ".".join(f'"{part}"' for part in found.name.split("."))
        return type_of_expression(self._text.text[span[0] : span[1]], table, self._typed_columns)

    def _set_schema(self, number: int, action: tree.AlterAction) -> None:
        if action.new is not None:
            found = self._numbered(number)
            parts = found.name.split(".")
            self._catalogue.rename(found, ".".join((*parts[:-2], str(action.new), parts[-1])))


ALTERED: dict[str, Callable[[Altering, int, tree.AlterAction], None]] = {
    "add_column": Altering._add_columns,
    "drop_column": Altering._drop_columns,
    "other": Altering._other,
    "rename": Altering._rename,
    "rename_column": Altering._rename_column,
    "set_schema": Altering._set_schema,
}
"""The actions of ALTER that are taken."""
