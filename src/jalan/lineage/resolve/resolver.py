"""What resolves one statement, put together from its parts."""

from jalan.lineage.resolve.calls import CallResolver
from jalan.lineage.resolve.dml import DmlResolver
from jalan.lineage.resolve.elements import ElementResolver
from jalan.lineage.resolve.environment import Environment
from jalan.lineage.resolve.expressions import ExpressionResolver
from jalan.lineage.resolve.from_clause import FromResolver
from jalan.lineage.resolve.names import NameResolver
from jalan.lineage.resolve.pipes import PipeResolver
from jalan.lineage.resolve.queries import QueryResolver
from jalan.lineage.resolve.select_list import SelectListResolver
from jalan.lineage.resolve.table_operators import TableOperatorResolver


class Resolver:
    """The parts, and the environment that they share."""

    env: Environment
    names: NameResolver
    expressions: ExpressionResolver
    elements: ElementResolver
    select_list: SelectListResolver
    table_operators: TableOperatorResolver
    from_clause: FromResolver
    queries: QueryResolver
    pipes: PipeResolver
    calls: CallResolver
    dml: DmlResolver

    def __init__(self, env: Environment) -> None:
        self.env = env
        self.names = NameResolver(self)
        self.expressions = ExpressionResolver(self)
        self.elements = ElementResolver(self)
        self.select_list = SelectListResolver(self)
        self.table_operators = TableOperatorResolver(self)
        self.from_clause = FromResolver(self)
        self.queries = QueryResolver(self)
        self.pipes = PipeResolver(self)
        self.calls = CallResolver(self)
        self.dml = DmlResolver(self)
