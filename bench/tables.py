"""How fast tables of metadata are loaded: 20 000 datasets, and 60 000 rows of flows between them.

Beside it, in the same run: pyarrow reading both files, and PostgreSQL taking their rows by COPY into two plain
tables with an index each. And the first look at the graph afterwards.

python bench/tables.py [--datasets N] [--flows N]
"""

import argparse
import csv
import tempfile
import time
from pathlib import Path

import numpy as np
import psycopg
from pyarrow import csv as arrow_csv

from jalan.demo.cluster import Cluster
from jalan.service.graph_cache.cache import GraphCache
from stores import bench_cluster, bring_in_twice, empty_store, row


def write_tables(directory: Path, datasets: int, flows: int) -> None:
    """Write both tables; a flow has two inputs and one output, and every hundredth feeds itself."""
    random = np.random.default_rng(11)
    with (directory / "datasets.csv").open("w", newline="") as file:
        out = csv.writer(file)
        out.writerow(["id", "name", "kind", "about", "owner"])
        for n in range(datasets):
            out.writerow([n, f"strait.area{n % 40}.asset_{n}", "table", f"asset number {n}", f"desk {n % 25}"])
    picks = random.integers(0, datasets, (flows, 3)).tolist()
    with (directory / "flows.csv").open("w", newline="") as file:
        out = csv.writer(file)
        out.writerow(["flow", "title", "type", "asset", "side"])
        for n, (one, two, made) in enumerate(picks):
            into = one if n % 100 == 0 else made
            for asset, side in ((one, "in"), (two, "in"), (into, "out")):
                out.writerow([n, f"flow {n}", "copy" if n % 3 else "merge", asset, side])


def plain_copy(cluster: Cluster, directory: Path) -> float:
    """Return how long it takes to read both files and to put their rows into plain tables, in seconds."""
    with psycopg.connect(cluster.url("postgres").replace("+psycopg", ""), autocommit=True) as connection:
        start = time.perf_counter()
        for name, key in (("datasets", "id"), ("flows", "flow")):
            table = arrow_csv.read_csv(directory / f"{name}.csv")
            columns = ", ".join(f"{column} text" for column in table.column_names)
            connection.execute(f"create temporary table {name} ({columns})")
            with connection.cursor().copy(f"copy {name} from stdin") as copy:
                for values in zip(*(column.to_pylist() for column in table.columns), strict=True):
                    copy.write_row(values)
            connection.execute(f"create index on {name} ({key})")
        return time.perf_counter() - start


def main() -> None:
    """Print what it takes."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--datasets", type=int, default=20_000)
    parser.add_argument("--flows", type=int, default=20_000, help="each has three rows")
    arguments = parser.parse_args()
    with bench_cluster() as cluster, tempfile.TemporaryDirectory(prefix="jalan-bench-") as name:
        directory = Path(name)
        write_tables(directory, arguments.datasets, arguments.flows)
        print(f"{arguments.datasets:,} datasets, {arguments.flows * 3:,} rows of flows")
        floor = plain_copy(cluster, directory)
        row("pyarrow and COPY into two plain tables", floor, floor)
        with empty_store(cluster) as engine:
            config = {
                "kind": "tabular",
                "datasets": str(directory / "datasets.csv"),
                "flows": str(directory / "flows.csv"),
                "namespace": "postgres://islands:5432",
                "dataset_columns": {
                    "id": "id",
                    "name": "name",
                    "kind": "kind",
                    "description": "about",
                    "owner": "owner",
                },
                "flow_columns": {
                    "flow": "flow",
                    "name": "title",
                    "type": "type",
                    "dataset": "asset",
                    "side": "side",
                    "input": "in",
                    "output": "out",
                },
            }
            bring_in_twice(engine, config, floor)
            start = time.perf_counter()
            view = GraphCache(engine).get()
            took = time.perf_counter() - start
            row("the graph of all that in memory", took, floor, f"{len(view.graph.every_link()):,} links")


if __name__ == "__main__":
    main()
