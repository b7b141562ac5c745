"""The order in which the steps of a trail are walked, from the sources to the reports, forks shown as forks."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Walked:
    """A step in its place. step: its number. level: how far it stands aside: 0 on the main road, one more for each
    fork. fed_by: the places of the steps before it that make what it is made of."""

    step: int
    level: int
    fed_by: tuple[int, ...]


def walk_steps(steps: Sequence[tuple[int, Sequence[int]]], focus: Collection[int]) -> list[Walked]:
    """Return steps in order: what leads to the focus first, each branch in one piece before it joins, its first
    source on the main road; then what follows from it, branch by branch.

    steps: of each the field that it makes, and those that it makes it of. focus: the fields whose trail it is.

    >>> [(one.step, one.level) for one in walk_steps([(3, [1, 2]), (1, [9]), (2, [8]), (4, [3])], [3])]
    [(1, 0), (2, 1), (0, 0), (3, 0)]
    """
    making: dict[int, list[int]] = {}
    using: dict[int, list[int]] = {}
    for number, (target, sources) in enumerate(steps):
        making.setdefault(target, []).append(number)
        for source in dict.fromkeys(sources):
            using.setdefault(source, []).append(number)
    levels: dict[int, int] = {}
    order: list[int] = []
    for field in focus:
        _upstream(steps, making, field, levels, order)
    for field in focus:
        _downstream(steps, using, field, levels, order)
    for number in range(len(steps)):
        if number not in levels:
            levels[number] = 0
            order.append(number)
    places = {number: place for place, number in enumerate(order)}
    found = []
    for place, number in enumerate(order):
        before = {places[one] for source in steps[number][1] for one in making.get(source, ())}
        found.append(Walked(number, levels[number], tuple(sorted(one for one in before if one < place))))
    return found


def _upstream(
    steps: Sequence[tuple[int, Sequence[int]]],
    making: dict[int, list[int]],
    field: int,
    levels: dict[int, int],
    order: list[int],
) -> None:
    """What makes a field, each step behind those that it needs."""
    waiting = [(number, level, False) for level, number in enumerate(making.get(field, ()))][::-1]
    while waiting:
        number, level, is_done = waiting.pop()
        if is_done:
            order.append(number)
            continue
        if number in levels:
            continue
        levels[number] = level
        waiting.append((number, level, True))
        before = [one for source in dict.fromkeys(steps[number][1]) for one in making.get(source, ())]
        # The first one stands on the road of what it leads to, the others beside it.
        waiting += [(one, level + (n > 0), False) for n, one in enumerate(before)][::-1]


def _downstream(
    steps: Sequence[tuple[int, Sequence[int]]],
    using: dict[int, list[int]],
    field: int,
    levels: dict[int, int],
    order: list[int],
) -> None:
    """What follows from a field, each step before those that it leads to."""
    following = using.get(field, ())
    waiting = [(number, int(len(following) > 1)) for number in following][::-1]
    while waiting:
        number, level = waiting.pop()
        if number in levels:
            continue
        levels[number] = level
        order.append(number)
        after = using.get(steps[number][0], ())
        waiting += [(one, level + (len(after) > 1)) for one in after][::-1]
