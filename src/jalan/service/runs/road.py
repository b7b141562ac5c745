"""The road of one run: which runs had written the very versions that it read, and which have read what it wrote."""

from datetime import datetime
from uuid import UUID

from sqlalchemy import select, text

from jalan.service.context import Context
from jalan.service.errors import NotFound
from jalan.service.runs.answers import RoadFact, RoadLane, RoadStep
from jalan.service.runs.rows import as_rows, rows_query
from jalan.service.runs.same_data import other_names
from jalan.store.among import is_among
from jalan.store.schema import Run, RunDataset

_MOST = 150  # runs

# Of each dataset that runs have read: the run that had written it last before they began.
_BEFORE = text(
    """
    select r.id as reader, n.name, n.dataset_id, w.id as writer
    from run r
    join run_dataset i on i.run = r.id and i.side = 'in'
    join dataset_name n on n.id = i.name_id
    cross join lateral (
        select o.id from run_dataset d join run o on o.id = d.run
        where d.name_id = any(i.name_id || array(
            select s.other from unnest(cast(:ones as int[]), cast(:others as int[])) s(one, other)
            where s.one = i.name_id
        )) and d.side = 'out' and o.ended_at <= r.started_at and o.state = 'done'
        order by o.ended_at desc limit 1
    ) w
    where r.id = any(:runs)
    order by r.id, n.name
    """
)
# Of each dataset that runs have written: those that have read it before another run wrote it again.
_AFTER = text(
    """
    select o.id as writer, n.name, n.dataset_id, r.id as reader
    from run o
    join run_dataset d on d.run = o.id and d.side = 'out'
    join dataset_name n on n.id = d.name_id
    cross join lateral (
        select d.name_id || array(
            select s.other from unnest(cast(:ones as int[]), cast(:others as int[])) s(one, other)
            where s.one = d.name_id
        ) as ids
    ) named
    left join lateral (
        select w.ended_at from run_dataset x join run w on w.id = x.run
        where x.name_id = any(named.ids) and x.side = 'out' and w.ended_at > o.ended_at and w.state = 'done'
        order by w.ended_at limit 1
    ) again on true
    join run_dataset i on i.name_id = any(named.ids) and i.side = 'in'
    join run r on r.id = i.run
    where o.id = any(:runs) and r.started_at >= o.ended_at
        and (again.ended_at is null or r.started_at < again.ended_at)
    order by o.id, r.started_at
    limit 1000
    """
)


def _spread(offsets: dict[int, int], pairs: list[tuple[int, int]], began: dict[int, datetime]) -> None:
    """Let every run stand behind all that it read from, and before all that read from it."""
    order = sorted(offsets, key=lambda one: (began[one], one))
    for run in order:
        before = [offsets[one] for one, other in pairs if other == run and offsets[one] >= 0 and one != run]
        if offsets[run] > 0 and before:
            offsets[run] = max(before) + 1
    for run in reversed(order):
        after = [offsets[other] for one, other in pairs if one == run and offsets[other] <= 0 and other != run]
        if offsets[run] < 0 and after:
            offsets[run] = min(after) - 1


def _other_names(context: Context, runs: list[int]) -> dict[str, list[int]]:
    """The other names of what runs have read and written, in pairs."""
    names = select(RunDataset.name_id).where(is_among(RunDataset.run, runs)).distinct()
    known = other_names(context, context.session.scalars(names).all())
    pairs = [(one, other) for one, others in known.items() for other in others]
    return {"ones": [one for one, _ in pairs], "others": [other for _, other in pairs]}


def road(context: Context, run_id: UUID, back: int, ahead: int) -> RoadFact:
    """Return the road of a run, so many runs back and ahead. Raises NotFound. Cost: what is shown."""
    session = context.session
    start = session.execute(rows_query().where(Run.run_id == run_id)).first()
    if start is None:
        raise NotFound(f"there is no run {run_id}")
    offsets = {start.id: 0}
    steps: dict[tuple[int, str, int], int | None] = {}
    cut = False
    for query, hops, sign, end in ((_BEFORE, back, -1, "writer"), (_AFTER, ahead, 1, "reader")):
        frontier = [start.id]
        for hop in range(1, hops + 1):
            met: list[int] = []
            for row in session.execute(query, {"runs": frontier, **_other_names(context, frontier)}):
                other = getattr(row, end)
                if other not in offsets:
                    if len(offsets) >= _MOST:
                        cut = True
                        continue
                    offsets[other] = sign * hop
                    met.append(other)
                steps[row.writer, row.name, row.reader] = row.dataset_id
            frontier = met
            if not frontier:
                break
    rows = session.execute(rows_query().where(is_among(Run.id, list(offsets)))).all()
    _spread(offsets, [(one, other) for one, _, other in steps], {row.id: row.started_at for row in rows})
    shown = dict(zip((row.id for row in rows), as_rows(session, rows), strict=True))
    lanes = [
        RoadLane(
            offset=offset,
            runs=sorted((shown[id_] for id_ in offsets if offsets[id_] == offset), key=lambda one: one.started_at),
        )
        for offset in sorted(set(offsets.values()))
    ]
    return RoadFact(
        run=run_id,
        lanes=lanes,
        steps=[
            RoadStep(writer=shown[one].run, name=name, dataset=dataset, reader=shown[other].run)
            for (one, name, other), dataset in steps.items()
        ],
        cut=cut,
    )
