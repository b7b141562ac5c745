"""What all commands share: the store, formats, progress, and how they fail."""

import sys
from collections.abc import Iterator
from contextlib import contextmanager
from enum import Enum
from typing import Annotated, Any

import orjson
import typer
from rich.console import Console
from rich.progress import BarColumn, Progress, TextColumn
from rich.table import Table
from sqlalchemy import Engine

from jalan.service.errors import Conflict, Invalid, NotFound
from jalan.service.intake.runs import Cancelled, Outcome
from jalan.service.settings import Settings
from jalan.sources.errors import SourceError
from jalan.store.database import open_store

messages = Console(stderr=True)


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


def fail(message: str, code: int = 1) -> typer.Exit:
    """Print a message; returns what to raise."""
    messages.print(f"jalan: {message}", markup=False, highlight=False, soft_wrap=True)
    return typer.Exit(code)


@contextmanager
def explained() -> Iterator[None]:
    """What cannot be done ends the command with a message."""
    try:
        yield
    except (SourceError, Invalid, Conflict, NotFound) as error:
        raise fail(str(error)) from error
    except Cancelled as error:
        raise fail("stopped; nothing was changed", 130) from error


@contextmanager
def ingesting(store: str | None) -> Iterator[tuple[Engine, Any]]:
    """Open the store and show progress; what cannot be read ends the command with a message."""
    columns = (TextColumn("{task.description:14}"), BarColumn(), TextColumn("{task.completed}/{task.total}"))
    with explained(), Progress(*columns, console=messages, transient=True) as bar:
        tasks: dict[str, Any] = {}

        def tell(what: str, done: int, total: int) -> None:
            if what not in tasks:
                tasks[what] = bar.add_task(what, total=total or None)
            bar.update(tasks[what], completed=done)

        yield open_store(store_url(store)), tell


def print_json(value: Any) -> None:
    """Print a value as JSON."""
    sys.stdout.write(orjson.dumps(value, option=orjson.OPT_INDENT_2).decode() + "\n")


def print_outcome(outcome: Outcome, form: Format) -> None:
    """Print what a run did."""
    if form is Format.json:
        print_json({"subject": outcome.subject, "found": outcome.totals, "changed": outcome.counts})
        return
    table = Table(title=outcome.subject, show_header=False, box=None, title_justify="left")
    for name, count in outcome.totals.items():
        table.add_row("found", name, f"{count:,}")
    for name, count in outcome.counts.items():
        table.add_row("changed", name, f"{count:,}")
    if not outcome.counts:
        table.add_row("changed", "nothing", "")
    Console().print(table)
