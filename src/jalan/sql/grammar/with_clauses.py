"""The grammar of WITH: common table expressions, what SEARCH and CYCLE add to them, functions of a query."""

from jalan.sql import tree
from jalan.sql.grammar.table_refs import FromParser
from jalan.sql.lexer import OPERATOR, QUOTED, WORD


class WithParser(FromParser):
    """Reads WITH clauses. The queries and changes inside are read by classes below this one."""

    def query_body(self, ctes: tree.With | None, start: int) -> tree.Query:
        """Read a query whose WITH clause has been read."""
        raise NotImplementedError

    def modifying(self, ctes: tree.With | None) -> tree.Statement | None:
        """Read an INSERT, UPDATE, DELETE or MERGE if one starts here."""
        raise NotImplementedError

    def with_clause(self) -> tree.With:
        """Read ``WITH [RECURSIVE] name [(columns)] AS [[NOT] MATERIALIZED] (…), …``."""
        start = self.starts[self.i]
        self.expect("with")
        recursive = self.take("recursive")
        routines = []
        while self.keys[self.i] in ("function", "procedure") and self.kinds[self.i + 1] in (WORD, QUOTED):
            routines.append(self.local_routine())
            self.take(";")
            self.take(",")
        ctes: list[tree.Cte] = []
        while not routines or (self.kinds[self.i + 1] in (WORD, OPERATOR) and self.peek() in ("as", "(")):
            at = self.starts[self.i]
            name = self.name("the name of a common table expression")
            columns = self.names_in_parentheses() if self.keys[self.i] == "(" else None
            if self.take_words("max", "recursion", "level"):
                self.expression()
            if self.take_words("using", "key"):
                self.names_in_parentheses()
            if not self.take("as") and self.keys[self.i] != "(":
                self.expect("as")
            if self.keys[self.i] == "not":
                self.i += 1
            self.take("materialized")
            self.expect("(")
            inner_start = self.starts[self.i]
            inner = self.with_clause() if self.keys[self.i] == "with" else None
            statement: tree.Query | tree.Statement
            statement = self.modifying(inner) or self.query_body(inner, inner_start)
            self.expect(")")
            added = self._search_and_cycle()
            ctes.append(tree.Cte(at, self.end_of_last(), name, columns, statement, added))
            if not self.take(","):
                break
        return tree.With(start, self.end_of_last(), recursive, ctes, routines or None)

    def local_routine(self) -> tree.Statement:
        """Read ``FUNCTION f (…) …`` where it is declared inside a query or a block."""
        raise NotImplementedError

    def _search_and_cycle(self) -> list[tuple[str, str, list[str]]]:
        """Read ``SEARCH … SET s`` and ``CYCLE … SET c [… USING p]``; returns the columns that they add, each with
        its role and the columns that it follows."""
        added = []
        if self.take("search"):
            if not (self.take("depth") or self.take("breadth")):
                self.fail("DEPTH or BREADTH")
            self.expect("first")
            self.expect("by")
            followed = self._sorted_names()
            self.expect("set")
            added.append((self.name("a column"), "order", followed))
        if self.take("cycle"):
            followed = self._sorted_names()
            if self.take("restrict"):  # MariaDB
                return added
            self.expect("set")
            added.append((self.name("a column"), "mark", followed))
            if self.take("to"):
                self.expression()
                self.expect("default")
                self.expression()
            if self.take("using"):
                added.append((self.name("a column"), "path", followed))
            elif self.dialect.joins_need_condition:
                self.expect("using")
        return added

    def _sorted_names(self) -> list[str]:
        names = []
        while True:
            names.append(self.name("a column"))
            if not self.take("asc"):
                self.take("desc")
            if self.take("nulls"):
                self.i += 1  # FIRST or LAST
            if not self.take(","):
                return names
