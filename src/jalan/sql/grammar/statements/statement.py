"""The grammar of a statement: which part reads it, by its first word; queries that stand alone; and commands that
are known and stepped over."""

from jalan.sql import tree
from jalan.sql.grammar.part import GrammarPart
from jalan.sql.grammar.statements.registry import reader_of, register
from jalan.sql.lexer import END, WORD

# Statements without data flow of their own, by their first word. Two words name the kind where the first alone
# says too little (PostgreSQL manual, part VI, "SQL Commands", and the statement lists of the other manuals).
RECOGNISED = frozenset(
    """
    abort alter analyse analyze begin call checkpoint close cluster comment commit copy create deallocate declare
    discard do drop end execute explain fetch grant import listen load lock move notify prepare reassign
    refresh reindex release reset revoke rollback savepoint security set show start unlisten vacuum
    """.split()
)
_RECOGNISED_ELSEWHERE = frozenset(
    """
    add assert assign attach backup cache change checkpoint clear dbcc deny desc describe detach disable enable
    exec exchange flush force get handler help history install kill list msck optimize pragma print purge
    put quit raise raiserror recover reconfigure refresh repair reset restore resignal return rm
    rollback save set signal shutdown source stop summarize suspend resume uncache undrop unload
    unlock unset update use waitfor whenever exit go delimiter export load cancel bulk validate upgrade
    xa check checksum binlog uninstall clone restart rename backup reload revert
    remove audit noaudit associate disassociate flashback administer open throw let if while loop for repeat
    """.split()
)
_TWO_WORDS = frozenset({"alter", "create", "drop", "refresh", "import", "reassign", "security", "update"})
_KIND_FILLERS = frozenset(
    """
    or replace temp temporary unlogged global local if not exists unique constraint trusted procedural
    default concurrently clustered nonclustered bitmap fulltext spatial external transient public
    """.split()
)
_THIRD_WORDS = frozenset(
    "view log table data trigger session search method mapping privileges format configuration parser dictionary"
    " template".split()
)
_THREE_WORDS = frozenset({"materialized", "foreign", "event", "text", "access", "user", "default", "file"})


class StatementGrammar(GrammarPart):
    """Reads one statement."""

    def statement(self) -> tree.StatementNode:
        """Read one statement; raises SqlSyntaxError."""
        grammar = self.grammar
        tokens = self.tokens
        key = tokens.keys[tokens.i]
        start = tokens.starts[tokens.i]
        if key in ("select", "values", "table", "("):
            return self.query_statement(None, start)
        if key in ("map", "reduce") and self.dialect.lambdas and tokens.peek() != "(":
            return self.query_statement(None, start)
        if (
            key == "update"
            and tokens.keys[tokens.i + 1] == "extensions"
            and tokens.keys[tokens.i + 2] in (";", "", "(")
        ):
            self.tokens.to_end()
            return tree.Recognised(start, tokens.end_of_last(), "update_extensions")
        if key == "with":
            ctes = grammar.with_clauses.with_clause()
            return grammar.dml.modifying(ctes) or self._after_with(ctes, start)
        found = grammar.dml.modifying(None)
        if found is None:
            found = grammar.routines.procedural()
        if found is None:
            reader = reader_of(key)
            found = reader(grammar) if reader is not None else None
        if found is None:
            found = self._recognised()
        return found

    def _after_with(self, ctes: tree.With, start: int) -> tree.StatementNode:
        if self.tokens.keys[self.tokens.i] == "from":
            found = self.grammar.dml.hive_inserts()
            if found is not None:
                assert isinstance(found, tree.MultiInsert)
                for _, insert in found.branches:
                    insert.ctes = ctes
                return found
        return self.query_statement(ctes, start)

    def query_statement(self, ctes: tree.With | None, start: int) -> tree.StatementNode:
        query = self.grammar.queries.query_body(ctes, start)
        body = query.body
        while isinstance(body, tree.SetOperation):
            body = body.left
        if isinstance(body, tree.Select) and body.into is not None:
            if body.into_variables is not None or (self.tokens.in_block and self._into_variable(body.into)):
                return tree.QueryStatement(start, query.end, query)
            temporary = body.into_temporary or body.into.parts[-1].startswith("#")
            if body.into.file:
                return tree.Copy(start, query.end, "select_into_outfile", body.into, None, query, [])
            return tree.CreateTableAs(start, query.end, body.into, None, query, temporary)
        return tree.QueryStatement(start, query.end, query)

    def _into_variable(self, name: tree.TableName) -> bool:
        """Inside a procedure INTO names variables; only T-SQL makes tables there."""
        return not self.dialect.tables_in_blocks or name.parts[-1].startswith("@")

    def from_first(self) -> tree.StatementNode | None:
        """``FROM …``: a query, or changes, whose tables stand first."""
        if not self.dialect.from_first:
            return None
        start = self.tokens.starts[self.tokens.i]
        return self.grammar.dml.hive_inserts() or self.query_statement(None, start)

    def pivoted(self) -> tree.StatementNode:
        """``PIVOT t …``: a query without SELECT."""
        return self.query_statement(None, self.tokens.starts[self.tokens.i])

    def _recognised(self) -> tree.StatementNode:
        tokens = self.tokens
        first = tokens.i
        word = tokens.keys[first]
        known = word in RECOGNISED or word in self.dialect.commands
        known = known or (word in _RECOGNISED_ELSEWHERE and self.dialect.other_commands)
        if not known:
            tokens.fail("a statement")
        words = [word]
        tokens.i += 1
        if words[0] in _TWO_WORDS:
            while tokens.keys[tokens.i] in _KIND_FILLERS:
                tokens.i += 1
            if tokens.kinds[tokens.i] == WORD:
                words.append(tokens.keys[tokens.i])
                if (
                    words[1] in _THREE_WORDS
                    and tokens.kinds[tokens.i + 1] == WORD
                    and tokens.peek() in _THIRD_WORDS
                ):
                    words.append(tokens.peek())
        if self.dialect.bare_statements:
            while tokens.kinds[tokens.i] != END and tokens.keys[tokens.i] != ";" and not self._bare_end(first):
                tokens.i += 1
        else:
            self.tokens.to_end()
        return tree.Recognised(tokens.starts[first], tokens.end_of_last(), "_".join(words))

    def _bare_end(self, first: int) -> bool:
        """Whether a statement ends before this token: it begins a line, and could begin a statement."""
        tokens = self.tokens
        at = tokens.text.rfind("\n", tokens.ends[tokens.i - 1], tokens.starts[tokens.i])
        return tokens.i > first + 1 and at >= 0 and self.grammar.blocks.at_statement()


register(
    {
        "from": lambda grammar: grammar.statements.from_first(),
        "pivot": lambda grammar: grammar.statements.pivoted(),
        "unpivot": lambda grammar: grammar.statements.pivoted(),
    }
)
