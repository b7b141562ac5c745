"""Links and consumers that people declare."""

from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
from alembic import command
from sqlalchemy import Engine, select, text
from sqlalchemy.orm import Session

from jalan.service.context import Context
from jalan.service.errors import Conflict, Invalid
from jalan.service.ingest import declarations, overview, sources
from jalan.service.ingest.registry import parse_config
from jalan.sources.errors import SourceError
from jalan.store.database import alembic_config, migrate
from jalan.store.schema import Dataset, Declaration, Definition, Field, Link, Source
from tests.store.state import content

KNOWN = "create table core.fares as select port, fare_cents / 100.0 as fare from landing.tickets;\n"
DECLARED = """\
server: islands:5432
by: Harbour office
links:
  - from: strait.core.fares.fare
    to: {namespace: "file://office", name: ledger.xlsx, column: paid, kind: file}
    because: typed over every Monday
    on: "2026-05-04"
  - {from: strait.core.fares, to: strait.landing.tickets, because: sent back for the next day, kind: condition}
consumers:
  - name: Morning sheet
    owner: Quay desk
    reads: [strait.core.fares.port, strait.core.fares.fare]
"""


@pytest.fixture
def known(store: Engine, tmp_path: Path) -> Engine:
    """A store that knows core.fares with its columns."""
    folder = tmp_path / "sql"
    folder.mkdir()
    (folder / "jalan.yaml").write_text("server: islands:5432\ndatabase: strait\n")
    (folder / "fares.sql").write_text(KNOWN)
    config = parse_config({"kind": "repository", "location": str(folder)})
    sources.ingest(Context(store, "test"), sources.ensure(Context(store, "test"), "sql", config), config=config)
    return store


def _declare(store: Engine, tmp_path: Path, text: str) -> sources.Outcome:
    (tmp_path / "declared.yaml").write_text(text)
    config = parse_config({"kind": "declared", "location": str(tmp_path / "declared.yaml")})
    return sources.ingest(
        Context(store, "test"), sources.ensure(Context(store, "test"), "declared", config), config=config
    )


def _links(store: Engine) -> list[tuple[str, str, str]]:
    with Session(store) as session:
        names = {f.id: f.name for f in session.scalars(select(Field))}
        titles = {d.id: d.name for d in session.scalars(select(Dataset))}
        query = select(Link).where(Link.origin == "declared", Link.valid_to.is_(None))
        return sorted(
            (
                names[k.source_field_id],
                f"{titles[k.target_dataset_id]}.{names.get(k.target_field_id or 0, '')}",
                k.kind,
            )
            for k in session.scalars(query)
        )


def test_declared_links_are_marked_so_with_who_when_and_why(known: Engine, tmp_path: Path) -> None:
    outcome = _declare(known, tmp_path, DECLARED)
    assert outcome.totals == {"declared links": 2, "consumers": 1}
    assert _links(known) == [
        ("*", "strait.landing.tickets.", "condition"),
        ("fare", "Morning sheet.fare of core.fares", "value"),
        ("fare", "ledger.xlsx.paid", "value"),
        ("port", "Morning sheet.port of core.fares", "value"),
    ]
    with Session(known) as session:
        link = session.scalars(select(Link).where(Link.origin == "declared").order_by(Link.id)).first()
        assert link is not None
        text = session.get_one(Definition, link.definition_id).text
        assert "by: Harbour office" in text
        assert {text[slice(*span)] for k in session.scalars(select(Link).where(Link.origin == "declared"))
                for span in k.spans} >= {"strait.core.fares.fare"}  # fmt: skip
        sheet = session.scalars(select(Dataset).where(Dataset.name == "Morning sheet")).one()
        assert (sheet.owner, sheet.facts["declared by"]) == ("Quay desk", "Harbour office")


def test_declaring_twice_changes_nothing_and_what_is_taken_out_ends(known: Engine, tmp_path: Path) -> None:
    _declare(known, tmp_path, DECLARED)
    before = content(known)
    assert _declare(known, tmp_path, DECLARED).counts == {}
    assert content(known) == before
    counts = _declare(known, tmp_path, DECLARED[: DECLARED.index("consumers:")]).counts
    assert counts["consumers gone"] == 1
    assert len(_links(known)) == 2


def test_declarations_may_stand_in_the_repository(known: Engine, tmp_path: Path) -> None:
    (tmp_path / "sql" / "declared.yaml").write_text(DECLARED)
    config = parse_config({"kind": "repository", "location": str(tmp_path / "sql")})
    sources.ingest(Context(known, "test"), sources.ensure(Context(known, "test"), "sql", config), config=config)
    assert len(_links(known)) == 4
    (tmp_path / "sql" / "declared.yaml").unlink()
    sources.ingest(Context(known, "test"), sources.ensure(Context(known, "test"), "sql", config), config=config)
    assert _links(known) == []


def test_two_files_may_tell_of_one_consumer(known: Engine, tmp_path: Path) -> None:
    again = "consumers:\n  - {name: Morning sheet, owner: %s, reads: [strait.core.fares.fare]}\n"
    (tmp_path / "office").mkdir()
    (tmp_path / "office" / "a.yaml").write_text(again % "Quay desk" + "    # first\n")
    (tmp_path / "office" / "b.yaml").write_text((again % "Somebody else").replace("fares.fare", "fares.port"))
    config = parse_config({"kind": "declared", "location": str(tmp_path / "office")})
    source = sources.ensure(Context(known, "test"), "office", config)
    sources.ingest(Context(known, "test"), source, config=config)
    assert [target for _, target, _ in _links(known)] == [
        "Morning sheet.fare of core.fares", "Morning sheet.port of core.fares",
    ]  # fmt: skip
    with Session(known) as session:
        assert session.scalars(select(Dataset.owner).where(Dataset.name == "Morning sheet")).one() == "Quay desk"
        (note,) = overview.ingestions(Context(known, "test"), source)[0].notes
    assert (note.place, note.code) == ("b.yaml:2", "declared_twice")
    before = content(known)
    assert sources.ingest(Context(known, "test"), source, config=config).counts == {}
    assert content(known) == before
    (tmp_path / "office" / "a.yaml").unlink()
    counts = sources.ingest(Context(known, "test"), source, config=config).counts
    assert (counts["elements gone"], "consumers gone" in counts) == (1, False), "the other file still tells of it"


def _field(store: Engine, dataset: str, name: str) -> tuple[int, int]:
    with Session(store) as session:
        query = select(Dataset.id, Field.id).join(Field).where(Dataset.name == dataset, Field.name == name)
        found = session.execute(query).one()
        return found[0], found[1]


def _sheet(store: Engine, column: str, **values: str) -> declarations.ConsumerIn:
    dataset, field = _field(store, "strait.core.fares", column)
    said = {"owner": "Quay desk", "because": "read out at seven", "by": "Ana", **values}
    return declarations.ConsumerIn(name="Morning sheet", dataset=dataset, fields=[field], **said)


def test_a_consumer_is_declared_on_the_screen_and_taken_back(known: Engine) -> None:
    first = declarations.declare_consumer(Context(known, "test"), _sheet(known, "fare"))
    second = declarations.declare_consumer(Context(known, "test"), _sheet(known, "port"))
    assert [target for _, target, _ in _links(known)] == [
        "Morning sheet.fare of core.fares", "Morning sheet.port of core.fares",
    ]  # fmt: skip
    with pytest.raises(Conflict, match="“Morning sheet” is declared already, and its owner is Quay desk"):
        declarations.declare_consumer(Context(known, "test"), _sheet(known, "port", owner="Crew"))
    with pytest.raises(Invalid, match="say why"):
        declarations.declare_consumer(Context(known, "test"), _sheet(known, "port", because=" "))
    shown = declarations.declared(Context(known, "test"))
    assert [(one.id, one.kind, one.target, one.owner) for one in shown] == [
        (first, "consumer", "Morning sheet", "Quay desk"), (second, "consumer", "Morning sheet", "Quay desk"),
    ]  # fmt: skip
    declarations.take_back(Context(known, "test"), first)
    assert [target for _, target, _ in _links(known)] == ["Morning sheet.port of core.fares"]
    declarations.take_back(Context(known, "test"), second)
    with Session(known) as session:
        sheet = session.scalars(select(Dataset).where(Dataset.name == "Morning sheet")).one()
        assert sheet.gone_since is not None
        rows = session.scalars(select(Declaration)).all()
        assert [(row.declared_by, row.taken_back_by) for row in rows] == [("test", "test")] * 2, "both are kept"
    # Declared once more it is the same asset, and nobody holds its old owner against it.
    declarations.declare_consumer(Context(known, "test"), _sheet(known, "port", owner="Crew"))
    with Session(known) as session:
        again = session.scalars(select(Dataset).where(Dataset.name == "Morning sheet")).one()
        assert (again.id, again.owner, again.gone_since) == (sheet.id, "Crew", None)


def test_many_declare_at_once_and_nothing_acknowledged_is_lost(known: Engine) -> None:
    _, fare = _field(known, "strait.core.fares", "fare")
    fares, _ = _field(known, "strait.core.fares", "port")
    tickets, _ = _field(known, "strait.landing.tickets", "port")

    def declare(number: int) -> int:
        given = declarations.LinkIn(
            from_dataset=fares, from_field=fare, to_dataset=tickets, because=f"reason {number}", by="Ana"
        )
        return declarations.declare_link(Context(known, "test"), given)

    with ThreadPoolExecutor(6) as pool:
        numbers = list(pool.map(declare, range(6)))
    shown = {one.id: one.because for one in declarations.declared(Context(known, "test"))}
    assert shown == {number: f"reason {n}" for n, number in enumerate(numbers)}
    with Session(known) as session:
        links = session.scalars(select(Link).where(Link.origin == "declared", Link.valid_to.is_(None))).all()
        source = session.scalars(select(Source.id).where(Source.name == declarations.NAME)).one()
    assert len(links) == 6
    assert sources.ingest(Context(known, "test"), source).counts == {}


def test_what_stood_in_the_state_of_the_source_is_taken_over(known: Engine) -> None:
    declarations.declare_consumer(Context(known, "test"), _sheet(known, "fare"))
    before = declarations.declared(Context(known, "test"))
    with known.begin() as connection:
        command.downgrade(alembic_config(connection), "0004")
        (state,) = connection.execute(text("select state from source where kind = 'declared'")).one()
        assert list(state["entries"]) == ["1"]
    migrate(known)
    assert declarations.declared(Context(known, "test")) == before
    assert declarations.declare_consumer(Context(known, "test"), _sheet(known, "port")) == 2
    assert len(_links(known)) == 2


@pytest.mark.parametrize(
    ("text", "message"),
    [
        (DECLARED.replace("by: Harbour office\n", ""), r"declared.yaml:3: “by” is missing: who declares this"),
        (DECLARED.replace("    because: typed", "    becuase: typed"),
         r"declared.yaml:6: “becuase” is not known here.*did you mean “because”"),
        ("links: []\nserver: no port\n", r"declared.yaml:2: .*does not match"),
    ],
)  # fmt: skip
def test_what_is_wrong_is_said_with_its_line(known: Engine, tmp_path: Path, text: str, message: str) -> None:
    before = content(known)
    with pytest.raises(SourceError, match=message):
        _declare(known, tmp_path, text)
    assert content(known) == before


@pytest.mark.parametrize(
    ("word", "message"),
    [
        ("core.faers", "nothing is known as “strait.core.faers”; the nearest names are strait.core.fares"),
        ("core.fares.fair", "strait.core.fares has no column “fair”; the nearest names are fare"),
    ],
)
def test_an_entry_that_names_what_nobody_knows_leaves_the_others(
    known: Engine, tmp_path: Path, word: str, message: str
) -> None:
    _declare(known, tmp_path, DECLARED)
    before = len(_links(known))
    _declare(known, tmp_path, DECLARED.replace("core.fares.fare\n", f"{word}\n", 1))
    assert 0 < len(_links(known)) < before
    with Context(known, "test") as context:
        notes = [note for source in overview.sources(context) for note in source.last_ingestion.notes]
    (told,) = [note for note in notes if note.code == "unusable_declaration"]
    assert told.message.startswith(message)
    assert told.place == "declared.yaml:4"


def test_a_file_of_which_nothing_can_be_used_is_refused(known: Engine, tmp_path: Path) -> None:
    text = "by: Ana\nserver: islands:5432\nlinks:\n  - {from: a.b, to: c.d, because: seen}\n"
    with pytest.raises(SourceError, match=r"declared.yaml:4: nothing is known as “a.b”"):
        _declare(known, tmp_path, text)
