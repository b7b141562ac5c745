"""The catalog, a page at a time, with counting facets."""

from typing import Any

from sqlalchemy import ColumnElement, FromClause, func, select, tuple_
from sqlalchemy.orm import Session

from jalan.catalog.kinds import DatasetKind
from jalan.service.catalog.answers import CatalogPage, CatalogRow, FacetCount, FacetPage
from jalan.service.catalog.listing import FACETS, fields_named, listing, matches, words_of
from jalan.service.context import Context
from jalan.service.cursors import read_cursor, write_cursor
from jalan.service.errors import NotFound
from jalan.service.graph_cache.names import DatasetInfo, Names
from jalan.service.graph_cache.view import NOTHING_AROUND, GraphView
from jalan.store.patterns import holding

_VALUES = 40  # of a facet, on a page; the others are found by their own search


def catalog(
    context: Context, wanted: str, chosen: dict[str, list[str]], limit: int, cursor: str | None
) -> CatalogPage:
    """Return datasets that match, a page at a time, with facets that count what a further choice would leave.

    chosen: facet → values; values of one facet widen, different facets narrow. Raises BadCursor.
    """
    view, names, session = context.graph, context.names, context.session
    start = read_cursor(cursor, "the catalog")
    words = words_of(wanted)
    listed = listing(view)
    found = _matched(view, listed, words)
    kept = [*found, *_chosen(listed, chosen, None)]

    def counted() -> tuple[dict[str, list[FacetCount]], dict[str, int], int]:
        total = session.scalars(select(func.count()).select_from(listed).where(*kept)).one()
        return *_facets(session, listed, found, chosen), total

    # The next page is of the same choice, and everybody begins with none.
    choice = "\0".join([*words, *(f"{name}={value}" for name in sorted(chosen) for value in sorted(chosen[name]))])
    facets, totals, total = view.remembered(f"catalog {choice}", counted)
    order = (_by_code(listed.c.container), _by_code(listed.c.title), listed.c.id)
    page = session.scalars(select(listed.c.id).where(*kept).order_by(*order).offset(start).limit(limit)).all()
    why = _whys(session, view, names, list(page), words)
    return CatalogPage(
        items=catalog_rows(view, names, list(page), why),
        total=total,
        next=write_cursor(start + limit) if start + limit < total else None,
        facets=facets,
        facet_totals=totals,
    )


def facet(
    context: Context, name: str, wanted: str, words: str, chosen: dict[str, list[str]], limit: int
) -> FacetPage:
    """Return values of a facet that hold every word, the most frequent first. Raises NotFound.

    wanted, chosen: as in ``catalog``; what is chosen of this facet itself is left out of account.
    """
    if name not in FACETS:
        raise NotFound(f"there is no facet “{name}”; there are: {', '.join(FACETS)}")
    view, session = context.graph, context.session
    listed = listing(view)
    found = [*_matched(view, listed, words_of(wanted)), *_chosen(listed, chosen, name)]
    column = listed.c[name]
    found += [func.lower(column).like(holding(word)) for word in words_of(words)]
    counted = _counted(listed, column, found).subquery()
    total = session.scalars(select(func.count()).select_from(counted)).one()
    return FacetPage(values=_values(session, counted, limit), total=total)


def _matched(view: GraphView, listed: FromClause, words: list[str]) -> list[ColumnElement[bool]]:
    return [matches(view, listed, words)] if words else []


def _chosen(listed: FromClause, chosen: dict[str, list[str]], without: str | None) -> list[ColumnElement[bool]]:
    return [listed.c[name].in_(values) for name, values in chosen.items() if name != without and values]


def _by_code(column: ColumnElement[Any]) -> ColumnElement[Any]:
    return column.collate("C")


def _facets(
    session: Session, listed: FromClause, found: list[ColumnElement[bool]], chosen: dict[str, list[str]]
) -> tuple[dict[str, list[FacetCount]], dict[str, int]]:
    facets, totals = {}, {}
    # All that nothing is chosen of are counted in one pass.
    free = [name for name in FACETS if not chosen.get(name)]
    kept = [*found, *_chosen(listed, chosen, None)]
    values: dict[str, list[tuple[str, int]]] = {name: [] for name in FACETS}
    if free:
        columns = [listed.c[name] for name in free]
        sets = func.grouping_sets(*(tuple_(column) for column in columns))
        query = select(*columns, func.count(), func.grouping(*columns)).where(*kept)
        for row in session.execute(query.group_by(sets)):
            # Of the bits of a row's set, one for each column, only that of its own is not set.
            own = len(free) - ((1 << len(free)) - 1 ^ row[-1]).bit_length()
            values[free[own]].append((row[own], row[-2]))
    for name in FACETS:
        if name not in free:
            rows = session.execute(_counted(listed, listed.c[name], [*found, *_chosen(listed, chosen, name)]))
            values[name] = [(row.value, row.n) for row in rows]
        ordered = sorted(values[name], key=lambda pair: (-pair[1], pair[0]))
        picked = set(chosen.get(name, ()))
        shown = [pair for n, pair in enumerate(ordered) if n < _VALUES or pair[0] in picked]
        facets[name] = [FacetCount(value=value, count=count) for value, count in shown]
        totals[name] = len(ordered)
    return facets, totals


def _counted(listed: FromClause, column: ColumnElement[Any], found: list[ColumnElement[bool]]) -> Any:
    return select(column.label("value"), func.count().label("n")).where(*found).group_by(column)


def _values(session: Session, counted: FromClause, limit: int) -> list[FacetCount]:
    query = select(counted.c.value, counted.c.n).order_by(counted.c.n.desc(), _by_code(counted.c.value))
    return [FacetCount(value=row.value, count=row.n) for row in session.execute(query.limit(limit))]


def _whys(
    session: Session, view: GraphView, names: Names, page: list[int], words: list[str]
) -> dict[int, str | None]:
    """Why each dataset of a page matches."""
    if not words:
        return dict.fromkeys(page)
    infos = names.datasets(page)
    found: dict[int, str | None] = {id_: _why(info, words) for id_, info in infos.items()}
    by_field = [id_ for id_, why in found.items() if why is None]
    if by_field:
        for row in session.execute(fields_named(view, words, by_field)):
            is_report = infos[row.dataset_id].kind == DatasetKind.REPORT
            found[row.dataset_id] = f"{'element' if is_report else 'column'} {row.name}"
        for id_ in by_field:
            found[id_] = found[id_] or f"owner {infos[id_].owner}"
    return found


def _why(info: DatasetInfo, words: list[str]) -> str | None:
    names = f"{info.name} {info.title}".lower()
    if all(word in names for word in words):
        return "name"
    if info.description and all(word in info.description.lower() for word in words):
        return f"description: {info.description}"
    return None


def catalog_rows(view: GraphView, names: Names, page: list[int], why: dict[int, str | None]) -> list[CatalogRow]:
    """Return datasets as the catalog shows them, by id, in the order given."""
    infos = names.datasets(page)
    found = []
    for id_ in page:
        info = infos[id_]
        # What came in a moment ago may not be in the graph yet: then nothing is known of what lies around it.
        dataset = view.graph.dataset_position(id_)
        around = view.around(dataset) if dataset >= 0 else NOTHING_AROUND
        found.append(
            CatalogRow(
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
                columns=int(view.graph.all_counts[dataset]) if dataset >= 0 else 0,
                upstream=around.upstream,
                downstream=around.downstream,
                reports=around.reports,
                why=why.get(id_),
            )
        )
    return found
