"""Expressions and queries as text again, in one normal form: what the tree does not keep is not printed.

The printed form of a tree parses to the same tree, in the same dialect. Constants are taken from the text that the
tree was read from.
"""

import re
from collections.abc import Callable, Iterable

from jalan.sql import tree
from jalan.sql.dialects.dialect import Dialect, Folding

_PLAIN = {
    Folding.LOWER: re.compile(r"[a-z_][a-z0-9_]*"),
    Folding.UPPER: re.compile(r"[A-Z_][A-Z0-9_]*"),
    Folding.KEEP: re.compile(r"[A-Za-z_@#][A-Za-z0-9_@#]*"),
}
_WORDS = {"similar": "similar to", "sounds": "sounds like", "member": "member of", "any": "= any"}
_JOINS = {"semi": "left semi join", "anti": "left anti join", "inner": "join", "asof": "asof join"}


class Printer:
    """Prints nodes that were read from ``text``."""

    def __init__(self, dialect: Dialect, text: str) -> None:
        self._dialect = dialect
        self._text = text
        self._plain = _PLAIN[dialect.folding]
        self._quotes = next((q for q in dialect.identifier_quotes if q[0] != "["), dialect.identifier_quotes[0])

    def print(self, node: tree.Node) -> str:
        """Return a node as text."""
        return PRINTERS[type(node)](self, node)

    # --- names and lists -----------------------------------------------------------------------------

    def name(self, name: str) -> str:
        """Return a name, in quotes where it needs them."""
        text = str(name)
        if "{{" in text or "${" in text or (self._dialect.positional_columns and text.startswith("$")):
            return text
        if self._plain.fullmatch(text):
            word = text.lower()
            if word not in self._dialect.reserved and word not in self._dialect.reserved_as_alias:
                if word not in _SPECIAL:
                    return text
        opening, closing = self._quotes
        return opening + text.replace(closing, closing * 2) + closing

    def names(self, parts: Iterable[str]) -> str:
        """Return a name of several parts."""
        return ".".join(map(self.name, parts))

    def listed(self, nodes: Iterable[tree.Node]) -> str:
        """Return nodes with commas between them."""
        return ", ".join(map(self.print, nodes))

    def _columns(self, names: list[str] | None) -> str:
        return "" if names is None else f" ({', '.join(map(self.name, names))})"

    def _source(self, node: tree.Node) -> str:
        text = " ".join(self._text[node.start : node.end].split("\n"))
        # Inside a query that is given as a string the quotes are doubled.
        return text[:-1] if text.endswith("''") and text.count("'") % 2 else text

    def _tight(self, node: tree.Expression) -> str:
        """An operand, in parentheses unless nothing could be read otherwise."""
        text = self.print(node)
        if isinstance(node, tree.Column | tree.Literal | tree.Parameter | tree.Call | tree.ScalarQuery | tree.Cast):
            return text
        return f"({text})"

    # --- expressions ---------------------------------------------------------------------------------

    def _as_written(self, node: tree.Literal | tree.Parameter) -> str:
        return self._source(node)

    def _column(self, node: tree.Column) -> str:
        return self.names(node.parts)

    def _star(self, node: tree.Star) -> str:
        text = "".join(self.name(part) + "." for part in node.parts) + "*"
        modifiers = node.modifiers
        if modifiers is None:
            return text
        if modifiers.pattern is not None:
            text += f" {modifiers.match} '{modifiers.pattern}'"
        if modifiers.excluded:
            text += f" exclude ({', '.join(map(self.names, modifiers.excluded))})"
        if modifiers.replaced:
            text += f" replace ({self.listed(modifiers.replaced)})"
        if modifiers.renamed:
            pairs = (f"{self.name(old)} as {self.name(new)}" for old, new in modifiers.renamed)
            text += f" rename ({', '.join(pairs)})"
        return text

    def _unary(self, node: tree.Unary) -> str:
        operator, argument = node.operator, self._tight(node.argument)
        if operator == "interval":
            return f"interval {argument if argument.startswith('(') else f'({argument})'} day"
        if operator == "collate":
            return f"{argument} collate {self._quotes[0]}C{self._quotes[1]}"
        if operator.startswith("is "):
            return f"{argument} {operator}"
        return f"{operator} {argument}"

    def _binary(self, node: tree.Binary) -> str:
        operator = node.operator
        left = self._tight(node.left)
        if operator in ("like", "ilike", "similar", "rlike", "regexp", "glob", "match") and isinstance(
            node.right, tree.Binary
        ):
            if node.right.operator == "escape":
                pattern, escape = self._tight(node.right.left), self._tight(node.right.right)
                return f"{left} {_WORDS.get(operator, operator)} {pattern} escape {escape}"
        right = self._tight(node.right)
        if operator == "any":
            return f"{left} = any ({self.print(node.right)})"
        if operator == "operator":
            return f"{left} operator(+) {right}"
        return f"{left} {_WORDS.get(operator, operator)} {right}"

    def _between(self, node: tree.Between) -> str:
        return f"{self._tight(node.argument)} between {self._tight(node.low)} and {self._tight(node.high)}"

    def _in_list(self, node: tree.InList) -> str:
        return f"{self._tight(node.argument)} in ({self.listed(node.items)})"

    def _in_query(self, node: tree.InQuery) -> str:
        return f"{self._tight(node.argument)} in ({self.print(node.query)})"

    def _scalar_query(self, node: tree.ScalarQuery) -> str:
        return f"({self.print(node.query)})"

    def _array_query(self, node: tree.ArrayQuery) -> str:
        return f"array({self.print(node.query)})"

    def _table_argument(self, node: tree.TableArgument) -> str:
        return f"table({self.print(node.query)})"

    def _dynamic_query(self, node: tree.DynamicQuery) -> str:
        return f"(execute immediate {self.print(node.text)})"

    def _exists(self, node: tree.Exists) -> str:
        return f"exists ({self.print(node.query)})"

    def _case(self, node: tree.Case) -> str:
        parts = ["case"]
        if node.operand is not None:
            parts.append(self.print(node.operand))
        for branch in node.branches:
            parts.append(f"when {self.print(branch.condition)} then {self.print(branch.result)}")
        if node.default is not None:
            parts.append(f"else {self.print(node.default)}")
        return " ".join([*parts, "end"])

    def _cast(self, node: tree.Cast) -> str:
        words = node.type.split(" ")
        kind = node.type if all(map(self._plain_word, words)) else self.name(node.type)
        return f"cast({self.print(node.argument)} as {kind})"

    @staticmethod
    def _plain_word(word: str) -> bool:
        return re.fullmatch(r"\w+", word) is not None

    def _array_items(self, node: tree.ArrayItems) -> str:
        return f"array[{self.listed(node.items)}]"

    def _row(self, node: tree.Row) -> str:
        return f"row({self.listed(node.items)})"

    def _descriptor(self, node: tree.Descriptor) -> str:
        return f"descriptor({self.listed(node.items)})"

    def _subscript(self, node: tree.Subscript) -> str:
        return f"({self.print(node.base)})[{self.listed(node.indexes)}]"

    def _field(self, node: tree.Field) -> str:
        return f"({self.print(node.base)}).{'*' if node.name == '*' else self.name(node.name)}"

    def _path(self, node: tree.Path) -> str:
        opening, closing = self._quotes
        steps = re.sub(r"(?:^|(?<=\.))([^.\[\]]+)", rf"{opening}\1{closing}", node.path)
        return f"{self._tight(node.base)}:{steps}"

    def _lambda(self, node: tree.Lambda) -> str:
        names = ", ".join(map(self.name, node.parameters))
        return f"({names}) -> {self._tight(node.body)}"

    def _comprehension(self, node: tree.Comprehension) -> str:
        names = ", ".join(map(self.name, node.names))
        condition = "" if node.condition is None else f" if {self.print(node.condition)}"
        return f"[{self.print(node.item)} for {names} in {self._tight(node.source)}{condition}]"

    def _struct(self, node: tree.Struct) -> str:
        items = iter(node.items)
        if self._dialect.struct_aliases:
            parts = []
            for name, item in zip(node.names, items, strict=False):
                parts.append(self.print(item) + ("" if name is None else f" as {self.name(name)}"))
            return f"struct({', '.join(parts)})"
        parts = []
        for name in node.names:
            key = self._tight(next(items)) if name is None else f"'{name}'"
            parts.append(f"{key}: {self.print(next(items))}")
        return "{" + ", ".join(parts) + "}"

    def _call(self, node: tree.Call) -> str:
        name, inside = self.names(node.parts), ""
        if len(node.parts) == 1 and " " in node.parts[0]:
            name, _, word = node.parts[0].partition(" ")
            if name == "trim":
                text, *of = [self.print(argument) for argument in node.arguments]
                return f"trim({word} {', '.join(of)}{' ' if of else ''}from {text})"
            name = "collation for" if word == "for" else name
        elif node.parts[-1].lower() in ("xmlelement", "xmlpi") and node.arguments:
            inside = "name x, "
        if node.distinct:
            inside += "distinct "
        inside += "*" if node.star else self.listed(node.arguments)
        if node.having is not None:
            inside += f" having max {self.print(node.having)}"
        if node.order and not node.within_group:
            inside += f" order by {self.listed(node.order)}"
        text = f"{name}({inside})"
        if node.order and node.within_group:
            text += f" within group (order by {self.listed(node.order)})"
        if node.filter is not None:
            text += f" filter (where {self.print(node.filter)})"
        if node.window is not None:
            text += f" over {self.print(node.window)}"
        return text

    def _sort(self, node: tree.Sort) -> str:
        return "all" if isinstance(node.key, tree.Star) else self.print(node.key)

    def _window(self, node: tree.Window) -> str:
        parts = [] if node.base is None else [self.name(node.base)]
        if node.partition:
            parts.append(f"partition by {self.listed(node.partition)}")
        if node.order:
            parts.append(f"order by {self.listed(node.order)}")
        if len(node.frame) == 1:
            parts.append(f"rows {self._tight(node.frame[0])} preceding")
        elif node.frame:
            low, high = node.frame
            parts.append(f"rows between {self._tight(low)} preceding and {self._tight(high)} following")
        return f"({' '.join(parts)})"

    def _item(self, node: tree.SelectItem) -> str:
        text = self.print(node.expression)
        if node.aliases is not None:
            return f"{text} as ({', '.join(map(self.name, node.aliases))})"
        return text if node.alias is None else f"{text} as {self.name(node.alias)}"

    # --- queries -------------------------------------------------------------------------------------

    def _query(self, node: tree.Query) -> str:
        parts = [] if node.ctes is None else [self.print(node.ctes)]
        parts.append(self._body(node.body))
        if node.order:
            parts.append(f"order by {self.listed(node.order)}")
        for n, limit in enumerate(node.limit):
            parts.append(f"{'offset' if n else 'limit'} {self.print(limit)}")
        return " ".join(parts)

    def _body(self, node: tree.Body) -> str:
        return f"({self.print(node)})" if isinstance(node, tree.Query) else self.print(node)

    def _with(self, node: tree.With) -> str:
        if node.ctes and node.ctes[0].name == "$1":  # query ->> query
            first, *rest = node.ctes
            following = f" with {self.listed(rest)}" if rest else ""
            return f"{self.print(first.statement)} ->>{following}"
        routines = "".join(f"{self._text[found.start : found.end]} " for found in node.routines or ())
        return f"with {'recursive ' if node.recursive else ''}{routines}{self.listed(node.ctes)}".rstrip()

    def _cte(self, node: tree.Cte) -> str:
        added = ""
        words = {"order": "search depth first by", "mark": "cycle"}
        for name, role, followed in node.added:
            by = ", ".join(map(self.name, followed))
            added += f" using {self.name(name)}" if role == "path" else f" {words[role]} {by} set {self.name(name)}"
        return f"{self.name(node.name)}{self._columns(node.columns)} as ({self.print(node.statement)}){added}"

    def _set_operation(self, node: tree.SetOperation) -> str:
        # Long chains lean to the left: walk down that side in a loop.
        parts: list[str] = []
        left: tree.Body = node
        while isinstance(left, tree.SetOperation):
            words = f"{left.side} {left.operator}{' all' if left.all else ''}{' by name' if left.by_name else ''}"
            words = words.strip() + (f" on ({', '.join(map(self.name, left.only))})" if left.only else "")
            parts += [self._body(left.right), words]
            left = left.left
        return " ".join([self._body(left), *reversed(parts)])

    def _values(self, node: tree.Values) -> str:
        return "values " + ", ".join(f"({self.listed(row)})" for row in node.rows)

    def _select(self, node: tree.Select) -> str:
        parts = ["select"]
        if node.distinct is not None:
            parts.append(f"distinct on ({self.listed(node.distinct)})" if node.distinct else "distinct")
        if node.top is not None:
            parts.append(f"top ({self.print(node.top)})")
        if node.packed:
            parts.append("as struct")
        if node.items:
            parts.append(self.listed(node.items))
        if node.into is not None:
            parts.append(self._into(node))
        if node.source:
            parts.append(f"from {self.listed(node.source)}")
        if node.where is not None:
            parts.append(f"where {self.print(node.where)}")
        parts += [f"connect by {self.print(condition)}" for condition in node.connect or ()]
        if node.group_all:
            parts.append("group by all")
        elif node.group:
            parts.append(f"group by {self.listed(node.group)}")
        if node.having is not None:
            parts.append(f"having {self.print(node.having)}")
        if node.windows:
            windows = (f"{self.name(name)} as {self.print(window)}" for name, window in node.windows.items())
            parts.append(f"window {', '.join(windows)}")
        if node.qualify is not None:
            parts.append(f"qualify {self.print(node.qualify)}")
        return " ".join(parts)

    def _into(self, node: tree.Select) -> str:
        assert node.into is not None
        if node.into_variables is not None:
            return "into " + ", ".join(v if v[:1] in ":@$" else self.name(v) for v in node.into_variables)
        if node.into.file:
            return f"into outfile {self.print(node.into)}"
        return f"into {'temporary ' if node.into_temporary else ''}{self.print(node.into)}"

    # --- pipes ---------------------------------------------------------------------------------------

    def _pipeline(self, node: tree.Pipeline) -> str:
        first = f"from {self.listed(node.source)}" if node.first is None else self.print(node.first)
        return " ".join([first, *(f"|> {self.print(step)}" for step in node.steps)])

    def _pipe_step(self, node: tree.PipeStep) -> str:
        operator = node.operator
        if operator == "set":
            return "set " + ", ".join(
                f"{self.name(i.alias or '')} = {self.print(i.expression)}" for i in node.items
            )
        if operator == "aggregate":
            group = f"group {'and order ' if node.all else ''}by {self.listed(node.group)}" if node.group else ""
            return f"aggregate {self.listed(node.items)} {group}".strip()
        if node.items:
            windows = (f"{self.name(name)} as {self.print(w)}" for name, w in (node.windows or {}).items())
            tail = f" window {', '.join(windows)}" if node.windows else ""
            return f"{operator} {'distinct ' if node.all else ''}{self.listed(node.items)}{tail}"
        if node.source is not None:
            return self.print(node.source).strip()
        if node.queries is not None:
            words = f"{operator}{' all' if node.all else ''}{'' if node.names is None else ' by name'}"
            return f"{words} {', '.join(f'({self.print(query)})' for query in node.queries)}"
        if node.ctes is not None:
            return self.print(node.ctes)
        return self._plain_step(node)

    def _plain_step(self, node: tree.PipeStep) -> str:
        operator = node.operator
        if node.order is not None:
            return f"order by {self.listed(node.order)}"
        if node.limit is not None:
            if operator == "tablesample":
                return f"tablesample bernoulli ({', '.join(map(self._tight, node.limit))})"
            return "limit " + " offset ".join(map(self.print, node.limit))
        names = ", ".join(" as ".join(map(self.name, names)) for names in node.names or ())
        if node.condition is not None:
            return f"{operator} {self.print(node.condition)}{f' as {names}' if names else ''}"
        return f"{operator} {names}".strip()

    def _pipe_input(self, node: tree.PipeInput) -> str:
        return ""

    # --- from ----------------------------------------------------------------------------------------

    def _table_name(self, node: tree.TableName) -> str:
        if node.file:
            path = str(node.parts[0])
            quote = '"' if "'" in path else "'"
            return path if path.startswith("@") and self._dialect.stages else f"{quote}{path}{quote}"
        last, at, link = node.parts[-1].partition("@")
        if at and last:
            return f"{self.names([*node.parts[:-1], last])}@{self.name(link)}"
        return self.names(node.parts)

    def alias(self, node: tree.FromItem) -> str:
        """Return the alias of something in FROM with its columns."""
        if node.alias is None:
            return ""
        return f" as {self.name(node.alias)}{self._columns(node.columns)}"

    def _table_source(self, node: tree.TableSource) -> str:
        text = self.print(node.table)
        if node.at is not None:
            first = self._tight(node.at[0])
            if len(node.at) > 1:
                text += f" for system_time from {first} to {self._tight(node.at[1])}"
            else:
                text += f" for system_time as of {first}"
        text += self.alias(node)
        if node.sample is not None:
            text += f" tablesample bernoulli ({', '.join(map(self._tight, node.sample))})"
        return text

    def _derived(self, node: tree.Derived) -> str:
        return f"{'lateral ' if node.lateral else ''}({self.print(node.query)}){self.alias(node)}"

    def _function_source(self, node: tree.FunctionSource) -> str:
        ordinality = ""
        if node.ordinality:
            ordinality = " with ordinality"
            if node.ordinality_name != "ordinality":
                ordinality = f" with offset as {self.name(node.ordinality_name)}"
        if len(node.calls) > 1:
            parts = [
                self.print(call) + (f" as {self._defined(defined)}" if defined else "")
                for call, defined in zip(node.calls, node.defined, strict=True)
            ]
            return f"rows from ({', '.join(parts)}){ordinality}{self.alias(node)}"
        call = node.calls[0]
        text = self.print(call)
        offset = ordinality.startswith(" with offset")
        if not isinstance(call, tree.Call | tree.Cast) and not (isinstance(call, tree.Column) and offset):
            text = f"table({text})"
        if node.defined[0] is not None:
            name = "" if node.alias is None else f" {self.name(node.alias)}"
            return f"{text}{ordinality} as{name} {self._defined(node.defined[0])}"
        if offset:
            return f"{text}{self.alias(node)}{ordinality}"
        return f"{text}{ordinality}{self.alias(node)}"

    def _defined(self, names: list[str]) -> str:
        return f"({', '.join(self.name(name) + ' text' for name in names)})"

    def _join(self, node: tree.Join) -> str:
        if node.kind == "group":
            return f"({self.print(node.left)}){self.alias(node)}"
        right = self.print(node.right)
        if isinstance(node.right, tree.Join) and node.right.kind != "group":
            right = f"({right})"
        words = _JOINS.get(node.kind, f"{node.kind} join")
        if node.natural:
            words = f"natural {words}"
        elif (
            node.kind == "left" and node.condition is None and node.using is None and self._dialect.bare_statements
        ):
            words = "outer apply"
        text = f"{self.print(node.left)} {words} {right}"
        if node.condition is not None:
            text += f" on {self.print(node.condition)}"
        elif node.using is not None:
            text += f" using ({', '.join(self.name(name) for name, _, _ in node.using)})"
            if node.using_alias:
                text += f" as {self.name(node.using_alias)}"
        return text

    def _shredded(self, node: tree.Shredded) -> str:
        fields = []
        for name, path, expressions in node.fields:
            kind = " for ordinality" if path is None else f" text path '{path}'"
            kind += "".join(f" default {self._tight(expression)}" for expression in expressions)
            fields.append(self.name(name) + kind)
        columns = ", ".join(fields)
        if node.name == "xmltable":
            passing = "" if len(node.arguments) < 2 else f" passing {self._tight(node.arguments[0])}"
            text = f"xmltable({self.print(node.arguments[-1])}{passing} columns {columns})"
        elif node.name == "openjson":
            fields = [f"{self.name(name)} text '{path}'" for name, path, _ in node.fields]
            text = f"openjson({self.listed(node.arguments)}) with ({', '.join(fields)})"
        else:
            text = f"json_table({self.listed(node.arguments)} columns ({columns}))"
        return text + self.alias(node)

    def _pivot(self, node: tree.Pivot) -> str:
        keys = self.print(node.keys[0]) if len(node.keys) == 1 else f"({self.listed(node.keys)})"
        values = "any" if node.values is None else self.listed(node.values)
        group = "" if node.group is None else f" group by {self.listed(node.group)}"
        inside = f"{self.listed(node.aggregates)} for {keys} in ({values}){group}"
        return f"{self.print(node.source)} pivot ({inside}){self.alias(node)}"

    def _unpivot(self, node: tree.Unpivot) -> str:
        values = self.name(node.values[0])
        if len(node.values) > 1:
            values = f"({', '.join(map(self.name, node.values))})"
        groups = ", ".join(
            self.print(group[0]) if len(group) == 1 else f"({self.listed(group)})" for group in node.groups
        )
        inside = f"{values} for {self.name(node.key)} in ({groups})"
        return f"{self.print(node.source)} unpivot ({inside}){self.alias(node)}"

    def _match_recognize(self, node: tree.MatchRecognize) -> str:
        parts = []
        if node.partition:
            parts.append(f"partition by {self.listed(node.partition)}")
        if node.order:
            parts.append(f"order by {self.listed(node.order)}")
        if node.measures:
            parts.append(f"measures {self.listed(node.measures)}")
        parts.append("all rows per match" if node.all_rows else "one row per match")
        defined = node.symbols[len(node.symbols) - len(node.defines) :]
        parts.append(f"pattern ({' '.join(map(str, node.symbols[: len(node.symbols) - len(defined)]))})")
        pairs = (f"{self.name(s)} as {self.print(d)}" for s, d in zip(defined, node.defines, strict=True))
        parts.append(f"define {', '.join(pairs)}" if defined else "")
        return f"{self.print(node.source)} match_recognize ({' '.join(parts)}){self.alias(node)}"


PRINTERS: dict[type[tree.Node], Callable[..., str]] = {
    tree.Literal: Printer._as_written,
    tree.Parameter: Printer._as_written,
    tree.Column: Printer._column,
    tree.Star: Printer._star,
    tree.Unary: Printer._unary,
    tree.Binary: Printer._binary,
    tree.Between: Printer._between,
    tree.InList: Printer._in_list,
    tree.InQuery: Printer._in_query,
    tree.ScalarQuery: Printer._scalar_query,
    tree.ArrayQuery: Printer._array_query,
    tree.DynamicQuery: Printer._dynamic_query,
    tree.TableArgument: Printer._table_argument,
    tree.Exists: Printer._exists,
    tree.Case: Printer._case,
    tree.Cast: Printer._cast,
    tree.ArrayItems: Printer._array_items,
    tree.Row: Printer._row,
    tree.Descriptor: Printer._descriptor,
    tree.Subscript: Printer._subscript,
    tree.Field: Printer._field,
    tree.Path: Printer._path,
    tree.Lambda: Printer._lambda,
    tree.Comprehension: Printer._comprehension,
    tree.Struct: Printer._struct,
    tree.Call: Printer._call,
    tree.Sort: Printer._sort,
    tree.Window: Printer._window,
    tree.SelectItem: Printer._item,
    tree.Query: Printer._query,
    tree.With: Printer._with,
    tree.Cte: Printer._cte,
    tree.SetOperation: Printer._set_operation,
    tree.Values: Printer._values,
    tree.Select: Printer._select,
    tree.TableName: Printer._table_name,
    tree.TableSource: Printer._table_source,
    tree.Derived: Printer._derived,
    tree.FunctionSource: Printer._function_source,
    tree.Join: Printer._join,
    tree.Shredded: Printer._shredded,
    tree.Pipeline: Printer._pipeline,
    tree.PipeStep: Printer._pipe_step,
    tree.PipeInput: Printer._pipe_input,
    tree.Pivot: Printer._pivot,
    tree.Unpivot: Printer._unpivot,
    tree.MatchRecognize: Printer._match_recognize,
}


# Words that begin special syntax where an expression may stand; as names they are quoted.
_SPECIAL = frozenset(
    """
    array row struct map interval case cast try_cast safe_cast exists not null true false collation next prior
    binary connect_by_root approximate final running timestamp time double character bit varchar numeric table
    values current_date current_time current_timestamp localtime localtimestamp current_role current_user
    session_user user current_catalog current_schema system_user date set default
    """.split()
)
