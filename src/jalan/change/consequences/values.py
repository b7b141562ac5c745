"""Its value changes: the field is made from the values of those that change."""

from jalan.catalog.kinds import LinkKind
from jalan.change.consequences.base import Consequence
from jalan.graph.impact import carriers

VALUES = Consequence(
    name=LinkKind.VALUE.value,
    label="carries its value",
    reached=carriers,
    by_value=True,
)
