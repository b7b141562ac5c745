"""The grammar of one text, put together from its parts."""

from collections.abc import Iterator
from contextlib import contextmanager

from jalan.sql.dialects.dialect import Dialect
from jalan.sql.grammar.calls import CallGrammar
from jalan.sql.grammar.constructors import ConstructorGrammar
from jalan.sql.grammar.expressions import ExpressionGrammar
from jalan.sql.grammar.literals import LiteralGrammar
from jalan.sql.grammar.pipes import PipeGrammar
from jalan.sql.grammar.queries import QueryGrammar
from jalan.sql.grammar.select import SelectGrammar
from jalan.sql.grammar.select_list import SelectListGrammar
from jalan.sql.grammar.statements.blocks import BlockGrammar
from jalan.sql.grammar.statements.copy import CopyGrammar
from jalan.sql.grammar.statements.ddl import DdlGrammar
from jalan.sql.grammar.statements.dml import DmlGrammar
from jalan.sql.grammar.statements.execution import ExecutionGrammar
from jalan.sql.grammar.statements.routines import RoutineGrammar
from jalan.sql.grammar.statements.session import SessionGrammar
from jalan.sql.grammar.statements.statement import StatementGrammar
from jalan.sql.grammar.statements.targets import TargetGrammar
from jalan.sql.grammar.statements.variables import VariableGrammar
from jalan.sql.grammar.table_operators import TableOperatorGrammar
from jalan.sql.grammar.table_refs import TableRefGrammar
from jalan.sql.grammar.tables import TableGrammar
from jalan.sql.grammar.token_stream import NOTHING, TokenStream
from jalan.sql.grammar.with_clauses import WithGrammar
from jalan.sql.lexer import Tokens


class Grammar:
    """The parts, and the place in the text that they share. It stands on nothing until ``tokens`` are loaded."""

    dialect: Dialect
    tokens: TokenStream
    calls: CallGrammar
    constructors: ConstructorGrammar
    literals: LiteralGrammar
    expressions: ExpressionGrammar
    select_list: SelectListGrammar
    table_operators: TableOperatorGrammar
    table_refs: TableRefGrammar
    tables: TableGrammar
    with_clauses: WithGrammar
    queries: QueryGrammar
    selects: SelectGrammar
    pipes: PipeGrammar
    targets: TargetGrammar
    dml: DmlGrammar
    copy: CopyGrammar
    ddl: DdlGrammar
    variables: VariableGrammar
    blocks: BlockGrammar
    execution: ExecutionGrammar
    routines: RoutineGrammar
    session: SessionGrammar
    statements: StatementGrammar

    def __init__(self, dialect: Dialect) -> None:
        self.dialect = dialect
        self.tokens = TokenStream(dialect)
        self.calls = CallGrammar(self)
        self.constructors = ConstructorGrammar(self)
        self.literals = LiteralGrammar(self)
        self.expressions = ExpressionGrammar(self)
        self.select_list = SelectListGrammar(self)
        self.table_operators = TableOperatorGrammar(self)
        self.table_refs = TableRefGrammar(self)
        self.tables = TableGrammar(self)
        self.with_clauses = WithGrammar(self)
        self.queries = QueryGrammar(self)
        self.selects = SelectGrammar(self)
        self.pipes = PipeGrammar(self)
        self.targets = TargetGrammar(self)
        self.dml = DmlGrammar(self)
        self.copy = CopyGrammar(self)
        self.ddl = DdlGrammar(self)
        self.variables = VariableGrammar(self)
        self.blocks = BlockGrammar(self)
        self.execution = ExecutionGrammar(self)
        self.routines = RoutineGrammar(self)
        self.session = SessionGrammar(self)
        self.statements = StatementGrammar(self)

    def of_string(self, i: int) -> "Grammar":
        """Return the grammar of what a string token holds; its places are those in the whole text."""
        inner = Grammar(self.dialect)
        inner.tokens.load(self.tokens.inside(i))
        return inner


_idle: dict[Dialect, list[Grammar]] = {}
_MOST_IDLE = 4  # of each dialect: more texts than that are seldom read at the same time


@contextmanager
def grammar_of(tokens: Tokens, dialect: Dialect) -> Iterator[Grammar]:
    """Lend a grammar that stands on the first of these tokens. To make one takes longer than to read a short query,
    so those that are given back are lent again."""
    idle = _idle.setdefault(dialect, [])
    grammar = idle.pop() if idle else Grammar(dialect)
    grammar.tokens.load(tokens)
    try:
        yield grammar
    finally:
        grammar.tokens.load(NOTHING)
        if len(idle) < _MOST_IDLE:
            idle.append(grammar)
