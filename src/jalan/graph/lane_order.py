"""The order of things in lanes, chosen so that links cross little.

Source: the barycentre heuristic of K. Sugiyama, S. Tagawa and M. Toda, "Methods for Visual Understanding of
Hierarchical System Structures", IEEE Transactions on Systems, Man and Cybernetics 11(2), 1981.
"""

from collections.abc import Mapping, Sequence

_SWEEPS = 4


def order_lanes(
    lanes: Mapping[int, Sequence[int]], links: Sequence[tuple[int, int]], focus: int = 0
) -> dict[int, list[int]]:
    """Return each lane in a new order; lane ``focus`` is left as it is.

    lanes: position → its nodes. links: pairs of nodes; those between neighbouring lanes count.

    >>> order_lanes({-1: [1, 2], 0: [3, 4]}, [(1, 4), (2, 3)])
    {-1: [2, 1], 0: [3, 4]}
    """
    found = {position: list(nodes) for position, nodes in lanes.items()}
    lane_of = {node: position for position, nodes in found.items() for node in nodes}
    beside: dict[int, list[int]] = {node: [] for node in lane_of}
    for source, target in links:
        if source in lane_of and target in lane_of and abs(lane_of[source] - lane_of[target]) == 1:
            beside[source].append(target)
            beside[target].append(source)
    outwards = sorted((p for p in found if p != focus), key=lambda p: (abs(p - focus), p))
    for sweep in range(_SWEEPS):
        for position in outwards if sweep % 2 == 0 else outwards[::-1]:
            inward = position - 1 if position > focus else position + 1
            # Going out, a lane follows the one nearer to the focus; coming back, the one further away.
            reference = inward if sweep % 2 == 0 else 2 * position - inward
            places = {node: i for i, node in enumerate(found.get(reference, ()))}
            found[position] = _by_mean_place(found[position], beside, places)
    return found


def _by_mean_place(nodes: list[int], beside: dict[int, list[int]], places: dict[int, int]) -> list[int]:
    def mean(index: int) -> float:
        known = [places[n] for n in beside[nodes[index]] if n in places]
        return sum(known) / len(known) if known else float(index)

    return [nodes[i] for i in sorted(range(len(nodes)), key=lambda i: (mean(i), i))]
