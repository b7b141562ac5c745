"""The grammar of constants, parameters, and names that are given as text."""

from jalan.sql import tree
from jalan.sql.grammar.part import GrammarPart
from jalan.sql.lexer import STRING


class LiteralGrammar(GrammarPart):
    """Reads constants."""

    def number(self) -> tree.Expression:
        tokens = self.tokens
        i = tokens.i
        tokens.i = i + 1
        return tree.Literal(tokens.starts[i], tokens.ends[i], "")

    def string(self) -> tree.Expression | None:
        tokens = self.tokens
        i = tokens.i
        if tokens.kinds[i] != STRING:
            tokens.fail("an expression")
        tokens.i = i + 1
        while tokens.kinds[tokens.i] == STRING:
            tokens.i += 1
        if tokens.keys[tokens.i] == "uescape" and tokens.kinds[tokens.i + 1] == STRING:
            tokens.i += 2
        return tree.Literal(tokens.starts[i], tokens.end_of_last(), "")

    def parameter(self) -> tree.Expression:
        tokens = self.tokens
        i = tokens.i
        tokens.i = i + 1
        if self.dialect.positional_columns and tokens.written(i)[1:].isdigit():
            return tree.Column(tokens.starts[i], tokens.ends[i], (tokens.written(i),))
        return tree.Parameter(tokens.starts[i], tokens.ends[i])

    def driver_parameter(self) -> tree.Expression | None:
        """Read ``%s`` or ``%(name)s``, where a driver in Python puts a value in."""
        tokens = self.tokens
        i = tokens.i
        last = i + 4 if tokens.keys[i + 1] == "(" and tokens.keys[i + 3] == ")" else i + 1
        if tokens.written(last) not in ("s", "d", "f") or tokens.ends[last - 1] != tokens.starts[last]:
            return None
        tokens.i = last + 1
        return tree.Parameter(tokens.starts[i], tokens.ends[last])

    def default(self) -> tree.Expression | None:
        """DEFAULT in the place of a value."""
        tokens = self.tokens
        if tokens.keys[tokens.i + 1] in (".", "(") or "default" not in tokens.reserved:
            return None
        return self.constant()

    def identifier(self) -> tree.Expression | None:
        """``IDENTIFIER('name')`` is the name."""
        tokens = self.tokens
        i = tokens.i
        if not self.at_identifier(i):
            return None
        tokens.i = i + 4
        if tokens.keys[tokens.i] == "(":
            return self.grammar.calls.call(i, self.named_by(i + 2))
        return tree.Column(tokens.starts[i], tokens.end_of_last(), self.named_by(i + 2))

    def at_identifier(self, i: int) -> bool:
        """Whether ``IDENTIFIER('name')`` stands at token ``i``."""
        keys = self.tokens.keys
        if keys[i] != "identifier" or "identifier" not in self.dialect.table_names:
            return False
        return keys[i + 1] == "(" and self.tokens.kinds[i + 2] == STRING and keys[i + 3] == ")"

    def named_by(self, i: int) -> tuple[str, ...]:
        """The name that a string token spells."""
        return tuple(self.tokens.spelled(part.strip('`"')) for part in self.tokens.written(i)[1:-1].split("."))

    def constant(self) -> tree.Expression:
        tokens = self.tokens
        i = tokens.i
        tokens.i = i + 1
        return tree.Literal(tokens.starts[i], tokens.ends[i], "")

    def current(self) -> tree.Expression:
        tokens = self.tokens
        i = tokens.i
        tokens.i = i + 1
        if tokens.keys[tokens.i] == "(" and tokens.keys[i].endswith(("time", "timestamp")):
            tokens.skip_parentheses()
        elif tokens.keys[tokens.i] == "(" and tokens.peek() == ")":
            tokens.i += 2
        return tree.Call(tokens.starts[i], tokens.end_of_last(), (tokens.keys[i],), [])
