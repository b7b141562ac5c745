"""The grammar of variables: declarations, cursors, handlers, assignments."""

from jalan.sql import tree
from jalan.sql.grammar.part import GrammarPart
from jalan.sql.lexer import END, PARAMETER, QUOTED, WORD

_MEMBERS = frozenset({"member", "static", "constructor", "map", "order", "final", "overriding"})
_BEHIND_MEMBER = _MEMBERS | {"function", "procedure"}
_SCOPES = frozenset({"global", "session", "local", "persist", "persist_only", "variable", "var"})


class VariableGrammar(GrammarPart):
    """Reads what declares and sets variables."""

    def at_assignment(self) -> bool:
        tokens = self.tokens
        i = tokens.i + 1
        element = False
        while True:
            if tokens.keys[i] == "." and tokens.kinds[i + 1] in (WORD, QUOTED):
                i += 2
            elif tokens.keys[i] == "[":
                while tokens.keys[i] not in ("]", "", ";"):
                    i += 1
                i += 1
            elif tokens.keys[i] == "(" and self.dialect.collections:
                i = self.grammar.ddl.behind_parentheses(i)
                element = True  # or IF (a) = b THEN
            else:
                break
        equals = tokens.keys[i] == "=" and not element
        return tokens.keys[i] == ":=" or (equals and tokens.keys[tokens.i] not in tokens.reserved)

    def assignment(self) -> tree.StatementNode:
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        if tokens.kinds[tokens.i] == PARAMETER:  # :new.fare := …
            tokens.i += 1
            name = tokens.written(tokens.i - 1)[1:]
        else:
            name = tokens.name("a variable")
        element = False
        while tokens.keys[tokens.i] not in (":=", "="):
            if tokens.take("."):
                name = f"{name}.{tokens.name('a field')}"
            elif tokens.keys[tokens.i] == "(":
                tokens.skip_parentheses()
                element = True
            else:
                tokens.i += 1
                element = True
        tokens.i += 1
        value = self.value()
        return tree.Assign(start, tokens.end_of_last(), [name], value, element)

    def value(self) -> tree.Expression:
        """Read the value of an assignment; PL/pgSQL allows FROM and WHERE behind it."""
        grammar = self.grammar
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        at = tokens.i
        value = grammar.expressions.expression()
        if tokens.keys[tokens.i] in ("from", "where"):
            tokens.i = at
            select = tree.Select(start, 0, None, grammar.select_list.items(), None, False, [], None, [], None, {})
            if tokens.take("from"):
                select.source = grammar.table_refs.from_list()
            grammar.selects.clauses(select)
            select.end = tokens.end_of_last()
            query = tree.Query(start, select.end, None, select, [], [])
            value = tree.ScalarQuery(start, select.end, query)
        return value

    def set_variable(self) -> tree.StatementNode | None:
        grammar = self.grammar
        tokens = self.tokens
        first = tokens.i
        tokens.i += 1
        if tokens.keys[tokens.i] == "(":
            names = tokens.names_in_parentheses()
        elif (
            self._variable_scope()
            or tokens.kinds[tokens.i] == PARAMETER
            or (tokens.kinds[tokens.i] == WORD and tokens.keys[tokens.i + 1] in ("=", ":=", "+=", "-=", "*=", "/="))
        ):
            names = [grammar.select_list.string_or_name("a variable")]
        else:
            tokens.i = first
            return None
        operator = tokens.keys[tokens.i]
        if operator not in ("=", ":=", "+=", "-=", "*=", "/="):
            tokens.i = first
            return None
        tokens.i += 1
        if tokens.keys[tokens.i] == "cursor":
            tokens.i += 2
            query = grammar.queries.query()
            return tree.Declare(tokens.starts[first], tokens.end_of_last(), names, None, query, None)
        if (
            tokens.kinds[tokens.i] == WORD
            and tokens.keys[tokens.i] in ("on", "off")
            and tokens.keys[tokens.i + 1] in (";", "")
        ):
            tokens.i = first
            return None
        value = self._set_value()
        if operator[0] in "+-*/":
            before = tree.Column(value.start, value.end, (names[0],))
            value = tree.Binary(value.start, value.end, operator[0], before, value)
        while tokens.take(","):
            self._variable_scope()
            grammar.select_list.string_or_name("a variable")
            tokens.i += 1
            value = tree.Binary(value.start, value.end, ",", value, self._set_value())
        return tree.Assign(tokens.starts[first], tokens.end_of_last(), names, value)

    def _variable_scope(self) -> bool:
        """Step over GLOBAL, SESSION and the like before a variable."""
        tokens = self.tokens
        if (
            tokens.keys[tokens.i] in _SCOPES
            and tokens.kinds[tokens.i + 1] == WORD
            and tokens.keys[tokens.i + 2] in ("=", ":=")
        ):
            tokens.i += 1
            return True
        return False

    def _set_value(self) -> tree.Expression:
        """Read a value, or the word DEFAULT and its like that some variables take."""
        tokens = self.tokens
        i = tokens.i
        if tokens.keys[i] in ("default", "on", "off", "all", "binary") and tokens.keys[i + 1] in (",", ";", ""):
            tokens.i += 1
            return tree.Literal(tokens.starts[i], tokens.ends[i], "")
        return self.grammar.expressions.expression()

    def declare(self) -> tree.StatementNode | None:
        tokens = self.tokens
        first = tokens.i
        start = tokens.starts[first]
        tokens.i += 1
        if self.dialect.variables:
            return self._declare_variables(start)
        if self.dialect.single_declarations:
            if tokens.peek() == "handler":
                return self._handler(start)
            return self._declare_one(start)
        tokens.in_block += 1
        found = tree.Block(start, 0, self.declarations("begin"), [])
        tokens.in_block -= 1
        tokens.expect("begin")
        self.grammar.blocks.block_rest(found)
        return found

    def _handler(self, start: int) -> tree.StatementNode:
        """``DECLARE CONTINUE HANDLER FOR condition statement``: it may run, so its statement counts."""
        tokens = self.tokens
        while not tokens.take("for"):
            if tokens.kinds[tokens.i] == END:
                tokens.fail("“FOR”")
            tokens.i += 1
        while tokens.keys[tokens.i] in (
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
            tokens.i += 1
        body = self.grammar.statements.statement()
        return tree.Block(start, tokens.end_of_last(), [], [], [body])

    def _declare_one(self, start: int) -> tree.Declare:
        grammar = self.grammar
        tokens = self.tokens
        names = [tokens.name("a variable")]
        while tokens.take(","):
            names.append(tokens.name("a variable"))
        found = tree.Declare(start, 0, names, None, None, None)
        if tokens.keys[tokens.i] == "condition":
            tokens.to_end()
        if tokens.keys[tokens.i] not in ("default", ":=", "=", ";"):
            if tokens.keys[tokens.i] in ("cursor", "resultset") or tokens.peek() == "for":
                while tokens.keys[tokens.i] not in ("for", "default", ":=", ";", ""):
                    tokens.i += 1
                if tokens.take("for"):
                    if grammar.expressions.is_query(tokens.i):
                        found.query = grammar.queries.query()
                    elif tokens.kinds[tokens.i] in (WORD, QUOTED):
                        found.over = tokens.name("a result set")
                    found.end = tokens.end_of_last()
                    return found
            else:
                tokens.take("constant")
                tokens.take("in") or tokens.take("out") or tokens.take("inout")
                found.type, found.rowtype = self._declared_type()
        while tokens.keys[tokens.i] not in ("default", ":=", "=", ";", ""):
            tokens.i += 1
        if tokens.keys[tokens.i] in ("default", ":=", "="):
            tokens.i += 1
            found.value = self.value()
        found.end = tokens.end_of_last()
        return found

    def _declared_type(self) -> tuple[tuple[str, ...], bool]:
        """Read the type of a variable; returns its name, and whether it is that of a table's or cursor's rows."""
        tokens = self.tokens
        i = tokens.i
        parts: list[str] = []
        while tokens.kinds[i] in (WORD, QUOTED):
            parts.append(tokens.spelled(tokens.written(i)) if tokens.kinds[i] == WORD else tokens.written(i)[1:-1])
            if tokens.keys[i + 1] != ".":
                break
            i += 2
        rowtype = tokens.keys[i + 1] == "%" and tokens.keys[i + 2] == "rowtype"
        self.grammar.calls.type_name()
        return tuple(parts), rowtype

    def _cursor_parameters(self) -> list[str]:
        """Read ``(day date, port varchar2 DEFAULT 'x')`` for the names."""
        if self.tokens.peek() == ")":
            self.tokens.skip_parentheses()
            return []
        return self.grammar.table_refs.names_with_types("a parameter")

    def _type_declaration(self) -> tree.StatementNode:
        """``TYPE t IS RECORD (a …, b …)``, ``TYPE t IS TABLE OF u``, ``TYPE t IS REF CURSOR``."""
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        tokens.i += 1
        found = tree.DeclareType(start, 0, tokens.name("a type"), [])
        if not tokens.take("is"):
            tokens.expect("as")
        if tokens.take("record"):
            found.fields, _ = self.grammar.ddl.table_definition()
        elif tokens.keys[tokens.i] in ("table", "varray", "varying"):
            while tokens.keys[tokens.i] not in ("of", ";", ""):
                if tokens.keys[tokens.i] == "(":
                    tokens.skip_parentheses()
                else:
                    tokens.i += 1
            if tokens.take("of"):
                found.element, found.rowtype = self._declared_type()
        self.tokens.to_end()
        found.end = tokens.end_of_last()
        return found

    def declarations(self, *stops: str) -> list[tree.StatementNode]:
        """Read declarations up to one of these words."""
        tokens = self.tokens
        found: list[tree.StatementNode] = []
        while tokens.keys[tokens.i] and tokens.keys[tokens.i] not in stops:
            if not tokens.take(";"):
                found.append(self.declaration())
        return found

    def declaration(self) -> tree.StatementNode:
        grammar = self.grammar
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        while tokens.keys[tokens.i] in _MEMBERS and tokens.keys[tokens.i + 1] in _BEHIND_MEMBER:
            tokens.i += 1
        if tokens.keys[tokens.i] in ("function", "procedure") and tokens.kinds[tokens.i + 1] in (WORD, QUOTED):
            return grammar.routines.local_routine()
        if tokens.keys[tokens.i] == "type" and tokens.peek(2) in ("is", "as"):
            return self._type_declaration()
        if tokens.keys[tokens.i] in ("pragma", "exception", "type", "subtype"):
            tokens.to_end()
            return tree.Recognised(start, tokens.end_of_last(), "declare")
        if tokens.keys[tokens.i] == "cursor":  # PL/SQL: CURSOR name [(…)] IS query
            tokens.i += 1
            name = tokens.name("a cursor")
            parameters = self._cursor_parameters() if tokens.keys[tokens.i] == "(" else None
            if tokens.take("return"):
                self._declared_type()
            if tokens.keys[tokens.i] == ";":
                return tree.Recognised(start, tokens.end_of_last(), "declare")
            tokens.i += 1
            query = grammar.queries.query()
            found = tree.Declare(start, tokens.end_of_last(), [name], None, query, None)
            found.parameters = parameters
            return found
        if tokens.peek() in ("cursor", "scroll", "no") or (tokens.peek() == "alias" and tokens.peek(2) == "for"):
            name = tokens.name("a variable")
            parameters = None
            while tokens.keys[tokens.i] not in ("for", "is", ";", ""):
                if tokens.keys[tokens.i] == "(":
                    parameters = self._cursor_parameters()
                else:
                    tokens.i += 1
            tokens.i += 1
            cursor = grammar.queries.query() if grammar.expressions.is_query(tokens.i) else None
            over = tokens.name() if cursor is None and tokens.kinds[tokens.i] in (WORD, QUOTED) else None
            tokens.to_end()
            declared = tree.Declare(start, tokens.end_of_last(), [name], None, cursor, None, over)
            declared.parameters = parameters
            return declared
        return self._declare_one(start)

    def _declare_variables(self, start: int) -> tree.StatementNode:
        """T-SQL: ``DECLARE @a int = 1, @t TABLE (…)``, ``DECLARE c CURSOR FOR query``."""
        grammar = self.grammar
        tokens = self.tokens
        found: list[tree.StatementNode] = []
        while True:
            at = tokens.starts[tokens.i]
            name = tokens.name("a variable")
            tokens.take("as")
            declared = tree.Declare(at, 0, [name], None, None, None)
            if tokens.keys[tokens.i] == "table":
                tokens.i += 1
                declared.columns, _ = grammar.ddl.table_definition()
            elif not name.startswith("@"):
                while tokens.keys[tokens.i] not in ("for", ";", ""):
                    tokens.i += 1
                tokens.expect("for")
                declared.query = grammar.queries.query()
            else:
                grammar.calls.type_name()
                if tokens.take("="):
                    declared.value = grammar.expressions.expression()
            declared.end = tokens.end_of_last()
            found.append(declared)
            if not tokens.take(","):
                break
        if len(found) == 1:
            found[0].start = start
            return found[0]
        return tree.Block(start, tokens.end_of_last(), found, [])

    def let(self) -> tree.StatementNode | None:
        tokens = self.tokens
        if tokens.kinds[tokens.i + 1] not in (WORD, QUOTED):
            return None
        start = tokens.starts[tokens.i]
        tokens.i += 1
        return self._declare_one(start)
