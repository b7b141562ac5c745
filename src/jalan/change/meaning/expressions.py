"""Expressions in their form: own words, and the forms of what stands in them; what is equal has equal forms."""

from bisect import bisect_left
from collections.abc import Sequence
from typing import TYPE_CHECKING

from jalan.change.meaning.forms import Form, Unclear, ordered
from jalan.change.meaning.scope import NameScope
from jalan.sql import tree
from jalan.sql.lexer import OPERATOR, WORD, Tokens
from jalan.sql.walk import children

if TYPE_CHECKING:
    from jalan.change.meaning.queries import QueryForms

Part = str | Form
"""An own word of a node, or the form of what stands in it."""
_BOTH_WAYS = frozenset({"=", "<>", "+", "*"})
_TURNED = {">": "<", ">=": "<="}
_SPELLED = {"!=": "<>"}
_TYPES = {
    "int": "integer", "int4": "integer", "int8": "bigint", "int2": "smallint", "float8": "double precision",
    "bool": "boolean", "decimal": "numeric", "float4": "real",
}  # fmt: skip
_GROUPS = frozenset({"sets", "rollup", "cube"})  # their parentheses tell what is grouped together
_DEEPEST = 100  # expressions within one another


class ExpressionForms:
    """Puts expressions into their form. tokens: of the text that they were read from."""

    def __init__(self, queries: "QueryForms", tokens: Tokens) -> None:
        self._queries = queries
        self._forms = queries.forms
        self._tokens = tokens
        self._depth = 0

    # --- words -----------------------------------------------------------------------------------------

    def words(self, start: int, end: int) -> list[str]:
        """Return the words of a stretch of text, each in one spelling."""
        tokens, found = self._tokens, []
        at = bisect_left(tokens.starts, start)
        while at < len(tokens.kinds) and tokens.starts[at] < end and tokens.keys[at]:
            folded = tokens.kinds[at] in (WORD, OPERATOR)
            found.append(tokens.keys[at] if folded else tokens.written(at))
            at += 1
        return found

    def between(self, node: tree.Node, inside: Sequence[tree.Node]) -> list[str | int]:
        """Return a node's own words, and in their places the numbers of nodes that stand in it. Raises Unclear.

        Parentheses are left out: what belongs together is told by the tree.
        """
        found: list[str | int] = []
        at = node.start
        for number in sorted(range(len(inside)), key=lambda n: inside[n].start):
            one = inside[number]
            if one.start < at or one.end > node.end:
                raise Unclear("its parts overlap")
            found += self.words(at, one.start)
            found.append(number)
            at = one.end
        found += self.words(at, node.end)
        if not _GROUPS.isdisjoint(found):
            raise Unclear("it groups in several ways at once")
        return [part for part in found if part not in ("(", ")")]

    def own_words(self, node: tree.Node, inside: Sequence[tree.Node]) -> list[str]:
        """Return a node's own words without what stands in it. Raises Unclear."""
        return [part for part in self.between(node, inside) if isinstance(part, str)]

    # --- forms -----------------------------------------------------------------------------------------

    def form(self, node: tree.Node, scope: NameScope) -> Form:
        """Return the form of an expression. Raises Unclear."""
        self._depth += 1
        try:
            if self._depth > _DEEPEST:
                raise Unclear("it is too deep")
            return self._forms.tell(self._form(node, scope), self._queries.text[node.start : node.end])
        finally:
            self._depth -= 1

    def _form(self, node: tree.Node, scope: NameScope) -> Form:
        if isinstance(node, tree.Column):
            return scope.column(node.parts)
        if isinstance(node, tree.Star):
            raise Unclear("a star stands in an expression")
        if isinstance(node, tree.ScalarQuery | tree.ArrayQuery | tree.Exists | tree.InQuery | tree.TableArgument):
            return self._with_query(node, scope)
        if isinstance(node, tree.Lambda | tree.Comprehension | tree.DynamicQuery):
            raise Unclear("it has names of its own")
        if isinstance(node, tree.Window) and node.base is not None:
            return self._named_window(node, scope)
        parts = self._parts(node, scope)
        if isinstance(node, tree.Call) and node.window is not None:
            parts = [part for part in parts if part != "over"]  # a window's name has it with itself
        if isinstance(node, tree.Binary) and len(parts) == 3 and parts[1] in (node.operator, *_SPELLED):
            return self._operator(str(parts[1]), parts)
        if isinstance(node, tree.Between) and len(parts) == 5 and parts[1::2] == ["between", "and"]:
            argument, low, high = parts[::2]
            return self._chain("and", [self._forms.of("<=", low, argument), self._forms.of("<=", argument, high)])
        if isinstance(node, tree.InList) and (found := self._in_list(parts)) is not None:
            return found
        if isinstance(node, tree.Unary) and len(parts) == 2 and parts[0] == "not":
            return self._forms.of("not", parts[1])
        if isinstance(node, tree.Cast) and (type_ := self._type(parts)) is not None:
            return self._forms.of("cast", next(part for part in parts if isinstance(part, int)), *type_)
        return self._forms.of(type(node).__name__, *parts)

    def _parts(self, node: tree.Node, scope: NameScope) -> list[Part]:
        inside = list(children(node))
        forms = [self.form(one, scope) for one in inside]
        return [part if isinstance(part, str) else forms[part] for part in self.between(node, inside)]

    def _operator(self, operator: str, parts: Sequence[Part]) -> Form:
        left, right = int(parts[0]), int(parts[2])
        operator = _SPELLED.get(operator, operator)
        if operator in ("and", "or"):
            return self._chain(operator, [left, right])
        if operator in _BOTH_WAYS:
            return self._forms.of(operator, *ordered((left, right)))
        if operator in _TURNED:
            return self._forms.of(_TURNED[operator], right, left)
        return self._forms.of(operator, left, right)

    def _chain(self, operator: str, several: Sequence[Form]) -> Form:
        flat = [part for one in several for part in self._links(operator, one)]
        return flat[0] if len(flat) == 1 else self._forms.of(operator, *ordered(flat))

    def _links(self, operator: str, form: Form) -> list[Form]:
        """What an operator holds together in a form; where it is another, the form itself."""
        word, *rest = self._forms.parts(form) or ("",)
        return [part for part in rest if isinstance(part, int)] if word == operator else [form]

    def conjuncts(self, node: tree.Expression, scope: NameScope) -> list[Form]:
        """Return the conditions that must all hold, each told of by its own text. Raises Unclear."""
        if isinstance(node, tree.Binary) and node.operator == "and":
            return [*self.conjuncts(node.left, scope), *self.conjuncts(node.right, scope)]
        return self._links("and", self.form(node, scope))

    def _in_list(self, parts: Sequence[Part]) -> Form | None:
        """IN with a list says which of several it equals."""
        negated = parts[1:2] == ["not"]
        rest = list(parts[2:] if negated else parts[1:])
        items = [part for part in rest if isinstance(part, int)]
        words = [part for part in rest if isinstance(part, str)]
        if not isinstance(parts[0], int) or words != ["in", *[","] * (len(items) - 1)]:
            return None
        equal = sorted({self._forms.of("=", *ordered((parts[0], item))) for item in items})
        found = self._chain("or", equal)
        return self._forms.of("not", found) if negated else found

    @staticmethod
    def _type(parts: Sequence[Part]) -> list[str] | None:
        """The words of the type of a cast, however it is written."""
        if len(parts) > 2 and isinstance(parts[0], int) and parts[1] == "::":
            words = list(parts[2:])
        elif parts[:1] == ["cast"] and parts[2:3] == ["as"]:
            words = list(parts[3:])
        else:
            return None
        if not words or not all(isinstance(word, str) for word in words):
            return None
        first = str(words[0])
        return [_TYPES.get(first, first), *map(str, words[1:])]

    def _named_window(self, node: tree.Window, scope: NameScope) -> Form:
        base = scope.windows.get(str(node.base))
        if base is None or base is node:
            raise Unclear(f"there is no window “{node.base}”")
        words = [part for part in self._parts(node, scope) if part not in ("over", str(node.base))]
        told = self.form(base, scope)
        return told if not words else self._forms.of("Window", told, *words)

    def _with_query(
        self,
        node: tree.ScalarQuery | tree.ArrayQuery | tree.Exists | tree.InQuery | tree.TableArgument,
        scope: NameScope,
    ) -> Form:
        inner = self._queries.query(node.query, scope, scope.depth + 1)
        inside: list[tree.Node] = [node.query]
        if isinstance(node, tree.InQuery):
            inside.append(node.argument)
        words = self.own_words(node, inside)
        if isinstance(node, tree.Exists):
            return self._forms.of("Exists", *words, inner.rows)
        argument = [self.form(node.argument, scope)] if isinstance(node, tree.InQuery) else []
        order = [inner.order] if isinstance(node, tree.ArrayQuery) else []
        return self._forms.of(type(node).__name__, *words, *argument, inner.rows, *order, *inner.column_forms())
