"""The grammar of what stands inside procedures: blocks, variables, conditions, loops, results, text that is run.

One grammar reads PL/pgSQL and its kin (THEN … END IF, LOOP … END LOOP) and T-SQL (a condition is followed by one
statement, or by BEGIN … END): what stands behind a condition tells which one it is.
"""

from collections.abc import Callable

from jalan.sql import tree
from jalan.sql.grammar.token_stream import SqlSyntaxError
from jalan.sql.lexer import END, NUMBER, PARAMETER, QUOTED, WORD
from jalan.sql.grammar.statements.variables import VariableParser

_BLOCK_WORDS = frozenset({"loop", "then", "do", "end", "elsif", "elseif", "else", "if", "until", "strict", "bulk"})
# What has statements inside: when it cannot be read, the block cannot.
_COMPOUND = frozenset({"if", "while", "loop", "for", "foreach", "forall", "case", "begin", "declare", "repeat"})
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


class BlockParser(VariableParser):
    """Reads procedural statements."""

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
            if self.take_label():
                continue
            found.append(self._body_statement(stops))
        self.in_block -= 1
        return found

    def _body_statement(self, stops: frozenset[str]) -> tree.Statement:
        """Read one statement with its semicolon; one that is not in the grammar is noted, the others are read."""
        first, depth, inside = self.i, self.depth, self.in_block
        try:
            found = self.statement()
            if not self.take(";") and not self.dialect.bare_statements:
                if self.keys[self.i] not in stops and self.kinds[self.i] != END:
                    self.fail("“;”")
            return found
        except SqlSyntaxError as error:
            if error.code != "syntax_error" or self.keys[first] in _COMPOUND or self.dialect.bare_statements:
                raise
            self.depth, self.in_block = depth, inside
            self.i = max(self.i, first + 1)
            while self.keys[self.i] != ";":
                if self.kinds[self.i] == END:
                    raise
                self.i += 1
            end = self.end_of_last()
            self.i += 1
            span = (error.start, error.end)
            return tree.Unparsed(self.starts[first], end, error.code, str(error), span)

    def take_label(self) -> bool:
        """Step over ``<<name>>``."""
        if self.keys[self.i] == "<<" and self.keys[self.i + 2] == ">>":
            self.i += 3
            return True
        return False

    def enter_block(self) -> None:
        """Count one more block: in there the words of the block are no aliases."""
        self.in_block += 1
        self._no_alias = self._no_alias | _BLOCK_WORDS

    def procedural(self) -> tree.Statement | None:
        """Read a procedural statement if one starts here."""
        key = self.keys[self.i]
        scripted = self.in_block > 0 or self.dialect.scripting
        if self.in_block and self._at_assignment() and self.kinds[self.i] in (WORD, QUOTED, PARAMETER):
            return self._assignment()
        handler = _BLOCK.get(key)
        if key == "execute" and self.peek() == "immediate":
            scripted = True
        if handler is not None and scripted:
            found = handler(self)
            if found is not None or key not in _PASSED_OVER:
                return found
        if key in _PASSED_OVER and (self.in_block or self.dialect.bare_statements):
            return self._passed_over()
        if self.in_block and self.dialect.bare_calls and self._at_call():
            return self._bare_call()
        return None

    def _at_call(self) -> bool:
        """Whether ``package.procedure (…);`` stands here: a call without a word before it."""
        i = self.i
        if self.kinds[i] not in (WORD, QUOTED) or (self.kinds[i] == WORD and self.keys[i] in self._reserved):
            return False
        while self.keys[i + 1] in (".", "@") and self.kinds[i + 2] in (WORD, QUOTED):
            i += 2
        i += 1
        if self.keys[i] == "(":
            i = self._behind_parentheses(i)
            while self.keys[i] == "." and self.kinds[i + 1] in (WORD, QUOTED):  # l(1).extend, x.f(1).g
                i += 2
                if self.keys[i] == "(":
                    i = self._behind_parentheses(i)
        return self.keys[i] == ";"

    def _bare_call(self) -> tree.Statement:
        found = self._called(self.starts[self.i])
        self._to_end()
        found.end = self.end_of_last()
        return found

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
            self.keys[self.i] in _BLOCK
            or self.keys[self.i] in _PASSED_OVER
            or self.keys[self.i] in ("select", "insert", "update", "delete", "merge", "with", "create", "drop",
            "alter",
                                     "truncate", "end", "else", "go", "fetch", "use")
        )  # fmt: skip

    # --- blocks and conditions -----------------------------------------------------------------------

    def _begin(self) -> tree.Statement | None:
        start = self.starts[self.i]
        after = self.peek()
        if (after in _TRANSACTION and after != "atomic") or (after in (";", "") and self.in_block == 0):
            return None
        self.i += 1
        if not self.take_words("not", "atomic") and after in ("try", "catch", "atomic"):
            self.i += 1
        found = tree.Block(start, 0, [], [])
        self._block_rest(found)
        if after == "catch":
            found.body, found.handlers = [], found.body + found.handlers
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
                found.handlers += self.body()
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
        word = self.keys[self.i]
        each = word == "foreach"
        self.i += 1
        names = [".".join(self.qualified("a variable"))]
        while self.take(","):
            names.append(".".join(self.qualified("a variable")))
        if each and self.take("slice"):
            self.i += 1
        if not self.take("as"):
            self.expect("in")
        self.take("array")
        self.take("reverse")
        found = tree.Loop(start, 0, names, None, None, [])
        if self._is_query(self.i):
            found.query = self.query()
        elif self.keys[self.i] in ("indices", "values") and self.peek() == "of":
            self.i += 2
            found.source = self.expression(8)
            if self.take("between"):
                self.expression(8)
                self.expect("and")
                self.expression(8)
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
        if word == "forall":
            self.take_words("save", "exceptions")
            found.body = self._one()
            found.end = self.end_of_last()
            return found
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
        query = self.finish_query(tree.Query(start, select.end, None, select, [], []))
        return tree.QueryStatement(start, self.end_of_last(), query)

    def _execute(self) -> tree.Statement | None:
        start = self.starts[self.i]
        first = self.i
        self.i += 1
        if self.take("immediate"):
            return self._dynamic(start)
        if self.dialect.bare_calls:
            return self._bare_call()
        if self.dialect.executed_comments and self.kinds[self.i] in (WORD, QUOTED):
            return self._execute_prepared(start)
        if self.in_block and not self.dialect.variables:
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

    def _execute_prepared(self, start: int) -> tree.Statement:
        """``EXECUTE name [USING @a, @b]``: the statement that PREPARE … FROM has given this name."""
        at = self.i
        text = tree.Column(self.starts[at], self.ends[at], (self.name("a prepared statement"),))
        found = tree.Execute(start, 0, text, [])
        if self.take("using"):
            found.arguments = self.expression_list()
        found.end = self.end_of_last()
        return found

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
            if not self.take("output"):
                self.take("out")
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
        while self.keys[self.i] in ("into", "using", "strict", "bulk", "returning", "return"):
            if self.take_words("bulk", "collect") or self.take("returning") or self.take("return"):
                continue
            if self.take("using"):
                while True:
                    self.take("in")
                    self.take("out")
                    found.arguments.append(self.expression())
                    if self.take("as"):
                        self.name()
                    if not self.take(","):
                        break
            else:
                self.i += 1
                if self.keys[self.i] == "strict":
                    self.i += 1
                found.into.append(self._variable_target())
                while self.take(","):
                    found.into.append(self._variable_target())
        found.end = self.end_of_last()
        return found

    def _call(self) -> tree.Statement | None:
        start = self.starts[self.i]
        self.i += 1
        return self._called(start)

    def _called(self, start: int) -> tree.CallRoutine:
        parts = self.qualified("a procedure")
        arguments: list[tree.Expression] = []
        if self.keys[self.i] == "(":
            call = self.call(self.i, parts)
            if isinstance(call, tree.Call):
                arguments = call.arguments
        return tree.CallRoutine(start, self.end_of_last(), parts, arguments, [])

    def _fetch_cursor(self) -> tree.Statement | None:
        """``FETCH [NEXT FROM] cursor [BULK COLLECT] INTO a, b [LIMIT n]``."""
        first = self.i
        start = self.starts[first]
        cursor = ""
        while self.keys[self.i] not in ("into", ";", ""):
            if self.take_words("bulk", "collect"):
                continue
            cursor = self.written(self.i)
            self.i += 1
        if not self.take("into"):
            self.i = first
            return None
        names = [self._variable_target()]
        while self.take(","):
            names.append(self._variable_target())
        if self.take("limit"):
            self.expression()
        return tree.Fetch(start, self.end_of_last(), self._spelled(cursor), names)

    def _open(self) -> tree.Statement | None:
        """``OPEN cursor FOR query``, ``OPEN cursor FOR [EXECUTE] text``; an OPEN without a query only says when."""
        first = self.i
        if not self.in_block or self.kinds[first + 1] not in (WORD, QUOTED, PARAMETER):
            return None
        start = self.starts[first]
        self.i += 1
        name = self.string_or_name("a cursor")
        if self.dialect.bare_statements or not self.take("for"):
            self.i = first
            return None
        if self._is_query(self.i):
            return tree.Declare(start, self.end_of_last(), [name], None, self.query(), None)
        self.take("execute")
        text = self.expression()
        if self.take("using"):
            self._to_end()
        value = tree.DynamicQuery(text.start, text.end, text)
        return tree.Declare(start, self.end_of_last(), [name], value, None, None)

    def _pipe(self) -> tree.Statement | None:
        """``PIPE ROW (value)``: a row of what a function returns."""
        if not (self.peek() == "row" and self.peek(2) == "("):
            return None
        start = self.starts[self.i]
        self.i += 2
        value = self.expression()
        return tree.Return(start, self.end_of_last(), value, None)


_BLOCK: dict[str, Callable[[BlockParser], tree.Statement | None]] = {
    "declare": BlockParser._declare,
    "let": BlockParser._let,
    "set": BlockParser._set_variable,
    "begin": BlockParser._begin,
    "if": BlockParser._if,
    "case": BlockParser._case_statement,
    "loop": BlockParser._loop,
    "while": BlockParser._while,
    "repeat": BlockParser._repeat,
    "for": BlockParser._for,
    "foreach": BlockParser._for,
    "forall": BlockParser._for,
    "open": BlockParser._open,
    "pipe": BlockParser._pipe,
    "return": BlockParser._return,
    "perform": BlockParser._perform,
    "execute": BlockParser._execute,
    "exec": BlockParser._execute,
    "call": BlockParser._call,
    "fetch": BlockParser._fetch_cursor,
}
