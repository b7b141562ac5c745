"""What all commands share: the store, formats, progress, and how they fail."""

import sys
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import asdict
from enum import Enum
from typing import Annotated, Any

import orjson
import typer
from rich.console import Console
from rich.progress import BarColumn, Progress, TextColumn
from rich.table import Table
from sqlalchemy import Engine
from sqlalchemy.exc import ArgumentError, NoSuchModuleError

from jalan.service.context import Context
from jalan.service.ingest.log import Cancelled, Outcome
from jalan.service.refusals import FORESEEN, refusal
from jalan.service.settings import Settings
from jalan.store.database import open_store

messages = Console(stderr=True)
_NOTES_SHOWN = 20


class Format(str, Enum):
    """How data is printed."""

    json = "json"
    table = "table"


Store = Annotated[
    str | None,
    typer.Option("--store", metavar="URL", help="Address of the store (default: JALAN_STORE)."),
]
OutputFormat = Annotated[Format, typer.Option("--format", help="How the result is printed.")]


def store_url(url: str | None) -> str:
    """Return the address of the store."""
    return url or Settings().store


def engine_of(url: str | None) -> Engine:
    """Return an engine on the store; nothing is connected yet."""
    try:
        return open_store(store_url(url))
    except (ArgumentError, NoSuchModuleError, ValueError) as error:
        raise fail(
            "this is no address of a store; expected postgresql+psycopg://user@host:port/database", 2
        ) from error


@contextmanager
def context_of(url: str | None) -> Iterator[Context]:
    """Give what use-cases are given: the store, and that the command line asks. Its connections end with it."""
    engine = engine_of(url)
    try:
        with Context(engine, "command line") as context:
            yield context
    finally:
        engine.dispose()


def fail(message: str, code: int = 1) -> typer.Exit:
    """Print a message; returns what to raise."""
    messages.print(f"jalan: {message}", markup=False, highlight=False, soft_wrap=True)
    return typer.Exit(code)


@contextmanager
def explained() -> Iterator[None]:
    """What cannot be done ends the command with a message."""
    try:
        yield
    except Cancelled as error:
        raise fail("stopped; nothing was changed", 130) from error
    except FORESEEN as error:
        raise fail(refusal(error)) from error


@contextmanager
def ingesting(store: str | None) -> Iterator[tuple[Context, Any]]:
    """Open the store and show progress; what cannot be read ends the command with a message."""
    columns = (TextColumn("{task.description:14}"), BarColumn(), TextColumn("{task.completed}/{task.total}"))
    with explained(), Progress(*columns, console=messages, transient=True) as bar:
        tasks: dict[str, Any] = {}

        def tell(what: str, done: int, total: int) -> None:
            if what not in tasks:
                tasks[what] = bar.add_task(what, total=total or None)
            bar.update(tasks[what], completed=done)

        with context_of(store) as context:
            yield context, tell


def print_json(value: Any) -> None:
    """Print a value as JSON."""
    sys.stdout.write(orjson.dumps(value, option=orjson.OPT_INDENT_2).decode() + "\n")


def print_outcome(outcome: Outcome, form: Format) -> None:
    """Print what an ingestion did, and what it could not read."""
    for note in outcome.notes[:_NOTES_SHOWN]:
        place = f"{note.place}: " if note.place else ""
        messages.print(f"{note.level}: {place}{note.message}", markup=False, highlight=False, soft_wrap=True)
    if len(outcome.notes) > _NOTES_SHOWN:
        messages.print(f"… and {len(outcome.notes) - _NOTES_SHOWN} more; the Sources screen has them", markup=False)
    if form is Format.json:
        notes = [asdict(note) for note in outcome.notes]
        print_json({"subject": outcome.subject, "found": outcome.totals, "changed": outcome.counts, "notes": notes})
        return
    table = Table(title=outcome.subject, show_header=False, box=None, title_justify="left")
    for name, count in outcome.totals.items():
        table.add_row("found", name, f"{count:,}")
    for name, count in outcome.counts.items():
        table.add_row("changed", name, f"{count:,}")
    if not outcome.counts:
        table.add_row("changed", "nothing", "")
    Console().print(table)
