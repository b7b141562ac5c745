"""The grammar of select lists: expressions with their aliases, stars with what they leave out or replace."""

from typing import TYPE_CHECKING

from jalan.sql import tree
from jalan.sql.grammar.part import GrammarPart
from jalan.sql.lexer import PARAMETER, QUOTED, STRING, WORD

if TYPE_CHECKING:
    from jalan.sql.grammar.assembly import Grammar

_STAR_WORDS = frozenset({"except", "exclude", "replace", "rename", "ilike", "like", "not", "similar", "glob"})


class SelectListGrammar(GrammarPart):
    """Reads select lists."""

    def __init__(self, grammar: "Grammar") -> None:
        super().__init__(grammar)
        dialect = self.dialect
        self._aliases_before = dialect.equals_aliases or dialect.prefix_aliases

    def items(self) -> list[tree.SelectItem]:
        """Read a select list."""
        tokens = self.tokens
        keys, kinds, starts = tokens.keys, tokens.kinds, tokens.starts
        no_alias = tokens.no_alias
        found = []
        while True:
            start = starts[tokens.i]
            before = self._alias_before() if self._aliases_before else None
            sign = keys[tokens.i - 1] if before is not None else ""
            expression = self.grammar.expressions.expression()
            if sign in ("+=", "-="):  # the variable takes part in what it gets
                behind = tree.Column(start, start + len(before or ""), (str(before),))
                expression = tree.Binary(start, expression.end, sign[0], behind, expression)
            if type(expression) is tree.Star and keys[tokens.i] in _STAR_WORDS:
                self.star_modifiers(expression)
            alias = before
            i = tokens.i
            kind = kinds[i]
            if kind == WORD:
                if keys[i] == "as":
                    tokens.i = i + 1
                    if keys[tokens.i] == "(":
                        names = tokens.names_in_parentheses()
                        found.append(tree.SelectItem(start, tokens.end_of_last(), expression, None, names))
                        if tokens.take(","):
                            continue
                        return found
                    alias = self.string_or_name("the name of a column")
                elif keys[i] not in no_alias:
                    alias = tokens.name()
            elif kind == QUOTED:
                alias = tokens.name()
            elif kind == STRING and self.dialect.string_aliases:
                alias = self.string_or_name("the name of a column")
            found.append(tree.SelectItem(start, tokens.ends[tokens.i - 1], expression, alias))
            if keys[tokens.i] != ",":
                return found
            tokens.i += 1
            if keys[tokens.i] in ("from", "", ")", ";") and self.dialect.trailing_commas:
                return found

    def _alias_before(self) -> str | None:
        """Read ``alias =``, or ``alias:``, if it stands here."""
        tokens = self.tokens
        if self.dialect.prefix_aliases:
            if tokens.kinds[tokens.i] in (WORD, QUOTED, STRING) and tokens.keys[tokens.i + 1] == ":":
                name = self.string_or_name("a name")
                tokens.i += 1
                return name
            return None
        if tokens.kinds[tokens.i] in (WORD, QUOTED, STRING) and tokens.keys[tokens.i + 1] in ("=", "+=", "-="):
            if tokens.keys[tokens.i] in tokens.reserved:
                return None
            name = self.string_or_name("a name")
            tokens.i += 1
            return name
        return None

    def string_or_name(self, what: str) -> str:
        """Read a name that may be written as a string."""
        tokens = self.tokens
        if tokens.kinds[tokens.i] == STRING:
            text = tokens.written(tokens.i)
            tokens.i += 1
            name = text[text.index(text[-1]) + 1 : -1]
            return tokens.folding.named(name)
        if tokens.kinds[tokens.i] == PARAMETER:
            tokens.i += 1
            return tokens.written(tokens.i - 1)
        return tokens.name(what)

    def star_modifiers(self, star: tree.Star) -> None:
        tokens = self.tokens
        found = tree.StarModifiers(tokens.starts[tokens.i], 0, [], [], [])
        while tokens.keys[tokens.i] in _STAR_WORDS:
            key = tokens.keys[tokens.i]
            if key == "except" and (tokens.peek() != "(" or self.grammar.expressions.is_query(tokens.i + 2)):
                break  # the set operation
            tokens.i += 1
            if key in ("except", "exclude"):
                found.excluded += self._excluded()
            elif key in ("ilike", "like", "not", "similar", "glob"):
                self._chosen_by_name(found, key)
            elif tokens.take("("):
                self._replaced(found) if key == "replace" else self._renamed(found)
                while tokens.take(","):
                    self._replaced(found) if key == "replace" else self._renamed(found)
                tokens.expect(")")
            else:
                self._replaced(found) if key == "replace" else self._renamed(found)
        found.end = star.end = tokens.end_of_last()
        if found.excluded or found.replaced or found.renamed or found.pattern is not None:
            star.modifiers = found

    def _chosen_by_name(self, found: tree.StarModifiers, key: str) -> None:
        tokens = self.tokens
        words = [key]
        if key == "not":
            words.append(tokens.keys[tokens.i])
            tokens.i += 1
        if words[-1] == "similar":
            tokens.expect("to")
            words.append("to")
        if words[-1] not in ("ilike", "like", "to", "glob") or tokens.kinds[tokens.i] != STRING:
            tokens.fail("a pattern")
        found.pattern, found.match = tokens.written(tokens.i)[1:-1], " ".join(words)
        tokens.i += 1

    def _excluded(self) -> list[tuple[str, ...]]:
        tokens = self.tokens
        if tokens.keys[tokens.i] != "(":
            return [tokens.qualified("a column")]
        tokens.i += 1
        names = []
        while True:
            names.append(tokens.qualified("a column"))
            if not tokens.take(","):
                break
        tokens.expect(")")
        return names

    def _replaced(self, found: tree.StarModifiers) -> None:
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        expression = self.grammar.expressions.expression()
        tokens.take("as")
        name = tokens.name("a column")
        found.replaced.append(tree.SelectItem(start, tokens.end_of_last(), expression, name))

    def _renamed(self, found: tree.StarModifiers) -> None:
        tokens = self.tokens
        old = tokens.qualified("a column")[-1]
        tokens.expect("as")
        found.renamed.append((old, tokens.name("a column")))
