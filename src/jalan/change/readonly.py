"""Queries that only read: what of a text may be run over a real database to look at some of its rows."""

import re

from jalan.change.types import type_system
from jalan.sql import tree
from jalan.sql.dialects import get_dialect
from jalan.sql.grammar.script import parse
from jalan.sql.lexer import tokenize
from jalan.sql.walk import walk

_POSTGRESQL = get_dialect("postgresql")
# These run texts that are given to them, set something, or tell of the server.
_NOT_CALLED = re.compile(
    r"(query|cursor|table|schema|database)_to_xml.*|.*val|set.*|ts_stat|ts_rewrite|current_setting|version|inet_.*|txid_.*"
    r"|row_security_active|.*_acl.*|acl.*|to_reg.*|format_type|obj_description|shobj_description|col_description"
)
_SYNTAX = frozenset(
    "coalesce greatest least nullif extract grouping position current_date current_time current_timestamp "
    "localtime localtimestamp trim".split()
)


_NO_CONDITION = "the filter is no condition over the columns that are shown"


class MayNotRun(ValueError):
    """A query is not run; the message says why."""


def check_reads(query: tree.Query, text: str) -> None:
    """Raise MayNotRun where a query does more than read, or calls something of which nobody knows what it does.

    text: that it was read from.
    """
    for node in walk(query):
        if isinstance(node, tree.Cte) and not isinstance(node.statement, tree.Query):
            raise MayNotRun("a part of it writes")
        if isinstance(node, tree.Select) and (node.into is not None or node.into_variables):
            raise MayNotRun("it writes into something")
        if isinstance(node, tree.Parameter | tree.DynamicQuery):
            raise MayNotRun(f"what stands in “{text[node.start : node.end][:60]}” is not known")
        if isinstance(node, tree.Call) and not _is_harmless(node):
            name = ".".join(map(str, node.parts))
            raise MayNotRun(f"it calls {name[:60]}, of which it is not known what it does")


def checked_filter(written: str) -> str:
    """Return a condition over the rows of a query, in its words alone: without comments. Raises MayNotRun where it
    is none, or asks for something else."""
    text = f"select 1 from s where ({written}\n)"
    if not written.strip():
        raise MayNotRun(_NO_CONDITION)
    nodes = list(parse(text, _POSTGRESQL))
    node = nodes[0] if len(nodes) == 1 else None
    query = node.query if isinstance(node, tree.QueryStatement) else None
    body = query.body if query is not None else None
    if query is None or not isinstance(body, tree.Select) or body.where is None or body.end < len(text) - 1:
        raise MayNotRun(_NO_CONDITION)
    if body.group or body.having is not None or body.windows or query.order or query.limit:
        raise MayNotRun(_NO_CONDITION)
    if any(isinstance(node, tree.Query) for node in walk(body.where)):
        raise MayNotRun("the filter asks for other rows")
    check_reads(query, text)
    tokens = tokenize(written, _POSTGRESQL)
    return " ".join(tokens.written(n) for n in range(len(tokens.kinds)) if tokens.keys[n])


def _is_harmless(call: tree.Call) -> bool:
    name = str(call.parts[-1])
    if len(call.parts) > 1 and str(call.parts[0]) != "pg_catalog":
        return False
    if name in _SYNTAX or name.startswith("trim "):
        return True
    return name in type_system().functions and not _NOT_CALLED.fullmatch(name)
