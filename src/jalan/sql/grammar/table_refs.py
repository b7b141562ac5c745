"""The grammar of FROM: queries, functions, and the joins between them. Tables by name are in ``tables``."""

from jalan.sql import tree
from jalan.sql.grammar.part import GrammarPart
from jalan.sql.grammar.table_operators import RESHAPINGS
from jalan.sql.lexer import END, OPERATOR, PARAMETER, QUOTED, STRING, WORD

JOIN_STARTS = frozenset(
    """
    join inner left right full cross natural straight_join asof semi anti positional outer lateral global
    any
    """.split()
)
SET_SIDES = frozenset({"full", "left", "inner", "outer"})
_JOIN_KINDS = {"left", "right", "full", "inner", "cross", "asof", "semi", "anti", "positional", "outer", "any"}


class TableRefGrammar(GrammarPart):
    """Reads FROM."""

    def from_list(self) -> list[tree.FromItem]:
        """Read what stands behind FROM or USING."""
        tokens = self.tokens
        found = [self.from_item()]
        while tokens.keys[tokens.i] == ",":
            tokens.i += 1
            item = self.from_item()
            if tokens.keys[tokens.i] == "on" and self.dialect.comma_joins_on:
                tokens.i += 1  # SQLite: a comma joins too
                left, condition = found.pop(), self.grammar.expressions.expression()
                item = tree.Join(left.start, condition.end, None, None, "inner", left, item, condition, None, False)
            found.append(item)
        return found

    def from_item(self) -> tree.FromItem:
        """Read one entry of FROM with all its joins."""
        left = self.from_primary()
        while self.tokens.keys[self.tokens.i] in JOIN_STARTS:
            joined = self.join(left)
            if joined is None:
                break
            left = joined
        return left

    def set_operator_behind_side(self) -> bool:
        """Whether a set operator stands here behind ``FULL``, ``LEFT [OUTER]`` or ``INNER``."""
        tokens = self.tokens
        i = tokens.i
        while tokens.keys[i] in SET_SIDES:
            i += 1
        return i > tokens.i and tokens.keys[i] in ("union", "except", "intersect", "minus")

    def join(self, left: tree.FromItem) -> tree.FromItem | None:
        tokens = self.tokens
        if tokens.keys[tokens.i] == "lateral":
            return self.lateral_view(left) if tokens.peek() == "view" else None
        natural = tokens.take("natural")
        tokens.take("global")
        at = tokens.i
        kind = "inner"
        if tokens.keys[tokens.i] in SET_SIDES and self.set_operator_behind_side():
            return None
        while tokens.keys[tokens.i] in _JOIN_KINDS:
            word = tokens.keys[tokens.i]
            if word in ("semi", "anti", "asof") or kind == "inner":
                kind = {"inner": "inner", "outer": "left", "any": "inner"}.get(word, word)
            tokens.i += 1
        if tokens.keys[tokens.i] == "apply":
            tokens.i += 1
            return self._apply(left, kind)
        if tokens.keys[tokens.i] == "straight_join":
            tokens.i += 1
        else:
            while tokens.keys[tokens.i] in ("hash", "loop", "merge", "remote"):
                tokens.i += 1
            if tokens.i > at and tokens.keys[tokens.i] != "join" and tokens.keys[at] == "any":
                tokens.i = at
                return None
            tokens.expect("join")
        right = self.from_primary()
        join = tree.Join(left.start, right.end, None, None, kind, left, right, None, None, natural)
        conditional = tokens.keys[tokens.i] in ("on", "using") and self.dialect.cross_joins_on
        if (kind in ("cross", "positional") and not conditional) or natural:
            join.kind = "cross" if kind == "positional" else kind
            return join
        while tokens.keys[tokens.i] in JOIN_STARTS:
            deeper = self.join(right)
            if deeper is None:
                break
            right = deeper
        join.right = right
        matched: tree.Expression | None = None
        if tokens.keys[tokens.i] == "match_condition":
            tokens.i += 1
            tokens.expect("(")
            matched = self.grammar.expressions.expression()
            tokens.expect(")")
        if tokens.take("on"):
            join.condition = self.grammar.expressions.expression()
        elif tokens.take("using"):
            join.using = self._using()
            if tokens.take("as"):
                join.using_alias = tokens.name("an alias")
        elif matched is None and self.dialect.joins_need_condition:
            tokens.fail("ON or USING")
        if matched is not None:
            both = join.condition
            join.condition = matched if both is None else tree.Binary(matched.start, both.end, "and", matched, both)
        join.end = tokens.end_of_last()
        return join

    def _apply(self, left: tree.FromItem, kind: str) -> tree.FromItem:
        right = self.from_primary()
        if isinstance(right, tree.Derived):
            right.lateral = True
        kind = "left" if kind == "left" else "cross"
        return tree.Join(left.start, right.end, None, None, kind, left, right, None, None, False)

    def lateral_view(self, left: tree.FromItem) -> tree.FromItem:
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        tokens.i += 2
        tokens.take("outer")
        item = tree.FunctionSource(start, 0, None, None, [self.function_call()], [None])
        if self.grammar.tables.at_alias() and tokens.keys[tokens.i] != "as":
            item.alias = tokens.name()
        if tokens.take("as"):
            item.columns = [tokens.name("a column")]
            while tokens.keys[tokens.i] == "," and tokens.kinds[tokens.i + 1] in (WORD, QUOTED):
                tokens.i += 1
                item.columns.append(tokens.name("a column"))
        item.end = tokens.end_of_last()
        return tree.Join(left.start, item.end, None, None, "cross", left, item, None, None, False)

    def _using(self) -> list[tuple[str, int, int]]:
        tokens = self.tokens
        tokens.expect("(")
        found = []
        while True:
            i = tokens.i
            name = tokens.name("a column")
            found.append((name, tokens.starts[i], tokens.ends[i]))
            if not tokens.take(","):
                break
        tokens.expect(")")
        return found

    def from_primary(self) -> tree.FromItem:
        tokens = self.tokens
        key = tokens.keys[tokens.i]
        item: tree.FromItem
        if (
            self.dialect.prefix_aliases
            and tokens.keys[tokens.i + 1] == ":"
            and tokens.kinds[tokens.i] in (WORD, QUOTED)
        ):
            alias = tokens.name()  # alias: table
            tokens.i += 1
            item = self.from_primary()
            item.alias = alias
            return item
        if self.dialect.stages and tokens.kinds[tokens.i] == PARAMETER and tokens.written(tokens.i)[1:].isdigit():
            name = tree.TableName(tokens.starts[tokens.i], tokens.ends[tokens.i], (tokens.written(tokens.i),))
            tokens.i += 1
            item = tree.TableSource(name.start, name.end, None, None, name)
            self.grammar.tables.alias(item)
            return item
        if key == "{" and tokens.keys[tokens.i + 1] == "oj":
            tokens.i += 2
            item = self.from_item()
            tokens.expect("}")
            return item
        if key == "lateral":
            start = tokens.starts[tokens.i]
            tokens.i += 1
            item = self.from_primary()
            if isinstance(item, tree.Derived):
                item.lateral = True
                item.start = start
            return item
        if key == "(":
            item = self._from_parenthesis()
        elif key == "values":
            start = tokens.starts[tokens.i]
            query = self.grammar.queries.query()
            item = tree.Derived(start, tokens.end_of_last(), None, None, query)
            self.grammar.tables.alias(item)
        elif key == "rows" and tokens.peek() == "from" and tokens.peek(2) == "(":
            item = self._rows_from()
        elif key == "only" and tokens.peek() == "(":
            tokens.i += 2
            item = self.grammar.tables.table_source()
            tokens.expect(")")
        elif key == "table" and tokens.peek() == "(":
            item = self._table_function()
        elif (
            key == "stream"
            and "stream" in self.dialect.table_names
            and tokens.kinds[tokens.i + 1] in (WORD, QUOTED)
        ):
            tokens.i += 1
            item = self.grammar.tables.table_source()
        elif key == "unpivot" and tokens.kinds[tokens.i + 1] in (WORD, QUOTED):
            item = self._object_unpivot()
        else:
            if key == "only":
                tokens.i += 1
            item = self.grammar.tables.table_source()
        while tokens.keys[tokens.i] in RESHAPINGS:
            item = self.grammar.table_operators.reshaping(item)
        return item

    def _object_unpivot(self) -> tree.FromItem:
        """``UNPIVOT document AS value AT key``: a row for each attribute."""
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        tokens.i += 1
        item = tree.FunctionSource(start, 0, None, None, [self.grammar.expressions.expression(8)], [None])
        tokens.take("as")
        names = [tokens.name("a column")]
        if tokens.take("at"):
            names.append(tokens.name("a column"))
        item.defined[0] = names
        item.end = tokens.end_of_last()
        return item

    def _table_function(self) -> tree.FromItem:
        """``TABLE(function(…))``, ``TABLE(column)``, ``TABLE(name)``."""
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        tokens.i += 2
        if (
            tokens.kinds[tokens.i + 1] == OPERATOR
            and tokens.keys[tokens.i + 1] == ")"
            and tokens.kinds[tokens.i] == WORD
        ):
            table = self.grammar.tables.table_name()
            tokens.expect(")")
            source = tree.TableSource(start, tokens.end_of_last(), None, None, table)
            self.grammar.tables.alias(source)
            return source
        if tokens.kinds[tokens.i] == STRING and tokens.keys[tokens.i + 1] == ")" and self.dialect.stages:
            table = tree.TableName(start, tokens.ends[tokens.i + 1], self.grammar.literals.named_by(tokens.i))
            tokens.i += 2
            source = tree.TableSource(start, tokens.end_of_last(), None, None, table)
            self.grammar.tables.alias(source)
            return source
        inner = self.grammar.expressions.expression()
        tokens.expect(")")
        item = tree.FunctionSource(start, 0, None, None, [inner], [None])
        self.function_tail(item)
        return item

    def _from_parenthesis(self) -> tree.FromItem:
        grammar = self.grammar
        tokens = self.tokens
        tokens.enter()
        start = tokens.starts[tokens.i]
        item: tree.FromItem
        change = (
            tokens.keys[tokens.i + 1] in ("insert", "update", "delete", "merge") and self.dialect.changes_in_from
        )
        if change or (self.starts_query(tokens.i + 1) and self._derived_ahead()):
            tokens.i += 1
            query = grammar.copy.query_or_change() if change else grammar.queries.query()
            tokens.expect(")")
            item = tree.Derived(start, tokens.end_of_last(), None, None, query)
            self.grammar.tables.alias(item)
            if tokens.keys[tokens.i] in ("tablesample", "sample"):
                query.limit += grammar.table_operators.sample()
        else:
            tokens.i += 1
            item = self.from_item()
            while tokens.take(","):  # (a, b), as MySQL has it
                right = self.from_item()
                item = tree.Join(start, right.end, None, None, "cross", item, right, None, None, False)
            tokens.expect(")")
            if tokens.keys[tokens.i] == "as" or self.grammar.tables.at_alias():
                # the alias of a join in parentheses hides the names inside
                inner = item
                item = tree.Join(start, 0, None, None, "group", inner, inner, None, None, False)
                self.grammar.tables.alias(item)
        tokens.depth -= 1
        return item

    def starts_query(self, i: int) -> bool:
        """Whether a query, also one of FROM first or PIVOT first, starts at this token."""
        return self.grammar.expressions.is_query(i) or (
            self.tokens.keys[i] in ("from", "pivot", "unpivot") and self.tokens.keys[i + 1] != "."
        )

    def _derived_ahead(self) -> bool:
        """Whether ``((select …) alias join …)`` or ``((select …) union …)`` starts here: True for a query."""
        tokens = self.tokens
        i = tokens.i + 1
        if tokens.keys[i] != "(":
            return True
        open_ = 0
        while True:
            key = tokens.keys[i]
            if key == "(":
                open_ += 1
            elif key == ")":
                open_ -= 1
                if open_ == 0:
                    after = tokens.keys[i + 1]
                    return after in (
                        ")",
                        "union",
                        "intersect",
                        "except",
                        "minus",
                        "order",
                        "limit",
                        "offset",
                        "fetch",
                    )
            elif tokens.kinds[i] == END:
                return True
            i += 1

    def _rows_from(self) -> tree.FromItem:
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        tokens.i += 3
        item = tree.FunctionSource(start, 0, None, None, [], [])
        while True:
            item.calls.append(self.function_call())
            item.defined.append(self.definitions() if tokens.take("as") else None)
            if not tokens.take(","):
                break
        tokens.expect(")")
        self.function_tail(item)
        return item

    def function_call(self) -> tree.Expression:
        call = self.grammar.expressions.prefix()
        if not isinstance(call, tree.Call | tree.Cast):
            self.tokens.fail("a function call")
        return call

    def function_tail(self, item: tree.FunctionSource) -> None:
        tokens = self.tokens
        self.ordinality(item)
        if tokens.keys[tokens.i] == "with" and tokens.peek() == "(" and self.dialect.table_hints:
            tokens.i += 1  # OPENROWSET (…) WITH (name type, …)
            item.columns = self.names_with_types("a column")
        if tokens.keys[tokens.i] == "as" and tokens.peek() == "(":
            tokens.i += 1
            item.defined[0] = self.definitions()
        elif tokens.keys[tokens.i] == "as" or self.grammar.tables.at_alias():
            tokens.take("as")
            item.alias = tokens.name("an alias")
            if tokens.keys[tokens.i] == "(":
                if tokens.kinds[tokens.i + 2] in (WORD, QUOTED) and tokens.keys[tokens.i + 2] not in (",", ")"):
                    item.defined[0] = self.definitions()
                else:
                    item.columns = tokens.names_in_parentheses()
        self.ordinality(item)
        item.end = tokens.end_of_last()

    def names_with_types(self, what: str) -> list[str]:
        """Read ``(name type …, …)`` for the names alone, whatever stands behind them."""
        tokens = self.tokens
        tokens.expect("(")
        names = []
        while True:
            names.append(tokens.name(what))
            while tokens.keys[tokens.i] not in (",", ")"):
                if tokens.kinds[tokens.i] == END:
                    tokens.fail("“)”")
                if tokens.keys[tokens.i] == "(":
                    tokens.skip_parentheses()
                else:
                    tokens.i += 1
            if not tokens.take(","):
                break
        tokens.expect(")")
        return names

    def ordinality(self, item: tree.FunctionSource) -> None:
        tokens = self.tokens
        if tokens.take_words("with", "ordinality"):
            item.ordinality = True
        elif tokens.take_words("with", "offset"):
            item.ordinality, item.ordinality_name = True, "offset"
            if tokens.take("as") or self.grammar.tables.at_alias():
                item.ordinality_name = tokens.name("the name of the offset")

    def definitions(self) -> list[str]:
        tokens = self.tokens
        tokens.expect("(")
        names = []
        while True:
            names.append(tokens.name("a column"))
            self.grammar.calls.type_name()
            if tokens.take("collate"):
                tokens.qualified()
            if not tokens.take(","):
                break
        tokens.expect(")")
        return names
