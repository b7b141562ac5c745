"""The corpora: for each dialect statements of our own with the links that they must have.

A file ``tests/corpus/<dialect>.sql`` is a row of cases with an empty line between them::

    ## feature
    the SQL
    =: kinds of the statements
    => target.output: sources

One ``=>`` line an output, ``(rows)`` for what decides about rows. A source is ``table.column``, with ``~``
before it where the value is computed and ``+`` where it is aggregated, ``/filter`` behind it where it is a
condition, ``{path}`` for a part of it, and ``?`` before it where it is only possible. ``=!`` lists diagnostics
that must come.
"""

from dataclasses import dataclass
from pathlib import Path

from jalan import Extraction, extract
from jalan.lineage.model import Link

CORPUS = Path(__file__).parents[1] / "corpus"
TABLES = {
    "sailings": ["sailing_id", "port", "departs_at", "vessel_id", "berths", "delayed"],
    "tickets": ["ticket_id", "sailing_id", "fare", "sold_at", "passenger", "paid"],
    "refunds": ["refund_id", "ticket_id", "amount", "reason", "at"],
    "ports": ["port", "name", "island", "tide_offset"],
    "tides": ["port", "at", "height"],
    "crew": ["crew_id", "name", "role", "port", "boss_id"],
    "bookings": ["booking_id", "details", "legs"],
    "quoted": ["port", "Port"],
}
_SIGNS = {"identity": "", "transformation": "~", "aggregation": "+"}


@dataclass(frozen=True)
class Case:
    """One case of a corpus; ``line`` is where it stands in its file."""

    dialect: str
    feature: str
    sql: str
    expected: list[str]
    line: int


def cases(dialect: str) -> list[Case]:
    """Read the corpus of a dialect."""
    found = []
    line = 1
    for block in (CORPUS / f"{dialect}.sql").read_text().split("\n\n## "):
        feature, _, rest = block.removeprefix("## ").partition("\n")
        lines = rest.strip("\n").split("\n")
        sql = "\n".join(x for x in lines if not x.startswith(("=:", "=>", "=!")))
        found.append(Case(dialect, feature, sql, [x for x in lines if x.startswith(("=:", "=>", "=!"))], line))
        line += block.count("\n") + 2
    return found


def procedures() -> list[tuple[str, str, str, list[str]]]:
    """Return (dialect, title, SQL, expected) of the cases of procedures."""
    found = []
    for block in (CORPUS / "procedures.txt").read_text().split("\n\n## "):
        heading, _, rest = block.removeprefix("## ").partition("\n")
        dialect, _, title = heading.partition(": ")
        lines = rest.strip("\n").split("\n")
        sql = "\n".join(line for line in lines if not line.startswith("=") or line[1:2] not in ":>!")
        found.append((dialect, title, sql, [line for line in lines if line[:2] in ("=:", "=>", "=!")]))
    return found


def read(case: Case) -> Extraction:
    """Extract a case with the tables of the corpora."""
    return extract(case.sql, dialect=case.dialect, tables=TABLES)


def rendered(extraction: Extraction) -> list[str]:
    """Return what was extracted in the notation of the corpora."""
    lines = ["=: " + ", ".join(statement.kind for statement in extraction.statements)]
    codes = sorted({d.code for d in extraction.diagnostics if d.level != "info"})
    if codes:
        lines.append("=! " + ", ".join(codes))
    ends: dict[str, list[str]] = {}
    for link in extraction.links:
        end = f"{link.target}." if link.target else ""
        ends.setdefault(end + ("(rows)" if link.output is None else link.output or "(unnamed)"), []).append(
            _source(link)
        )
    return lines + [f"=> {end}: {', '.join(dict.fromkeys(sources))}" for end, sources in ends.items()]


def _source(link: Link) -> str:
    path = f"{{{link.path}}}" if link.path else ""
    sign = "?" if link.possible else ""
    if link.kind == "value":
        return f"{sign}{_SIGNS[link.how]}{link.table}.{link.column}{path}"
    return f"{sign}{link.table}.{link.column}{path}/{link.how}"
