"""The grammar of routines and triggers: CREATE FUNCTION, PROCEDURE, TRIGGER, and DO, with their bodies."""

from collections.abc import Callable

from jalan.sql import tree
from jalan.sql.grammar.statements.blocks import BlockParser
from jalan.sql.grammar.token_stream import SqlSyntaxError
from jalan.sql.lexer import END, QUOTED, STRING, WORD, Tokens

_LOOPS = frozenset({"if", "loop", "while", "repeat", "for"})
# What may stand behind the body of a routine.
_OPTIONS = frozenset(
    """
    language immutable stable volatile strict security parallel cost rows set returns called leakproof options
    comment using execute window support with
    """.split()
)


class ProcedureParser(BlockParser):
    """Reads routines."""

    def inner_tokens(self, i: int) -> Tokens:
        """Return the tokens of what a string token holds, with their offsets in the whole text."""
        raise NotImplementedError

    def procedural(self) -> tree.Statement | None:
        key = self.keys[self.i]
        # ALTER brings a new body only in T-SQL; elsewhere it changes what stands around the body.
        handler = _ROUTINES.get(key) if key != "alter" or self.dialect.bare_statements else None
        found = handler(self) if handler is not None else None
        return super().procedural() if found is None else found

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
        if kind == "rule" and self.dialect.system_schema:
            return self._rule(first)
        package = kind in ("package", "type") and self.dialect.bare_calls
        if not package and (
            kind not in ("function", "procedure", "proc", "trigger", "macro") or self.peek() in ("mapping",)
        ):
            self.i = first
            return None
        self.i += 1
        start = self.starts[first]
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

    def local_routine(self) -> tree.Statement:
        start = self.starts[self.i]
        kind = self.keys[self.i]
        self.i += 1
        found = self._routine(start, kind)
        assert isinstance(found, tree.Routine)
        if not found.body and self.keys[self.i] == ";":
            return tree.Recognised(start, self.end_of_last(), "declare")  # only announced
        return found

    def _package(self, first: int, kind: str) -> tree.Statement | None:
        """``CREATE PACKAGE [BODY] p AS declarations … [BEGIN …] END [p]``, and bodies of types."""
        start = self.starts[first]
        body = self.take("body")
        if kind == "type" and not body:
            self.i = first
            return None
        self._if_not_exists()
        name = self.qualified("the name of a package")
        while self.keys[self.i] not in ("as", "is", "", ";"):
            self.i += 1
        if not self.take("is"):
            self.expect("as")
        block = tree.Block(self.starts[self.i], 0, [], [])
        self.enter_block()
        block.declarations = self._declarations("begin", "end")
        if self.take("begin"):
            self._block_rest(block)
        else:
            self.expect("end")
            if self.kinds[self.i] in (WORD, QUOTED):
                self.i += 1
        self.in_block -= 1
        block.end = self.end_of_last()
        if not body:
            return tree.Recognised(start, self.end_of_last(), "create_package")
        return tree.Routine(start, self.end_of_last(), f"{kind}_body", name, [], [block], None, None)

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
            self._to_body_end()

    def _to_body_end(self) -> None:
        """Step to the end of a routine that is not read: the semicolons between BEGIN and END belong to it."""
        open_, seen = 0, False
        while self.kinds[self.i] != END:
            key = self.keys[self.i]
            if key in ("begin", "case") and self.keys[self.i - 1] != "end":
                open_ += 1
                seen = seen or key == "begin"
            elif key == "end" and self.peek() not in _LOOPS:
                open_ -= 1
            elif key == ";" and open_ <= 0 and (seen or not self.dialect.bare_calls):
                return
            self.i += 1

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
                    while self.keys[self.i] in ("in", "out", "inout", "nocopy"):
                        mode += self.keys[self.i] if self.keys[self.i] != "nocopy" else ""
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
                        self.in_block += 1
                        found.body.append(self.statement())
                        self.in_block -= 1
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
                if self.dialect.bare_statements or self.keys[self.i] not in _OPTIONS:
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
            found.body.append(self._declared_block())
        self.in_block -= 1

    def _declared_block(self) -> tree.Block:
        """Read ``declarations BEGIN … END`` without a word before it."""
        block = tree.Block(self.starts[self.i], 0, self._declarations("begin"), [])
        self.expect("begin")
        self._block_rest(block)
        return block

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
                and parser.keys[0] not in ("values", "table")
                and not parser._is_query(0)
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
        if self.take_words("nested", "table"):
            self.name()
            self.expect("of")
        found.table = self.table_name()
        while self.keys[self.i] not in ("execute", "begin", "as", "declare", "", ";", "call", "compound"):
            if self.take("when"):
                found.condition = self.expression()
                continue
            self.i += 1
            if self.keys[self.i - 1] == "row" and self.keys[self.i] in ("set", "insert", "update", "delete"):
                break
        if self.take_words("compound", "trigger"):
            found.body.append(self._compound())
        elif self.keys[self.i] in ("execute", "call"):
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

    def _rule(self, first: int) -> tree.Statement:
        """``CREATE RULE r AS ON event TO t [WHERE …] DO [ALSO|INSTEAD] NOTHING | statement | (statement; …)``."""
        self.i += 1
        found = tree.Routine(self.starts[first], 0, "rule", (self.name("a rule"),), [], [], None, None)
        self.expect("as")
        self.expect("on")
        self.i += 1
        self.expect("to")
        found.table = self.table_name()
        if self.take("where"):
            found.condition = self.expression()
        self.expect("do")
        if not self.take("also"):
            self.take("instead")
        if self.take("nothing"):
            pass
        elif self.keys[self.i] == "(" and not self._is_query(self.i + 1):
            self.i += 1
            while self.keys[self.i] != ")":
                if not self.take(";"):
                    found.body.append(self.statement())
                    if self.keys[self.i] not in (";", ")"):
                        self.fail("“)”")
            self.i += 1
        else:
            parenthesized = self.take("(")
            found.body.append(self.statement())
            while parenthesized and self.take(";") and self.keys[self.i] != ")":
                found.body.append(self.statement())
            if parenthesized:
                self.expect(")")
        found.end = self.end_of_last()
        return found

    def _compound(self) -> tree.Statement:
        """The declarations and sections of a compound trigger: ``BEFORE EACH ROW IS … END BEFORE EACH ROW; …``."""
        block = tree.Block(self.starts[self.i], 0, [], [])
        self.enter_block()
        while self.keys[self.i] not in ("end", ""):
            if self.take(";"):
                continue
            if self.keys[self.i] not in ("before", "after", "instead"):
                block.declarations.append(self._declaration())
                continue
            while self.keys[self.i] not in ("is", "as", "", ";"):
                self.i += 1
            self.i += 1
            block.body.append(self._declared_block())
            while self.keys[self.i] not in (";", ""):
                self.i += 1  # END BEFORE EACH ROW
        self.expect("end")
        self.in_block -= 1
        if self.kinds[self.i] in (WORD, QUOTED):
            self.i += 1
        block.end = self.end_of_last()
        return block

    def _do(self) -> tree.Statement | None:
        """``DO [LANGUAGE l] $$ … $$``: a body that runs at once."""
        first = self.i
        self.i += 1
        found = tree.Routine(self.starts[first], 0, "do", (), [], [], "plpgsql", None)
        if self.take("language"):
            found.language = self.written(self.i).strip("'").lower()
            self.i += 1
        if self.kinds[self.i] != STRING:
            if self.dialect.executed_comments:  # MySQL: values are computed, and thrown away
                self.expression_list()
                return tree.Recognised(self.starts[first], self.end_of_last(), "evaluate")
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


_ROUTINES: dict[str, Callable[[ProcedureParser], tree.Statement | None]] = {
    "create": ProcedureParser._create_routine,
    "alter": ProcedureParser._create_routine,
    "do": ProcedureParser._do,
}
