"""The queries of a WITH in their form: the same as if they stood where they are named."""

from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

from jalan.change.meaning.forms import Meaning, Unclear
from jalan.change.meaning.scope import NameScope
from jalan.sql import tree
from jalan.sql.walk import names_table

if TYPE_CHECKING:
    from jalan.change.meaning.queries import QueryForms


@dataclass(slots=True)
class NamedQuery:
    """A query of a WITH.

    around: where it is declared, with what was declared before it. fixed: what it means wherever it is named, if
    that is told; else it is found out once for each number of queries around it: ``made``.
    """

    node: tree.Cte
    around: "Around"
    calls_itself: bool = False
    fixed: Meaning | None = None
    made: dict[int, Meaning] = field(default_factory=dict)


@dataclass(slots=True)
class Around:
    """What a query finds around it: the names of the query outside, and the queries of a WITH."""

    parent: NameScope | None
    ctes: dict[str, NamedQuery]


class WithForms:
    """Puts the queries of a WITH into their form."""

    def __init__(self, queries: "QueryForms") -> None:
        self._queries = queries

    def declare(self, clause: tree.With) -> None:
        """Let what follows name the queries of a WITH. Raises Unclear."""
        if clause.routines:
            raise Unclear("it declares functions")
        around = self._queries.around
        for cte in clause.ctes:
            if not isinstance(cte.statement, tree.Query):
                raise Unclear("a query of its WITH writes")
            if cte.added:
                raise Unclear("it searches, or marks circles")
            # It knows those that were declared before it.
            before = Around(around.parent, dict(around.ctes))
            calls_itself = clause.recursive and names_table(cte.statement, cte.name)
            around.ctes[str(cte.name)] = NamedQuery(cte, before, calls_itself)

    def meaning(self, cte: NamedQuery, depth: int) -> Meaning:
        """Return what a query of a WITH means where it is named. Raises Unclear."""
        if cte.fixed is not None:
            return cte.fixed
        if depth not in cte.made:
            statement = cte.node.statement
            assert isinstance(statement, tree.Query)
            before = self._queries.around
            self._queries.around = cte.around
            try:
                if cte.calls_itself:
                    found = self._recursive(cte, statement, depth)
                else:
                    found = self._queries.query(statement, cte.around.parent, depth)
            finally:
                self._queries.around = before
            cte.made[depth] = _renamed(found, cte.node)
        return cte.made[depth]

    def _recursive(self, cte: NamedQuery, statement: tree.Query, depth: int) -> Meaning:
        """What calls itself, by its first arm and by what the other makes of what there is so far.

        The values of all its columns may decide about its rows.
        """
        queries, parent, body = self._queries, cte.around.parent, statement.body
        if not isinstance(body, tree.SetOperation) or statement.ctes or statement.order or statement.limit:
            raise Unclear("it is recursive in a way of which we know too little")
        first = queries.body(body.left, parent, depth + 1)[0]
        so_far = [(name, queries.forms.of("itself", depth, n)) for n, (name, _) in enumerate(first.columns)]
        itself = Meaning(so_far, queries.forms.of("itself", depth), queries.unordered)
        ctes = {
            **cte.around.ctes,
            str(cte.node.name): NamedQuery(cte.node, cte.around, fixed=_renamed(itself, cte.node)),
        }
        queries.around = Around(parent, ctes)
        further = queries.body(body.right, parent, depth + 1)[0]
        word = f"recursive {body.operator}{' all' if body.all else ''}"
        return queries.united(word, first, further, whole=True)


def _renamed(found: Meaning, cte: tree.Cte) -> Meaning:
    """The same with its first columns under the names that the WITH gives them."""
    names = list(map(str, cte.columns or ()))
    forms = found.column_forms()
    return replace(found, columns=[*zip(names, forms, strict=False), *found.columns[len(names) :]])
