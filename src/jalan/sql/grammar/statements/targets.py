"""The grammar of what a change writes to, and of what it puts out: columns, assignments, RETURNING, OUTPUT."""

from typing import NamedTuple

from jalan.sql import tree
from jalan.sql.lexer import END
from jalan.sql.grammar.pipes import PipeParser


class _Target(NamedTuple):
    """What is written to: a column, the table that it is qualified with, and how a part of it is named."""

    name: str
    qualifier: str | None
    part: str


class TargetParser(PipeParser):
    """Reads targets. ``in_block`` counts the blocks around the current statement."""

    in_block = 0

    def _target_alias(self) -> str | None:
        if self.take("as") or self._at_alias():
            return self.name("an alias")
        return None

    def _column_targets(self, tables: tuple[str, ...] = ()) -> list[str]:
        """Read ``(a, b.field, c[1])``: the columns that are written, maybe qualified with one of ``tables``."""
        return [target.name for target in self._qualified_targets(tables)]

    def _qualified_targets(self, tables: tuple[str, ...]) -> list[_Target]:
        self.expect("(")
        found: list[_Target] = []
        while self.keys[self.i] != ")":
            found.append(self._column_target(tables))
            if not self.take(","):
                break
        self.expect(")")
        return found

    def _column_target(self, tables: tuple[str, ...] = ()) -> _Target:
        """Read what is written to, maybe qualified with one of ``tables``."""
        name = self.string_or_name("a column")
        qualifier = None
        whole = self.i
        while self.keys[self.i] in (".", "["):
            if self.take("."):
                part = self.name("a field")
                if name in tables and qualifier is None:
                    qualifier, name = name, part
                    whole = self.i
            else:
                self._skip_subscript()
        return _Target(name, qualifier, "".join(map(self.written, range(whole, self.i))))

    def _skip_subscript(self) -> None:
        while not self.take("]"):
            if self.kinds[self.i] == END:
                self.fail("“]”")
            self.i += 1

    def _assignments(self, tables: tuple[str, ...] = ()) -> list[tree.Assignment]:
        found = []
        while True:
            start = self.starts[self.i]
            if self.keys[self.i] == "(":
                targets = self._qualified_targets(tables)
            else:
                targets = [self._column_target(tables)]
            columns = [target.name for target in targets]
            operator = self.keys[self.i]
            if operator in ("+=", "-=", "*=", "/=", "%=", "&=", "|=", "^=", ":="):
                self.i += 1
            else:
                self.expect("=")
            if self.keys[self.i] == "default" and self.peek() != "(":
                i = self.i
                self.i += 1
                value: tree.Expression = tree.Literal(self.starts[i], self.ends[i], "")
            else:
                value = self.expression()
            if operator not in ("=", ":="):
                before = tree.Column(start, self.end_of_last(), (columns[0],))
                value = tree.Binary(value.start, value.end, operator[0], before, value)
            qualifier, part = targets[0].qualifier, "".join(target.part for target in targets)
            found.append(tree.Assignment(start, self.end_of_last(), columns, value, qualifier, part))
            if not self.take(","):
                return found

    def _returning(self, statement: tree.Insert | tree.Update | tree.Delete | tree.Merge) -> None:
        """``RETURNING items [[BULK COLLECT] INTO variables]``."""
        if not (self.take("returning") or (self.in_block and self.take("return"))):
            return
        if self.take("with"):  # RETURNING WITH (OLD AS o, NEW AS n)
            self.skip_parentheses()
        statement.returning += self.items()
        self.take_words("bulk", "collect")
        if self.take("into"):
            self.take("strict")
            statement.into_variables = [self._variable_target()]
            while self.take(","):
                statement.into_variables.append(self._variable_target())

    def _variable_target(self) -> str:
        """Read a variable that takes a value, maybe a field or an element of one."""
        name = self.string_or_name("a variable")
        while self.keys[self.i] in (".", "(", "["):
            if self.take("."):
                name = f"{name}.{self.name('a field')}"
            elif self.keys[self.i] == "(":
                self.skip_parentheses()
            else:
                self._skip_subscript()
        return name

    def _output(self, statement: tree.Insert | tree.Update | tree.Delete | tree.Merge) -> None:
        """``OUTPUT inserted.a, deleted.b [INTO table [(columns)]]``."""
        if not self.take("output"):
            return
        statement.returning += self.items()
        if self.take("into"):
            statement.into = self.table_name()
            if self.keys[self.i] == "(":
                statement.into_columns = self.names_in_parentheses()
