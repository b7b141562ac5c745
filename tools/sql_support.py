"""Make the table feature × dialect of docs/sql-support.md out of the corpora.

    python -m tools.sql_support

A mark stands where the dialect's corpus has a case of that feature; the tests run every case.
"""

from pathlib import Path

from tests.core.corpus import cases

from jalan.sql.dialects import DIALECTS

DOCUMENT = Path(__file__).parents[1] / "docs" / "sql-support.md"
START, END = "<!-- made from the corpora: start -->", "<!-- made from the corpora: end -->"


def table() -> str:
    """Return the table as Markdown."""
    features = {dialect: [case.feature for case in cases(dialect)] for dialect in DIALECTS}
    names = sorted({feature for found in features.values() for feature in found})
    lines = ["| feature | " + " | ".join(DIALECTS) + " |", "|---" * (len(DIALECTS) + 1) + "|"]
    for name in names:
        marks = ["●" if name in features[dialect] else "" for dialect in DIALECTS]
        lines.append(f"| {name.replace('-', ' ')} | " + " | ".join(marks) + " |")
    counts = [str(len(features[dialect])) for dialect in DIALECTS]
    lines.append("| **cases** | " + " | ".join(counts) + " |")
    return "\n".join(lines)


def main() -> None:
    """Put the table into the document."""
    text = DOCUMENT.read_text()
    before, _, rest = text.partition(START)
    _, _, after = rest.partition(END)
    DOCUMENT.write_text(f"{before}{START}\n{table()}\n{END}{after}")


if __name__ == "__main__":
    main()
