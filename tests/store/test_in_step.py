"""A graph kept in step with its store is the one that would be built anew, also while others write and read."""

import threading
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from sqlalchemy import Engine

from jalan.demo.cluster import Cluster
from jalan.graph.walk import walk
from jalan.service.catalog.pages import catalog
from jalan.service.context import Context
from jalan.service.graph_cache.cache import GraphCache
from jalan.service.ingest.declarations import LinkIn, declare_link, declared, take_back
from jalan.service.ingest.once import load
from jalan.service.lineage.lanes import lanes
from tests.conftest import fresh_database
from tests.graphs import all_datasets, all_links
from tests.store.test_relinking import Estate

SETTINGS = "database: strait\nserver: islands:5432\n"


def shown(store: Engine, cache: GraphCache | None) -> dict[str, Any]:
    """What questions see of the graph, by name and id."""
    with Context(store, "test", cache=cache) as context:
        view = context.graph
        graph, ids = view.graph, view.graph.nodes.fields.ids
        reached = {}
        for position in np.flatnonzero(graph.known_fields).tolist():
            met, hops = walk(graph, np.array([position]), downstream=True, by_value=False).fields()
            reached[int(ids[position])] = sorted(zip(ids[met].tolist(), hops.tolist(), strict=True))
        datasets = graph.nodes.datasets.ids
        live = graph.live_datasets
        pairs = view.pairs
        ends = zip(datasets[pairs.sources].tolist(), datasets[pairs.targets].tolist(), strict=True)
        return {
            "links": all_links(context),
            "names": {info.name: info.placeholder for info in all_datasets(context).values()},
            "reached": reached,
            "columns": dict(zip(datasets[live].tolist(), graph.column_counts[live].tolist(), strict=True)),
            "pairs": sorted(zip(ends, pairs.values.tolist(), pairs.links.tolist(), strict=True)),
            "version": view.version,
        }


def _declare(context: Context, random: Any) -> None:
    """Declare a link between two datasets, or take one back."""
    known = declared(context)
    if known and random.random() < 0.4:
        take_back(context, known[0].id)
        return
    rows = [row.id for row in catalog(context, "", {}, 100, None).items if not row.gone]
    if len(rows) > 1:
        one, other = random.sample(rows, 2)
        declare_link(context, LinkIn(from_dataset=one, to_dataset=other, because="said so", by="Quay desk"))


@pytest.mark.parametrize("seed", range(2))
def test_in_step_is_what_would_be_built_anew(store: Engine, cluster: Cluster, tmp_path: Path, seed: int) -> None:
    with fresh_database(cluster) as name:
        estate = Estate(store, cluster, name, tmp_path, seed + 20)
        cache = GraphCache(store)
        versions = []
        for step in range(8):
            estate.change()
            with Context(store, "test", cache=cache) as context:
                _declare(context, estate.random)
            found = shown(store, cache)
            assert found == shown(store, None), f"step {step}"
            versions.append(found["version"])
        assert versions == sorted(versions)


def test_readers_are_answered_while_another_writes(store: Engine, tmp_path: Path) -> None:
    (tmp_path / "jalan.yaml").write_text(SETTINGS)
    (tmp_path / "first.sql").write_text("create table core.fares as select fare, port from landing.tickets;")
    load(Context(store, "test"), tmp_path)
    cache = GraphCache(store)
    cache.follow()
    wrong: list[BaseException] = []
    counts: list[list[int]] = [[], []]
    end = threading.Event()

    def read(mine: list[int]) -> None:
        try:
            while not end.is_set():
                with Context(store, "test", cache=cache) as context:
                    (row,) = [
                        r for r in catalog(context, "core.fares", {}, 5, None).items if r.title == "core.fares"
                    ]
                    found = lanes(context, row.id, 1, 1, True)
                    # All links that are told lead between datasets that are shown.
                    shown_ids = {dataset.id for lane in found.lanes for dataset in lane.datasets}
                    assert {link.target_dataset for link in found.crossings} <= shown_ids
                    mine.append(sum(lane.total for lane in found.lanes))
        except BaseException as error:
            wrong.append(error)

    readers = [threading.Thread(target=read, args=(mine,)) for mine in counts]
    for reader in readers:
        reader.start()
    try:
        for number in range(12):
            text = f"create table mart.copy{number} as select fare from core.fares;"
            (tmp_path / f"copy{number}.sql").write_text(text)
            load(Context(store, "test"), tmp_path)
        cache.catch_up()
    finally:
        end.set()
        for reader in readers:
            reader.join(20)
        cache.close()
    assert wrong == []
    for mine in counts:
        assert mine == sorted(mine), "what was seen once is seen from then on"
    assert shown(store, cache) == shown(store, None)
