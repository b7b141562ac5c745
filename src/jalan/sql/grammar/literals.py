"""The grammar of constants, parameters, and names that are given as text."""

from jalan.sql import tree
from jalan.sql.grammar.constructors import ConstructorParser
from jalan.sql.lexer import STRING


class LiteralParser(ConstructorParser):
    """Reads constants."""

    def _number(self) -> tree.Expression:
        i = self.i
        self.i = i + 1
        return tree.Literal(self.starts[i], self.ends[i], "")

    def _string(self) -> tree.Expression | None:
        i = self.i
        if self.kinds[i] != STRING:
            self.fail("an expression")
        self.i = i + 1
        while self.kinds[self.i] == STRING:
            self.i += 1
        if self.keys[self.i] == "uescape" and self.kinds[self.i + 1] == STRING:
            self.i += 2
        return tree.Literal(self.starts[i], self.end_of_last(), "")

    def _parameter(self) -> tree.Expression:
        i = self.i
        self.i = i + 1
        if self.dialect.positional_columns and self.written(i)[1:].isdigit():
            return tree.Column(self.starts[i], self.ends[i], (self.written(i),))
        return tree.Parameter(self.starts[i], self.ends[i])

    def _driver_parameter(self) -> tree.Expression | None:
        """Read ``%s`` or ``%(name)s``, where a driver in Python puts a value in."""
        i = self.i
        last = i + 4 if self.keys[i + 1] == "(" and self.keys[i + 3] == ")" else i + 1
        if self.written(last) not in ("s", "d", "f") or self.ends[last - 1] != self.starts[last]:
            return None
        self.i = last + 1
        return tree.Parameter(self.starts[i], self.ends[last])

    def _default(self) -> tree.Expression | None:
        """DEFAULT in the place of a value."""
        if self.keys[self.i + 1] in (".", "(") or "default" not in self._reserved:
            return None
        return self._constant()

    def _identifier(self) -> tree.Expression | None:
        """``IDENTIFIER('name')`` is the name."""
        i = self.i
        if not self._at_identifier(i):
            return None
        self.i = i + 4
        if self.keys[self.i] == "(":
            return self.call(i, self._named_by(i + 2))
        return tree.Column(self.starts[i], self.end_of_last(), self._named_by(i + 2))

    def _at_identifier(self, i: int) -> bool:
        """Whether ``IDENTIFIER('name')`` stands at token ``i``."""
        keys = self.keys
        if keys[i] != "identifier" or "identifier" not in self.dialect.table_names:
            return False
        return keys[i + 1] == "(" and self.kinds[i + 2] == STRING and keys[i + 3] == ")"

    def _named_by(self, i: int) -> tuple[str, ...]:
        """The name that a string token spells."""
        return tuple(self._spelled(part.strip('`"')) for part in self.written(i)[1:-1].split("."))

    def _constant(self) -> tree.Expression:
        i = self.i
        self.i = i + 1
        return tree.Literal(self.starts[i], self.ends[i], "")

    def _current(self) -> tree.Expression:
        i = self.i
        self.i = i + 1
        if self.keys[self.i] == "(" and self.keys[i].endswith(("time", "timestamp")):
            self.skip_parentheses()
        elif self.keys[self.i] == "(" and self.peek() == ")":
            self.i += 2
        return tree.Call(self.starts[i], self.end_of_last(), (self.keys[i],), [])
