"""The grammar of queries: SELECT, VALUES, set operations."""

from itertools import product
from math import prod

from jalan.sql import tree
from jalan.sql.grammar.table_refs import SET_SIDES
from jalan.sql.lexer import NUMBER, STRING, WORD
from jalan.sql.grammar.with_clauses import WithParser

_SET_OPERATORS = frozenset({"union", "except", "minus"})
_SELECT_WORDS = frozenset(
    """
    sql_no_cache sql_cache sql_calc_found_rows high_priority sql_small_result sql_big_result
    sql_buffer_result straight_join distinctrow
    """.split()
)
_AFTER_GROUP_ALL = frozenset({"", ";", ")", "having", "qualify", "window", "order", "limit", "union", "except",
                              "intersect", "minus", "offset", "fetch", "using", "for"})  # fmt: skip
_MOST_PIVOTED = 1000  # columns
_HIVE_KEYS = frozenset({"cluster", "distribute", "sort"})


class QueryParser(WithParser):
    """Reads queries."""

    def query(self) -> tree.Query:
        """Read a query with its WITH, ORDER BY and LIMIT."""
        self.enter()
        start = self.starts[self.i]
        ctes = self.with_clause() if self.keys[self.i] == "with" else None
        found = self.query_body(ctes, start)
        self.depth -= 1
        return found

    def query_body(self, ctes: tree.With | None, start: int) -> tree.Query:
        """Read what follows the WITH of a query."""
        return self.finish_query(tree.Query(start, 0, ctes, self._set_operations(), [], []))

    def finish_query(self, query: tree.Query) -> tree.Query:
        """Read what follows the body of a query: order, limits, locks and the like."""
        body, keys = query.body, self.keys
        while True:
            key = keys[self.i]
            if key == "order":
                query.order = self._order_all()
            elif key == "limit":
                self.i += 1
                self._limit(query)
            elif key == "offset":
                self.i += 1
                query.limit.append(self.expression())
                if not self.take("rows"):
                    self.take("row")
            elif key == "fetch":
                self._fetch(query)
            elif key in _HIVE_KEYS and self.peek() == "by":
                self.i += 2  # where the rows go, not which they are
                self.expression_list()
                if self.take("asc") or self.take("desc"):
                    pass
            elif key == "for":
                self._locking()
            elif key == "with" and self.peek() in ("ur", "cs", "rs", "rr"):
                self.i += 2
            elif key == "using" and self.peek() == "sample":
                self.i += 1
                query.limit += self.sample()
            elif key == "option" and self.peek() == "(":
                self.i += 1
                self.skip_parentheses()
            elif key == "into" and isinstance(body, tree.Select) and body.into is None:
                self._into(body)
            elif key == "settings":
                self._to_end()
            elif key == "lock" and self.peek() == "in":
                self.i += 4  # LOCK IN SHARE MODE
            elif key == "procedure" and self.kinds[self.i + 1] == WORD and self.peek(2) == "(":
                self.i += 2
                self.skip_parentheses()
            elif key in _SET_OPERATORS and query.order and self.dialect.implicit_recursion:
                inner = tree.Query(query.start, self.end_of_last(), None, body, query.order, query.limit)
                query.order, query.limit = [], []
                query.body = body = self._set_operations(inner)
            elif key == "|>":
                self._pipeline(query)
            else:
                break
        query.end = self.end_of_last()
        return query

    def _pipeline(self, query: tree.Query) -> None:
        """Read ``|> step |> step``; what stands before is what goes in."""
        raise NotImplementedError

    def table_rows(self) -> tree.Query:
        start = self.starts[self.i]
        self.i += 1
        inside = self.take("(")
        if inside and self._is_query(self.i):
            query = self.query()
        else:
            name = self.table_name()
            source = tree.TableSource(name.start, name.end, None, None, name)
            query = tree.Query(start, source.end, None, self._select_star(start, source), [], [])
        if inside:
            self.expect(")")
        return query

    def _to_end(self) -> None:
        raise NotImplementedError

    def _order_all(self) -> list[tree.Sort]:
        if self.peek() == "siblings":
            self.i += 2
            self.expect("by")
            found = self.sort_keys()
        elif self.peek() == "by" and self.peek(2) == "all" and self.peek(3) != "(":
            i = self.i
            self.i += 3
            if not self.take("asc"):
                self.take("desc")
            if self.take("nulls"):
                self.i += 1
            star = tree.Star(self.starts[i], self.end_of_last(), ())
            found = [tree.Sort(star.start, star.end, star)]
        else:
            found = self.order_by()
        return found

    def _limit(self, query: tree.Query) -> None:
        if self.take("all"):
            return
        self.take_words("rows", "examined")
        percent = self.kinds[self.i] == NUMBER and self.keys[self.i + 1] == "%"
        query.limit.append(self.expression(10 if percent else 1))
        if self.take(","):  # LIMIT offset, count
            query.limit.append(self.expression())
        elif not self.take("percent"):
            self.take("%")
        if self.take("by"):
            query.limit += self.expression_list()

    def _fetch(self, query: tree.Query) -> None:
        self.i += 2  # FETCH FIRST, or NEXT
        if self.keys[self.i] not in ("row", "rows"):
            query.limit.append(self.expression())
            self.take("percent")
        else:
            query.limit.append(tree.Literal(self.starts[self.i], self.ends[self.i], ""))
        self.i += 1
        if not self.take("only") and self.take("with"):
            self.expect("ties")

    def _locking(self) -> None:
        self.i += 1
        if self.keys[self.i] in ("xml", "json", "browse"):
            while self.keys[self.i] not in ("", ";", ")", "option"):
                if self.keys[self.i] == "(":
                    self.skip_parentheses()
                else:
                    self.i += 1
            return
        while self.keys[self.i] in ("update", "share", "no", "key", "nowait", "skip", "locked", "read", "only"):
            self.i += 1
        if self.take("of"):
            self.qualified()
            while self.take(","):
                self.qualified()
        while self.keys[self.i] in ("nowait", "skip", "locked", "wait") or self.kinds[self.i] == NUMBER:
            self.i += 1

    # --- bodies --------------------------------------------------------------------------------------

    def _set_operations(self, first: tree.Body | None = None) -> tree.Body:
        left = self._intersections() if first is None else first
        while (key := self.keys[self.i]) in _SET_OPERATORS or (
            key in SET_SIDES and self.set_operator_behind_side()
        ):
            side = self._side_of_set()
            operator, all_, by_name = self._set_operator()
            only = self.names_in_parentheses() if by_name and self.take("on") else None
            right = self._intersections()
            left = tree.SetOperation(left.start, right.end, operator, all_, left, right, by_name, side, only)
        return left

    def _side_of_set(self) -> str:
        """Read ``FULL``, ``LEFT [OUTER]`` or ``INNER`` before a set operator."""
        side = ""
        while self.keys[self.i] in SET_SIDES:
            side = side or self.keys[self.i]
            self.i += 1
        return side

    def _intersections(self) -> tree.Body:
        left = self._body()
        while self.keys[self.i] == "intersect":
            operator, all_, by_name = self._set_operator()
            right = self._body()
            left = tree.SetOperation(left.start, right.end, operator, all_, left, right, by_name)
        return left

    def _set_operator(self) -> tuple[str, bool, bool]:
        operator = "except" if self.keys[self.i] == "minus" else self.keys[self.i]
        self.i += 1
        all_ = self.take("all")
        if not all_:
            self.take("distinct")
        by_name = self.take_words("by", "name")
        if self.take("corresponding"):
            by_name = True
            if self.take("by"):
                self.names_in_parentheses()
        elif self.keys[self.i] == "strict":
            self.i += 1
            self.expect("corresponding")
            by_name = True
        return operator, all_, by_name

    def _body(self) -> tree.Body:
        key = self.keys[self.i]
        if key == "select":
            return self._select()
        if key == "(":
            self.i += 1
            query = self.query()
            self.expect(")")
            return query
        if key == "values":
            return self._values()
        if key == "table":
            start = self.starts[self.i]
            self.i += 1
            self.take("only")
            source = self._table_source()
            return self._select_star(start, source)
        if key == "from":
            return self._from_first()
        if key in ("map", "reduce") and self.dialect.lambdas:
            return self._map_reduce()
        if key in ("pivot", "unpivot"):
            return self._pivot_statement()
        self.fail("SELECT, VALUES or “(”")

    def _select_star(self, start: int, source: tree.FromItem) -> tree.Select:
        star = tree.Item(start, source.end, tree.Star(start, source.end, ()), None)
        return tree.Select(start, source.end, None, [star], None, False, [source], None, [], None, {})

    def _from_first(self) -> tree.Select:
        """``FROM t [SELECT …] [WHERE …] …``."""
        start = self.starts[self.i]
        self.i += 1
        source = self.from_list()
        if self.keys[self.i] == "select":
            select = self._select()
            select.source = source
            select.start = start
            return select
        select = self._select_star(start, source[0])
        select.source = source
        self._clauses(select)
        select.end = self.end_of_last()
        return select

    def _pivot_statement(self) -> tree.Select:
        """``PIVOT t ON key [IN (…)] USING aggregates [GROUP BY …]``, ``UNPIVOT t ON … INTO NAME n VALUE v``."""
        start = self.starts[self.i]
        pivot = self.keys[self.i] == "pivot"
        self.i += 1
        source = self._from_primary()
        item: tree.FromItem
        self.expect("on")
        if pivot:
            keys: list[tree.Expression] = []
            lists: list[list[tree.Item] | None] = []
            while True:
                keys.append(self.expression(7))
                lists.append(self._pivot_values() if self.take("in") else None)
                if not self.take(","):
                    break
            values = self._combined_values(lists)
            aggregates = self.items() if self.take("using") else []
            group = self.expression_list() if self.take_words("group", "by") else None
            item = tree.Pivot(start, self.end_of_last(), None, None, source, aggregates, keys, values, group)
        else:
            groups = []
            for entry in self.items():
                expression = entry.expression
                groups.append(expression.items if isinstance(expression, tree.Row) else [expression])
            key, values_ = "name", ["value"]
            if self.take("into"):
                self.expect("name")
                key = self.name()
                self.expect("value")
                values_ = [self.name()]
                while self.take(","):
                    values_.append(self.name())
            item = tree.Unpivot(start, self.end_of_last(), None, None, source, values_, key, groups)
        return self._select_star(start, item)

    def _combined_values(self, lists: list[list[tree.Item] | None]) -> list[tree.Item] | None:
        """Every value of one key with every value of the next; None where the data decides, or for too many."""
        known = [values for values in lists if values is not None]
        if len(known) < len(lists) or prod(map(len, known)) > _MOST_PIVOTED:
            return None
        if len(known) == 1:
            return known[0]
        found = []
        for row in product(*known):
            names = [
                item.alias or self.text[item.expression.start : item.expression.end].strip("'\"") for item in row
            ]
            parts = tree.Row(row[0].start, row[-1].end, [item.expression for item in row])
            found.append(tree.Item(row[0].start, row[-1].end, parts, self._folding.named("_".join(names))))
        return found

    def _values(self) -> tree.Values:
        start = self.starts[self.i]
        self.i += 1
        rows = []
        while True:
            self.take("row")
            if self.keys[self.i] == "(":
                self.i += 1
                rows.append(self._value_row())
                self.expect(")")
            else:
                rows.append([self.expression()])  # VALUES 1, 2
            if self.keys[self.i] != "," or self.keys[self.i + 1] == "":
                return tree.Values(start, self.end_of_last(), rows)
            self.i += 1

    def _value_row(self) -> list[tree.Expression]:
        found: list[tree.Expression] = []
        if self.keys[self.i] == ")" and not self.dialect.joins_need_condition:
            return found
        while True:
            i = self.i
            if self.keys[i] == "default" and self.keys[i + 1] not in (".", "("):
                self.i += 1
                found.append(tree.Literal(self.starts[i], self.ends[i], ""))
            else:
                found.append(self.expression())
            if self.keys[self.i] != ",":
                return found
            self.i += 1

    def _select(self) -> tree.Select:
        keys = self.keys
        start = self.starts[self.i]
        self.i += 1
        distinct: list[tree.Expression] | None = None
        top: tree.Expression | None = None
        packed = False
        while True:
            key = keys[self.i]
            if key == "distinct" or key == "unique":
                self.i += 1
                distinct = []
                if keys[self.i] == "on" and keys[self.i + 1] == "(":
                    self.i += 2
                    distinct = self.expression_list()
                    self.expect(")")
            elif key == "all" and keys[self.i + 1] != "(":
                self.i += 1
            elif key == "top" and (self.kinds[self.i + 1] == NUMBER or keys[self.i + 1] in ("(", "$", "{{")):
                top = self._top()
            elif key == "as" and keys[self.i + 1] in ("struct", "value"):
                packed = keys[self.i + 1] == "struct"
                self.i += 2
            elif key in _SELECT_WORDS:
                self.i += 1
            else:
                break
        select = tree.Select(start, 0, distinct, [], None, False, [], None, [], None, {})
        select.top = top
        select.packed = packed
        if keys[self.i] == "transform" and keys[self.i + 1] == "(" and self._using_behind():
            self._transform(select)
        elif keys[self.i] not in ("from", "into", "where", "union", "", ";", ")"):
            select.items = self.items()
        if keys[self.i] in ("into", "bulk"):
            self.take_words("bulk", "collect")
            self._into(select)
            if not select.items and keys[self.i] not in ("from", "", ";"):
                select.items = self.items()  # PL/pgSQL: SELECT INTO variable expression
        if keys[self.i] == "from":
            self.i += 1
            select.source = self.from_list()
        self._clauses(select)
        select.end = self.ends[self.i - 1]
        return select

    def _clauses(self, select: tree.Select) -> None:
        """Read what may stand behind FROM."""
        keys = self.keys
        if keys[self.i] == "where":
            self.i += 1
            select.where = self.expression()
        while keys[self.i] in ("connect", "start"):
            select.connect = select.connect or []
            self.i += 2  # CONNECT BY, START WITH
            self.take("nocycle")
            select.connect.append(self.expression())
        if keys[self.i] == "group":
            self._group(select)
        if keys[self.i] == "having":
            self.i += 1
            select.having = self.expression()
        while keys[self.i] == "qualify" or (keys[self.i] == "window" and keys[self.i + 2] == "as"):
            self.i += 1
            if keys[self.i - 1] == "qualify":
                select.qualify = self.expression()
                continue
            while True:
                name = self.name("a window")
                self.expect("as")
                if keys[self.i] == "(":
                    select.windows[name] = self.window()
                else:
                    start = self.starts[self.i]
                    base = self.name("a window")
                    select.windows[name] = tree.Window(start, self.end_of_last(), base, [], [], [])
                if not self.take(","):
                    break

    def _group(self, select: tree.Select) -> None:
        self.i += 1
        self.expect("by")
        if self.keys[self.i] == "all" and self.keys[self.i + 1] in _AFTER_GROUP_ALL:
            self.i += 1
            select.group_all = True
            return
        if not self.take("all"):
            self.take("distinct")
        select.group = self._grouping()
        if self.keys[self.i] == "with" and self.peek() in ("rollup", "cube", "totals"):
            self.i += 2
        if self.keys[self.i] == "grouping" and self.peek() == "sets":
            select.group += self._grouping()  # Hive writes the keys first

    def _top(self) -> tree.Expression:
        self.i += 1
        if self.take("("):
            found = self.expression()
            self.expect(")")
        else:
            found = self._prefix()
        self.take("percent")
        self.take_words("with", "ties")
        return found

    def _using_behind(self) -> bool:
        """Whether USING or ROW FORMAT stands behind the parentheses that open at the next token."""
        at = self.i
        self.i += 1
        self.skip_parentheses()
        found = self.keys[self.i] in ("using", "row")
        self.i = at
        return found

    def _transform(self, select: tree.Select) -> None:
        """Hive's ``TRANSFORM (columns) USING 'script' AS (names)``: what comes out is made of all that goes in."""
        start = self.starts[self.i]
        self.i += 2
        items = self.expression_list()
        self.expect(")")
        row = tree.Row(start, self.end_of_last(), items)
        if self.take_words("row", "format"):
            while self.keys[self.i] not in ("using", "", ";"):
                self.i += 1
        self.expect("using")
        self.i += 1
        names = ["key", "value"]
        if self.take("as"):
            names = self._definitions_or_names()
        select.items = [tree.Item(start, self.end_of_last(), row, name) for name in names]
        if self.take_words("row", "format"):
            while self.keys[self.i] not in ("from", "", ";"):
                self.i += 1

    def _map_reduce(self) -> tree.Select:
        """Hive's ``MAP a, b USING 'script' AS x FROM t``."""
        start = self.starts[self.i]
        self.i += 1
        items = self.expression_list()
        row = tree.Row(start, self.end_of_last(), items)
        select = tree.Select(start, 0, None, [], None, False, [], None, [], None, {})
        self.expect("using")
        self.i += 1
        names = self._definitions_or_names() if self.take("as") else ["key", "value"]
        select.items = [tree.Item(start, self.end_of_last(), row, name) for name in names]
        if self.take("from"):
            select.source = self.from_list()
        self._clauses(select)
        select.end = self.end_of_last()
        return select

    def _definitions_or_names(self) -> list[str]:
        bare = self.keys[self.i] != "("
        if not bare:
            self.i += 1
        names = []
        while True:
            names.append(self.name("a column"))
            if self.keys[self.i] not in (",", ")", "from"):
                self.type_name()
            if not self.take(","):
                break
        if not bare:
            self.expect(")")
        return names

    def _into(self, select: tree.Select) -> None:
        self.i += 1
        if self.keys[self.i] in ("temporary", "temp"):
            select.into_temporary = True
            self.i += 1
        self.take("unlogged")
        self.take("table")
        if self.keys[self.i] == "strict" and self.kinds[self.i + 1] == WORD:
            self.i += 1
        if self.keys[self.i] in ("outfile", "dumpfile"):
            self.i += 1
            select.into = self.table_name()
            while self.keys[self.i] in ("fields", "columns", "lines", "terminated", "enclosed", "escaped", "by",
                                        "optionally", "starting", "character", "set") or (
                self.kinds[self.i] in (STRING, WORD) and self.keys[self.i - 1] in ("by", "set")
            ):  # fmt: skip
                self.i += 1
            return
        if self.keys[self.i] == "$":
            i = self.i  # SELECT … INTO @variable, :variable
            self.i += 1
            select.into = tree.TableName(self.starts[i], self.ends[i], (self.written(i),))
            select.into_variables = [self.written(i)]
        else:
            select.into = self.table_name()
            if self.keys[self.i] == "(" and self.dialect.bare_calls:
                self.skip_parentheses()  # an element of a collection
                if self.take("."):
                    self.name("a field")
                select.into_variables = [".".join(select.into.parts)]
            if self.keys[self.i] == ",":
                select.into_variables = [".".join(select.into.parts)]
        while self.take(","):
            select.into_variables = select.into_variables or []
            if self.keys[self.i] == "$":
                select.into_variables.append(self.written(self.i))
                self.i += 1
            else:
                select.into_variables.append(".".join(self.qualified()))
                if self.keys[self.i] == "(" and self.dialect.bare_calls:
                    self.skip_parentheses()

    def _grouping(self) -> list[tree.Expression]:
        found: list[tree.Expression] = []
        while True:
            key = self.keys[self.i]
            if key == "grouping" and self.peek() == "sets":
                self.i += 2
                self.expect("(")
                found += self._grouping()
                self.expect(")")
            elif key in ("rollup", "cube") and self.peek() == "(":
                self.i += 2
                found += self.expression_list()
                self.expect(")")
            elif key == "(" and self.peek() == ")":
                self.i += 2
            else:
                found.append(self.expression())
                if not self.dialect.joins_need_condition and not self.take("asc"):
                    self.take("desc")
            if not self.take(","):
                return found
