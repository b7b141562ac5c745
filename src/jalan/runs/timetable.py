"""The stations of a timetable: groups of datasets, in the order in which data goes through them."""

from collections import Counter
from collections.abc import Iterable, Mapping


def in_order(flows: Mapping[tuple[str, str], int], stations: Iterable[str] = ()) -> list[str]:
    """Return stations so that most data goes from earlier to later ones.

    flows: (from, to) → how often. What goes in a circle is opened where least goes back.

    >>> in_order({("landing", "tidy"): 9, ("tidy", "core"): 8, ("core", "tidy"): 1})
    ['landing', 'tidy', 'core']
    """
    left = {one for pair in flows for one in pair} | set(stations)
    inner = {pair: count for pair, count in flows.items() if pair[0] != pair[1]}
    first: list[str] = []
    last: list[str] = []
    while left:
        into, out = Counter[str](), Counter[str]()
        for (one, other), count in inner.items():
            if one in left and other in left:
                out[one] += count
                into[other] += count
        ends = sorted(one for one in left if not out[one] and into[one])
        starts = sorted(one for one in left if not into[one])
        if ends:
            last[:0] = ends
            left -= set(ends)
        elif starts:
            first += starts
            left -= set(starts)
        else:
            # A circle: begin where most goes out, compared with what comes in.
            one = min(left, key=lambda station: (into[station] - out[station], station))
            first.append(one)
            left.discard(one)
    return first + last
