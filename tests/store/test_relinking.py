"""What is read again after a change is what would be found by reading everything anew."""

import random
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import Engine, select, text
from sqlalchemy.orm import Session

from jalan.demo.cluster import Cluster
from jalan.service.context import Context
from jalan.service.ingest import identity
from jalan.service.ingest.once import load, scan
from jalan.store.schema import Dataset, Definition
from tests.conftest import NIGHTLY, admin, fresh_database
from tests.graphs import all_links
from tests.store.state import content

STEPS = 12
SETTINGS = "database: {0}\nserver: islands:5432\n"
CHAIN = ["fares", "ports", "tides", "step1", "step2", "step3"]


class Estate:
    """A database and two folders of SQL over it, changed at random: scripts that make tables for one another,
    procedures that others call, names that nobody knows."""

    def __init__(self, store: Engine, cluster: Cluster, name: str, folder: Path, seed: int) -> None:
        self.store, self.cluster, self.name = store, cluster, name
        self.random = random.Random(seed)
        self.folders = [folder / "one", folder / "two"]
        for one in self.folders:
            one.mkdir()
            (one / "jalan.yaml").write_text(SETTINGS.format(name))
            (one / "stays.sql").write_text(f"create table {one.name} as select fare from fares;\n")

    def change(self) -> None:
        for act in self.random.sample([self.table, self.script, self.script, self.routine, self.alias], 2):
            act()
        if self.random.random() < 0.6:
            scan(self._context(), self.cluster.url(self.name).replace("+psycopg", ""), known_as="islands:5432")
        for one in self.random.sample(self.folders, self.random.randint(1, 2)):
            load(self._context(), one, name=one.name)

    def _context(self) -> Context:
        return Context(self.store, "test")

    def table(self) -> None:
        name = self.random.choice(CHAIN[:3])
        columns = ", ".join(f"{c} int" for c in self.random.sample(["fare", "port", "at", "tax"], 2))
        with admin(self.cluster, self.name) as connection:
            connection.execute(f"drop table if exists {name}")
            if self.random.random() < 0.8:
                connection.execute(f"create table {name} ({columns})")  # type: ignore[call-overload]

    def script(self) -> None:
        number = self.random.randint(1, 3)
        path = self.random.choice(self.folders) / f"step{number}.sql"
        if path.exists() and self.random.random() < 0.3:
            path.unlink()
            return
        source = self.random.choice([*CHAIN[: 2 + number], "nowhere"])
        path.write_text(f"create table step{number} as select * from {source};\ncall fill{number}();\n")

    def routine(self) -> None:
        number = self.random.randint(1, 3)
        path = self.random.choice(self.folders) / f"fill{number}.sql"
        inner = f"call fill{number + 1}();" if self.random.random() < 0.5 else ""
        source = self.random.choice(CHAIN)
        path.write_text(
            f"create or replace procedure fill{number}() language sql as $$ "
            f"insert into filled{number} (x) select fare from {source}; {inner} $$;\n"
        )

    def alias(self) -> None:
        with Session(self.store) as session:
            ids = session.scalars(select(Dataset.id).where(Dataset.name.like(f"{self.name}%"))).all()
            known = session.execute(text("select id from alias where valid_to is null")).scalars().all()
        if known:
            identity.part(self._context(), known[0])
        elif len(ids) > 1:
            identity.join(self._context(), *self.random.sample(list(ids), 2))


def read(store: Engine) -> dict[str, Any]:
    """What was read: links and diagnostics that hold, by name."""
    with Context(store, "test") as context:
        links = all_links(context)
    with store.connect() as connection:
        told = connection.execute(
            text(
                "select d.key, x.code, x.message, x.start from diagnostic x join definition d "
                "on d.id = x.definition_id where x.valid_to is null order by 1, 2, 3, 4"
            )
        ).all()
    return {"links": links, "diagnostics": [tuple(row) for row in told]}


@pytest.mark.parametrize("seed", range(12 if NIGHTLY else 2))
def test_what_is_read_after_a_change_is_what_reading_everything_anew_finds(
    store: Engine, cluster: Cluster, tmp_path: Path, seed: int
) -> None:
    with fresh_database(cluster) as name:
        estate = Estate(store, cluster, name, tmp_path, seed)
        for step in range(STEPS):
            estate.change()
            for one in estate.folders:  # both, so that the last word is that of the tables known now
                load(Context(store, "test"), one, name=one.name)
            found = read(store)
            with Session(store) as session, session.begin():
                session.execute(Definition.__table__.update().values(reader=None))
            for one in estate.folders:
                load(Context(store, "test"), one, name=one.name)
            assert read(store) == found, f"step {step}"


def test_nothing_is_read_that_a_change_does_not_touch(
    store: Engine, cluster: Cluster, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    import jalan.lineage.project as project

    seen: list[str] = []
    extract = project.extract_following

    def watched(sql: str, *rest: Any, **options: Any) -> Any:
        seen.append(sql.strip())
        return extract(sql, *rest, **options)

    monkeypatch.setattr(project, "extract_following", watched)
    (tmp_path / "jalan.yaml").write_text(SETTINGS.format("strait"))
    for n in range(12):
        (tmp_path / f"s{n}.sql").write_text(f"create table made{n} as select a, b from base{n};")
    (tmp_path / "last.sql").write_text("create table last as select * from made3;")
    load(Context(store, "test"), tmp_path, name="ferry")
    before = content(store)
    seen.clear()
    load(Context(store, "test"), tmp_path, name="ferry")
    assert (seen, content(store) == before) == ([], True)
    (tmp_path / "s3.sql").write_text("create table made3 as select a, b, c from base3;")
    load(Context(store, "test"), tmp_path, name="ferry")
    assert set(seen) == {
        "create table made3 as select a, b, c from base3;",
        "create table last as select * from made3;",
    }
