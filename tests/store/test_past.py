"""The past is whole: what was shown at each step of random changes is shown again for the time of that step."""

import random
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import Engine

from jalan.demo.cluster import Cluster
from jalan.service.catalog.facts import facts
from jalan.service.catalog.pages import catalog
from jalan.service.context import Context
from jalan.service.graph_cache.view import GraphView
from jalan.service.ingest import identity
from jalan.service.ingest.once import load, scan
from jalan.service.lineage.evidence import evidence
from jalan.service.lineage.lanes import lanes
from tests.conftest import NIGHTLY, admin, fresh_database

STEPS = 9
SETTINGS = "database: {0}\nserver: islands:5432\nowners: {{public: {1}}}\n"


def shown(engine: Engine, at: datetime | None) -> dict[str, Any]:
    """Everything that the screens show of the graph, without whom it was used by."""
    with Context(engine, "test", as_of=at) as context:
        graph = context.graph
        page = catalog(context, "", {}, 500, None)
        return {
            "catalog": page.model_dump(),
            "facts": {row.id: facts(context, row.id).model_dump(exclude={"uses"}) for row in page.items},
            "lanes": {
                row.id: lanes(context, row.id, 3, 3, True).model_dump(exclude={"as_of", "version"})
                for row in page.items
            },
            "evidence": [evidence(context, id_).model_dump() for id_ in sorted(_best(graph))],
        }


def _best(view: GraphView) -> list[int]:
    """Ids of the links that hold, of those between the same two the best evidenced."""
    once = view.graph.each_once(view.graph.every_link())
    ids: list[int] = view.graph.columns(once.best).ids.tolist()
    return ids


class Harbour:
    """A database and a folder of SQL that are changed at random."""

    def __init__(self, cluster: Cluster, name: str, folder: Path, seed: int) -> None:
        self.cluster, self.name, self.folder = cluster, name, folder
        self.random = random.Random(seed)
        self.tables: dict[str, list[str]] = {}
        self.count = 0

    def new(self, word: str) -> str:
        self.count += 1
        return f"{word}{self.count}"

    def change(self) -> None:
        """Change the database, and the files that read and write it."""
        with admin(self.cluster, self.name) as connection:
            for _ in range(self.random.randint(1, 3)):
                connection.execute(self.statement())  # type: ignore[call-overload]
        for path in self.folder.glob("*.sql"):
            if self.random.random() < 0.3:
                path.unlink()
        (self.folder / "jalan.yaml").write_text(SETTINGS.format(self.name, self.random.choice(["Ana", "Bo"])))
        for number in range(self.random.randint(1, 3)):
            source, target = (self.random.choice([*self.tables, "elsewhere"]) for _ in range(2))
            columns = ", ".join(self.tables.get(source, ["x"])) or "1"
            (self.folder / f"f{number}.sql").write_text(
                f"create table made_{target} as select {columns} from {source}\n"
            )

    def statement(self) -> str:
        chosen = self.random.choice(
            ["create", "create", "drop", "add", "remove", "rename", "move", "retype", "note"]
        )
        if chosen == "create" or not self.tables:
            name = self.new("t")
            self.tables[name] = [self.new("c"), self.new("c")]
            return f"create table {name} ({', '.join(f'{c} int' for c in self.tables[name])})"
        name = self.random.choice(list(self.tables))
        columns = self.tables[name]
        if chosen == "drop":
            del self.tables[name]
            return f"drop table {name}"
        if chosen == "move":
            moved = self.new("t")
            self.tables[moved] = self.tables.pop(name)
            return f"alter table {name} rename to {moved}"
        if chosen == "note":
            return f"comment on table {name} is '{self.new('note ')}'"
        if chosen == "add" or not columns:
            columns.append(self.new("c"))
            return f"alter table {name} add {columns[-1]} text"
        column = self.random.choice(columns)
        if chosen == "remove":
            columns.remove(column)
            return f"alter table {name} drop {column}"
        if chosen == "rename":
            columns[columns.index(column)] = self.new("c")
            return f"alter table {name} rename {column} to c{self.count}"
        return f"alter table {name} alter {column} type varchar({self.random.randint(5, 50)})"


@pytest.mark.parametrize("seed", range(12 if NIGHTLY else 2))
def test_the_past_is_shown_as_it_was(store: Engine, cluster: Cluster, tmp_path: Path, seed: int) -> None:
    with fresh_database(cluster) as name:
        harbour = Harbour(cluster, name, tmp_path, seed)
        before: list[tuple[datetime, dict[str, Any]]] = []
        for step in range(STEPS):
            harbour.change()
            scan(Context(store, "command line"), cluster.url(name).replace("+psycopg", ""), known_as="islands:5432")
            load(Context(store, "command line"), tmp_path, name="ferry")
            if step == STEPS // 2:
                _join(store)
            before.append((datetime.now(UTC), shown(store, None)))
        for number, (at, then) in enumerate(before):
            now = shown(store, at)
            for part in then:
                assert now[part] == then[part], f"step {number}: {part}"


def _join(store: Engine) -> None:
    with Context(store, "test") as context:
        made = [row for row in catalog(context, "", {}, 500, None).items if row.title.startswith("made_")]
    made.sort(key=lambda row: row.id)
    if len(made) > 1:
        identity.join(Context(store, "test"), made[0].id, made[1].id, None)


def test_a_renamed_column_is_shown_by_its_old_name_in_the_past(store: Engine, cluster: Cluster) -> None:
    with fresh_database(cluster) as name, admin(cluster, name) as connection:
        url = cluster.url(name).replace("+psycopg", "")
        connection.execute("create table fares (fare int); create table ports (port int)")
        scan(Context(store, "command line"), url)
        at = datetime.now(UTC)
        connection.execute("alter table fares rename fare to price; drop table ports")
        scan(Context(store, "command line"), url)
        shown_columns, gone = [], []
        for as_of in (at, None):
            with Context(store, "test", as_of=as_of) as context:
                rows = {row.title.rpartition(".")[2]: row for row in catalog(context, "", {}, 9, None).items}
                shown_columns.append([column.name for column in facts(context, rows["fares"].id).columns])
                gone.append(rows["ports"].gone)
    assert shown_columns == [["fare"], ["price"]]
    assert gone == [False, True]
