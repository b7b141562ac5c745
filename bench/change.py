"""How fast the consequences of a change are found, beside mere reachability.

    .venv/bin/python bench/change.py [--definitions 10000]

A made-up warehouse: a hub of sailings, from which half of the files make a table each, and over these the other
half make theirs, each over two of the first. The world is built once; then changes at the hub are asked about.
"""

import argparse
import time
from collections.abc import Callable
from typing import Any

from jalan.change.catalogue import Catalogue
from jalan.change.ran import Text
from jalan.change.seen import CatalogueSeen
from jalan.change.simulation import World
from jalan.change.stored import TABLE
from jalan.change.types import declared_type
from jalan.lineage.script import extract

_COLUMNS = [f"c{n}" for n in range(40)]
_TURNS = 3


def main() -> None:
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--definitions", type=int, default=10_000)
    count = options.parse_args().definitions
    began = time.perf_counter()
    world = World(_catalogue(), _texts(count))
    print(f"{count:,} definitions; the world was built in {time.perf_counter() - began:.1f} s")
    reach = _measured("reachability (reference)", lambda: world.downstream({"ops.sailings"}))
    for name, change in (
        ("drop of a column that all read", "alter table ops.sailings drop column c1"),
        ("drop of a column that nobody reads", "alter table ops.sailings drop column c39"),
        ("a column that nobody reads is added", "alter table ops.sailings add column c99 int"),
        ("rename of a column that all read", "alter table ops.sailings rename column c1 to c1_before"),
        ("a column that all read gets a wider type", "alter table ops.sailings alter column c1 type bigint"),
        ("… and one that nothing fits any more", "alter table ops.sailings alter column c1 type text"),
        ("drop of the hub", "drop table ops.sailings"),
        ("an edited file at the hub", ""),
    ):
        edited = {"first/0.sql": _first(0).replace("sum(c1)", "sum(c1 + 1)")} if not change else {}
        took = _measured(name, lambda change=change, edited=edited: world.simulate(change, edited=edited))  # type: ignore[misc]
        print(f"    {took / reach:.1f} × reachability")
    text = _second(count - 1)
    seen = CatalogueSeen(world.catalogue)
    _measured("a keystroke: one text is read", lambda: extract(text, tables=seen, search_path=["public"]))


def _catalogue() -> Catalogue:
    found = Catalogue()
    found.make("ops.sailings", TABLE, _COLUMNS, {column: declared_type("integer") for column in _COLUMNS})
    return found


def _texts(count: int) -> list[Text]:
    half = count // 2
    first = [Text(f"first/{n}.sql", _first(n)) for n in range(half)]
    return [*first, *(Text(f"second/{n}.sql", _second(n, half)) for n in range(count - half))]


def _first(n: int) -> str:
    other = _COLUMNS[2 + n % 30]
    return (
        f"drop table if exists tidy.t{n} cascade; create table tidy.t{n} as "
        f"select c0, sum(c1) as total, max({other}) as other from ops.sailings where c0 > {n} group by c0"
    )


def _second(n: int, half: int = 1) -> str:
    one, other = n % half, (n + 1) % half
    return (
        f"drop table if exists mart.m{n}; create table mart.m{n} as "
        f"select a.c0, a.total + b.total as both_of_them from tidy.t{one} a join tidy.t{other} b using (c0)"
    )


def _measured(name: str, run: Callable[[], Any]) -> float:
    best = float("inf")
    for _ in range(_TURNS):
        began = time.perf_counter()
        run()
        best = min(best, time.perf_counter() - began)
    print(f"{name:45} {best * 1000:9.1f} ms")
    return best


if __name__ == "__main__":
    main()
