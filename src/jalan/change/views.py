"""Views: what one hangs on, and what differs where it gets another query."""

from collections.abc import Iterable, Mapping, Sequence

from jalan.change.catalogue import Catalogue
from jalan.change.meaning import Forms, FoundRelation, Meaning, QueryDifference, Unclear, difference, meaning
from jalan.change.routines import Meant, meant_by
from jalan.change.seen import CatalogueSeen
from jalan.change.stored import ColumnKey, KeptQuery, StoredRelation
from jalan.lineage.model import Statement
from jalan.lineage.script import extract
from jalan.sql import tree
from jalan.sql.dialects import get_dialect
from jalan.sql.grammar.script import parse


def hangs_on(catalogue: Catalogue, statement: Statement, prefix: str = "") -> dict[str, object]:
    """Return what a view made of a query hangs on, as ``StoredRelation`` has it.

    prefix: what stands in the catalogue in front of the names that the query knows.
    """

    def keys(sources: Iterable[tuple[str, str]]) -> frozenset[ColumnKey]:
        found = set()
        for table, column in sources:
            relation = catalogue.find(prefix + table)
            if relation is not None and column in relation.columns:
                found.add((relation.number, relation.columns[column]))
        return frozenset(found)

    reads = {one.number for name in statement.reads if (one := catalogue.find(prefix + name)) is not None}
    return {
        "uses": keys(statement.uses),
        "reads": frozenset(reads),
        "through": {
            str(one.name): keys((s.table, s.column) for s in [*one.values, *one.conditions])
            for one in statement.outputs
        },
        "rows": keys((s.table, s.column) for s in statement.row_conditions),
    }


def calls_of(
    query: tree.Query, columns: Sequence[str], meant: Mapping[int, Meant]
) -> dict[str | None, frozenset[int]]:
    """Return which routines a view calls, as ``StoredRelation`` has it. meant: those in its query."""
    body = query.body
    items = body.items if isinstance(body, tree.Select) and len(body.items) == len(columns) else []
    found: dict[str | None, set[int]] = {}
    for one in meant.values():
        at = next((n for n, item in enumerate(items) if item.start <= one.call.start < item.end), None)
        for routine in one.routines:
            # What may be something else each time is run whether it is read or not.
            column = None if at is None or routine.takes.volatile else columns[at]
            found.setdefault(column, set()).add(routine.number)
    return {column: frozenset(numbers) for column, numbers in found.items()}


def stored_calls(catalogue: Catalogue, kept: KeptQuery, columns: Sequence[str]) -> dict[str | None, frozenset[int]]:
    """Return which routines a view calls that the database has, by its query."""
    text = kept.text.lower()
    if not any(one.name.rpartition(".")[2] in text for one in catalogue.routines):
        return {}
    for node in parse(kept.text, get_dialect(kept.dialect)):
        if isinstance(node, tree.QueryStatement):
            meant = meant_by(node, kept.text, kept.path, kept.prefix, catalogue, kept.dialect)
            return calls_of(node.query, columns, meant)
    return {}


def what_differs(
    catalogue: Catalogue, view: StoredRelation, query: KeptQuery, columns: Sequence[str]
) -> QueryDifference | None:
    """Return what differs where a view gets another query, whose outputs are called as ``columns`` says; none where
    that cannot be told."""
    old = view.query
    if old is None or _uses(catalogue, old) != view.uses:
        return None  # names mean something else by now than when it was made
    forms = Forms()
    try:
        before = _meaning(catalogue, old, forms, list(view.columns))
        return difference(before, _meaning(catalogue, query, forms, columns), forms)
    except Unclear:
        return None


def _uses(catalogue: Catalogue, query: KeptQuery) -> object:
    seen = CatalogueSeen(catalogue, query.prefix)
    found = extract(query.text, dialect=query.dialect, tables=seen, search_path=query.path).statements
    return hangs_on(catalogue, found[0], query.prefix)["uses"] if found else None


def _meaning(catalogue: Catalogue, query: KeptQuery, forms: Forms, columns: Sequence[str]) -> Meaning:
    def find(parts: tuple[str, ...]) -> FoundRelation | None:
        found = catalogue.named(parts, query.path, query.prefix)
        return None if found is None else FoundRelation(found.number, found.columns)

    nodes = list(parse(query.text, get_dialect(query.dialect)))
    if len(nodes) != 1 or not isinstance(nodes[0], tree.QueryStatement):
        raise Unclear("it is no query")
    found = meaning(nodes[0].query, query.text, forms, find, query.dialect)
    if len(found.columns) != len(columns):
        raise Unclear("it has other outputs than the view")
    found.columns = list(zip(columns, found.column_forms(), strict=True))
    return found
