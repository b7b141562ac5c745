"""Finding within a road: what its datasets and fields are called, whether they are shown or not."""

from sqlalchemy import func, or_, select

from jalan.graph.columns import Ints
from jalan.service.catalog.listing import all_words, listing, words_of
from jalan.service.context import Context
from jalan.service.lineage.answers import Within, WithinMatch
from jalan.service.lineage.lanes import lanes_in_view
from jalan.service.lineage.trail import fields_on_trail
from jalan.store.among import is_among
from jalan.store.past import table_at
from jalan.store.patterns import holding
from jalan.store.schema import Field

_MOST = 200  # matches that are listed
_MOST_COUNTED = 5_000


def within_lanes(
    context: Context, dataset_id: int, upstream: int, downstream: int, conditions: bool, words: str
) -> Within:
    """Return what is called so around a dataset. Raises NotFound."""
    datasets, lanes = lanes_in_view(context.graph, dataset_id, upstream, downstream, conditions)
    return _within(context, words, datasets, lanes, None)


def within_trail(context: Context, field_ids: list[int], words: str) -> Within:
    """Return what is called so on the trail of fields of one dataset. Raises NotFound, Invalid."""
    fields, datasets, lanes = fields_on_trail(context.graph, field_ids)
    return _within(context, words, datasets, lanes, fields)


def _within(context: Context, wanted: str, datasets: Ints, lanes: Ints, fields: Ints | None) -> Within:
    view, session = context.graph, context.session
    words = words_of(wanted)
    if not words:
        return Within(matches=[], total=0)
    ids = view.graph.nodes.datasets.ids[datasets].tolist()
    lane_of = dict(zip(ids, lanes.tolist(), strict=True))
    listed = listing(view)
    named = select(listed.c.id, listed.c.title).where(is_among(listed.c.id, ids), all_words(listed.c.words, words))
    found = []
    for row in session.execute(named.limit(_MOST_COUNTED)):
        lane = lane_of[row.id]
        match = WithinMatch(lane=lane, dataset=row.id, title=row.title, field=None, name=row.title)
        found.append((lane, row.title, -1, match))
    field = table_at(Field, view.as_of, "f")
    whole = func.lower(listed.c.words + "." + field.c.name)
    query = (
        select(field.c.id, field.c.name, field.c.ordinal, listed.c.id.label("dataset"), listed.c.title)
        .join(listed, listed.c.id == field.c.dataset_id)
        .where(is_among(field.c.dataset_id, ids), all_words(whole, words))
        # Where only its dataset is called so, that is found.
        .where(or_(*(func.lower(field.c.name).like(holding(word)) for word in words)))
        .limit(_MOST_COUNTED)
    )
    if view.as_of is None:
        query = query.where(field.c.gone_since.is_(None))
    if fields is not None:
        query = query.where(is_among(field.c.id, view.graph.nodes.fields.ids[fields].tolist()))
    for id_, name, ordinal, dataset, title in session.execute(query):
        match = WithinMatch(lane=lane_of[dataset], dataset=dataset, title=title, field=id_, name=name)
        found.append((lane_of[dataset], title, ordinal, match))
    found.sort(key=lambda one: one[:3])
    return Within(matches=[one[3] for one in found[:_MOST]], total=len(found))
