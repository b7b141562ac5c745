"""``jalan closure``: everything that everything depends on, as one flat table."""

import sys
from enum import Enum
from pathlib import Path
from typing import Annotated

import typer

from jalan.cli.common import Store, context_of, explained, fail, messages
from jalan.service.lineage.closure import closure_parquet, closure_stream


class Table(str, Enum):
    """How the table is written."""

    csv = "csv"
    ndjson = "ndjson"
    parquet = "parquet"


def closure_command(
    form: Annotated[Table, typer.Option("--format", help="How the table is written.")] = Table.csv,
    output: Annotated[Path | None, typer.Option("--output", "-o", help="File to write (default: stdout).")] = None,
    depth: Annotated[int | None, typer.Option(help="At most so many hops.", min=1)] = None,
    conditions: Annotated[bool, typer.Option(help="Count what only decides about rows, too.")] = True,
    store: Store = None,
) -> None:
    """Write for each dataset all that it depends on: with the hops, the job that takes the first, and the way.

    Example: `jalan closure --format parquet -o closure.parquet`, `jalan closure --depth 1`
    """
    if form is Table.parquet and output is None:
        raise typer.BadParameter("name a file with -o: Parquet is not written to a terminal")
    with explained(), context_of(store) as context:
        if form is Table.parquet and output is not None:
            try:
                count = closure_parquet(context, output, conditions, depth)
            except ImportError as error:
                raise fail("to write Parquet, install jalan[files]") from error
            messages.print(f"wrote {count:,} rows to {output}", markup=False, highlight=False)
            return
        pieces = closure_stream(context, "csv" if form is Table.csv else "ndjson", conditions, depth)
        if output is None:
            for piece in pieces:
                sys.stdout.buffer.write(piece)
            return
        with output.open("wb") as file:
            size = sum(file.write(piece) for piece in pieces)
        messages.print(f"wrote {size:,} bytes to {output}", markup=False, highlight=False)
