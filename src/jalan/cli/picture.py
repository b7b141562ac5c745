"""``jalan picture``: a road as a picture, without a browser."""

import sys
from pathlib import Path
from typing import Annotated

import typer

from jalan.cli.common import Store, context_of, explained, messages
from jalan.service.lineage.export import find_dataset
from jalan.service.lineage.picture import fields_named, lanes_picture, trail_picture


def picture_command(
    asset: Annotated[str, typer.Argument(help="A dataset or report, by its name.")],
    column: Annotated[
        list[str] | None, typer.Option(help="The trail of this column or element; may be repeated.")
    ] = None,
    upstream: Annotated[int, typer.Option(help="Hops upstream of it.", min=0, max=50)] = 2,
    downstream: Annotated[int, typer.Option(help="Hops downstream of it.", min=0, max=50)] = 2,
    conditions: Annotated[bool, typer.Option(help="Draw what only decides, too.")] = True,
    output: Annotated[Path | None, typer.Option("--output", "-o", help="File to write (default: stdout).")] = None,
    store: Store = None,
) -> None:
    """Draw the lanes around a dataset, or the trail of some of its columns, as SVG.

    Example: `jalan picture core.sailing_revenue -o road.svg`,
    `jalan picture core.sailing_revenue --column gross -o trail.svg`
    """
    with explained(), context_of(store) as context:
        dataset = find_dataset(context, asset)
        if column:
            found = trail_picture(context, fields_named(context, dataset, column), conditions)
        else:
            found = lanes_picture(context, dataset, upstream, downstream, conditions)
    if output is None:
        sys.stdout.write(found)
    else:
        output.write_text(found, encoding="utf-8")
        messages.print(f"wrote {len(found):,} characters to {output}", markup=False, highlight=False)
