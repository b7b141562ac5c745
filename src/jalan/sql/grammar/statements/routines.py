"""The grammar of routines and triggers: CREATE FUNCTION, PROCEDURE, TRIGGER, and DO, with their bodies."""

from collections.abc import Callable

from jalan.sql import tree
from jalan.sql.grammar.part import GrammarPart
from jalan.sql.grammar.token_stream import SqlSyntaxError
from jalan.sql.lexer import END, QUOTED, STRING, WORD

# What may stand between CREATE and the kind of routine.
_BEFORE_KIND = frozenset(
    """
    or replace alter temp temporary secure aggregate definer editionable noneditionable constraint table
    """.split()
)
_LOOPS = frozenset({"if", "loop", "while", "repeat", "for"})
# What may stand behind the body of a routine.
_OPTIONS = frozenset(
    """
    language immutable stable volatile strict security parallel cost rows set returns called leakproof options
    comment using execute window support with
    """.split()
)


class RoutineGrammar(GrammarPart):
    """Reads routines."""

    def procedural(self) -> tree.StatementNode | None:
        """Read a routine, or another procedural statement, if one starts here."""
        key = self.tokens.keys[self.tokens.i]
        # ALTER brings a new body only in T-SQL; elsewhere it changes what stands around the body.
        handler = _ROUTINES.get(key) if key != "alter" or self.dialect.batches else None
        found = handler(self) if handler is not None else None
        return self.grammar.blocks.procedural() if found is None else found

    def _create_routine(self) -> tree.StatementNode | None:
        tokens = self.tokens
        first = tokens.i
        tokens.i += 1
        while tokens.keys[tokens.i] in _BEFORE_KIND:
            tokens.i += 1
            if tokens.take("="):
                while tokens.keys[tokens.i] not in ("procedure", "function", "trigger", "", ";"):
                    tokens.i += 1
        kind = tokens.keys[tokens.i]
        if kind == "rule" and self.dialect.rules:
            return self._rule(first)
        package = kind in ("package", "type") and self.dialect.packages
        if not package and (
            kind not in ("function", "procedure", "proc", "trigger", "macro") or tokens.peek() in ("mapping",)
        ):
            tokens.i = first
            return None
        tokens.i += 1
        start = tokens.starts[first]
        try:
            if package:
                return self._package(first, kind)
            if kind == "trigger":
                return self._trigger(start)
            return self._routine(start, {"proc": "procedure", "macro": "function"}.get(kind, kind), kind == "macro")
        except SqlSyntaxError as error:
            if error.code == "too_deep":
                raise
            return self._unread_routine(first, kind, error)

    def local_routine(self) -> tree.StatementNode:
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        kind = tokens.keys[tokens.i]
        tokens.i += 1
        found = self._routine(start, kind)
        assert isinstance(found, tree.Routine)
        if not found.body and tokens.keys[tokens.i] == ";":
            return tree.Recognised(start, tokens.end_of_last(), "declare")  # only announced
        return found

    def _package(self, first: int, kind: str) -> tree.StatementNode | None:
        """``CREATE PACKAGE [BODY] p AS declarations … [BEGIN …] END [p]``, and bodies of types."""
        grammar = self.grammar
        tokens = self.tokens
        start = tokens.starts[first]
        body = tokens.take("body")
        if kind == "type" and not body:
            tokens.i = first
            return None
        grammar.ddl.if_not_exists()
        name = tokens.qualified("the name of a package")
        while tokens.keys[tokens.i] not in ("as", "is", "", ";"):
            tokens.i += 1
        if not tokens.take("is"):
            tokens.expect("as")
        block = tree.Block(tokens.starts[tokens.i], 0, [], [])
        grammar.blocks.enter_block()
        block.declarations = grammar.variables.declarations("begin", "end")
        if tokens.take("begin"):
            grammar.blocks.block_rest(block)
        else:
            tokens.expect("end")
            if tokens.kinds[tokens.i] in (WORD, QUOTED):
                tokens.i += 1
        tokens.in_block -= 1
        block.end = tokens.end_of_last()
        if not body:
            return tree.Recognised(start, tokens.end_of_last(), "create_package")
        return tree.Routine(start, tokens.end_of_last(), f"{kind}_body", name, [], [block], None, None)

    def _unread_routine(self, first: int, kind: str, error: SqlSyntaxError) -> tree.StatementNode:
        """A routine whose body is not read is reported, not lost: the statement stands, and says why."""
        tokens = self.tokens
        tokens.i = max(tokens.i, first + 1)
        self._to_routine_end()
        found = tree.Routine(tokens.starts[first], tokens.end_of_last(), kind, (), [], [], None, None)
        found.problem = (str(error), error.start, error.end)
        return found

    def _to_routine_end(self) -> None:
        tokens = self.tokens
        if self.dialect.batches:
            while tokens.kinds[tokens.i] != END and tokens.keys[tokens.i] != self.dialect.batch_separator:
                tokens.i += 1
        else:
            self._to_body_end()

    def _to_body_end(self) -> None:
        """Step to the end of a routine that is not read: the semicolons between BEGIN and END belong to it."""
        tokens = self.tokens
        open_, seen = 0, False
        while tokens.kinds[tokens.i] != END:
            key = tokens.keys[tokens.i]
            if key in ("begin", "case") and tokens.keys[tokens.i - 1] != "end":
                open_ += 1
                seen = seen or key == "begin"
            elif key == "end" and tokens.peek() not in _LOOPS:
                open_ -= 1
            elif key == ";" and open_ <= 0 and (seen or not self.dialect.packages):
                return
            tokens.i += 1

    def _parameters(self) -> list[tuple[str, str]]:
        """Read parameters; returns (name, mode), a name is empty where only the type is given."""
        tokens = self.tokens
        found: list[tuple[str, str]] = []
        bare = tokens.keys[tokens.i] != "("
        if not bare:
            tokens.i += 1
        while tokens.keys[tokens.i] not in (")", "as", "returns", "begin", "is", "with", "for", "", ";"):
            mode = ""
            while tokens.keys[tokens.i] in ("in", "out", "inout", "variadic", "output"):
                mode += tokens.keys[tokens.i]
                tokens.i += 1
            name = ""
            if tokens.kinds[tokens.i] in (WORD, QUOTED) and tokens.kinds[tokens.i + 1] in (WORD, QUOTED):
                if tokens.keys[tokens.i + 1] not in ("varying", "precision", "default", "array"):
                    name = tokens.name("a parameter")
                    tokens.take("as")
                    while tokens.keys[tokens.i] in ("in", "out", "inout", "nocopy"):
                        mode += tokens.keys[tokens.i] if tokens.keys[tokens.i] != "nocopy" else ""
                        tokens.i += 1
            self.grammar.calls.type_name()
            while tokens.keys[tokens.i] not in (",", ")", "as", "begin", "is", "", ";", "returns"):
                if tokens.keys[tokens.i] in ("output", "out"):
                    mode = "out"
                if tokens.keys[tokens.i] in ("default", "=", ":="):
                    tokens.i += 1
                    self.grammar.expressions.expression()
                else:
                    tokens.i += 1
            found.append((name, mode))
            if not tokens.take(","):
                break
        if not bare:
            tokens.expect(")")
        return found

    def _macro_parameters(self) -> list[tuple[str, str]]:
        tokens = self.tokens
        tokens.expect("(")
        found = []
        while tokens.keys[tokens.i] != ")":
            found.append((tokens.name("a parameter"), ""))
            if tokens.take(":="):
                self.grammar.expressions.expression()
            if not tokens.take(","):
                break
        tokens.expect(")")
        return found

    def _routine(self, start: int, kind: str, macro: bool = False) -> tree.StatementNode:
        grammar = self.grammar
        tokens = self.tokens
        grammar.ddl.if_not_exists()
        name = tokens.qualified("the name of a routine")
        found = tree.Routine(start, 0, kind, name, [], [], None, None)
        if tokens.keys[tokens.i] == "(" or tokens.written(tokens.i).startswith("@"):
            found.parameters = self._macro_parameters() if macro else self._parameters()
        while tokens.keys[tokens.i] not in ("", ";"):
            key = tokens.keys[tokens.i]
            if key == "returns" or key == "return":
                tokens.i += 1
                queried = key == "return" and (grammar.expressions.is_query(tokens.i) or not self._at_type())
                if tokens.keys[tokens.i] == "null" or queried:
                    tokens.i -= 1
                    if key == "return":
                        tokens.in_block += 1
                        found.body.append(grammar.statements.statement())
                        tokens.in_block -= 1
                        break
                    tokens.i += 1
                    continue
                self._returns(found)
            elif key == "language":
                tokens.i += 1
                found.language = tokens.written(tokens.i).strip("'").lower()
                tokens.i += 1
            elif key in ("as", "is"):
                tokens.i += 1
                if macro:
                    self._macro_body(found)
                    break
                self._routine_body(found)
                if self.dialect.batches or tokens.keys[tokens.i] not in _OPTIONS:
                    break
            elif key in ("begin", "declare") and tokens.peek() != "transaction":
                self._inline_body(found)
                break
            elif key in ("select", "insert", "update", "delete", "with", "merge", "set", "call") and (
                self.dialect.bare_bodies
            ):
                tokens.in_block += 1
                found.body.append(grammar.statements.statement())
                tokens.in_block -= 1
                break
            elif key == "(":
                tokens.skip_parentheses()
            else:
                tokens.i += 1
        found.end = tokens.end_of_last()
        self._read_text(found)
        return found

    def _at_type(self) -> bool:
        tokens = self.tokens
        return tokens.kinds[tokens.i] in (WORD, QUOTED) and tokens.keys[tokens.i + 1] not in (
            "(",
            ".",
            "+",
            ";",
            "",
        )

    def _returns(self, found: tree.Routine) -> None:
        grammar = self.grammar
        tokens = self.tokens
        tokens.take("setof")
        if tokens.keys[tokens.i] == "table" and tokens.peek() == "(":
            tokens.i += 1
            found.returns, _ = grammar.ddl.table_definition()
        elif tokens.keys[tokens.i] == "table":
            tokens.i += 1
            found.returns = []
        elif tokens.written(tokens.i).startswith("@"):
            variable = tokens.name()
            tokens.expect("table")
            columns, _ = grammar.ddl.table_definition()
            found.returns = columns
            found.result = variable
        else:
            found.returns_trigger = grammar.calls.type_name().lower() == "trigger"

    def _routine_body(self, found: tree.Routine) -> None:
        grammar = self.grammar
        tokens = self.tokens
        if tokens.kinds[tokens.i] == STRING:
            found.text = tokens.i
            tokens.i += 1
            while tokens.take(","):
                tokens.i += 1  # AS 'library', 'symbol'
                found.text = None
        elif tokens.keys[tokens.i] == "(" or (grammar.expressions.is_query(tokens.i) and not self.dialect.batches):
            at = tokens.starts[tokens.i]
            if grammar.expressions.is_query(tokens.i):
                query = grammar.queries.query()
                found.body.append(tree.Return(at, tokens.end_of_last(), None, query))
            else:
                value = grammar.expressions.expression()
                found.body.append(tree.Return(at, tokens.end_of_last(), value, None))
        else:
            self._inline_body(found)

    def _macro_body(self, found: tree.Routine) -> None:
        """``AS expression``, ``AS TABLE query``."""
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        if tokens.take("table"):
            found.returns = []
            found.body.append(tree.Return(start, 0, None, self.grammar.queries.query()))
        else:
            found.body.append(tree.Return(start, 0, self.grammar.expressions.expression(), None))

    def _inline_body(self, found: tree.Routine) -> None:
        """Read a body that stands in the statement itself."""
        tokens = self.tokens
        tokens.in_block += 1
        if tokens.keys[tokens.i] == "begin" or tokens.keys[tokens.i] == "declare":
            found.body.append(self.grammar.statements.statement())
            if self.dialect.batches:
                found.body += self._rest_of_batch()
        elif self.dialect.batches:
            found.body += self._rest_of_batch()
        else:
            found.body.append(self._declared_block())
        tokens.in_block -= 1

    def _declared_block(self) -> tree.Block:
        """Read ``declarations BEGIN … END`` without a word before it."""
        tokens = self.tokens
        block = tree.Block(tokens.starts[tokens.i], 0, self.grammar.variables.declarations("begin"), [])
        tokens.expect("begin")
        self.grammar.blocks.block_rest(block)
        return block

    def _rest_of_batch(self) -> list[tree.StatementNode]:
        """A T-SQL routine goes on to the end of its batch."""
        return self.grammar.blocks.body(frozenset({self.dialect.batch_separator}))

    def _read_text(self, found: tree.Routine) -> None:
        """Read a body that is given as a string, if it is in a language that is read."""
        if found.text is None:
            return
        i = found.text
        found.text = None
        language = found.language or self.dialect.body_language
        if language not in ("sql", "plpgsql", "snowflake", "plpgsqlu"):
            found.problem = (
                f"the body is in {language or 'a language that is not named'}",
                self.tokens.starts[i],
                self.tokens.ends[i],
            )
            return
        inner = self.grammar.of_string(i)
        first = inner.tokens.keys[0]
        if language == "plpgsql" or first in ("begin", "declare"):
            inner.blocks.enter_block()
        try:
            if (
                not inner.tokens.in_block
                and not inner.blocks.at_statement()
                and first not in ("values", "table")
                and not inner.expressions.is_query(0)
            ):
                value = inner.expressions.expression()
                found.body.append(tree.Return(value.start, value.end, value, None))
            else:
                found.body += inner.blocks.body(frozenset())
        except SqlSyntaxError as error:
            found.problem = (str(error), error.start, error.end)

    def _trigger(self, start: int) -> tree.StatementNode:
        grammar = self.grammar
        tokens = self.tokens
        grammar.ddl.if_not_exists()
        found = tree.Routine(start, 0, "trigger", tokens.qualified("a trigger"), [], [], None, None)
        while tokens.keys[tokens.i] not in ("on", "", ";"):
            tokens.i += 1
        tokens.expect("on")
        if tokens.take_words("nested", "table"):
            tokens.name()
            tokens.expect("of")
        found.table = grammar.tables.table_name()
        while tokens.keys[tokens.i] not in ("execute", "begin", "as", "declare", "", ";", "call", "compound"):
            if tokens.take("when"):
                found.condition = grammar.expressions.expression()
                continue
            tokens.i += 1
            if tokens.keys[tokens.i - 1] == "row" and tokens.keys[tokens.i] in (
                "set",
                "insert",
                "update",
                "delete",
            ):
                break
        if tokens.take_words("compound", "trigger"):
            found.body.append(self._compound())
        elif tokens.keys[tokens.i] in ("execute", "call"):
            tokens.i += 1
            if tokens.keys[tokens.i] in ("function", "procedure"):
                tokens.i += 1
            found.calls = tokens.qualified("a function")
            tokens.to_end()
        elif tokens.keys[tokens.i] == "as":
            tokens.i += 1
            self._inline_body(found)
        elif tokens.keys[tokens.i] in ("begin", "declare"):
            self._inline_body(found)
        elif tokens.keys[tokens.i] not in ("", ";"):
            tokens.in_block += 1
            found.body.append(grammar.statements.statement())
            tokens.in_block -= 1
        found.end = tokens.end_of_last()
        return found

    def _rule(self, first: int) -> tree.StatementNode:
        """``CREATE RULE r AS ON event TO t [WHERE …] DO [ALSO|INSTEAD] NOTHING | statement | (statement; …)``."""
        grammar = self.grammar
        tokens = self.tokens
        tokens.i += 1
        found = tree.Routine(tokens.starts[first], 0, "rule", (tokens.name("a rule"),), [], [], None, None)
        tokens.expect("as")
        tokens.expect("on")
        tokens.i += 1
        tokens.expect("to")
        found.table = grammar.tables.table_name()
        if tokens.take("where"):
            found.condition = grammar.expressions.expression()
        tokens.expect("do")
        if not tokens.take("also"):
            tokens.take("instead")
        if tokens.take("nothing"):
            pass
        elif tokens.keys[tokens.i] == "(" and not grammar.expressions.is_query(tokens.i + 1):
            tokens.i += 1
            while tokens.keys[tokens.i] != ")":
                if not tokens.take(";"):
                    found.body.append(grammar.statements.statement())
                    if tokens.keys[tokens.i] not in (";", ")"):
                        tokens.fail("“)”")
            tokens.i += 1
        else:
            parenthesized = tokens.take("(")
            found.body.append(grammar.statements.statement())
            while parenthesized and tokens.take(";") and tokens.keys[tokens.i] != ")":
                found.body.append(grammar.statements.statement())
            if parenthesized:
                tokens.expect(")")
        found.end = tokens.end_of_last()
        return found

    def _compound(self) -> tree.StatementNode:
        """The declarations and sections of a compound trigger: ``BEFORE EACH ROW IS … END BEFORE EACH ROW; …``."""
        tokens = self.tokens
        block = tree.Block(tokens.starts[tokens.i], 0, [], [])
        self.grammar.blocks.enter_block()
        while tokens.keys[tokens.i] not in ("end", ""):
            if tokens.take(";"):
                continue
            if tokens.keys[tokens.i] not in ("before", "after", "instead"):
                block.declarations.append(self.grammar.variables.declaration())
                continue
            while tokens.keys[tokens.i] not in ("is", "as", "", ";"):
                tokens.i += 1
            tokens.i += 1
            block.body.append(self._declared_block())
            while tokens.keys[tokens.i] not in (";", ""):
                tokens.i += 1  # END BEFORE EACH ROW
        tokens.expect("end")
        tokens.in_block -= 1
        if tokens.kinds[tokens.i] in (WORD, QUOTED):
            tokens.i += 1
        block.end = tokens.end_of_last()
        return block

    def _do(self) -> tree.StatementNode | None:
        """``DO [LANGUAGE l] $$ … $$``: a body that runs at once."""
        tokens = self.tokens
        first = tokens.i
        tokens.i += 1
        found = tree.Routine(tokens.starts[first], 0, "do", (), [], [], "plpgsql", None)
        if tokens.take("language"):
            found.language = tokens.written(tokens.i).strip("'").lower()
            tokens.i += 1
        if tokens.kinds[tokens.i] != STRING:
            if self.dialect.do_evaluates:  # MySQL: values are computed, and thrown away
                self.grammar.calls.expression_list()
                return tree.Recognised(tokens.starts[first], tokens.end_of_last(), "evaluate")
            tokens.i = first
            return None
        found.text = tokens.i
        tokens.i += 1
        if tokens.take("language"):
            found.language = tokens.written(tokens.i).strip("'").lower()
            tokens.i += 1
        found.end = tokens.end_of_last()
        self._read_text(found)
        return found


_ROUTINES: dict[str, Callable[[RoutineGrammar], tree.StatementNode | None]] = {
    "create": RoutineGrammar._create_routine,
    "alter": RoutineGrammar._create_routine,
    "do": RoutineGrammar._do,
}
