"""The grammar of queries: SELECT, VALUES, set operations, WITH, and everything that may stand in FROM."""

from jalan.sql import tree
from jalan.sql.expressions import ExpressionParser
from jalan.sql.lexer import END, OPERATOR, QUOTED, WORD

_JOIN_STARTS = frozenset({"join", "inner", "left", "right", "full", "cross", "natural"})


class QueryParser(ExpressionParser):
    """Reads queries. Data-modifying statements inside WITH are read by the class below this one."""

    def modifying(self, ctes: tree.With | None) -> tree.Statement | None:
        """Read an INSERT, UPDATE, DELETE or MERGE if one starts here."""
        raise NotImplementedError

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
        body = self._set_operations()
        query = tree.Query(start, 0, ctes, body, [], [])
        keys = self.keys
        if keys[self.i] == "order":
            query.order = self.order_by()
        while True:
            key = keys[self.i]
            if key == "limit":
                self.i += 1
                if not self.take("all"):
                    query.limit.append(self.expression())
            elif key == "offset":
                self.i += 1
                query.limit.append(self.expression())
                if not self.take("rows"):
                    self.take("row")
            elif key == "fetch":
                self.i += 2
                if keys[self.i] not in ("row", "rows"):
                    query.limit.append(self.expression())
                else:
                    query.limit.append(tree.Literal(self.starts[self.i], self.ends[self.i], ""))
                self.i += 1
                if not self.take("only") and self.take("with"):
                    self.expect("ties")
            elif key == "for":
                self._locking()
            else:
                break
        query.end = self.end_of_last()
        return query

    def _locking(self) -> None:
        self.i += 1
        while self.keys[self.i] in ("update", "share", "no", "key", "nowait", "skip", "locked"):
            self.i += 1
        if self.take("of"):
            self.qualified()
            while self.take(","):
                self.qualified()
        while self.keys[self.i] in ("nowait", "skip", "locked"):
            self.i += 1

    def with_clause(self) -> tree.With:
        """Read ``WITH [RECURSIVE] name [(columns)] AS [[NOT] MATERIALIZED] (…), …``."""
        start = self.starts[self.i]
        self.expect("with")
        recursive = self.take("recursive")
        ctes = []
        while True:
            at = self.starts[self.i]
            name = self.name("the name of a common table expression")
            columns = self.names_in_parentheses() if self.keys[self.i] == "(" else None
            self.expect("as")
            if self.keys[self.i] == "not":
                self.i += 1
            self.take("materialized")
            self.expect("(")
            inner_start = self.starts[self.i]
            inner = self.with_clause() if self.keys[self.i] == "with" else None
            statement: tree.Query | tree.Statement
            statement = self.modifying(inner) or self.query_body(inner, inner_start)
            self.expect(")")
            added = self._search_and_cycle()
            ctes.append(tree.Cte(at, self.end_of_last(), name, columns, statement, added))
            if not self.take(","):
                return tree.With(start, self.end_of_last(), recursive, ctes)

    def _search_and_cycle(self) -> list[str]:
        """Read ``SEARCH … SET s`` and ``CYCLE … SET c … USING p``; returns the columns that they add."""
        added = []
        if self.take("search"):
            if not (self.take("depth") or self.take("breadth")):
                self.fail("DEPTH or BREADTH")
            self.expect("first")
            self.expect("by")
            self._names()
            self.expect("set")
            added.append(self.name("a column"))
        if self.take("cycle"):
            self._names()
            self.expect("set")
            added.append(self.name("a column"))
            if self.take("to"):
                self.expression()
                self.expect("default")
                self.expression()
            self.expect("using")
            added.append(self.name("a column"))
        return added

    def _names(self) -> None:
        self.name("a column")
        while self.take(","):
            self.name("a column")

    # --- bodies --------------------------------------------------------------------------------------

    def _set_operations(self) -> tree.Body:
        left = self._intersections()
        while self.keys[self.i] == "union" or self.keys[self.i] == "except":
            operator, all_ = self._set_operator()
            right = self._intersections()
            left = tree.SetOperation(left.start, right.end, operator, all_, left, right)
        return left

    def _intersections(self) -> tree.Body:
        left = self._body()
        while self.keys[self.i] == "intersect":
            operator, all_ = self._set_operator()
            right = self._body()
            left = tree.SetOperation(left.start, right.end, operator, all_, left, right)
        return left

    def _set_operator(self) -> tuple[str, bool]:
        operator = self.keys[self.i]
        self.i += 1
        all_ = self.take("all")
        if not all_:
            self.take("distinct")
        return operator, all_

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
            source = self._table_source()
            star = tree.Item(start, source.end, tree.Star(start, source.end, ()), None)
            return tree.Select(start, source.end, None, [star], None, False, [source], None, [], None, {})
        self.fail("SELECT, VALUES or “(”")

    def _values(self) -> tree.Values:
        start = self.starts[self.i]
        self.i += 1
        rows = []
        while True:
            self.expect("(")
            rows.append(self._value_row())
            self.expect(")")
            if self.keys[self.i] != ",":
                return tree.Values(start, self.end_of_last(), rows)
            self.i += 1

    def _value_row(self) -> list[tree.Expression]:
        found: list[tree.Expression] = []
        while True:
            i = self.i
            if self.keys[i] == "default":
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
        if keys[self.i] == "distinct":
            self.i += 1
            distinct = []
            if keys[self.i] == "on":
                self.i += 1
                self.expect("(")
                distinct = self.expression_list()
                self.expect(")")
        elif keys[self.i] == "all":
            self.i += 1
        select = tree.Select(start, 0, distinct, [], None, False, [], None, [], None, {})
        if keys[self.i] not in ("from", "into", "where", "union", "", ";", ")"):
            select.items = self.items()
        if keys[self.i] == "into":
            self._into(select)
        if keys[self.i] == "from":
            self.i += 1
            select.source = self.from_list()
        if keys[self.i] == "where":
            self.i += 1
            select.where = self.expression()
        if keys[self.i] == "group":
            self.i += 1
            self.expect("by")
            if not self.take("all"):
                self.take("distinct")
            select.group = self._grouping()
        if keys[self.i] == "having":
            self.i += 1
            select.having = self.expression()
        if keys[self.i] == "window":
            self.i += 1
            while True:
                name = self.name("a window")
                self.expect("as")
                select.windows[name] = self.window()
                if not self.take(","):
                    break
        select.end = self.ends[self.i - 1]
        return select

    def _into(self, select: tree.Select) -> None:
        self.i += 1
        if self.keys[self.i] in ("temporary", "temp"):
            select.into_temporary = True
            self.i += 1
        self.take("unlogged")
        self.take("table")
        select.into = self.table_name()

    def items(self) -> list[tree.Item]:
        """Read a select list."""
        keys, kinds, starts = self.keys, self.kinds, self.starts
        no_alias = self._no_alias
        found = []
        while True:
            start = starts[self.i]
            expression = self.expression()
            alias = None
            i = self.i
            kind = kinds[i]
            if kind == WORD:
                if keys[i] == "as":
                    self.i = i + 1
                    alias = self.name("the name of a column")
                elif keys[i] not in no_alias:
                    alias = self.name()
            elif kind == QUOTED:
                alias = self.name()
            found.append(tree.Item(start, self.ends[self.i - 1], expression, alias))
            if keys[self.i] != ",":
                return found
            self.i += 1

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
            if not self.take(","):
                return found

    # --- FROM ----------------------------------------------------------------------------------------

    def from_list(self) -> list[tree.FromItem]:
        """Read what stands behind FROM or USING."""
        found = [self.from_item()]
        while self.keys[self.i] == ",":
            self.i += 1
            found.append(self.from_item())
        return found

    def from_item(self) -> tree.FromItem:
        """Read one entry of FROM with all its joins."""
        left = self._from_primary()
        while self.keys[self.i] in _JOIN_STARTS:
            left = self._join(left)
        return left

    def _join(self, left: tree.FromItem) -> tree.FromItem:
        natural = self.take("natural")
        kind = self.keys[self.i]
        if kind == "join":
            kind = "inner"
        else:
            self.i += 1
            if kind in ("left", "right", "full"):
                self.take("outer")
        self.expect("join")
        right = self._from_primary()
        join = tree.Join(left.start, right.end, None, None, kind, left, right, None, None, natural)
        if kind == "cross" or natural:
            return join
        while self.keys[self.i] in _JOIN_STARTS:
            right = self._join(right)
        join.right = right
        if self.take("on"):
            join.condition = self.expression()
        elif self.take("using"):
            join.using = self._using()
            if self.take("as"):
                join.using_alias = self.name("an alias")
        else:
            self.fail("ON or USING")
        join.end = self.end_of_last()
        return join

    def _using(self) -> list[tuple[str, int, int]]:
        self.expect("(")
        found = []
        while True:
            i = self.i
            name = self.name("a column")
            found.append((name, self.starts[i], self.ends[i]))
            if not self.take(","):
                break
        self.expect(")")
        return found

    def _from_primary(self) -> tree.FromItem:
        key = self.keys[self.i]
        if key == "lateral":
            start = self.starts[self.i]
            self.i += 1
            item = self._from_primary()
            if isinstance(item, tree.Derived):
                item.lateral = True
                item.start = start
            return item
        if key == "(":
            return self._from_parenthesis()
        if key == "rows" and self.peek() == "from" and self.peek(2) == "(":
            return self._rows_from()
        if key == "only":
            self.i += 1
            if self.take("("):
                source = self._table_source()
                self.expect(")")
                return source
        return self._table_source()

    def _from_parenthesis(self) -> tree.FromItem:
        self.enter()
        start = self.starts[self.i]
        item: tree.FromItem
        if self._is_query(self.i + 1) and self._derived_ahead():
            self.i += 1
            query = self.query()
            self.expect(")")
            item = tree.Derived(start, self.end_of_last(), None, None, query)
            self._alias(item)
        else:
            self.i += 1
            item = self.from_item()
            self.expect(")")
            if self.keys[self.i] == "as" or self._at_alias():
                # the alias of a join in parentheses hides the names inside
                inner = item
                item = tree.Join(start, 0, None, None, "group", inner, inner, None, None, False)
                self._alias(item)
        self.depth -= 1
        return item

    def _derived_ahead(self) -> bool:
        """Whether ``((select …) alias join …)`` or ``((select …) union …)`` starts here: True for a query."""
        i = self.i + 1
        if self.keys[i] != "(":
            return True
        open_ = 0
        while True:
            key = self.keys[i]
            if key == "(":
                open_ += 1
            elif key == ")":
                open_ -= 1
                if open_ == 0:
                    after = self.keys[i + 1]
                    return after in (")", "union", "intersect", "except", "order", "limit", "offset", "fetch")
            elif self.kinds[i] == END:
                return True
            i += 1

    def _rows_from(self) -> tree.FromItem:
        start = self.starts[self.i]
        self.i += 3
        item = tree.FunctionSource(start, 0, None, None, [], [])
        while True:
            item.calls.append(self._function_call())
            item.defined.append(self._definitions() if self.take("as") else None)
            if not self.take(","):
                break
        self.expect(")")
        self._function_tail(item)
        return item

    def _function_call(self) -> tree.Expression:
        call = self._prefix()
        if not isinstance(call, tree.Call | tree.Cast):
            self.fail("a function call")
        return call

    def _function_tail(self, item: tree.FunctionSource) -> None:
        if self.take_words("with", "ordinality"):
            item.ordinality = True
        if self.keys[self.i] == "as" and self.peek() == "(":
            self.i += 1
            item.defined[0] = self._definitions()
        elif self.keys[self.i] == "as" or self._at_alias():
            self.take("as")
            item.alias = self.name("an alias")
            if self.keys[self.i] == "(":
                if self.kinds[self.i + 2] in (WORD, QUOTED) and self.keys[self.i + 2] not in (",", ")"):
                    item.defined[0] = self._definitions()
                else:
                    item.columns = self.names_in_parentheses()
        item.end = self.end_of_last()

    def _definitions(self) -> list[str]:
        self.expect("(")
        names = []
        while True:
            names.append(self.name("a column"))
            self.type_name()
            if self.take("collate"):
                self.qualified()
            if not self.take(","):
                break
        self.expect(")")
        return names

    def table_name(self) -> tree.TableName:
        """Read the name of a table."""
        start = self.starts[self.i]
        parts = self.qualified("the name of a table")
        return tree.TableName(start, self.end_of_last(), parts)

    def _table_source(self) -> tree.FromItem:
        at = self.i
        start = self.starts[at]
        if self.kinds[at] == WORD and self.keys[at] in self._reserved and self.peek() != "(":
            self.fail("a table")
        if self.kinds[at] not in (WORD, QUOTED):
            self.fail("a table")
        parts = [self.name()]
        while self.keys[self.i] == ".":
            self.i += 1
            parts.append(self.name("the name of a table"))
        if self.keys[self.i] == "(":
            self.i = at
            item = tree.FunctionSource(start, 0, None, None, [self._function_call()], [None])
            self._function_tail(item)
            return item
        end = self.end_of_last()
        source = tree.TableSource(start, end, None, None, tree.TableName(start, end, tuple(parts)))
        if self.keys[self.i] == "*" and self.kinds[self.i] == OPERATOR:
            self.i += 1
        self._alias(source)
        if self.take("tablesample"):
            self.qualified("a sampling method")
            self.expect("(")
            source.sample = self.expression_list()
            self.expect(")")
            if self.take("repeatable"):
                self.expect("(")
                source.sample.append(self.expression())
                self.expect(")")
        return source

    def _at_alias(self) -> bool:
        kind = self.kinds[self.i]
        return kind == QUOTED or (kind == WORD and self.keys[self.i] not in self._no_alias)

    def _alias(self, item: tree.FromItem) -> None:
        if self.take("as"):
            item.alias = self.name("an alias")
        elif self._at_alias():
            item.alias = self.name()
        else:
            item.end = self.end_of_last()
            return
        if self.keys[self.i] == "(" and self.kinds[self.i + 1] in (WORD, QUOTED):
            item.columns = self.names_in_parentheses()
        item.end = self.end_of_last()
