"""Writes the graph as one table of links, for spreadsheets and data frames."""

import csv
import io
from collections.abc import Iterator

from jalan.formats.graph import GraphRecord

COLUMNS = (
    "source_namespace",
    "source_dataset",
    "source_column",
    "target_namespace",
    "target_dataset",
    "target_column",
    "kind",
    "how",
    "origin",
    "possible",
    "path",
    "expression",
    "job",
    "place",
    "line",
    "revision",
)
_FORMULA = ("=", "+", "-", "@", "\t", "\r")


def link_rows(graph: GraphRecord) -> Iterator[tuple[str, ...]]:
    """Yield one row a link. target_column is empty where the source decides which rows the target has."""
    for definition in graph.definitions:
        for link in definition.links:
            start = link.spans[0][0] if link.spans else 0
            line = definition.first_line + definition.text.count("\n", 0, start)
            expression = "" if link.expression is None else definition.text[slice(*link.expression)]
            yield (
                *link.source,
                *link.target[:2],
                link.target[2] or "",
                link.kind,
                link.how,
                link.origin,
                "yes" if link.possible else "no",
                link.path,
                " ".join(expression.split()),
                definition.job or "",
                definition.place,
                str(line),
                definition.revision or "",
            )


def link_csv(graph: GraphRecord) -> str:
    """Return the table as CSV. What a spreadsheet would take for a formula gets an apostrophe before it."""
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    writer.writerow(COLUMNS)
    for row in link_rows(graph):
        writer.writerow(f"'{value}" if value.startswith(_FORMULA) else value for value in row)
    return out.getvalue()
