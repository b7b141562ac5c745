"""The grammar of SELECT and its clauses."""

from jalan.sql import tree
from jalan.sql.grammar.part import GrammarPart
from jalan.sql.lexer import NUMBER, STRING, WORD

_SELECT_WORDS = frozenset(
    """
    sql_no_cache sql_cache sql_calc_found_rows high_priority sql_small_result sql_big_result
    sql_buffer_result straight_join distinctrow
    """.split()
)
_AFTER_GROUP_ALL = frozenset(
    {
        "",
        ";",
        ")",
        "having",
        "qualify",
        "window",
        "order",
        "limit",
        "union",
        "except",
        "intersect",
        "minus",
        "offset",
        "fetch",
        "using",
        "for",
    }
)


class SelectGrammar(GrammarPart):
    """Reads one SELECT."""

    def select(self) -> tree.Select:
        """Read a SELECT up to the end of its clauses."""
        grammar = self.grammar
        tokens = self.tokens
        keys = tokens.keys
        start = tokens.starts[tokens.i]
        tokens.i += 1
        distinct: list[tree.Expression] | None = None
        top: tree.Expression | None = None
        packed = False
        while True:
            key = keys[tokens.i]
            if key == "distinct" or key == "unique":
                tokens.i += 1
                distinct = []
                if keys[tokens.i] == "on" and keys[tokens.i + 1] == "(":
                    tokens.i += 2
                    distinct = grammar.calls.expression_list()
                    tokens.expect(")")
            elif key == "all" and keys[tokens.i + 1] != "(":
                tokens.i += 1
            elif key == "top" and (tokens.kinds[tokens.i + 1] == NUMBER or keys[tokens.i + 1] in ("(", "$", "{{")):
                top = self.top()
            elif key == "as" and keys[tokens.i + 1] in ("struct", "value"):
                packed = keys[tokens.i + 1] == "struct"
                tokens.i += 2
            elif key in _SELECT_WORDS:
                tokens.i += 1
            else:
                break
        select = tree.Select(start, 0, distinct, [], None, False, [], None, [], None, {})
        select.top = top
        select.packed = packed
        if keys[tokens.i] == "transform" and keys[tokens.i + 1] == "(" and self._using_behind():
            self._transform(select)
        elif keys[tokens.i] not in ("from", "into", "where", "union", "", ";", ")"):
            select.items = grammar.select_list.items()
        if keys[tokens.i] in ("into", "bulk"):
            tokens.take_words("bulk", "collect")
            self.into(select)
            if not select.items and keys[tokens.i] not in ("from", "", ";"):
                select.items = grammar.select_list.items()  # PL/pgSQL: SELECT INTO variable expression
        if keys[tokens.i] == "from":
            tokens.i += 1
            select.source = grammar.table_refs.from_list()
        self.clauses(select)
        select.end = tokens.ends[tokens.i - 1]
        return select

    def clauses(self, select: tree.Select) -> None:
        """Read what may stand behind FROM."""
        grammar = self.grammar
        tokens = self.tokens
        keys = tokens.keys
        if keys[tokens.i] == "where":
            tokens.i += 1
            select.where = grammar.expressions.expression()
        while keys[tokens.i] in ("connect", "start"):
            select.connect = select.connect or []
            tokens.i += 2  # CONNECT BY, START WITH
            tokens.take("nocycle")
            select.connect.append(grammar.expressions.expression())
        if keys[tokens.i] == "group":
            self._group(select)
        if keys[tokens.i] == "having":
            tokens.i += 1
            select.having = grammar.expressions.expression()
        while keys[tokens.i] == "qualify" or (keys[tokens.i] == "window" and keys[tokens.i + 2] == "as"):
            tokens.i += 1
            if keys[tokens.i - 1] == "qualify":
                select.qualify = grammar.expressions.expression()
                continue
            while True:
                name = tokens.name("a window")
                tokens.expect("as")
                if keys[tokens.i] == "(":
                    select.windows[name] = grammar.calls.window()
                else:
                    start = tokens.starts[tokens.i]
                    base = tokens.name("a window")
                    select.windows[name] = tree.Window(start, tokens.end_of_last(), base, [], [], [])
                if not tokens.take(","):
                    break

    def _group(self, select: tree.Select) -> None:
        tokens = self.tokens
        tokens.i += 1
        tokens.expect("by")
        if tokens.keys[tokens.i] == "all" and tokens.keys[tokens.i + 1] in _AFTER_GROUP_ALL:
            tokens.i += 1
            select.group_all = True
            return
        if not tokens.take("all"):
            tokens.take("distinct")
        select.group = self.grouping()
        if tokens.keys[tokens.i] == "with" and tokens.peek() in ("rollup", "cube", "totals"):
            tokens.i += 2
        if tokens.keys[tokens.i] == "grouping" and tokens.peek() == "sets":
            select.group += self.grouping()  # Hive writes the keys first

    def top(self) -> tree.Expression:
        """Read ``TOP (n)``."""
        tokens = self.tokens
        tokens.i += 1
        if tokens.take("("):
            found = self.grammar.expressions.expression()
            tokens.expect(")")
        else:
            found = self.grammar.expressions.prefix()
        tokens.take("percent")
        tokens.take_words("with", "ties")
        return found

    def _using_behind(self) -> bool:
        """Whether USING or ROW FORMAT stands behind the parentheses that open at the next token."""
        tokens = self.tokens
        at = tokens.i
        tokens.i += 1
        tokens.skip_parentheses()
        found = tokens.keys[tokens.i] in ("using", "row")
        tokens.i = at
        return found

    def _transform(self, select: tree.Select) -> None:
        """Hive's ``TRANSFORM (columns) USING 'script' AS (names)``: what comes out is made of all that goes in."""
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        tokens.i += 2
        items = self.grammar.calls.expression_list()
        tokens.expect(")")
        row = tree.Row(start, tokens.end_of_last(), items)
        if tokens.take_words("row", "format"):
            while tokens.keys[tokens.i] not in ("using", "", ";"):
                tokens.i += 1
        tokens.expect("using")
        tokens.i += 1
        names = ["key", "value"]
        if tokens.take("as"):
            names = self._definitions_or_names()
        select.items = [tree.SelectItem(start, tokens.end_of_last(), row, name) for name in names]
        if tokens.take_words("row", "format"):
            while tokens.keys[tokens.i] not in ("from", "", ";"):
                tokens.i += 1

    def map_reduce(self) -> tree.Select:
        """Hive's ``MAP a, b USING 'script' AS x FROM t``."""
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        tokens.i += 1
        items = self.grammar.calls.expression_list()
        row = tree.Row(start, tokens.end_of_last(), items)
        select = tree.Select(start, 0, None, [], None, False, [], None, [], None, {})
        tokens.expect("using")
        tokens.i += 1
        names = self._definitions_or_names() if tokens.take("as") else ["key", "value"]
        select.items = [tree.SelectItem(start, tokens.end_of_last(), row, name) for name in names]
        if tokens.take("from"):
            select.source = self.grammar.table_refs.from_list()
        self.clauses(select)
        select.end = tokens.end_of_last()
        return select

    def _definitions_or_names(self) -> list[str]:
        tokens = self.tokens
        bare = tokens.keys[tokens.i] != "("
        if not bare:
            tokens.i += 1
        names = []
        while True:
            names.append(tokens.name("a column"))
            if tokens.keys[tokens.i] not in (",", ")", "from"):
                self.grammar.calls.type_name()
            if not tokens.take(","):
                break
        if not bare:
            tokens.expect(")")
        return names

    def into(self, select: tree.Select) -> None:
        """Read where a SELECT puts what it finds: a table, a file, variables."""
        tokens = self.tokens
        tokens.i += 1
        if tokens.keys[tokens.i] in ("temporary", "temp"):
            select.into_temporary = True
            tokens.i += 1
        tokens.take("unlogged")
        tokens.take("table")
        if tokens.keys[tokens.i] == "strict" and tokens.kinds[tokens.i + 1] == WORD:
            tokens.i += 1
        if tokens.keys[tokens.i] in ("outfile", "dumpfile"):
            tokens.i += 1
            select.into = self.grammar.tables.table_name()
            while tokens.keys[tokens.i] in (
                "fields",
                "columns",
                "lines",
                "terminated",
                "enclosed",
                "escaped",
                "by",
                "optionally",
                "starting",
                "character",
                "set",
            ) or (tokens.kinds[tokens.i] in (STRING, WORD) and tokens.keys[tokens.i - 1] in ("by", "set")):
                tokens.i += 1
            return
        if tokens.keys[tokens.i] == "$":
            i = tokens.i  # SELECT … INTO @variable, :variable
            tokens.i += 1
            select.into = tree.TableName(tokens.starts[i], tokens.ends[i], (tokens.written(i),))
            select.into_variables = [tokens.written(i)]
        else:
            select.into = self.grammar.tables.table_name()
            if tokens.keys[tokens.i] == "(" and self.dialect.collections:
                tokens.skip_parentheses()  # an element of a collection
                if tokens.take("."):
                    tokens.name("a field")
                select.into_variables = [".".join(select.into.parts)]
            if tokens.keys[tokens.i] == ",":
                select.into_variables = [".".join(select.into.parts)]
        while tokens.take(","):
            select.into_variables = select.into_variables or []
            if tokens.keys[tokens.i] == "$":
                select.into_variables.append(tokens.written(tokens.i))
                tokens.i += 1
            else:
                select.into_variables.append(".".join(tokens.qualified()))
                if tokens.keys[tokens.i] == "(" and self.dialect.collections:
                    tokens.skip_parentheses()

    def grouping(self) -> list[tree.Expression]:
        """Read what is grouped by; sets of keys are read as their keys."""
        tokens = self.tokens
        found: list[tree.Expression] = []
        while True:
            key = tokens.keys[tokens.i]
            if key == "grouping" and tokens.peek() == "sets":
                tokens.i += 2
                tokens.expect("(")
                found += self.grouping()
                tokens.expect(")")
            elif key in ("rollup", "cube") and tokens.peek() == "(":
                tokens.i += 2
                found += self.grammar.calls.expression_list()
                tokens.expect(")")
            elif key == "(" and tokens.peek() == ")":
                tokens.i += 2
            else:
                found.append(self.grammar.expressions.expression())
                if self.dialect.sorted_groups and not tokens.take("asc"):
                    tokens.take("desc")
            if not tokens.take(","):
                return found
