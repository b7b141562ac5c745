"""What of a map is drawn: never more than a screen and an answer can hold, with honest counts of the rest.

Of each lane the datasets that are linked most are shown first, or those that hold the words a person looks for, and
of each dataset the fields that most links in view end at. Links between two datasets are drawn one by one as long
as there is room; where there are more, or their fields are not shown, they are summed into one bundle.
"""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import select
from sqlalchemy.orm import Session

from jalan.graph.columns import VALUE, Ints, kinds_of
from jalan.graph.dependencies import Once
from jalan.service.catalog.listing import all_words, listing, words_of
from jalan.service.graph_cache.view import GraphView
from jalan.store.among import is_among

FIRST = 12
"""How many datasets of a lane are shown at first."""
_MOST = 240  # datasets in all
_LINKS = 240
_FIELDS = 360
_FEWEST_FIELDS = 2


@dataclass(frozen=True, slots=True)
class Wanted:
    """What a person wants to see of a map. words: lane → what names in it must hold. shown: lane → how many of its
    datasets."""

    words: dict[int, str] = field(default_factory=dict)
    shown: dict[int, int] = field(default_factory=dict)


@dataclass(frozen=True, slots=True, eq=False)
class Drawn:
    """lanes: lane of each dataset that is shown. totals: of each lane, how many datasets match. links: those drawn
    one by one. bundles: (source dataset, target dataset, links that carry values, all), for the others between what
    is shown. fields: of each dataset shown."""

    lanes: dict[int, int]
    totals: dict[int, int]
    links: Once
    bundles: list[tuple[int, int, int, int]]
    fields: dict[int, list[int]]


def chosen_datasets(
    session: Session, view: GraphView, wanted: Wanted, datasets: Ints, lanes: Ints, weights: NDArray[np.int64]
) -> tuple[dict[int, int], dict[int, int]]:
    """Return the lane of each dataset that is shown, and how many there are in each lane.

    weights: how strongly each is linked; lane 0 is always shown.
    """
    found: dict[int, int] = {}
    totals: dict[int, int] = {}
    nearest_first = sorted(set(lanes.tolist()), key=lambda lane: (abs(lane), lane))
    for lane in nearest_first:
        mine = np.flatnonzero(lanes == lane)
        words = words_of(wanted.words.get(lane, "")) if lane else []
        if words:
            mine = mine[np.isin(datasets[mine], _with_words(session, view, datasets[mine], words))]
        totals[lane] = len(mine)
        most = max(1, wanted.shown.get(lane, FIRST)) if lane else len(mine)
        order = mine[np.lexsort((datasets[mine], -weights[mine]))]
        room = _MOST - len(found)
        found.update(dict.fromkeys(datasets[order[: min(most, room)]].tolist(), lane))
    return found, totals


def _with_words(session: Session, view: GraphView, datasets: Ints, words: list[str]) -> Ints:
    listed = listing(view)
    ids = view.graph.nodes.datasets.ids[datasets].tolist()
    query = select(listed.c.id).where(is_among(listed.c.id, ids), all_words(listed.c.words, words))
    return view.positions(list(session.scalars(query)))


def drawn(view: GraphView, lanes: dict[int, int], totals: dict[int, int], links: Ints, always: list[int]) -> Drawn:
    """Choose what is drawn of the links between datasets that are shown. always: fields that are."""
    graph = view.graph
    once = graph.each_once(links)
    sources, targets = graph.sources(once.best), graph.targets(once.best)
    froms, tos = graph.field_dataset[sources], graph.dataset_of(targets)
    keys = (froms.astype(np.int64) << 32) | tos
    pairs, which, counts = np.unique(keys, return_inverse=True, return_counts=True)
    # Pairs nearest to the middle come first, of those the ones with few links: as many as possible are whole.
    near = np.array([_distance(lanes, int(key)) for key in pairs.tolist()], dtype=np.int64)
    order = np.lexsort((pairs, counts, near))
    fits = np.zeros(len(pairs), dtype=np.bool_)
    fits[order] = np.cumsum(counts[order]) <= _LINKS
    single = fits[which]
    fields = _fields(view, lanes, sources[single], targets[single], always)
    shown = np.zeros(graph.fields, dtype=np.bool_)
    shown[[one for mine in fields.values() for one in mine]] = True
    single &= shown[sources] & ((targets < 0) | shown[targets])
    bundles = _bundles(view, once.best[~single], keys[~single])
    return Drawn(lanes, totals, once.some(single), bundles, fields)


def _distance(lanes: dict[int, int], key: int) -> int:
    return abs(lanes[key >> 32]) + abs(lanes[key & 0xFFFFFFFF])


def _fields(
    view: GraphView, lanes: dict[int, int], sources: Ints, targets: Ints, always: list[int]
) -> dict[int, list[int]]:
    """The fields that are shown of each dataset: those that most links end at."""
    found: dict[int, list[int]] = {dataset: [] for dataset in lanes}
    ends, counts = np.unique(np.concatenate((sources, targets[targets >= 0])), return_counts=True)
    most = max(_FEWEST_FIELDS, _FIELDS // max(1, len(lanes)))
    if len(ends) <= _FIELDS:
        most = _FIELDS
    for one in always:
        found[int(view.graph.field_dataset[one])].append(one)
    datasets = view.graph.field_dataset[ends]
    kept = set(always)
    for place in np.lexsort((ends, -counts)).tolist():
        mine, one = found[int(datasets[place])], int(ends[place])
        if len(mine) < most and one not in kept:
            mine.append(one)
    return found


def _bundles(view: GraphView, links: Ints, keys: NDArray[np.int64]) -> list[tuple[int, int, int, int]]:
    pairs, which, counts = np.unique(keys, return_inverse=True, return_counts=True)
    carries = kinds_of(view.graph.columns(links).codes) == VALUE
    values = np.bincount(which[carries], minlength=len(pairs))
    return [(key >> 32, key & 0xFFFFFFFF, int(values[n]), int(counts[n])) for n, key in enumerate(pairs.tolist())]
