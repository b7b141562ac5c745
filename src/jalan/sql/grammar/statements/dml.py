"""The grammar of the statements that change rows: INSERT, REPLACE, UPDATE, DELETE, MERGE."""

from jalan.sql import tree
from jalan.sql.grammar.part import GrammarPart
from jalan.sql.lexer import STRING, WORD

_INSERT_WORDS = frozenset({"ignore", "low_priority", "high_priority", "delayed"})
_REPLACE_WORDS = _INSERT_WORDS | {"into"}
_BEHIND_REPLACED = frozenset({"(", "values", "select", "set", "."})
_BEHIND_TARGET = frozenset({"values", "select", "partition", "subpartition", "with", "by", "set", "log", "table"})
_CONFLICT_WORDS = frozenset({"replace", "ignore", "abort", "fail", "rollback"})


class DmlGrammar(GrammarPart):
    """Reads statements that change rows."""

    def modifying(self, ctes: tree.With | None) -> tree.StatementNode | None:
        tokens = self.tokens
        key = tokens.keys[tokens.i]
        start = ctes.start if ctes is not None else tokens.starts[tokens.i]
        if key == "insert":
            return self._insert(ctes, start)
        if key == "update" and tokens.peek() != "statistics":
            return self._update(ctes, start)
        if key == "delete":
            return self._delete(ctes, start)
        if key == "merge":
            return self._merge(ctes, start)
        if key == "replace" and (tokens.peek() in _REPLACE_WORDS or tokens.peek(2) in _BEHIND_REPLACED):
            return self._insert(ctes, start)
        return None

    def _top_rows(self) -> list[tree.Expression | tree.Sort]:
        tokens = self.tokens
        if tokens.keys[tokens.i] == "top" and tokens.peek() == "(":
            return [self.grammar.selects.top()]
        return []

    # --- insert --------------------------------------------------------------------------------------

    def _insert(self, ctes: tree.With | None, start: int) -> tree.StatementNode:
        grammar = self.grammar
        tokens = self.tokens
        tokens.i += 1
        while tokens.keys[tokens.i] in _INSERT_WORDS:
            tokens.i += 1
        if tokens.keys[tokens.i] == "or" and tokens.peek() in _CONFLICT_WORDS:
            tokens.i += 2
        self._top_rows()
        overwrite = tokens.take("overwrite")
        if tokens.keys[tokens.i] in ("all", "first"):
            return self._insert_many(start)
        if tokens.keys[tokens.i] in ("local", "directory"):
            return self._insert_directory(start)
        if not (tokens.take("into") or overwrite or self._bare_target()):
            tokens.expect("into")
        tokens.take("table")
        insert = self._insert_target(ctes, start)
        if tokens.keys[tokens.i] in ("exec", "execute"):
            tokens.to_end()
            return tree.Recognised(start, tokens.end_of_last(), "insert_execute")
        if tokens.take_words("default", "values"):
            pass
        elif tokens.keys[tokens.i] == "set":
            tokens.i += 1
            assignments = grammar.targets.assignments()
            insert.columns = [name for assignment in assignments for name in assignment.columns]
            row = [assignment.value for assignment in assignments]
            values = tree.Values(row[0].start, row[-1].end, [row])
            insert.query = tree.Query(values.start, values.end, None, values, [], [])
        elif tokens.keys[tokens.i] == "output":
            grammar.targets.output(insert)
            insert.query = None if tokens.take_words("default", "values") else grammar.queries.query()
        else:
            insert.query = grammar.queries.query()
        self._insert_tail(insert)
        return insert

    def _bare_target(self) -> bool:
        """Whether INTO may be left out: here another word than INTO names the table."""
        return self.dialect.optional_into and self.tokens.keys[self.tokens.i] not in ("into", "", ";")

    def _insert_target(self, ctes: tree.With | None, start: int) -> tree.Insert:
        grammar = self.grammar
        tokens = self.tokens
        insert = tree.Insert(start, 0, ctes, grammar.tables.table_name(), None, None, None, None, [])
        # Here an alias needs AS: without it VALUES, SELECT or OVERRIDING could be taken for one.
        if tokens.keys[tokens.i] == "as":
            tokens.i += 1
            insert.alias = tokens.name("an alias")
        elif (
            self.dialect.bare_insert_aliases
            and grammar.tables.at_alias()
            and tokens.keys[tokens.i] not in _BEHIND_TARGET
        ):
            insert.alias = tokens.name("an alias")
        if tokens.keys[tokens.i] == "partition":
            insert.partition = self._partition()
        if (
            tokens.keys[tokens.i] == "with"
            and tokens.peek() == "("
            and not grammar.expressions.is_query(tokens.i + 2)
        ):
            tokens.i += 1
            tokens.skip_parentheses()
        tokens.take_words("if", "not", "exists")
        if tokens.keys[tokens.i] == "(" and not grammar.expressions.is_query(tokens.i + 1):
            insert.columns = grammar.targets.column_targets((insert.alias or insert.target.parts[-1],))
        if tokens.keys[tokens.i] == "partition":
            insert.partition = self._partition()
        tokens.take_words("with", "schema", "evolution")
        if tokens.take_words("by", "name"):
            insert.by_name = True
        else:
            tokens.take_words("by", "position")
        if tokens.keys[tokens.i] == "replace" and tokens.peek() in ("where", "using"):
            tokens.i += 1
            if tokens.take("where"):
                grammar.expressions.expression()
            else:
                tokens.i += 1
                tokens.names_in_parentheses()
        if tokens.take("overriding"):
            tokens.i += 2
        return insert

    def _partition(self) -> list[tuple[str, tree.Expression | None]]:
        """Read ``PARTITION (day = '…', port)``; a name without value is taken from the end of the query."""
        tokens = self.tokens
        tokens.i += 1
        tokens.expect("(")
        found: list[tuple[str, tree.Expression | None]] = []
        while True:
            name = tokens.name("a column")
            found.append((name, self.grammar.expressions.expression() if tokens.take("=") else None))
            if not tokens.take(","):
                break
        tokens.expect(")")
        return found

    def _insert_tail(self, insert: tree.Insert) -> None:
        tokens = self.tokens
        if tokens.keys[tokens.i] == "as":  # VALUES … AS new [(columns)], for ON DUPLICATE KEY
            tokens.i += 1
            alias = tokens.name("an alias")
            names = tokens.names_in_parentheses() if tokens.keys[tokens.i] == "(" else None
        else:
            alias, names = "", None
        if tokens.keys[tokens.i] == "on" and tokens.peek() == "duplicate":
            insert.conflict = self._duplicate(alias)
            insert.conflict.names = names
        while tokens.keys[tokens.i] == "on" and tokens.peek() == "conflict":
            insert.conflict = self._conflict()
        self.grammar.targets.returning(insert)
        if tokens.take_words("log", "errors"):
            self.tokens.to_end()
        insert.end = tokens.end_of_last()

    def _insert_many(self, start: int) -> tree.StatementNode:
        """``INSERT ALL|FIRST [WHEN … THEN] INTO … [VALUES …] … query``."""
        grammar = self.grammar
        tokens = self.tokens
        tokens.i += 1
        branches: list[tuple[tree.Expression | None, tree.Insert]] = []
        condition: tree.Expression | None = None
        while tokens.keys[tokens.i] in ("when", "else", "into"):
            if tokens.take("when"):
                condition = grammar.expressions.expression()
                tokens.expect("then")
            elif tokens.take("else"):
                condition = None
            at = tokens.starts[tokens.i]
            tokens.expect("into")
            insert = self._insert_target(None, at)
            if tokens.take("values"):
                tokens.expect("(")
                row = grammar.queries.value_row()
                tokens.expect(")")
                values = tree.Values(row[0].start, row[-1].end, [row])
                insert.query = tree.Query(values.start, values.end, None, values, [], [])
            insert.end = tokens.end_of_last()
            branches.append((condition, insert))
        if not branches:
            tokens.fail("INTO or WHEN")
        query = grammar.queries.query()
        return tree.MultiInsert(start, query.end, query, branches)

    def _insert_directory(self, start: int) -> tree.StatementNode:
        grammar = self.grammar
        tokens = self.tokens
        tokens.take("local")
        tokens.expect("directory")
        first = tokens.i
        unnamed = tree.TableName(tokens.starts[first], tokens.ends[first], ("?",), True)
        target = grammar.tables.table_name() if tokens.kinds[first] == STRING else unnamed
        while not grammar.expressions.is_query(tokens.i) and tokens.keys[tokens.i] not in ("", ";", "from"):
            tokens.i += 1
        query = grammar.queries.query()
        return tree.Copy(start, query.end, "insert_overwrite_directory", target, None, query, [])

    def hive_inserts(self) -> tree.StatementNode | None:
        """``FROM source INSERT … SELECT … INSERT … SELECT …``: one source, read into several tables."""
        tokens = self.tokens
        first = tokens.i
        start = tokens.starts[first]
        tokens.i += 1
        source = self.grammar.table_refs.from_list()
        if tokens.keys[tokens.i] != "insert":
            tokens.i = first
            return None
        branches: list[tuple[tree.Expression | None, tree.Insert]] = []
        while tokens.keys[tokens.i] == "insert":
            at = tokens.starts[tokens.i]
            tokens.i += 1
            if not tokens.take("overwrite"):
                tokens.expect("into")
            tokens.take("table")
            insert = self._insert_target(None, at)
            query = self.grammar.queries.query()
            assert isinstance(query.body, tree.Select)
            query.body.source = source
            insert.query = query
            insert.end = query.end
            branches.append((None, insert))
        empty = tree.Values(start, start, [])
        nothing = tree.Query(start, start, None, empty, [], [])
        return tree.MultiInsert(start, tokens.end_of_last(), nothing, branches)

    def _conflict(self) -> tree.Conflict:
        grammar = self.grammar
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        tokens.i += 1
        tokens.expect("conflict")
        conflict = tree.Conflict(start, 0, [], [], None)
        if tokens.keys[tokens.i] == "(":
            tokens.i += 1
            while True:
                conflict.columns.append(grammar.expressions.expression())
                if tokens.kinds[tokens.i] == WORD:
                    tokens.qualified("an operator class")
                if not tokens.take(","):
                    break
            tokens.expect(")")
            if tokens.take("where"):
                grammar.expressions.expression()
        elif tokens.take("on"):
            tokens.expect("constraint")
            tokens.name("a constraint")
        tokens.expect("do")
        if not tokens.take("nothing"):
            tokens.expect("update")
            tokens.expect("set")
            conflict.assignments = grammar.targets.assignments()
            if tokens.take("where"):
                conflict.where = grammar.expressions.expression()
        conflict.end = tokens.end_of_last()
        return conflict

    def _duplicate(self, alias: str) -> tree.Conflict:
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        tokens.i += 2
        tokens.expect("key")
        tokens.expect("update")
        conflict = tree.Conflict(start, 0, [], self.grammar.targets.assignments(), None, alias or "values()")
        conflict.end = tokens.end_of_last()
        return conflict

    # --- update --------------------------------------------------------------------------------------

    def _where(self) -> tree.Expression | None:
        tokens = self.tokens
        if not tokens.take("where"):
            return None
        if tokens.take_words("current", "of"):
            tokens.name("a cursor")
            return None
        return self.grammar.expressions.expression()

    def _row_limit(self) -> list[tree.Expression | tree.Sort]:
        """``ORDER BY … LIMIT …`` behind UPDATE and DELETE: which rows are changed after all."""
        grammar = self.grammar
        tokens = self.tokens
        found: list[tree.Expression | tree.Sort] = []
        if tokens.keys[tokens.i] == "order":
            found += grammar.calls.order_by()
        if tokens.take("limit"):
            found.append(grammar.expressions.expression())
            if tokens.take("offset") or tokens.take(","):
                found.append(grammar.expressions.expression())
        if tokens.keys[tokens.i] == "option" and tokens.peek() == "(":
            tokens.i += 1
            tokens.skip_parentheses()
        return found

    def _update(self, ctes: tree.With | None, start: int) -> tree.StatementNode:
        grammar = self.grammar
        tokens = self.tokens
        tokens.i += 1
        while tokens.keys[tokens.i] in ("low_priority", "ignore"):
            tokens.i += 1
        if tokens.keys[tokens.i] == "or" and tokens.peek() in _CONFLICT_WORDS:
            tokens.i += 2
        limit = self._top_rows()
        items = grammar.table_refs.from_list()
        tokens.expect("set")
        tables = tuple(name for item in items for name in _names(item))
        assignments = grammar.targets.assignments(tables)
        found = tree.Update(start, 0, ctes, _first_table(items[0]), None, assignments, [], None, [])
        grammar.targets.output(found)
        if tokens.take("from"):
            found.source = grammar.table_refs.from_list()
        if len(items) == 1 and isinstance(items[0], tree.TableSource):
            found.target, found.alias = items[0].table, items[0].alias
            self._find_target(found)
        else:
            found.joined = True
            found.source = items + found.source
            found.alias = items[0].alias
            written = next((a.qualifier for a in assignments if a.qualifier is not None), None)
            if written is not None:
                found.target = next(
                    (t.table for item in items for t in _tables(item) if _name_of(t) == written), found.target
                )
                found.alias = written
        found.where = self._where()
        grammar.targets.returning(found)
        limit += self._row_limit()
        found.limit = limit or None
        grammar.targets.returning(found)
        found.end = tokens.end_of_last()
        return found

    @staticmethod
    def _find_target(found: tree.Update | tree.Delete) -> None:
        """``UPDATE a SET … FROM t AS a``: the target is the table that FROM gives this name."""
        if len(found.target.parts) > 1 or found.alias is not None:
            return
        name = found.target.parts[0]
        for item in found.source:
            for derived in _derived(item):
                if derived.alias == name:
                    found.alias, found.target, found.joined = name, _first_table(derived), True
                    return
            for table in _tables(item):
                if table.alias == name or (
                    table.alias is None
                    and table.table.parts[-1] == name
                    and len(found.source) == 1
                    and isinstance(item, tree.Join)
                ):
                    found.alias = name
                    found.target = table.table
                    found.joined = True
                    return

    # --- delete --------------------------------------------------------------------------------------

    def _delete(self, ctes: tree.With | None, start: int) -> tree.StatementNode:
        grammar = self.grammar
        tokens = self.tokens
        tokens.i += 1
        while tokens.keys[tokens.i] in ("low_priority", "quick", "ignore"):
            tokens.i += 1
        limit = self._top_rows()
        joins: list[tree.FromItem] = []
        if tokens.keys[tokens.i] == "history" and tokens.peek() == "from":
            tokens.i += 1
        bare = not tokens.take("from")
        if bare and not self.dialect.optional_from:
            tokens.expect("from")
        targets: list[tuple[tree.TableName, str | None]]
        if tokens.keys[tokens.i] == "(":  # DELETE FROM (query): the rows of its table
            joins = [grammar.table_refs.from_primary()]
            targets = [(_first_table(joins[0]), None)]
        else:
            targets = [self._delete_target()]
        while tokens.take(","):
            targets.append(self._delete_target())
        found = tree.Delete(start, 0, ctes, targets[0][0], targets[0][1], [], None, [], bool(joins))
        if self.dialect.optional_from:
            grammar.targets.output(found)
            if tokens.take("from"):
                joins = grammar.table_refs.from_list()
        if tokens.take("using"):
            joins += grammar.table_refs.from_list()
        found.source = joins
        found.more = [target for target, _ in targets[1:]] or None
        self._find_target(found)
        if found.more:
            found.more = [self._table_of(target, joins) for target in found.more]
        grammar.targets.output(found)
        found.where = self._where()
        grammar.targets.returning(found)
        limit += self._row_limit()
        found.limit = limit or None
        grammar.targets.returning(found)
        found.end = tokens.end_of_last()
        return found

    def _delete_target(self) -> tuple[tree.TableName, str | None]:
        grammar = self.grammar
        tokens = self.tokens
        tokens.take("only")
        target = grammar.tables.table_name()
        if tokens.keys[tokens.i] == "." and tokens.peek() == "*":
            tokens.i += 2
        tokens.take("*")
        grammar.tables.hints()
        if tokens.keys[tokens.i] == "for" and tokens.peek() == "portion":
            portion = tree.TableSource(target.start, target.end, None, None, target)
            grammar.tables.older_state(portion)
        if tokens.take_words("before", "system_time"):
            grammar.expressions.expression()
        alias = grammar.targets.target_alias()
        grammar.tables.hints()
        return target, alias

    @staticmethod
    def _table_of(target: tree.TableName, joins: list[tree.FromItem]) -> tree.TableName:
        for item in joins:
            for table in _tables(item):
                if _name_of(table) == target.parts[-1]:
                    return table.table
        return target

    # --- merge ---------------------------------------------------------------------------------------

    def _merge(self, ctes: tree.With | None, start: int) -> tree.StatementNode:
        grammar = self.grammar
        tokens = self.tokens
        tokens.i += 1
        self._top_rows()
        tokens.take_words("with", "schema", "evolution")
        if not tokens.take("into") and not self.dialect.optional_into:
            tokens.expect("into")
        tokens.take("only")
        target = grammar.tables.table_name()
        grammar.tables.hints()
        alias = grammar.targets.target_alias()
        tokens.expect("using")
        source = grammar.table_refs.from_item()
        tokens.expect("on")
        condition = grammar.expressions.expression()
        found = tree.Merge(start, 0, ctes, target, alias, source, condition, [], [])
        names = (alias or target.parts[-1], target.parts[-1])
        while tokens.keys[tokens.i] == "when":
            found.branches.append(self._merge_branch(names))
        if tokens.take_words("remove", "duplicates"):
            branch = tree.MergeBranch(
                tokens.starts[tokens.i - 2], tokens.end_of_last(), None, "replace", [], None, [], True
            )
            found.branches.append(branch)
        if not found.branches:
            tokens.fail("“WHEN”")
        grammar.targets.output(found)
        grammar.targets.returning(found)
        if tokens.keys[tokens.i] == "option" and tokens.peek() == "(":
            tokens.i += 1
            tokens.skip_parentheses()
        if tokens.keys[tokens.i] == "log":
            tokens.to_end()
        found.end = tokens.end_of_last()
        return found

    def _merge_branch(self, names: tuple[str, ...]) -> tree.MergeBranch:
        tokens = self.tokens
        branch = tree.MergeBranch(tokens.starts[tokens.i], 0, None, "nothing", [], None, [])
        tokens.i += 1
        tokens.take("not")
        tokens.expect("matched")
        if tokens.take("by"):
            tokens.i += 1
        if tokens.take("and"):
            branch.condition = self.grammar.expressions.expression()
        tokens.expect("then")
        action = tokens.keys[tokens.i]
        if action not in ("update", "insert", "delete", "do"):
            tokens.fail("UPDATE, INSERT, DELETE or DO NOTHING")
        tokens.i += 1
        branch.action = "nothing" if action == "do" else action
        if action == "do":
            tokens.expect("nothing")
        elif action == "update":
            self._merge_update(branch, names)
        elif action == "insert":
            self._merge_insert(branch, names)
        wheres = []
        while tokens.keys[tokens.i] == "where" or (tokens.keys[tokens.i] == "delete" and tokens.peek() == "where"):
            tokens.i += 1 if tokens.keys[tokens.i] == "where" else 2
            wheres.append(self.grammar.expressions.expression())
        branch.where = wheres or None
        branch.end = tokens.end_of_last()
        return branch

    def _merge_update(self, branch: tree.MergeBranch, names: tuple[str, ...]) -> None:
        tokens = self.tokens
        if tokens.take_words("by", "name") or tokens.keys[tokens.i] in ("when", "", ";", "returning"):
            branch.row = True
            return
        tokens.expect("set")
        if tokens.take("*") or tokens.take_words("all", "by", "name"):
            branch.row = True
        else:
            branch.assignments = self.grammar.targets.assignments(names)

    def _merge_insert(self, branch: tree.MergeBranch, names: tuple[str, ...]) -> None:
        tokens = self.tokens
        if (
            tokens.take("*")
            or tokens.take("row")
            or tokens.take_words("by", "name")
            or tokens.take_words("all", "by", "name")
        ):
            branch.row = True
            return
        if tokens.keys[tokens.i] == "(":
            branch.columns = self.grammar.targets.column_targets(names)
        if tokens.take("overriding"):
            tokens.i += 2
        if tokens.take("row"):
            branch.row = True
        elif tokens.take("default"):
            tokens.expect("values")
        else:
            tokens.expect("values")
            tokens.expect("(")
            branch.values = self.grammar.queries.value_row()
            tokens.expect(")")


def _tables(item: tree.FromItem) -> list[tree.TableSource]:
    if isinstance(item, tree.TableSource):
        return [item]
    if isinstance(item, tree.Join):
        return _tables(item.left) + ([] if item.left is item.right else _tables(item.right))
    if isinstance(item, tree.Derived) and isinstance(item.query.body, tree.Select):
        return [table for inner in item.query.body.source for table in _tables(inner)]
    return []


def _derived(item: tree.FromItem) -> list[tree.Derived]:
    if isinstance(item, tree.Derived):
        return [item]
    if isinstance(item, tree.Join):
        return _derived(item.left) + ([] if item.left is item.right else _derived(item.right))
    return []


def _name_of(table: tree.TableSource) -> str:
    return table.alias or table.table.parts[-1]


def _names(item: tree.FromItem) -> list[str]:
    return [_name_of(table) for table in _tables(item)] + ([item.alias] if item.alias else [])


def _first_table(item: tree.FromItem) -> tree.TableName:
    tables = _tables(item)
    return tables[0].table if tables else tree.TableName(item.start, item.end, ("?",))
