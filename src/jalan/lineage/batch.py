"""Many texts at once. Each is on its own, so they can be read by several processes."""

import os
from collections.abc import Iterable, Mapping, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass

from jalan.lineage.extraction import Extraction
from jalan.lineage.script import extract

_SMALL_BATCH = 200_000  # characters; below this, starting processes costs more than it saves


@dataclass(frozen=True, slots=True)
class Item:
    """One text for ``extract_many``, with the arguments that ``extract`` takes."""

    sql: str
    dialect: str = "postgresql"
    tables: Mapping[str, Sequence[str]] | None = None
    search_path: tuple[str, ...] | None = None


def _extract_item(item: Item) -> Extraction:
    return extract(item.sql, dialect=item.dialect, tables=item.tables, search_path=item.search_path)


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
        return [_extract_item(item) for item in batch]
    with ProcessPoolExecutor(workers) as pool:
        chunk = max(1, len(batch) // (workers * 8))
        return list(pool.map(_extract_item, batch, chunksize=chunk))
