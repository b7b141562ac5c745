"""The record of readings: what every text of the tests was read as, whole, when it was last looked at.

The other tests judge by meaning what the links are. This record says nothing about right or wrong; it shows that a
reading has *changed* - a place, a message, a step, a fingerprint, the normal form - so that a person judges it.
``python -m tools.readings`` prints the readings and takes new ones into the record.
"""

import hashlib
from pathlib import Path

from jalan import extract
from jalan.sql.dialects import DIALECTS, get_dialect
from jalan.sql.fingerprint import fingerprint, redact
from jalan.sql.grammar.script import Unread, parse
from jalan.sql.render.statements import STATEMENT_PRINTERS, normal_form
from tests.core.corpus import TABLES, cases, procedures

RECORD = Path(__file__).parents[1] / "corpus" / "readings.txt"
ACCEPTED = Path(__file__).parents[1] / "accepted"
VIEWS = Path(__file__).parents[1] / "oracle" / "views.sql"
_WRONG = 7  # of so many texts one is also read with a token left out


def texts() -> list[tuple[str, str]]:
    """Return (dialect, text) of all that is in the corpora and lists, each once."""
    found = [(dialect, case.sql) for dialect in DIALECTS for case in cases(dialect)]
    found += [(dialect, sql) for dialect, _, sql, _ in procedures()]
    for path in sorted(ACCEPTED.glob("*.sql")):
        found += [(path.stem, line.removesuffix(";")) for line in path.read_text().splitlines()]
    found += [("postgresql", text.strip()) for text in VIEWS.read_text().split("\n\n")]
    broken = [(dialect, sql[: len(sql) // 2] + " ) " + sql[len(sql) // 2 :]) for dialect, sql in found[::_WRONG]]
    return [pair for pair in dict.fromkeys(found + broken) if pair[1].strip()]


def reading(dialect: str, sql: str) -> str:
    """Return all that is read in a text, as text of many lines."""
    rules = get_dialect(dialect)
    lines = [f"{dialect}: {sql}"]
    lines += [f"link of unknown tables {link}" for link in extract(sql, dialect=dialect).links]
    found = extract(sql, dialect=dialect, tables=TABLES, detail=True)
    for statement in found.statements:
        lines.append(f"statement {statement.kind} {statement.span} {statement.target} {statement.reads}")
        lines.append(f"uses {sorted(statement.uses)}")
        lines += [f"output {output}" for output in statement.outputs]
        lines += [f"rows {source}" for source in statement.row_conditions]
    lines += [f"link {link}" for link in found.links]
    lines += [f"diagnostic {diagnostic}" for diagnostic in found.diagnostics]
    lines.append(f"intermediates {found.intermediates} files {found.files}")
    for node in parse(sql, rules):
        if isinstance(node, Unread):
            lines.append(f"unread {node}")
        elif type(node) in STATEMENT_PRINTERS:
            lines.append(f"printed {normal_form(node, sql, rules)}")
    lines.append(f"fingerprint {fingerprint(sql, dialect)} {redact(sql, dialect)}")
    return "\n".join(lines)


def row(dialect: str, sql: str) -> str:
    """Return the line of the record for a text: digests of the text and of its reading, and its beginning."""
    digests = [hashlib.sha256(x.encode()).hexdigest()[:10] for x in (f"{dialect}: {sql}", reading(dialect, sql))]
    return " ".join([*digests, dialect, " ".join(sql.split())[:60]])
