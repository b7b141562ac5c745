"""The writers of the store: each thing once, versions that are closed and never changed, nothing twice."""

from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from sqlalchemy import Engine, select
from sqlalchemy.orm import Session

from jalan.catalog.kinds import DatasetKind, DefinitionKind, FieldKind, LinkKind, LinkOrigin
from jalan.store.past import as_at, say_when
from jalan.store.repositories.catalog import CatalogueWriter
from jalan.store.repositories.definitions import DefinitionWriter, NewDiagnostic, NewLink
from jalan.store.schema import Dataset, Definition, Diagnostic, Field, Link, Statement, System

NOON = datetime(2026, 11, 20, 12, tzinfo=UTC)
SYSTEM = "postgres://islands:5432"


class Writing:
    """Both writers in one transaction."""

    def __init__(self, engine: Engine, at: datetime = NOON) -> None:
        self.session = Session(engine)
        self.catalogue = CatalogueWriter(self.session, at)
        self.definitions = DefinitionWriter(self.catalogue)

    def __enter__(self) -> "Writing":
        return self

    def __exit__(self, *failed: object) -> None:
        if failed[0] is None:
            self.catalogue.flush()
            self.definitions.flush(finally_=True)
            self.session.commit()
        self.session.close()

    def dataset(self, name: str) -> Dataset:
        return self.catalogue.dataset(self.catalogue.system(SYSTEM, "postgresql"), name)

    def define(self, text: str, key: str = "file:fares") -> Definition:
        system = self.catalogue.system(SYSTEM, "postgresql")
        values: dict[str, Any] = {
            "kind": DefinitionKind.FILE, "place": "fares.sql", "first_line": 1, "dialect": "postgresql",
            "search_path": ["core"], "system_id": system.id, "database": "strait", "text": text,
        }  # fmt: skip
        return self.definitions.define(key, **values)

    def link(self, **values: Any) -> NewLink:
        source = self.dataset("strait.landing.tickets")
        target = self.dataset("strait.core.fares")
        given: dict[str, Any] = {
            "source_field_id": self.catalogue.field(source, "fare").id, "target_dataset_id": target.id,
            "target_field_id": self.catalogue.field(target, "fare").id, "kind": LinkKind.VALUE, "how": "identity",
            "statement": None, "spans": ((7, 11),), "expression": (7, 11), **values,
        }  # fmt: skip
        return NewLink(**given)


def rows(engine: Engine, model: type[Any]) -> list[Any]:
    with Session(engine) as session:
        return list(session.scalars(select(model).order_by(model.id)))


def test_a_thing_is_there_once_whoever_names_it_first(store: Engine) -> None:
    for _ in range(2):
        with Writing(store) as writing:
            first, again = writing.dataset("strait.core.fares"), writing.dataset("strait.core.fares")
            assert first.id == again.id
            writing.catalogue.field(first, "fare")
            writing.catalogue.field(again, "fare")
    assert [d.name for d in rows(store, Dataset)] == ["strait.core.fares"]
    assert [s.namespace for s in rows(store, System)] == [SYSTEM]
    (field,) = rows(store, Field)
    assert (field.name, field.kind, field.placeholder) == ("fare", FieldKind.COLUMN, True)


def test_a_star_is_known_as_one_by_its_name(store: Engine) -> None:
    with Writing(store) as writing:
        writing.catalogue.field(writing.dataset("strait.core.fares"), "*")
    assert rows(store, Field)[0].kind == FieldKind.STAR


def test_only_what_is_different_counts_as_a_change(store: Engine) -> None:
    with Writing(store) as writing:
        dataset = writing.dataset("strait.core.fares")
        assert writing.catalogue.update(dataset, "datasets changed", kind=DatasetKind.VIEW)
        assert not writing.catalogue.update(dataset, "datasets changed", kind=DatasetKind.VIEW)
        assert writing.catalogue.changes["datasets changed"] == 1


def test_fields_that_are_not_named_any_more_are_gone_and_come_back(store: Engine) -> None:
    with Writing(store) as writing:
        dataset = writing.dataset("strait.core.fares")
        writing.catalogue.field(dataset, "fare")
        writing.catalogue.field(dataset, "paid")
        writing.catalogue.fields_gone(dataset, {"fare"}, "columns gone")
        assert writing.catalogue.changes["columns gone"] == 1
    assert {f.name: f.gone_since for f in rows(store, Field)} == {"fare": None, "paid": NOON}


def test_the_same_text_is_the_same_version_and_another_closes_it(store: Engine) -> None:
    for day, text in enumerate(["select 1", "select 1", "select 2", "select 1"]):
        with Writing(store, NOON + timedelta(days=day)) as writing:
            writing.define(text)
    found = [(d.version, d.text, d.valid_from, d.valid_to) for d in rows(store, Definition)]
    assert found == [
        (1, "select 1", NOON, NOON + timedelta(days=2)),
        (2, "select 2", NOON + timedelta(days=2), NOON + timedelta(days=3)),
        (3, "select 1", NOON + timedelta(days=3), None),
    ]


def test_a_definition_that_comes_again_goes_on_counting(store: Engine) -> None:
    with Writing(store) as writing:
        writing.define("select 1")
    with Writing(store, NOON + timedelta(days=1)) as writing:
        writing.definitions.close_missing("file:", [])
    with Writing(store, NOON + timedelta(days=2)) as writing:
        assert writing.define("select 1").version == 2


def test_links_are_closed_and_opened_and_what_stays_keeps_its_row(store: Engine) -> None:
    with Writing(store) as writing:
        definition = writing.define("select fare, fare * 2 from tickets")
        statements = writing.definitions.statements(definition, [("select", (0, 34))])
        kept = writing.link(statement=statements[0])
        writing.definitions.links(definition, LinkOrigin.PARSED, {kept, writing.link(how="transformation")})
    first = {link.how: link.id for link in rows(store, Link)}
    with Writing(store, NOON + timedelta(days=1)) as writing:
        definition = writing.define("select fare, fare * 2 from tickets")
        statements = writing.definitions.statements(definition, [("select", (0, 34))])
        wanted = {writing.link(statement=statements[0]), writing.link(how="aggregation", possible=True)}
        writing.definitions.links(definition, LinkOrigin.PARSED, wanted)
    found = {link.how: (link.id == first.get(link.how), link.valid_to is None) for link in rows(store, Link)}
    assert found == {"identity": (True, True), "transformation": (True, False), "aggregation": (False, True)}
    assert [link.possible for link in rows(store, Link) if link.how == "aggregation"] == [True]
    assert len(rows(store, Statement)) == 1


def test_links_of_several_origins_stand_beside_one_another(store: Engine) -> None:
    with Writing(store) as writing:
        definition = writing.define("-")
        origins = {LinkOrigin.EVENT: {writing.link()}, LinkOrigin.DECLARED: {writing.link(how="transformation")}}
        writing.definitions.links_by_origin(definition, origins)
    assert {(link.how, link.origin) for link in rows(store, Link)} == {
        ("identity", "event"),
        ("transformation", "declared"),
    }


def test_closing_a_text_closes_what_was_read_out_of_it(store: Engine) -> None:
    with Writing(store) as writing:
        definition = writing.define("select fare from tickets")
        writing.definitions.links(definition, LinkOrigin.PARSED, {writing.link()})
        problem = NewDiagnostic("unknown_column", "error", "there is no fare", "scan again", 7, 11)
        writing.definitions.diagnostics(definition, {problem})
    with Writing(store, NOON + timedelta(days=1)) as writing:
        (definition,) = writing.definitions.valid("")
        writing.definitions.close(writing.session.merge(definition))
    assert [row.valid_to for model in (Definition, Link, Diagnostic) for row in rows(store, model)] == [
        NOON + timedelta(days=1)
    ] * 3


def test_a_job_has_its_parent(store: Engine) -> None:
    with Writing(store) as writing:
        nightly = writing.definitions.job("pipelines", "nightly", None)
        step = writing.definitions.job("pipelines", "nightly.fares", nightly)
        assert step.parent_id == nightly.id
        assert writing.definitions.job("pipelines", "nightly.fares", nightly).id == step.id


def test_what_fails_leaves_nothing(store: Engine) -> None:
    def fail() -> None:
        with Writing(store) as writing:
            writing.dataset("strait.core.fares")
            writing.catalogue.flush()
            raise ZeroDivisionError

    with pytest.raises(ZeroDivisionError):
        fail()
    assert rows(store, Dataset) == []


def test_what_a_row_said_before_is_kept(store: Engine) -> None:
    for day, owner in enumerate(["Quay desk", "Harbour office"]):
        with Writing(store, NOON + timedelta(days=day)) as writing:
            say_when(writing.session, NOON + timedelta(days=day))
            writing.catalogue.update(writing.dataset("strait.core.fares"), "datasets", owner=owner)
    query = select(*Dataset.__table__.columns)
    with Session(store) as session:
        for hours, owner in ((1, "Quay desk"), (25, "Harbour office")):
            (row,) = as_at(session, Dataset, session.execute(query), NOON + timedelta(hours=hours))
            assert row.owner == owner
