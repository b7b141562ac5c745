"""What may happen to a field when another one changes. Each consequence has a file of its own, and stands here.

The worst first: a field is told the first consequence that reaches it.
"""

from jalan.change.consequences.base import Consequence
from jalan.change.consequences.decisions import DECISIONS
from jalan.change.consequences.values import VALUES

CONSEQUENCES: tuple[Consequence, ...] = (VALUES, DECISIONS)

__all__ = ["CONSEQUENCES", "DECISIONS", "VALUES", "Consequence"]
