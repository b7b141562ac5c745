"""PostgreSQL's own analysed tree of a view, read out of its rule, and what carries value into each of its columns.

``pg_rewrite.ev_action`` holds the tree as text (src/backend/nodes/outfuncs.c). Names are resolved there already, so
the sources of a column follow from the tree alone: down from its target entry, through joins, subqueries and common
table expressions, to the columns of tables. Which parts of an expression carry value is docs/lineage-rules.md.
"""

import re
from typing import Any

import psycopg

Node = dict[str, Any]
Source = tuple[str, str]
_TOKEN = re.compile(r"[{}()\[\]]|:\w+|\"(?:[^\"\\]|\\.)*\"|(?:[^\s{}()\[\]\\]|\\.)+")

_RELATION, _SUBQUERY, _JOIN, _FUNCTION, _TABLE_FUNCTION, _VALUES, _CTE = range(7)
_EXISTS = 0
_EXCEPT = 3


def read_tree(text: str) -> Any:
    """Parse a node tree: ``{NAME :field value …}`` to dictionaries, ``(…)`` and ``[…]`` to lists."""
    tokens = _TOKEN.findall(text)
    found, _ = _value(tokens, 0)
    return found


def _value(tokens: list[str], i: int) -> tuple[Any, int]:
    token = tokens[i]
    if token == "{":
        node: Node = {"type": tokens[i + 1]}
        i += 2
        while tokens[i] != "}":
            name = tokens[i][1:]
            i += 1
            values = []
            while tokens[i] != "}" and not (tokens[i].startswith(":") and len(tokens[i]) > 1):
                value, i = _value(tokens, i)
                values.append(value)
            node[name] = values[0] if len(values) == 1 else values
        return node, i + 1
    if token in "([":
        items = []
        i += 1
        while tokens[i] not in ")]":
            item, i = _value(tokens, i)
            items.append(item)
        return items, i + 1
    if token == "<>":
        return None, i + 1
    return token, i + 1


class Analysed:
    """The analysed query of a view."""

    def __init__(self, connection: psycopg.Connection, view: str) -> None:
        row = connection.execute(
            "select ev_action from pg_rewrite where ev_class = %s::regclass and rulename = '_RETURN'", (view,)
        ).fetchone()
        assert row is not None
        (self._query,) = read_tree(str(row[0]))
        columns = connection.execute(
            "select a.attrelid, a.attnum, n.nspname || '.' || c.relname, a.attname from pg_attribute a "
            "join pg_class c on c.oid = a.attrelid join pg_namespace n on n.oid = c.relnamespace "
            "where a.attnum > 0 and not a.attisdropped"
        ).fetchall()
        self._columns = {(str(relation), number): (table, name) for relation, number, table, name in columns}
        self._seen: set[tuple[int, int]] = set()

    def value_sources(self) -> list[set[Source]]:
        """Return for each output, in order, the columns whose value is in it."""
        entries = [entry for entry in self._query["targetList"] if entry["resjunk"] == "false"]
        return [self._output([self._query], int(entry["resno"])) for entry in entries]

    def _output(self, stack: list[Node], number: int) -> set[Source]:
        """The sources of one output of the innermost query of the stack."""
        query = stack[-1]
        key = (id(query), number)
        if key in self._seen:
            return set()  # a recursive query meets itself
        self._seen.add(key)
        try:
            if query.get("setOperations"):
                return self._set_operation(stack, query["setOperations"], number)
            entry = next(e for e in query["targetList"] if int(e["resno"]) == number)
            return self._sources(stack, entry["expr"])
        finally:
            self._seen.discard(key)

    def _set_operation(self, stack: list[Node], node: Node, number: int) -> set[Source]:
        if node["type"] == "RANGETBLREF":
            entry = stack[-1]["rtable"][int(node["rtindex"]) - 1]
            return self._output([*stack, entry["subquery"]], number)
        found = self._set_operation(stack, node["larg"], number)
        if int(node["op"]) != _EXCEPT:
            found = found | self._set_operation(stack, node["rarg"], number)
        return found

    def _sources(self, stack: list[Node], node: Any) -> set[Source]:
        if isinstance(node, list):
            return set().union(*(self._sources(stack, part) for part in node)) if node else set()
        if not isinstance(node, dict):
            return set()
        special = getattr(self, "_" + node["type"].lower(), None)
        if special is not None:
            return special(stack, node)
        return self._sources(stack, [value for name, value in node.items() if name != "type"])

    def _var(self, stack: list[Node], node: Node) -> set[Source]:
        level = stack[: len(stack) - int(node["varlevelsup"])]
        entry = level[-1]["rtable"][int(node["varno"]) - 1]
        return self._column(level, entry, int(node["varattno"]))

    def _column(self, stack: list[Node], entry: Node, number: int) -> set[Source]:
        kind = int(entry["rtekind"])
        if number < 0:
            return set()
        if number == 0:
            count = len(entry["eref"]["colnames"])
            return set().union(*(self._column(stack, entry, n + 1) for n in range(count)))
        if kind == _RELATION:
            source = self._columns.get((entry["relid"], number))
            return {source} if source is not None else set()
        if kind == _SUBQUERY:
            return self._output([*stack, entry["subquery"]], number)
        if kind == _JOIN:
            return self._sources(stack, entry["joinaliasvars"][number - 1])
        if kind == _FUNCTION:
            for function in entry["functions"]:
                count = int(function["funccolcount"])
                if number <= count:
                    return self._sources(stack, function["funcexpr"])
                number -= count
            return set()
        if kind == _TABLE_FUNCTION:
            table = entry["tablefunc"]
            return set() if number - 1 == int(table["ordinalitycol"]) else self._sources(stack, table["docexpr"])
        if kind == _VALUES:
            return self._sources(stack, [row[number - 1] for row in entry["values_lists"]])
        assert kind == _CTE, kind
        level = stack[: len(stack) - int(entry["ctelevelsup"])]
        cte = next(c for c in level[-1]["cteList"] if c["ctename"] == entry["ctename"])
        if number > len(cte["ctequery"].get("targetList") or []):
            return set()  # what SEARCH and CYCLE add
        return self._output([*level, cte["ctequery"]], number)

    def _fieldselect(self, stack: list[Node], node: Node) -> set[Source]:
        argument = node["arg"]
        stack, argument = self._through_subqueries(stack, argument)
        if isinstance(argument, dict) and argument["type"] == "VAR" and int(argument["varattno"]) == 0:
            level = stack[: len(stack) - int(argument["varlevelsup"])]
            entry = level[-1]["rtable"][int(argument["varno"]) - 1]
            return self._column(level, entry, int(node["fieldnum"]))
        return self._sources(stack, argument)

    @staticmethod
    def _through_subqueries(stack: list[Node], node: Any) -> tuple[list[Node], Any]:
        """Follow a variable that stands for an output of a subquery to what makes that output."""
        while isinstance(node, dict) and node["type"] == "VAR" and int(node["varattno"]) > 0:
            level = stack[: len(stack) - int(node["varlevelsup"])]
            entry = level[-1]["rtable"][int(node["varno"]) - 1]
            if int(entry["rtekind"]) != _SUBQUERY or entry["subquery"].get("setOperations"):
                break
            stack = [*level, entry["subquery"]]
            target = next(e for e in entry["subquery"]["targetList"] if e["resno"] == node["varattno"])
            node = target["expr"]
        return stack, node

    def _aggref(self, stack: list[Node], node: Node) -> set[Source]:
        arguments = [e["expr"] for e in node["args"] or [] if e["resjunk"] == "false"]
        return self._sources(stack, [node["aggdirectargs"], arguments])

    def _windowfunc(self, stack: list[Node], node: Node) -> set[Source]:
        return self._sources(stack, node["args"])

    def _groupingfunc(self, stack: list[Node], node: Node) -> set[Source]:
        return set()

    def _case(self, stack: list[Node], node: Node) -> set[Source]:
        results = [when["result"] for when in node["args"]]
        return self._sources(stack, [*results, node["defresult"]])

    _caseexpr = _case

    def _sublink(self, stack: list[Node], node: Node) -> set[Source]:
        if int(node["subLinkType"]) == _EXISTS:
            return set()
        query = node["subselect"]
        found = self._sources(stack, node["testexpr"])
        for entry in query["targetList"]:
            if entry["resjunk"] == "false":
                found = found | self._output([*stack, query], int(entry["resno"]))
        return found
