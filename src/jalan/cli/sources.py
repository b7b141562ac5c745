"""``jalan source``: add, list, test, ingest, stop and remove what feeds Jalan."""

import sys
from pathlib import Path
from typing import Annotated, Any

import orjson
import typer
from rich.console import Console
from rich.table import Table
from ruamel.yaml import YAML
from ruamel.yaml.error import YAMLError

from jalan.cli.common import (
    Format,
    OutputFormat,
    Store,
    context_of,
    explained,
    fail,
    ingesting,
    messages,
    print_json,
    print_outcome,
)
from jalan.service.ingest import log, overview, sources
from jalan.service.ingest.preview import Preview
from jalan.service.ingest.registry import kinds, parse_config

source_app = typer.Typer(
    no_args_is_help=True, help="What feeds Jalan: add, test, ingest, stop, remove.", rich_markup_mode="markdown"
)

Name = Annotated[str, typer.Argument(help="Name of the source.")]
Config = Annotated[
    Path, typer.Argument(help="YAML or JSON with the configuration; see `jalan source kinds`.", exists=True)
]


def _read(path: Path) -> dict[str, Any]:
    text = path.read_text(encoding="utf-8")
    try:
        found = orjson.loads(text) if path.suffix == ".json" else YAML(typ="safe").load(text)
    except (YAMLError, orjson.JSONDecodeError) as error:
        raise fail(f"{path}: {error}") from error
    if not isinstance(found, dict):
        raise fail(f"{path}: expected keys with values")
    return found


@source_app.command("kinds")
def kinds_command(form: OutputFormat = Format.table) -> None:
    """List the kinds of sources; as JSON, with the schema of each configuration.

    Example: `jalan source kinds --format json`
    """
    if form is Format.json:
        print_json([kind.model_dump() for kind in kinds()])
        return
    table = Table(box=None, show_header=False)
    for kind in kinds():
        table.add_row(kind.kind, kind.about)
    Console().print(table)


@source_app.command("add")
def add_command(
    name: Name,
    config: Config,
    schedule: Annotated[str | None, typer.Option(help="Five fields as of cron, in UTC.")] = None,
    store: Store = None,
) -> None:
    """Add a source. Secrets are encrypted; write `env:JALAN_SOURCE_NAME` to take one from the environment.

    Example: `jalan source add warehouse warehouse.yaml --schedule "15 3 * * *"`
    """
    with explained(), context_of(store) as context:
        sources.add(context, name, _read(config), schedule=schedule)
    messages.print(f"added {name}", markup=False)


@source_app.command("test")
def try_command(config: Config, form: OutputFormat = Format.table) -> None:
    """Try a configuration: can it be reached, what may be read, what would an ingestion bring?

    Example: `jalan source test warehouse.yaml`
    """
    with explained():
        found = sources.preview(parse_config(_read(config)))
    if form is Format.json:
        print_json(found.model_dump())
    else:
        _print_preview(found)


def _print_preview(found: Preview) -> None:
    console = Console()
    for fact in found.facts:
        console.print(fact, markup=False)
    for part in found.parts:
        console.print(f"{part.count:>10,}  {part.what}", markup=False, highlight=False)
        for example in part.examples:
            console.print(f"            {example}", markup=False, highlight=False)
    for warning in found.warnings:
        messages.print(f"warning: {warning}", markup=False)


@source_app.command("list")
def list_command(store: Store = None, form: OutputFormat = Format.table) -> None:
    """List the sources, with their last ingestion and how much of their texts was read.

    Example: `jalan source list`
    """
    with explained(), context_of(store) as context:
        found = overview.sources(context)
    if form is Format.json:
        print_json([source.model_dump(mode="json") for source in found])
        return
    table = Table("source", "kind", "last ingestion", "state", "read in full", "schedule", box=None)
    for source in found:
        last = source.last_ingestion
        share = source.coverage.full_share
        table.add_row(
            source.name,
            source.kind,
            last.started_at.strftime("%Y-%m-%d %H:%M") if last else "never",
            last.state if last else "",
            "" if share is None else f"{share:.1%}",
            source.schedule or "",
        )
    Console().print(table)


@source_app.command("ingest")
def ingest_command(
    name: Name,
    store: Store = None,
    form: OutputFormat = Format.table,
) -> None:
    """Bring a source up to date. Ctrl-C stops it, and nothing is changed.

    Example: `jalan source ingest warehouse`
    """
    with ingesting(store) as (context, tell):
        outcome = sources.ingest(context, sources.find(context.session, name).id, listener=tell)
    print_outcome(outcome, form)


@source_app.command("stop")
def stop_command(name: Name, store: Store = None) -> None:
    """Stop the ingestion of a source, wherever it is done.

    Example: `jalan source stop warehouse`
    """
    with explained(), context_of(store) as context:
        source = sources.find(context.session, name)
        ongoing = overview.ongoing(context, source.id)
        stopped = [log.cancel(context, one) for one in ongoing]
    messages.print("asked for the end of the ingestion" if any(stopped) else "it is not being ingested")


@source_app.command("remove")
def remove_command(name: Name, store: Store = None) -> None:
    """Remove a source. What it brought stays, with its history.

    Example: `jalan source remove warehouse`
    """
    with explained(), context_of(store) as context:
        sources.remove(context, sources.find(context.session, name).id)
    messages.print(f"removed {name}", markup=False)


@source_app.command("unread")
def unread_command(name: Name, store: Store = None, form: OutputFormat = Format.table) -> None:
    """List what was not understood: place, reason, and the text without constants.

    Example: `jalan source unread history --format json`
    """
    with explained(), context_of(store) as context:
        found = overview.unread(context, sources.find(context.session, name).id, 0, 1000).items
    if form is Format.json:
        print_json([one.model_dump(mode="json") for one in found])
        return
    for one in found:
        sys.stdout.write(f"{one.place}:{one.line}: {one.level}: {one.message}\n    {one.text}\n")
