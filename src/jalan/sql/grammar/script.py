"""The reading of a whole script: a statement that cannot be read is reported and stepped over, the others are
still read."""

import logging
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import cache

from jalan.sql import tree
from jalan.sql.synopses.checker import Checker
from jalan.sql.grammar.token_stream import SqlSyntaxError
from jalan.sql.dialects.dialect import Dialect
from jalan.sql.dialects import get_dialect
from jalan.sql.lexer import END, INVALID, PARAMETER, STRING, WORD, Lexer, Tokens
from jalan.sql.grammar.statements.routines import ProcedureParser
from jalan.sql.synopses.notation import synopses

logger = logging.getLogger(__name__)

# Statements without data flow of their own, by their first word. Two words name the kind where the first alone
# says too little (PostgreSQL manual, part VI, "SQL Commands", and the statement lists of the other manuals).
_RECOGNISED = frozenset(
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


@dataclass(slots=True, eq=False)
class Unread:
    """A stretch of text that is no statement of this dialect: what is wrong, and where (``span``)."""

    start: int
    end: int
    code: str
    message: str
    span: tuple[int, int]


def internal_error(error: Exception, start: int, end: int) -> Unread:
    """Return a fault of ours as what a reader is told: one boundary a statement, whatever goes wrong inside."""
    message = f"this statement cannot be read, by a fault of the reader: {type(error).__name__}"
    return Unread(start, end, "internal_error", message, (start, end))


class StatementParser(ProcedureParser):
    """Reads statements."""

    def statements(self) -> Iterator[tree.Statement | Unread]:
        """Yield what the text holds, in order: statements, and what cannot be read. Never raises on bad SQL.

        One at a time, so that of a long script only the statement in hand is kept as a tree.
        """
        keys, kinds = self.keys, self.kinds
        bare = self.dialect.bare_statements
        while kinds[self.i] != END:
            key = keys[self.i]
            if key == ";" or (key == "/" and self.dialect.bracket_strings) or (key == "go" and bare):
                self.i += 1
                continue
            if self._take_mark() or self.take_label():
                continue
            if bare and keys[self.i + 1] == ":" and kinds[self.i] == WORD:
                self.i += 2  # a label to go to
                continue
            first = self.i
            if key == "{{" and keys[first + 1] not in (".", ":=", "="):
                self.i += 1  # a template's call that puts nothing out, or nobody knows what
                yield tree.Recognised(self.starts[first], self.ends[first], "template")
                continue
            self.depth = 0
            self.in_block = 0
            self._no_alias = self._stops_alias
            found: tree.Statement | Unread
            try:
                found = self.statement()
                while self.dialect.stages and self.take("->>"):
                    found = self._after_flow(found)
                if keys[self.i] != ";" and kinds[self.i] != END and not (bare and self._at_next(first)):
                    slash = keys[self.i] == "/" and self.dialect.bracket_strings
                    if not slash and not self._at_mark() and keys[first] != "delimiter":
                        self.fail("the end of the statement")
            except SqlSyntaxError as error:
                self._skip_statement(first)
                found = Unread(
                    self.starts[first], self.end_of_last(), error.code, str(error), (error.start, error.end)
                )
            except RecursionError:
                # Before MAX_DEPTH, where the levels are of the kinds that need many calls each.
                at = min(self.i, len(keys) - 1)
                self._skip_statement(first)
                span = (self.starts[at], self.ends[at])
                message = "nested too deeply to be read"
                found = Unread(self.starts[first], self.end_of_last(), "too_deep", message, span)
            except Exception as fault:  # ours, whatever the text
                logger.exception("a statement at offset %d cannot be parsed", self.starts[first])
                self._skip_statement(first)
                found = internal_error(fault, self.starts[first], self.end_of_last())
            yield found
            if self.dialect.synopses and type(found) in _COMMANDS:
                problem = self._misspelled(first)
                if problem is not None:
                    yield problem

    def _misspelled(self, first: int) -> Unread | None:
        """What the manual's synopses say is wrong with a command that has been read only for what moves data."""
        if self._has_gaps(first, self.i):
            return None
        end, depth, inside = self.i, self.depth, self.in_block
        try:
            problem = Checker(self, end, synopses(self.dialect.name)).problem(first)
        except SqlSyntaxError:
            problem = None
        except Exception as error:
            return internal_error(error, self.starts[first], self.ends[end - 1])
        finally:
            self.i, self.depth, self.in_block = end, depth, inside
        if problem is None:
            return None
        expected, at = problem
        met = "the end of the statement" if at >= end else f"“{self.written(at)[:40]}”"
        span = (self.starts[at], self.ends[at]) if at < end else (self.ends[end - 1], self.ends[end - 1])
        message = f"expected {expected}, met {met}"
        return Unread(self.starts[first], self.ends[end - 1], "syntax_error", message, span)

    def _has_gaps(self, first: int, end: int) -> bool:
        """Whether the text is one in which something is put before it is a statement."""
        gaps = any(self.kinds[i] in (PARAMETER, INVALID) or self.keys[i] in ("{{", "%") for i in range(first, end))
        return gaps or "{%" in self.text[self.starts[first] : self.ends[end - 1]]

    def _after_flow(self, before: tree.Statement) -> tree.Statement:
        """``query ->> statement``: what stands behind reads the rows of what stands before as ``$1``."""
        found = self.statement()
        if isinstance(before, tree.QueryStatement) and isinstance(found, tree.QueryStatement):
            query = before.query
            ctes = found.query.ctes.ctes if found.query.ctes is not None else []
            first = tree.Cte(query.start, query.end, "$1", None, query, [])
            found.query.ctes = tree.With(query.start, query.end, False, [first, *ctes])
        return found

    def _at_next(self, first: int) -> bool:
        """Whether the next statement begins here, without a semicolon before it."""
        return self.i > first and (self._at_statement() or self.keys[self.i] in _RECOGNISED)

    def _skip_statement(self, first: int) -> None:
        self.i = first + 1
        while self.keys[self.i] != ";" and self.kinds[self.i] != END:
            if self.keys[self.i] == "go" and self.dialect.bare_statements:
                return
            self.i += 1

    def statement(self) -> tree.Statement:
        """Read one statement; raises SqlSyntaxError."""
        key = self.keys[self.i]
        start = self.starts[self.i]
        if key in ("select", "values", "table", "("):
            return self._query_statement(None, start)
        if key in ("map", "reduce") and self.dialect.lambdas and self.peek() != "(":
            return self._query_statement(None, start)
        if key == "update" and self.keys[self.i + 1] == "extensions" and self.keys[self.i + 2] in (";", "", "("):
            self._to_end()
            return tree.Recognised(start, self.end_of_last(), "update_extensions")
        if key == "with":
            ctes = self.with_clause()
            return self.modifying(ctes) or self._after_with(ctes, start)
        found = self.modifying(None)
        if found is None:
            found = self.procedural()
        if found is None:
            handler = _STATEMENTS.get(key)
            found = handler(self) if handler is not None else None
        if found is None:
            found = self._recognised()
        return found

    def _after_with(self, ctes: tree.With, start: int) -> tree.Statement:
        if self.keys[self.i] == "from":
            found = self.hive_inserts()
            if found is not None:
                assert isinstance(found, tree.MultiInsert)
                for _, insert in found.branches:
                    insert.ctes = ctes
                return found
        return self._query_statement(ctes, start)

    def _query_statement(self, ctes: tree.With | None, start: int) -> tree.Statement:
        query = self.query_body(ctes, start)
        body = query.body
        while isinstance(body, tree.SetOperation):
            body = body.left
        if isinstance(body, tree.Select) and body.into is not None:
            if body.into_variables is not None or (self.in_block and self._into_variable(body.into)):
                return tree.QueryStatement(start, query.end, query)
            temporary = body.into_temporary or body.into.parts[-1].startswith("#")
            if body.into.file:
                return tree.Copy(start, query.end, "select_into_outfile", body.into, None, query, [])
            return tree.CreateTableAs(start, query.end, body.into, None, query, temporary)
        return tree.QueryStatement(start, query.end, query)

    def _into_variable(self, name: tree.TableName) -> bool:
        """Inside a procedure INTO names variables; only T-SQL makes tables there."""
        return not self.dialect.variables or name.parts[-1].startswith("@")

    def _from(self) -> tree.Statement | None:
        start = self.starts[self.i]
        return self.hive_inserts() or self._query_statement(None, start)

    def _pivoted(self) -> tree.Statement | None:
        return self._query_statement(None, self.starts[self.i])

    def _recognised(self) -> tree.Statement:
        first = self.i
        word = self.keys[first]
        known = word in _RECOGNISED or word in self.dialect.commands
        known = known or (word in _RECOGNISED_ELSEWHERE and not self.dialect.joins_need_condition)
        if not known:
            self.fail("a statement")
        words = [word]
        self.i += 1
        if words[0] in _TWO_WORDS:
            while self.keys[self.i] in _KIND_FILLERS:
                self.i += 1
            if self.kinds[self.i] == WORD:
                words.append(self.keys[self.i])
                if words[1] in _THREE_WORDS and self.kinds[self.i + 1] == WORD and self.peek() in _THIRD_WORDS:
                    words.append(self.peek())
        if self.dialect.bare_statements:
            while self.kinds[self.i] != END and self.keys[self.i] != ";" and not self._bare_end(first):
                self.i += 1
        else:
            self._to_end()
        return tree.Recognised(self.starts[first], self.end_of_last(), "_".join(words))

    def _bare_end(self, first: int) -> bool:
        """Whether a statement ends before this token: it begins a line, and could begin a statement."""
        at = self.text.rfind("\n", self.ends[self.i - 1], self.starts[self.i])
        return self.i > first + 1 and at >= 0 and self._at_statement()

    def _to_end(self) -> None:
        """Step to the end of the statement; the semicolons of a BEGIN ATOMIC body belong to it."""
        atomic = 0
        while self.kinds[self.i] != END:
            key = self.keys[self.i]
            if (key == "begin" and self.peek() == "atomic") or (atomic and key == "case"):
                atomic += 1
            elif atomic and key == "end":
                atomic -= 1
            elif key == ";" and not atomic:
                return
            self.i += 1

    def _cache(self) -> tree.Statement | None:
        """``CACHE [LAZY] TABLE t [OPTIONS (…)] [AS] query``: a name for rows that are kept for the session."""
        first = self.i
        self.i += 1
        self.take("lazy")
        if not self.take("table"):
            self.i = first
            return None
        target = self.table_name()
        if self.take("options"):
            self.skip_parentheses()
        self.take("as")
        if not self._is_query(self.i):
            self._to_end()
            return tree.Recognised(self.starts[first], self.end_of_last(), "cache_table")
        query = self.query()
        return tree.CreateView(
            self.starts[first], self.end_of_last(), target, None, query, False, True, "cached_table"
        )

    def _explain(self) -> tree.Statement:
        first = self.i
        self._to_end()
        return tree.Recognised(self.starts[first], self.end_of_last(), "explain")

    def _prepare(self) -> tree.Statement | None:
        """``PREPARE name [(types)] AS statement``: what is prepared is what will run."""
        first = self.i
        self.i += 1
        self.name("a name")
        if self.keys[self.i] == "(":
            self.skip_parentheses()
        if self.take("from"):
            after = self.keys[self.i + 1]
            if self.kinds[self.i] == WORD and after not in (";", ""):
                body = self.statement()
                return tree.Wrapped(self.starts[first], body.end, "prepare", body)
            # MySQL: the text of the statement
            name = self._spelled(self.written(first + 1))
            value = self.expression()
            return tree.Prepare(self.starts[first], value.end, [name], value)
        if not self.take("as"):
            self.i = first
            return None
        body = self.statement()
        return tree.Wrapped(self.starts[first], body.end, "prepare", body)

    def inner_tokens(self, i: int) -> Tokens:
        text = self.written(i)
        quote = text.index("$", 1) + 1 if text[0] == "$" else text.index(text[-1]) + 1
        body = text[quote : len(text) - (quote if text[0] == "$" else 1)]
        if text[0] != "$":
            # A doubled or escaped quote stands for one: the blank before it keeps every offset where it is.
            body = body.replace(text[-1] * 2, " " + text[-1])
            if self.dialect.backslash_escapes:
                body = body.replace("\\" + text[-1], " " + text[-1])
        found = tokenize(body, self.dialect)
        offset = self.starts[i] + quote
        starts = [start + offset for start in found.starts]
        return Tokens(self.text, found.kinds, found.keys, starts, [end + offset for end in found.ends])

    def query_in_string(self) -> tree.Query:
        parser = type(self)(self.inner_tokens(self.i), self.dialect)
        query = parser.query()
        if parser.kinds[parser.i] != END and parser.keys[parser.i] != ";":
            parser.fail("the end of the query")
        self.i += 1
        while self.kinds[self.i] == STRING:
            self.i += 1
        return query

    _mark = ""

    def _at_mark(self) -> bool:
        """Whether the mark that DELIMITER has named for the end of statements stands here."""
        return bool(self._mark) and self.text.startswith(self._mark, self.starts[self.i])

    def _take_mark(self) -> bool:
        if not self._at_mark():
            return False
        end = self.starts[self.i] + len(self._mark)
        while self.kinds[self.i] != END and self.starts[self.i] < end:
            self.i += 1
        return True

    def _delimiter(self) -> tree.Statement:
        """MySQL's client command names another mark for the end of statements."""
        first = self.i
        line_end = self.text.find("\n", self.starts[first])
        line_end = len(self.text) if line_end < 0 else line_end
        self._mark = self.text[self.ends[first] : line_end].strip()
        while self.kinds[self.i] != END and self.starts[self.i] < line_end:
            self.i += 1
        return tree.Recognised(self.starts[first], self.end_of_last(), "delimiter")


# What is read for what moves data, and otherwise stepped over.
_COMMANDS = frozenset({
    tree.Recognised, tree.CreateTable, tree.Alter, tree.Drop, tree.Truncate, tree.Routine, tree.SetSearchPath,
    tree.Copy, tree.Wrapped, tree.Use,
})  # fmt: skip
_STATEMENTS: dict[str, Callable[[StatementParser], tree.Statement | None]] = {
    "create": ProcedureParser._create,
    "drop": ProcedureParser._drop,
    "truncate": ProcedureParser._truncate,
    "alter": ProcedureParser._alter,
    "rename": ProcedureParser._rename,
    "set": ProcedureParser._set,
    "use": ProcedureParser._use,
    "explain": StatementParser._explain,
    "prepare": StatementParser._prepare,
    "copy": ProcedureParser._copy,
    "load": ProcedureParser._load,
    "unload": ProcedureParser._unload,
    "export": ProcedureParser._export,
    "bulk": ProcedureParser._bulk,
    "replace": ProcedureParser._replace,
    "cache": StatementParser._cache,
    "delimiter": StatementParser._delimiter,
    "call": ProcedureParser._call,
    "from": StatementParser._from,
    "pivot": StatementParser._pivoted,
    "unpivot": StatementParser._pivoted,
}


@cache
def _lexer(dialect: str) -> Lexer:
    return Lexer(get_dialect(dialect))


def tokenize(text: str, dialect: Dialect) -> Tokens:
    """Return the tokens of the text in that dialect."""
    return _lexer(dialect.name).read(text)


def parse(text: str, dialect: Dialect) -> Iterator[tree.Statement | Unread]:
    """Read a script, statement by statement. Never raises on bad SQL."""
    return StatementParser(tokenize(text, dialect), dialect).statements()
