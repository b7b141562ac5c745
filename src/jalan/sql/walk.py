"""Walking a syntax tree without knowing its classes."""

from collections.abc import Collection, Iterator
from dataclasses import fields

from jalan.sql import tree

_FIELDS: dict[type, tuple[str, ...]] = {}


def children(node: tree.Node) -> Iterator[tree.Node]:
    """Yield the nodes directly below this one, in the order of its fields."""
    kind = type(node)
    names = _FIELDS.get(kind)
    if names is None:
        names = _FIELDS[kind] = tuple(f.name for f in fields(node) if f.name not in ("start", "end"))
    for name in names:
        yield from _nodes(getattr(node, name))


def _nodes(value: object) -> Iterator[tree.Node]:
    if isinstance(value, tree.Node):
        yield value
    elif isinstance(value, list | tuple):
        for part in value:
            yield from _nodes(part)
    elif isinstance(value, dict):
        for part in value.values():
            yield from _nodes(part)


def walk(node: tree.Node) -> Iterator[tree.Node]:
    """Yield the node and everything below it."""
    stack = [node]
    while stack:
        current = stack.pop()
        yield current
        stack += reversed(list(children(current)))


def has_aggregate(expression: tree.Expression, aggregates: Collection[str]) -> bool:
    """Whether an aggregate (not as a window) stands in the expression, outside its subqueries."""
    stack: list[tree.Node] = [expression]
    while stack:
        node = stack.pop()
        if isinstance(node, tree.Query):
            continue
        if isinstance(node, tree.Call) and node.window is None and node.parts[-1].lower() in aggregates:
            return True
        stack += children(node)
    return False


def names_table(query: tree.Query, name: str) -> bool:
    """Whether a table of this bare name stands anywhere in the query."""
    return any(isinstance(node, tree.TableName) and node.parts == (name,) for node in walk(query))
