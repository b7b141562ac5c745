"""Types of what queries give."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace

from jalan.change.types.expressions import ExpressionTypes, Found
from jalan.change.types.names import TypeName
from jalan.change.types.scope import Misfit, Routines, TypedInstance, TypedOutput, TypeScope, no_routines
from jalan.change.types.system import UNKNOWN, TypedRoutine, type_system
from jalan.lineage.output_names import output_name
from jalan.sql import tree
from jalan.sql.dialects import get_dialect
from jalan.sql.walk import names_table

Find = Callable[[tuple[str, ...]], Sequence[TypedOutput] | None]
"""The columns of the relation that a name stands for; none where there is no such relation."""
_DEEPEST = 60  # queries within one another
_OPEN: Sequence[TypedOutput] = ()


class QueryTypes:
    """Finds the types of the outputs of queries in one text.

    find: the relations by the names it gives them. routines: the functions of one's own. called: which of these is
    meant by a call, by where that begins, as far as it was found out.
    """

    def __init__(self, text: str, find: Find, routines: Routines = no_routines) -> None:
        self.text = text
        self.routines = routines
        self.called: dict[int, TypedRoutine] = {}
        self.dialect = get_dialect("postgresql")
        self.expressions = ExpressionTypes(self)
        self._find = find
        self._system = type_system()
        self._ctes: dict[str, Sequence[TypedOutput] | None] = {}
        self._depth = 0

    def query(self, node: tree.Query, parent: TypeScope | None = None) -> list[TypedOutput]:
        """Return the outputs of a query. Raises Misfit."""
        before = dict(self._ctes)
        self._depth += 1
        try:
            if self._depth > _DEEPEST:
                return []
            if node.ctes is not None:
                self.declare(node.ctes, parent)
            outputs, scope = self._body(node.body, parent)
            for one in node.limit:
                self.expressions.type_of(one, scope)
            if isinstance(node.body, tree.Select):
                self._sorted(node, outputs, scope)
            return outputs
        finally:
            self._depth -= 1
            self._ctes = before

    def declare(self, clause: tree.With, parent: TypeScope | None = None) -> None:
        """Let what follows name the queries of a WITH. Raises Misfit."""
        for cte in clause.ctes:
            name = str(cte.name)
            if not isinstance(cte.statement, tree.Query):
                self._ctes[name] = None
                continue
            if clause.recursive and names_table(cte.statement, cte.name):
                self._ctes[name] = self._recursive(cte, cte.statement, parent)
            else:
                self._ctes[name] = _renamed(self.query(cte.statement, parent), cte.columns)
            if cte.added:
                self._ctes[name] = None

    def _recursive(
        self, cte: tree.Cte, query: tree.Query, parent: TypeScope | None
    ) -> Sequence[TypedOutput] | None:
        """The columns of a query that reads itself: their types are those of its first arm."""
        if not isinstance(query.body, tree.SetOperation):
            return None
        first = _renamed(settled(self._body(query.body.left, parent)[0]), cte.columns)
        self._ctes[str(cte.name)] = first
        for number, (one, other) in enumerate(zip(first, self.query(query, parent), strict=False), 1):
            if one.type is not None and other.type is not None and one.type.base != other.type.base:
                message = f'recursive query "{cte.name}" column {number} has type {one.type} in non-recursive term '
                raise Misfit(f"{message}but type {other.type} overall", (query.body.start, query.body.end))
        return first

    def _sorted(self, node: tree.Query, outputs: Sequence[TypedOutput], scope: TypeScope) -> None:
        names = {one.name: one.type for one in outputs}
        for sort in node.order:
            one = sort.key
            if isinstance(one, tree.Column) and len(one.parts) == 1 and str(one.parts[0]) in names:
                found = names[str(one.parts[0])]
            else:
                found = self.expressions.type_of(one, scope)
            self.expressions.orders(found, one)

    # --- bodies ----------------------------------------------------------------------------------------

    def _body(self, body: tree.Body, parent: TypeScope | None) -> tuple[list[TypedOutput], TypeScope]:
        scope = TypeScope(parent)
        if isinstance(body, tree.Select):
            return self._select(body, scope), scope
        if isinstance(body, tree.SetOperation):
            return self._set_operation(body, parent), scope
        if isinstance(body, tree.Values):
            return self._values(body, scope), scope
        if isinstance(body, tree.Query):
            return self.query(body, parent), scope
        return [], scope

    def _set_operation(self, body: tree.SetOperation, parent: TypeScope | None) -> list[TypedOutput]:
        left, right = self._body(body.left, parent)[0], self._body(body.right, parent)[0]
        found = []
        for one, other in zip(left, right, strict=False):
            span = (body.right.start, body.right.end)
            types = [one.type, other.type]
            found.append(
                TypedOutput(one.name, self.expressions.meet([body, body], types, body.operator.upper(), span))
            )
            if not body.all or body.operator != "union":
                self._needs_equality(found[-1].type, span)
        return found

    def _needs_equality(self, found: Found, span: tuple[int, int]) -> None:
        if found is not None and not self._system.can_compare(found.base):
            raise Misfit(f"could not identify an equality operator for type {found.base}", span)

    def _values(self, body: tree.Values, scope: TypeScope) -> list[TypedOutput]:
        rows = [[self.expressions.type_of(one, scope) for one in row] for row in body.rows]
        if not rows or len({len(row) for row in rows}) != 1:
            return []
        return [
            TypedOutput(
                f"column{n + 1}",
                self.expressions.meet(
                    [row[n] for row in body.rows], [row[n] for row in rows], "VALUES", (body.start, body.end)
                ),
            )
            for n in range(len(rows[0]))
        ]

    def _select(self, select: tree.Select, scope: TypeScope) -> list[TypedOutput]:
        visible = [column for item in select.source for column in self.item(item, scope)]
        self.expressions.condition(select.where, scope, "WHERE")
        outputs: list[TypedOutput] = []
        for one in select.items:
            if isinstance(one.expression, tree.Star):
                outputs += self._starred(one.expression, scope, visible)
                continue
            name = one.alias or output_name(one.expression, self.dialect, self.text, len(outputs), 0)
            found = self.expressions.type_of(one.expression, scope)
            outputs.append(TypedOutput(str(name), found, self.expressions.constant(one.expression)))
        by_name = {one.name: one.type for one in outputs}
        for key in [*select.group, *(select.distinct or ())]:
            found = self.expressions.type_of(key, scope)
            if found is None and isinstance(key, tree.Column) and len(key.parts) == 1:
                found = by_name.get(str(key.parts[0]))
            self._needs_equality(found, (key.start, key.end))
        if select.distinct == []:
            for output in outputs:
                self._needs_equality(output.type, (select.start, select.end))
        self.expressions.condition(select.having, scope, "HAVING")
        return outputs

    @staticmethod
    def _starred(star: tree.Star, scope: TypeScope, visible: Sequence[TypedOutput]) -> Sequence[TypedOutput]:
        wanted = tuple(map(str, star.parts))
        if wanted:
            several = [one for one in scope.instances if one.parts[-len(wanted) :] == wanted][:1]
            return [column for one in several for column in one.columns]
        return visible

    # --- FROM ------------------------------------------------------------------------------------------

    def item(self, item: tree.FromItem, scope: TypeScope) -> list[TypedOutput]:
        """Let a scope know what stands in FROM; return what a star shows of it. Raises Misfit."""
        if isinstance(item, tree.Join):
            return self._join(item, scope)
        if isinstance(item, tree.TableSource):
            return self._table(item, scope)
        if isinstance(item, tree.Derived):
            parent = scope if item.lateral else scope.parent
            return self._add(item, settled(self.query(item.query, parent)), scope)
        if isinstance(item, tree.FunctionSource):
            return self._function(item, scope)
        return self._add(item, [], scope, is_open=True)

    def _add(
        self, item: tree.FromItem, columns: Iterable[TypedOutput], scope: TypeScope, is_open: bool = False
    ) -> list[TypedOutput]:
        parts: tuple[str, ...] = (str(item.alias),) if item.alias else ()
        if isinstance(item, tree.TableSource) and not item.alias:
            parts = tuple(map(str, item.table.parts))
        found = _renamed(columns, item.columns)
        scope.instances.append(TypedInstance(parts, found, is_open))
        return found

    def _table(self, item: tree.TableSource, scope: TypeScope) -> list[TypedOutput]:
        parts = tuple(map(str, item.table.parts))
        if len(parts) == 1 and parts[0] in self._ctes:
            found = self._ctes[parts[0]]
        else:
            found = self._find(parts)
        return self._add(item, settled(found or _OPEN), scope, is_open=found is None)

    def _function(self, item: tree.FunctionSource, scope: TypeScope) -> list[TypedOutput]:
        call = item.calls[0] if len(item.calls) == 1 else None
        if isinstance(call, tree.Call) and str(call.parts[-1]) == "unnest" and len(call.arguments) > 1:
            # Of several arrays, which only stand so in FROM, each is a column.
            arrays = [self.expressions.type_of(one, scope) for one in call.arguments]
            for one, given in zip(call.arguments, arrays, strict=True):
                if given is not None and not given.is_array and self._system.knows(given.base):
                    raise Misfit(f"function unnest({given.base}) does not exist", (one.start, one.end))
            elements = [one.element() if one is not None and one.is_array else None for one in arrays]
            return self._add(
                item, [TypedOutput("unnest", one) for one in elements], scope, is_open=not item.columns
            )
        types = [self.expressions.type_of(call, scope) for call in item.calls]
        if not isinstance(call, tree.Call) or types[0] is None or any(item.defined):
            return self._add(
                item, [TypedOutput(str(name), None) for name in item.columns or ()], scope, is_open=True
            )
        columns = [TypedOutput(str(item.alias or call.parts[-1]), types[0])]
        if item.ordinality:
            columns.append(TypedOutput("ordinality", TypeName("bigint")))
        return self._add(item, columns, scope)

    def _join(self, item: tree.Join, scope: TypeScope) -> list[TypedOutput]:
        first = len(scope.instances)
        left, right = self.item(item.left, scope), self.item(item.right, scope)
        names = [str(name) for name, *_ in item.using or ()]
        if item.natural and not any(one.open for one in scope.instances[first:]):
            names = [name for name in _types_of(left) if name in _types_of(right)]
        for name in names:
            scope.merged[name] = self._merged([_types_of(left).get(name), _types_of(right).get(name)], item)
        self.expressions.condition(item.condition, scope, "JOIN/ON")
        visible = [TypedOutput(name, scope.merged[name]) for name in names]
        visible += [one for one in (*left, *right) if one.name not in names]
        if item.alias:
            visible = _renamed(visible, item.columns)
            scope.instances[first:] = [TypedInstance((str(item.alias),), visible, open=True)]
        return visible

    def _merged(self, pair: Sequence[Found], item: tree.Join) -> Found:
        left, right = pair
        if left is None or right is None:
            return None
        if not (self._system.knows(left.base) and self._system.knows(right.base)):
            return left if left == right else None
        if self._system.operator("=", left.base, right.base) is None:
            span = (item.right.start, item.right.end)
            raise Misfit(f"operator does not exist: {left.base} = {right.base}", span)
        return self.expressions.meet([item, item], pair, "JOIN/USING", (item.start, item.end))


def _types_of(columns: Iterable[TypedOutput]) -> dict[str, Found]:
    return {column.name: column.type for column in columns}


def _renamed(outputs: Iterable[TypedOutput], names: Sequence[str] | None) -> list[TypedOutput]:
    given = list(map(str, names or ()))
    return [replace(one, name=given[n]) if n < len(given) else one for n, one in enumerate(outputs)]


def settled(outputs: Iterable[TypedOutput]) -> list[TypedOutput]:
    """Outputs as others see them: a constant in quotes is a text by then."""
    return [
        TypedOutput(one.name, TypeName("text")) if one.type is not None and one.type.base == UNKNOWN else one
        for one in outputs
    ]
