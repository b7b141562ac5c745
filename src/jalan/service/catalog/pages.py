"""The catalog, a page at a time, with counting facets."""

import base64
import binascii
from collections import Counter

import numpy as np

from jalan.catalog.kinds import DatasetKind
from jalan.service.catalog.answers import (
    CatalogPage,
    CatalogRow,
    FacetCount,
)
from jalan.service.context import Context
from jalan.service.graph_cache.names import DatasetInfo
from jalan.service.graph_cache.snapshot import Snapshot

_FACETS = ("kind", "system", "container", "owner", "state")


class BadCursor(ValueError):
    """The cursor was not given out by the catalog."""


def catalog(
    context: Context, wanted: str, chosen: dict[str, list[str]], limit: int, cursor: str | None
) -> CatalogPage:
    """Return datasets that match, a page at a time, with facets that count what a further choice would leave.

    chosen: facet → values; values of one facet widen, different facets narrow. Raises BadCursor.
    """
    snapshot = context.graph
    words = wanted.lower().split()
    matched = [(i, why) for i, info in enumerate(snapshot.datasets) if (why := _why(info, snapshot, words)) != ""]
    rows = [(i, why) for i, why in matched if _chosen(snapshot.datasets[i], chosen, None)]
    rows.sort(key=lambda row: (snapshot.datasets[row[0]].container, snapshot.datasets[row[0]].title))
    start = _read_cursor(cursor)
    page = rows[start : start + limit]
    facets = {
        name: _count(
            [_facet(snapshot.datasets[i], name) for i, _ in matched if _chosen(snapshot.datasets[i], chosen, name)]
        )
        for name in _FACETS
    }
    return CatalogPage(
        items=[catalog_row(snapshot, i, why) for i, why in page],
        total=len(rows),
        next=_write_cursor(start + limit) if start + limit < len(rows) else None,
        facets=facets,
    )


def _why(info: DatasetInfo, snapshot: Snapshot, words: list[str]) -> str | None:
    """Return why a dataset matches: None for no words, a reason, or nothing (empty) where it does not."""
    if not words:
        return None
    names = f"{info.name} {info.title}".lower()
    if all(word in names for word in words):
        return "name"
    if info.description and all(word in info.description.lower() for word in words):
        return f"description: {info.description}"
    for field in info.fields:
        name = snapshot.fields[field].name
        if all(word in name.lower() for word in words):
            return f"{'element' if info.kind == DatasetKind.REPORT else 'column'} {name}"
    if info.owner and all(word in info.owner.lower() for word in words):
        return f"owner {info.owner}"
    return ""


def _facet(info: DatasetInfo, name: str) -> str:
    if name == "kind":
        return info.kind
    if name == "system":
        return info.namespace.removeprefix("postgres://")
    if name == "container":
        return info.container
    if name == "owner":
        return info.owner or "nobody"
    return "gone" if info.gone_since else "placeholder" if info.placeholder else "known"


def _chosen(info: DatasetInfo, chosen: dict[str, list[str]], without: str | None) -> bool:
    return all(_facet(info, name) in values for name, values in chosen.items() if name != without and values)


def _count(values: list[str]) -> list[FacetCount]:
    counted = Counter(values)
    return [FacetCount(value=v, count=counted[v]) for v in sorted(counted, key=lambda v: (-counted[v], v))]


def catalog_row(snapshot: Snapshot, dataset: int, why: str | None) -> CatalogRow:
    """Return a dataset as the catalog shows it."""
    info = snapshot.datasets[dataset]
    upstream, downstream = snapshot.graph.hops(dataset)
    reports = sum(snapshot.datasets[d].kind == DatasetKind.REPORT for d in np.flatnonzero(downstream > 0).tolist())
    return CatalogRow(
        id=info.id,
        name=info.name,
        title=info.title,
        kind=info.kind,
        system=info.namespace.removeprefix("postgres://"),
        container=info.container,
        description=info.description,
        owner=info.owner,
        placeholder=info.placeholder,
        gone=info.gone_since is not None,
        columns=len(info.fields),
        upstream=int(np.count_nonzero(upstream > 0)),
        downstream=int(np.count_nonzero(downstream > 0)) - reports,
        reports=reports,
        why=why,
    )


def _write_cursor(offset: int) -> str:
    return base64.urlsafe_b64encode(str(offset).encode()).decode()


def _read_cursor(cursor: str | None) -> int:
    if cursor is None:
        return 0
    try:
        return max(0, int(base64.urlsafe_b64decode(cursor.encode()).decode()))
    except (binascii.Error, ValueError) as error:
        raise BadCursor(f"“{cursor}” is no cursor of the catalog; leave it out for the first page") from error
