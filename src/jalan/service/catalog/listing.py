"""The datasets of a graph as rows of SQL, with the names that people see, to be searched, counted and sorted."""

from typing import Any

from sqlalchemy import ColumnElement, FromClause, Select, and_, case, func, not_, or_, select

from jalan.service.graph_cache.view import GraphView
from jalan.store.among import is_among
from jalan.store.past import table_at
from jalan.store.patterns import holding
from jalan.store.schema import Container, Dataset, Field, System

FACETS = ("kind", "system", "container", "owner", "state")
_MOST_WORDS = 8


def words_of(wanted: str) -> list[str]:
    """Return the words that are looked for, in lower case."""
    return wanted.replace("\0", " ").lower().split()[:_MOST_WORDS]


def title_column(dataset: FromClause) -> ColumnElement[str]:
    """The title of a dataset: its own, or else its name without the database."""
    name = dataset.c.name
    short = func.coalesce(func.substring(name, r"[^.]*\.[^.]*$"), name)
    return func.coalesce(func.nullif(dataset.c.title, ""), case((name.contains("/"), name), else_=short))


def listing(view: GraphView) -> FromClause:
    """Return the datasets that there are, each once: id, name, title, description, words, shown_owner, gone,
    system_kind, namespace, and the facets."""
    dataset = table_at(Dataset, view.as_of, "d")
    container = table_at(Container, view.as_of, "c")
    system = table_at(System, view.as_of, "s")
    namespace = _namespace(view, dataset, system)
    owner = func.coalesce(func.nullif(dataset.c.owner, ""), func.nullif(container.c.owner, ""))
    gone: ColumnElement[Any] = dataset.c.gone_since.is_not(None)
    if view.as_of is not None:
        gone = and_(gone, dataset.c.gone_since <= view.as_of)
    title = title_column(dataset)
    query = (
        select(
            dataset.c.id,
            dataset.c.name,
            title.label("title"),
            dataset.c.description,
            func.lower(dataset.c.name + " " + func.coalesce(dataset.c.title, "")).label("words"),
            owner.label("shown_owner"),
            gone.label("gone"),
            system.c.kind.label("system_kind"),
            namespace.label("namespace"),
            dataset.c.kind,
            func.regexp_replace(namespace, "^postgres://", "").label("system"),
            func.coalesce(func.nullif(container.c.path, ""), system.c.namespace).label("container"),
            func.coalesce(owner, "nobody").label("owner"),
            case((gone, "gone"), (dataset.c.placeholder, "placeholder"), else_="known").label("state"),
        )
        .select_from(dataset)
        .join(container, container.c.id == dataset.c.container_id)
        .join(system, system.c.id == dataset.c.system_id)
    )
    if view.read_as_others:
        query = query.where(not_(is_among(dataset.c.id, view.read_as_others)))
    if view.as_of is not None:
        query = query.where(dataset.c.first_seen <= view.as_of)
    return query.subquery("listed")


def _namespace(view: GraphView, dataset: FromClause, system: FromClause) -> ColumnElement[str]:
    """The namespace by which a dataset is known: of a system that goes by another name, that one."""
    whens = []
    # A name of its own goes before that of its whole system.
    for (namespace, name), _ in sorted(view.aliases.pairs(), key=lambda pair: not pair[0][1]):
        meant = view.aliases.resolve((namespace, name or "?"))[0]
        here = system.c.namespace == namespace
        whens.append((and_(here, dataset.c.name == name) if name else here, meant))
    return case(*whens, else_=system.c.namespace) if whens else system.c.namespace


def fields_with(view: GraphView, words: list[str]) -> Select[tuple[int]]:
    """Return the ids of datasets that have a field whose name holds every word."""
    field = table_at(Field, view.as_of, "f")
    return select(field.c.dataset_id).where(*_named(view, field, words))


def fields_named(view: GraphView, words: list[str], datasets: list[int]) -> Select[tuple[int, str]]:
    """Return (id of the dataset, name) of fields whose names hold every word, the first last."""
    field = table_at(Field, view.as_of, "f")
    query = select(field.c.dataset_id, field.c.name).where(is_among(field.c.dataset_id, datasets))
    return query.where(*_named(view, field, words)).order_by(field.c.ordinal.desc())


def _named(view: GraphView, field: FromClause, words: list[str]) -> list[ColumnElement[bool]]:
    found: list[ColumnElement[bool]] = [func.lower(field.c.name).like(holding(word)) for word in words]
    return found if view.as_of is None else [*found, field.c.first_seen <= view.as_of]


def all_words(column: Any, words: list[str]) -> ColumnElement[bool]:
    """Return the condition that a column in lower case holds every word."""
    return and_(*(column.like(holding(word)) for word in words))


def matches(view: GraphView, listed: FromClause, words: list[str]) -> ColumnElement[bool]:
    """Return the condition that a listed dataset matches: by its name, what is said of it, a field, its owner."""
    return or_(
        all_words(listed.c.words, words),
        all_words(func.lower(listed.c.description), words),
        listed.c.id.in_(fields_with(view, words)),
        all_words(func.lower(listed.c.shown_owner), words),
    )
