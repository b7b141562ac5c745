"""What decides about it changes: which of several values it has, or which rows there are."""

from jalan.catalog.kinds import LinkKind
from jalan.change.consequences.base import Consequence
from jalan.graph.impact import touched

DECISIONS = Consequence(
    name=LinkKind.CONDITION.value,
    label="decided by it",
    reached=touched,
    by_value=False,
)
