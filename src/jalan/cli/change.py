"""``jalan change``: what breaks if this is changed."""

import sys
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from enum import Enum
from pathlib import Path
from textwrap import indent
from typing import Annotated
from urllib.parse import quote

import orjson
import typer

from jalan.change.outcome import Kind
from jalan.cli.common import Store, context_of, explained, messages
from jalan.service.change.answers import ChangeOutcome, PlanRoute
from jalan.service.change.files import read_database, write_database
from jalan.service.change.folders import folder_edits
from jalan.service.change.planned import plan_in
from jalan.service.change.proposed import ProposedChange
from jalan.service.change.simulate import simulate_in
from jalan.service.change.world import DatabaseWorld, world_of
from jalan.service.context import Context
from jalan.service.streams import header, written
from jalan.sources.folder import SUFFIXES, Folder, read_folder, read_tree
from jalan.sources.git import Repository

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
    late: Annotated[
        list[str] | None, typer.Option(help="A text that is run after all others; may be repeated.")
    ] = None,
    delivers: Annotated[
        list[str] | None,
        typer.Option(help="A relation that gets other rows from outside, or its column other values; repeatable."),
    ] = None,
    edit: Annotated[
        list[str] | None,
        typer.Option(help="PLACE=FILE: a text that is otherwise, as the file has it; may be repeated."),
    ] = None,
    folder: Annotated[
        Path | None, typer.Option(help="A folder as it would be: what it has otherwise than what was read of it.")
    ] = None,
    revision: Annotated[
        str | None,
        typer.Option(help="A branch, tag or commit of that folder's repository, instead of its files."),
    ] = None,
    database: Annotated[str | None, typer.Option(help="The database that is changed.")] = None,
    dialect: Annotated[
        str | None, typer.Option(help="What the SQL is written in (default: what most texts are).")
    ] = None,
    planned: Annotated[
        bool, typer.Option("--plan", help="Say how it is carried out step by step, and taken back.")
    ] = False,
    write: Annotated[
        Path | None,
        typer.Option(help="Write the database with all that is run over it to a file, for --graph; nothing else."),
    ] = None,
    graph: Annotated[
        Path | None, typer.Option(help="Ask such a file instead of a store; no server is needed.")
    ] = None,
    store: Store = None,
    form: Annotated[Form, typer.Option("--format", help="How the outcome is printed.")] = Form.text,
) -> None:
    """Say what a change would break, without making it.

    Ends with 0 where nothing breaks, goes or becomes stale, with 1 where something does or the database would
    refuse the change, with 2 where the command is used wrongly.

    Examples: `jalan change "alter table tidy.tickets drop column fare" --format json`,
    `jalan change --stop pipelines/tidy/tickets.sql`,
    `jalan change --edit pipelines/tidy/tickets.sql=/tmp/tickets.sql`,
    `jalan change --folder . --revision cheaper-fares`,
    `jalan change --delivers ticketing.public.tickets.fare_cents`,
    `jalan change --plan "alter table ticketing.public.tickets rename column fare_cents to price"`,
    `jalan change --write strait.json`,
    `jalan change --graph strait.json "drop table core.ticket_facts"`
    """
    text = sys.stdin.read() if sql == "-" else sql
    if write is not None:
        _write(write, store, database, [text, stop, edit, folder, late, delivers, graph, planned])
        return
    if not (text.strip() or stop or edit or folder or late or delivers):
        raise typer.BadParameter("write a change as SQL, or name what is to --stop or --edit, or a --folder")
    if revision is not None and folder is None:
        raise typer.BadParameter("--revision is of a --folder")
    stopped, edits = list(stop or []), dict(map(_edit, edit or []))
    if planned:
        if not text.strip() or stop or edit or folder or late or delivers:
            raise typer.BadParameter("--plan is of a change that is written as SQL, and of nothing else")
        with explained(), _asked(graph, store, database) as (_, here):
            _plan(plan_in(here, text), form)
        return
    if graph is not None and folder is not None:
        raise typer.BadParameter("--folder is held against what a store has read of it; name --edit with --graph")
    with explained(), _asked(graph, store, database) as (context, here):
        if folder is not None and context is not None:
            others = folder_edits(context, database, _folder(folder, revision))
            stopped += others.stopped
            edits |= others.edits
            for one in others.left_out:
                messages.print(f"not looked at: {one}", markup=False, highlight=False)
        asked = ProposedChange(text, database, stopped, edits, late or [], delivers or [], dialect)
        found = simulate_in(here, asked, context, may_be_none=folder is not None)
    {Form.text: _text, Form.json: _json, Form.csv: _csv}[form](found)
    if found.refused is not None or any(one.kind != Kind.SHAPE for one in found.consequences):
        raise typer.Exit(1)


@contextmanager
def _asked(
    graph: Path | None, store: str | None, database: str | None
) -> Iterator[tuple[Context | None, DatabaseWorld]]:
    """The world that is asked: as the store has it, or as a file holds it, and then there is no store."""
    if graph is None:
        with context_of(store) as context:
            yield context, world_of(context, database)
        return
    here = read_database(graph)
    if database not in (None, here.database):
        raise typer.BadParameter(f"--database {database}: {graph} holds {here.database}")
    yield None, here


def _write(file: Path, store: str | None, database: str | None, others: Sequence[object]) -> None:
    if any(others):
        raise typer.BadParameter(
            "--write writes the database as it is, and takes nothing but --database and --store"
        )
    with explained(), context_of(store) as context:
        held = write_database(context, database)
    file.write_bytes(held)
    messages.print(f"wrote {len(held):,} bytes to {file}", markup=False, highlight=False)


def _edit(given: str) -> tuple[str, str]:
    place, equals, file = given.partition("=")
    if not equals:
        raise typer.BadParameter(f"--edit {given}: write PLACE=FILE")
    try:
        return place, Path(file).read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        raise typer.BadParameter(f"--edit {given}: the file cannot be read ({error})") from error


def _folder(path: Path, revision: str | None) -> Folder:
    """The folder as it lies there, or at a revision of its repository."""
    if revision is None:
        return read_folder(path)
    place = path.resolve()
    top = next((one for one in (place, *place.parents) if (one / ".git").exists()), place)
    repository = Repository(f"file://{quote(str(top))}")
    below = "" if place == top else place.relative_to(top).as_posix()
    return read_tree(repository.tree(repository.resolve(revision), below, SUFFIXES), f"{path} at {revision}")


def _plan(routes: list[PlanRoute], form: Form) -> None:
    if form is Form.csv:
        raise typer.BadParameter("--plan is printed as text or json")
    if form is Form.json:
        found = orjson.dumps([one.model_dump() for one in routes], option=orjson.OPT_INDENT_2)
        sys.stdout.write(found.decode() + "\n")
        return
    if not routes:
        messages.print("there is no way to carry it out that is known")
        raise typer.Exit(1)
    for route in routes:
        sys.stdout.write(f"== {route.name}: {route.why}\n")
        for number, step in enumerate(route.steps, 1):
            sys.stdout.write(f"{number}. {step.title}{', in the same moment' if step.with_last else ''}\n")
            for what, places in (("change before", step.before), ("change with it", step.together)):
                sys.stdout.writelines(f"   {what}: {place}\n" for place in places)
            for what, sql in ((f"run in {step.database}", step.sql), ("undo", step.undo)):
                if sql:
                    sys.stdout.write(f"   {what}:\n" + indent(sql + ";", "       ") + "\n")
            if step.note:
                sys.stdout.write(f"   {step.note}\n")


def _json(found: ChangeOutcome) -> None:
    sys.stdout.write(found.model_dump_json(indent=2) + "\n")


def _csv(found: ChangeOutcome) -> None:
    rows = ([getattr(one, name) or "" for name in _COLUMNS] for one in found.consequences)
    sys.stdout.write((header(_COLUMNS, "csv") + written(_COLUMNS, rows, "csv")).decode())


def _text(found: ChangeOutcome) -> None:
    if found.refused is not None:
        sys.stdout.write(f"refused: {found.refused}\n")
        return
    for what, places in (
        ("edited", found.edited),
        ("added", found.added),
        ("does not run", found.stopped),
        ("runs late", found.late),
    ):
        sys.stdout.writelines(f"{what}: {place}\n" for place in places)
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
