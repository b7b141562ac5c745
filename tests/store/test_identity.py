"""One identity for each thing: aliases that can be taken back, placeholders, and conflicts that are kept."""

from datetime import UTC, datetime
from pathlib import Path

import orjson
import pytest
from sqlalchemy import Engine, select
from sqlalchemy.orm import Session

from jalan.service.catalog import provenance
from jalan.service.catalog.facts import facts
from jalan.service.context import Context
from jalan.service.errors import Conflict, NotFound
from jalan.service.ingest import identity, sources
from jalan.service.ingest.registry import parse_config
from jalan.service.usage.uses import uses
from jalan.store.schema import Dataset
from tests.graphs import all_datasets, all_links
from tests.store.state import content

FILES = {
    "old.sql": "create table core.fares_old as select port, fare_cents from landing.tickets;\n",
    "new.sql": "create table core.fares as select port, fare_cents / 100.0 as fare from landing.tickets;\n",
    "board.sql": "create table mart.board as select * from core.fares_old where port <> 'Selm';\n",
}


@pytest.fixture
def known(store: Engine, tmp_path: Path) -> Engine:
    (tmp_path / "sql").mkdir()
    (tmp_path / "sql" / "jalan.yaml").write_text("server: islands:5432\ndatabase: strait\n")
    for name, text in FILES.items():
        (tmp_path / "sql" / name).write_text(text)
    _load(store, tmp_path)
    return store


def _load(store: Engine, tmp_path: Path) -> None:
    config = parse_config({"kind": "repository", "location": str(tmp_path / "sql")})
    sources.ingest(Context(store, "test"), sources.ensure(Context(store, "test"), "sql", config), config=config)


def _events(store: Engine, tmp_path: Path, *events: dict, name: str = "events") -> sources.Outcome:
    path = tmp_path / f"{name}.jsonl"
    path.write_bytes(b"".join(orjson.dumps(event) + b"\n" for event in events))
    config = parse_config({"kind": "events", "file": str(path)})
    return sources.ingest(
        Context(store, "test"), sources.ensure(Context(store, "test"), name, config), config=config
    )


def _event(namespace: str, name: str, fields: dict[str, str], **facets: object) -> dict:
    schema = {"fields": [{"name": column, "type": kind} for column, kind in fields.items()]}
    return {"dataset": {"namespace": namespace, "name": name, "facets": {"schema": schema, **facets}}}


def _id(store: Engine, name: str) -> int:
    with Session(store) as session:
        return session.scalars(select(Dataset.id).where(Dataset.name == name)).one()


def _graph(store: Engine) -> tuple[set[str], set[tuple[str, str]]]:
    """The names of datasets, and links between columns."""
    with Context(store, "test") as context:
        return {info.name for info in all_datasets(context).values()}, all_links(context)


def test_two_become_one_with_all_links_and_two_again_without_loss(known: Engine) -> None:
    before, stored = _graph(known), content(known)
    old, new = _id(known, "strait.core.fares_old"), _id(known, "strait.core.fares")
    alias = identity.join(Context(known, "Ana Quay"), old, new, "renamed in May")
    names, links = _graph(known)
    assert "strait.core.fares_old" not in names
    assert ("core.fares.port", "mart.board.port") in links, "what read the old name reads the new one"
    with Context(known, "test") as context:
        info = context.names.dataset(context.graph.dataset(old))
        assert info.id == new, "the address of the old one leads to the new one"
        (shown,) = provenance.aliases(context.session, info)
        assert (shown.name, shown.who, shown.note, shown.origin) == (
            "strait.core.fares_old", "Ana Quay", "renamed in May", "person",
        )  # fmt: skip
    identity.part(Context(known, "Ana Quay"), alias)
    assert _graph(known) == before
    after = content(known)
    after.pop("alias")
    stored.pop("alias")
    assert after == stored


def test_uses_go_with_a_join_and_come_back(known: Engine, tmp_path: Path) -> None:
    (tmp_path / "queries.csv").write_text(
        "sent,at,who,db\n"
        "select port from core.fares_old,2026-11-20,ana,strait\n"
        "select port from core.fares,2026-11-20,ben,strait\n"
    )
    config = parse_config(
        {
            "kind": "history", "format": "csv", "server": "islands:5432", "files": str(tmp_path / "queries.csv"),
            "mapping": {"text": "sent", "time": "at", "user": "who", "database": "db"},
        }
    )  # fmt: skip
    sources.ingest(Context(known, "test"), sources.ensure(Context(known, "test"), "queries", config), config=config)

    def people(name: str) -> list[str]:
        with Context(known, "test") as context:
            info = context.names.dataset(context.graph.dataset(_id(known, name)))
            return [use.person for use in uses(context.session, info, datetime(2026, 11, 21, tzinfo=UTC))]

    assert (people("strait.core.fares_old"), people("strait.core.fares")) == (["ana"], ["ben"])
    alias = identity.join(
        Context(known, "test"), _id(known, "strait.core.fares_old"), _id(known, "strait.core.fares")
    )
    assert people("strait.core.fares") == ["ana", "ben"]
    identity.part(Context(known, "test"), alias)
    assert (people("strait.core.fares_old"), people("strait.core.fares")) == (["ana"], ["ben"])


def test_what_comes_in_meanwhile_is_where_it_was_said_to_be(known: Engine, tmp_path: Path) -> None:
    old, new = _id(known, "strait.core.fares_old"), _id(known, "strait.core.fares")
    alias = identity.join(Context(known, "Ana Quay"), old, new)
    (tmp_path / "sql" / "sheet.sql").write_text("create table mart.sheet as select port from core.fares_old;\n")
    _load(known, tmp_path)
    assert ("core.fares.port", "mart.sheet.port") in _graph(known)[1]
    identity.part(Context(known, "Ana Quay"), alias)
    assert ("core.fares_old.port", "mart.sheet.port") in _graph(known)[1]


def test_the_past_shows_two_where_they_were_two(known: Engine) -> None:
    from datetime import UTC, datetime

    before = datetime.now(UTC)
    identity.join(Context(known, "Ana Quay"), _id(known, "strait.core.fares_old"), _id(known, "strait.core.fares"))
    with Context(known, "test", as_of=before) as context:
        assert "strait.core.fares_old" in {info.name for info in all_datasets(context).values()}


def test_what_makes_no_sense_is_refused(known: Engine) -> None:
    old, new = _id(known, "strait.core.fares_old"), _id(known, "strait.core.fares")
    with pytest.raises(NotFound, match="there is no dataset 999999"):
        identity.join(Context(known, "Ana Quay"), old, 999_999)
    alias = identity.join(Context(known, "Ana Quay"), old, new)
    with pytest.raises(Conflict, match="are one already"):
        identity.join(Context(known, "Ana Quay"), new, old)
    identity.part(Context(known, "Ana Quay"), alias)
    with pytest.raises(NotFound, match="that holds"):
        identity.part(Context(known, "Ana Quay"), alias)


def test_producers_that_spell_a_name_differently_mean_one_thing(known: Engine, tmp_path: Path) -> None:
    _events(
        known, tmp_path, _event("postgresql://ISLANDS", "STRAIT.Core.FARES", {"port": "text", "fare": "numeric"}),
        _event("postgres://islands:5432/", '"strait".core.fares', {"port": "text", "fare": "numeric"}),
    )  # fmt: skip
    names = sorted(name for name in _graph(known)[0] if "fares" in name.lower())
    assert names == ["strait.core.fares", "strait.core.fares_old"]
    assert len(_graph(known)[0]) == 4


def test_a_symlink_that_a_producer_sends_counts_as_an_alias(known: Engine, tmp_path: Path) -> None:
    identifiers = {"identifiers": [{"namespace": "s3://lake", "name": "fares", "type": "TABLE"}]}
    event = _event("postgres://islands:5432", "strait.core.fares", {"port": "text"}, symlinks=identifiers)
    outcome = _events(known, tmp_path, event)
    assert outcome.counts["aliases"] == 1
    assert _events(known, tmp_path, event).counts == {}
    (name,) = [d for d in _graph(known)[0] if "core.fares" in d and "old" not in d]
    assert name == "strait.core.fares"
    assert "fares" not in _graph(known)[0]


def test_a_conflict_is_kept_with_both_claims_and_the_system_itself_wins(
    known: Engine, tmp_path: Path, cluster, database: str
) -> None:  # type: ignore[no-untyped-def]
    from tests.conftest import admin

    with admin(cluster, database) as connection:
        connection.execute(
            "create schema core; create table core.fares (port text, fare numeric(8, 2), sold_on date)"
        )
    server = f"postgres://127.0.0.1:{cluster.port}"
    name = f"{database}.core.fares"
    _events(known, tmp_path, _event(server, name, {"port": "text", "fare": "integer", "note": "text"}))
    config = parse_config(
        {"kind": "postgresql", "host": "127.0.0.1", "port": cluster.port, "database": database, "user": "jalan",
         "password": cluster.password}
    )  # fmt: skip
    sources.ingest(Context(known, "test"), sources.ensure(Context(known, "test"), "scan", config), config=config)
    # A later word of somebody else does not count more than the system's own.
    _events(known, tmp_path, _event(server, name, {"port": "varchar", "fare": "integer", "note": "text"}))
    with Context(known, "test") as context:
        shown = facts(context, _id(known, name))
    types = {column.name: column.type for column in shown.columns}
    found = {c.column: [(k.source, k.has, k.type) for k in c.claims] for c in shown.conflicts}
    assert types == {"port": "text", "fare": "numeric(8,2)", "sold_on": "date"}
    assert found == {
        "port": [("scan", True, "text"), ("events", True, "varchar")],
        "fare": [("scan", True, "numeric(8,2)"), ("events", True, "integer")],
        "sold_on": [("scan", True, "date"), ("events", False, None)],
        "note": [("scan", False, None), ("events", True, "text")],
    }


def test_two_names_of_a_server_are_one_system(known: Engine, tmp_path: Path) -> None:
    _events(
        known, tmp_path, _event("postgres://tide:6000", "strait.core.fares", {"port": "text", "fare": "numeric"})
    )
    before = _graph(known)
    with Context(known, "test") as context:
        assert len(all_datasets(context)) == 5
    alias = identity.join_systems(Context(known, "Ana Quay"), "postgresql://TIDE:6000", "postgres://islands")
    with Context(known, "test") as context:
        infos = all_datasets(context)
        assert len(infos) == 4
        assert {info.namespace for info in infos.values()} == {"postgres://islands:5432"}
        assert identity.find_alias(context.session, "postgres://tide:6000", "postgres://islands:5432") == alias
    with pytest.raises(Conflict, match="are one already"):
        identity.join_systems(Context(known, "Ana Quay"), "postgres://tide:6000", "postgres://islands:5432")
    identity.part(Context(known, "Ana Quay"), alias)
    assert _graph(known) == before
