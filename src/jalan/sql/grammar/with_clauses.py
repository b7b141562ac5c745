"""The grammar of WITH: common table expressions, what SEARCH and CYCLE add to them, functions of a query."""

from jalan.sql import tree
from jalan.sql.grammar.part import GrammarPart
from jalan.sql.lexer import OPERATOR, QUOTED, WORD


class WithGrammar(GrammarPart):
    """Reads WITH clauses."""

    def with_clause(self) -> tree.With:
        """Read ``WITH [RECURSIVE] name [(columns)] AS [[NOT] MATERIALIZED] (…), …``."""
        grammar = self.grammar
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        tokens.expect("with")
        recursive = tokens.take("recursive")
        routines = []
        while tokens.keys[tokens.i] in ("function", "procedure") and tokens.kinds[tokens.i + 1] in (WORD, QUOTED):
            routines.append(grammar.routines.local_routine())
            tokens.take(";")
            tokens.take(",")
        ctes: list[tree.Cte] = []
        while not routines or (tokens.kinds[tokens.i + 1] in (WORD, OPERATOR) and tokens.peek() in ("as", "(")):
            at = tokens.starts[tokens.i]
            name = tokens.name("the name of a common table expression")
            columns = tokens.names_in_parentheses() if tokens.keys[tokens.i] == "(" else None
            if tokens.take_words("max", "recursion", "level"):
                grammar.expressions.expression()
            if tokens.take_words("using", "key"):
                tokens.names_in_parentheses()
            if not tokens.take("as") and tokens.keys[tokens.i] != "(":
                tokens.expect("as")
            if tokens.keys[tokens.i] == "not":
                tokens.i += 1
            tokens.take("materialized")
            tokens.expect("(")
            inner_start = tokens.starts[tokens.i]
            inner = self.with_clause() if tokens.keys[tokens.i] == "with" else None
            statement: tree.Query | tree.StatementNode
            statement = grammar.dml.modifying(inner) or grammar.queries.query_body(inner, inner_start)
            tokens.expect(")")
            added = self._search_and_cycle()
            ctes.append(tree.Cte(at, tokens.end_of_last(), name, columns, statement, added))
            if not tokens.take(","):
                break
        return tree.With(start, tokens.end_of_last(), recursive, ctes, routines or None)

    def _search_and_cycle(self) -> list[tuple[str, str, list[str]]]:
        """Read ``SEARCH … SET s`` and ``CYCLE … SET c [… USING p]``; returns the columns that they add, each with
        its role and the columns that it follows."""
        tokens = self.tokens
        added = []
        if tokens.take("search"):
            if not (tokens.take("depth") or tokens.take("breadth")):
                tokens.fail("DEPTH or BREADTH")
            tokens.expect("first")
            tokens.expect("by")
            followed = self._sorted_names()
            tokens.expect("set")
            added.append((tokens.name("a column"), "order", followed))
        if tokens.take("cycle"):
            followed = self._sorted_names()
            if tokens.take("restrict"):  # MariaDB
                return added
            tokens.expect("set")
            added.append((tokens.name("a column"), "mark", followed))
            if tokens.take("to"):
                self.grammar.expressions.expression()
                tokens.expect("default")
                self.grammar.expressions.expression()
            if tokens.take("using"):
                added.append((tokens.name("a column"), "path", followed))
            elif not self.dialect.bare_cycles:
                tokens.expect("using")
        return added

    def _sorted_names(self) -> list[str]:
        tokens = self.tokens
        names = []
        while True:
            names.append(tokens.name("a column"))
            if not tokens.take("asc"):
                tokens.take("desc")
            if tokens.take("nulls"):
                tokens.i += 1  # FIRST or LAST
            if not tokens.take(","):
                return names
