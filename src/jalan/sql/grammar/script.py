"""The reading of a whole script: a statement that cannot be read is reported and stepped over, the others are
still read."""

import logging
from collections.abc import Iterator
from dataclasses import dataclass

from jalan.sql import tree
from jalan.sql.dialects.dialect import Dialect
from jalan.sql.grammar.assembly import Grammar, grammar_of
from jalan.sql.grammar.statements.statement import RECOGNISED
from jalan.sql.grammar.token_stream import SqlSyntaxError
from jalan.sql.lexer import END, INVALID, PARAMETER, WORD, Tokens, tokenize
from jalan.sql.synopses.checker import Checker
from jalan.sql.synopses.notation import synopses

logger = logging.getLogger(__name__)

# What is read for what moves data, and otherwise stepped over.
_COMMANDS = frozenset(
    {
        tree.Recognised,
        tree.CreateTable,
        tree.Alter,
        tree.Drop,
        tree.Truncate,
        tree.Routine,
        tree.SetSearchPath,
        tree.Copy,
        tree.Wrapped,
        tree.Use,
    }
)


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


class _Script:
    """The statements of the text on which a grammar stands."""

    def __init__(self, grammar: Grammar) -> None:
        self.dialect = grammar.dialect
        self._grammar = grammar
        self._tokens = grammar.tokens

    def statements(self) -> Iterator[tree.StatementNode | Unread]:
        """Yield what the text holds, in order: statements, and what cannot be read. Never raises on bad SQL.

        One at a time, so that of a long script only the statement in hand is kept as a tree.
        """
        tokens = self._tokens
        keys, kinds = tokens.keys, tokens.kinds
        bare = self.dialect.bare_statements
        separator = self.dialect.batch_separator or ";"
        while kinds[tokens.i] != END:
            key = keys[tokens.i]
            if key == ";" or key == separator:
                tokens.i += 1
                continue
            if tokens.take_mark() or self._grammar.blocks.take_label():
                continue
            if bare and keys[tokens.i + 1] == ":" and kinds[tokens.i] == WORD:
                tokens.i += 2  # a label to go to
                continue
            first = tokens.i
            if key == "{{" and keys[first + 1] not in (".", ":=", "="):
                tokens.i += 1  # a template's call that puts nothing out, or nobody knows what
                yield tree.Recognised(tokens.starts[first], tokens.ends[first], "template")
                continue
            tokens.depth = 0
            tokens.in_block = 0
            tokens.no_alias = tokens.stops_alias
            found: tree.StatementNode | Unread
            try:
                found = self._grammar.statements.statement()
                while self.dialect.stages and tokens.take("->>"):
                    found = self._after_flow(found)
                if keys[tokens.i] != ";" and kinds[tokens.i] != END and not (bare and self._at_next(first)):
                    if keys[tokens.i] != separator and not tokens.at_mark() and keys[first] != "delimiter":
                        tokens.fail("the end of the statement")
            except SqlSyntaxError as error:
                self._skip_statement(first)
                found = Unread(
                    tokens.starts[first], tokens.end_of_last(), error.code, str(error), (error.start, error.end)
                )
            except RecursionError:
                # Before MAX_DEPTH, where the levels are of the kinds that need many calls each.
                at = min(tokens.i, len(keys) - 1)
                self._skip_statement(first)
                span = (tokens.starts[at], tokens.ends[at])
                message = "nested too deeply to be read"
                found = Unread(tokens.starts[first], tokens.end_of_last(), "too_deep", message, span)
            except Exception as fault:  # ours, whatever the text
                logger.exception("a statement at offset %d cannot be parsed", tokens.starts[first])
                self._skip_statement(first)
                found = internal_error(fault, tokens.starts[first], tokens.end_of_last())
            yield found
            if self.dialect.synopses and type(found) in _COMMANDS:
                problem = self._misspelled(first)
                if problem is not None:
                    yield problem

    def _misspelled(self, first: int) -> Unread | None:
        """What the manual's synopses say is wrong with a command that has been read only for what moves data."""
        tokens = self._tokens
        if self._has_gaps(first, tokens.i):
            return None
        end, depth, inside = tokens.i, tokens.depth, tokens.in_block
        try:
            problem = Checker(self._grammar, end, synopses(self.dialect.name)).problem(first)
        except SqlSyntaxError:
            problem = None
        except Exception as error:
            return internal_error(error, tokens.starts[first], tokens.ends[end - 1])
        finally:
            tokens.i, tokens.depth, tokens.in_block = end, depth, inside
        if problem is None:
            return None
        expected, at = problem
        met = "the end of the statement" if at >= end else f"“{tokens.written(at)[:40]}”"
        span = (tokens.starts[at], tokens.ends[at]) if at < end else (tokens.ends[end - 1], tokens.ends[end - 1])
        message = f"expected {expected}, met {met}"
        return Unread(tokens.starts[first], tokens.ends[end - 1], "syntax_error", message, span)

    def _has_gaps(self, first: int, end: int) -> bool:
        """Whether the text is one in which something is put before it is a statement."""
        tokens = self._tokens
        gaps = any(
            tokens.kinds[i] in (PARAMETER, INVALID) or tokens.keys[i] in ("{{", "%") for i in range(first, end)
        )
        return gaps or "{%" in tokens.text[tokens.starts[first] : tokens.ends[end - 1]]

    def _after_flow(self, before: tree.StatementNode) -> tree.StatementNode:
        """``query ->> statement``: what stands behind reads the rows of what stands before as ``$1``."""
        found = self._grammar.statements.statement()
        if isinstance(before, tree.QueryStatement) and isinstance(found, tree.QueryStatement):
            query = before.query
            ctes = found.query.ctes.ctes if found.query.ctes is not None else []
            first = tree.Cte(query.start, query.end, "$1", None, query, [])
            found.query.ctes = tree.With(query.start, query.end, False, [first, *ctes])
        return found

    def _at_next(self, first: int) -> bool:
        """Whether the next statement begins here, without a semicolon before it."""
        tokens = self._tokens
        return tokens.i > first and (self._grammar.blocks.at_statement() or tokens.keys[tokens.i] in RECOGNISED)

    def _skip_statement(self, first: int) -> None:
        tokens = self._tokens
        tokens.i = first + 1
        while tokens.keys[tokens.i] != ";" and tokens.kinds[tokens.i] != END:
            if tokens.kinds[tokens.i] == WORD and tokens.keys[tokens.i] == self.dialect.batch_separator:
                return
            tokens.i += 1


def statements_of(tokens: Tokens, dialect: Dialect) -> Iterator[tree.StatementNode | Unread]:
    """Read the statements that these tokens make, one by one."""
    with grammar_of(tokens, dialect) as grammar:
        yield from _Script(grammar).statements()


def parse(text: str, dialect: Dialect) -> Iterator[tree.StatementNode | Unread]:
    """Read a script, statement by statement. Never raises on bad SQL."""
    return statements_of(tokenize(text, dialect), dialect)
