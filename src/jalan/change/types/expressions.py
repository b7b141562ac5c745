"""Types of expressions."""

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, Any

from jalan.change.types.constants import what_is_wrong
from jalan.change.types.names import TypeName, declared_type
from jalan.change.types.scope import Misfit, Span, TypeScope
from jalan.change.types.system import ASSIGNMENT, EXPLICIT, UNKNOWN, Ambiguous, NotUnique, TypedRoutine, type_system
from jalan.sql import tree

if TYPE_CHECKING:
    from jalan.change.types.queries import QueryTypes

Found = TypeName | None
"""A type, none where it is not known."""
_BOOLEAN, _TEXT = TypeName("boolean"), TypeName("text")
_QUOTED = TypeName(UNKNOWN)
_MOST_INTEGER, _MOST_BIGINT = 2**31 - 1, 2**63 - 1
_WITHOUT_ARGUMENTS = {
    "current_date": "date", "current_timestamp": "timestamp with time zone", "current_time": "time with time zone",
    "localtimestamp": "timestamp without time zone", "localtime": "time without time zone", "current_user": "name",
    "session_user": "name", "user": "name", "current_role": "name", "current_schema": "name",
    "current_catalog": "name",
}  # fmt: skip
_CALLED = {"trim both": "btrim", "trim leading": "ltrim", "trim trailing": "rtrim", "trim": "btrim"}
_MEET = {"coalesce": "COALESCE", "greatest": "GREATEST", "least": "LEAST"}
_MATCHED = {
    "like": "~~", "not like": "!~~", "ilike": "~~*", "not ilike": "!~~*", "similar": "~", "not similar": "!~",
    "is distinct from": "=", "is not distinct from": "=", "!=": "<>",
}  # fmt: skip
_HYPOTHETICAL = frozenset({"rank", "dense_rank", "percent_rank", "cume_dist"})
_RANGED = frozenset(
    "smallint,integer,bigint,real,double precision,numeric,date,interval,timestamp without time zone,"
    "timestamp with time zone,time without time zone,time with time zone".split(",")
)
"""Types of which a window may take what lies so far before or behind."""
_DEEPEST = 100  # expressions within one another


class ExpressionTypes:
    """Finds the types of the expressions of one text."""

    def __init__(self, queries: "QueryTypes") -> None:
        self._queries = queries
        self._system = type_system()
        self._depth = 0

    def type_of(self, node: tree.Node, scope: TypeScope) -> Found:
        """Return the type of an expression. Raises Misfit."""
        find = _FOUND_BY.get(type(node))
        if find is None or self._depth > _DEEPEST:
            return None
        self._depth += 1
        try:
            return find(self, node, scope)
        finally:
            self._depth -= 1

    # --- what is taken for what ------------------------------------------------------------------------

    def constant(self, node: tree.Node) -> str | None:
        """Return what stands in a constant in plain quotes, none where it is something else."""
        if not isinstance(node, tree.Literal) or node.type:
            return None
        written = self._written(node)
        plain = len(written) > 1 and written[0] == written[-1] == "'"
        return written[1:-1].replace("''", "'") if plain else None

    def becomes(self, node: tree.Node, given: Found, target: str) -> None:
        """Fail where a constant is none of the type that is made of it."""
        if given == _QUOTED and (constant := self.constant(node)) is not None:
            if (wrong := what_is_wrong(constant, target)) is not None:
                raise Misfit(wrong, (node.start, node.end))

    def condition(self, node: tree.Expression | None, scope: TypeScope, where: str) -> None:
        """Fail where a condition is none. where: what it is an argument of."""
        if node is None:
            return None
        found = self.type_of(node, scope)
        if found is None or found == _BOOLEAN:
            return None
        if found == _QUOTED:
            return self.becomes(node, found, "boolean")
        if self._system.knows(found.base):
            raise Misfit(f"argument of {where} must be type boolean, not type {found.base}", (node.start, node.end))

    def orders(self, given: Found, node: tree.Node) -> None:
        """Fail where values of a type cannot be put in order."""
        if given is not None and not self._system.can_order(given.base):
            message = f"could not identify an ordering operator for type {given.base}"
            raise Misfit(message, (node.start, node.end))

    def meet(self, nodes: Sequence[tree.Node], types: Sequence[Found], what: str, span: Span) -> Found:
        """Return the type in which values meet. Raises Misfit."""
        known = [one for one in types if one is not None]
        if len(known) < len(types) or not all(self._knows(one) for one in known):
            return known[0] if known and all(one == known[0] for one in types) else None
        found = self._system.common(one.base for one in known)
        if found is None:
            first = next(one for one in known if one != _QUOTED)
            other = next(
                one for one in known
                if one != _QUOTED and (self._system.common((first.base, one.base)) is None)
            )  # fmt: skip
            raise Misfit(f"{what} types {first.base} and {other.base} cannot be matched", span)
        for node, given in zip(nodes, types, strict=True):
            self.becomes(node, given, found)
        same = {one for one in known if one != _QUOTED}
        return same.pop() if len(same) == 1 else TypeName(found)

    def fits(self, given: Found, target: Found) -> bool:
        """Whether a value can be put into a column; where that is not known, it can."""
        if given is None or target is None or not (self._knows(given) and self._knows(target)):
            return True
        return self._system.casts(given.base, target.base, ASSIGNMENT)

    def _knows(self, one: TypeName) -> bool:
        return one == _QUOTED or self._system.knows(one.base)

    def _written(self, node: tree.Node) -> str:
        return self._queries.text[node.start : node.end]

    # --- leaves ----------------------------------------------------------------------------------------

    def _literal(self, node: tree.Literal, scope: TypeScope) -> Found:
        if node.type:
            return declared_type(node.type)
        written = self._written(node)
        if written[:1].isdecimal() or written[:1] == ".":
            if not written.isdecimal():
                return TypeName("numeric")
            value = int(written)
            return TypeName(
                "integer" if value <= _MOST_INTEGER else "bigint" if value <= _MOST_BIGINT else "numeric"
            )
        if written.lower() in ("true", "false"):
            return _BOOLEAN
        return TypeName("bit") if written[:2].lower() in ("b'", "x'") else _QUOTED

    def _column(self, node: tree.Column, scope: TypeScope) -> Found:
        return scope.column(tuple(map(str, node.parts)))

    # --- operators -------------------------------------------------------------------------------------

    def _unary(self, node: tree.Unary, scope: TypeScope) -> Found:
        operator = node.operator
        if operator == "not":
            self.condition(node.argument, scope, "NOT")
            return _BOOLEAN
        given = self.type_of(node.argument, scope)
        if operator == "collate":
            if given is not None and self._knows(given) and self._system.category(given.base) not in "SAX":
                raise Misfit(f"collations are not supported by type {given.base}", (node.start, node.end))
            return _TEXT if given == _QUOTED else given
        if operator.startswith("is"):
            return _BOOLEAN
        if given is None or not self._knows(given):
            return None
        return self._operated(operator, None, given, node, (node.argument,))

    def _binary(self, node: tree.Binary, scope: TypeScope) -> Found:
        operator = node.operator
        if operator in ("and", "or"):
            self.condition(node.left, scope, operator.upper())
            self.condition(node.right, scope, operator.upper())
            return _BOOLEAN
        left, right = self.type_of(node.left, scope), self.type_of(node.right, scope)
        if operator == "escape":
            return left
        if operator in ("any", "all"):
            if right is not None and right.is_array:
                self._compared((node.left, left), (node.right, right.element()), node, self._operator_of(node))
            return _BOOLEAN
        if operator == "overlaps":
            return self._overlaps(node, scope)
        if left is None or right is None or not (self._knows(left) and self._knows(right)):
            return self._whatever(operator)
        if operator == "at time zone":
            return self._called("timezone", (right, left), node, (node.right, node.left))
        return self._operated(_MATCHED.get(operator, operator), left, right, node, (node.left, node.right))

    def _whatever(self, operator: str) -> Found:
        """What an operator gives whatever it is given; none where that differs."""
        several = self._system.operators.get(_MATCHED.get(operator, operator), ())
        results = {one.result for one in several}
        return _BOOLEAN if results == {"boolean"} else None

    def _operated(
        self, operator: str, left: Found, right: TypeName, node: tree.Node, sides: Sequence[tree.Node]
    ) -> Found:
        """Return what an operator gives. Raises Misfit where there is none that fits."""
        if operator not in self._system.operators:
            return None
        try:
            found = self._system.operator(operator, None if left is None else left.base, right.base)
        except Ambiguous:
            return None
        given = (right,) if left is None else (left, right)
        if found is None:
            first = "" if left is None else f"{left.base} "
            raise Misfit(f"operator does not exist: {first}{operator} {right.base}", (node.start, node.end))
        for side, one, wanted in zip(sides, given, found.arguments, strict=True):
            self.becomes(side, one, wanted)
        return _named(self._system.result(found, [one.base for one in given]))

    def _compared(
        self, left: tuple[tree.Node, Found], right: tuple[tree.Node, Found], node: tree.Node, operator: str = "="
    ) -> None:
        """Fail where two values cannot be held against one another."""
        if left[1] is not None and right[1] is not None and self._knows(left[1]) and self._knows(right[1]):
            self._operated(operator, left[1], right[1], node, (left[0], right[0]))

    def _operator_of(self, node: tree.Binary | tree.InQuery) -> str:
        """The operator before ANY and ALL; that of IN."""
        first, rest = (node.left, node.right) if isinstance(node, tree.Binary) else (node.argument, node.query)
        words = self._queries.text[first.end : rest.start].lower().replace("(", " ").replace(")", " ").split()
        known = [word for word in words if word not in ("any", "some", "all", "in", "not", "array")]
        return _MATCHED.get(" ".join(known), " ".join(known)) if known else "="

    def _overlaps(self, node: tree.Binary, scope: TypeScope) -> Found:
        sides = [one.items for one in (node.left, node.right) if isinstance(one, tree.Row)]
        ends: list[tree.Node] = [one for items in sides for one in items]
        types = [self.type_of(one, scope) for one in ends]
        given = [one for one in types if one is not None and self._knows(one)]
        if [len(items) for items in sides] == [2, 2] and len(given) == len(ends):
            self._called("overlaps", given, node, ends)
        return _BOOLEAN

    def _between(self, node: tree.Between, scope: TypeScope) -> Found:
        given = self.type_of(node.argument, scope)
        for operator, one in ((">=", node.low), ("<=", node.high)):
            other = self.type_of(one, scope)
            if given is not None and other is not None and self._knows(given) and self._knows(other):
                self._operated(operator, given, other, node, (node.argument, one))
        return _BOOLEAN

    def _in_list(self, node: tree.InList, scope: TypeScope) -> Found:
        given = self.type_of(node.argument, scope)
        for item in node.items:
            self._compared((node.argument, given), (item, self.type_of(item, scope)), node)
        return _BOOLEAN

    # --- CASE, casts, arrays ---------------------------------------------------------------------------

    def _case(self, node: tree.Case, scope: TypeScope) -> Found:
        given = None if node.operand is None else self.type_of(node.operand, scope)
        for branch in node.branches:
            if node.operand is None:
                self.condition(branch.condition, scope, "CASE/WHEN")
            else:
                other = self.type_of(branch.condition, scope)
                self._compared((node.operand, given), (branch.condition, other), branch)
        results: list[tree.Node] = [branch.result for branch in node.branches]
        if node.default is not None:
            results.insert(0, node.default)  # the database looks at it first
        types = [self.type_of(one, scope) for one in results]
        return self.meet(results, types, "CASE", (node.start, node.end))

    def _cast(self, node: tree.Cast, scope: TypeScope) -> Found:
        given = self.type_of(node.argument, scope)
        written = self._queries.text[node.argument.end : node.end].strip()
        # Behind “::” stands the type; inside CAST( … AS type) a parenthesis more.
        if "::" in written:
            written = written.rpartition("::")[2]
        else:
            _, _, written = written[:-1].strip().partition(" ")
        target = declared_type(written) or declared_type(node.type)
        if given is not None and target is not None and self._knows(given) and self._knows(target):
            if not self._system.casts(given.base, target.base, EXPLICIT):
                raise Misfit(f"cannot cast type {given.base} to {target.base}", (node.start, node.end))
            self.becomes(node.argument, given, target.base)
        return target if target is None or self._knows(target) else None

    def _items(self, node: tree.ArrayItems, scope: TypeScope) -> Found:
        types = [self.type_of(one, scope) for one in node.items]
        found = self.meet(node.items, types, "ARRAY", (node.start, node.end)) if types else None
        return None if found is None else TypeName(found.base).array()

    def _row(self, node: tree.Row, scope: TypeScope) -> Found:
        for one in node.items:
            self.type_of(one, scope)
        return None

    def _subscript(self, node: tree.Subscript, scope: TypeScope) -> Found:
        base = self.type_of(node.base, scope)
        for one in node.indexes:
            self.type_of(one, scope)
        if base is None:
            return None
        if base.base == "jsonb":
            return base
        if not base.is_array:
            if self._knows(base) and base != _QUOTED:
                message = f"cannot subscript type {base.base} because it does not support subscripting"
                raise Misfit(message, (node.start, node.end))
            return None
        is_slice = ":" in self._queries.text[node.base.end : node.end]
        return base if is_slice else base.element()

    def _part(self, node: tree.Field, scope: TypeScope) -> Found:
        self.type_of(node.base, scope)
        return None

    # --- calls -----------------------------------------------------------------------------------------

    def _call(self, node: tree.Call, scope: TypeScope) -> Found:
        name = str(node.parts[-1])
        keys = [self.type_of(sort.key, scope) for sort in node.order or ()]
        for sort, given in zip(node.order or (), keys, strict=True):
            self.orders(given, sort.key)
        self.condition(node.filter, scope, "FILTER")
        if node.window is not None:
            self._window(node.window, scope)
        arguments: list[tree.Node] = list(node.arguments)
        if node.within_group:
            arguments += [sort.key for sort in node.order or ()]
        types = [self.type_of(one, scope) for one in arguments]
        if node.within_group and name in _HYPOTHETICAL and len(types) == 2 * len(keys):
            for one, given, key in zip(node.arguments, types, keys, strict=False):
                self.meet([one, one], [given, key], "WITHIN GROUP", (node.start, node.end))
        own = self._queries.routines(tuple(map(str, node.parts)))
        if own:
            return self._own(own, node, arguments, types)
        if len(node.parts) > 1 and str(node.parts[0]) != "pg_catalog":
            return None
        if not arguments and not node.star and name in _WITHOUT_ARGUMENTS:
            return TypeName(_WITHOUT_ARGUMENTS[name])
        if name in _MEET:
            return self.meet(arguments, types, _MEET[name], (node.start, node.end))
        if name == "nullif" and len(types) == 2:
            self._compared((arguments[0], types[0]), (arguments[1], types[1]), node)
            return _TEXT if types[0] == _QUOTED else types[0]
        if name == "grouping":
            return TypeName("integer")
        if name == "extract" and len(types) == 1:
            if types[0] is None or not self._knows(types[0]):
                return TypeName("numeric")
            return self._called(name, (_TEXT, types[0]), node, (node, arguments[0]))
        if self._is_called_by_names(node):
            return self._whatever_of(name)
        name = _CALLED.get(name, name)
        known_types = [one for one in types if one is not None and self._knows(one)]
        if len(known_types) == len(types):
            return self._called(name, known_types, node, arguments)
        some = [one.base if one is not None and self._knows(one) else None for one in types]
        if name in self._system.functions and not self._system.knows(str(declared_type(name))):
            if not self._system.may_be_called(name, some):
                known = ", ".join("?" if one is None else one.base for one in types)
                raise Misfit(f"function {name}({known}) does not exist", (node.start, node.end))
        return self._whatever_of(name)

    def _own(
        self, own: Sequence[TypedRoutine], node: tree.Call, arguments: Sequence[tree.Node], types: Sequence[Found]
    ) -> Found:
        """Return what a function of somebody's own gives. Raises Misfit where there is none that fits."""
        results = {one.result for one in own}
        whatever = _named(results.pop()) if len(results) == 1 else None
        whatever = whatever if whatever is not None and self._knows(whatever) else None
        given = [one for one in types if one is not None and self._knows(one)]
        takes_known = all(self._system.takes_known(one) for one in own)
        if len(given) < len(types) or not takes_known or self._is_called_by_names(node):
            return whatever
        several = list(own)
        if len(node.parts) == 1:
            several += self._system.functions.get(str(node.parts[0]), ())
        written = f"{'.'.join(map(str, node.parts))}({', '.join(one.base for one in given)})"
        try:
            found = self._system.chosen(several, [one.base for one in given])
        except NotUnique:
            raise Misfit(f"function {written} is not unique", (node.start, node.end)) from None
        except Ambiguous:
            return whatever
        if found is None:
            raise Misfit(f"function {written} does not exist", (node.start, node.end))
        self._queries.called[node.start] = found
        for argument, one, wanted in zip(arguments, given, found.taking(len(given)) or (), strict=False):
            self.becomes(argument, one, wanted)
        result = _named(self._system.result(found, [one.base for one in given]))
        return result if result is not None and self._knows(result) else None

    def _is_called_by_names(self, node: tree.Call) -> bool:
        """Whether its arguments are named, or an array stands for several."""
        written = self._written(node).lower()
        return "=>" in written or ":=" in written or "variadic" in written

    def _whatever_of(self, name: str) -> Found:
        """What a function gives whatever it is given; none where that differs."""
        results = {one.result for one in self._system.functions.get(name, ())}
        return _named(results.pop()) if len(results) == 1 and self._system.knows(next(iter(results))) else None

    def _called(
        self, name: str, given: Sequence[TypeName], node: tree.Node, arguments: Sequence[tree.Node]
    ) -> Found:
        """Return what a function gives. Raises Misfit where there is none that fits."""
        if name not in self._system.functions:
            return None  # somebody's own
        bases = [one.base for one in given]
        try:
            found = self._system.function(name, bases)
        except Ambiguous:
            return None
        if found is None:
            target = declared_type(name)
            if len(given) == 1 and target is not None and self._system.knows(target.base):
                return target  # a cast that is written like a call
            raise Misfit(f"function {name}({', '.join(bases)}) does not exist", (node.start, node.end))
        for argument, one, wanted in zip(arguments, given, found.taking(len(given)) or (), strict=False):
            self.becomes(argument, one, wanted)
        return _named(self._system.result(found, bases))

    def _window(self, node: tree.Window, scope: TypeScope) -> None:
        for one in node.partition:
            self.type_of(one, scope)
        keys = [self.type_of(sort.key, scope) for sort in node.order]
        if len(keys) == 1 and node.frame and "range" in self._written(node).lower().split():
            given = keys[0]
            if given is not None and self._knows(given) and given.base not in _RANGED:
                message = f"RANGE with offset PRECEDING/FOLLOWING is not supported for column type {given.base}"
                raise Misfit(message, (node.start, node.end))

    # --- queries ---------------------------------------------------------------------------------------

    def _scalar(self, node: tree.ScalarQuery, scope: TypeScope) -> Found:
        outputs = self._queries.query(node.query, scope)
        return outputs[0].type if len(outputs) == 1 else None

    def _array(self, node: tree.ArrayQuery, scope: TypeScope) -> Found:
        found = self._scalar(tree.ScalarQuery(node.start, node.end, node.query), scope)
        return None if found is None else TypeName(found.base).array()

    def _exists(self, node: tree.Exists, scope: TypeScope) -> Found:
        self._queries.query(node.query, scope)
        return _BOOLEAN

    def _in_query(self, node: tree.InQuery, scope: TypeScope) -> Found:
        given = self.type_of(node.argument, scope)
        outputs = self._queries.query(node.query, scope)
        operator = self._operator_of(node)
        if isinstance(node.argument, tree.Row):
            several = [(one, self.type_of(one, scope)) for one in node.argument.items]
        else:
            several = [(node.argument, given)]
        if len(several) == len(outputs):
            for one, output in zip(several, outputs, strict=True):
                self._compared(one, (node.query, output.type), node, operator)
        return _BOOLEAN


def _named(base: str | None) -> Found:
    return None if base is None else TypeName(base)


_FOUND_BY: dict[type[tree.Node], Callable[[ExpressionTypes, Any, TypeScope], Found]] = {
    tree.ArrayItems: ExpressionTypes._items,
    tree.ArrayQuery: ExpressionTypes._array,
    tree.Between: ExpressionTypes._between,
    tree.Binary: ExpressionTypes._binary,
    tree.Call: ExpressionTypes._call,
    tree.Case: ExpressionTypes._case,
    tree.Cast: ExpressionTypes._cast,
    tree.Column: ExpressionTypes._column,
    tree.Exists: ExpressionTypes._exists,
    tree.Field: ExpressionTypes._part,
    tree.InList: ExpressionTypes._in_list,
    tree.InQuery: ExpressionTypes._in_query,
    tree.Literal: ExpressionTypes._literal,
    tree.Row: ExpressionTypes._row,
    tree.ScalarQuery: ExpressionTypes._scalar,
    tree.Subscript: ExpressionTypes._subscript,
    tree.Unary: ExpressionTypes._unary,
}
