"""What reads the statements that begin with a word. Each file of statements registers its own."""

from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING

from jalan.sql import tree

if TYPE_CHECKING:
    from jalan.sql.grammar.assembly import Grammar

Reader = Callable[["Grammar"], tree.StatementNode | None]
"""Reads the statement at the current token; None, and the place as it was, if it is another one."""

_READERS: dict[str, Reader] = {}


def register(readers: Mapping[str, Reader]) -> None:
    """Make known what reads statements that begin with these words.

    Raises ValueError on a word that another part reads.
    """
    taken = sorted(readers.keys() & _READERS.keys())
    if taken:
        raise ValueError(f"more than one part of the grammar reads {', '.join(taken)}")
    _READERS.update(readers)


def reader_of(word: str) -> Reader | None:
    """Return what reads the statements that begin with this word."""
    return _READERS.get(word)
