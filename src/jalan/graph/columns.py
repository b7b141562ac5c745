"""What the graph is made of, as columns: rows as the store gives them, with ids, and arrays by position.

A position is the place of a dataset or field in these arrays; it stays the same as long as the graph grows. A
*node* is a field, by its position, or the rows of a dataset, by the complement of its position: ``~dataset`` is
negative, and finds its place at the end of an array that has room for both.
"""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from jalan.catalog.kinds import How, LinkOrigin

Ints = NDArray[np.int32]
Times = NDArray[np.int64]
Flags = NDArray[np.bool_]
Rows = NDArray[np.void]
K = TypeVar("K", np.int32, np.int64)

VALUE, CONDITION, ROWS = range(3)
"""Kinds of links: they carry a value, decide about one, or decide which rows there are."""

FOREVER: int = np.iinfo(np.int64).max
"""The end of what holds still. Times are microseconds since 2000, as PostgreSQL counts them."""

DATASET_ROW = np.dtype([("id", "i4"), ("flags", "i4"), ("since", "i8"), ("gone", "i8")])
"""flags: see ``REPORT`` and ``PLACEHOLDER``."""
FIELD_ROW = np.dtype([("id", "i4"), ("dataset", "i4"), ("flags", "i4"), ("since", "i8"), ("gone", "i8")])
"""dataset: its id. flags: see ``STAR`` and ``PLACEHOLDER``."""
LINK_ROW = np.dtype(
    [
        ("id", "i4"), ("source", "i4"), ("dataset", "i4"), ("field", "i4"), ("code", "i4"), ("definition", "i4"),
        ("since", "i8"), ("until", "i8"),
    ]
)  # fmt: skip
"""source: id of a field. field: of the target, 0 where the rows of ``dataset`` are decided. code: ``link_code``."""

PLACEHOLDER, REPORT, STAR = 1, 2, 4
HOWS: dict[str, int] = {how: n for n, how in enumerate(How)}
ORIGINS: dict[str, int] = {origin: n for n, origin in enumerate(LinkOrigin)}
_POSSIBLE, _HOW_AT, _ORIGIN_AT, RANK_AT = 4, 3, 7, 10


def link_code(kind: int, how: str, origin: str, possible: bool, rank: int) -> int:
    """Pack what a link is into one number.

    rank: of its definition; of several links between the same two the one of the lowest rank is shown.

    >>> code = np.array([link_code(ROWS, "filter", "parsed", True, 3)])
    >>> kinds_of(code).tolist(), ranks_of(code).tolist(), are_possible(code).tolist()
    ([2], [3], [True])
    """
    how_number = HOWS.get(how, len(HOWS))
    origin_number = ORIGINS.get(origin, len(ORIGINS))
    return kind | possible * _POSSIBLE | how_number << _HOW_AT | origin_number << _ORIGIN_AT | rank << RANK_AT


def kinds_of(codes: Ints) -> Ints:
    """Return VALUE, CONDITION or ROWS of each code."""
    return codes & 3


def are_possible(codes: Ints) -> Flags:
    """Return which links are only possible ones."""
    return (codes & _POSSIBLE).astype(np.bool_)


def hows_of(codes: Ints) -> Ints:
    """Return in what way the source of each link takes part, as HOWS counts it."""
    return codes >> _HOW_AT & (1 << _ORIGIN_AT - _HOW_AT) - 1


def ranks_of(codes: Ints) -> Ints:
    """Return the rank of the definition of each link."""
    return codes >> RANK_AT


@dataclass(frozen=True, slots=True, eq=False)
class DatasetColumns:
    """Datasets by position. gone: since when each is gone, FOREVER while it is there."""

    ids: Ints
    flags: Ints
    since: Times
    gone: Times

    @classmethod
    def of(cls, rows: Rows) -> "DatasetColumns":
        """Take rows in the order in which they come."""
        return cls(rows["id"].copy(), rows["flags"].copy(), rows["since"].copy(), rows["gone"].copy())

    def __len__(self) -> int:
        return len(self.ids)

    def merged(self, rows: Rows, at: Ints) -> "DatasetColumns":
        """Return these with rows changed at their positions (``at``), and appended where that is -1."""
        return DatasetColumns(**_merged(self, rows, at))


@dataclass(frozen=True, slots=True, eq=False)
class FieldColumns:
    """Fields by position. dataset: the position of the dataset of each."""

    ids: Ints
    dataset: Ints
    flags: Ints
    since: Times
    gone: Times

    def __len__(self) -> int:
        return len(self.ids)

    def merged(self, rows: Rows, dataset: Ints, at: Ints) -> "FieldColumns":
        """Return these with rows changed at their positions (``at``), and appended where that is -1.

        dataset: the position of the dataset of each row.
        """
        return FieldColumns(dataset=np.concatenate((self.dataset, dataset[at < 0])), **_merged(self, rows, at))


def _merged(columns: DatasetColumns | FieldColumns, rows: Rows, at: Ints) -> dict[str, NDArray[Any]]:
    """What both have, with rows changed at their positions and the new ones appended."""
    is_new, known = at < 0, at >= 0
    found: dict[str, NDArray[Any]] = {}
    for name in ("ids", "flags", "since", "gone"):
        column = "id" if name == "ids" else name
        found[name] = np.concatenate((getattr(columns, name), rows[column][is_new]))
        found[name][at[known]] = rows[column][known]
    return found


NO_DATASETS = DatasetColumns.of(np.empty(0, dtype=DATASET_ROW))
NO_INTS, _NO_TIMES = np.empty(0, dtype=np.int32), np.empty(0, dtype=np.int64)
NO_FIELDS = FieldColumns(NO_INTS, NO_INTS, NO_INTS, _NO_TIMES, _NO_TIMES)


@dataclass(frozen=True, slots=True, eq=False)
class Positions:
    """Where ids stand: ``table[id]`` is a position, or -1."""

    table: Ints

    @classmethod
    def of(cls, ids: Ints) -> "Positions":
        """Return the positions of ids that stand in order 0, 1, 2, …"""
        table = np.full(int(ids.max(initial=0)) + 1, -1, dtype=np.int32)
        table[ids] = np.arange(len(ids), dtype=np.int32)
        return cls(table)

    def __getitem__(self, ids: Ints) -> Ints:
        within = (ids >= 0) & (ids < len(self.table))
        found = np.full(len(ids), -1, dtype=np.int32)
        found[within] = self.table[ids[within]]
        return found

    def one(self, id_: int) -> int:
        """Return the position of one id, or -1."""
        return int(self.table[id_]) if 0 <= id_ < len(self.table) else -1


@dataclass(frozen=True, slots=True, eq=False)
class Joined:
    """Datasets and fields that stand for others, by id: pairs of one that is read as another, (n, 2) each."""

    datasets: Ints
    fields: Ints

    def __eq__(self, other: object) -> bool:
        return (
            isinstance(other, Joined)
            and np.array_equal(self.datasets, other.datasets)
            and np.array_equal(self.fields, other.fields)
        )

    __hash__ = None  # type: ignore[assignment]


NOTHING_JOINED = Joined(np.empty((0, 2), dtype=np.int32), np.empty((0, 2), dtype=np.int32))


@dataclass(frozen=True, slots=True, eq=False)
class LinkColumns:
    """Links by position.

    sources: positions of fields. targets: nodes. codes: see ``link_code``. definitions: ids. since, until: times;
    what is struck out has its end written in place.
    """

    ids: Ints
    sources: Ints
    targets: Ints
    codes: Ints
    definitions: Ints
    since: Times
    until: Times

    def __len__(self) -> int:
        return len(self.ids)

    def take(self, positions: NDArray[np.integer]) -> "LinkColumns":
        """Return some of them, in the order asked for."""
        return LinkColumns(*(getattr(self, name)[positions] for name in _LINK_COLUMNS))

    def ending_at(self, sources: Ints, targets: Ints) -> "LinkColumns":
        """Return them between other ends."""
        return replace(self, sources=sources, targets=targets)


_LINK_COLUMNS = ("ids", "sources", "targets", "codes", "definitions", "since", "until")


def all_of(several: Iterable[LinkColumns]) -> LinkColumns:
    """Return all links of several, one after the other. What was put together is let go a column at a time."""
    held: dict[str, list[NDArray[Any]]] = {name: [] for name in _LINK_COLUMNS}
    for one in several:
        for name, columns in held.items():
            columns.append(getattr(one, name))
    return LinkColumns(*(np.concatenate(held.pop(name)) for name in _LINK_COLUMNS))


def link_columns(rows: Rows, datasets: Positions, fields: Positions) -> LinkColumns:
    """Return rows of links by position; those whose ends nobody knows are left out."""
    sources = fields[rows["source"]]
    ends = datasets[rows["dataset"]]
    targets = fields[rows["field"]]
    decides_rows = rows["field"] == 0
    targets[decides_rows] = ~ends[decides_rows]
    known = (sources >= 0) & (ends >= 0) & (decides_rows | (targets >= 0))
    found = LinkColumns(
        rows["id"], sources, targets, rows["code"], rows["definition"], rows["since"], rows["until"]
    )
    return found.take(np.flatnonzero(known))


def distinct(values: NDArray[K]) -> NDArray[K]:
    """Return values once each, in order. Sorting is several times faster here than a table of what was met."""
    found = np.sort(values)
    if len(found) < 2:
        return found
    kept = np.ones(len(found), dtype=np.bool_)
    np.not_equal(found[1:], found[:-1], out=kept[1:])
    return found[kept]
