"""Types of what statements make and write."""

from collections.abc import Iterator, Sequence

from jalan.change.types.constants import what_is_wrong
from jalan.change.types.names import TypeName, declared_type
from jalan.change.types.queries import Find, QueryTypes, settled
from jalan.change.types.scope import Misfit, Routines, TypedInstance, TypedOutput, TypeScope, no_routines
from jalan.change.types.system import UNKNOWN, TypedRoutine
from jalan.sql import tree
from jalan.sql.dialects import get_dialect
from jalan.sql.grammar.script import parse
from jalan.sql.lexer import tokenize

BEHIND_TYPE = frozenset(
    "not null default primary unique references check constraint generated collate storage compression".split()
)
"""Words that stand behind the type of a column that is declared."""
_NO_COLUMN = frozenset("constraint primary unique foreign check exclude like".split())


def outputs_of(
    query: tree.Query, text: str, find: Find, ctes: tree.With | None = None, routines: Routines = no_routines
) -> list[TypedOutput]:
    """Return the outputs of a query as a relation that is made of it has them. Raises Misfit.

    ctes: what was declared before it.
    """
    types = QueryTypes(text, find, routines)
    if ctes is not None:
        types.declare(ctes)
    return settled(types.query(query))


def type_of_expression(written: str, table: str, find: Find) -> TypeName | None:
    """Return the type of an expression, none where it is not known. Raises Misfit.

    table: over whose columns it is; empty for none.
    """
    text = f"select {written} from {table}" if table else f"select {written}"
    nodes = list(parse(text, get_dialect("postgresql")))
    if len(nodes) != 1 or not isinstance(nodes[0], tree.QueryStatement):
        return None
    outputs = QueryTypes(text, find).query(nodes[0].query)
    return outputs[0].type if outputs else None


def check_statement(
    node: tree.StatementNode, text: str, find: Find, routines: Routines = no_routines
) -> dict[int, TypedRoutine]:
    """Return which functions of one's own a statement calls, by where the calls begin, as far as that is found out.
    Raises Misfit where types in it do not fit, or what it writes does not fit into its columns."""
    types = QueryTypes(text, find, routines)
    if isinstance(node, tree.QueryStatement | tree.CreateTableAs | tree.CreateView):
        types.query(node.query)
    elif isinstance(node, tree.Insert | tree.Update | tree.Delete | tree.Merge):
        _Writing(node, types, find).check()
    return types.called


class _Writing:
    def __init__(
        self, node: tree.Insert | tree.Update | tree.Delete | tree.Merge, types: QueryTypes, find: Find
    ) -> None:
        self._node = node
        self._types = types
        self._columns = list(find(tuple(map(str, node.target.parts))) or ())
        self._wanted = {one.name: one.type for one in self._columns}
        self._scope = TypeScope()

    def check(self) -> None:
        node = self._node
        if node.ctes is not None:
            self._types.declare(node.ctes)
        name = (str(node.alias),) if node.alias else tuple(map(str, node.target.parts))
        self._scope.instances.append(TypedInstance(name, self._columns, open=not self._columns))
        if isinstance(node, tree.Insert):
            self._insert(node)
        elif isinstance(node, tree.Merge):
            self._merge(node)
        else:
            for item in node.source:
                self._types.item(item, self._scope)
            self._types.expressions.condition(node.where, self._scope, "WHERE")
            if isinstance(node, tree.Update):
                self._assigned(node.assignments)

    def _insert(self, node: tree.Insert) -> None:
        names = list(map(str, node.columns or ())) or [one.name for one in self._columns]
        if node.query is not None:
            for given in self._given(node.query):
                for name, one in zip(names, given, strict=False):
                    self._fits(name, one, node.query)
        if node.conflict is not None:
            taken = TypedInstance((node.conflict.alias,), self._columns)
            self._scope.instances.append(taken)
            self._assigned(node.conflict.assignments)

    def _given(self, query: tree.Query) -> list[list[TypedOutput]]:
        """What is put into the columns: of VALUES each row, as each value is taken for the type of its column."""
        if not isinstance(query.body, tree.Values):
            return [self._types.query(query)]
        scope, types = TypeScope(), self._types.expressions
        return [
            [TypedOutput("", types.type_of(one, scope), types.constant(one)) for one in row]
            for row in query.body.rows
        ]

    def _merge(self, node: tree.Merge) -> None:
        self._types.item(node.source, self._scope)
        self._types.expressions.condition(node.condition, self._scope, "JOIN/ON")
        for branch in node.branches:
            self._types.expressions.condition(branch.condition, self._scope, "WHEN")
            self._assigned(branch.assignments)
            names = list(map(str, branch.columns or ())) or [one.name for one in self._columns]
            for name, value in zip(names, branch.values, strict=False):
                self._value(name, value)

    def _assigned(self, assignments: Sequence[tree.Assignment]) -> None:
        for one in assignments:
            if one.part:
                continue
            values: Sequence[tree.Expression] = [one.value]
            if len(one.columns) > 1:
                values = one.value.items if isinstance(one.value, tree.Row) else ()
            for name, value in zip(one.columns, values, strict=False):
                self._value(str(name), value)

    def _value(self, name: str, value: tree.Expression) -> None:
        found = self._types.expressions.type_of(value, self._scope)
        self._fits(name, TypedOutput(name, found, self._types.expressions.constant(value)), value)

    def _fits(self, name: str, given: TypedOutput, node: tree.Node) -> None:
        wanted = self._wanted.get(name)
        if wanted is None or given.type is None:
            return
        span = (node.start, node.end)
        if given.type.base == UNKNOWN:
            wrong = what_is_wrong(given.constant, wanted.base) if given.constant is not None else None
            if wrong is not None:
                raise Misfit(wrong, span)
        elif not self._types.expressions.fits(given.type, wanted):
            message = f'column "{name}" is of type {wanted.base} but expression is of type {given.type.base}'
            raise Misfit(message, span)


def declared_columns(statement: str) -> dict[str, TypeName]:
    """Return the types that a CREATE TABLE declares, as far as they are names of types.

    >>> declared_columns("create table tides (at timestamptz not null, primary key (at))")
    {'at': TypeName(base='timestamp with time zone', modifier='')}
    """
    found: dict[str, TypeName] = {}
    for words in _columns(statement):
        name, rest = words[0], words[1:]
        kept = next((n for n, word in enumerate(rest) if word.lower() in BEHIND_TYPE), len(rest))
        one = declared_type(" ".join(rest[:kept])) if kept else None
        if one is not None and name.lower() not in _NO_COLUMN:
            found[name.strip('"') if name.startswith('"') else name.lower()] = one
    return found


def _columns(statement: str) -> Iterator[list[str]]:
    """The words of each part between the outer parentheses of a statement."""
    tokens = tokenize(statement, get_dialect("postgresql"))
    depth, words = 0, list[str]()
    for n, key in enumerate(tokens.keys):
        if key == "(":
            depth += 1
            if depth == 1:
                continue
        elif key == ")":
            depth -= 1
        if depth == 0 or (depth == 1 and key == ","):
            if words:
                yield words
            words = []
            if key == ")" and depth == 0:
                return
        elif depth > 0 and key:
            words.append(tokens.written(n))
