"""``jalan order``: what must run for a dataset."""

import sys
from typing import Annotated

import typer

from jalan.cli.common import Format, OutputFormat, Store, context_of, explained, messages
from jalan.service.catalog.find import find
from jalan.service.errors import NotFound
from jalan.service.runs.jobs import order_for


def order_command(
    asset: Annotated[str, typer.Argument(help="A dataset or report, by its name.")],
    store: Store = None,
    form: OutputFormat = Format.table,
) -> None:
    """Print the jobs that must run for a dataset, in an order that respects what each needs.

    Example: `jalan order mart.route_month --format json`
    """
    with explained(), context_of(store) as context:
        found = [one for one in find(context, asset, 10) if one.kind in ("dataset", "report")]
        exact = [one for one in found if asset in (one.title, one.title.split(".")[-1])]
        if not found:
            raise NotFound(f"nothing is known as “{asset}”")
        order = order_for(context, (exact or found)[0].dataset)
    if form == Format.json:
        sys.stdout.write(order.model_dump_json(indent=2) + "\n")
        return
    for place, step in enumerate(order.steps, 1):
        after = f"  after {', '.join(str(n + 1) for n in step.after)}" if step.after else ""
        last = f"  last {step.last_state} {step.last_at:%Y-%m-%d %H:%M}" if step.last_at else "  never seen to run"
        sys.stdout.write(f"{place:4}  {step.job.name}{last}{after}\n")
    for circle in order.circles:
        messages.print(f"these need one another: {', '.join(order.steps[n].job.name for n in circle)}")
    if not order.steps:
        messages.print(f"no job is known that writes anything that {order.name} is made of")
