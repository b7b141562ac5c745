"""The grammar of the statements that make, change and drop tables, views and their kin, and of where names are
looked up."""

from jalan.sql import tree
from jalan.sql.grammar.calls import ANGLED_TYPES
from jalan.sql.lexer import END, LOCATION, OPERATOR, QUOTED, STRING, WORD
from jalan.sql.grammar.statements.copy import MoveParser

_CREATE_WORDS = frozenset(
    """
    or replace alter temp temporary unlogged global local transient volatile external foreign secure force noforce
    editionable noneditionable editioning iceberg hybrid snapshot private immutable live streaming managed virtual
    multiset set no definer algorithm sql security event ordinary invoker undefined merge temptable
    """.split()
)
_TEMPORARY = frozenset({"temp", "temporary", "volatile"})
_CONSTRAINTS = frozenset(
    """
    constraint primary unique check foreign exclude key index fulltext spatial period
    """.split()
)
_NO_COLUMN = frozenset(
    """
    constraint primary unique check foreign exclude generated index key fulltext partition partitions tag
    row search value values
    """.split()
)


class DefinitionParser(MoveParser):
    """Reads definitions."""

    def _create(self) -> tree.Statement | None:
        first = self.i
        start = self.starts[first]
        self.i += 1
        temporary = external = False
        while self.keys[self.i] in _CREATE_WORDS or (
            self.keys[self.i] == "refresh" and self.keys[self.i - 1] == "or"
        ):
            key = self.keys[self.i]
            temporary = temporary or key in _TEMPORARY
            external = external or key == "external"
            self.i += 1
            if self.take("="):
                self.i += 1  # ALGORITHM = MERGE, DEFINER = user
                while self.keys[self.i] in ("@", "%", "'") or self.written(self.i)[:1] == "@":
                    self.i += 1
        self.take("recursive")
        materialized = self.take("materialized")
        kind = self.keys[self.i]
        self.i += 1
        if kind == "view":
            return self._view(start, materialized, temporary)
        if kind == "table" and self.peek(0) != "function":
            return self._table(start, temporary, external)
        if kind == "dynamic" and self.take("table"):
            return self._view(start, True, False, "dynamic_table")
        if kind == "stream" and self._stream_ahead():
            return self._stream(start)
        if kind == "task" or kind == "pipe":
            return self._wrapped(start, kind)
        if kind == "alert":
            return self._wrapped(start, kind, "then")
        if self.keys[self.i - 2] == "event" and self.dialect.executed_comments:
            return self._wrapped(start, "event", "do")
        self.i = first
        return None

    def _replace(self) -> tree.Statement | None:
        """``REPLACE TABLE t …`` makes it anew."""
        return self._create() if self.peek() in ("table", "view") else None

    def _if_not_exists(self) -> None:
        self.take_words("if", "not", "exists")

    def _options(self) -> list[str]:
        """Step over what stands between a name and its query: storage, keys, places, comments; returns the columns
        that PARTITIONED BY adds."""
        added: list[str] = []
        while self.keys[self.i] not in ("", ";"):
            key = self.keys[self.i]
            if key == "as" and (self._starts_query(self.i + 1) or self.keys[self.i + 1] in ("with", "materialize")):
                return added
            if key == "as" and self.kinds[self.i + 1] in (STRING, WORD) and self.keys[self.i + 1] == "'":
                return added
            if key in ("like", "clone", "copy") and self.kinds[self.i + 1] in (WORD, QUOTED):
                if self.peek() != "grants":
                    return added
            if key == "shallow" or key == "deep":
                self.i += 1
                return added
            if key in ("select", "with") and (key == "select" or self._with_query()):
                return added
            if key == "(":
                if self.keys[self.i - 2] == "partitioned" and self.kinds[self.i + 2] == WORD:
                    added += self._table_definition()[0]
                else:
                    self.skip_parentheses()
            else:
                self.i += 1
        return added

    def _with_query(self) -> bool:
        """Whether the WITH that stands here begins a query: a name, maybe with columns, and AS."""
        i = self.i + 1
        if self.keys[i] == "recursive":
            i += 1
        if self.kinds[i] not in (WORD, QUOTED) or self.keys[i] in ("schemabinding", "encryption", "view_metadata"):
            return False
        if self.keys[i + 1] == "(":
            i = self._behind_parentheses(i + 1) - 1
        return self.keys[i + 1] == "as"

    def _behind_parentheses(self, i: int) -> int:
        """The token behind the parentheses that open at token ``i``, or the end."""
        open_ = 0
        while self.kinds[i] != END and self.keys[i] != ";":
            open_ += {"(": 1, ")": -1}.get(self.keys[i], 0)
            i += 1
            if not open_:
                break
        return i

    def _view(self, start: int, materialized: bool, temporary: bool, kind: str = "view") -> tree.Statement:
        first = self.i - 2  # before VIEW
        self._if_not_exists()
        target = self.table_name()
        columns = self._view_columns() if self.keys[self.i] == "(" else None
        first_option = self.i
        self._options()
        if self.keys[first_option] == "using" and self.keys[self.i] in (";", ""):
            location = self._location_option(first_option)  # a view of files
            end = self.end_of_last()
            return tree.CreateTable(start, end, target, columns or [], [], temporary, None, location)
        self.expect("as")
        query = self.query()
        if self.keys[first] == "recursive":
            query = _recursive(target, columns or [], query)
        if self.take("with"):
            while self.keys[self.i] in ("cascaded", "local", "check", "option", "no", "data", "read", "only",
                                        "schema", "binding"):  # fmt: skip
                self.i += 1
            if self.take("constraint"):
                self.name("a constraint")
        end = self.end_of_last()
        return tree.CreateView(start, end, target, columns, query, materialized, temporary, kind)

    def _view_columns(self) -> list[str] | None:
        """Read the names of a view's columns, stepping over comments, types and tags."""
        self.expect("(")
        names = []
        while True:
            if self.keys[self.i] in ("constraint", "primary", "unique", "index", "foreign"):
                self._skip_to_comma()
            else:
                names.append(self.name("a column"))
                self._skip_to_comma()
            if not self.take(","):
                break
        self.expect(")")
        return names or None

    def _table(self, start: int, temporary: bool, external: bool) -> tree.Statement:
        self._if_not_exists()
        target = self.table_name()
        temporary = temporary or target.parts[-1].startswith("#")
        columns: list[str] = []
        like: list[tree.TableName] = []
        names: list[str] | None = None
        if self.keys[self.i] == "(":
            if self._is_query(self.i + 1):
                pass
            elif self._has_definitions():
                columns, like = self._table_definition()
            else:
                names = self.names_in_parentheses()
        first_option = self.i
        if not self._is_query(self.i) or (self.keys[self.i] == "with" and not self._with_query()):
            columns += self._options()
        clone = location = None
        key = self.keys[self.i]
        if key == "like":
            self.i += 1
            like.append(self.table_name())
            self._to_end()
        elif key in ("clone", "copy"):
            self.i += 1
            clone = self.table_name()
            self._to_end()
        elif key == "as" and self.peek() == "'":
            self._to_end()
        elif key == "as" or self._is_query(self.i):
            self.take("as")
            query = self.query()
            if self.keys[self.i] == "with" and self.peek() in ("no", "data"):
                self.i += 1
                while self.keys[self.i] in ("no", "data"):
                    self.i += 1
            if self.keys[self.i] == "on" and self.peek() == "commit":
                self._to_end()
            given = names or columns or None
            return tree.CreateTableAs(start, self.end_of_last(), target, given, query, temporary)
        if external:
            location = self._location_option(first_option)
        end = self.end_of_last()
        columns = columns or names or []
        return tree.CreateTable(start, end, target, columns, like, temporary, clone, location)

    def _location_option(self, first: int) -> tree.TableName | None:
        """The files that an external table shows: ``LOCATION '…'``, ``LOCATION = @stage``, ``uris = ['…']``."""
        for i in range(first, self.i):
            if self.keys[i] in ("location", "uris", "data_source", "path"):
                for j in range(i + 1, min(i + 4, self.i)):
                    if self.kinds[j] == STRING:
                        return tree.TableName(self.starts[j], self.ends[j], (self.written(j)[1:-1],), True)
                    if self.kinds[j] == LOCATION:
                        return tree.TableName(self.starts[j], self.ends[j], (self.written(j),), True)
        return None

    def _has_definitions(self) -> bool:
        """Whether the parentheses behind CREATE TABLE t hold types, not only names for AS."""
        i = self.i + 1
        while self.kinds[i] in (WORD, QUOTED) and self.keys[i + 1] == ",":
            i += 2
        return self.kinds[i] not in (WORD, QUOTED) or self.keys[i + 1] != ")"

    def _table_definition(self) -> tuple[list[str], list[tree.TableName]]:
        self.expect("(")
        columns: list[str] = []
        like: list[tree.TableName] = []
        while self.keys[self.i] != ")":
            key = self.keys[self.i]
            if key == "like" and self.kinds[self.i + 1] in (WORD, QUOTED):
                self.i += 1
                like.append(self.table_name())
            elif key not in _CONSTRAINTS or (self.kinds[self.i + 1] == WORD and key in ("exclude", "period")):
                columns.append(self.name("a column"))
                # SQLite's columns may have no type, and a computed one (c AS …) has none either.
                if self.keys[self.i] not in (",", ")", "as", "generated", "primary", "default", "not", "unique"):
                    self.type_name()
            elif key in ("key", "index") and self.kinds[self.i + 1] == WORD and self.peek(2) not in ("(", "using"):
                columns.append(self.name("a column"))
                self.type_name()
            self._skip_to_comma()
            if not self.take(","):
                break
        self.expect(")")
        return columns, like

    def _skip_to_comma(self) -> None:
        while self.keys[self.i] not in (",", ")"):
            if self.kinds[self.i] == END or self.keys[self.i] == ";":
                self.fail("“)”")
            if self.keys[self.i] == "(":
                self.skip_parentheses()
            elif self.keys[self.i][:1] == "<" and self.keys[self.i - 1] in ANGLED_TYPES:
                self.skip_angles()
            else:
                self.i += 1

    def _stream_ahead(self) -> bool:
        return any(self.keys[i] == "on" for i in range(self.i, min(self.i + 12, len(self.keys))))

    def _stream(self, start: int) -> tree.Statement:
        """``CREATE STREAM s ON TABLE t``: the changes of a table, read like a table with the same columns."""
        self._if_not_exists()
        target = self.table_name()
        while not self.take("on"):
            self.i += 1
        while self.keys[self.i] in ("external", "dynamic", "event"):
            self.i += 1
        self.i += 1  # TABLE, VIEW, STAGE
        name = self.table_name()
        source = tree.TableSource(name.start, name.end, None, None, name)
        body = self._select_star(name.start, source)
        query = tree.Query(name.start, name.end, None, body, [], [])
        self._to_end()
        return tree.CreateView(start, self.end_of_last(), target, None, query, False, False, "stream")

    def _wrapped(self, start: int, kind: str, opening: str = "as") -> tree.Statement | None:
        while self.keys[self.i] not in (opening, "", ";"):
            if self.keys[self.i] == "(":
                self.skip_parentheses()
            else:
                self.i += 1
        if not self.take(opening):
            return tree.Recognised(start, self.end_of_last(), f"create_{kind}")
        body = self.statement()
        return tree.Wrapped(start, body.end, f"create_{kind}", body)

    def statement(self) -> tree.Statement:
        """Read one statement; raises SqlSyntaxError."""
        raise NotImplementedError

    # --- drop, truncate, rename ----------------------------------------------------------------------

    def _drop(self) -> tree.Statement | None:
        first = self.i
        self.i += 1
        temporary = self.take("temporary") or self.take("external") or self.take("dynamic")
        materialized = self.take("materialized")
        foreign = self.take("foreign")
        kind = self.keys[self.i]
        if kind not in ("table", "view", "stream") or (temporary and kind not in ("table", "view")):
            self.i = first
            return None
        self.i += 1
        self.take_words("if", "exists")
        targets = [self.table_name()]
        while self.take(","):
            targets.append(self.table_name())
        while self.keys[self.i] in ("cascade", "restrict", "purge", "constraints"):
            self.i += 1
        kind = "materialized_view" if materialized else "foreign_table" if foreign else kind
        return tree.Drop(self.starts[first], self.end_of_last(), kind, targets)

    def _truncate(self) -> tree.Statement:
        first = self.i
        self.i += 1
        self.take("table")
        self.take_words("if", "exists")
        targets = []
        while True:
            self.take("only")
            targets.append(self.table_name())
            self.take("*")
            if not self.take(","):
                break
        self._to_end()
        return tree.Truncate(self.starts[first], self.end_of_last(), targets)

    def _rename(self) -> tree.Statement | None:
        first = self.i
        self.i += 1
        if not (self.take("table") or self.take("tables")):
            if self.kinds[self.i] not in (WORD, QUOTED) or self.peek() not in ("to", "."):
                self.i = first
                return None
        pairs = []
        while True:
            old = self.table_name()
            self.expect("to")
            new = self.table_name()
            if len(new.parts) < len(old.parts):
                new = tree.TableName(new.start, new.end, (*old.parts[:-1], new.parts[-1]))
            pairs.append((old, new))
            if not self.take(","):
                break
        return tree.RenameTables(self.starts[first], self.end_of_last(), pairs)

    # --- alter ---------------------------------------------------------------------------------------

    def _alter(self) -> tree.Statement | None:
        first = self.i
        self.i += 1
        while self.keys[self.i] in ("foreign", "external", "dynamic", "iceberg"):
            self.i += 1
        while self.keys[self.i] in ("algorithm", "definer", "sql") and self.peek() in ("=", "security"):
            self.i += 3
        materialized = self.take("materialized")
        kind = self.keys[self.i]
        if kind not in ("table", "view") or self.peek() == "all":
            self.i = first
            return None
        self.i += 1
        self.take_words("if", "exists")
        self.take("only")
        target = self.table_name()
        self.take("*")
        if kind == "view":
            view = self._alter_view(first, target, materialized)
            if view is not None:
                return view
        if self.keys[self.i] == "partition" and self.peek() == "(" and self.peek(2) != ")":
            self.i += 1
            self.skip_parentheses()
        actions = []
        while self.keys[self.i] != ";" and self.kinds[self.i] != END:
            actions.append(self._alter_action(target))
            if not self.take(","):
                break
        kind = "materialized_view" if materialized else kind
        return tree.Alter(self.starts[first], self.end_of_last(), kind, target, actions)

    def _alter_view(self, first: int, target: tree.TableName, materialized: bool) -> tree.Statement | None:
        """``ALTER VIEW v [(columns)] AS query`` gives a view another definition."""
        at = self.i
        columns = self._view_columns() if self.keys[self.i] == "(" else None
        if self.keys[self.i] == "with" and self.peek() in ("schemabinding", "encryption", "view_metadata"):
            self.i += 2
        if self.keys[self.i] == "as" and self._starts_query(self.i + 1):
            self.i += 1
            query = self.query()
            return tree.CreateView(
                self.starts[first], self.end_of_last(), target, columns, query, materialized, False, "alter_view"
            )
        self.i = at
        return None

    def _alter_action(self, target: tree.TableName) -> tree.AlterAction:
        start = self.starts[self.i]
        found = tree.AlterAction(start, 0, "other", None, None)
        key, after = self.keys[self.i], self.peek()
        if key == "rename" and after in ("to", "as"):
            self.i += 2
            found.action, found.table = "rename", self.table_name()
            found.new = found.table.parts[-1]
        elif key == "rename" and after not in ("constraint", "index", "key", "partition", "column", "columns"):
            self.i += 1
            if self.kinds[self.i] in (WORD, QUOTED) and self.peek() in ("to", "as"):
                self._rename_column(found)
            elif self.kinds[self.i] in (WORD, QUOTED):
                found.action, found.table = "rename", self.table_name()
                found.new = found.table.parts[-1]
        elif key == "rename" and after == "column":
            self.i += 2
            self.take_words("if", "exists")
            self._rename_column(found)
        elif key == "set" and after == "schema":
            self.i += 2
            found.action, found.new = "set_schema", self.name()
        elif key == "swap" and after == "with":
            self.i += 2
            found.action, found.table = "swap", self.table_name()
        elif key == "exchange" or key == "switch":
            self._exchange(found, key)
        elif (key == "attach" and after == "partition") or (key == "append" and after == "from"):
            self.i += 2
            found.action, found.table = "attach", self.table_name()
        elif key == "add" and after not in _NO_COLUMN:
            self._add_columns(found)
        elif key == "replace" and after == "columns":
            self.i += 2
            found.action, (found.columns, _) = "replace_columns", self._table_definition()
        elif key == "drop" and after not in _NO_COLUMN:
            self._drop_columns(found)
        elif key == "change":
            self.i += 1
            self.take("column")
            found.old = self.name("a column")
            found.action, found.new = "rename_column", self.name("a column")
        while self.keys[self.i] not in (",", ";") and self.kinds[self.i] != END:
            if self.keys[self.i] == "(":
                self.skip_parentheses()
            else:
                self.i += 1
        found.end = self.end_of_last()
        return found

    def _rename_column(self, found: tree.AlterAction) -> None:
        found.action, found.old = "rename_column", self.name("a column")
        if not self.take("as"):
            self.expect("to")
        found.new = self.name("a column")

    def _exchange(self, found: tree.AlterAction, key: str) -> None:
        """``EXCHANGE PARTITION p WITH TABLE t``, ``SWITCH [PARTITION n] TO t``."""
        self.i += 1
        while self.keys[self.i] not in ("with", "to", "", ";"):
            if self.keys[self.i] == "(":
                self.skip_parentheses()
            else:
                self.i += 1
        if self.keys[self.i] in ("with", "to"):
            self.i += 1
            self.take("table")
            found.action, found.table = ("exchange" if key == "exchange" else "switch"), self.table_name()

    def _add_columns(self, found: tree.AlterAction) -> None:
        self.i += 1
        if not self.take("column"):
            self.take("columns")
        self._if_not_exists()
        found.action = "add_column"
        if self.keys[self.i] == "(":
            found.columns, _ = self._table_definition()
            found.new = found.columns[0] if found.columns else None
            return
        found.new = self.name("a column")
        found.columns = [found.new]

    def _drop_columns(self, found: tree.AlterAction) -> None:
        self.i += 1
        if not self.take("column"):
            self.take("columns")
        self.take_words("if", "exists")
        found.action = "drop_column"
        if self.keys[self.i] == "(":
            found.columns = self.names_in_parentheses()
            found.old = found.columns[0]
            return
        found.old = self.name("a column")
        found.columns = [found.old]

    # --- where names are looked up -------------------------------------------------------------------

    def _set(self) -> tree.Statement | None:
        first = self.i
        self.i += 1
        if not self.take("local"):
            self.take("session")
        if self.keys[self.i] == "schema" and self.dialect.default_schemas == ("public",):
            self.i += 1
            if not self.take("="):
                self.take("to")
        elif not self.take("search_path"):
            self.i = first
            return None
        elif not self.take("to"):
            self.expect("=")
        schemas = []
        while self.keys[self.i] != ";" and self.kinds[self.i] != END:
            if self.kinds[self.i] == STRING:
                text = self.written(self.i)[1:-1]
                schemas += [part.strip().strip('"') for part in text.split(",")]
                self.i += 1
            elif self.kinds[self.i] == OPERATOR:
                self.i += 1
            else:
                schemas.append(self.name("a schema"))
        return tree.SetSearchPath(self.starts[first], self.end_of_last(), schemas)

    def _use(self) -> tree.Statement | None:
        """``USE [SCHEMA|DATABASE|CATALOG] name``; a role or a warehouse is not where names are looked up."""
        first = self.i
        self.i += 1
        kind = self.keys[self.i]
        if kind in ("role", "warehouse", "secondary"):
            self.i = first
            return None
        if kind in ("schema", "database", "catalog", "namespace") and self.kinds[self.i + 1] in (WORD, QUOTED):
            self.i += 1
        parts = self.table_name().parts
        if kind in ("database", "catalog"):
            parts = (*parts, "")
        return tree.Use(self.starts[first], self.end_of_last(), parts)


def _recursive(target: tree.TableName, columns: list[str], query: tree.Query) -> tree.Query:
    """What a recursive view stands for: a query that reads its own rows under the view's name."""
    start, end = query.start, query.end
    name = target.parts[-1]
    cte = tree.Cte(start, end, name, columns, query, [])
    place = (target.start, target.end)
    items = [tree.Item(*place, tree.Column(*place, (column,)), None) for column in columns]
    body = tree.Select(start, end, None, items, None, False, [], None, [], None, {})
    body.source = [tree.TableSource(*place, None, None, tree.TableName(*place, (name,)))]
    return tree.Query(start, end, tree.With(start, end, True, [cte]), body, [], [])
