"""Received events as files: written out as they came, and taken in as if they had just been received."""

import sys
from contextlib import nullcontext
from pathlib import Path
from typing import Annotated

import typer
from sqlalchemy import Engine

from jalan.cli.common import Store, engine_of, explained, messages
from jalan.runs.events import BadEvent
from jalan.service.runs.intake import Received, one_event
from jalan.service.runs.worker import work_through
from jalan.store.database import check_version
from jalan.store.repositories import events, runs

_AT_ONCE = 1_000


def export_events_command(
    output: Annotated[Path | None, typer.Option("--output", "-o", help="A file (default: print).")] = None,
    store: Store = None,
) -> None:
    """Write all received events, one a line, as they came (breaks of lines within one are spaces).

    Example: `jalan export-events -o events.jsonl`
    """
    with explained():
        engine = engine_of(store)
        check_version(engine)
        count = 0
        with output.open("wb") if output else nullcontext(sys.stdout.buffer) as file:
            for raw in events.every_text(engine):
                # Between the parts of JSON a space is as good as a new line, and within them there is none.
                file.write(raw.replace("\r", " ").replace("\n", " ").encode() + b"\n")
                count += 1
    messages.print(f"{count} events were written")


def receive_events_command(
    file: Annotated[Path, typer.Argument(help="Events, one a line; - reads them from standard input.")],
    store: Store = None,
) -> None:
    """Take in events as if they had just been received: each once, whatever the store has of them already.

    Example: `jalan receive-events events.jsonl`
    """
    refused = count = 0
    with explained():
        engine = engine_of(store)
        check_version(engine)
        with nullcontext(sys.stdin.buffer) if str(file) == "-" else file.open("rb") as lines:
            batch = []
            for number, line in enumerate(lines, 1):
                if not line.strip():
                    continue
                try:
                    batch.append(one_event(line.strip()))
                except BadEvent as error:
                    refused += 1
                    messages.print(f"line {number}: {error}", markup=False, highlight=False)
                if len(batch) == _AT_ONCE:
                    count += _write(engine, batch)
                    batch = []
            count += _write(engine, batch)
        work_through(engine)
    messages.print(f"{count} events were taken in, {refused} refused")
    if refused:
        raise typer.Exit(1)


def replay_events_command(store: Store = None) -> None:
    """Take all received events into their runs once more, from the texts that were kept.

    What they add up to stays the same; of use after an update that understands more of them.

    Example: `jalan replay-events`
    """
    with explained():
        engine = engine_of(store)
        check_version(engine)
        with engine.begin() as connection:
            count = runs.begin_again(connection)
        work_through(engine)
    messages.print(f"{count} events were taken in again")


def _write(engine: Engine, batch: list[Received]) -> int:
    if batch:
        with engine.begin() as connection:
            events.write(connection, batch)
    return len(batch)
