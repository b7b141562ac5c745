"""The grammar of what stands in FROM: tables, files, queries, functions, and the joins between them."""

from jalan.sql import tree
from jalan.sql.grammar.part import GrammarPart
from jalan.sql.grammar.table_operators import RESHAPINGS, SHREDDERS
from jalan.sql.lexer import END, LOCATION, OPERATOR, PARAMETER, QUOTED, STRING, WORD

JOIN_STARTS = frozenset(
    """
    join inner left right full cross natural straight_join asof semi anti positional outer lateral global
    any
    """.split()
)
SET_SIDES = frozenset({"full", "left", "inner", "outer"})
_JOIN_KINDS = {"left", "right", "full", "inner", "cross", "asof", "semi", "anti", "positional", "outer", "any"}
_FILE_FORMATS = frozenset({"parquet", "csv", "json", "orc", "avro", "delta", "text", "binaryfile", "iceberg"})
_TABLE_HINTS = frozenset(
    """
    nolock readpast updlock rowlock holdlock tablock tablockx xlock readuncommitted noexpand forceseek
    serializable paglock
    """.split()
)
# What makes more of a name in FROM than a table with an alias.
_BEHIND_TABLE = frozenset(
    """
    ( . * @ tablesample sample for at before changes version versions timestamp with use force ignore partition
    indexed not
    """.split()
)
_INDEX_HINTS = frozenset({"use", "force", "ignore"})


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
        if self.at_alias() and tokens.keys[tokens.i] != "as":
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
            self.alias(item)
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
            self.alias(item)
        elif key == "rows" and tokens.peek() == "from" and tokens.peek(2) == "(":
            item = self._rows_from()
        elif key == "only" and tokens.peek() == "(":
            tokens.i += 2
            item = self.table_source()
            tokens.expect(")")
        elif key == "table" and tokens.peek() == "(":
            item = self._table_function()
        elif (
            key == "stream"
            and "stream" in self.dialect.table_names
            and tokens.kinds[tokens.i + 1] in (WORD, QUOTED)
        ):
            tokens.i += 1
            item = self.table_source()
        elif key == "unpivot" and tokens.kinds[tokens.i + 1] in (WORD, QUOTED):
            item = self._object_unpivot()
        else:
            if key == "only":
                tokens.i += 1
            item = self.table_source()
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
            table = self.table_name()
            tokens.expect(")")
            source = tree.TableSource(start, tokens.end_of_last(), None, None, table)
            self.alias(source)
            return source
        if tokens.kinds[tokens.i] == STRING and tokens.keys[tokens.i + 1] == ")" and self.dialect.stages:
            table = tree.TableName(start, tokens.ends[tokens.i + 1], self.grammar.literals.named_by(tokens.i))
            tokens.i += 2
            source = tree.TableSource(start, tokens.end_of_last(), None, None, table)
            self.alias(source)
            return source
        inner = self.grammar.expressions.expression()
        tokens.expect(")")
        item = tree.FunctionSource(start, 0, None, None, [inner], [None])
        self._function_tail(item)
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
            self.alias(item)
            if tokens.keys[tokens.i] in ("tablesample", "sample"):
                query.limit += grammar.table_operators.sample()
        else:
            tokens.i += 1
            item = self.from_item()
            while tokens.take(","):  # (a, b), as MySQL has it
                right = self.from_item()
                item = tree.Join(start, right.end, None, None, "cross", item, right, None, None, False)
            tokens.expect(")")
            if tokens.keys[tokens.i] == "as" or self.at_alias():
                # the alias of a join in parentheses hides the names inside
                inner = item
                item = tree.Join(start, 0, None, None, "group", inner, inner, None, None, False)
                self.alias(item)
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
            item.defined.append(self._definitions() if tokens.take("as") else None)
            if not tokens.take(","):
                break
        tokens.expect(")")
        self._function_tail(item)
        return item

    def function_call(self) -> tree.Expression:
        call = self.grammar.expressions.prefix()
        if not isinstance(call, tree.Call | tree.Cast):
            self.tokens.fail("a function call")
        return call

    def _function_tail(self, item: tree.FunctionSource) -> None:
        tokens = self.tokens
        self._ordinality(item)
        if tokens.keys[tokens.i] == "with" and tokens.peek() == "(" and self.dialect.table_hints:
            tokens.i += 1  # OPENROWSET (…) WITH (name type, …)
            item.columns = self.names_with_types("a column")
        if tokens.keys[tokens.i] == "as" and tokens.peek() == "(":
            tokens.i += 1
            item.defined[0] = self._definitions()
        elif tokens.keys[tokens.i] == "as" or self.at_alias():
            tokens.take("as")
            item.alias = tokens.name("an alias")
            if tokens.keys[tokens.i] == "(":
                if tokens.kinds[tokens.i + 2] in (WORD, QUOTED) and tokens.keys[tokens.i + 2] not in (",", ")"):
                    item.defined[0] = self._definitions()
                else:
                    item.columns = tokens.names_in_parentheses()
        self._ordinality(item)
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

    def _ordinality(self, item: tree.FunctionSource) -> None:
        tokens = self.tokens
        if tokens.take_words("with", "ordinality"):
            item.ordinality = True
        elif tokens.take_words("with", "offset"):
            item.ordinality, item.ordinality_name = True, "offset"
            if tokens.take("as") or self.at_alias():
                item.ordinality_name = tokens.name("the name of the offset")

    def _definitions(self) -> list[str]:
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

    # --- tables --------------------------------------------------------------------------------------

    def table_name(self) -> tree.TableName:
        """Read the name of a table, or of a file or stage that stands for one."""
        tokens = self.tokens
        i = tokens.i
        start = tokens.starts[i]
        kind = tokens.kinds[i]
        if kind == STRING or kind == LOCATION:
            tokens.i += 1
            text = tokens.written(i)
            path = text if kind == LOCATION else text[text.index(text[-1]) + 1 : -1]
            return tree.TableName(start, tokens.ends[i], (path,), True)
        if kind == WORD and tokens.keys[i] in tokens.reserved:
            tokens.fail("the name of a table")
        if self.grammar.literals.at_identifier(i):
            tokens.i += 4
            return tree.TableName(start, tokens.end_of_last(), self.grammar.literals.named_by(i + 2))
        parts = [self._table_part()]
        while tokens.keys[tokens.i] == "." and tokens.keys[tokens.i + 1] != "*":
            tokens.i += 1
            if tokens.keys[tokens.i] == "." and len(parts) == 1:
                tokens.i += 1  # database..table
                parts += map(tokens.spelled, self.dialect.default_schemas[:1])
            parts.append(self._table_part())
        if tokens.keys[tokens.i] == "@" and tokens.kinds[tokens.i + 1] == WORD:
            tokens.i += 1
            parts[-1] += "@" + tokens.name("a database link")
        if len(parts) == 2 and parts[0] in _FILE_FORMATS and "/" in parts[1]:
            return tree.TableName(start, tokens.end_of_last(), (parts[1],), True)
        if self.dialect.backquoted_paths and any("." in part for part in parts):
            parts = [type(part)(step) for part in parts for step in part.split(".")]
        return tree.TableName(start, tokens.end_of_last(), tuple(parts))

    def _table_part(self) -> str:
        tokens = self.tokens
        part = tokens.name("the name of a table")
        if self.dialect.dashed_names:
            while (
                tokens.keys[tokens.i] == "-"
                and tokens.ends[tokens.i - 1] == tokens.starts[tokens.i] == tokens.ends[tokens.i] - 1
            ):
                tokens.i += 1
                part = type(part)(part + "-" + tokens.written(tokens.i))
                tokens.i += 1
        return part

    def _plain_table(self) -> tree.TableSource | None:
        """Read ``a``, ``a.b`` with or without an alias, the commonest of all, if nothing else stands behind it."""
        tokens = self.tokens
        i = tokens.i
        keys, kinds = tokens.keys, tokens.kinds
        if not tokens.lower or kinds[i] != WORD or keys[i] in tokens.reserved:
            return None
        first = keys[i]
        if keys[i + 1] == "." and kinds[i + 2] == WORD:
            parts: tuple[str, ...] = (first, keys[i + 2])
            j = i + 3
        else:
            parts = (first,)
            j = i + 1
        end = tokens.ends[j - 1]
        key = keys[j]
        alias = None
        if key == "as" and kinds[j + 1] == WORD and keys[j + 1] != "of":
            alias = keys[j + 1]
            j += 2
        elif kinds[j] == WORD and key not in tokens.no_alias:
            alias = key
            j += 1
        if keys[j] in _BEHIND_TABLE or (alias is None and keys[j] == "as") or kinds[j] == QUOTED:
            return None
        tokens.i = j
        start = tokens.starts[i]
        return tree.TableSource(start, tokens.ends[j - 1], alias, None, tree.TableName(start, end, parts))

    def table_source(self) -> tree.FromItem:
        tokens = self.tokens
        plain = self._plain_table()
        if plain is not None:
            return plain
        at = tokens.i
        start = tokens.starts[at]
        kind = tokens.kinds[at]
        if kind == WORD and tokens.keys[at] in tokens.reserved and tokens.peek() != "(":
            tokens.fail("a table")
        if kind not in (WORD, QUOTED, STRING, LOCATION):
            tokens.fail("a table")
        shredder = SHREDDERS.get(tokens.keys[at])
        if shredder is not None and tokens.peek() == "(":
            shredded = shredder(self.grammar.table_operators)
            if shredded is not None:
                self.alias(shredded)
                return shredded
        named = tokens.keys[at + 1] != "(" or kind in (STRING, LOCATION) or self.grammar.literals.at_identifier(at)
        table = self.table_name() if named else None
        if table is None or (tokens.keys[tokens.i] == "(" and kind != LOCATION):
            if table is not None and self._at_hint(tokens.i):
                tokens.skip_parentheses()
            elif tokens.keys[at + 1] == "(" and self._at_hint(at + 1):
                tokens.i = at
                table = self._bare_name()
                tokens.skip_parentheses()
            else:
                tokens.i = at
                item = tree.FunctionSource(start, 0, None, None, [self.function_call()], [None])
                self._function_tail(item)
                return item
        source = tree.TableSource(start, table.end, None, None, table)
        if table.file and tokens.keys[tokens.i] == "(":
            tokens.skip_parentheses()
        if tokens.keys[tokens.i] == "*" and tokens.kinds[tokens.i] == OPERATOR:
            tokens.i += 1
        self.older_state(source)
        self.hints()
        self.alias(source)
        self.older_state(source)
        self.hints()
        if tokens.keys[tokens.i] in ("tablesample", "sample"):
            source.sample = self.grammar.table_operators.sample()
            if source.alias is None:
                self.alias(source)
        counted = tokens.keys[tokens.i] == "with" and tokens.peek() in ("offset", "ordinality")
        if counted or (tokens.keys[tokens.i] == "at" and tokens.kinds[tokens.i + 1] == WORD):
            call = tree.Column(table.start, table.end, table.parts)  # t.items AS i WITH OFFSET
            function = tree.FunctionSource(start, 0, source.alias, None, [call], [None])
            self._ordinality(function)
            if tokens.take("at"):
                function.ordinality, function.ordinality_name = True, tokens.name()
            function.end = tokens.end_of_last()
            return function
        return source

    def _at_hint(self, i: int) -> bool:
        """Whether ``(NOLOCK)`` stands at token ``i``."""
        return self.tokens.keys[i + 1] in _TABLE_HINTS and self.tokens.keys[i + 2] in (")", ",")

    def _bare_name(self) -> tree.TableName:
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        name = tokens.name()
        return tree.TableName(start, tokens.end_of_last(), (name,))

    def hints(self) -> None:
        """Step over what tells the planner how to read a table."""
        tokens = self.tokens
        while True:
            key = tokens.keys[tokens.i]
            if key == "with" and tokens.peek() == "(" and not self.grammar.expressions.is_query(tokens.i + 2):
                tokens.i += 1
                tokens.skip_parentheses()
            elif key in _INDEX_HINTS and tokens.peek() in ("index", "key"):
                tokens.i += 2
                if tokens.take("for"):
                    tokens.i += 1 if tokens.keys[tokens.i] == "join" else 2
                tokens.skip_parentheses()
            elif key == "partition" and tokens.peek() == "(":
                tokens.i += 1
                tokens.skip_parentheses()
            elif key == "indexed" and tokens.peek() == "by":
                tokens.i += 2
                tokens.name("an index")
            elif key == "not" and tokens.peek() == "indexed":
                tokens.i += 2
            else:
                return

    def older_state(self, source: tree.TableSource) -> None:
        """Read a clause that asks for the table as it was."""
        grammar = self.grammar
        tokens = self.tokens
        key, after = tokens.keys[tokens.i], tokens.peek()
        found: list[tree.Expression] = []
        if key == "for" and after in ("system_time", "system_version", "version", "timestamp", "portion"):
            tokens.i += 2
            if tokens.take("of"):
                tokens.name("a period")
            if tokens.take_words("as", "of"):
                found.append(grammar.expressions.expression(8))
            elif tokens.take("all"):
                pass
            elif tokens.take("contained"):
                tokens.expect("in")
                tokens.expect("(")
                found += grammar.calls.expression_list()
                tokens.expect(")")
            else:
                tokens.i += 1  # FROM or BETWEEN
                found.append(grammar.expressions.expression(8))
                if not tokens.take("to"):
                    tokens.expect("and")
                found.append(grammar.expressions.expression(8))
        elif key in ("at", "before", "changes") and after == "(":
            while tokens.keys[tokens.i] in ("at", "before", "changes", "end") and tokens.peek() == "(":
                tokens.i += 1
                tokens.skip_parentheses()
        elif key in ("version", "timestamp") and after == "as" and tokens.peek(2) == "of":
            tokens.i += 3
            found.append(grammar.expressions.expression(8))
        elif key == "as" and after == "of" and tokens.peek(2) in ("scn", "timestamp", "system"):
            tokens.i += 4 if tokens.peek(2) == "system" else 3
            found.append(grammar.expressions.expression(8))
        elif key == "partition" and after == "by":  # a partitioned outer join fills up each part
            tokens.i += 2
            tokens.expect("(")
            found += grammar.calls.expression_list()
            tokens.expect(")")
        elif key == "versions" and after == "between":
            tokens.i += 3
            found.append(grammar.expressions.expression(8))
            tokens.expect("and")
            found.append(grammar.expressions.expression(8))
        if found:
            source.at = (source.at or []) + found

    def at_alias(self) -> bool:
        tokens = self.tokens
        kind = tokens.kinds[tokens.i]
        return kind == QUOTED or (kind == WORD and tokens.keys[tokens.i] not in tokens.no_alias)

    def alias(self, item: tree.FromItem) -> None:
        tokens = self.tokens
        if tokens.keys[tokens.i] == "as" and tokens.peek() != "of":
            tokens.i += 1
            item.alias = self.grammar.select_list.string_or_name("an alias")
        elif self.at_alias():
            item.alias = tokens.name()
        else:
            item.end = tokens.end_of_last()
            return
        if tokens.keys[tokens.i] == "(" and tokens.kinds[tokens.i + 1] in (WORD, QUOTED):
            if tokens.keys[tokens.i + 1] in _TABLE_HINTS:
                tokens.skip_parentheses()
            elif tokens.kinds[tokens.i + 2] in (WORD, QUOTED):
                item.columns = self._definitions()
            else:
                item.columns = tokens.names_in_parentheses()
        item.end = tokens.end_of_last()
