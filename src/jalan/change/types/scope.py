"""What names stand for while types are found, and what is said where some do not fit."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

from jalan.change.types.names import TypeName
from jalan.change.types.system import TypedRoutine

Span = tuple[int, int]
Routines = Callable[[tuple[str, ...]], Sequence[TypedRoutine]]
"""The functions of one's own that a name may stand for."""


def no_routines(parts: tuple[str, ...]) -> Sequence[TypedRoutine]:
    """Return none, where nobody has functions of their own."""
    return ()


class Misfit(Exception):
    """Types do not fit; the message is what the database would say. span: the characters that it means."""

    def __init__(self, message: str, span: Span) -> None:
        super().__init__(message)
        self.span = span


@dataclass(frozen=True, slots=True)
class TypedOutput:
    """An output of a query, with its type where that is known. constant: what stands there, where it is a constant
    in quotes of which no type was made yet."""

    name: str
    type: TypeName | None
    constant: str | None = None


@dataclass(slots=True)
class TypedInstance:
    """One thing in FROM. parts: what it is called. open: it may have columns that are not known."""

    parts: tuple[str, ...]
    columns: list[TypedOutput]
    open: bool = False


@dataclass(slots=True)
class TypeScope:
    """The names of one FROM within the query around it. merged: columns that USING has made of two."""

    parent: "TypeScope | None" = None
    instances: list[TypedInstance] = field(default_factory=list)
    merged: dict[str, TypeName | None] = field(default_factory=dict)

    def column(self, parts: tuple[str, ...]) -> TypeName | None:
        """Return the type of a column, here or further out; none where it is not known."""
        scope: TypeScope | None = self
        while scope is not None:
            if len(parts) == 1 and parts[0] in scope.merged:
                return scope.merged[parts[0]]
            for one in scope.instances:
                if len(parts) > 1 and one.parts[-len(parts) + 1 :] != parts[:-1]:
                    continue
                for column in one.columns:
                    if column.name == parts[-1]:
                        return column.type
                if one.open and len(parts) == 1:
                    return None  # it may be one of those that are not known
            scope = scope.parent
        return None
