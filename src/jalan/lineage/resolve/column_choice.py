"""Which columns are chosen by their names: ``* LIKE 'x%'``, ``COLUMNS('expression')``, ``COLUMNS(c -> …)``."""

import re
from collections.abc import Callable

from jalan.patterns import BadPattern, Pattern, compile_pattern
from jalan.sql import tree
from jalan.sql.walk import children

Chooser = Callable[[str], bool]


def matcher(modifiers: tree.StarModifiers) -> Chooser | None:
    """Return what says whether a star's pattern takes a name, None where it has no pattern."""
    if modifiers.pattern is None:
        return None
    words = modifiers.match.split()
    negated = words[0] == "not"
    matches = _pattern(words[-1], modifiers.pattern)
    return lambda name: matches(name) is not negated


def _pattern(operator: str, pattern: str) -> Chooser:
    if operator == "to":  # SIMILAR TO, which DuckDB looks for anywhere in a name
        return _searching(pattern)
    if operator == "glob":
        expression = re.escape(pattern).replace(r"\*", ".*").replace(r"\?", ".")
    else:
        expression = re.escape(pattern).replace("%", ".*").replace("_", ".")
    compiled = compiled_pattern(expression, ignore_case=operator == "ilike")
    return lambda name: compiled is not None and compiled.fullmatch(name) is not None


def _searching(expression: str) -> Chooser:
    compiled = compiled_pattern(expression)
    return lambda name: compiled is not None and compiled.search(name) is not None


def compiled_pattern(expression: str, ignore_case: bool = False) -> Pattern | None:
    """Return the compiled expression, None if it is none."""
    try:
        return compile_pattern(expression, ignore_case=ignore_case)
    except BadPattern:
        return None


def columns_call(expression: tree.Expression) -> tree.Call | None:
    """Return the ``COLUMNS(…)`` that an expression is to be repeated for; those that ``*COLUMNS(…)`` unpacks do not
    count, nor those of subqueries."""
    stack: list[tree.Node] = [expression]
    while stack:
        node = stack.pop()
        if isinstance(node, tree.Call) and node.parts[-1].lower() == "columns" and len(node.parts) == 1:
            return node
        if isinstance(node, tree.Query) or (isinstance(node, tree.Unary) and node.operator == "*"):
            continue
        stack += reversed(list(children(node)))
    return None


def chooser(argument: tree.Expression | None, text: str) -> Chooser | None:
    """Return what the argument of ``COLUMNS(…)`` says of a name; None where only the database can say it."""
    if argument is None:
        return lambda name: True
    if isinstance(argument, tree.Literal):
        pattern = compiled_pattern(text[argument.start + 1 : argument.end - 1])
        return None if pattern is None else lambda name: pattern.search(name) is not None
    if isinstance(argument, tree.ArrayItems) and all(isinstance(item, tree.Literal) for item in argument.items):
        names = {text[item.start : item.end].strip("'\"").lower() for item in argument.items}
        return lambda name: name.lower() in names
    if isinstance(argument, tree.Lambda) and len(argument.parameters) == 1:
        parameter = argument.parameters[0]
        if _value(argument.body, parameter, "", text) is None:
            return None
        return lambda name: _value(argument.body, parameter, name, text) is True
    return None


def substituted(pattern: str, alias: str, name: str) -> str:
    r"""Return the alias with the parts of the name that the pattern's groups match.

    >>> substituted("(p)ort|(n)ame", r"\1x", "port"), substituted("(p)ort|(n)ame", r"\1x", "name")
    ('px', 'x')
    """
    compiled = compiled_pattern(pattern)
    found = None if compiled is None else compiled.search(name)
    if found is None:
        return alias
    groups = [found[0], *found.groups()]
    return re.sub(r"\\(\d)", lambda m: groups[int(m[1])] or "" if int(m[1]) < len(groups) else "", alias)


def _value(node: tree.Expression, parameter: str, name: str, text: str) -> str | int | bool | None:
    """What an expression over a column's name is; None where that is not known here."""
    if isinstance(node, tree.Column):
        return name if node.parts == (parameter,) else None
    if isinstance(node, tree.Literal):
        written = text[node.start : node.end]
        if written[:1] == "'":
            return written[1:-1].replace("''", "'")
        return int(written) if written.isdigit() else None
    if isinstance(node, tree.Unary) and node.operator == "not":
        inner = _value(node.argument, parameter, name, text)
        return not inner if isinstance(inner, bool) else None
    if isinstance(node, tree.InList):
        wanted = _value(node.argument, parameter, name, text)
        items = [_value(item, parameter, name, text) for item in node.items]
        if wanted is None or None in items:
            return None
        return (wanted in items) is not _negated(node, text)
    if isinstance(node, tree.Binary):
        return _compared(node, parameter, name, text)
    if isinstance(node, tree.Call):
        given = [_value(argument, parameter, name, text) for argument in node.arguments]
        function = _FUNCTIONS.get(node.parts[-1].lower())
        if function is None or None in given:
            return None
        try:
            return function(*given)
        except (TypeError, AttributeError):
            return None
    return None


_COMMENT = re.compile(r"/\*.*?\*/|--[^\n]*", re.DOTALL)


def _negated(node: tree.InList | tree.Binary, text: str) -> bool:
    """Whether NOT stands before IN or LIKE: the tree does not keep it, for it moves no column."""
    left = node.argument if isinstance(node, tree.InList) else node.left
    return _COMMENT.sub("", text[left.end : node.end]).lstrip().lower().startswith("not")


def _compared(node: tree.Binary, parameter: str, name: str, text: str) -> bool | None:
    left, right = (_value(side, parameter, name, text) for side in (node.left, node.right))
    if left is None or right is None:
        return None
    operator = node.operator
    if operator in ("like", "ilike", "glob", "similar") and isinstance(left, str) and isinstance(right, str):
        word = "to" if operator == "similar" else operator
        return _pattern(word, right)(left) is not _negated(node, text)
    try:
        return _OPERATORS[operator](left, right)
    except (KeyError, TypeError):
        return None


_OPERATORS: dict[str, Callable[..., bool]] = {
    "=": lambda a, b: a == b,
    "==": lambda a, b: a == b,
    "<>": lambda a, b: a != b,
    "!=": lambda a, b: a != b,
    "<": lambda a, b: a < b,
    ">": lambda a, b: a > b,
    "<=": lambda a, b: a <= b,
    ">=": lambda a, b: a >= b,
    "and": lambda a, b: a and b,
    "or": lambda a, b: a or b,
}
_FUNCTIONS: dict[str, Callable[..., str | int | bool]] = {
    "lower": lambda a: a.lower(),
    "upper": lambda a: a.upper(),
    "length": lambda a: len(a),
    "len": lambda a: len(a),
    "starts_with": lambda a, b: a.startswith(b),
    "prefix": lambda a, b: a.startswith(b),
    "ends_with": lambda a, b: a.endswith(b),
    "suffix": lambda a, b: a.endswith(b),
    "contains": lambda a, b: b in a,
}
