"""The find box."""

from jalan.catalog.kinds import DatasetKind, FieldKind
from jalan.service.catalog.answers import (
    FindKind,
    Found,
)
from jalan.service.context import Context
from jalan.service.graph_cache.names import DatasetInfo


def find(context: Context, wanted: str, limit: int) -> list[Found]:
    """Return datasets, columns, reports and elements whose names hold every word, best first.

    A name that is the word comes before one that begins with it, before one that holds it; descriptions last.
    """
    snapshot = context.graph
    words = wanted.lower().split()
    if not words:
        return []
    hits: list[tuple[tuple[int, int, str], Found]] = []
    for info in snapshot.datasets:
        if info.gone_since is None:
            _match_dataset(info, words, hits)
    for field in snapshot.fields:
        info = snapshot.datasets[field.dataset]
        if field.gone_since is not None or info.gone_since is not None or field.kind == FieldKind.STAR:
            continue
        rank = _rank(field.name, f"{info.title}.{field.name}", info.name, words)
        if rank is None or not any(word in field.name.lower() for word in words):
            continue
        element = info.kind == DatasetKind.REPORT
        kind: FindKind = "element" if element else "field"
        found = Found(
            kind=kind,
            dataset=info.id,
            field=field.id,
            title=field.name,
            path=_path_of(info),
            dataset_kind=field.kind if element else info.kind,
            why="element" if element else "column",
        )
        hits.append(((rank, 1, f"{info.title}.{field.name}"), found))
    hits.sort(key=lambda hit: hit[0])
    return [found for _, found in hits[:limit]]


def _match_dataset(info: DatasetInfo, words: list[str], hits: list[tuple[tuple[int, int, str], Found]]) -> None:
    rank = _rank(info.title.rpartition(".")[2], info.title, info.name, words)
    why = "name"
    if rank is None and info.description and all(word in info.description.lower() for word in words):
        rank, why = 5, "description"
    if rank is None and info.owner and all(word in info.owner.lower() for word in words):
        rank, why = 6, "owner"
    if rank is None:
        return
    kind: FindKind = "report" if info.kind == DatasetKind.REPORT else "dataset"
    found = Found(
        kind=kind,
        dataset=info.id,
        field=None,
        title=info.title,
        path=_path_of(info),
        dataset_kind=info.kind,
        why=why,
    )
    hits.append(((rank, 0, info.title), found))


def _rank(short: str, title: str, full: str, words: list[str]) -> int | None:
    low, whole = short.lower(), f"{title} {full}".lower()
    if not all(word in whole for word in words):
        return None
    first = words[-1]
    if low == first or title.lower() == " ".join(words):
        return 0
    if low.startswith(first):
        return 1
    return 2 if first in low else 3 if first in title.lower() else 4


def _path_of(info: DatasetInfo) -> str:
    name = info.title if info.kind == DatasetKind.REPORT else info.name
    return f"{info.namespace.removeprefix('postgres://')}/{name}"
