"""The grammar of queries: what they are made of, set operations, order and limits."""

from itertools import product
from math import prod

from jalan.sql import tree
from jalan.sql.grammar.part import GrammarPart
from jalan.sql.grammar.table_refs import SET_SIDES
from jalan.sql.lexer import NUMBER, WORD

_SET_OPERATORS = frozenset({"union", "except", "minus"})
_MOST_PIVOTED = 1000  # columns
_HIVE_KEYS = frozenset({"cluster", "distribute", "sort"})


class QueryGrammar(GrammarPart):
    """Reads queries."""

    def query(self) -> tree.Query:
        """Read a query with its WITH, ORDER BY and LIMIT."""
        tokens = self.tokens
        tokens.enter()
        start = tokens.starts[tokens.i]
        ctes = self.grammar.with_clauses.with_clause() if tokens.keys[tokens.i] == "with" else None
        found = self.query_body(ctes, start)
        tokens.depth -= 1
        return found

    def query_body(self, ctes: tree.With | None, start: int) -> tree.Query:
        """Read what follows the WITH of a query."""
        return self.finish_query(tree.Query(start, 0, ctes, self._set_operations(), [], []))

    def finish_query(self, query: tree.Query) -> tree.Query:
        """Read what follows the body of a query: order, limits, locks and the like."""
        grammar = self.grammar
        tokens = self.tokens
        body, keys = query.body, tokens.keys
        while True:
            key = keys[tokens.i]
            if key == "order":
                query.order = self._order_all()
            elif key == "limit":
                tokens.i += 1
                self._limit(query)
            elif key == "offset":
                tokens.i += 1
                query.limit.append(grammar.expressions.expression())
                if not tokens.take("rows"):
                    tokens.take("row")
            elif key == "fetch":
                self._fetch(query)
            elif key in _HIVE_KEYS and tokens.peek() == "by":
                tokens.i += 2  # where the rows go, not which they are
                grammar.calls.expression_list()
                if tokens.take("asc") or tokens.take("desc"):
                    pass
            elif key == "for":
                self._locking()
            elif key == "with" and tokens.peek() in ("ur", "cs", "rs", "rr"):
                tokens.i += 2
            elif key == "using" and tokens.peek() == "sample":
                tokens.i += 1
                query.limit += grammar.table_operators.sample()
            elif key == "option" and tokens.peek() == "(":
                tokens.i += 1
                tokens.skip_parentheses()
            elif key == "into" and isinstance(body, tree.Select) and body.into is None:
                self.grammar.selects.into(body)
            elif key == "settings":
                tokens.to_end()
            elif key == "lock" and tokens.peek() == "in":
                tokens.i += 4  # LOCK IN SHARE MODE
            elif key == "procedure" and tokens.kinds[tokens.i + 1] == WORD and tokens.peek(2) == "(":
                tokens.i += 2
                tokens.skip_parentheses()
            elif key in _SET_OPERATORS and query.order and self.dialect.implicit_recursion:
                inner = tree.Query(query.start, tokens.end_of_last(), None, body, query.order, query.limit)
                query.order, query.limit = [], []
                query.body = body = self._set_operations(inner)
            elif key == "|>":
                grammar.pipes.pipeline(query)
            else:
                break
        query.end = tokens.end_of_last()
        return query

    def table_rows(self) -> tree.Query:
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        tokens.i += 1
        inside = tokens.take("(")
        if inside and self.grammar.expressions.is_query(tokens.i):
            query = self.query()
        else:
            name = self.grammar.tables.table_name()
            source = tree.TableSource(name.start, name.end, None, None, name)
            query = tree.Query(start, source.end, None, self.select_star(start, source), [], [])
        if inside:
            tokens.expect(")")
        return query

    def _order_all(self) -> list[tree.Sort]:
        tokens = self.tokens
        if tokens.peek() == "siblings":
            tokens.i += 2
            tokens.expect("by")
            found = self.grammar.calls.sort_keys()
        elif tokens.peek() == "by" and tokens.peek(2) == "all" and tokens.peek(3) != "(":
            i = tokens.i
            tokens.i += 3
            if not tokens.take("asc"):
                tokens.take("desc")
            if tokens.take("nulls"):
                tokens.i += 1
            star = tree.Star(tokens.starts[i], tokens.end_of_last(), ())
            found = [tree.Sort(star.start, star.end, star)]
        else:
            found = self.grammar.calls.order_by()
        return found

    def _limit(self, query: tree.Query) -> None:
        grammar = self.grammar
        tokens = self.tokens
        if tokens.take("all"):
            return
        tokens.take_words("rows", "examined")
        percent = tokens.kinds[tokens.i] == NUMBER and tokens.keys[tokens.i + 1] == "%"
        query.limit.append(grammar.expressions.expression(10 if percent else 1))
        if tokens.take(","):  # LIMIT offset, count
            query.limit.append(grammar.expressions.expression())
        elif not tokens.take("percent"):
            tokens.take("%")
        if tokens.take("by"):
            query.limit += grammar.calls.expression_list()

    def _fetch(self, query: tree.Query) -> None:
        tokens = self.tokens
        tokens.i += 2  # FETCH FIRST, or NEXT
        if tokens.keys[tokens.i] not in ("row", "rows"):
            query.limit.append(self.grammar.expressions.expression())
            tokens.take("percent")
        else:
            query.limit.append(tree.Literal(tokens.starts[tokens.i], tokens.ends[tokens.i], ""))
        tokens.i += 1
        if not tokens.take("only") and tokens.take("with"):
            tokens.expect("ties")

    def _locking(self) -> None:
        tokens = self.tokens
        tokens.i += 1
        if tokens.keys[tokens.i] in ("xml", "json", "browse"):
            while tokens.keys[tokens.i] not in ("", ";", ")", "option"):
                if tokens.keys[tokens.i] == "(":
                    tokens.skip_parentheses()
                else:
                    tokens.i += 1
            return
        while tokens.keys[tokens.i] in ("update", "share", "no", "key", "nowait", "skip", "locked", "read", "only"):
            tokens.i += 1
        if tokens.take("of"):
            tokens.qualified()
            while tokens.take(","):
                tokens.qualified()
        while tokens.keys[tokens.i] in ("nowait", "skip", "locked", "wait") or tokens.kinds[tokens.i] == NUMBER:
            tokens.i += 1

    # --- bodies --------------------------------------------------------------------------------------

    def _set_operations(self, first: tree.Body | None = None) -> tree.Body:
        tokens = self.tokens
        left = self._intersections() if first is None else first
        while (key := tokens.keys[tokens.i]) in _SET_OPERATORS or (
            key in SET_SIDES and self.grammar.table_refs.set_operator_behind_side()
        ):
            side = self._side_of_set()
            operator, all_, by_name = self.set_operator()
            only = tokens.names_in_parentheses() if by_name and tokens.take("on") else None
            right = self._intersections()
            left = tree.SetOperation(left.start, right.end, operator, all_, left, right, by_name, side, only)
        return left

    def _side_of_set(self) -> str:
        """Read ``FULL``, ``LEFT [OUTER]`` or ``INNER`` before a set operator."""
        tokens = self.tokens
        side = ""
        while tokens.keys[tokens.i] in SET_SIDES:
            side = side or tokens.keys[tokens.i]
            tokens.i += 1
        return side

    def _intersections(self) -> tree.Body:
        left = self.query_expression_body()
        while self.tokens.keys[self.tokens.i] == "intersect":
            operator, all_, by_name = self.set_operator()
            right = self.query_expression_body()
            left = tree.SetOperation(left.start, right.end, operator, all_, left, right, by_name)
        return left

    def set_operator(self) -> tuple[str, bool, bool]:
        tokens = self.tokens
        operator = "except" if tokens.keys[tokens.i] == "minus" else tokens.keys[tokens.i]
        tokens.i += 1
        all_ = tokens.take("all")
        if not all_:
            tokens.take("distinct")
        by_name = tokens.take_words("by", "name")
        if tokens.take("corresponding"):
            by_name = True
            if tokens.take("by"):
                tokens.names_in_parentheses()
        elif tokens.keys[tokens.i] == "strict":
            tokens.i += 1
            tokens.expect("corresponding")
            by_name = True
        return operator, all_, by_name

    def query_expression_body(self) -> tree.Body:
        tokens = self.tokens
        key = tokens.keys[tokens.i]
        if key == "select":
            return self.grammar.selects.select()
        if key == "(":
            tokens.i += 1
            query = self.query()
            tokens.expect(")")
            return query
        if key == "values":
            return self._values()
        if key == "table":
            start = tokens.starts[tokens.i]
            tokens.i += 1
            tokens.take("only")
            source = self.grammar.tables.table_source()
            return self.select_star(start, source)
        if key == "from":
            return self._from_first()
        if key in ("map", "reduce") and self.dialect.lambdas:
            return self.grammar.selects.map_reduce()
        if key in ("pivot", "unpivot"):
            return self._pivot_statement()
        tokens.fail("SELECT, VALUES or “(”")

    def select_star(self, start: int, source: tree.FromItem) -> tree.Select:
        star = tree.SelectItem(start, source.end, tree.Star(start, source.end, ()), None)
        return tree.Select(start, source.end, None, [star], None, False, [source], None, [], None, {})

    def _from_first(self) -> tree.Select:
        """``FROM t [SELECT …] [WHERE …] …``."""
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        tokens.i += 1
        source = self.grammar.table_refs.from_list()
        if tokens.keys[tokens.i] == "select":
            select = self.grammar.selects.select()
            select.source = source
            select.start = start
            return select
        select = self.select_star(start, source[0])
        select.source = source
        self.grammar.selects.clauses(select)
        select.end = tokens.end_of_last()
        return select

    def _pivot_statement(self) -> tree.Select:
        """``PIVOT t ON key [IN (…)] USING aggregates [GROUP BY …]``, ``UNPIVOT t ON … INTO NAME n VALUE v``."""
        grammar = self.grammar
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        pivot = tokens.keys[tokens.i] == "pivot"
        tokens.i += 1
        source = grammar.table_refs.from_primary()
        item: tree.FromItem
        tokens.expect("on")
        if pivot:
            keys: list[tree.Expression] = []
            lists: list[list[tree.SelectItem] | None] = []
            while True:
                keys.append(grammar.expressions.expression(7))
                lists.append(grammar.table_operators.pivot_values() if tokens.take("in") else None)
                if not tokens.take(","):
                    break
            values = self._combined_values(lists)
            aggregates = grammar.select_list.items() if tokens.take("using") else []
            group = grammar.calls.expression_list() if tokens.take_words("group", "by") else None
            item = tree.Pivot(start, tokens.end_of_last(), None, None, source, aggregates, keys, values, group)
        else:
            groups = []
            for entry in grammar.select_list.items():
                expression = entry.expression
                groups.append(expression.items if isinstance(expression, tree.Row) else [expression])
            key, values_ = "name", ["value"]
            if tokens.take("into"):
                tokens.expect("name")
                key = tokens.name()
                tokens.expect("value")
                values_ = [tokens.name()]
                while tokens.take(","):
                    values_.append(tokens.name())
            item = tree.Unpivot(start, tokens.end_of_last(), None, None, source, values_, key, groups)
        return self.select_star(start, item)

    def _combined_values(self, lists: list[list[tree.SelectItem] | None]) -> list[tree.SelectItem] | None:
        """Every value of one key with every value of the next; None where the data decides, or for too many."""
        known = [values for values in lists if values is not None]
        if len(known) < len(lists) or prod(map(len, known)) > _MOST_PIVOTED:
            return None
        if len(known) == 1:
            return known[0]
        found = []
        for row in product(*known):
            names = [
                item.alias or self.tokens.text[item.expression.start : item.expression.end].strip("'\"")
                for item in row
            ]
            parts = tree.Row(row[0].start, row[-1].end, [item.expression for item in row])
            found.append(
                tree.SelectItem(row[0].start, row[-1].end, parts, self.tokens.folding.named("_".join(names)))
            )
        return found

    def _values(self) -> tree.Values:
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        tokens.i += 1
        rows = []
        while True:
            tokens.take("row")
            if tokens.keys[tokens.i] == "(":
                tokens.i += 1
                rows.append(self.value_row())
                tokens.expect(")")
            else:
                rows.append([self.grammar.expressions.expression()])  # VALUES 1, 2
            if tokens.keys[tokens.i] != "," or tokens.keys[tokens.i + 1] == "":
                return tree.Values(start, tokens.end_of_last(), rows)
            tokens.i += 1

    def value_row(self) -> list[tree.Expression]:
        tokens = self.tokens
        found: list[tree.Expression] = []
        if tokens.keys[tokens.i] == ")" and self.dialect.empty_rows:
            return found
        while True:
            i = tokens.i
            if tokens.keys[i] == "default" and tokens.keys[i + 1] not in (".", "("):
                tokens.i += 1
                found.append(tree.Literal(tokens.starts[i], tokens.ends[i], ""))
            else:
                found.append(self.grammar.expressions.expression())
            if tokens.keys[tokens.i] != ",":
                return found
            tokens.i += 1
