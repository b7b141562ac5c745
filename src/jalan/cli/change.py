"""``jalan change``: what breaks if this is changed."""

import sys
from enum import Enum
from typing import Annotated

import typer

from jalan.change.simulation import Kind
from jalan.cli.common import Store, context_of, explained, messages
from jalan.service.change.answers import ChangeOutcome
from jalan.service.change.simulate import simulate
from jalan.service.streams import header, written

_COLUMNS = ("kind", "subject", "what", "reason", "because", "owner")


class Form(str, Enum):
    """How the outcome is printed."""

    text = "text"
    json = "json"
    csv = "csv"


def change_command(
    sql: Annotated[str, typer.Argument(help="The change as SQL; - reads it from standard input.")] = "",
    stop: Annotated[
        list[str] | None, typer.Option(help="A text that is not run any more; may be repeated.")
    ] = None,
    database: Annotated[str | None, typer.Option(help="The database that is changed.")] = None,
    store: Store = None,
    form: Annotated[Form, typer.Option("--format", help="How the outcome is printed.")] = Form.text,
) -> None:
    """Say what a change would break, without making it.

    Ends with 0 where nothing breaks, goes or becomes stale, with 1 where something does or the database would
    refuse the change, with 2 where the command is used wrongly.

    Examples: `jalan change "alter table tidy.tickets drop column fare" --format json`,
    `jalan change --stop pipelines/tidy/tickets.sql`
    """
    text = sys.stdin.read() if sql == "-" else sql
    if not text.strip() and not stop:
        raise typer.BadParameter("write what is to be changed as SQL, or name what is to --stop")
    with explained(), context_of(store) as context:
        found = simulate(context, text, database, stop or [])
    {Form.text: _text, Form.json: _json, Form.csv: _csv}[form](found)
    if found.refused is not None or any(one.kind != Kind.SHAPE for one in found.consequences):
        raise typer.Exit(1)


def _json(found: ChangeOutcome) -> None:
    sys.stdout.write(found.model_dump_json(indent=2) + "\n")


def _csv(found: ChangeOutcome) -> None:
    rows = ([getattr(one, name) or "" for name in _COLUMNS] for one in found.consequences)
    sys.stdout.write((header(_COLUMNS, "csv") + written(_COLUMNS, rows, "csv")).decode())


def _text(found: ChangeOutcome) -> None:
    if found.refused is not None:
        sys.stdout.write(f"refused: {found.refused}\n")
        return
    for edit in found.edits:
        sys.stdout.write(f"{edit.subject}: {edit.sentence}\n")
        for column in edit.columns:
            if column.before or column.after:
                sys.stdout.write(f"    {column.name} {column.kind}: {column.before} → {column.after}\n")
        for row in edit.rows:
            sys.stdout.writelines(f"    {row.part} came: {text}\n" for text in row.came)
            sys.stdout.writelines(f"    {row.part} went: {text}\n" for text in row.went)
    width = max((len(one.subject) for one in found.consequences), default=0)
    for one in found.consequences:
        which = f" ({', '.join(one.columns)})" if one.columns else ""
        sys.stdout.write(f"{one.kind:17}  {one.subject:{width}}  {one.reason}{which}\n")
    said = ", ".join(f"{count} {kind}" for kind, count in found.counts.items()) or "nothing breaks"
    messages.print(
        f"{said}; {len(found.untouched)} of {found.reachable} that lie downstream are untouched", highlight=False
    )
