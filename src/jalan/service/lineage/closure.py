"""Everything that everything depends on, as rows of a file."""

import io
from collections.abc import Iterator
from itertools import islice
from pathlib import Path

from jalan.graph.closure import Flows, closure, flows_of
from jalan.service.context import Context
from jalan.service.graph_cache.names import Names
from jalan.service.streams import StreamForm, header, written

COLUMNS = ("dataset", "depends_on", "depth", "job", "path")
_CHUNK = 5_000  # rows
_NAMES = 5_000  # datasets, definitions
_LONGEST = 40  # hops of a way that are named, the last ones
_FURTHER = "… > "
Told = tuple[str, str, int, str, str]


def closure_stream(context: Context, form: StreamForm, conditions: bool, depth: int | None) -> Iterator[bytes]:
    """Return all that each dataset depends on, in pieces: one row each pair, with the hops on the shortest way, the
    job that takes the first of these, and the way. Cost: the names of all datasets, then row by row."""
    rows = closure_rows(context, conditions, depth)
    yield header(COLUMNS, form)
    while piece := list(islice(rows, _CHUNK)):
        yield written(COLUMNS, piece, form)


def closure_parquet(context: Context, file: Path | io.BytesIO, conditions: bool, depth: int | None) -> int:
    """Write the same as Parquet; return how many rows there are. Needs pyarrow."""
    import pyarrow as pa
    import pyarrow.parquet as pq

    schema = pa.schema([(name, pa.int32() if name == "depth" else pa.string()) for name in COLUMNS])
    rows, count = closure_rows(context, conditions, depth), 0
    with pq.ParquetWriter(file, schema) as out:
        while piece := list(islice(rows, 20 * _CHUNK)):
            columns = [list(column) for column in zip(*piece, strict=True)]
            out.write_table(pa.table(dict(zip(COLUMNS, columns, strict=True)), schema=schema))
            count += len(piece)
    return count


def closure_rows(context: Context, conditions: bool, depth: int | None) -> Iterator[Told]:
    """Yield the rows with the names of things."""
    flows = flows_of(context.graph.graph, conditions)
    names, jobs = _names(context, flows), _jobs(context, flows)
    definitions = flows.definitions.tolist()
    for part in closure(flows, depth):
        ways: list[str] = []
        columns = (part.datasets, part.upstream, part.depths, part.flows, part.next_rows)
        for dataset, upstream, hops, flow, following in zip(*(column.tolist() for column in columns), strict=True):
            # The rest of the way is that of what it leads to, which stands before it.
            rest = names[dataset] if following < 0 else ways[following]
            if hops <= _LONGEST:
                rest = f"{names[upstream]} > {rest}"
            ways.append(rest if hops <= _LONGEST or rest.startswith(_FURTHER) else _FURTHER + rest)
            yield names[dataset], names[upstream], hops, jobs.get(definitions[flow], ""), ways[-1]


def _names(context: Context, flows: Flows) -> list[str]:
    found = [""] * flows.size
    for piece in _pieces({*flows.sources.tolist(), *flows.targets.tolist()}):
        for position, info in Names(context.session, context.graph).datasets_at(piece).items():
            found[position] = info.name
    return found


def _jobs(context: Context, flows: Flows) -> dict[int, str]:
    """Of each definition what does it: the job, or else the place of its text."""
    found: dict[int, str] = {}
    for piece in _pieces(set(flows.definitions.tolist())):
        infos = Names(context.session, context.graph).definitions(piece)
        found.update({id_: info.by for id_, info in infos.items()})
    return found


def _pieces(wanted: set[int]) -> Iterator[list[int]]:
    """Some at a time: what is read of them is forgotten."""
    ordered = sorted(wanted)
    return (ordered[start : start + _NAMES] for start in range(0, len(ordered), _NAMES))
