"""The find box."""

from sqlalchemy import ColumnElement, and_, func, select
from sqlalchemy.orm import Session

from jalan.catalog.kinds import DatasetKind, FieldKind
from jalan.service.catalog.answers import FindKind, Found
from jalan.service.catalog.listing import all_words, listing, words_of
from jalan.service.context import Context
from jalan.service.graph_cache.names import DatasetInfo, FieldInfo, Names
from jalan.service.graph_cache.view import GraphView
from jalan.store.among import is_among
from jalan.store.past import table_at
from jalan.store.patterns import holding
from jalan.store.schema import Field

_CANDIDATES = 300  # of each way in which a name may match
_NEAR = 0.45  # how like a word a part of a name must be, where nothing has the word itself
_SHORTEST_NEAR = 4  # letters
_Hit = tuple[tuple[int, int, int, str], Found]


def find(context: Context, wanted: str, limit: int) -> list[Found]:
    """Return datasets, columns, reports and elements whose names hold every word, best first.

    A name that is the word comes before one that begins with it, before one that holds it; descriptions and owners
    follow. Of equals what is used most comes first. Where nothing has the words, what is spelled nearly so is
    found.
    """
    view, names, session = context.graph, context.names, context.session
    words = words_of(wanted)
    if not words:
        return []
    hits = _datasets(session, view, names, words) + _fields(session, view, names, words)
    if not hits:
        hits = _near(session, view, names, words)
    hits.sort(key=lambda hit: hit[0])
    return [found for _, found in hits[:limit]]


# --- datasets --------------------------------------------------------------------------------------------


def _datasets(session: Session, view: GraphView, names: Names, words: list[str]) -> list[_Hit]:
    listed = listing(view)
    name = func.length(listed.c.words), listed.c.id
    found: list[int] = []
    for condition in (
        all_words(listed.c.words, words),
        all_words(func.lower(listed.c.description), words),
        all_words(func.lower(listed.c.shown_owner), words),
    ):
        query = select(listed.c.id).where(condition, ~listed.c.gone).order_by(*name).limit(_CANDIDATES)
        found += session.scalars(query).all()
    infos = names.datasets(_in_graph(view, found))
    hits = []
    for info in infos.values():
        rank, why = _dataset_rank(info, words)
        hits.append((_key(view, view.dataset(info.id), rank, 0, info.title), _found(info, None, why)))
    return hits


def _in_graph(view: GraphView, ids: list[int]) -> list[int]:
    """Leave out what came in a moment ago, and is not in the graph yet."""
    return [id_ for id_ in ids if view.graph.dataset_position(id_) >= 0]


def _dataset_rank(info: DatasetInfo, words: list[str]) -> tuple[int, str]:
    rank = _rank(info.title.rpartition(".")[2], info.title, info.name, words)
    if rank is not None:
        return rank, "name"
    if info.description and all(word in info.description.lower() for word in words):
        return 5, "description"
    return 6, "owner"


# --- fields ----------------------------------------------------------------------------------------------


def _fields(session: Session, view: GraphView, names: Names, words: list[str]) -> list[_Hit]:
    field = table_at(Field, view.as_of, "f")
    name = func.lower(field.c.name)
    here: list[ColumnElement[bool]] = [field.c.kind != FieldKind.STAR]
    if view.as_of is None:
        here.append(field.c.gone_since.is_(None))
    else:
        here.append(field.c.first_seen <= view.as_of)

    def ids(*conditions: ColumnElement[bool]) -> list[int]:
        return list(session.scalars(select(field.c.id).where(*here, *conditions).limit(_CANDIDATES)))

    found = ids(all_words(name, words))
    if len(words) == 1:
        # The best are among those that are, or begin with, the word, however many hold it.
        found += ids(name == words[0]) + ids(name.like(holding(words[0])[1:]))
    else:
        for n, word in enumerate(words):
            datasets = _with_words(session, view, [*words[:n], *words[n + 1 :]])
            if datasets:
                found += ids(is_among(field.c.dataset_id, datasets), name.like(holding(word)))
    return _field_hits(view, names, found, words)


def _with_words(session: Session, view: GraphView, words: list[str]) -> list[int]:
    listed = listing(view)
    query = select(listed.c.id).where(all_words(listed.c.words, words), ~listed.c.gone).limit(_CANDIDATES)
    found = session.scalars(query).all()
    # Columns of what is read as another stand under their own datasets.
    return [id_ for one in found for id_ in (one, *view.joined.get(one, ()))]


def _field_hits(view: GraphView, names: Names, ids: list[int], words: list[str] | None) -> list[_Hit]:
    graph = view.graph
    at = {position for id_ in dict.fromkeys(ids) if (position := graph.field_position(id_)) >= 0}
    fields = names.fields_at(at)
    datasets = names.datasets_at({int(graph.field_dataset[position]) for position in at})
    hits = []
    for position, field in fields.items():
        info = datasets[int(graph.field_dataset[position])]
        if field.gone_since is not None or info.gone_since is not None:
            continue
        rank: int | None = 7
        if words is not None:
            rank = _rank(field.name, f"{info.title}.{field.name}", info.name, words)
            if rank is None or not any(word in field.name.lower() for word in words):
                continue
        key = _key(view, view.dataset(info.id), rank or 0, 1, f"{info.title}.{field.name}")
        why = "element" if info.kind == DatasetKind.REPORT else "column"
        hits.append((key, _found(info, field, why if words is not None else "nearly so")))
    return hits


# --- what is spelled nearly so ---------------------------------------------------------------------------


def _near(session: Session, view: GraphView, names: Names, words: list[str]) -> list[_Hit]:
    """What has a name in which every word stands, but for a few letters."""
    if view.as_of is not None or any(len(word) < _SHORTEST_NEAR for word in words):
        return []
    session.execute(select(func.set_config("pg_trgm.word_similarity_threshold", str(_NEAR), False)))
    listed, field = listing(view), table_at(Field, None, "f")
    query = select(listed.c.id).where(_like(listed.c.words, words), ~listed.c.gone).limit(_CANDIDATES)
    found = list(session.scalars(query))
    name = func.lower(field.c.name)
    query = select(field.c.id).where(_like(name, words), field.c.gone_since.is_(None)).limit(_CANDIDATES)
    hits = _field_hits(view, names, list(session.scalars(query)), None)
    for info in names.datasets(_in_graph(view, found)).values():
        key = _key(view, view.dataset(info.id), 7, 0, info.title)
        hits.append((key, _found(info, None, "nearly so")))
    return hits


def _like(column: ColumnElement[str], words: list[str]) -> ColumnElement[bool]:
    # The operator that the index knows; its sense is “is like a part of”.
    return and_(*(column.op("%>")(word) for word in words))


# --- order -----------------------------------------------------------------------------------------------


def _key(view: GraphView, dataset: int, rank: int, part: int, title: str) -> tuple[int, int, int, str]:
    return rank, part, -int(view.fed_directly[dataset]), title


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


def _found(info: DatasetInfo, field: FieldInfo | None, why: str) -> Found:
    report = info.kind == DatasetKind.REPORT
    kind: FindKind = "report" if report else "dataset"
    if field is not None:
        kind = "element" if report else "field"
    return Found(
        kind=kind,
        dataset=info.id,
        field=None if field is None else field.id,
        title=info.title if field is None else field.name,
        path=_path_of(info),
        dataset_kind=field.kind if field is not None and report else info.kind,
        why=why,
    )


def _path_of(info: DatasetInfo) -> str:
    name = info.title if info.kind == DatasetKind.REPORT else info.name
    return f"{info.namespace.removeprefix('postgres://')}/{name}"
