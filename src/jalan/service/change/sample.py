"""Rows of an edited query from the real database, before and after, side by side."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from sqlalchemy import select

from jalan.change.ran import Text
from jalan.change.readonly import MayNotRun, check_reads, checked_filter
from jalan.change.seen import CatalogueSeen
from jalan.lineage.script import extract
from jalan.service.change.answers import RowSample, SampledColumn, SampledRow
from jalan.service.change.proposed import ProposedChange
from jalan.service.change.world import DatabaseWorld, world_of
from jalan.service.context import Context
from jalan.service.errors import Conflict, Invalid, NotFound
from jalan.service.ingest import sources
from jalan.service.ingest.configuration import PostgresqlConfig
from jalan.service.ingest.kinds.postgresql import address, namespace_of
from jalan.service.ingest.permissions import allowed_by_settings
from jalan.sources.samples import Asked, Sampled, quoted, sample
from jalan.sql import tree
from jalan.sql.dialects import get_dialect
from jalan.sql.grammar.script import parse
from jalan.store.schema import Source

_ROWS = 200  # read of each side
_SHOWN = 60
_MOST_COLUMNS = 60
_MOST_FILTER = 2_000  # characters
_PATH = ("public",)


@dataclass(frozen=True, slots=True)
class _Query:
    """A query that makes a relation, or answers a report. columns: names of its outputs, each once."""

    sql: str
    columns: tuple[str, ...]
    path: tuple[str, ...]


def sample_change(context: Context, asked: ProposedChange, subject: str, condition: str) -> RowSample:
    """Return rows that a query gives as it is and as it would be, and how many there are. Raises Invalid, NotFound,
    and Conflict where nobody may look.

    subject: the relation that it fills, or the place of a report's query. condition: a filter over its columns.
    """
    here = world_of(context, asked.database)
    config = _source(context, here)
    try:
        before, after = _before(here, asked, subject), _after(here, asked, subject)
        chosen = checked_filter(condition[:_MOST_FILTER]) if condition.strip() else ""
    except MayNotRun as error:
        raise Invalid(f"sample: {error}") from error
    same = [column for column in before.columns if column in after.columns]
    differing = _differing(before, after)
    keys = [column for column in same if column not in differing] or same
    found = sample(
        address(config, allowed_by_settings().hosts),
        [Asked(one.sql, one.columns, [quoted(name) for name in one.path], chosen, keys) for one in (before, after)],
        _ROWS,
    )
    return _told(before, after, found[0], found[1], keys)


def _source(context: Context, here: DatabaseWorld) -> PostgresqlConfig:
    """The configuration of the source that the database is read by."""
    query = select(Source).where(Source.removed_at.is_(None), Source.kind == "postgresql").order_by(Source.id)
    for source in context.session.scalars(query):
        config = sources.configuration(source)
        if isinstance(config, PostgresqlConfig) and config.database == here.database:
            if namespace_of(config) == here.system:
                if not config.samples:
                    raise Conflict(
                        f"the source “{source.name}” does not let anybody look at rows; switch “samples” on there"
                    )
                return config
    raise NotFound(f"no source reads {here.database}, so that its rows cannot be looked at")


# --- the queries -----------------------------------------------------------------------------------------


def _before(here: DatabaseWorld, asked: ProposedChange, subject: str) -> _Query:
    texts = [text for text in here.world.texts if text.place == subject or subject in _makes(text)]
    found = _of_texts(here, texts, subject)
    if found is not None:
        return found
    relation = here.world.catalogue.find(subject)
    if relation is not None and relation.query is not None and not relation.query.prefix:
        return _query(here, relation.query.text, relation.query.path, tuple(relation.columns))
    raise MayNotRun(f"no query is known that makes {subject[:100]} as it is")


def _after(here: DatabaseWorld, asked: ProposedChange, subject: str) -> _Query:
    known = {text.place: text for text in here.world.texts}
    texts = [
        Text(place, text, known[place].search_path, known[place].dialect, known[place].is_query)
        if place in known
        else Text(place, text, _PATH)
        for place, text in asked.edits.items()
    ]
    texts.append(Text("the change", asked.sql, _PATH))
    found = _of_texts(here, texts, subject)
    if found is None:
        raise MayNotRun(f"nothing that is edited makes {subject[:100]}")
    return found


def _makes(text: Text) -> set[str]:
    return {name for name, _ in _made(text)}


def _made(text: Text) -> Iterator[tuple[str, tree.Query]]:
    """What a text fills by a query, under the names that it writes; its own place where it is only asked."""
    for node in parse(text.text, get_dialect(text.dialect)):
        if isinstance(node, tree.QueryStatement) and text.is_query:
            yield text.place, node.query
        made = node.query if isinstance(node, tree.CreateView | tree.CreateTableAs | tree.Insert) else None
        if isinstance(node, tree.Insert) and node.ctes is not None:
            continue  # its query is not whole without these
        if made is not None and isinstance(node, tree.CreateView | tree.CreateTableAs | tree.Insert):
            yield ".".join(map(str, node.target.parts)), made


def _of_texts(here: DatabaseWorld, texts: Sequence[Text], subject: str) -> _Query | None:
    for text in texts:
        for name, query in _made(text):
            known = here.world.catalogue.named(tuple(name.split(".")), text.search_path)
            if subject in (name, text.place, None if known is None else known.name):
                return _query(here, text.text[query.start : query.end], text.search_path, None)
    return None


def _query(here: DatabaseWorld, sql: str, path: Sequence[str], columns: tuple[str, ...] | None) -> _Query:
    """A query that may be run. columns: what its outputs are called, where they have other names."""
    nodes = list(parse(sql, get_dialect("postgresql")))
    if len(nodes) != 1 or not isinstance(nodes[0], tree.QueryStatement):
        raise MayNotRun("it is no query")
    check_reads(nodes[0].query, sql)
    found = extract(sql, tables=CatalogueSeen(here.world.catalogue), search_path=path)
    for diagnostic in [*found.diagnostics, *(one for each in found.statements for one in each.diagnostics)]:
        if diagnostic.level == "error":
            raise MayNotRun(diagnostic.message)
    (statement,) = found.statements
    for name in statement.reads:
        if here.world.catalogue.find(name) is None:
            raise MayNotRun(f"{name[:100]} is not there to be read")
    names = columns or tuple(str(one.name) for one in statement.outputs)
    if not names or len(names) > _MOST_COLUMNS:
        raise MayNotRun(f"it has {len(names)} columns; at most {_MOST_COLUMNS} are shown")
    return _Query(sql.strip().rstrip(";"), _each_once(names), tuple(path))


def _each_once(names: Sequence[str]) -> tuple[str, ...]:
    seen: dict[str, int] = {}
    found = []
    for name in names:
        seen[name] = seen.get(name, 0) + 1
        found.append(name if seen[name] == 1 else f"{name} ({seen[name]})")
    return tuple(found)


def _differing(before: _Query, after: _Query) -> set[str]:
    """The columns that are written otherwise, as far as that can be told: by these rows are not put in order."""
    found: list[dict[str, str]] = []
    for one in (before, after):
        (node,) = parse(one.sql, get_dialect("postgresql"))
        written: dict[str, str] = {}
        if isinstance(node, tree.QueryStatement) and isinstance(node.query.body, tree.Select):
            items = node.query.body.items
            if len(items) == len(one.columns):
                pairs = zip(one.columns, items, strict=True)
                written = {
                    name: "".join(one.sql[item.expression.start : item.expression.end].split())
                    for name, item in pairs
                }
        found.append(written)
    return {name for name in found[0] if name in found[1] and found[0][name] != found[1][name]}


# --- what is told ----------------------------------------------------------------------------------------


def _told(before: _Query, after: _Query, was: Sampled, now: Sampled, keys: Sequence[str]) -> RowSample:
    columns = list(dict.fromkeys((*after.columns, *before.columns)))
    rows = _paired(_named(before, was), _named(after, now), keys, (was.more, now.more))
    others = [row for row in rows if row.mark != " "]
    shown = (others + [row for row in rows if row.mark == " "])[:_SHOWN] if len(rows) > _SHOWN else rows
    order = {id(row): n for n, row in enumerate(rows)}
    shown.sort(key=lambda row: order[id(row)])
    return RowSample(
        columns=[
            SampledColumn(
                name=name,
                nulls_before=_count(before, was, was.nulls, name),
                nulls_after=_count(after, now, now.nulls, name),
                distinct_before=_count(before, was, was.distinct, name),
                distinct_after=_count(after, now, now.distinct, name),
            )
            for name in columns
        ],
        rows=[
            SampledRow(
                mark=row.mark,
                before=None if row.before is None else [row.before.get(name) for name in columns],
                after=None if row.after is None else [row.after.get(name) for name in columns],
            )
            for row in shown
        ],
        keys=list(keys),
        rows_before=was.total,
        rows_after=now.total,
        more=was.more or now.more or len(rows) > len(shown),
        failed_before=was.failed,
        failed_after=now.failed,
    )


@dataclass(eq=False, slots=True)
class _Pair:
    mark: str
    before: dict[str, str | None] | None
    after: dict[str, str | None] | None


def _named(query: _Query, found: Sampled) -> list[dict[str, str | None]]:
    return [dict(zip(query.columns, row, strict=True)) for row in found.rows]


def _count(query: _Query, found: Sampled, counts: Sequence[int], name: str) -> int | None:
    return counts[query.columns.index(name)] if name in query.columns and found.total is not None else None


def _paired(
    before: Sequence[dict[str, str | None]],
    after: Sequence[dict[str, str | None]],
    keys: Sequence[str],
    cut: tuple[bool, bool],
) -> list[_Pair]:
    """Rows that have the same keys beside one another, those of one side alone between them."""
    waiting: dict[tuple[str | None, ...], list[int]] = {}
    for n, row in enumerate(after):
        waiting.setdefault(tuple(row.get(key) for key in keys), []).append(n)
    partner = {}
    for n, row in enumerate(before):
        places = waiting.get(tuple(row.get(key) for key in keys))
        if places:
            partner[n] = places.pop(0)
    found: list[_Pair] = []
    taken, at = set(partner.values()), 0
    last = max(partner, default=-1), max(partner.values(), default=-1)
    for n, row in enumerate(before):
        if n in partner:
            while at < partner[n]:
                if at not in taken:
                    found.append(_Pair("+", None, after[at]))
                at += 1
            at = max(at, partner[n] + 1)
            other = after[partner[n]]
            common = row.keys() & other.keys()
            same = all(row[name] == other[name] for name in common)
            found.append(_Pair(" " if same else "≁", row, other))
        elif not (cut[1] and n > last[0]):
            # Behind the last one that both have, it may only be cut off on the other side.
            found.append(_Pair("−", row, None))
    while at < len(after):
        if at not in taken and not (cut[0] and at > last[1]):
            found.append(_Pair("+", None, after[at]))
        at += 1
    return found
