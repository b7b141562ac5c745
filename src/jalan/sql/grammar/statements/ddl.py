"""The grammar of the statements that make, change and drop tables, views and their kin, and of where names are
looked up."""

from jalan.sql import tree
from jalan.sql.grammar.calls import ANGLED_TYPES
from jalan.sql.grammar.part import GrammarPart
from jalan.sql.grammar.statements.registry import register
from jalan.sql.lexer import END, LOCATION, QUOTED, STRING, WORD

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


class DdlGrammar(GrammarPart):
    """Reads definitions."""

    def create(self) -> tree.StatementNode | None:
        tokens = self.tokens
        first = tokens.i
        start = tokens.starts[first]
        tokens.i += 1
        temporary = external = False
        while tokens.keys[tokens.i] in _CREATE_WORDS or (
            tokens.keys[tokens.i] == "refresh" and tokens.keys[tokens.i - 1] == "or"
        ):
            key = tokens.keys[tokens.i]
            temporary = temporary or key in _TEMPORARY
            external = external or key == "external"
            tokens.i += 1
            if tokens.take("="):
                tokens.i += 1  # ALGORITHM = MERGE, DEFINER = user
                while tokens.keys[tokens.i] in ("@", "%", "'") or tokens.written(tokens.i)[:1] == "@":
                    tokens.i += 1
        tokens.take("recursive")
        materialized = tokens.take("materialized")
        kind = tokens.keys[tokens.i]
        tokens.i += 1
        if kind == "view":
            return self._view(start, materialized, temporary)
        if kind == "table" and tokens.peek(0) != "function":
            return self._table(start, temporary, external)
        if kind == "dynamic" and tokens.take("table"):
            return self._view(start, True, False, "dynamic_table")
        if kind == "stream" and self._stream_ahead():
            return self._stream(start)
        if kind == "task" or kind == "pipe":
            return self._wrapped(start, kind)
        if kind == "alert":
            return self._wrapped(start, kind, "then")
        if tokens.keys[tokens.i - 2] == "event" and self.dialect.events:
            return self._wrapped(start, "event", "do")
        tokens.i = first
        return None

    def replace(self) -> tree.StatementNode | None:
        """``REPLACE TABLE t …`` makes it anew."""
        return self.create() if self.tokens.peek() in ("table", "view") else None

    def if_not_exists(self) -> None:
        self.tokens.take_words("if", "not", "exists")

    def _options(self) -> list[str]:
        """Step over what stands between a name and its query: storage, keys, places, comments; returns the columns
        that PARTITIONED BY adds."""
        tokens = self.tokens
        added: list[str] = []
        while tokens.keys[tokens.i] not in ("", ";"):
            key = tokens.keys[tokens.i]
            if key == "as" and (
                self.grammar.table_refs.starts_query(tokens.i + 1)
                or tokens.keys[tokens.i + 1] in ("with", "materialize")
            ):
                return added
            if key == "as" and tokens.kinds[tokens.i + 1] in (STRING, WORD) and tokens.keys[tokens.i + 1] == "'":
                return added
            if key in ("like", "clone", "copy") and tokens.kinds[tokens.i + 1] in (WORD, QUOTED):
                if tokens.peek() != "grants":
                    return added
            if key == "shallow" or key == "deep":
                tokens.i += 1
                return added
            if key in ("select", "with") and (key == "select" or self._with_query()):
                return added
            if key == "(":
                if tokens.keys[tokens.i - 2] == "partitioned" and tokens.kinds[tokens.i + 2] == WORD:
                    added += self.table_definition()[0]
                else:
                    tokens.skip_parentheses()
            else:
                tokens.i += 1
        return added

    def _with_query(self) -> bool:
        """Whether the WITH that stands here begins a query: a name, maybe with columns, and AS."""
        tokens = self.tokens
        i = tokens.i + 1
        if tokens.keys[i] == "recursive":
            i += 1
        if tokens.kinds[i] not in (WORD, QUOTED) or tokens.keys[i] in (
            "schemabinding",
            "encryption",
            "view_metadata",
        ):
            return False
        if tokens.keys[i + 1] == "(":
            i = self.behind_parentheses(i + 1) - 1
        return tokens.keys[i + 1] == "as"

    def behind_parentheses(self, i: int) -> int:
        """The token behind the parentheses that open at token ``i``, or the end."""
        tokens = self.tokens
        open_ = 0
        while tokens.kinds[i] != END and tokens.keys[i] != ";":
            open_ += {"(": 1, ")": -1}.get(tokens.keys[i], 0)
            i += 1
            if not open_:
                break
        return i

    def _view(self, start: int, materialized: bool, temporary: bool, kind: str = "view") -> tree.StatementNode:
        tokens = self.tokens
        first = tokens.i - 2  # before VIEW
        self.if_not_exists()
        target = self.grammar.tables.table_name()
        columns = self._view_columns() if tokens.keys[tokens.i] == "(" else None
        first_option = tokens.i
        self._options()
        if tokens.keys[first_option] == "using" and tokens.keys[tokens.i] in (";", ""):
            location = self._location_option(first_option)  # a view of files
            end = tokens.end_of_last()
            return tree.CreateTable(start, end, target, columns or [], [], temporary, None, location)
        tokens.expect("as")
        query = self.grammar.queries.query()
        if tokens.keys[first] == "recursive":
            query = _recursive(target, columns or [], query)
        if tokens.take("with"):
            while tokens.keys[tokens.i] in (
                "cascaded",
                "local",
                "check",
                "option",
                "no",
                "data",
                "read",
                "only",
                "schema",
                "binding",
            ):
                tokens.i += 1
            if tokens.take("constraint"):
                tokens.name("a constraint")
        end = tokens.end_of_last()
        return tree.CreateView(start, end, target, columns, query, materialized, temporary, kind)

    def _view_columns(self) -> list[str] | None:
        """Read the names of a view's columns, stepping over comments, types and tags."""
        tokens = self.tokens
        tokens.expect("(")
        names = []
        while True:
            if tokens.keys[tokens.i] in ("constraint", "primary", "unique", "index", "foreign"):
                self._skip_to_comma()
            else:
                names.append(tokens.name("a column"))
                self._skip_to_comma()
            if not tokens.take(","):
                break
        tokens.expect(")")
        return names or None

    def _table(self, start: int, temporary: bool, external: bool) -> tree.StatementNode:
        grammar = self.grammar
        tokens = self.tokens
        self.if_not_exists()
        target = grammar.tables.table_name()
        temporary = temporary or target.parts[-1].startswith("#")
        columns: list[str] = []
        like: list[tree.TableName] = []
        names: list[str] | None = None
        if tokens.keys[tokens.i] == "(":
            if grammar.expressions.is_query(tokens.i + 1):
                pass
            elif self._has_definitions():
                columns, like = self.table_definition()
            else:
                names = tokens.names_in_parentheses()
        first_option = tokens.i
        if not grammar.expressions.is_query(tokens.i) or (
            tokens.keys[tokens.i] == "with" and not self._with_query()
        ):
            columns += self._options()
        clone = location = None
        key = tokens.keys[tokens.i]
        if key == "like":
            tokens.i += 1
            like.append(grammar.tables.table_name())
            tokens.to_end()
        elif key in ("clone", "copy"):
            tokens.i += 1
            clone = grammar.tables.table_name()
            tokens.to_end()
        elif key == "as" and tokens.peek() == "'":
            tokens.to_end()
        elif key == "as" or grammar.expressions.is_query(tokens.i):
            tokens.take("as")
            query = grammar.queries.query()
            if tokens.keys[tokens.i] == "with" and tokens.peek() in ("no", "data"):
                tokens.i += 1
                while tokens.keys[tokens.i] in ("no", "data"):
                    tokens.i += 1
            if tokens.keys[tokens.i] == "on" and tokens.peek() == "commit":
                tokens.to_end()
            given = names or columns or None
            return tree.CreateTableAs(start, tokens.end_of_last(), target, given, query, temporary)
        if external:
            location = self._location_option(first_option)
        end = tokens.end_of_last()
        columns = columns or names or []
        return tree.CreateTable(start, end, target, columns, like, temporary, clone, location)

    def _location_option(self, first: int) -> tree.TableName | None:
        """The files that an external table shows: ``LOCATION '…'``, ``LOCATION = @stage``, ``uris = ['…']``."""
        tokens = self.tokens
        for i in range(first, tokens.i):
            if tokens.keys[i] in ("location", "uris", "data_source", "path"):
                for j in range(i + 1, min(i + 4, tokens.i)):
                    if tokens.kinds[j] == STRING:
                        return tree.TableName(tokens.starts[j], tokens.ends[j], (tokens.written(j)[1:-1],), True)
                    if tokens.kinds[j] == LOCATION:
                        return tree.TableName(tokens.starts[j], tokens.ends[j], (tokens.written(j),), True)
        return None

    def _has_definitions(self) -> bool:
        """Whether the parentheses behind CREATE TABLE t hold types, not only names for AS."""
        tokens = self.tokens
        i = tokens.i + 1
        while tokens.kinds[i] in (WORD, QUOTED) and tokens.keys[i + 1] == ",":
            i += 2
        return tokens.kinds[i] not in (WORD, QUOTED) or tokens.keys[i + 1] != ")"

    def table_definition(self) -> tuple[list[str], list[tree.TableName]]:
        grammar = self.grammar
        tokens = self.tokens
        tokens.expect("(")
        columns: list[str] = []
        like: list[tree.TableName] = []
        while tokens.keys[tokens.i] != ")":
            key = tokens.keys[tokens.i]
            if key == "like" and tokens.kinds[tokens.i + 1] in (WORD, QUOTED):
                tokens.i += 1
                like.append(grammar.tables.table_name())
            elif key not in _CONSTRAINTS or (tokens.kinds[tokens.i + 1] == WORD and key in ("exclude", "period")):
                columns.append(tokens.name("a column"))
                # SQLite's columns may have no type, and a computed one (c AS …) has none either.
                if tokens.keys[tokens.i] not in (
                    ",",
                    ")",
                    "as",
                    "generated",
                    "primary",
                    "default",
                    "not",
                    "unique",
                ):
                    grammar.calls.type_name()
            elif (
                key in ("key", "index")
                and tokens.kinds[tokens.i + 1] == WORD
                and tokens.peek(2) not in ("(", "using")
            ):
                columns.append(tokens.name("a column"))
                grammar.calls.type_name()
            self._skip_to_comma()
            if not tokens.take(","):
                break
        tokens.expect(")")
        return columns, like

    def _skip_to_comma(self) -> None:
        tokens = self.tokens
        while tokens.keys[tokens.i] not in (",", ")"):
            if tokens.kinds[tokens.i] == END or tokens.keys[tokens.i] == ";":
                tokens.fail("“)”")
            if tokens.keys[tokens.i] == "(":
                tokens.skip_parentheses()
            elif tokens.keys[tokens.i][:1] == "<" and tokens.keys[tokens.i - 1] in ANGLED_TYPES:
                self.grammar.calls.skip_angles()
            else:
                tokens.i += 1

    def _stream_ahead(self) -> bool:
        tokens = self.tokens
        return any(tokens.keys[i] == "on" for i in range(tokens.i, min(tokens.i + 12, len(tokens.keys))))

    def _stream(self, start: int) -> tree.StatementNode:
        """``CREATE STREAM s ON TABLE t``: the changes of a table, read like a table with the same columns."""
        grammar = self.grammar
        tokens = self.tokens
        self.if_not_exists()
        target = grammar.tables.table_name()
        while not tokens.take("on"):
            tokens.i += 1
        while tokens.keys[tokens.i] in ("external", "dynamic", "event"):
            tokens.i += 1
        tokens.i += 1  # TABLE, VIEW, STAGE
        name = grammar.tables.table_name()
        source = tree.TableSource(name.start, name.end, None, None, name)
        body = grammar.queries.select_star(name.start, source)
        query = tree.Query(name.start, name.end, None, body, [], [])
        tokens.to_end()
        return tree.CreateView(start, tokens.end_of_last(), target, None, query, False, False, "stream")

    def _wrapped(self, start: int, kind: str, opening: str = "as") -> tree.StatementNode | None:
        tokens = self.tokens
        while tokens.keys[tokens.i] not in (opening, "", ";"):
            if tokens.keys[tokens.i] == "(":
                tokens.skip_parentheses()
            else:
                tokens.i += 1
        if not tokens.take(opening):
            return tree.Recognised(start, tokens.end_of_last(), f"create_{kind}")
        body = self.grammar.statements.statement()
        return tree.Wrapped(start, body.end, f"create_{kind}", body)

    # --- drop, truncate, rename ----------------------------------------------------------------------

    def drop(self) -> tree.StatementNode | None:
        tokens = self.tokens
        first = tokens.i
        tokens.i += 1
        temporary = tokens.take("temporary") or tokens.take("external") or tokens.take("dynamic")
        materialized = tokens.take("materialized")
        foreign = tokens.take("foreign")
        kind = tokens.keys[tokens.i]
        if kind not in ("table", "view", "stream") or (temporary and kind not in ("table", "view")):
            tokens.i = first
            return None
        tokens.i += 1
        tokens.take_words("if", "exists")
        targets = [self.grammar.tables.table_name()]
        while tokens.take(","):
            targets.append(self.grammar.tables.table_name())
        while tokens.keys[tokens.i] in ("cascade", "restrict", "purge", "constraints"):
            tokens.i += 1
        kind = "materialized_view" if materialized else "foreign_table" if foreign else kind
        return tree.Drop(tokens.starts[first], tokens.end_of_last(), kind, targets)

    def truncate(self) -> tree.StatementNode:
        tokens = self.tokens
        first = tokens.i
        tokens.i += 1
        tokens.take("table")
        tokens.take_words("if", "exists")
        targets = []
        while True:
            tokens.take("only")
            targets.append(self.grammar.tables.table_name())
            tokens.take("*")
            if not tokens.take(","):
                break
        self.tokens.to_end()
        return tree.Truncate(tokens.starts[first], tokens.end_of_last(), targets)

    def rename(self) -> tree.StatementNode | None:
        tokens = self.tokens
        first = tokens.i
        tokens.i += 1
        if not (tokens.take("table") or tokens.take("tables")):
            if tokens.kinds[tokens.i] not in (WORD, QUOTED) or tokens.peek() not in ("to", "."):
                tokens.i = first
                return None
        pairs = []
        while True:
            old = self.grammar.tables.table_name()
            tokens.expect("to")
            new = self.grammar.tables.table_name()
            if len(new.parts) < len(old.parts):
                new = tree.TableName(new.start, new.end, (*old.parts[:-1], new.parts[-1]))
            pairs.append((old, new))
            if not tokens.take(","):
                break
        return tree.RenameTables(tokens.starts[first], tokens.end_of_last(), pairs)

    # --- alter ---------------------------------------------------------------------------------------

    def alter(self) -> tree.StatementNode | None:
        tokens = self.tokens
        first = tokens.i
        tokens.i += 1
        while tokens.keys[tokens.i] in ("foreign", "external", "dynamic", "iceberg"):
            tokens.i += 1
        while tokens.keys[tokens.i] in ("algorithm", "definer", "sql") and tokens.peek() in ("=", "security"):
            tokens.i += 3
        materialized = tokens.take("materialized")
        kind = tokens.keys[tokens.i]
        if kind not in ("table", "view") or tokens.peek() == "all":
            tokens.i = first
            return None
        tokens.i += 1
        tokens.take_words("if", "exists")
        tokens.take("only")
        target = self.grammar.tables.table_name()
        tokens.take("*")
        if kind == "view":
            view = self._alter_view(first, target, materialized)
            if view is not None:
                return view
        if tokens.keys[tokens.i] == "partition" and tokens.peek() == "(" and tokens.peek(2) != ")":
            tokens.i += 1
            tokens.skip_parentheses()
        actions = []
        while tokens.keys[tokens.i] != ";" and tokens.kinds[tokens.i] != END:
            actions.append(self._alter_action(target))
            if not tokens.take(","):
                break
        kind = "materialized_view" if materialized else kind
        return tree.Alter(tokens.starts[first], tokens.end_of_last(), kind, target, actions)

    def _alter_view(self, first: int, target: tree.TableName, materialized: bool) -> tree.StatementNode | None:
        """``ALTER VIEW v [(columns)] AS query`` gives a view another definition."""
        tokens = self.tokens
        at = tokens.i
        columns = self._view_columns() if tokens.keys[tokens.i] == "(" else None
        if tokens.keys[tokens.i] == "with" and tokens.peek() in ("schemabinding", "encryption", "view_metadata"):
            tokens.i += 2
        if tokens.keys[tokens.i] == "as" and self.grammar.table_refs.starts_query(tokens.i + 1):
            tokens.i += 1
            query = self.grammar.queries.query()
            return tree.CreateView(
                tokens.starts[first],
                tokens.end_of_last(),
                target,
                columns,
                query,
                materialized,
                False,
                "alter_view",
            )
        tokens.i = at
        return None

    def _alter_action(self, target: tree.TableName) -> tree.AlterAction:
        grammar = self.grammar
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        found = tree.AlterAction(start, 0, "other", None, None)
        key, after = tokens.keys[tokens.i], tokens.peek()
        if key == "rename" and after in ("to", "as"):
            tokens.i += 2
            found.action, found.table = "rename", grammar.tables.table_name()
            found.new = found.table.parts[-1]
        elif key == "rename" and after not in ("constraint", "index", "key", "partition", "column", "columns"):
            tokens.i += 1
            if tokens.kinds[tokens.i] in (WORD, QUOTED) and tokens.peek() in ("to", "as"):
                self._rename_column(found)
            elif tokens.kinds[tokens.i] in (WORD, QUOTED):
                found.action, found.table = "rename", grammar.tables.table_name()
                found.new = found.table.parts[-1]
        elif key == "rename" and after == "column":
            tokens.i += 2
            tokens.take_words("if", "exists")
            self._rename_column(found)
        elif key == "set" and after == "schema":
            tokens.i += 2
            found.action, found.new = "set_schema", tokens.name()
        elif key == "swap" and after == "with":
            tokens.i += 2
            found.action, found.table = "swap", grammar.tables.table_name()
        elif key == "exchange" or key == "switch":
            self._exchange(found, key)
        elif (key == "attach" and after == "partition") or (key == "append" and after == "from"):
            tokens.i += 2
            found.action, found.table = "attach", grammar.tables.table_name()
        elif key == "add" and after not in _NO_COLUMN:
            self._add_columns(found)
        elif key == "replace" and after == "columns":
            tokens.i += 2
            found.action, (found.columns, _) = "replace_columns", self.table_definition()
        elif key == "drop" and after not in _NO_COLUMN:
            self._drop_columns(found)
        elif key == "change":
            tokens.i += 1
            tokens.take("column")
            found.old = tokens.name("a column")
            found.action, found.new = "rename_column", tokens.name("a column")
        while tokens.keys[tokens.i] not in (",", ";") and tokens.kinds[tokens.i] != END:
            if tokens.keys[tokens.i] == "(":
                tokens.skip_parentheses()
            else:
                tokens.i += 1
        found.end = tokens.end_of_last()
        return found

    def _rename_column(self, found: tree.AlterAction) -> None:
        tokens = self.tokens
        found.action, found.old = "rename_column", tokens.name("a column")
        if not tokens.take("as"):
            tokens.expect("to")
        found.new = tokens.name("a column")

    def _exchange(self, found: tree.AlterAction, key: str) -> None:
        """``EXCHANGE PARTITION p WITH TABLE t``, ``SWITCH [PARTITION n] TO t``."""
        tokens = self.tokens
        tokens.i += 1
        while tokens.keys[tokens.i] not in ("with", "to", "", ";"):
            if tokens.keys[tokens.i] == "(":
                tokens.skip_parentheses()
            else:
                tokens.i += 1
        if tokens.keys[tokens.i] in ("with", "to"):
            tokens.i += 1
            tokens.take("table")
            found.action, found.table = (
                ("exchange" if key == "exchange" else "switch"),
                self.grammar.tables.table_name(),
            )

    def _add_columns(self, found: tree.AlterAction) -> None:
        tokens = self.tokens
        tokens.i += 1
        if not tokens.take("column"):
            tokens.take("columns")
        self.if_not_exists()
        found.action = "add_column"
        if tokens.keys[tokens.i] == "(":
            found.columns, _ = self.table_definition()
            found.new = found.columns[0] if found.columns else None
            return
        found.new = tokens.name("a column")
        found.columns = [found.new]

    def _drop_columns(self, found: tree.AlterAction) -> None:
        tokens = self.tokens
        tokens.i += 1
        if not tokens.take("column"):
            tokens.take("columns")
        tokens.take_words("if", "exists")
        found.action = "drop_column"
        if tokens.keys[tokens.i] == "(":
            found.columns = tokens.names_in_parentheses()
            found.old = found.columns[0]
            return
        found.old = tokens.name("a column")
        found.columns = [found.old]


def _recursive(target: tree.TableName, columns: list[str], query: tree.Query) -> tree.Query:
    """What a recursive view stands for: a query that reads its own rows under the view's name."""
    start, end = query.start, query.end
    name = target.parts[-1]
    cte = tree.Cte(start, end, name, columns, query, [])
    place = (target.start, target.end)
    items = [tree.SelectItem(*place, tree.Column(*place, (column,)), None) for column in columns]
    body = tree.Select(start, end, None, items, None, False, [], None, [], None, {})
    body.source = [tree.TableSource(*place, None, None, tree.TableName(*place, (name,)))]
    return tree.Query(start, end, tree.With(start, end, True, [cte]), body, [], [])


register(
    {
        "create": lambda grammar: grammar.ddl.create(),
        "drop": lambda grammar: grammar.ddl.drop(),
        "truncate": lambda grammar: grammar.ddl.truncate(),
        "alter": lambda grammar: grammar.ddl.alter(),
        "rename": lambda grammar: grammar.ddl.rename(),
        "replace": lambda grammar: grammar.ddl.replace(),
    }
)
