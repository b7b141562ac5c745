"""What the parts of a resolver have in common: the environment, and the other parts."""

from typing import TYPE_CHECKING

from jalan.lineage.resolve.environment import Environment
from jalan.sql.dialects.dialect import Dialect

if TYPE_CHECKING:
    from jalan.lineage.resolve.resolver import Resolver


class ResolverPart:
    """Resolves one subject.

    resolver: has the other parts.
    env: the environment, which all parts share.
    """

    resolver: "Resolver"
    env: Environment
    dialect: Dialect

    def __init__(self, resolver: "Resolver") -> None:
        self.resolver = resolver
        self.env = resolver.env
        self.dialect = resolver.env.dialect
