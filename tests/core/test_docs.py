"""The documents say what the code does."""

import re

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
