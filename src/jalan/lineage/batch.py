"""Many texts at once. Each is on its own, so they can be read by several processes."""

import gc
import multiprocessing
import os
import threading
from collections.abc import Iterable, Iterator, Mapping, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass

from jalan.collecting import seldom_collecting
from jalan.lineage.model import Extraction
from jalan.lineage.packing import pack, unpack
from jalan.lineage.script import extract
from jalan.lineage.tables import KnownTables

_SMALL_BATCH = 200_000  # characters; below this, starting processes costs more than it saves
_PARTS = 4  # a worker's share comes in so many parts, so that none waits long for the slowest


@dataclass(frozen=True, slots=True)
class Item:
    """One text for ``extract_many``, with the arguments that ``extract`` takes."""

    sql: str
    dialect: str = "postgresql"
    tables: Mapping[str, Sequence[str]] | None = None
    search_path: tuple[str, ...] | None = None


# What the workers read: they are copies of this process, so nothing has to be sent to them.
_shared: list[Item] = []


def _extract_items(items: Iterable[Item]) -> Iterator[Extraction]:
    """Extract one after the other; tables that several items share are made known once."""
    known: dict[int, KnownTables] = {}
    for item in items:
        tables: Mapping[str, Sequence[str]] | KnownTables | None = item.tables
        if item.tables is not None:
            tables = known.get(id(item.tables))
            if tables is None:
                tables = known[id(item.tables)] = KnownTables(item.tables)
        yield extract(item.sql, dialect=item.dialect, tables=tables, search_path=item.search_path)


def _begin_worker() -> None:
    """What a worker has inherited is in use for good: it need not be looked through for garbage again and again."""
    gc.freeze()


def _read(items: list[Item]) -> list[bytes]:
    with seldom_collecting:
        return pack(_extract_items(items))


def _read_shared(part: slice) -> list[bytes]:
    return _read(_shared[part])


def extract_many(items: Iterable[Item | str], *, workers: int | None = None) -> list[Extraction]:
    """Extract each text on its own and return the results in order.

    items: texts, or Items where a text needs arguments. workers: how many processes; by default as many as there
    are processors where the batch is large enough to gain from them, 1 for none.

    >>> [e.statements[0].kind for e in extract_many(["select 1", "drop table tides"])]
    ['select', 'drop_table']
    """
    batch = [Item(item) if isinstance(item, str) else item for item in items]
    if workers is None:
        large = sum(len(item.sql) for item in batch) >= _SMALL_BATCH
        workers = (os.cpu_count() or 1) if large else 1
    if workers <= 1 or len(batch) < 2:
        return list(_extract_items(batch))
    parts = list(_parts(batch, workers * _PARTS))
    with seldom_collecting:
        return _in_processes(batch, parts, min(workers, len(parts)))


def _in_processes(batch: list[Item], parts: list[slice], workers: int) -> list[Extraction]:
    # A process with threads cannot be copied safely; then the texts are sent.
    copied = threading.active_count() == 1 and "fork" in multiprocessing.get_all_start_methods()
    context = multiprocessing.get_context("fork" if copied else "spawn")
    found: list[Extraction] = []
    _shared[:] = batch if copied else []
    try:
        with ProcessPoolExecutor(workers, mp_context=context, initializer=_begin_worker) as pool:
            if copied:
                results = pool.map(_read_shared, parts)
            else:
                results = pool.map(_read, [batch[part] for part in parts])
            for data in results:
                found += unpack(data)
    finally:
        _shared.clear()
    return found


def _parts(batch: list[Item], wanted: int) -> Iterator[slice]:
    """Cut a batch into stretches of about as many characters each."""
    size = sum(len(item.sql) for item in batch) / wanted
    start, filled = 0, 0
    for n, item in enumerate(batch):
        filled += len(item.sql)
        if filled >= size:
            yield slice(start, n + 1)
            start, filled = n + 1, 0
    if start < len(batch):
        yield slice(start, len(batch))
