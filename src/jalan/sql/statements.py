"""The grammar of statements, and the reading of a whole script: a statement that cannot be read is reported
and stepped over, the others are still read."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import cache
from typing import ClassVar

from jalan.sql import tree
from jalan.sql.cursor import SqlSyntaxError
from jalan.sql.dialect import Dialect
from jalan.sql.dialects import get_dialect
from jalan.sql.lexer import END, OPERATOR, STRING, WORD, Lexer, Tokens
from jalan.sql.queries import QueryParser

# Statements without data flow of their own, by their first word. Two words name the kind where the first alone
# says too little (PostgreSQL manual, part VI, "SQL Commands").
_RECOGNISED = frozenset(
    """
    abort alter analyze begin call checkpoint close cluster comment commit copy create deallocate declare
    discard do drop end execute explain fetch grant import listen load lock move notify prepare reassign
    refresh reindex release reset revoke rollback savepoint security set show start unlisten vacuum
    """.split()
)
_TWO_WORDS = frozenset({"alter", "create", "drop", "refresh", "import", "reassign", "security"})
_KIND_FILLERS = frozenset(
    """
    or replace temp temporary unlogged global local if not exists unique constraint trusted procedural
    default concurrently
    """.split()
)


@dataclass(slots=True, eq=False)
class Unread:
    """A stretch of text that is no statement of this dialect: what is wrong, and where (``span``)."""

    start: int
    end: int
    code: str
    message: str
    span: tuple[int, int]


class StatementParser(QueryParser):
    """Reads statements."""

    def statements(self) -> Iterator[tree.Statement | Unread]:
        """Yield what the text holds, in order: statements, and what cannot be read. Never raises on bad SQL.

        One at a time, so that of a long script only the statement in hand is kept as a tree.
        """
        keys, kinds = self.keys, self.kinds
        while kinds[self.i] != END:
            if keys[self.i] == ";":
                self.i += 1
                continue
            first = self.i
            self.depth = 0
            found: tree.Statement | Unread
            try:
                found = self.statement()
                if keys[self.i] != ";" and kinds[self.i] != END:
                    self.fail("the end of the statement")
            except SqlSyntaxError as error:
                self._skip_statement(first)
                found = Unread(
                    self.starts[first], self.end_of_last(), error.code, str(error), (error.start, error.end)
                )
            yield found

    def _skip_statement(self, first: int) -> None:
        self.i = first
        while self.keys[self.i] != ";" and self.kinds[self.i] != END:
            self.i += 1

    def statement(self) -> tree.Statement:
        """Read one statement; raises SqlSyntaxError."""
        key = self.keys[self.i]
        start = self.starts[self.i]
        if key in ("select", "values", "table", "("):
            return self._query_statement(None, start)
        if key == "with":
            ctes = self.with_clause()
            return self.modifying(ctes) or self._query_statement(ctes, start)
        found = self.modifying(None)
        if found is None:
            handler = self._STATEMENTS.get(key)
            found = handler(self) if handler is not None else None
        if found is None:
            found = self._recognised()
        return found

    def _query_statement(self, ctes: tree.With | None, start: int) -> tree.Statement:
        query = self.query_body(ctes, start)
        body = query.body
        if isinstance(body, tree.Select) and body.into is not None:
            return tree.CreateTableAs(start, query.end, body.into, None, query, body.into_temporary)
        return tree.QueryStatement(start, query.end, query)

    def _recognised(self) -> tree.Statement:
        first = self.i
        if self.keys[first] not in _RECOGNISED:
            self.fail("a statement")
        words = [self.keys[first]]
        self.i += 1
        if words[0] in _TWO_WORDS:
            while self.keys[self.i] in _KIND_FILLERS:
                self.i += 1
            if self.kinds[self.i] == WORD:
                words.append(self.keys[self.i])
                if words[1] in ("materialized", "foreign", "event", "text", "access", "user", "default"):
                    words.append(self.peek())
        self._to_end()
        return tree.Recognised(self.starts[first], self.end_of_last(), "_".join(words))

    def _to_end(self) -> None:
        """Step to the end of the statement; the semicolons of a BEGIN ATOMIC body belong to it."""
        atomic = 0
        while self.kinds[self.i] != END:
            key = self.keys[self.i]
            if (key == "begin" and self.peek() == "atomic") or (atomic and key == "case"):
                atomic += 1
            elif atomic and key == "end":
                atomic -= 1
            elif key == ";" and not atomic:
                return
            self.i += 1

    # --- statements that change data -----------------------------------------------------------------

    def modifying(self, ctes: tree.With | None) -> tree.Statement | None:
        key = self.keys[self.i]
        start = ctes.start if ctes is not None else self.starts[self.i]
        if key == "insert":
            return self._insert(ctes, start)
        if key == "update":
            return self._update(ctes, start)
        if key == "delete":
            return self._delete(ctes, start)
        if key == "merge":
            return self._merge(ctes, start)
        return None

    def _target_alias(self) -> str | None:
        if self.take("as") or self._at_alias():
            return self.name("an alias")
        return None

    def _insert(self, ctes: tree.With | None, start: int) -> tree.Statement:
        self.i += 1
        self.expect("into")
        target = self.table_name()
        # Here an alias needs AS: without it VALUES, SELECT or OVERRIDING could be taken for one.
        alias = self.name("an alias") if self.take("as") else None
        columns = None
        if self.keys[self.i] == "(" and not self._is_query(self.i + 1):
            columns = self._column_targets()
        if self.take("overriding"):
            self.i += 2
        query = None
        if self.take("default"):
            self.expect("values")
        else:
            query = self.query()
        conflict = self._conflict() if self.keys[self.i] == "on" else None
        returning = self._returning()
        end = self.end_of_last()
        return tree.Insert(start, end, ctes, target, alias, columns, query, conflict, returning)

    def _column_targets(self) -> list[str]:
        """Read ``(a, b.field, c[1])``: the columns that are written."""
        self.expect("(")
        names = []
        while True:
            names.append(self._column_target())
            if not self.take(","):
                break
        self.expect(")")
        return names

    def _column_target(self) -> str:
        name = self.name("a column")
        while self.keys[self.i] in (".", "["):
            if self.take("."):
                self.name("a field")
            else:
                while not self.take("]"):
                    if self.kinds[self.i] == END:
                        self.fail("“]”")
                    self.i += 1
        return name

    def _conflict(self) -> tree.Conflict:
        start = self.starts[self.i]
        self.i += 1
        self.expect("conflict")
        conflict = tree.Conflict(start, 0, [], [], None)
        if self.keys[self.i] == "(":
            self.i += 1
            while True:
                conflict.columns.append(self.expression())
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

    def _assignments(self) -> list[tree.Assignment]:
        found = []
        while True:
            start = self.starts[self.i]
            if self.keys[self.i] == "(":
                columns = self._column_targets()
            else:
                columns = [self._column_target()]
            self.expect("=")
            if self.keys[self.i] == "default":
                i = self.i
                self.i += 1
                value: tree.Expression = tree.Literal(self.starts[i], self.ends[i], "")
            else:
                value = self.expression()
            found.append(tree.Assignment(start, self.end_of_last(), columns, value))
            if not self.take(","):
                return found

    def _returning(self) -> list[tree.Item]:
        return self.items() if self.take("returning") else []

    def _where(self) -> tree.Expression | None:
        if not self.take("where"):
            return None
        if self.take_words("current", "of"):
            self.name("a cursor")
            return None
        return self.expression()

    def _update(self, ctes: tree.With | None, start: int) -> tree.Statement:
        self.i += 1
        self.take("only")
        target = self.table_name()
        self.take("*")
        alias = self.name("an alias") if self.take("as") else None
        if alias is None and self.keys[self.i] != "set" and self._at_alias():
            alias = self.name()
        self.expect("set")
        assignments = self._assignments()
        source = self.from_list() if self.take("from") else []
        where = self._where()
        returning = self._returning()
        end = self.end_of_last()
        return tree.Update(start, end, ctes, target, alias, assignments, source, where, returning)

    def _delete(self, ctes: tree.With | None, start: int) -> tree.Statement:
        self.i += 1
        self.expect("from")
        self.take("only")
        target = self.table_name()
        self.take("*")
        alias = self._target_alias()
        source = self.from_list() if self.take("using") else []
        where = self._where()
        returning = self._returning()
        return tree.Delete(start, self.end_of_last(), ctes, target, alias, source, where, returning)

    def _merge(self, ctes: tree.With | None, start: int) -> tree.Statement:
        self.i += 1
        self.expect("into")
        self.take("only")
        target = self.table_name()
        alias = self._target_alias()
        self.expect("using")
        source = self.from_item()
        self.expect("on")
        condition = self.expression()
        branches = []
        while self.keys[self.i] == "when":
            branches.append(self._merge_branch())
        if not branches:
            self.fail("“WHEN”")
        end = self.end_of_last()
        return tree.Merge(start, end, ctes, target, alias, source, condition, branches)

    def _merge_branch(self) -> tree.MergeBranch:
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
            self.expect("set")
            branch.assignments = self._assignments()
        elif action == "insert":
            if self.keys[self.i] == "(":
                branch.columns = self._column_targets()
            if self.take("overriding"):
                self.i += 2
            if self.take("default"):
                self.expect("values")
            else:
                self.expect("values")
                self.expect("(")
                branch.values = self._value_row()
                self.expect(")")
        branch.end = self.end_of_last()
        return branch

    # --- definitions ---------------------------------------------------------------------------------

    def _create(self) -> tree.Statement | None:
        first = self.i
        start = self.starts[first]
        self.i += 1
        temporary = materialized = False
        while self.keys[self.i] in ("or", "replace", "temp", "temporary", "unlogged", "global", "local"):
            temporary = temporary or self.keys[self.i].startswith("temp")
            self.i += 1
        self.take("recursive")
        materialized = self.take("materialized")
        kind = self.keys[self.i]
        self.i += 1
        if kind == "view":
            return self._view(start, materialized, temporary)
        if kind == "table":
            return self._table(start, temporary)
        self.i = first
        return None

    def _if_not_exists(self) -> None:
        self.take_words("if", "not", "exists")

    def _options(self) -> None:
        if self.keys[self.i] == "with" and self.peek() == "(":
            self.i += 1
            self.skip_parentheses()
        if self.take_words("on", "commit"):
            self.i += 2 if self.peek() == "rows" else 1
        if self.take("tablespace"):
            self.name()

    def _view(self, start: int, materialized: bool, temporary: bool) -> tree.Statement:
        self._if_not_exists()
        target = self.table_name()
        columns = self.names_in_parentheses() if self.keys[self.i] == "(" else None
        if self.take("using"):
            self.name()
        self._options()
        self.expect("as")
        query = self.query()
        if self.take("with"):
            while self.keys[self.i] in ("cascaded", "local", "check", "option", "no", "data"):
                self.i += 1
        end = self.end_of_last()
        return tree.CreateView(start, end, target, columns, query, materialized, temporary)

    def _table(self, start: int, temporary: bool) -> tree.Statement:
        self._if_not_exists()
        target = self.table_name()
        if self.keys[self.i] == "(" and not self._has_definitions():
            columns: list[str] | None = self.names_in_parentheses()
        elif self.keys[self.i] == "(":
            return self._table_definition(start, target, temporary)
        else:
            columns = None
        if self.keys[self.i] in ("of", "partition"):
            self._to_end()
            return tree.CreateTable(start, self.end_of_last(), target, [], [], temporary)
        if self.take("using"):
            self.name()
        self._options()
        on_commit = self.take_words("on", "commit")
        if on_commit:
            self._to_end()
        self.expect("as")
        query = self.query()
        if self.take("with"):
            while self.keys[self.i] in ("no", "data"):
                self.i += 1
        return tree.CreateTableAs(start, self.end_of_last(), target, columns, query, temporary)

    def _has_definitions(self) -> bool:
        """Whether the parentheses behind CREATE TABLE t hold types, not only names for AS."""
        return self.keys[self.i + 2] not in (",", ")") or self.keys[self.i + 1] == ")"

    def _table_definition(self, start: int, target: tree.TableName, temporary: bool) -> tree.Statement:
        self.expect("(")
        columns: list[str] = []
        like: list[tree.TableName] = []
        constraints = ("constraint", "primary", "unique", "check", "foreign", "exclude")
        while self.keys[self.i] != ")":
            key = self.keys[self.i]
            if key == "like":
                self.i += 1
                like.append(self.table_name())
            elif key not in constraints or (self.kinds[self.i + 1] == WORD and key == "exclude"):
                columns.append(self.name("a column"))
                self.type_name()
            self._skip_to_comma()
            if not self.take(","):
                break
        self.expect(")")
        self._to_end()
        return tree.CreateTable(start, self.end_of_last(), target, columns, like, temporary)

    def _skip_to_comma(self) -> None:
        while self.keys[self.i] not in (",", ")"):
            if self.kinds[self.i] == END or self.keys[self.i] == ";":
                self.fail("“)”")
            if self.keys[self.i] == "(":
                self.skip_parentheses()
            else:
                self.i += 1

    def _drop(self) -> tree.Statement | None:
        first = self.i
        self.i += 1
        materialized = self.take("materialized")
        foreign = self.take("foreign")
        kind = self.keys[self.i]
        if kind not in ("table", "view"):
            self.i = first
            return None
        self.i += 1
        self.take_words("if", "exists")
        targets = [self.table_name()]
        while self.take(","):
            targets.append(self.table_name())
        if not self.take("cascade"):
            self.take("restrict")
        kind = "materialized_view" if materialized else "foreign_table" if foreign else kind
        return tree.Drop(self.starts[first], self.end_of_last(), kind, targets)

    def _truncate(self) -> tree.Statement:
        first = self.i
        self.i += 1
        self.take("table")
        targets = []
        while True:
            self.take("only")
            targets.append(self.table_name())
            self.take("*")
            if not self.take(","):
                break
        self._to_end()
        return tree.Truncate(self.starts[first], self.end_of_last(), targets)

    def _alter(self) -> tree.Statement | None:
        first = self.i
        self.i += 1
        materialized = self.take("materialized")
        self.take("foreign")
        kind = self.keys[self.i]
        if kind not in ("table", "view") or self.peek() == "all":
            self.i = first
            return None
        self.i += 1
        self.take_words("if", "exists")
        self.take("only")
        target = self.table_name()
        self.take("*")
        actions = []
        while self.keys[self.i] != ";" and self.kinds[self.i] != END:
            actions.append(self._alter_action())
            if not self.take(","):
                break
        kind = "materialized_view" if materialized else kind
        return tree.Alter(self.starts[first], self.end_of_last(), kind, target, actions)

    def _alter_action(self) -> tree.AlterAction:
        start = self.starts[self.i]
        action, old, new = "other", None, None
        if self.take_words("rename", "to"):
            action, new = "rename", self.name()
        elif self.take_words("set", "schema"):
            action, new = "set_schema", self.name()
        elif self.keys[self.i] == "rename" and self.peek() != "constraint":
            self.i += 1
            self.take("column")
            action, old = "rename_column", self.name("a column")
            self.expect("to")
            new = self.name("a column")
        elif self.keys[self.i] == "add" and self.peek() not in (
            "constraint", "primary", "unique", "check", "foreign", "exclude", "generated",
        ):  # fmt: skip
            self.i += 1
            self.take("column")
            self._if_not_exists()
            action, new = "add_column", self.name("a column")
        elif self.keys[self.i] == "drop" and self.peek() != "constraint":
            self.i += 1
            self.take("column")
            self.take_words("if", "exists")
            action, old = "drop_column", self.name("a column")
        while self.keys[self.i] not in (",", ";") and self.kinds[self.i] != END:
            if self.keys[self.i] == "(":
                self.skip_parentheses()
            else:
                self.i += 1
        return tree.AlterAction(start, self.end_of_last(), action, old, new)

    def _set(self) -> tree.Statement | None:
        first = self.i
        self.i += 1
        if not self.take("local"):
            self.take("session")
        if not self.take("search_path"):
            self.i = first
            return None
        if not self.take("to"):
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

    def _explain(self) -> tree.Statement:
        first = self.i
        self._to_end()
        return tree.Recognised(self.starts[first], self.end_of_last(), "explain")

    _STATEMENTS: ClassVar[dict[str, Callable[["StatementParser"], tree.Statement | None]]] = {
        "create": _create,
        "drop": _drop,
        "truncate": _truncate,
        "alter": _alter,
        "set": _set,
        "explain": _explain,
    }


@cache
def _lexer(dialect: str) -> Lexer:
    return Lexer(get_dialect(dialect))


def tokenize(text: str, dialect: Dialect) -> Tokens:
    """Return the tokens of the text in that dialect."""
    return _lexer(dialect.name).read(text)


def parse(text: str, dialect: Dialect) -> Iterator[tree.Statement | Unread]:
    """Read a script, statement by statement. Never raises on bad SQL."""
    return StatementParser(tokenize(text, dialect), dialect).statements()
