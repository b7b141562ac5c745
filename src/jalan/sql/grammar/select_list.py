"""The grammar of select lists: expressions with their aliases, stars with what they leave out or replace."""

from jalan.sql import tree
from jalan.sql.dialects.dialect import Dialect
from jalan.sql.grammar.expressions import ExpressionParser
from jalan.sql.lexer import PARAMETER, QUOTED, STRING, WORD, Tokens

_STAR_WORDS = frozenset({"except", "exclude", "replace", "rename", "ilike", "like", "not", "similar", "glob"})


class ItemParser(ExpressionParser):
    """Reads select lists."""

    def __init__(self, tokens: Tokens, dialect: Dialect) -> None:
        super().__init__(tokens, dialect)
        self._aliases_before = dialect.equals_aliases or dialect.columns_calls

    def items(self) -> list[tree.Item]:
        """Read a select list."""
        keys, kinds, starts = self.keys, self.kinds, self.starts
        no_alias = self._no_alias
        found = []
        while True:
            start = starts[self.i]
            before = self._alias_before() if self._aliases_before else None
            sign = keys[self.i - 1] if before is not None else ""
            expression = self.expression()
            if sign in ("+=", "-="):  # the variable takes part in what it gets
                behind = tree.Column(start, start + len(before or ""), (str(before),))
                expression = tree.Binary(start, expression.end, sign[0], behind, expression)
            if type(expression) is tree.Star and keys[self.i] in _STAR_WORDS:
                self.star_modifiers(expression)
            alias = before
            i = self.i
            kind = kinds[i]
            if kind == WORD:
                if keys[i] == "as":
                    self.i = i + 1
                    if keys[self.i] == "(":
                        names = self.names_in_parentheses()
                        found.append(tree.Item(start, self.end_of_last(), expression, None, names))
                        if self.take(","):
                            continue
                        return found
                    alias = self.string_or_name("the name of a column")
                elif keys[i] not in no_alias:
                    alias = self.name()
            elif kind == QUOTED:
                alias = self.name()
            elif kind == STRING and self.dialect.string_aliases:
                alias = self.string_or_name("the name of a column")
            found.append(tree.Item(start, self.ends[self.i - 1], expression, alias))
            if keys[self.i] != ",":
                return found
            self.i += 1
            if keys[self.i] in ("from", "", ")", ";") and self.dialect.trailing_commas:
                return found

    def _alias_before(self) -> str | None:
        """Read ``alias =``, or ``alias:``, if it stands here."""
        if self.dialect.columns_calls:
            if self.kinds[self.i] in (WORD, QUOTED, STRING) and self.keys[self.i + 1] == ":":
                name = self.string_or_name("a name")
                self.i += 1
                return name
            return None
        if self.kinds[self.i] in (WORD, QUOTED, STRING) and self.keys[self.i + 1] in ("=", "+=", "-="):
            if self.keys[self.i] in self._reserved:
                return None
            name = self.string_or_name("a name")
            self.i += 1
            return name
        return None

    def string_or_name(self, what: str) -> str:
        """Read a name that may be written as a string."""
        if self.kinds[self.i] == STRING:
            text = self.written(self.i)
            self.i += 1
            name = text[text.index(text[-1]) + 1 : -1]
            return self._folding.named(name)
        if self.kinds[self.i] == PARAMETER:
            self.i += 1
            return self.written(self.i - 1)
        return self.name(what)

    def star_modifiers(self, star: tree.Star) -> None:
        found = tree.StarModifiers(self.starts[self.i], 0, [], [], [])
        while self.keys[self.i] in _STAR_WORDS:
            key = self.keys[self.i]
            if key == "except" and (self.peek() != "(" or self._is_query(self.i + 2)):
                break  # the set operation
            self.i += 1
            if key in ("except", "exclude"):
                found.excluded += self._excluded()
            elif key in ("ilike", "like", "not", "similar", "glob"):
                self._chosen_by_name(found, key)
            elif self.take("("):
                self._replaced(found) if key == "replace" else self._renamed(found)
                while self.take(","):
                    self._replaced(found) if key == "replace" else self._renamed(found)
                self.expect(")")
            else:
                self._replaced(found) if key == "replace" else self._renamed(found)
        found.end = star.end = self.end_of_last()
        if found.excluded or found.replaced or found.renamed or found.pattern is not None:
            star.modifiers = found

    def _chosen_by_name(self, found: tree.StarModifiers, key: str) -> None:
        words = [key]
        if key == "not":
            words.append(self.keys[self.i])
            self.i += 1
        if words[-1] == "similar":
            self.expect("to")
            words.append("to")
        if words[-1] not in ("ilike", "like", "to", "glob") or self.kinds[self.i] != STRING:
            self.fail("a pattern")
        found.pattern, found.match = self.written(self.i)[1:-1], " ".join(words)
        self.i += 1

    def _excluded(self) -> list[tuple[str, ...]]:
        if self.keys[self.i] != "(":
            return [self.qualified("a column")]
        self.i += 1
        names = []
        while True:
            names.append(self.qualified("a column"))
            if not self.take(","):
                break
        self.expect(")")
        return names

    def _replaced(self, found: tree.StarModifiers) -> None:
        start = self.starts[self.i]
        expression = self.expression()
        self.take("as")
        name = self.name("a column")
        found.replaced.append(tree.Item(start, self.end_of_last(), expression, name))

    def _renamed(self, found: tree.StarModifiers) -> None:
        old = self.qualified("a column")[-1]
        self.expect("as")
        found.renamed.append((old, self.name("a column")))
