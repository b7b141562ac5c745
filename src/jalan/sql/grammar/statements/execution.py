"""The grammar of what a procedure runs and gives back: calls, text that is run, results, cursors."""

from jalan.sql import tree
from jalan.sql.grammar.part import GrammarPart
from jalan.sql.grammar.statements.registry import register
from jalan.sql.lexer import PARAMETER, QUOTED, WORD


class ExecutionGrammar(GrammarPart):
    """Reads calls, text that is run, and results."""

    def return_(self) -> tree.StatementNode | None:
        grammar = self.grammar
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        tokens.i += 1
        found = tree.Return(start, 0, None, None)
        if tokens.take("query"):
            if tokens.take("execute"):
                return self._dynamic(start)
            found.query = grammar.copy.query_or_change()
        elif tokens.take("next"):
            if tokens.keys[tokens.i] not in (";", ""):
                found.value = grammar.expressions.expression()
        elif tokens.keys[tokens.i] == "table" and tokens.peek() == "(":
            tokens.i += 2
            found.query = grammar.queries.query() if grammar.expressions.is_query(tokens.i) else None
            if found.query is None:
                found.value = grammar.expressions.expression()
            tokens.expect(")")
        elif grammar.expressions.is_query(tokens.i) and tokens.keys[tokens.i] != "(":
            found.query = grammar.queries.query()
        elif tokens.keys[tokens.i] not in (";", "", "end") and not self.grammar.blocks.at_statement():
            found.value = grammar.variables.value()
        found.end = tokens.end_of_last()
        return found

    def perform(self) -> tree.StatementNode | None:
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        select = self.grammar.selects.select()
        query = self.grammar.queries.finish_query(tree.Query(start, select.end, None, select, [], []))
        return tree.QueryStatement(start, tokens.end_of_last(), query)

    def execute(self) -> tree.StatementNode | None:
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        first = tokens.i
        tokens.i += 1
        if tokens.take("immediate"):
            return self._dynamic(start)
        if self.dialect.execute_calls:
            return self.bare_call()
        if self.dialect.execute_prepared and tokens.kinds[tokens.i] in (WORD, QUOTED):
            return self._execute_prepared(start)
        if tokens.in_block and not self.dialect.variables:
            return self._dynamic(start)
        if not self.dialect.variables:
            tokens.i = first
            return None
        if tokens.keys[tokens.i] == "(":
            tokens.i += 1
            found = tree.Execute(start, 0, self.grammar.expressions.expression(), [])
            tokens.expect(")")
            if tokens.take("at"):
                tokens.name("a server")
            found.end = tokens.end_of_last()
            return found
        return self._execute_procedure(start)

    def _execute_prepared(self, start: int) -> tree.StatementNode:
        """``EXECUTE name [USING @a, @b]``: the statement that PREPARE … FROM has given this name."""
        tokens = self.tokens
        at = tokens.i
        text = tree.Column(tokens.starts[at], tokens.ends[at], (tokens.name("a prepared statement"),))
        found = tree.Execute(start, 0, text, [])
        if tokens.take("using"):
            found.arguments = self.grammar.calls.expression_list()
        found.end = tokens.end_of_last()
        return found

    def _execute_procedure(self, start: int) -> tree.StatementNode:
        tokens = self.tokens
        result = None
        if tokens.written(tokens.i).startswith("@") and tokens.peek() == "=":
            result = tokens.name()
            tokens.i += 1
        parts = tokens.qualified("a procedure")
        arguments: list[tree.Expression] = []
        while (
            tokens.keys[tokens.i] not in (";", "", "end", "else", "go", "with")
            and not self.grammar.blocks.at_statement()
        ):
            if tokens.written(tokens.i).startswith("@") and tokens.peek() == "=":
                tokens.i += 2
            arguments.append(self.grammar.expressions.expression())
            if not tokens.take("output"):
                tokens.take("out")
            if not tokens.take(","):
                break
        if parts[-1].lower() == "sp_executesql" and arguments:
            return tree.Execute(start, tokens.end_of_last(), arguments[0], [])
        if parts[-1].lower() == "sp_rename" and len(arguments) >= 2:
            return self._sp_rename(start, arguments)
        return tree.CallRoutine(start, tokens.end_of_last(), parts, arguments, [result] if result else [])

    def _sp_rename(self, start: int, arguments: list[tree.Expression]) -> tree.StatementNode:
        tokens = self.tokens
        old, new = (tokens.text[a.start : a.end].strip("Nn").strip("'") for a in arguments[:2])
        parts = tuple(tokens.spelled(part) for part in old.replace("[", "").replace("]", "").split("."))
        place = arguments[0]
        kind = tokens.text[arguments[2].start : arguments[2].end].lower() if len(arguments) > 2 else ""
        if "column" in kind:
            target = tree.TableName(place.start, place.end, parts[:-1])
            action = tree.AlterAction(start, tokens.end_of_last(), "rename_column", parts[-1], tokens.spelled(new))
            return tree.Alter(start, tokens.end_of_last(), "table", target, [action])
        before = tree.TableName(place.start, place.end, parts)
        after = tree.TableName(place.start, place.end, (*parts[:-1], tokens.spelled(new)))
        return tree.RenameTables(start, tokens.end_of_last(), [(before, after)])

    def _dynamic(self, start: int) -> tree.StatementNode:
        grammar = self.grammar
        tokens = self.tokens
        found = tree.Execute(start, 0, grammar.expressions.expression(), [])
        while tokens.keys[tokens.i] in ("into", "using", "strict", "bulk", "returning", "return"):
            if tokens.take_words("bulk", "collect") or tokens.take("returning") or tokens.take("return"):
                continue
            if tokens.take("using"):
                while True:
                    tokens.take("in")
                    tokens.take("out")
                    found.arguments.append(grammar.expressions.expression())
                    if tokens.take("as"):
                        tokens.name()
                    if not tokens.take(","):
                        break
            else:
                tokens.i += 1
                if tokens.keys[tokens.i] == "strict":
                    tokens.i += 1
                found.into.append(grammar.targets.variable_target())
                while tokens.take(","):
                    found.into.append(grammar.targets.variable_target())
        found.end = tokens.end_of_last()
        return found

    def call(self) -> tree.StatementNode | None:
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        tokens.i += 1
        return self._called(start)

    def _called(self, start: int) -> tree.CallRoutine:
        tokens = self.tokens
        parts = tokens.qualified("a procedure")
        arguments: list[tree.Expression] = []
        if tokens.keys[tokens.i] == "(":
            call = self.grammar.calls.call(tokens.i, parts)
            if isinstance(call, tree.Call):
                arguments = call.arguments
        return tree.CallRoutine(start, tokens.end_of_last(), parts, arguments, [])

    def fetch_cursor(self) -> tree.StatementNode | None:
        """``FETCH [NEXT FROM] cursor [BULK COLLECT] INTO a, b [LIMIT n]``."""
        grammar = self.grammar
        tokens = self.tokens
        first = tokens.i
        start = tokens.starts[first]
        cursor = ""
        while tokens.keys[tokens.i] not in ("into", ";", ""):
            if tokens.take_words("bulk", "collect"):
                continue
            cursor = tokens.written(tokens.i)
            tokens.i += 1
        if not tokens.take("into"):
            tokens.i = first
            return None
        names = [grammar.targets.variable_target()]
        while tokens.take(","):
            names.append(grammar.targets.variable_target())
        if tokens.take("limit"):
            grammar.expressions.expression()
        return tree.Fetch(start, tokens.end_of_last(), tokens.spelled(cursor), names)

    def open(self) -> tree.StatementNode | None:
        """``OPEN cursor FOR query``, ``OPEN cursor FOR [EXECUTE] text``; an OPEN without a query only says when."""
        grammar = self.grammar
        tokens = self.tokens
        first = tokens.i
        if not tokens.in_block or tokens.kinds[first + 1] not in (WORD, QUOTED, PARAMETER):
            return None
        start = tokens.starts[first]
        tokens.i += 1
        name = grammar.select_list.string_or_name("a cursor")
        if self.dialect.bare_statements or not tokens.take("for"):
            tokens.i = first
            return None
        if grammar.expressions.is_query(tokens.i):
            return tree.Declare(start, tokens.end_of_last(), [name], None, grammar.queries.query(), None)
        tokens.take("execute")
        text = grammar.expressions.expression()
        if tokens.take("using"):
            tokens.to_end()
        value = tree.DynamicQuery(text.start, text.end, text)
        return tree.Declare(start, tokens.end_of_last(), [name], value, None, None)

    def pipe(self) -> tree.StatementNode | None:
        """``PIPE ROW (value)``: a row of what a function returns."""
        tokens = self.tokens
        if not (tokens.peek() == "row" and tokens.peek(2) == "("):
            return None
        start = tokens.starts[tokens.i]
        tokens.i += 2
        value = self.grammar.expressions.expression()
        return tree.Return(start, tokens.end_of_last(), value, None)

    def bare_call(self) -> tree.StatementNode:
        tokens = self.tokens
        found = self._called(tokens.starts[tokens.i])
        tokens.to_end()
        found.end = tokens.end_of_last()
        return found


register({"call": lambda grammar: grammar.execution.call()})
