"""One asset with its facts, the find box, and the catalog."""

import base64
import binascii
from collections import Counter

import numpy as np
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from jalan.catalog.kinds import DatasetKind, FieldKind
from jalan.graph.spread import Ints
from jalan.service import standing
from jalan.service.answers import (
    CatalogPage,
    CatalogRow,
    ColumnFact,
    DatasetFacts,
    FacetCount,
    FindKind,
    Found,
)
from jalan.service.errors import NotFound
from jalan.service.roads import definition_fact, field_brief, field_counts
from jalan.service.snapshot import DatasetInfo, Snapshot, valid_at
from jalan.store.models import Diagnostic

_FACETS = ("kind", "system", "container", "owner", "state")


class BadCursor(ValueError):
    """The cursor was not given out by the catalog."""


def facts(snapshot: Snapshot, session: Session, dataset_id: int) -> DatasetFacts:
    """Return everything known about a dataset."""
    dataset = snapshot.dataset_at.get(dataset_id)
    if dataset is None:
        raise NotFound(f"there is no dataset {dataset_id}")
    info = snapshot.datasets[dataset]
    graph = snapshot.graph
    counts = field_counts(snapshot)
    back, ahead = graph.hops(dataset)
    reports = [d for d in np.flatnonzero(ahead > 0).tolist() if snapshot.datasets[d].kind == DatasetKind.REPORT]
    writing = _definitions_of(snapshot, dataset)
    return DatasetFacts(
        id=info.id,
        name=info.name,
        title=info.title,
        kind=info.kind,
        system=info.system,
        namespace=info.namespace,
        container=info.container,
        description=info.description,
        owner=info.owner,
        address=info.address,
        rows=info.rows,
        placeholder=info.placeholder,
        gone_since=info.gone_since,
        first_seen=info.first_seen,
        scanned_at=info.scanned_at,
        feeds_itself=graph.feeds_itself(dataset),
        columns=[
            ColumnFact(
                **field_brief(snapshot, f, counts).model_dump(),
                description=snapshot.fields[f].description,
                reports=_reports_of_field(snapshot, f),
                facts=snapshot.fields[f].facts,
            )
            for f in info.fields
            if snapshot.fields[f].gone_since is None and not _is_idle_star(snapshot, f, counts)
        ],
        written_by=[definition_fact(snapshot.definitions[d]) for d in writing],
        back=int(np.count_nonzero(back > 0)),
        ahead=int(np.count_nonzero(ahead > 0)) - len(reports),
        reports=sorted(snapshot.datasets[d].title for d in reports),
        unread=_unread(session, snapshot, writing),
        bytes=info.bytes,
        details=info.facts,
        known_as=standing.aliases(session, info, snapshot.as_of),
        conflicts=standing.conflicts(session, info, snapshot.as_of),
        points=standing.points(session, snapshot, writing),
        uses=standing.uses(session, info, snapshot.as_of),
    )


def _is_idle_star(snapshot: Snapshot, field: int, counts: tuple[Ints, Ints]) -> bool:
    """Whether a field stands for all columns and no link needs it any more: the columns are known now."""
    return snapshot.fields[field].kind == FieldKind.STAR and not counts[0][field] and not counts[1][field]


def _definitions_of(snapshot: Snapshot, dataset: int) -> list[int]:
    graph = snapshot.graph
    links = np.flatnonzero(graph.dataset_ends[1] == dataset).tolist()
    found = dict.fromkeys(snapshot.links[link].definition for link in links)
    return sorted(found, key=lambda d: (snapshot.definitions[d].kind, snapshot.definitions[d].place))


def _reports_of_field(snapshot: Snapshot, field: int) -> int:
    carried = snapshot.graph.carriers(np.array([field]))
    reached = np.flatnonzero(carried.distance[: snapshot.graph.fields] > 0)
    datasets = set(snapshot.graph.field_dataset[reached].tolist())
    return sum(snapshot.datasets[d].kind == DatasetKind.REPORT for d in datasets)


def _unread(session: Session, snapshot: Snapshot, definitions: list[int]) -> int:
    query = select(func.count()).where(
        Diagnostic.definition_id.in_(definitions), *valid_at(Diagnostic, snapshot.as_of), Diagnostic.level != "info"
    )
    return session.scalars(query).one()


# --- find ------------------------------------------------------------------------------------------------


def find(snapshot: Snapshot, wanted: str, limit: int) -> list[Found]:
    """Return datasets, columns, reports and elements whose names hold every word, best first.

    A name that is the word comes before one that begins with it, before one that holds it; descriptions last.
    """
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
    return f"{info.namespace.removeprefix('postgres://')}/{info.name if info.kind != 'report' else info.title}"


# --- catalog ---------------------------------------------------------------------------------------------


def catalog(
    snapshot: Snapshot, wanted: str, chosen: dict[str, list[str]], limit: int, cursor: str | None
) -> CatalogPage:
    """Return datasets that match, a page at a time, with facets that count what a further choice would leave.

    chosen: facet → values; values of one facet widen, different facets narrow. Raises BadCursor.
    """
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
            return f"{'element' if info.kind == 'report' else 'column'} {name}"
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
    back, ahead = snapshot.graph.hops(dataset)
    reports = sum(snapshot.datasets[d].kind == DatasetKind.REPORT for d in np.flatnonzero(ahead > 0).tolist())
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
        back=int(np.count_nonzero(back > 0)),
        ahead=int(np.count_nonzero(ahead > 0)) - reports,
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
