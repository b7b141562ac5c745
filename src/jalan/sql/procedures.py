"""The grammar of procedures: blocks, variables, conditions, loops, and the routines and triggers made of them.

One grammar reads PL/pgSQL and its kin (THEN … END IF, LOOP … END LOOP) and T-SQL (a condition is followed by one
statement, or by BEGIN … END): what stands behind a condition tells which one it is.
"""

from collections.abc import Callable

from jalan.sql import tree
from jalan.sql.cursor import SqlSyntaxError
from jalan.sql.definitions import DefinitionParser
from jalan.sql.lexer import END, NUMBER, PARAMETER, QUOTED, STRING, WORD, Tokens

_BLOCK_WORDS = frozenset({"loop", "then", "do", "end", "elsif", "elseif", "else", "if", "until", "strict"})
_STOPS = frozenset({"end", "else", "elsif", "elseif", "exception", "when", "until"})
_TRANSACTION = frozenset(
    """
    tran transaction work isolation read deferrable distributed deferred immediate exclusive atomic
    concurrent
    """.split()
)

_PASSED_OVER = frozenset(
    """
    raise get exit continue leave iterate null assert print throw raiserror waitfor signal resignal goto
    break pragma close open deallocate commit rollback move savepoint
    """.split()
)


class ProcedureParser(DefinitionParser):
    """Reads procedural statements. ``in_block`` counts the blocks around the current statement."""

    in_block = 0

    def inner_tokens(self, i: int) -> Tokens:
        """Return the tokens of what a string token holds, with their offsets in the whole text."""
        raise NotImplementedError

    def body(self, stops: frozenset[str] = _STOPS) -> list[tree.Statement]:
        """Read statements up to one of these words."""
        found: list[tree.Statement] = []
        self.enter_block()
        while self.kinds[self.i] != END and self.keys[self.i] not in stops:
            if self.take(";"):
                continue
            if self.keys[self.i + 1 : self.i + 2] == [":"] and self.peek(2) in (
                "loop",
                "while",
                "repeat",
                "begin",
                "for",
            ):
                self.i += 2  # a label
            if self.keys[self.i] == "<<":
                self.i += 3
                continue
            found.append(self.statement())
            if not self.take(";") and not self.dialect.bare_statements:
                if self.keys[self.i] not in stops and self.kinds[self.i] != END:
                    self.fail("“;”")
        self.in_block -= 1
        return found

    def enter_block(self) -> None:
        """Count one more block: in there the words of the block are no aliases."""
        self.in_block += 1
        self._no_alias = self._no_alias | _BLOCK_WORDS

    def procedural(self) -> tree.Statement | None:
        """Read a procedural statement if one starts here."""
        key = self.keys[self.i]
        scripted = self.in_block > 0 or self.dialect.scripting
        if self.kinds[self.i] in (WORD, QUOTED) and self.in_block and self._at_assignment():
            return self._assignment()
        handler = _PROCEDURAL.get(key)
        if handler is not None and (scripted or key in ("create", "do")):
            return handler(self)
        if self.in_block and key in _PASSED_OVER:
            return self._passed_over()
        return None

    def _passed_over(self) -> tree.Statement:
        first = self.i
        if self.keys[first] in ("exit", "continue"):
            return self._exit()
        if self.dialect.bare_statements:
            self.i += 1
            if self.keys[first] in (
                "print",
                "throw",
                "raiserror",
                "goto",
                "waitfor",
                "close",
                "open",
                "deallocate",
            ):
                while self.keys[self.i] not in (";", "") and not self._at_statement():
                    self.i += 1
            elif self.keys[self.i] in _TRANSACTION:
                self.i += 1
        else:
            self._to_end()
        return tree.Recognised(self.starts[first], self.end_of_last(), self.keys[first])

    def _exit(self) -> tree.Statement:
        """``EXIT [label] [WHEN condition]``: from here on the condition decides."""
        first = self.i
        self.i += 1
        if self.keys[self.i] not in ("when", ";", "", "end"):
            self.name("a label")
        left = tree.Recognised(self.starts[first], self.end_of_last(), self.keys[first])
        if not self.take("when"):
            return left
        condition = self.expression()
        return tree.If(left.start, self.end_of_last(), [(condition, [left])], [])

    def _at_statement(self) -> bool:
        return self.kinds[self.i] == WORD and (
            self.keys[self.i] in _PROCEDURAL
            or self.keys[self.i] in _PASSED_OVER
            or self.keys[self.i] in ("select", "insert", "update", "delete", "merge", "with", "create", "drop",
            "alter",
                                     "truncate", "end", "else", "go", "fetch", "use")
        )  # fmt: skip

    # --- variables -----------------------------------------------------------------------------------

    def _at_assignment(self) -> bool:
        i = self.i + 1
        while self.keys[i] == "." and self.kinds[i + 1] in (WORD, QUOTED):
            i += 2
        if self.keys[i] == "[":
            while self.keys[i] not in ("]", "", ";"):
                i += 1
            i += 1
        return self.keys[i] == ":=" or (self.keys[i] == "=" and self.keys[self.i] not in self._reserved)

    def _assignment(self) -> tree.Statement:
        start = self.starts[self.i]
        parts = self.qualified("a variable")
        while self.keys[self.i] not in (":=", "="):
            self.i += 1
        self.i += 1
        value = self._value()
        return tree.Assign(start, self.end_of_last(), [".".join(parts)], value)

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
        elif self.kinds[self.i] == PARAMETER or (self.kinds[self.i] == WORD and self.keys[self.i + 1] in (
            "=", ":=", "+=", "-=", "*=", "/=")):  # fmt: skip
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
        value = self.expression()
        if operator[0] in "+-*/":
            before = tree.Column(value.start, value.end, (names[0],))
            value = tree.Binary(value.start, value.end, operator[0], before, value)
        while self.take(","):
            self.string_or_name("a variable")
            self.i += 1
            value = tree.Binary(value.start, value.end, ",", value, self.expression())
        return tree.Assign(self.starts[first], self.end_of_last(), names, value)

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
        found = tree.Block(start, 0, [], [])
        self.in_block += 1
        while self.keys[self.i] not in ("begin", ""):
            if self.take(";"):
                continue
            found.declarations.append(self._declaration())
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
        return tree.Block(start, self.end_of_last(), [], [body])

    def _declare_one(self, start: int) -> tree.Declare:
        names = [self.name("a variable")]
        while self.take(","):
            names.append(self.name("a variable"))
        found = tree.Declare(start, 0, names, None, None, None)
        if self.keys[self.i] not in ("default", ":=", "=", ";"):
            if self.keys[self.i] in ("cursor", "resultset") or self.peek() == "for":
                while self.keys[self.i] not in ("for", "default", ":=", ";", ""):
                    self.i += 1
                if self.take("for") and self._is_query(self.i):
                    found.query = self.query()
                    found.end = self.end_of_last()
                    return found
            else:
                self.take("constant")
                self.take("in") or self.take("out") or self.take("inout")
                self.type_name()
                if self.keys[self.i] == "%":
                    self.i += 2
        while self.keys[self.i] not in ("default", ":=", "=", ";", ""):
            self.i += 1
        if self.keys[self.i] in ("default", ":=", "="):
            self.i += 1
            if self.keys[self.i] == "(" and self._is_query(self.i):
                found.query = None
            found.value = self._value()
        found.end = self.end_of_last()
        return found

    def _declaration(self) -> tree.Statement:
        start = self.starts[self.i]
        if self.keys[self.i] in ("pragma", "exception", "type", "subtype"):
            self._to_end()
            return tree.Recognised(start, self.end_of_last(), "declare")
        if self.keys[self.i] == "cursor":  # PL/SQL: CURSOR name [(…)] IS query
            self.i += 1
            name = self.name("a cursor")
            if self.keys[self.i] == "(":
                self.skip_parentheses()
            self.i += 1
            query = self.query()
            return tree.Declare(start, self.end_of_last(), [name], None, query, None)
        if self.peek() in ("cursor", "scroll", "no") or (self.peek() == "alias" and self.peek(2) == "for"):
            name = self.name("a variable")
            while self.keys[self.i] not in ("for", "is", ";", ""):
                if self.keys[self.i] == "(":
                    self.skip_parentheses()
                else:
                    self.i += 1
            self.i += 1
            cursor = self.query() if self._is_query(self.i) else None
            self._to_end()
            return tree.Declare(start, self.end_of_last(), [name], None, cursor, None)
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

    # --- blocks and conditions -----------------------------------------------------------------------

    def _begin(self) -> tree.Statement | None:
        start = self.starts[self.i]
        after = self.peek()
        if (after in _TRANSACTION and after != "atomic") or (after in (";", "") and self.in_block == 0):
            return None
        self.i += 1
        if after in ("try", "catch", "atomic"):
            self.i += 1
        found = tree.Block(start, 0, [], [])
        self._block_rest(found)
        return found

    def _block_rest(self, found: tree.Block) -> None:
        """Read the statements of a block, what is done with its errors, and its end."""
        self.enter()
        found.body = self.body()
        while self.take("exception"):
            while self.take("when"):
                while not self.take("then"):
                    if self.kinds[self.i] == END:
                        self.fail("“THEN”")
                    self.i += 1
                found.body += self.body()
        self.expect("end")
        self.depth -= 1
        if self.keys[self.i] in ("try", "catch"):
            self.i += 1
        elif (
            self.kinds[self.i] in (WORD, QUOTED) and self.keys[self.i + 1] in (";", "") and not self._at_statement()
        ):
            if not self.dialect.bare_statements:
                self.i += 1  # the label of the block
        found.end = self.end_of_last()

    def _if(self) -> tree.Statement | None:
        start = self.starts[self.i]
        self.enter()
        self.i += 1
        condition = self.expression()
        found = tree.If(start, 0, [], [])
        if not self.take("then"):
            if not self.dialect.bare_statements:
                self.fail("“THEN”")
            found.branches.append((condition, self._one()))
            at = self.i
            self.take(";")
            if self.take("else"):
                found.otherwise = self._one()
            else:
                self.i = at
            self.depth -= 1
            found.end = self.end_of_last()
            return found
        found.branches.append((condition, self.body()))
        while self.keys[self.i] in ("elsif", "elseif"):
            self.i += 1
            condition = self.expression()
            self.expect("then")
            found.branches.append((condition, self.body()))
        if self.take("else"):
            found.otherwise = self.body()
        self.expect("end")
        self.expect("if")
        self.depth -= 1
        found.end = self.end_of_last()
        return found

    def _one(self) -> list[tree.Statement]:
        """Read the one statement that stands behind a condition of T-SQL."""
        self.in_block += 1
        statement = self.statement()
        self.in_block -= 1
        return [statement]

    def _case_statement(self) -> tree.Statement | None:
        start = self.starts[self.i]
        self.i += 1
        operand = None if self.keys[self.i] == "when" else self.expression()
        found = tree.If(start, 0, [], [])
        while self.take("when"):
            condition = self.expression()
            while self.take(","):
                condition = tree.Binary(condition.start, self.end_of_last(), "or", condition, self.expression())
            if operand is not None:
                condition = tree.Binary(operand.start, condition.end, "=", operand, condition)
            self.expect("then")
            found.branches.append((condition, self.body()))
        if self.take("else"):
            found.otherwise = self.body()
        self.expect("end")
        self.expect("case")
        found.end = self.end_of_last()
        return found

    # --- loops ---------------------------------------------------------------------------------------

    def _loop(self) -> tree.Statement | None:
        start = self.starts[self.i]
        self.i += 1
        found = tree.Loop(start, 0, [], None, None, [])
        self._loop_rest(found, "loop")
        return found

    def _loop_rest(self, found: tree.Loop, word: str) -> None:
        self.enter()
        found.body = self.body()
        if self.take("until"):
            found.condition = self.expression()
        self.expect("end")
        if not self.take(word):
            self.take("loop")
        self.depth -= 1
        if self.kinds[self.i] in (WORD, QUOTED) and self.keys[self.i + 1] in (";", ""):
            self.i += 1
        found.end = self.end_of_last()

    def _while(self) -> tree.Statement | None:
        start = self.starts[self.i]
        self.i += 1
        found = tree.Loop(start, 0, [], self.expression(), None, [])
        if self.take("loop") or self.take("do"):
            self._loop_rest(found, "while")
            return found
        found.body = self._one()
        found.end = self.end_of_last()
        return found

    def _repeat(self) -> tree.Statement | None:
        start = self.starts[self.i]
        self.i += 1
        found = tree.Loop(start, 0, [], None, None, [])
        self._loop_rest(found, "repeat")
        return found

    def _for(self) -> tree.Statement | None:
        start = self.starts[self.i]
        each = self.keys[self.i] == "foreach"
        self.i += 1
        names = [".".join(self.qualified("a variable"))]
        while self.take(","):
            names.append(".".join(self.qualified("a variable")))
        if each and self.take("slice"):
            self.i += 1
        self.expect("in")
        self.take("array")
        self.take("reverse")
        found = tree.Loop(start, 0, names, None, None, [])
        if self._is_query(self.i) and not (self.keys[self.i] == "(" and not self._starts_query(self.i)):
            found.query = self.query()
        elif self.take("execute"):
            found.condition = self.expression()
            found.dynamic = True
            if self.take("using"):
                self.expression_list()
        else:
            found.source = self.expression()
            if self.keys[self.i] == ".":
                self.i += 1
                self.take(".")
                found.source = tree.Binary(start, self.end_of_last(), "..", found.source, self.expression())
            elif self.kinds[self.i] == NUMBER and self.written(self.i)[0] == ".":
                self.i += 1
            if self.take("by"):
                self.expression()
        if not self.take("loop"):
            self.expect("do")
        self._loop_rest(found, "for")
        return found

    # --- results, calls, dynamic SQL -----------------------------------------------------------------

    def _return(self) -> tree.Statement | None:
        start = self.starts[self.i]
        self.i += 1
        found = tree.Return(start, 0, None, None)
        if self.take("query"):
            if self.take("execute"):
                return self._dynamic(start)
            found.query = self.query_or_change()
        elif self.take("next"):
            if self.keys[self.i] not in (";", ""):
                found.value = self.expression()
        elif self.keys[self.i] == "table" and self.peek() == "(":
            self.i += 2
            found.query = self.query() if self._is_query(self.i) else None
            if found.query is None:
                found.value = self.expression()
            self.expect(")")
        elif self._is_query(self.i) and self.keys[self.i] != "(":
            found.query = self.query()
        elif self.keys[self.i] not in (";", "", "end") and not self._at_statement():
            found.value = self._value()
        found.end = self.end_of_last()
        return found

    def _perform(self) -> tree.Statement | None:
        start = self.starts[self.i]
        select = self._select()
        query = tree.Query(start, select.end, None, select, [], [])
        if self.keys[self.i] in ("order", "limit"):
            query = self._finish(query)
        return tree.QueryStatement(start, self.end_of_last(), query)

    def _finish(self, query: tree.Query) -> tree.Query:
        if self.keys[self.i] == "order":
            query.order = self.order_by()
        if self.take("limit"):
            self._limit(query)
        query.end = self.end_of_last()
        return query

    def _execute(self) -> tree.Statement | None:
        start = self.starts[self.i]
        first = self.i
        self.i += 1
        if self.take("immediate") or (self.in_block and not self.dialect.variables):
            return self._dynamic(start)
        if not self.dialect.variables:
            self.i = first
            return None
        if self.keys[self.i] == "(":
            self.i += 1
            found = tree.Execute(start, 0, self.expression(), [])
            self.expect(")")
            if self.take("at"):
                self.name("a server")
            found.end = self.end_of_last()
            return found
        return self._execute_procedure(start)

    def _execute_procedure(self, start: int) -> tree.Statement:
        result = None
        if self.written(self.i).startswith("@") and self.peek() == "=":
            result = self.name()
            self.i += 1
        parts = self.qualified("a procedure")
        arguments: list[tree.Expression] = []
        while self.keys[self.i] not in (";", "", "end", "else", "go", "with") and not self._at_statement():
            if self.written(self.i).startswith("@") and self.peek() == "=":
                self.i += 2
            arguments.append(self.expression())
            if not (self.take("output") or self.take("out")):
                pass
            if not self.take(","):
                break
        if parts[-1].lower() == "sp_executesql" and arguments:
            return tree.Execute(start, self.end_of_last(), arguments[0], [])
        if parts[-1].lower() == "sp_rename" and len(arguments) >= 2:
            return self._sp_rename(start, arguments)
        return tree.CallRoutine(start, self.end_of_last(), parts, arguments, [result] if result else [])

    def _sp_rename(self, start: int, arguments: list[tree.Expression]) -> tree.Statement:
        old, new = (self.text[a.start : a.end].strip("Nn").strip("'") for a in arguments[:2])
        parts = tuple(self._spelled(part) for part in old.replace("[", "").replace("]", "").split("."))
        place = arguments[0]
        kind = self.text[arguments[2].start : arguments[2].end].lower() if len(arguments) > 2 else ""
        if "column" in kind:
            target = tree.TableName(place.start, place.end, parts[:-1])
            action = tree.AlterAction(start, self.end_of_last(), "rename_column", parts[-1], self._spelled(new))
            return tree.Alter(start, self.end_of_last(), "table", target, [action])
        before = tree.TableName(place.start, place.end, parts)
        after = tree.TableName(place.start, place.end, (*parts[:-1], self._spelled(new)))
        return tree.RenameTables(start, self.end_of_last(), [(before, after)])

    def _dynamic(self, start: int) -> tree.Statement:
        found = tree.Execute(start, 0, self.expression(), [])
        while self.keys[self.i] in ("into", "using", "strict"):
            if self.take("using"):
                while True:
                    self.take("in") or self.take("out")
                    found.arguments.append(self.expression())
                    if self.take("as"):
                        self.name()
                    if not self.take(","):
                        break
            else:
                self.i += 1
                if self.keys[self.i] == "strict":
                    self.i += 1
                found.into.append(self.string_or_name("a variable"))
                while self.take(","):
                    found.into.append(self.string_or_name("a variable"))
        found.end = self.end_of_last()
        return found

    def _call(self) -> tree.Statement | None:
        start = self.starts[self.i]
        self.i += 1
        parts = self.qualified("a procedure")
        arguments: list[tree.Expression] = []
        if self.keys[self.i] == "(":
            call = self.call(self.i, parts)
            if isinstance(call, tree.Call):
                arguments = call.arguments
        return tree.CallRoutine(start, self.end_of_last(), parts, arguments, [])

    def _fetch_cursor(self) -> tree.Statement | None:
        """``FETCH [NEXT FROM] cursor INTO a, b``."""
        first = self.i
        start = self.starts[first]
        while self.keys[self.i] not in ("into", ";", ""):
            self.i += 1
        if not self.take("into"):
            self.i = first
            return None
        cursor = self.written(self.i - 2)
        names = [self.string_or_name("a variable")]
        while self.take(","):
            names.append(self.string_or_name("a variable"))
        return tree.Fetch(start, self.end_of_last(), self._spelled(cursor), names)

    # --- routines ------------------------------------------------------------------------------------

    def _create_routine(self) -> tree.Statement | None:
        first = self.i
        self.i += 1
        while self.keys[self.i] in ("or", "replace", "alter", "temp", "temporary", "secure", "aggregate", "definer",
                                    "editionable", "noneditionable", "constraint", "table"):  # fmt: skip
            self.i += 1
            if self.take("="):
                while self.keys[self.i] not in ("procedure", "function", "trigger", "", ";"):
                    self.i += 1
        kind = self.keys[self.i]
        if kind not in ("function", "procedure", "proc", "trigger", "macro") or self.peek() in ("mapping",):
            self.i = first
            return None
        self.i += 1
        start = self.starts[first]
        try:
            if kind == "trigger":
                return self._trigger(start)
            return self._routine(start, {"proc": "procedure", "macro": "function"}.get(kind, kind), kind == "macro")
        except SqlSyntaxError as error:
            if error.code == "too_deep":
                raise
            return self._unread_routine(first, kind, error)

    def _unread_routine(self, first: int, kind: str, error: SqlSyntaxError) -> tree.Statement:
        """A routine whose body is not read is reported, not lost: the statement stands, and says why."""
        self.i = max(self.i, first + 1)
        self._to_routine_end()
        found = tree.Routine(self.starts[first], self.end_of_last(), kind, (), [], [], None, None)
        found.problem = (str(error), error.start, error.end)
        return found

    def _to_routine_end(self) -> None:
        if self.dialect.bare_statements:
            while self.kinds[self.i] != END and self.keys[self.i] != "go":
                self.i += 1
        else:
            self._to_end()

    def _parameters(self) -> list[tuple[str, str]]:
        """Read parameters; returns (name, mode), a name is empty where only the type is given."""
        found: list[tuple[str, str]] = []
        bare = self.keys[self.i] != "("
        if not bare:
            self.i += 1
        while self.keys[self.i] not in (")", "as", "returns", "begin", "is", "with", "for", "", ";"):
            mode = ""
            while self.keys[self.i] in ("in", "out", "inout", "variadic", "output"):
                mode += self.keys[self.i]
                self.i += 1
            name = ""
            if self.kinds[self.i] in (WORD, QUOTED) and self.kinds[self.i + 1] in (WORD, QUOTED):
                if self.keys[self.i + 1] not in ("varying", "precision", "default", "array"):
                    name = self.name("a parameter")
                    self.take("as")
                    if self.keys[self.i] in ("in", "out", "inout"):
                        mode = self.keys[self.i]
                        self.i += 1
            self.type_name()
            while self.keys[self.i] not in (",", ")", "as", "begin", "is", "", ";", "returns"):
                if self.keys[self.i] in ("output", "out"):
                    mode = "out"
                if self.keys[self.i] in ("default", "=", ":="):
                    self.i += 1
                    self.expression()
                else:
                    self.i += 1
            found.append((name, mode))
            if not self.take(","):
                break
        if not bare:
            self.expect(")")
        return found

    def _macro_parameters(self) -> list[tuple[str, str]]:
        self.expect("(")
        found = []
        while self.keys[self.i] != ")":
            found.append((self.name("a parameter"), ""))
            if self.take(":="):
                self.expression()
            if not self.take(","):
                break
        self.expect(")")
        return found

    def _routine(self, start: int, kind: str, macro: bool = False) -> tree.Statement:
        self._if_not_exists()
        name = self.qualified("the name of a routine")
        found = tree.Routine(start, 0, kind, name, [], [], None, None)
        if self.keys[self.i] == "(" or self.written(self.i).startswith("@"):
            found.parameters = self._macro_parameters() if macro else self._parameters()
        while self.keys[self.i] not in ("", ";"):
            key = self.keys[self.i]
            if key == "returns" or key == "return":
                self.i += 1
                queried = key == "return" and (self._is_query(self.i) or not self._at_type())
                if self.keys[self.i] == "null" or queried:
                    self.i -= 1
                    if key == "return":
                        found.body.append(self.statement())
                        break
                    self.i += 1
                    continue
                self._returns(found)
            elif key == "language":
                self.i += 1
                found.language = self.written(self.i).strip("'").lower()
                self.i += 1
            elif key in ("as", "is"):
                self.i += 1
                if macro:
                    self._macro_body(found)
                    break
                self._routine_body(found)
                if found.language is not None or self.dialect.bare_statements or not self._more_options():
                    break
            elif key in ("begin", "declare") and self.peek() != "transaction":
                self._inline_body(found)
                break
            elif key in ("select", "insert", "update", "delete", "with", "merge", "set", "call") and (
                self.dialect.executed_comments
            ):
                self.in_block += 1
                found.body.append(self.statement())
                self.in_block -= 1
                break
            elif key == "(":
                self.skip_parentheses()
            else:
                self.i += 1
        found.end = self.end_of_last()
        self._read_text(found)
        return found

    def _at_type(self) -> bool:
        return self.kinds[self.i] in (WORD, QUOTED) and self.keys[self.i + 1] not in ("(", ".", "+", ";", "")

    def _more_options(self) -> bool:
        return self.keys[self.i] in ("language", "immutable", "stable", "volatile", "strict", "security",
        "parallel",
                                     "cost", "rows", "set", "returns", "called", "leakproof", "options", "comment",
                                     "execute", "window", "support")  # fmt: skip

    def _returns(self, found: tree.Routine) -> None:
        self.take("setof")
        if self.keys[self.i] == "table" and self.peek() == "(":
            self.i += 1
            found.returns, _ = self._table_definition()
        elif self.keys[self.i] == "table":
            self.i += 1
            found.returns = []
        elif self.written(self.i).startswith("@"):
            variable = self.name()
            self.expect("table")
            columns, _ = self._table_definition()
            found.returns = columns
            found.result = variable
        else:
            found.returns_trigger = self.type_name().lower() == "trigger"

    def _routine_body(self, found: tree.Routine) -> None:
        if self.kinds[self.i] == STRING:
            found.text = self.i
            self.i += 1
            while self.take(","):
                self.i += 1  # AS 'library', 'symbol'
                found.text = None
        elif self.keys[self.i] == "(" or (self._is_query(self.i) and not self.dialect.bare_statements):
            at = self.starts[self.i]
            if self._is_query(self.i):
                query = self.query()
                found.body.append(tree.Return(at, self.end_of_last(), None, query))
            else:
                value = self.expression()
                found.body.append(tree.Return(at, self.end_of_last(), value, None))
        else:
            self._inline_body(found)

    def _macro_body(self, found: tree.Routine) -> None:
        """``AS expression``, ``AS TABLE query``."""
        start = self.starts[self.i]
        if self.take("table"):
            found.returns = []
            found.body.append(tree.Return(start, 0, None, self.query()))
        else:
            found.body.append(tree.Return(start, 0, self.expression(), None))

    def _inline_body(self, found: tree.Routine) -> None:
        """Read a body that stands in the statement itself."""
        self.in_block += 1
        if self.keys[self.i] == "begin" or self.keys[self.i] == "declare":
            found.body.append(self.statement())
            if self.dialect.bare_statements:
                found.body += self._rest_of_batch()
        elif self.dialect.bare_statements:
            found.body += self._rest_of_batch()
        else:
            block = tree.Block(self.starts[self.i], 0, [], [])
            while self.keys[self.i] not in ("begin", ""):
                if not self.take(";"):
                    block.declarations.append(self._declaration())
            self.expect("begin")
            self._block_rest(block)
            found.body.append(block)
        self.in_block -= 1

    def _rest_of_batch(self) -> list[tree.Statement]:
        """A T-SQL routine goes on to the end of its batch."""
        return self.body(frozenset({"go"}))

    def _read_text(self, found: tree.Routine) -> None:
        """Read a body that is given as a string, if it is in a language that is read."""
        if found.text is None:
            return
        i = found.text
        found.text = None
        language = found.language or ("sql" if self.dialect.name in ("snowflake", "bigquery") else "")
        if language not in ("sql", "plpgsql", "snowflake", "plpgsqlu"):
            found.problem = (
                f"the body is in {language or 'a language that is not named'}",
                self.starts[i],
                self.ends[i],
            )
            return
        parser = type(self)(self.inner_tokens(i), self.dialect)
        if language == "plpgsql" or parser.keys[0] in ("begin", "declare"):
            parser.enter_block()
        try:
            if (
                not parser.in_block
                and not parser._at_statement()
                and parser.keys[0] not in ("values", "table", "(")
            ):
                value = parser.expression()
                found.body.append(tree.Return(value.start, value.end, value, None))
            else:
                found.body += parser.body(frozenset())
        except SqlSyntaxError as error:
            found.problem = (str(error), error.start, error.end)

    def _trigger(self, start: int) -> tree.Statement:
        self._if_not_exists()
        found = tree.Routine(start, 0, "trigger", self.qualified("a trigger"), [], [], None, None)
        while self.keys[self.i] not in ("on", "", ";"):
            self.i += 1
        self.expect("on")
        found.table = self.table_name()
        while self.keys[self.i] not in ("execute", "begin", "as", "declare", "", ";", "call"):
            if self.take("when"):
                found.condition = self.expression()
                continue
            self.i += 1
            if self.keys[self.i - 1] == "row" and self.keys[self.i] in ("set", "insert", "update", "delete"):
                break
        if self.keys[self.i] in ("execute", "call"):
            self.i += 1
            if self.keys[self.i] in ("function", "procedure"):
                self.i += 1
            found.calls = self.qualified("a function")
            self._to_end()
        elif self.keys[self.i] == "as":
            self.i += 1
            self._inline_body(found)
        elif self.keys[self.i] in ("begin", "declare"):
            self._inline_body(found)
        elif self.keys[self.i] not in ("", ";"):
            self.in_block += 1
            found.body.append(self.statement())
            self.in_block -= 1
        found.end = self.end_of_last()
        return found

    def _do(self) -> tree.Statement | None:
        """``DO [LANGUAGE l] $$ … $$``: a body that runs at once."""
        first = self.i
        self.i += 1
        found = tree.Routine(self.starts[first], 0, "do", (), [], [], "plpgsql", None)
        if self.take("language"):
            found.language = self.written(self.i).strip("'").lower()
            self.i += 1
        if self.kinds[self.i] != STRING:
            self.i = first
            return None
        found.text = self.i
        self.i += 1
        if self.take("language"):
            found.language = self.written(self.i).strip("'").lower()
            self.i += 1
        found.end = self.end_of_last()
        self._read_text(found)
        return found

    def _let(self) -> tree.Statement | None:
        if self.kinds[self.i + 1] not in (WORD, QUOTED):
            return None
        start = self.starts[self.i]
        self.i += 1
        return self._declare_one(start)


_PROCEDURAL: dict[str, Callable[[ProcedureParser], tree.Statement | None]] = {
    "create": ProcedureParser._create_routine,
    "alter": ProcedureParser._create_routine,
    "do": ProcedureParser._do,
    "declare": ProcedureParser._declare,
    "let": ProcedureParser._let,
    "set": ProcedureParser._set_variable,
    "begin": ProcedureParser._begin,
    "if": ProcedureParser._if,
    "case": ProcedureParser._case_statement,
    "loop": ProcedureParser._loop,
    "while": ProcedureParser._while,
    "repeat": ProcedureParser._repeat,
    "for": ProcedureParser._for,
    "foreach": ProcedureParser._for,
    "return": ProcedureParser._return,
    "perform": ProcedureParser._perform,
    "execute": ProcedureParser._execute,
    "exec": ProcedureParser._execute,
    "call": ProcedureParser._call,
    "fetch": ProcedureParser._fetch_cursor,
}
