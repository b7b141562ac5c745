"""The grammar of variables: declarations, cursors, handlers, assignments."""

from jalan.sql import tree
from jalan.sql.grammar.statements.ddl import DefinitionParser
from jalan.sql.lexer import END, PARAMETER, QUOTED, WORD

_MEMBERS = frozenset({"member", "static", "constructor", "map", "order", "final", "overriding"})
_BEHIND_MEMBER = _MEMBERS | {"function", "procedure"}
_SCOPES = frozenset({"global", "session", "local", "persist", "persist_only", "variable", "var"})


class VariableParser(DefinitionParser):
    """Reads what declares and sets variables."""

    def _block_rest(self, found: tree.Block) -> None:
        raise NotImplementedError

    def _at_assignment(self) -> bool:
        i = self.i + 1
        element = False
        while True:
            if self.keys[i] == "." and self.kinds[i + 1] in (WORD, QUOTED):
                i += 2
            elif self.keys[i] == "[":
                while self.keys[i] not in ("]", "", ";"):
                    i += 1
                i += 1
            elif self.keys[i] == "(" and self.dialect.bare_calls:
                i = self._behind_parentheses(i)
                element = True  # or IF (a) = b THEN
            else:
                break
        equals = self.keys[i] == "=" and not element
        return self.keys[i] == ":=" or (equals and self.keys[self.i] not in self._reserved)

    def _assignment(self) -> tree.Statement:
        start = self.starts[self.i]
        if self.kinds[self.i] == PARAMETER:  # :new.fare := …
            self.i += 1
            name = self.written(self.i - 1)[1:]
        else:
            name = self.name("a variable")
        element = False
        while self.keys[self.i] not in (":=", "="):
            if self.take("."):
                name = f"{name}.{self.name('a field')}"
            elif self.keys[self.i] == "(":
                self.skip_parentheses()
                element = True
            else:
                self.i += 1
                element = True
        self.i += 1
        value = self._value()
        return tree.Assign(start, self.end_of_last(), [name], value, element)

    def _value(self) -> tree.Expression:
        """Read the value of an assignment; PL/pgSQL allows FROM and WHERE behind it."""
        start = self.starts[self.i]
        at = self.i
        value = self.expression()
        if self.keys[self.i] in ("from", "where"):
            self.i = at
            select = tree.Select(start, 0, None, self.items(), None, False, [], None, [], None, {})
            if self.take("from"):
                select.source = self.from_list()
            self._clauses(select)
            select.end = self.end_of_last()
            query = tree.Query(start, select.end, None, select, [], [])
            value = tree.ScalarQuery(start, select.end, query)
        return value

    def _set_variable(self) -> tree.Statement | None:
        first = self.i
        self.i += 1
        if self.keys[self.i] == "(":
            names = self.names_in_parentheses()
        elif self._variable_scope() or self.kinds[self.i] == PARAMETER or (
            self.kinds[self.i] == WORD and self.keys[self.i + 1] in ("=", ":=", "+=", "-=", "*=", "/=")
        ):  # fmt: skip
            names = [self.string_or_name("a variable")]
        else:
            self.i = first
            return None
        operator = self.keys[self.i]
        if operator not in ("=", ":=", "+=", "-=", "*=", "/="):
            self.i = first
            return None
        self.i += 1
        if self.keys[self.i] == "cursor":
            self.i += 2
            query = self.query()
            return tree.Declare(self.starts[first], self.end_of_last(), names, None, query, None)
        if self.kinds[self.i] == WORD and self.keys[self.i] in ("on", "off") and self.keys[self.i + 1] in (";", ""):
            self.i = first
            return None
        value = self._set_value()
        if operator[0] in "+-*/":
            before = tree.Column(value.start, value.end, (names[0],))
            value = tree.Binary(value.start, value.end, operator[0], before, value)
        while self.take(","):
            self._variable_scope()
            self.string_or_name("a variable")
            self.i += 1
            value = tree.Binary(value.start, value.end, ",", value, self._set_value())
        return tree.Assign(self.starts[first], self.end_of_last(), names, value)

    def _variable_scope(self) -> bool:
        """Step over GLOBAL, SESSION and the like before a variable."""
        if self.keys[self.i] in _SCOPES and self.kinds[self.i + 1] == WORD and self.keys[self.i + 2] in ("=", ":="):
            self.i += 1
            return True
        return False

    def _set_value(self) -> tree.Expression:
        """Read a value, or the word DEFAULT and its like that some variables take."""
        i = self.i
        if self.keys[i] in ("default", "on", "off", "all", "binary") and self.keys[i + 1] in (",", ";", ""):
            self.i += 1
            return tree.Literal(self.starts[i], self.ends[i], "")
        return self.expression()

    def _declare(self) -> tree.Statement | None:
        first = self.i
        start = self.starts[first]
        self.i += 1
        if self.dialect.variables:
            return self._declare_variables(start)
        if self.dialect.single_declarations:
            if self.peek() == "handler":
                return self._handler(start)
            return self._declare_one(start)
        self.in_block += 1
        found = tree.Block(start, 0, self._declarations("begin"), [])
        self.in_block -= 1
        self.expect("begin")
        self._block_rest(found)
        return found

    def _handler(self, start: int) -> tree.Statement:
        """``DECLARE CONTINUE HANDLER FOR condition statement``: it may run, so its statement counts."""
        while not self.take("for"):
            if self.kinds[self.i] == END:
                self.fail("“FOR”")
            self.i += 1
        while self.keys[self.i] in (
            "not",
            "found",
            "sqlexception",
            "sqlwarning",
            "sqlstate",
            "value",
            "'",
            "0",
            ",",
        ):
            self.i += 1
        body = self.statement()
        return tree.Block(start, self.end_of_last(), [], [], [body])

    def _declare_one(self, start: int) -> tree.Declare:
        names = [self.name("a variable")]
        while self.take(","):
            names.append(self.name("a variable"))
        found = tree.Declare(start, 0, names, None, None, None)
        if self.keys[self.i] == "condition":
            self._to_end()
        if self.keys[self.i] not in ("default", ":=", "=", ";"):
            if self.keys[self.i] in ("cursor", "resultset") or self.peek() == "for":
                while self.keys[self.i] not in ("for", "default", ":=", ";", ""):
                    self.i += 1
                if self.take("for"):
                    if self._is_query(self.i):
                        found.query = self.query()
                    elif self.kinds[self.i] in (WORD, QUOTED):
                        found.over = self.name("a result set")
                    found.end = self.end_of_last()
                    return found
            else:
                self.take("constant")
                self.take("in") or self.take("out") or self.take("inout")
                found.type, found.rowtype = self._declared_type()
        while self.keys[self.i] not in ("default", ":=", "=", ";", ""):
            self.i += 1
        if self.keys[self.i] in ("default", ":=", "="):
            self.i += 1
            found.value = self._value()
        found.end = self.end_of_last()
        return found

    def _declared_type(self) -> tuple[tuple[str, ...], bool]:
        """Read the type of a variable; returns its name, and whether it is that of a table's or cursor's rows."""
        i = self.i
        parts: list[str] = []
        while self.kinds[i] in (WORD, QUOTED):
            parts.append(self._spelled(self.written(i)) if self.kinds[i] == WORD else self.written(i)[1:-1])
            if self.keys[i + 1] != ".":
                break
            i += 2
        rowtype = self.keys[i + 1] == "%" and self.keys[i + 2] == "rowtype"
        self.type_name()
        return tuple(parts), rowtype

    def _cursor_parameters(self) -> list[str]:
        """Read ``(day date, port varchar2 DEFAULT 'x')`` for the names."""
        if self.peek() == ")":
            self.skip_parentheses()
            return []
        return self.names_with_types("a parameter")

    def _type_declaration(self) -> tree.Statement:
        """``TYPE t IS RECORD (a …, b …)``, ``TYPE t IS TABLE OF u``, ``TYPE t IS REF CURSOR``."""
        start = self.starts[self.i]
        self.i += 1
        found = tree.DeclareType(start, 0, self.name("a type"), [])
        if not self.take("is"):
            self.expect("as")
        if self.take("record"):
            found.fields, _ = self._table_definition()
        elif self.keys[self.i] in ("table", "varray", "varying"):
            while self.keys[self.i] not in ("of", ";", ""):
                if self.keys[self.i] == "(":
                    self.skip_parentheses()
                else:
                    self.i += 1
            if self.take("of"):
                found.element, found.rowtype = self._declared_type()
        self._to_end()
        found.end = self.end_of_last()
        return found

    def _declarations(self, *stops: str) -> list[tree.Statement]:
        """Read declarations up to one of these words."""
        found: list[tree.Statement] = []
        while self.keys[self.i] and self.keys[self.i] not in stops:
            if not self.take(";"):
                found.append(self._declaration())
        return found

    def _declaration(self) -> tree.Statement:
        start = self.starts[self.i]
        while self.keys[self.i] in _MEMBERS and self.keys[self.i + 1] in _BEHIND_MEMBER:
            self.i += 1
        if self.keys[self.i] in ("function", "procedure") and self.kinds[self.i + 1] in (WORD, QUOTED):
            return self.local_routine()
        if self.keys[self.i] == "type" and self.peek(2) in ("is", "as"):
            return self._type_declaration()
        if self.keys[self.i] in ("pragma", "exception", "type", "subtype"):
            self._to_end()
            return tree.Recognised(start, self.end_of_last(), "declare")
        if self.keys[self.i] == "cursor":  # PL/SQL: CURSOR name [(…)] IS query
            self.i += 1
            name = self.name("a cursor")
            parameters = self._cursor_parameters() if self.keys[self.i] == "(" else None
            if self.take("return"):
                self._declared_type()
            if self.keys[self.i] == ";":
                return tree.Recognised(start, self.end_of_last(), "declare")
            self.i += 1
            query = self.query()
            found = tree.Declare(start, self.end_of_last(), [name], None, query, None)
            found.parameters = parameters
            return found
        if self.peek() in ("cursor", "scroll", "no") or (self.peek() == "alias" and self.peek(2) == "for"):
            name = self.name("a variable")
            parameters = None
            while self.keys[self.i] not in ("for", "is", ";", ""):
                if self.keys[self.i] == "(":
                    parameters = self._cursor_parameters()
                else:
                    self.i += 1
            self.i += 1
            cursor = self.query() if self._is_query(self.i) else None
            over = self.name() if cursor is None and self.kinds[self.i] in (WORD, QUOTED) else None
            self._to_end()
            declared = tree.Declare(start, self.end_of_last(), [name], None, cursor, None, over)
            declared.parameters = parameters
            return declared
        return self._declare_one(start)

    def _declare_variables(self, start: int) -> tree.Statement:
        """T-SQL: ``DECLARE @a int = 1, @t TABLE (…)``, ``DECLARE c CURSOR FOR query``."""
        found: list[tree.Statement] = []
        while True:
            at = self.starts[self.i]
            name = self.name("a variable")
            self.take("as")
            declared = tree.Declare(at, 0, [name], None, None, None)
            if self.keys[self.i] == "table":
                self.i += 1
                declared.columns, _ = self._table_definition()
            elif not name.startswith("@"):
                while self.keys[self.i] not in ("for", ";", ""):
                    self.i += 1
                self.expect("for")
                declared.query = self.query()
            else:
                self.type_name()
                if self.take("="):
                    declared.value = self.expression()
            declared.end = self.end_of_last()
            found.append(declared)
            if not self.take(","):
                break
        if len(found) == 1:
            found[0].start = start
            return found[0]
        return tree.Block(start, self.end_of_last(), found, [])

    def _let(self) -> tree.Statement | None:
        if self.kinds[self.i + 1] not in (WORD, QUOTED):
            return None
        start = self.starts[self.i]
        self.i += 1
        return self._declare_one(start)
