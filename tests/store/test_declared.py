"""Links and consumers that people declare."""

from pathlib import Path

import pytest
from sqlalchemy import Engine, select
from sqlalchemy.orm import Session

from jalan.service.intake import sources
from jalan.service.intake.registry import parse_config
from jalan.sources.errors import SourceError
from jalan.store.models import Dataset, Definition, Field, Link
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
    sources.run(store, sources.ensure(store, "sql", config, "test"), who="test", config=config)
    return store


def _declare(store: Engine, tmp_path: Path, text: str) -> sources.Outcome:
    (tmp_path / "declared.yaml").write_text(text)
    config = parse_config({"kind": "declared", "location": str(tmp_path / "declared.yaml")})
    return sources.run(store, sources.ensure(store, "declared", config, "test"), who="test", config=config)


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
        ("fare", "Morning sheet.strait.core.fares.fare", "value"),
        ("fare", "ledger.xlsx.paid", "value"),
        ("port", "Morning sheet.strait.core.fares.port", "value"),
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
    sources.run(known, sources.ensure(known, "sql", config, "test"), who="test", config=config)
    assert len(_links(known)) == 4
    (tmp_path / "sql" / "declared.yaml").unlink()
    sources.run(known, sources.ensure(known, "sql", config, "test"), who="test", config=config)
    assert _links(known) == []


@pytest.mark.parametrize(
    ("text", "message"),
    [
        (DECLARED.replace("core.fares.fare\n", "core.faers\n", 1),
         r"declared.yaml:4: nothing is known as “strait.core.faers”; the nearest names are strait.core.fares"),
        (DECLARED.replace("core.fares.fare\n", "core.fares.fair\n", 1),
         r"declared.yaml:4: strait.core.fares has no column “fair”; the nearest names are fare"),
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
