"""Keys that queries lean on: columns that a GROUP BY does not name, and rows that ON CONFLICT finds again."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from jalan.change.ran import Failure, ReadStatement
from jalan.change.stored import StoredRelation
from jalan.sql import tree
from jalan.sql.dialects import get_dialect
from jalan.sql.walk import children, walk

Find = Callable[[tuple[str, ...]], StoredRelation | None]
_AGGREGATES = get_dialect("postgresql").aggregates
_NOT_GROUPED = "must appear in the GROUP BY clause or be used in an aggregate function"
_NO_KEY = "there is no unique or exclusion constraint matching the ON CONFLICT specification"


@dataclass(frozen=True, slots=True)
class Leaning:
    """A column that stands beside a GROUP BY which does not name it. grouped: the columns of its relation that are
    named there: one of the keys of the relation must be among them. hidden: GROUP BY names a column that is called
    like another output, which it would mean otherwise."""

    relation: StoredRelation
    column: tree.Column
    grouped: frozenset[int]
    hidden: bool = False

    def holds(self) -> bool:
        """Whether the primary key is among the columns that are grouped by."""
        key = self.relation.keys.get(self.relation.primary or "")
        return key is not None and key <= self.grouped

    def held(self) -> bool:
        """Whether it would hold but for a key that was dropped, or a column that came."""
        return not self.holds() and (self.hidden or any(key <= self.grouped for key in self.relation.lost_keys))


def leanings(node: tree.Node, text: str, find: Find) -> Iterator[Leaning]:
    """Yield what leans on keys in a query. text: that it was read from."""
    for one in walk(node):
        if isinstance(one, tree.Select) and one.group and not one.group_all:
            yield from _of_select(one, text, find)


def _of_select(select: tree.Select, text: str, find: Find) -> Iterator[Leaning]:
    named = {name: found for item in select.source for name, found in _named(item, find)}

    def resolved(column: tree.Column) -> tuple[str, StoredRelation, int] | None:
        parts = tuple(map(str, column.parts))
        for name, relation in named.items():
            if relation is not None and (len(parts) == 1 or parts[-2] == name) and parts[-1] in relation.columns:
                return name, relation, relation.columns[parts[-1]]
        return None

    outputs = {str(item.alias or ""): item.expression for item in select.items}
    grouped: dict[str, set[int]] = {}
    hidden = False
    for key in select.group:
        if not isinstance(key, tree.Column):
            continue
        found = resolved(key)
        output = outputs.get(str(key.parts[0])) if len(key.parts) == 1 else None
        hidden |= found is not None and output is not None and not isinstance(output, tree.Column)
        if found is None and len(key.parts) == 1 and isinstance(outputs.get(str(key.parts[0])), tree.Column):
            found = resolved(outputs[str(key.parts[0])])  # type: ignore[arg-type]
        if found is not None:
            grouped.setdefault(found[0], set()).add(found[2])
    written = frozenset(_written(key, text) for key in select.group)
    expressions = [item.expression for item in select.items]
    for expression in [*expressions, *([select.having] if select.having is not None else [])]:
        for column in _outside(expression, text, written):
            found = resolved(column)
            if found is not None and found[2] not in grouped.get(found[0], set()):
                yield Leaning(found[1], column, frozenset(grouped.get(found[0], ())), hidden)


def _named(item: tree.FromItem, find: Find) -> Iterator[tuple[str, StoredRelation | None]]:
    if isinstance(item, tree.Join):
        yield from _named(item.left, find)
        yield from _named(item.right, find)
    elif isinstance(item, tree.TableSource):
        parts = tuple(map(str, item.table.parts))
        yield str(item.alias or parts[-1]), find(parts)
    elif item.alias:
        yield str(item.alias), None


def _outside(node: tree.Node, text: str, grouped: frozenset[str]) -> Iterator[tree.Column]:
    """The columns of an expression that stand in no aggregate, no query inside, and nothing that is grouped by."""
    if not isinstance(node, tree.Column) and _written(node, text) in grouped:
        return
    if isinstance(node, tree.Column):
        yield node
        return
    is_call = isinstance(node, tree.Call) and node.window is None
    if isinstance(node, tree.Query) or (is_call and str(node.parts[-1]).lower() in _AGGREGATES):  # type: ignore[attr-defined]
        return
    for one in children(node):
        yield from _outside(one, text, grouped)


def _written(node: tree.Node, text: str) -> str:
    return "".join(text[node.start : node.end].lower().split())


def conflict_columns(node: tree.Insert) -> frozenset[str] | None:
    """Return the columns by which ON CONFLICT finds rows again; none where it names none, or expressions."""
    if node.conflict is None or not node.conflict.columns:
        return None
    if not all(isinstance(one, tree.Column) for one in node.conflict.columns):
        return None
    return frozenset(str(one.parts[-1]) for one in node.conflict.columns if isinstance(one, tree.Column))


def lost_key(read: ReadStatement, text: str, find: Find) -> Failure | None:
    """Return why a statement fails that leans on a key which was dropped, none where it does not.

    text: that the statement was read from.
    """
    node = read.node
    if isinstance(node, tree.Insert) and (columns := conflict_columns(node)) is not None:
        target = find(tuple(map(str, node.target.parts)))
        if target is not None and target.lost_keys:
            numbers = frozenset(target.columns.get(column, 0) for column in columns)
            if numbers in target.lost_keys and numbers not in target.keys.values():
                return Failure(_NO_KEY, (node.start, node.target.end), target.name)
    if not isinstance(node, tree.Insert | tree.CreateTableAs | tree.CreateView | tree.QueryStatement):
        return None
    if node.query is not None and "group" in read.keys:
        for one in leanings(node.query, text, find):
            if one.held():
                span = (one.column.start, one.column.end)
                return Failure(f'column "{text[slice(*span)]}" {_NOT_GROUPED}', span, one.relation.name)
    return None
