"""The name that the database gives to an output that has no alias.

PostgreSQL: ``FigureColname`` in src/backend/parser/parse_target.c. A column or function names its output; a
cast or CASE does so only where nothing inside it does.
"""

from jalan.sql import tree
from jalan.sql.dialects.dialect import Dialect, Naming


def output_name(expression: tree.Expression, dialect: Dialect, text: str, place: int, unnamed: int) -> str:
    """Return the name of an output column made by this expression.

    place: how many columns stand before it;
    unnamed: how many of those have no name of their own.
    """
    naming = dialect.naming
    if naming is Naming.FIGURE:
        return _figure(expression, dialect)[1] or dialect.unnamed
    if isinstance(expression, tree.Field) and naming is not Naming.EMPTY:
        return expression.name
    if naming is Naming.NUMBERED:
        return dialect.unnamed.format(column=place, unnamed=unnamed)
    if naming is Naming.EMPTY:
        return ""
    written = text[expression.start : expression.end]
    if naming is Naming.UPPER:
        return "".join(written.split()).upper() if dialect.struct_paths else written.upper()
    if naming is Naming.PRINTED:
        return _printed(expression, written)
    return written


def _printed(node: tree.Expression, written: str) -> str:
    """Spark and DuckDB print an operator with parentheses around it, and a cast by what it casts."""
    if isinstance(node, tree.Cast):
        return written
    if isinstance(node, tree.Binary):
        return written if written.startswith("(") else f"({written})"
    return written


def _figure(node: tree.Expression, dialect: Dialect) -> tuple[int, str]:
    if isinstance(node, tree.Column):
        return 2, node.parts[-1]
    if isinstance(node, tree.Call):
        name = node.parts[-1]
        return 2, dialect.function_names.get(name, name)
    if isinstance(node, tree.Cast):
        strength, name = _figure(node.argument, dialect)
        return (strength, name) if strength > 1 else (1, dialect.type_names.get(node.type, node.type))
    if isinstance(node, tree.Literal) and node.type:
        return 1, dialect.type_names.get(node.type, node.type)
    if isinstance(node, tree.Case):
        strength, name = _figure(node.default, dialect) if node.default is not None else (0, "")
        return (strength, name) if strength > 1 else (1, "case")
    if isinstance(node, tree.Field):
        return 2, node.name
    if isinstance(node, tree.Subscript):
        return _figure(node.base, dialect)
    if isinstance(node, tree.Unary) and node.operator == "collate":
        return _figure(node.argument, dialect)
    if isinstance(node, tree.Unary | tree.Binary) and node.operator in dialect.function_names:
        return 2, dialect.function_names[node.operator]
    if isinstance(node, tree.ScalarQuery):
        return _figure_query(node.query.body, dialect)
    if isinstance(node, tree.ArrayQuery | tree.ArrayItems):
        return 2, "array"
    if isinstance(node, tree.Exists):
        return 2, "exists"
    if isinstance(node, tree.Row):
        return 2, "row"
    return 0, ""


def _figure_query(body: tree.Body, dialect: Dialect) -> tuple[int, str]:
    while isinstance(body, tree.SetOperation | tree.Query):
        body = body.left if isinstance(body, tree.SetOperation) else body.body
    if isinstance(body, tree.Values):
        return 2, "column1"
    if isinstance(body, tree.Pipeline) or not body.items:
        return 0, ""
    item = body.items[0]
    return (2, item.alias) if item.alias else _figure(item.expression, dialect)
