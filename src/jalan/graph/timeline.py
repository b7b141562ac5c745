"""The graph through time: built from rows once, kept in step by differences, shown as it was at a time.

Links that hold lie in one part, sorted and indexed. What comes in later lies in a small part beside it, and what
ends is struck out; from time to time both are folded into a new part. Links that ended before lie in a third part,
which only questions about the past look at. No moment is ever changed: a new one shares what is the same.
"""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from functools import cached_property
from itertools import chain

import numpy as np

from jalan.graph.columns import (
    FOREVER,
    LINK_ROW,
    NO_DATASETS,
    NO_FIELDS,
    NO_INTS,
    NOTHING_JOINED,
    DatasetColumns,
    FieldColumns,
    Flags,
    Ints,
    Joined,
    LinkColumns,
    Positions,
    Rows,
    all_of,
    distinct,
    link_columns,
)
from jalan.graph.dependencies import Dependencies, Nodes, nodes_of
from jalan.graph.index import Part, edges_at, part_of
from jalan.graph.lanes import Pairs, combined, pairs_of

_FOLD_AT_LEAST = 50_000  # links
_FOLD_SHARE = 0.04
NO_LINKS = np.empty(0, dtype=LINK_ROW)


@dataclass(frozen=True, slots=True, eq=False)
class Difference:
    """Rows that are new or have changed, see the row types in ``columns``. joined: as it is now, none where that is
    as it was."""

    datasets: Rows
    fields: Rows
    links: Rows
    joined: Joined | None = None


@dataclass(frozen=True, eq=False)
class Timeline:
    """The graph of now, and what is needed to go on from it and back.

    now: the graph as it is. main: the part of links that held when it was last folded, with their pairs.
    past: links that had ended by then. pending: links that have come since, the ended among them too.
    """

    nodes: Nodes
    main: Part
    main_pairs: Pairs
    past: Part
    pending: LinkColumns
    struck: Ints

    # --- now -----------------------------------------------------------------------------------------

    @cached_property
    def now(self) -> Dependencies:
        """The graph as it is."""
        fresh = self._fresh
        dead = fresh.links.until < FOREVER
        return Dependencies(self.nodes, (self.main, fresh), (self._standing, ~dead if dead.any() else None))

    @cached_property
    def _fresh(self) -> Part:
        return _part(self.pending, self.nodes)

    @property
    def _standing(self) -> Flags | None:
        if not len(self.struck):
            return None
        found = np.ones(len(self.main), dtype=np.bool_)
        found[self.struck] = False
        return found

    @cached_property
    def pairs(self) -> Pairs:
        """The linked datasets of now. Cost: the pairs, and what has changed since the last fold."""
        now = self.now
        first = len(self.main)
        fresh = np.arange(first, first + len(self._fresh), dtype=np.int32)
        alive = now.alive[1]
        added = pairs_of(now, fresh if alive is None else fresh[alive])
        gone = pairs_of(now, self.struck)
        return combined([(self.main_pairs, 1), (added, 1), (gone, -1)], now.datasets)

    # --- going on ------------------------------------------------------------------------------------

    def after(self, difference: Difference) -> "Timeline":
        """Return what it is after a difference. A row that says what is known already changes nothing."""
        nodes = _nodes_after(self.nodes, difference)
        links = link_columns(difference.links, nodes.dataset_at, nodes.field_at)
        struck, pending = self._links_after(links)
        found = replace(
            self,
            nodes=nodes,
            main_pairs=replace(self.main_pairs, size=len(nodes.datasets)),
            pending=pending,
            struck=struck,
        )
        if difference.joined is not None and difference.joined != self.nodes.joined:
            return found.folded()
        return found

    def _links_after(self, links: LinkColumns) -> tuple[Ints, LinkColumns]:
        """Return which of the main part are struck out, and what is pending, after rows of links."""
        place = _places(self.main, links)
        known = place >= 0
        ended = known & (links.until < FOREVER)
        # In place: who looks at an earlier moment sees the link hold until its end.
        self.main.links.until[place[ended]] = links.until[ended]
        struck = distinct(np.concatenate((self.struck, place[ended])))
        # Only what has ended can lie in the past already; mostly that is nothing.
        elsewhere = np.flatnonzero(~known & (links.until < FOREVER))
        if len(elsewhere) and len(self.past):
            known[elsewhere] = np.isin(links.ids[elsewhere], self.past.links.ids)
        new = links.take(np.flatnonzero(~known))
        before = self.pending.take(np.flatnonzero(~np.isin(self.pending.ids, new.ids)))
        return struck, all_of([before, new])

    @property
    def wants_folding(self) -> bool:
        """Whether so much has come beside the main part that walks feel it."""
        beside = len(self.pending) + len(self.struck)
        return beside > max(_FOLD_AT_LEAST, _FOLD_SHARE * len(self.main))

    def folded(self) -> "Timeline":
        """Return the same with one main part. Cost: sorting all links."""
        return _timeline(self.nodes, self.every_link())

    def every_link(self) -> LinkColumns:
        """Return all links that there ever were, with their own ends, before any is read as another."""
        return all_of([_raw(self.main), _raw(self.past), self.pending])

    # --- the past ------------------------------------------------------------------------------------

    def at(self, time: int, joined: Joined, datasets: Rows, fields: Rows) -> Dependencies:
        """Return the graph as it was at a time.

        joined: what was read as what then. datasets, fields: rows of those that said something else then.
        """
        nodes = nodes_of(
            self.nodes.datasets.merged(datasets, self.nodes.dataset_at[datasets["id"]]),
            self.nodes.fields.merged(
                fields, self.nodes.dataset_at[fields["dataset"]], self.nodes.field_at[fields["id"]]
            ),
            joined,
        )
        parts: tuple[Part, ...]
        if joined == self.nodes.joined:
            parts = (self.main, self._fresh, self.past)
        else:
            parts = (_part(self.every_link(), nodes),)
        held = tuple((part.links.since <= time) & (part.links.until > time) for part in parts)
        return Dependencies(nodes, parts, held, at=time)


def timeline_of(datasets: Rows, fields: Rows, links: Iterable[Rows], joined: Joined = NOTHING_JOINED) -> Timeline:
    """Build a timeline from all rows; those of links may come in pieces. Cost: sorting all links."""
    nodes = nodes_of(NO_DATASETS, NO_FIELDS, NOTHING_JOINED)
    nodes = _nodes_after(nodes, Difference(datasets, fields, NO_LINKS, joined))
    pieces = (link_columns(piece, nodes.dataset_at, nodes.field_at) for piece in chain([NO_LINKS], links))
    return _timeline(nodes, all_of(pieces))


def _timeline(nodes: Nodes, links: LinkColumns) -> Timeline:
    holds = links.until == FOREVER
    main = _part(links if holds.all() else links.take(np.flatnonzero(holds)), nodes)
    past = _part(links.take(np.flatnonzero(~holds)), nodes)
    nothing = links.take(NO_INTS)
    del links, holds  # what is sorted now is large
    alone = Dependencies(nodes, (main,), (None,))
    pairs = pairs_of(alone, np.arange(len(main), dtype=np.int32))
    return Timeline(nodes, main, pairs, past, nothing, NO_INTS)


def _nodes_after(nodes: Nodes, difference: Difference) -> Nodes:
    joined = nodes.joined if difference.joined is None else difference.joined
    if not len(difference.datasets) and not len(difference.fields) and joined == nodes.joined:
        return nodes
    datasets: DatasetColumns = nodes.datasets.merged(
        difference.datasets, nodes.dataset_at[difference.datasets["id"]]
    )
    dataset_at = Positions.of(datasets.ids)
    at = nodes.field_at[difference.fields["id"]]
    fields: FieldColumns = nodes.fields.merged(difference.fields, dataset_at[difference.fields["dataset"]], at)
    return nodes_of(datasets, fields, joined)


def _part(links: LinkColumns, nodes: Nodes) -> Part:
    """Index links between the nodes that theirs are read as."""
    fields, datasets = len(nodes.fields), len(nodes.datasets)
    if not len(nodes.joined.datasets) and not len(nodes.joined.fields):
        return part_of(links, fields, datasets)
    to_rows = links.targets < 0
    targets = links.targets.copy()
    targets[to_rows] = ~nodes.canonical_dataset[~targets[to_rows]]
    targets[~to_rows] = nodes.canonical_field[targets[~to_rows]]
    read_as = links.ending_at(nodes.canonical_field[links.sources], targets)
    return part_of(read_as, fields, datasets, (links.sources, links.targets))


def _raw(part: Part) -> LinkColumns:
    return part.links if part.raw is None else part.links.ending_at(*part.raw)


def _places(part: Part, links: LinkColumns) -> Ints:
    """Return where links stand in a part by their ids, -1 where they do not."""
    found = np.full(len(links), -1, dtype=np.int32)
    if not len(part) or not len(links):
        return found
    raw = _raw(part)
    # They start where they always did, or, in a part that reads some as others, anywhere.
    if part.raw is None:
        candidates, _ = edges_at(part.forward, distinct(links.sources), by_value=False)
    else:
        candidates = np.flatnonzero(np.isin(raw.ids, links.ids)).astype(np.int32)
    candidates = candidates[np.argsort(raw.ids[candidates], kind="stable")]
    ids = raw.ids[candidates]
    if not len(ids):
        return found
    at = np.minimum(np.searchsorted(ids, links.ids), len(ids) - 1)
    known = ids[at] == links.ids
    found[known] = candidates[at[known]]
    return found
