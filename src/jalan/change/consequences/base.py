"""What a consequence is."""

from collections.abc import Callable
from dataclasses import dataclass

from jalan.graph.columns import Flags, Ints
from jalan.graph.dependencies import Dependencies
from jalan.graph.walk import Reach


@dataclass(frozen=True, slots=True)
class Consequence:
    """One thing that may happen to fields when others change.

    name: what the API calls it.
    label: for people, as what the field is to the one that changes: “carries its value”.
    reached: takes the graph and the fields that change, returns what they reach, with the ways there.
    by_value: whether those ways go along value links alone.
    happens_to: takes the graph and fields that are reached, returns to which of them it happens; none for all.
    """

    name: str
    label: str
    reached: Callable[[Dependencies, Ints], Reach]
    by_value: bool
    happens_to: Callable[[Dependencies, Ints], Flags] | None = None
