"""The grammar of the statements that change rows: INSERT, REPLACE, UPDATE, DELETE, MERGE."""

from jalan.sql import tree
from jalan.sql.lexer import STRING, WORD
from jalan.sql.grammar.statements.targets import TargetParser

_INSERT_WORDS = frozenset({"ignore", "low_priority", "high_priority", "delayed"})
_REPLACE_WORDS = _INSERT_WORDS | {"into"}
_BEHIND_REPLACED = frozenset({"(", "values", "select", "set", "."})
_BEHIND_TARGET = frozenset({"values", "select", "partition", "subpartition", "with", "by", "set", "log", "table"})
_CONFLICT_WORDS = frozenset({"replace", "ignore", "abort", "fail", "rollback"})


class ChangeParser(TargetParser):
    """Reads statements that change rows."""

    def modifying(self, ctes: tree.With | None) -> tree.Statement | None:
        key = self.keys[self.i]
        start = ctes.start if ctes is not None else self.starts[self.i]
        if key == "insert":
            return self._insert(ctes, start)
        if key == "update" and self.peek() != "statistics":
            return self._update(ctes, start)
        if key == "delete":
            return self._delete(ctes, start)
        if key == "merge":
            return self._merge(ctes, start)
        if key == "replace" and (self.peek() in _REPLACE_WORDS or self.peek(2) in _BEHIND_REPLACED):
            return self._insert(ctes, start)
        return None

    def _top_rows(self) -> list[tree.Expression | tree.Sort]:
        if self.keys[self.i] == "top" and self.peek() == "(":
            return [self._top()]
        return []

    # --- insert --------------------------------------------------------------------------------------

    def _insert(self, ctes: tree.With | None, start: int) -> tree.Statement:
        self.i += 1
        while self.keys[self.i] in _INSERT_WORDS:
            self.i += 1
        if self.keys[self.i] == "or" and self.peek() in _CONFLICT_WORDS:
            self.i += 2
        self._top_rows()
        overwrite = self.take("overwrite")
        if self.keys[self.i] in ("all", "first"):
            return self._insert_many(start)
        if self.keys[self.i] in ("local", "directory"):
            return self._insert_directory(start)
        if not (self.take("into") or overwrite or self._bare_target()):
            self.expect("into")
        self.take("table")
        insert = self._insert_target(ctes, start)
        if self.keys[self.i] in ("exec", "execute"):
            self._to_end()
            return tree.Recognised(start, self.end_of_last(), "insert_execute")
        if self.take_words("default", "values"):
            pass
        elif self.keys[self.i] == "set":
            self.i += 1
            assignments = self._assignments()
            insert.columns = [name for assignment in assignments for name in assignment.columns]
            row = [assignment.value for assignment in assignments]
            values = tree.Values(row[0].start, row[-1].end, [row])
            insert.query = tree.Query(values.start, values.end, None, values, [], [])
        elif self.keys[self.i] == "output":
            self._output(insert)
            insert.query = None if self.take_words("default", "values") else self.query()
        else:
            insert.query = self.query()
        self._insert_tail(insert)
        return insert

    def _bare_target(self) -> bool:
        """Whether INTO may be left out: here another word than INTO names the table."""
        return not self.dialect.joins_need_condition and self.keys[self.i] not in ("into", "", ";")

    def _insert_target(self, ctes: tree.With | None, start: int) -> tree.Insert:
        insert = tree.Insert(start, 0, ctes, self.table_name(), None, None, None, None, [])
        # Here an alias needs AS: without it VALUES, SELECT or OVERRIDING could be taken for one.
        if self.keys[self.i] == "as":
            self.i += 1
            insert.alias = self.name("an alias")
        elif self.dialect.bare_calls and self._at_alias() and self.keys[self.i] not in _BEHIND_TARGET:
            insert.alias = self.name("an alias")
        if self.keys[self.i] == "partition":
            insert.partition = self._partition()
        if self.keys[self.i] == "with" and self.peek() == "(" and not self._is_query(self.i + 2):
            self.i += 1
            self.skip_parentheses()
        self.take_words("if", "not", "exists")
        if self.keys[self.i] == "(" and not self._is_query(self.i + 1):
            insert.columns = self._column_targets((insert.alias or insert.target.parts[-1],))
        if self.keys[self.i] == "partition":
            insert.partition = self._partition()
        self.take_words("with", "schema", "evolution")
        if self.take_words("by", "name"):
            insert.by_name = True
        else:
            self.take_words("by", "position")
        if self.keys[self.i] == "replace" and self.peek() in ("where", "using"):
            self.i += 1
            if self.take("where"):
                self.expression()
            else:
                self.i += 1
                self.names_in_parentheses()
        if self.take("overriding"):
            self.i += 2
        return insert

    def _partition(self) -> list[tuple[str, tree.Expression | None]]:
        """Read ``PARTITION (day = '…', port)``; a name without value is taken from the end of the query."""
        self.i += 1
        self.expect("(")
        found: list[tuple[str, tree.Expression | None]] = []
        while True:
            name = self.name("a column")
            found.append((name, self.expression() if self.take("=") else None))
            if not self.take(","):
                break
        self.expect(")")
        return found

    def _insert_tail(self, insert: tree.Insert) -> None:
        if self.keys[self.i] == "as":  # VALUES … AS new [(columns)], for ON DUPLICATE KEY
            self.i += 1
            alias = self.name("an alias")
            names = self.names_in_parentheses() if self.keys[self.i] == "(" else None
        else:
            alias, names = "", None
        if self.keys[self.i] == "on" and self.peek() == "duplicate":
            insert.conflict = self._duplicate(alias)
            insert.conflict.names = names
        while self.keys[self.i] == "on" and self.peek() == "conflict":
            insert.conflict = self._conflict()
        self._returning(insert)
        if self.take_words("log", "errors"):
            self._to_end()
        insert.end = self.end_of_last()

    def _insert_many(self, start: int) -> tree.Statement:
        """``INSERT ALL|FIRST [WHEN … THEN] INTO … [VALUES …] … query``."""
        self.i += 1
        branches: list[tuple[tree.Expression | None, tree.Insert]] = []
        condition: tree.Expression | None = None
        while self.keys[self.i] in ("when", "else", "into"):
            if self.take("when"):
                condition = self.expression()
                self.expect("then")
            elif self.take("else"):
                condition = None
            at = self.starts[self.i]
            self.expect("into")
            insert = self._insert_target(None, at)
            if self.take("values"):
                self.expect("(")
                row = self._value_row()
                self.expect(")")
                values = tree.Values(row[0].start, row[-1].end, [row])
                insert.query = tree.Query(values.start, values.end, None, values, [], [])
            insert.end = self.end_of_last()
            branches.append((condition, insert))
        if not branches:
            self.fail("INTO or WHEN")
        query = self.query()
        return tree.MultiInsert(start, query.end, query, branches)

    def _insert_directory(self, start: int) -> tree.Statement:
        self.take("local")
        self.expect("directory")
        first = self.i
        unnamed = tree.TableName(self.starts[first], self.ends[first], ("?",), True)
        target = self.table_name() if self.kinds[first] == STRING else unnamed
        while not self._is_query(self.i) and self.keys[self.i] not in ("", ";", "from"):
            self.i += 1
        query = self.query()
        return tree.Copy(start, query.end, "insert_overwrite_directory", target, None, query, [])

    def hive_inserts(self) -> tree.Statement | None:
        """``FROM source INSERT … SELECT … INSERT … SELECT …``: one source, read into several tables."""
        first = self.i
        start = self.starts[first]
        self.i += 1
        source = self.from_list()
        if self.keys[self.i] != "insert":
            self.i = first
            return None
        branches: list[tuple[tree.Expression | None, tree.Insert]] = []
        while self.keys[self.i] == "insert":
            at = self.starts[self.i]
            self.i += 1
            if not self.take("overwrite"):
                self.expect("into")
            self.take("table")
            insert = self._insert_target(None, at)
            query = self.query()
            assert isinstance(query.body, tree.Select)
            query.body.source = source
            insert.query = query
            insert.end = query.end
            branches.append((None, insert))
        empty = tree.Values(start, start, [])
        nothing = tree.Query(start, start, None, empty, [], [])
        return tree.MultiInsert(start, self.end_of_last(), nothing, branches)

    def _conflict(self) -> tree.Conflict:
        start = self.starts[self.i]
        self.i += 1
        self.expect("conflict")
        conflict = tree.Conflict(start, 0, [], [], None)
        if self.keys[self.i] == "(":
            self.i += 1
            while True:
                conflict.columns.append(self.expression())
                if self.kinds[self.i] == WORD:
                    self.qualified("an operator class")
                if not self.take(","):
                    break
            self.expect(")")
            if self.take("where"):
                self.expression()
        elif self.take("on"):
            self.expect("constraint")
            self.name("a constraint")
        self.expect("do")
        if not self.take("nothing"):
            self.expect("update")
            self.expect("set")
            conflict.assignments = self._assignments()
            if self.take("where"):
                conflict.where = self.expression()
        conflict.end = self.end_of_last()
        return conflict

    def _duplicate(self, alias: str) -> tree.Conflict:
        start = self.starts[self.i]
        self.i += 2
        self.expect("key")
        self.expect("update")
        conflict = tree.Conflict(start, 0, [], self._assignments(), None, alias or "values()")
        conflict.end = self.end_of_last()
        return conflict

    # --- update --------------------------------------------------------------------------------------

    def _where(self) -> tree.Expression | None:
        if not self.take("where"):
            return None
        if self.take_words("current", "of"):
            self.name("a cursor")
            return None
        return self.expression()

    def _row_limit(self) -> list[tree.Expression | tree.Sort]:
        """``ORDER BY … LIMIT …`` behind UPDATE and DELETE: which rows are changed after all."""
        found: list[tree.Expression | tree.Sort] = []
        if self.keys[self.i] == "order":
            found += self.order_by()
        if self.take("limit"):
            found.append(self.expression())
            if self.take("offset") or self.take(","):
                found.append(self.expression())
        if self.keys[self.i] == "option" and self.peek() == "(":
            self.i += 1
            self.skip_parentheses()
        return found

    def _update(self, ctes: tree.With | None, start: int) -> tree.Statement:
        self.i += 1
        while self.keys[self.i] in ("low_priority", "ignore"):
            self.i += 1
        if self.keys[self.i] == "or" and self.peek() in _CONFLICT_WORDS:
            self.i += 2
        limit = self._top_rows()
        items = self.from_list()
        self.expect("set")
        tables = tuple(name for item in items for name in _names(item))
        assignments = self._assignments(tables)
        found = tree.Update(start, 0, ctes, _first_table(items[0]), None, assignments, [], None, [])
        self._output(found)
        if self.take("from"):
            found.source = self.from_list()
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
        self._returning(found)
        limit += self._row_limit()
        found.limit = limit or None
        self._returning(found)
        found.end = self.end_of_last()
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
                if table.alias == name or (table.alias is None and table.table.parts[-1] == name and len(
                    found.source) == 1 and isinstance(item, tree.Join)):  # fmt: skip
                    found.alias = name
                    found.target = table.table
                    found.joined = True
                    return

    # --- delete --------------------------------------------------------------------------------------

    def _delete(self, ctes: tree.With | None, start: int) -> tree.Statement:
        self.i += 1
        while self.keys[self.i] in ("low_priority", "quick", "ignore"):
            self.i += 1
        limit = self._top_rows()
        joins: list[tree.FromItem] = []
        if self.keys[self.i] == "history" and self.peek() == "from":
            self.i += 1
        bare = not self.take("from")
        if bare and self.dialect.joins_need_condition:
            self.expect("from")
        targets: list[tuple[tree.TableName, str | None]]
        if self.keys[self.i] == "(":  # DELETE FROM (query): the rows of its table
            joins = [self._from_primary()]
            targets = [(_first_table(joins[0]), None)]
        else:
            targets = [self._delete_target()]
        while self.take(","):
            targets.append(self._delete_target())
        found = tree.Delete(start, 0, ctes, targets[0][0], targets[0][1], [], None, [], bool(joins))
        if bare or not self.dialect.joins_need_condition:
            self._output(found)
            if self.take("from"):
                joins = self.from_list()
        if self.take("using"):
            joins += self.from_list()
        found.source = joins
        found.more = [target for target, _ in targets[1:]] or None
        self._find_target(found)
        if found.more:
            found.more = [self._table_of(target, joins) for target in found.more]
        self._output(found)
        found.where = self._where()
        self._returning(found)
        limit += self._row_limit()
        found.limit = limit or None
        self._returning(found)
        found.end = self.end_of_last()
        return found

    def _delete_target(self) -> tuple[tree.TableName, str | None]:
        self.take("only")
        target = self.table_name()
        if self.keys[self.i] == "." and self.peek() == "*":
            self.i += 2
        self.take("*")
        self._hints()
        if self.keys[self.i] == "for" and self.peek() == "portion":
            portion = tree.TableSource(target.start, target.end, None, None, target)
            self._older_state(portion)
        if self.take_words("before", "system_time"):
            self.expression()
        alias = self._target_alias()
        self._hints()
        return target, alias

    @staticmethod
    def _table_of(target: tree.TableName, joins: list[tree.FromItem]) -> tree.TableName:
        for item in joins:
            for table in _tables(item):
                if _name_of(table) == target.parts[-1]:
                    return table.table
        return target

    # --- merge ---------------------------------------------------------------------------------------

    def _merge(self, ctes: tree.With | None, start: int) -> tree.Statement:
        self.i += 1
        self._top_rows()
        self.take_words("with", "schema", "evolution")
        if not self.take("into") and self.dialect.joins_need_condition:
            self.expect("into")
        self.take("only")
        target = self.table_name()
        self._hints()
        alias = self._target_alias()
        self.expect("using")
        source = self.from_item()
        self.expect("on")
        condition = self.expression()
        found = tree.Merge(start, 0, ctes, target, alias, source, condition, [], [])
        names = (alias or target.parts[-1], target.parts[-1])
        while self.keys[self.i] == "when":
            found.branches.append(self._merge_branch(names))
        if self.take_words("remove", "duplicates"):
            branch = tree.MergeBranch(
                self.starts[self.i - 2], self.end_of_last(), None, "replace", [], None, [], True
            )
            found.branches.append(branch)
        if not found.branches:
            self.fail("“WHEN”")
        self._output(found)
        self._returning(found)
        if self.keys[self.i] == "option" and self.peek() == "(":
            self.i += 1
            self.skip_parentheses()
        if self.keys[self.i] == "log":
            self._to_end()
        found.end = self.end_of_last()
        return found

    def _merge_branch(self, names: tuple[str, ...]) -> tree.MergeBranch:
        branch = tree.MergeBranch(self.starts[self.i], 0, None, "nothing", [], None, [])
        self.i += 1
        self.take("not")
        self.expect("matched")
        if self.take("by"):
            self.i += 1
        if self.take("and"):
            branch.condition = self.expression()
        self.expect("then")
        action = self.keys[self.i]
        if action not in ("update", "insert", "delete", "do"):
            self.fail("UPDATE, INSERT, DELETE or DO NOTHING")
        self.i += 1
        branch.action = "nothing" if action == "do" else action
        if action == "do":
            self.expect("nothing")
        elif action == "update":
            self._merge_update(branch, names)
        elif action == "insert":
            self._merge_insert(branch, names)
        wheres = []
        while self.keys[self.i] == "where" or (self.keys[self.i] == "delete" and self.peek() == "where"):
            self.i += 1 if self.keys[self.i] == "where" else 2
            wheres.append(self.expression())
        branch.where = wheres or None
        branch.end = self.end_of_last()
        return branch

    def _merge_update(self, branch: tree.MergeBranch, names: tuple[str, ...]) -> None:
        if self.take_words("by", "name") or self.keys[self.i] in ("when", "", ";", "returning"):
            branch.row = True
            return
        self.expect("set")
        if self.take("*") or self.take_words("all", "by", "name"):
            branch.row = True
        else:
            branch.assignments = self._assignments(names)

    def _merge_insert(self, branch: tree.MergeBranch, names: tuple[str, ...]) -> None:
        if (
            self.take("*")
            or self.take("row")
            or self.take_words("by", "name")
            or self.take_words("all", "by", "name")
        ):
            branch.row = True
            return
        if self.keys[self.i] == "(":
            branch.columns = self._column_targets(names)
        if self.take("overriding"):
            self.i += 2
        if self.take("row"):
            branch.row = True
        elif self.take("default"):
            self.expect("values")
        else:
            self.expect("values")
            self.expect("(")
            branch.values = self._value_row()
            self.expect(")")


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
