"""The grammar of what a change writes to, and of what it puts out: columns, assignments, RETURNING, OUTPUT."""

from typing import NamedTuple

from jalan.sql import tree
from jalan.sql.grammar.part import GrammarPart
from jalan.sql.lexer import END


class _Target(NamedTuple):
    """What is written to: a column, the table that it is qualified with, and how a part of it is named."""

    name: str
    qualifier: str | None
    part: str


class TargetGrammar(GrammarPart):
    """Reads what is written to, and what is put out of it."""

    def target_alias(self) -> str | None:
        if self.tokens.take("as") or self.grammar.tables.at_alias():
            return self.tokens.name("an alias")
        return None

    def column_targets(self, tables: tuple[str, ...] = ()) -> list[str]:
        """Read ``(a, b.field, c[1])``: the columns that are written, maybe qualified with one of ``tables``."""
        return [target.name for target in self._qualified_targets(tables)]

    def _qualified_targets(self, tables: tuple[str, ...]) -> list[_Target]:
        tokens = self.tokens
        tokens.expect("(")
        found: list[_Target] = []
        while tokens.keys[tokens.i] != ")":
            found.append(self.column_target(tables))
            if not tokens.take(","):
                break
        tokens.expect(")")
        return found

    def column_target(self, tables: tuple[str, ...] = ()) -> _Target:
        """Read what is written to, maybe qualified with one of ``tables``."""
        tokens = self.tokens
        name = self.grammar.select_list.string_or_name("a column")
        qualifier = None
        whole = tokens.i
        while tokens.keys[tokens.i] in (".", "["):
            if tokens.take("."):
                part = tokens.name("a field")
                if name in tables and qualifier is None:
                    qualifier, name = name, part
                    whole = tokens.i
            else:
                self._skip_subscript()
        return _Target(name, qualifier, "".join(map(tokens.written, range(whole, tokens.i))))

    def _skip_subscript(self) -> None:
        tokens = self.tokens
        while not tokens.take("]"):
            if tokens.kinds[tokens.i] == END:
                tokens.fail("“]”")
            tokens.i += 1

    def assignments(self, tables: tuple[str, ...] = ()) -> list[tree.Assignment]:
        tokens = self.tokens
        found = []
        while True:
            start = tokens.starts[tokens.i]
            if tokens.keys[tokens.i] == "(":
                targets = self._qualified_targets(tables)
            else:
                targets = [self.column_target(tables)]
            columns = [target.name for target in targets]
            operator = tokens.keys[tokens.i]
            if operator in ("+=", "-=", "*=", "/=", "%=", "&=", "|=", "^=", ":="):
                tokens.i += 1
            else:
                tokens.expect("=")
            if tokens.keys[tokens.i] == "default" and tokens.peek() != "(":
                i = tokens.i
                tokens.i += 1
                value: tree.Expression = tree.Literal(tokens.starts[i], tokens.ends[i], "")
            else:
                value = self.grammar.expressions.expression()
            if operator not in ("=", ":="):
                before = tree.Column(start, tokens.end_of_last(), (columns[0],))
                value = tree.Binary(value.start, value.end, operator[0], before, value)
            qualifier, part = targets[0].qualifier, "".join(target.part for target in targets)
            found.append(tree.Assignment(start, tokens.end_of_last(), columns, value, qualifier, part))
            if not tokens.take(","):
                return found

    def returning(self, statement: tree.Insert | tree.Update | tree.Delete | tree.Merge) -> None:
        """``RETURNING items [[BULK COLLECT] INTO variables]``."""
        tokens = self.tokens
        if not (tokens.take("returning") or (tokens.in_block and tokens.take("return"))):
            return
        if tokens.take("with"):  # RETURNING WITH (OLD AS o, NEW AS n)
            tokens.skip_parentheses()
        statement.returning += self.grammar.select_list.items()
        tokens.take_words("bulk", "collect")
        if tokens.take("into"):
            tokens.take("strict")
            statement.into_variables = [self.variable_target()]
            while tokens.take(","):
                statement.into_variables.append(self.variable_target())

    def variable_target(self) -> str:
        """Read a variable that takes a value, maybe a field or an element of one."""
        tokens = self.tokens
        name = self.grammar.select_list.string_or_name("a variable")
        while tokens.keys[tokens.i] in (".", "(", "["):
            if tokens.take("."):
                name = f"{name}.{tokens.name('a field')}"
            elif tokens.keys[tokens.i] == "(":
                tokens.skip_parentheses()
            else:
                self._skip_subscript()
        return name

    def output(self, statement: tree.Insert | tree.Update | tree.Delete | tree.Merge) -> None:
        """``OUTPUT inserted.a, deleted.b [INTO table [(columns)]]``."""
        tokens = self.tokens
        if not tokens.take("output"):
            return
        statement.returning += self.grammar.select_list.items()
        if tokens.take("into"):
            statement.into = self.grammar.tables.table_name()
            if tokens.keys[tokens.i] == "(":
                statement.into_columns = tokens.names_in_parentheses()
