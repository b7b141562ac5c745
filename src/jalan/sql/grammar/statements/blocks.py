"""The grammar of what stands inside procedures: blocks, conditions, loops.

One grammar reads PL/pgSQL and its kin (THEN … END IF, LOOP … END LOOP) and T-SQL (a condition is followed by one
statement, or by BEGIN … END): what stands behind a condition tells which one it is.
"""

from collections.abc import Callable

from jalan.sql import tree
from jalan.sql.grammar.part import GrammarPart
from jalan.sql.grammar.token_stream import SqlSyntaxError
from jalan.sql.lexer import END, NUMBER, PARAMETER, QUOTED, WORD

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


class BlockGrammar(GrammarPart):
    """Reads procedural statements."""

    def body(self, stops: frozenset[str] = _STOPS) -> list[tree.StatementNode]:
        """Read statements up to one of these words."""
        tokens = self.tokens
        found: list[tree.StatementNode] = []
        self.enter_block()
        while tokens.kinds[tokens.i] != END and tokens.keys[tokens.i] not in stops:
            if tokens.take(";"):
                continue
            if tokens.keys[tokens.i + 1 : tokens.i + 2] == [":"] and tokens.peek(2) in (
                "loop",
                "while",
                "repeat",
                "begin",
                "for",
            ):
                tokens.i += 2  # a label
            if self.take_label():
                continue
            found.append(self._body_statement(stops))
        tokens.in_block -= 1
        return found

    def _body_statement(self, stops: frozenset[str]) -> tree.StatementNode:
        """Read one statement with its semicolon; one that is not in the grammar is noted, the others are read."""
        tokens = self.tokens
        first, depth, inside = tokens.i, tokens.depth, tokens.in_block
        try:
            found = self.grammar.statements.statement()
            if not tokens.take(";") and not self.dialect.bare_statements:
                if tokens.keys[tokens.i] not in stops and tokens.kinds[tokens.i] != END:
                    tokens.fail("“;”")
            return found
        except SqlSyntaxError as error:
            if error.code != "syntax_error" or tokens.keys[first] in _COMPOUND or self.dialect.bare_statements:
                raise
            tokens.depth, tokens.in_block = depth, inside
            tokens.i = max(tokens.i, first + 1)
            while tokens.keys[tokens.i] != ";":
                if tokens.kinds[tokens.i] == END:
                    raise
                tokens.i += 1
            end = tokens.end_of_last()
            tokens.i += 1
            span = (error.start, error.end)
            return tree.Unparsed(tokens.starts[first], end, error.code, str(error), span)

    def take_label(self) -> bool:
        """Step over ``<<name>>``."""
        tokens = self.tokens
        if tokens.keys[tokens.i] == "<<" and tokens.keys[tokens.i + 2] == ">>":
            tokens.i += 3
            return True
        return False

    def enter_block(self) -> None:
        """Count one more block: in there the words of the block are no aliases."""
        tokens = self.tokens
        tokens.in_block += 1
        tokens.no_alias = tokens.no_alias | _BLOCK_WORDS

    def procedural(self) -> tree.StatementNode | None:
        """Read a procedural statement if one starts here."""
        tokens = self.tokens
        key = tokens.keys[tokens.i]
        scripted = tokens.in_block > 0 or self.dialect.scripting
        if (
            tokens.in_block
            and self.grammar.variables.at_assignment()
            and tokens.kinds[tokens.i] in (WORD, QUOTED, PARAMETER)
        ):
            return self.grammar.variables.assignment()
        handler = _BLOCK.get(key)
        if key == "execute" and tokens.peek() == "immediate":
            scripted = True
        if handler is not None and scripted:
            found = handler(self)
            if found is not None or key not in _PASSED_OVER:
                return found
        if key in _PASSED_OVER and (tokens.in_block or self.dialect.bare_statements):
            return self._passed_over()
        if tokens.in_block and self.dialect.bare_calls and self._at_call():
            return self.grammar.execution.bare_call()
        return None

    def _at_call(self) -> bool:
        """Whether ``package.procedure (…);`` stands here: a call without a word before it."""
        tokens = self.tokens
        i = tokens.i
        if tokens.kinds[i] not in (WORD, QUOTED) or (tokens.kinds[i] == WORD and tokens.keys[i] in tokens.reserved):
            return False
        while tokens.keys[i + 1] in (".", "@") and tokens.kinds[i + 2] in (WORD, QUOTED):
            i += 2
        i += 1
        if tokens.keys[i] == "(":
            i = self.grammar.ddl.behind_parentheses(i)
            while tokens.keys[i] == "." and tokens.kinds[i + 1] in (WORD, QUOTED):  # l(1).extend, x.f(1).g
                i += 2
                if tokens.keys[i] == "(":
                    i = self.grammar.ddl.behind_parentheses(i)
        return tokens.keys[i] == ";"

    def _passed_over(self) -> tree.StatementNode:
        tokens = self.tokens
        first = tokens.i
        if tokens.keys[first] in ("exit", "continue"):
            return self._exit()
        if self.dialect.bare_statements:
            tokens.i += 1
            if tokens.keys[first] in (
                "print",
                "throw",
                "raiserror",
                "goto",
                "waitfor",
                "close",
                "open",
                "deallocate",
            ):
                while tokens.keys[tokens.i] not in (";", "") and not self.at_statement():
                    tokens.i += 1
            elif tokens.keys[tokens.i] in _TRANSACTION:
                tokens.i += 1
        else:
            self.tokens.to_end()
        return tree.Recognised(tokens.starts[first], tokens.end_of_last(), tokens.keys[first])

    def _exit(self) -> tree.StatementNode:
        """``EXIT [label] [WHEN condition]``: from here on the condition decides."""
        tokens = self.tokens
        first = tokens.i
        tokens.i += 1
        if tokens.keys[tokens.i] not in ("when", ";", "", "end"):
            tokens.name("a label")
        left = tree.Recognised(tokens.starts[first], tokens.end_of_last(), tokens.keys[first])
        if not tokens.take("when"):
            return left
        condition = self.grammar.expressions.expression()
        return tree.If(left.start, tokens.end_of_last(), [(condition, [left])], [])

    def at_statement(self) -> bool:
        tokens = self.tokens
        return tokens.kinds[tokens.i] == WORD and (
            tokens.keys[tokens.i] in _BLOCK
            or tokens.keys[tokens.i] in _PASSED_OVER
            or tokens.keys[tokens.i]
            in (
                "select",
                "insert",
                "update",
                "delete",
                "merge",
                "with",
                "create",
                "drop",
                "alter",
                "truncate",
                "end",
                "else",
                "go",
                "fetch",
                "use",
            )
        )

    # --- blocks and conditions -----------------------------------------------------------------------

    def _begin(self) -> tree.StatementNode | None:
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        after = tokens.peek()
        if (after in _TRANSACTION and after != "atomic") or (after in (";", "") and tokens.in_block == 0):
            return None
        tokens.i += 1
        if not tokens.take_words("not", "atomic") and after in ("try", "catch", "atomic"):
            tokens.i += 1
        found = tree.Block(start, 0, [], [])
        self.block_rest(found)
        if after == "catch":
            found.body, found.handlers = [], found.body + found.handlers
        return found

    def block_rest(self, found: tree.Block) -> None:
        """Read the statements of a block, what is done with its errors, and its end."""
        tokens = self.tokens
        tokens.enter()
        found.body = self.body()
        while tokens.take("exception"):
            while tokens.take("when"):
                while not tokens.take("then"):
                    if tokens.kinds[tokens.i] == END:
                        tokens.fail("“THEN”")
                    tokens.i += 1
                found.handlers += self.body()
        tokens.expect("end")
        tokens.depth -= 1
        if tokens.keys[tokens.i] in ("try", "catch"):
            tokens.i += 1
        elif (
            tokens.kinds[tokens.i] in (WORD, QUOTED)
            and tokens.keys[tokens.i + 1] in (";", "")
            and not self.at_statement()
        ):
            if not self.dialect.bare_statements:
                tokens.i += 1  # the label of the block
        found.end = tokens.end_of_last()

    def _if(self) -> tree.StatementNode | None:
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        tokens.enter()
        tokens.i += 1
        condition = self.grammar.expressions.expression()
        found = tree.If(start, 0, [], [])
        if not tokens.take("then"):
            if not self.dialect.bare_statements:
                tokens.fail("“THEN”")
            found.branches.append((condition, self._one()))
            at = tokens.i
            tokens.take(";")
            if tokens.take("else"):
                found.otherwise = self._one()
            else:
                tokens.i = at
            tokens.depth -= 1
            found.end = tokens.end_of_last()
            return found
        found.branches.append((condition, self.body()))
        while tokens.keys[tokens.i] in ("elsif", "elseif"):
            tokens.i += 1
            condition = self.grammar.expressions.expression()
            tokens.expect("then")
            found.branches.append((condition, self.body()))
        if tokens.take("else"):
            found.otherwise = self.body()
        tokens.expect("end")
        tokens.expect("if")
        tokens.depth -= 1
        found.end = tokens.end_of_last()
        return found

    def _one(self) -> list[tree.StatementNode]:
        """Read the one statement that stands behind a condition of T-SQL."""
        self.tokens.in_block += 1
        statement = self.grammar.statements.statement()
        self.tokens.in_block -= 1
        return [statement]

    def _case_statement(self) -> tree.StatementNode | None:
        grammar = self.grammar
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        tokens.i += 1
        operand = None if tokens.keys[tokens.i] == "when" else grammar.expressions.expression()
        found = tree.If(start, 0, [], [])
        while tokens.take("when"):
            condition = grammar.expressions.expression()
            while tokens.take(","):
                condition = tree.Binary(
                    condition.start, tokens.end_of_last(), "or", condition, grammar.expressions.expression()
                )
            if operand is not None:
                condition = tree.Binary(operand.start, condition.end, "=", operand, condition)
            tokens.expect("then")
            found.branches.append((condition, self.body()))
        if tokens.take("else"):
            found.otherwise = self.body()
        tokens.expect("end")
        tokens.expect("case")
        found.end = tokens.end_of_last()
        return found

    # --- loops ---------------------------------------------------------------------------------------

    def _loop(self) -> tree.StatementNode | None:
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        tokens.i += 1
        found = tree.Loop(start, 0, [], None, None, [])
        self._loop_rest(found, "loop")
        return found

    def _loop_rest(self, found: tree.Loop, word: str) -> None:
        tokens = self.tokens
        tokens.enter()
        found.body = self.body()
        if tokens.take("until"):
            found.condition = self.grammar.expressions.expression()
        tokens.expect("end")
        if not tokens.take(word):
            tokens.take("loop")
        tokens.depth -= 1
        if tokens.kinds[tokens.i] in (WORD, QUOTED) and tokens.keys[tokens.i + 1] in (";", ""):
            tokens.i += 1
        found.end = tokens.end_of_last()

    def _while(self) -> tree.StatementNode | None:
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        tokens.i += 1
        found = tree.Loop(start, 0, [], self.grammar.expressions.expression(), None, [])
        if tokens.take("loop") or tokens.take("do"):
            self._loop_rest(found, "while")
            return found
        found.body = self._one()
        found.end = tokens.end_of_last()
        return found

    def _repeat(self) -> tree.StatementNode | None:
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        tokens.i += 1
        found = tree.Loop(start, 0, [], None, None, [])
        self._loop_rest(found, "repeat")
        return found

    def _for(self) -> tree.StatementNode | None:
        grammar = self.grammar
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        word = tokens.keys[tokens.i]
        each = word == "foreach"
        tokens.i += 1
        names = [".".join(tokens.qualified("a variable"))]
        while tokens.take(","):
            names.append(".".join(tokens.qualified("a variable")))
        if each and tokens.take("slice"):
            tokens.i += 1
        if not tokens.take("as"):
            tokens.expect("in")
        tokens.take("array")
        tokens.take("reverse")
        found = tree.Loop(start, 0, names, None, None, [])
        if grammar.expressions.is_query(tokens.i):
            found.query = grammar.queries.query()
        elif tokens.keys[tokens.i] in ("indices", "values") and tokens.peek() == "of":
            tokens.i += 2
            found.source = grammar.expressions.expression(8)
            if tokens.take("between"):
                grammar.expressions.expression(8)
                tokens.expect("and")
                grammar.expressions.expression(8)
        elif tokens.take("execute"):
            found.condition = grammar.expressions.expression()
            found.dynamic = True
            if tokens.take("using"):
                grammar.calls.expression_list()
        else:
            found.source = grammar.expressions.expression()
            if tokens.keys[tokens.i] == ".":
                tokens.i += 1
                tokens.take(".")
                found.source = tree.Binary(
                    start, tokens.end_of_last(), "..", found.source, grammar.expressions.expression()
                )
            elif tokens.kinds[tokens.i] == NUMBER and tokens.written(tokens.i)[0] == ".":
                tokens.i += 1
            if tokens.take("by"):
                grammar.expressions.expression()
        if word == "forall":
            tokens.take_words("save", "exceptions")
            found.body = self._one()
            found.end = tokens.end_of_last()
            return found
        if not tokens.take("loop"):
            tokens.expect("do")
        self._loop_rest(found, "for")
        return found


_BLOCK: dict[str, Callable[[BlockGrammar], tree.StatementNode | None]] = {
    "declare": lambda part: part.grammar.variables.declare(),
    "let": lambda part: part.grammar.variables.let(),
    "set": lambda part: part.grammar.variables.set_variable(),
    "begin": BlockGrammar._begin,
    "if": BlockGrammar._if,
    "case": BlockGrammar._case_statement,
    "loop": BlockGrammar._loop,
    "while": BlockGrammar._while,
    "repeat": BlockGrammar._repeat,
    "for": BlockGrammar._for,
    "foreach": BlockGrammar._for,
    "forall": BlockGrammar._for,
    "open": lambda part: part.grammar.execution.open(),
    "pipe": lambda part: part.grammar.execution.pipe(),
    "return": lambda part: part.grammar.execution.return_(),
    "perform": lambda part: part.grammar.execution.perform(),
    "execute": lambda part: part.grammar.execution.execute(),
    "exec": lambda part: part.grammar.execution.execute(),
    "call": lambda part: part.grammar.execution.call(),
    "fetch": lambda part: part.grammar.execution.fetch_cursor(),
}
