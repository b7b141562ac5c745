"""The graph of a large estate: reading it from the store, walking it, keeping it in step.

Beside it, in the same run: SciPy's ``breadth_first_order`` over the same links, NetworkX's on small estates, and
PostgreSQL's own recursive query for the closure of a hub.

    python bench/graph.py [--size small medium large]
"""

import argparse
import random
import resource
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import networkx
import numpy as np
import psycopg
from scipy.sparse import csr_array
from scipy.sparse.csgraph import breadth_first_order
from sqlalchemy import Engine

from estate import SIZES, Asset, schema_of
from jalan.graph.columns import VALUE, kinds_of
from jalan.graph.trails import trail
from jalan.graph.walk import walk
from jalan.service.context import Context
from jalan.service.graph_cache.cache import GraphCache
from jalan.service.graph_cache.view import GraphView
from jalan.service.ingest.once import load
from stores import bench_cluster, estate_store

_SEED = 3


def measured(what: str, ask: Callable[[], object], times: int) -> float:
    """Print how long a question takes; return the median in seconds."""
    took = []
    for _ in range(times):
        begun = time.perf_counter()
        ask()
        took.append(time.perf_counter() - begun)
    took.sort()
    middle, late = took[len(took) // 2], took[min(len(took) - 1, int(len(took) * 0.99))]
    print(f"  {what:44} p50 {middle * 1e3:9.2f} ms   p99 {late * 1e3:9.2f} ms")
    return middle


def walks(view: GraphView, estate: list[Asset], engine: Engine, small: bool) -> None:
    """Print what walks take, beside what others do."""
    graph = view.graph
    chance = random.Random(_SEED)
    hub = np.array([graph.field_position(estate[2].first_field + 2)], dtype=np.int32)

    def anything() -> np.ndarray:
        return np.array([chance.randrange(graph.fields)], dtype=np.int32)

    measured(
        "closure of a random field, by anything",
        lambda: walk(graph, anything(), downstream=True, by_value=False),
        300,
    )
    measured("trail of a random field", lambda: trail(graph, anything()), 100)
    ours = measured("closure of a hub by value", lambda: walk(graph, hub, downstream=True, by_value=True), 15)
    measured("closure of a hub by anything", lambda: walk(graph, hub, downstream=True, by_value=False), 15)
    measured("trail of a hub", lambda: trail(graph, hub), 5)
    links = graph.columns(graph.every_link())
    carries = kinds_of(links.codes) == VALUE
    sources, targets = links.sources[carries], links.targets[carries]
    matrix = csr_array((np.ones(len(sources), dtype=np.int8), (sources, targets)), shape=(graph.fields,) * 2)
    theirs = measured("SciPy, closure of the same hub", lambda: breadth_first_order(matrix, int(hub[0])), 15)
    print(f"  ours is {ours / theirs:.2f} of SciPy's")
    if small:
        other = networkx.DiGraph(zip(sources.tolist(), targets.tolist(), strict=True))
        slow = measured("NetworkX, closure of the same hub", lambda: networkx.descendants(other, int(hub[0])), 5)
        print(f"  ours is {ours / slow:.3f} of NetworkX's")
    query = """
        with recursive met(field) as (
            values (%s::int) union
            select target_field_id from link join met on source_field_id = field
            where kind = 'value' and valid_to is null and target_field_id is not null
        ) select count(*) from met
    """
    url = engine.url.render_as_string(hide_password=False).replace("+psycopg", "")
    with psycopg.connect(url) as connection:
        field = view.field_id(int(hub[0]))
        measured("PostgreSQL, the same as a recursive query", lambda: connection.execute(query, (field,)), 1)


def one_file(engine: Engine, cache: GraphCache, estate: list[Asset]) -> None:
    """Print how long one changed file takes to be brought in, and to be seen."""
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        (place / "jalan.yaml").write_text("database: strait\nserver: islands:5432\n")
        source = estate[100]
        for number in range(5):
            columns = ", ".join(f"c{c}" for c in range(number + 1))
            text = f"create table mart.extra as select {columns} from {schema_of(source)}.{source.name};\n"
            (place / "extra.sql").write_text(text)
            begun = time.perf_counter()
            load(Context(engine, "bench"), place, name="one file")
            brought = time.perf_counter() - begun
            cache.catch_up()
            seen = time.perf_counter() - begun - brought
        print(f"  {'one changed file: brought in / seen':44} {brought:.3f} s / {seen:.3f} s")


def main() -> None:
    """Print what it takes for each size."""
    arguments = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    arguments.add_argument("--size", nargs="+", choices=SIZES, default=["small", "medium"])
    given = arguments.parse_args()
    with bench_cluster() as cluster:
        for name in given.size:
            engine, estate = estate_store(cluster, name)
            cache = GraphCache(engine)
            begun = time.perf_counter()
            view = cache.get()
            took = time.perf_counter() - begun
            graph = view.graph
            most = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
            print(
                f"{name}: {graph.datasets:,} datasets, {graph.fields:,} columns, {len(graph.every_link()):,} links"
            )
            print(f"  read from the store in {took:.1f} s; the whole process has held {most:,.0f} MB at most")
            walks(view, estate, engine, name == "small")
            one_file(engine, cache, estate)
            engine.dispose()


if __name__ == "__main__":
    main()
