"""The documents say what the code does."""

import re
from pathlib import Path

import pytest
from tools.store_picture import drawn
from tools.try_pages import written

from jalan.lineage.hints import HINTS
from tests.conftest import ROOT

_CODES = re.compile(r'(?:report|Diagnostic)\(\s*"([a-z_]+)"|"(unterminated|too_deep|internal_error)"')


def test_every_diagnostic_is_listed() -> None:
    section = (ROOT / "docs" / "sql-support.md").read_text().partition("## Diagnostics")[2]
    listed = set(re.findall(r"^\| `(\w+)` \|", section, re.M))
    used = {"syntax_error"}
    for path in [*(ROOT / "src/jalan/lineage").rglob("*.py"), *(ROOT / "src/jalan/sql").rglob("*.py")]:
        used |= {code for pair in _CODES.findall(path.read_text()) for code in pair if code}
    assert len(used) > 12
    assert used == listed
    assert set(HINTS) == listed


def test_the_readmes_pictures_and_links_exist() -> None:
    text = (ROOT / "README.md").read_text()
    targets = re.findall(r"\]\(((?!http)[^)]+)\)", text)
    assert len(targets) > 10
    assert [target for target in targets if not (ROOT / target).exists()] == []


def test_the_picture_of_the_store_is_that_of_its_tables() -> None:
    assert (ROOT / "docs" / "store.md").read_text() == drawn(), "refresh it: python -m tools.store_picture"


@pytest.mark.parametrize(
    "page", [*sorted((ROOT / "docs").rglob("*.md")), ROOT / "CONTRIBUTING.md"], ids=lambda p: p.name
)
def test_the_links_of_a_page_lead_somewhere(page: Path) -> None:
    targets = re.findall(r"\]\(((?!http|#)[^)#]+)", page.read_text())
    assert [target for target in targets if not (page.parent / target).exists()] == []


def test_what_the_architecture_names_is_there() -> None:
    text = (ROOT / "docs" / "architecture.md").read_text()
    named = set(re.findall(r"`jalan\.([\w.]+)`", text))
    missing = []
    for name in named:
        place = ROOT / "src" / "jalan" / Path(*name.split("."))
        if not (place.is_dir() or place.with_suffix(".py").exists()):
            missing.append(name)
    assert len(named) > 12
    assert missing == []


@pytest.mark.parametrize("page", sorted((ROOT / "docs" / "contributing").glob("*.md")), ids=lambda p: p.stem)
def test_a_page_on_how_to_add_something_still_fits(page: Path) -> None:
    """Whether it works as well, ``python -m tools.try_pages`` tells, every night."""
    files = written(page)
    assert files
    for place, text in files.items():
        if place.endswith(".py"):
            compile(text, place, "exec")
