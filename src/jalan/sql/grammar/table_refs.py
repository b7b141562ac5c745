"""The grammar of what stands in FROM: tables, files, queries, functions, and the joins between them."""

from jalan.sql import tree
from jalan.sql.lexer import END, LOCATION, OPERATOR, PARAMETER, QUOTED, STRING, WORD
from jalan.sql.grammar.table_operators import RESHAPINGS, SHREDDERS, ReshapingParser

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


class FromParser(ReshapingParser):
    """Reads FROM."""

    def from_list(self) -> list[tree.FromItem]:
        """Read what stands behind FROM or USING."""
        found = [self.from_item()]
        while self.keys[self.i] == ",":
            self.i += 1
            item = self.from_item()
            if self.keys[self.i] == "on" and not self.dialect.joins_need_condition:
                self.i += 1  # SQLite: a comma joins too
                left, condition = found.pop(), self.expression()
                item = tree.Join(left.start, condition.end, None, None, "inner", left, item, condition, None, False)
            found.append(item)
        return found

    def from_item(self) -> tree.FromItem:
        """Read one entry of FROM with all its joins."""
        left = self._from_primary()
        while self.keys[self.i] in JOIN_STARTS:
            joined = self._join(left)
            if joined is None:
                break
            left = joined
        return left

    def set_operator_behind_side(self) -> bool:
        """Whether a set operator stands here behind ``FULL``, ``LEFT [OUTER]`` or ``INNER``."""
        i = self.i
        while self.keys[i] in SET_SIDES:
            i += 1
        return i > self.i and self.keys[i] in ("union", "except", "intersect", "minus")

    def _join(self, left: tree.FromItem) -> tree.FromItem | None:
        if self.keys[self.i] == "lateral":
            return self._lateral_view(left) if self.peek() == "view" else None
        natural = self.take("natural")
        self.take("global")
        at = self.i
        kind = "inner"
        if self.keys[self.i] in SET_SIDES and self.set_operator_behind_side():
            return None
        while self.keys[self.i] in _JOIN_KINDS:
            word = self.keys[self.i]
            if word in ("semi", "anti", "asof") or kind == "inner":
                kind = {"inner": "inner", "outer": "left", "any": "inner"}.get(word, word)
            self.i += 1
        if self.keys[self.i] == "apply":
            self.i += 1
            return self._apply(left, kind)
        if self.keys[self.i] == "straight_join":
            self.i += 1
        else:
            while self.keys[self.i] in ("hash", "loop", "merge", "remote"):
                self.i += 1
            if self.i > at and self.keys[self.i] != "join" and self.keys[at] == "any":
                self.i = at
                return None
            self.expect("join")
        right = self._from_primary()
        join = tree.Join(left.start, right.end, None, None, kind, left, right, None, None, natural)
        conditional = self.keys[self.i] in ("on", "using") and not self.dialect.joins_need_condition
        if (kind in ("cross", "positional") and not conditional) or natural:
            join.kind = "cross" if kind == "positional" else kind
            return join
        while self.keys[self.i] in JOIN_STARTS:
            deeper = self._join(right)
            if deeper is None:
                break
            right = deeper
        join.right = right
        matched: tree.Expression | None = None
        if self.keys[self.i] == "match_condition":
            self.i += 1
            self.expect("(")
            matched = self.expression()
            self.expect(")")
        if self.take("on"):
            join.condition = self.expression()
        elif self.take("using"):
            join.using = self._using()
            if self.take("as"):
                join.using_alias = self.name("an alias")
        elif matched is None and self.dialect.joins_need_condition:
            self.fail("ON or USING")
        if matched is not None:
            both = join.condition
            join.condition = matched if both is None else tree.Binary(matched.start, both.end, "and", matched, both)
        join.end = self.end_of_last()
        return join

    def _apply(self, left: tree.FromItem, kind: str) -> tree.FromItem:
        right = self._from_primary()
        if isinstance(right, tree.Derived):
            right.lateral = True
        kind = "left" if kind == "left" else "cross"
        return tree.Join(left.start, right.end, None, None, kind, left, right, None, None, False)

    def _lateral_view(self, left: tree.FromItem) -> tree.FromItem:
        start = self.starts[self.i]
        self.i += 2
        self.take("outer")
        item = tree.FunctionSource(start, 0, None, None, [self._function_call()], [None])
        if self._at_alias() and self.keys[self.i] != "as":
            item.alias = self.name()
        if self.take("as"):
            item.columns = [self.name("a column")]
            while self.keys[self.i] == "," and self.kinds[self.i + 1] in (WORD, QUOTED):
                self.i += 1
                item.columns.append(self.name("a column"))
        item.end = self.end_of_last()
        return tree.Join(left.start, item.end, None, None, "cross", left, item, None, None, False)

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
        item: tree.FromItem
        if self.dialect.columns_calls and self.keys[self.i + 1] == ":" and self.kinds[self.i] in (WORD, QUOTED):
            alias = self.name()  # alias: table
            self.i += 1
            item = self._from_primary()
            item.alias = alias
            return item
        if self.dialect.stages and self.kinds[self.i] == PARAMETER and self.written(self.i)[1:].isdigit():
            name = tree.TableName(self.starts[self.i], self.ends[self.i], (self.written(self.i),))
            self.i += 1
            item = tree.TableSource(name.start, name.end, None, None, name)
            self._alias(item)
            return item
        if key == "{" and self.keys[self.i + 1] == "oj":
            self.i += 2
            item = self.from_item()
            self.expect("}")
            return item
        if key == "lateral":
            start = self.starts[self.i]
            self.i += 1
            item = self._from_primary()
            if isinstance(item, tree.Derived):
                item.lateral = True
                item.start = start
            return item
        if key == "(":
            item = self._from_parenthesis()
        elif key == "values":
            start = self.starts[self.i]
            query = self.query()
            item = tree.Derived(start, self.end_of_last(), None, None, query)
            self._alias(item)
        elif key == "rows" and self.peek() == "from" and self.peek(2) == "(":
            item = self._rows_from()
        elif key == "only" and self.peek() == "(":
            self.i += 2
            item = self._table_source()
            self.expect(")")
        elif key == "table" and self.peek() == "(":
            item = self._table_function()
        elif key == "stream" and "stream" in self.dialect.table_names and self.kinds[self.i + 1] in (WORD, QUOTED):
            self.i += 1
            item = self._table_source()
        elif key == "unpivot" and self.kinds[self.i + 1] in (WORD, QUOTED):
            item = self._object_unpivot()
        else:
            if key == "only":
                self.i += 1
            item = self._table_source()
        while self.keys[self.i] in RESHAPINGS:
            item = self.reshaping(item)
        return item

    def _object_unpivot(self) -> tree.FromItem:
        """``UNPIVOT document AS value AT key``: a row for each attribute."""
        start = self.starts[self.i]
        self.i += 1
        item = tree.FunctionSource(start, 0, None, None, [self.expression(8)], [None])
        self.take("as")
        names = [self.name("a column")]
        if self.take("at"):
            names.append(self.name("a column"))
        item.defined[0] = names
        item.end = self.end_of_last()
        return item

    def _table_function(self) -> tree.FromItem:
        """``TABLE(function(…))``, ``TABLE(column)``, ``TABLE(name)``."""
        start = self.starts[self.i]
        self.i += 2
        if self.kinds[self.i + 1] == OPERATOR and self.keys[self.i + 1] == ")" and self.kinds[self.i] == WORD:
            table = self.table_name()
            self.expect(")")
            source = tree.TableSource(start, self.end_of_last(), None, None, table)
            self._alias(source)
            return source
        if self.kinds[self.i] == STRING and self.keys[self.i + 1] == ")" and self.dialect.stages:
            table = tree.TableName(start, self.ends[self.i + 1], self._named_by(self.i))
            self.i += 2
            source = tree.TableSource(start, self.end_of_last(), None, None, table)
            self._alias(source)
            return source
        inner = self.expression()
        self.expect(")")
        item = tree.FunctionSource(start, 0, None, None, [inner], [None])
        self._function_tail(item)
        return item

    def _from_parenthesis(self) -> tree.FromItem:
        self.enter()
        start = self.starts[self.i]
        item: tree.FromItem
        change = self.keys[self.i + 1] in ("insert", "update", "delete", "merge") and self.dialect.bare_statements
        if change or (self._starts_query(self.i + 1) and self._derived_ahead()):
            self.i += 1
            query = self.query_or_change() if change else self.query()
            self.expect(")")
            item = tree.Derived(start, self.end_of_last(), None, None, query)
            self._alias(item)
            if self.keys[self.i] in ("tablesample", "sample"):
                query.limit += self.sample()
        else:
            self.i += 1
            item = self.from_item()
            while self.take(","):  # (a, b), as MySQL has it
                right = self.from_item()
                item = tree.Join(start, right.end, None, None, "cross", item, right, None, None, False)
            self.expect(")")
            if self.keys[self.i] == "as" or self._at_alias():
                # the alias of a join in parentheses hides the names inside
                inner = item
                item = tree.Join(start, 0, None, None, "group", inner, inner, None, None, False)
                self._alias(item)
        self.depth -= 1
        return item

    def query_or_change(self) -> tree.Query:
        """Read a query, or a change that puts rows out."""
        raise NotImplementedError

    def _starts_query(self, i: int) -> bool:
        """Whether a query, also one of FROM first or PIVOT first, starts at this token."""
        return self._is_query(i) or (self.keys[i] in ("from", "pivot", "unpivot") and self.keys[i + 1] != ".")

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
                    return after in (
                        ")", "union", "intersect", "except", "minus", "order", "limit", "offset", "fetch",
                    )  # fmt: skip
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
        self._ordinality(item)
        if self.keys[self.i] == "with" and self.peek() == "(" and self.dialect.bare_statements:
            self.i += 1  # OPENROWSET (…) WITH (name type, …)
            item.columns = self.names_with_types("a column")
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
        self._ordinality(item)
        item.end = self.end_of_last()

    def names_with_types(self, what: str) -> list[str]:
        """Read ``(name type …, …)`` for the names alone, whatever stands behind them."""
        self.expect("(")
        names = []
        while True:
            names.append(self.name(what))
            while self.keys[self.i] not in (",", ")"):
                if self.kinds[self.i] == END:
                    self.fail("“)”")
                if self.keys[self.i] == "(":
                    self.skip_parentheses()
                else:
                    self.i += 1
            if not self.take(","):
                break
        self.expect(")")
        return names

    def _ordinality(self, item: tree.FunctionSource) -> None:
        if self.take_words("with", "ordinality"):
            item.ordinality = True
        elif self.take_words("with", "offset"):
            item.ordinality, item.ordinality_name = True, "offset"
            if self.take("as") or self._at_alias():
                item.ordinality_name = self.name("the name of the offset")

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

    # --- tables --------------------------------------------------------------------------------------

    def table_name(self) -> tree.TableName:
        """Read the name of a table, or of a file or stage that stands for one."""
        i = self.i
        start = self.starts[i]
        kind = self.kinds[i]
        if kind == STRING or kind == LOCATION:
            self.i += 1
            text = self.written(i)
            path = text if kind == LOCATION else text[text.index(text[-1]) + 1 : -1]
            return tree.TableName(start, self.ends[i], (path,), True)
        if kind == WORD and self.keys[i] in self._reserved:
            self.fail("the name of a table")
        if self._at_identifier(i):
            self.i += 4
            return tree.TableName(start, self.end_of_last(), self._named_by(i + 2))
        parts = [self._table_part()]
        while self.keys[self.i] == "." and self.keys[self.i + 1] != "*":
            self.i += 1
            if self.keys[self.i] == "." and len(parts) == 1:
                self.i += 1  # database..table
                parts += map(self._spelled, self.dialect.default_schemas[:1])
            parts.append(self._table_part())
        if self.keys[self.i] == "@" and self.kinds[self.i + 1] == WORD:
            self.i += 1
            parts[-1] += "@" + self.name("a database link")
        if len(parts) == 2 and parts[0] in _FILE_FORMATS and "/" in parts[1]:
            return tree.TableName(start, self.end_of_last(), (parts[1],), True)
        if self.dialect.backquoted_paths and any("." in part for part in parts):
            parts = [type(part)(step) for part in parts for step in part.split(".")]
        return tree.TableName(start, self.end_of_last(), tuple(parts))

    def _table_part(self) -> str:
        part = self.name("the name of a table")
        if self.dialect.dashed_names:
            while (
                self.keys[self.i] == "-" and self.ends[self.i - 1] == self.starts[self.i] == self.ends[self.i] - 1
            ):
                self.i += 1
                part = type(part)(part + "-" + self.written(self.i))
                self.i += 1
        return part

    def _plain_table(self) -> tree.TableSource | None:
        """Read ``a``, ``a.b`` with or without an alias, the commonest of all, if nothing else stands behind it."""
        i = self.i
        keys, kinds = self.keys, self.kinds
        if not self._lower or kinds[i] != WORD or keys[i] in self._reserved:
            return None
        first = keys[i]
        if keys[i + 1] == "." and kinds[i + 2] == WORD:
            parts: tuple[str, ...] = (first, keys[i + 2])
            j = i + 3
        else:
            parts = (first,)
            j = i + 1
        end = self.ends[j - 1]
        key = keys[j]
        alias = None
        if key == "as" and kinds[j + 1] == WORD and keys[j + 1] != "of":
            alias = keys[j + 1]
            j += 2
        elif kinds[j] == WORD and key not in self._no_alias:
            alias = key
            j += 1
        if keys[j] in _BEHIND_TABLE or (alias is None and keys[j] == "as") or kinds[j] == QUOTED:
            return None
        self.i = j
        start = self.starts[i]
        return tree.TableSource(start, self.ends[j - 1], alias, None, tree.TableName(start, end, parts))

    def _table_source(self) -> tree.FromItem:
        plain = self._plain_table()
        if plain is not None:
            return plain
        at = self.i
        start = self.starts[at]
        kind = self.kinds[at]
        if kind == WORD and self.keys[at] in self._reserved and self.peek() != "(":
            self.fail("a table")
        if kind not in (WORD, QUOTED, STRING, LOCATION):
            self.fail("a table")
        shredder = SHREDDERS.get(self.keys[at])
        if shredder is not None and self.peek() == "(":
            shredded = shredder(self)
            if shredded is not None:
                self._alias(shredded)
                return shredded
        named = self.keys[at + 1] != "(" or kind in (STRING, LOCATION) or self._at_identifier(at)
        table = self.table_name() if named else None
        if table is None or (self.keys[self.i] == "(" and kind != LOCATION):
            if table is not None and self._at_hint(self.i):
                self.skip_parentheses()
            elif self.keys[at + 1] == "(" and self._at_hint(at + 1):
                self.i = at
                table = self._bare_name()
                self.skip_parentheses()
            else:
                self.i = at
                item = tree.FunctionSource(start, 0, None, None, [self._function_call()], [None])
                self._function_tail(item)
                return item
        source = tree.TableSource(start, table.end, None, None, table)
        if table.file and self.keys[self.i] == "(":
            self.skip_parentheses()
        if self.keys[self.i] == "*" and self.kinds[self.i] == OPERATOR:
            self.i += 1
        self._older_state(source)
        self._hints()
        self._alias(source)
        self._older_state(source)
        self._hints()
        if self.keys[self.i] in ("tablesample", "sample"):
            source.sample = self.sample()
            if source.alias is None:
                self._alias(source)
        counted = self.keys[self.i] == "with" and self.peek() in ("offset", "ordinality")
        if counted or (self.keys[self.i] == "at" and self.kinds[self.i + 1] == WORD):
            call = tree.Column(table.start, table.end, table.parts)  # t.items AS i WITH OFFSET
            function = tree.FunctionSource(start, 0, source.alias, None, [call], [None])
            self._ordinality(function)
            if self.take("at"):
                function.ordinality, function.ordinality_name = True, self.name()
            function.end = self.end_of_last()
            return function
        return source

    def _at_hint(self, i: int) -> bool:
        """Whether ``(NOLOCK)`` stands at token ``i``."""
        return self.keys[i + 1] in _TABLE_HINTS and self.keys[i + 2] in (")", ",")

    def _bare_name(self) -> tree.TableName:
        start = self.starts[self.i]
        name = self.name()
        return tree.TableName(start, self.end_of_last(), (name,))

    def _hints(self) -> None:
        """Step over what tells the planner how to read a table."""
        while True:
            key = self.keys[self.i]
            if key == "with" and self.peek() == "(" and not self._is_query(self.i + 2):
                self.i += 1
                self.skip_parentheses()
            elif key in _INDEX_HINTS and self.peek() in ("index", "key"):
                self.i += 2
                if self.take("for"):
                    self.i += 1 if self.keys[self.i] == "join" else 2
                self.skip_parentheses()
            elif key == "partition" and self.peek() == "(":
                self.i += 1
                self.skip_parentheses()
            elif key == "indexed" and self.peek() == "by":
                self.i += 2
                self.name("an index")
            elif key == "not" and self.peek() == "indexed":
                self.i += 2
            else:
                return

    def _older_state(self, source: tree.TableSource) -> None:
        """Read a clause that asks for the table as it was."""
        key, after = self.keys[self.i], self.peek()
        found: list[tree.Expression] = []
        if key == "for" and after in ("system_time", "system_version", "version", "timestamp", "portion"):
            self.i += 2
            if self.take("of"):
                self.name("a period")
            if self.take_words("as", "of"):
                found.append(self.expression(8))
            elif self.take("all"):
                pass
            elif self.take("contained"):
                self.expect("in")
                self.expect("(")
                found += self.expression_list()
                self.expect(")")
            else:
                self.i += 1  # FROM or BETWEEN
                found.append(self.expression(8))
                if not self.take("to"):
                    self.expect("and")
                found.append(self.expression(8))
        elif key in ("at", "before", "changes") and after == "(":
            while self.keys[self.i] in ("at", "before", "changes", "end") and self.peek() == "(":
                self.i += 1
                self.skip_parentheses()
        elif key in ("version", "timestamp") and after == "as" and self.peek(2) == "of":
            self.i += 3
            found.append(self.expression(8))
        elif key == "as" and after == "of" and self.peek(2) in ("scn", "timestamp", "system"):
            self.i += 4 if self.peek(2) == "system" else 3
            found.append(self.expression(8))
        elif key == "partition" and after == "by":  # a partitioned outer join fills up each part
            self.i += 2
            self.expect("(")
            found += self.expression_list()
            self.expect(")")
        elif key == "versions" and after == "between":
            self.i += 3
            found.append(self.expression(8))
            self.expect("and")
            found.append(self.expression(8))
        if found:
            source.at = (source.at or []) + found

    def _at_alias(self) -> bool:
        kind = self.kinds[self.i]
        return kind == QUOTED or (kind == WORD and self.keys[self.i] not in self._no_alias)

    def _alias(self, item: tree.FromItem) -> None:
        if self.keys[self.i] == "as" and self.peek() != "of":
            self.i += 1
            item.alias = self.string_or_name("an alias")
        elif self._at_alias():
            item.alias = self.name()
        else:
            item.end = self.end_of_last()
            return
        if self.keys[self.i] == "(" and self.kinds[self.i + 1] in (WORD, QUOTED):
            if self.keys[self.i + 1] in _TABLE_HINTS:
                self.skip_parentheses()
            elif self.kinds[self.i + 2] in (WORD, QUOTED):
                item.columns = self._definitions()
            else:
                item.columns = self.names_in_parentheses()
        item.end = self.end_of_last()
