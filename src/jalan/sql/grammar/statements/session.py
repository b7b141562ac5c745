"""The grammar of statements about a session: SET, USE, what is prepared, explained and cached, and DELIMITER."""

from jalan.sql import tree
from jalan.sql.grammar.part import GrammarPart
from jalan.sql.grammar.statements.registry import register
from jalan.sql.lexer import END, OPERATOR, QUOTED, STRING, WORD


class SessionGrammar(GrammarPart):
    """Reads statements about the session."""

    def cache(self) -> tree.StatementNode | None:
        """``CACHE [LAZY] TABLE t [OPTIONS (…)] [AS] query``: a name for rows that are kept for the session."""
        grammar = self.grammar
        tokens = self.tokens
        first = tokens.i
        tokens.i += 1
        tokens.take("lazy")
        if not tokens.take("table"):
            tokens.i = first
            return None
        target = grammar.tables.table_name()
        if tokens.take("options"):
            tokens.skip_parentheses()
        tokens.take("as")
        if not grammar.expressions.is_query(tokens.i):
            self.tokens.to_end()
            return tree.Recognised(tokens.starts[first], tokens.end_of_last(), "cache_table")
        query = grammar.queries.query()
        return tree.CreateView(
            tokens.starts[first], tokens.end_of_last(), target, None, query, False, True, "cached_table"
        )

    def explain(self) -> tree.StatementNode:
        tokens = self.tokens
        first = tokens.i
        tokens.to_end()
        return tree.Recognised(tokens.starts[first], tokens.end_of_last(), "explain")

    def prepare(self) -> tree.StatementNode | None:
        """``PREPARE name [(types)] AS statement``: what is prepared is what will run."""
        tokens = self.tokens
        first = tokens.i
        tokens.i += 1
        tokens.name("a name")
        if tokens.keys[tokens.i] == "(":
            tokens.skip_parentheses()
        if tokens.take("from"):
            after = tokens.keys[tokens.i + 1]
            if tokens.kinds[tokens.i] == WORD and after not in (";", ""):
                body = self.grammar.statements.statement()
                return tree.Wrapped(tokens.starts[first], body.end, "prepare", body)
            # MySQL: the text of the statement
            name = tokens.spelled(tokens.written(first + 1))
            value = self.grammar.expressions.expression()
            return tree.Prepare(tokens.starts[first], value.end, [name], value)
        if not tokens.take("as"):
            tokens.i = first
            return None
        body = self.grammar.statements.statement()
        return tree.Wrapped(tokens.starts[first], body.end, "prepare", body)

    def delimiter(self) -> tree.StatementNode:
        """MySQL's client command names another mark for the end of statements."""
        tokens = self.tokens
        first = tokens.i
        line_end = tokens.text.find("\n", tokens.starts[first])
        line_end = len(tokens.text) if line_end < 0 else line_end
        self.tokens.mark = tokens.text[tokens.ends[first] : line_end].strip()
        while tokens.kinds[tokens.i] != END and tokens.starts[tokens.i] < line_end:
            tokens.i += 1
        return tree.Recognised(tokens.starts[first], tokens.end_of_last(), "delimiter")

    # --- where names are looked up -------------------------------------------------------------------

    def set(self) -> tree.StatementNode | None:
        tokens = self.tokens
        first = tokens.i
        tokens.i += 1
        if not tokens.take("local"):
            tokens.take("session")
        if tokens.keys[tokens.i] == "schema" and self.dialect.default_schemas == ("public",):
            tokens.i += 1
            if not tokens.take("="):
                tokens.take("to")
        elif not tokens.take("search_path"):
            tokens.i = first
            return None
        elif not tokens.take("to"):
            tokens.expect("=")
        schemas = []
        while tokens.keys[tokens.i] != ";" and tokens.kinds[tokens.i] != END:
            if tokens.kinds[tokens.i] == STRING:
                text = tokens.written(tokens.i)[1:-1]
                schemas += [part.strip().strip('"') for part in text.split(",")]
                tokens.i += 1
            elif tokens.kinds[tokens.i] == OPERATOR:
                tokens.i += 1
            else:
                schemas.append(tokens.name("a schema"))
        return tree.SetSearchPath(tokens.starts[first], tokens.end_of_last(), schemas)

    def use(self) -> tree.StatementNode | None:
        """``USE [SCHEMA|DATABASE|CATALOG] name``; a role or a warehouse is not where names are looked up."""
        tokens = self.tokens
        first = tokens.i
        tokens.i += 1
        kind = tokens.keys[tokens.i]
        if kind in ("role", "warehouse", "secondary"):
            tokens.i = first
            return None
        if kind in ("schema", "database", "catalog", "namespace") and tokens.kinds[tokens.i + 1] in (WORD, QUOTED):
            tokens.i += 1
        parts = self.grammar.tables.table_name().parts
        if kind in ("database", "catalog"):
            parts = (*parts, "")
        return tree.Use(tokens.starts[first], tokens.end_of_last(), parts)


register(
    {
        "set": lambda grammar: grammar.session.set(),
        "use": lambda grammar: grammar.session.use(),
        "cache": lambda grammar: grammar.session.cache(),
        "explain": lambda grammar: grammar.session.explain(),
        "prepare": lambda grammar: grammar.session.prepare(),
        "delimiter": lambda grammar: grammar.session.delimiter(),
    }
)
