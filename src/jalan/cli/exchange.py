"""Commands that give the graph away and take it in: export, import, digests of histories, aliases."""

import sys
from pathlib import Path
from typing import Annotated

import typer

from jalan.cli.common import Format, OutputFormat, Store, context_of, explained, ingesting, messages, print_outcome
from jalan.formats.registry import FORMATS
from jalan.service.ingest import identity, sources
from jalan.service.ingest.configuration import EventsConfig, HistoryConfig
from jalan.service.ingest.kinds.history import digest_files
from jalan.service.ingest.registry import parse_config
from jalan.service.lineage.export import export, find_dataset
from jalan.sources.allowed import EVERYTHING


def _is_format(name: str) -> str:
    if name not in FORMATS:
        raise typer.BadParameter(f"there is no format “{name}”; there are: {', '.join(FORMATS)}")
    return name


def export_command(
    form: Annotated[
        str, typer.Option("--format", help=f"What to write: {', '.join(FORMATS)}.", callback=_is_format)
    ] = "openlineage",
    around: Annotated[str | None, typer.Option(help="Only the part around this dataset (schema.table).")] = None,
    upstream: Annotated[int, typer.Option(help="Hops upstream of it.", min=0)] = 50,
    downstream: Annotated[int, typer.Option(help="Hops downstream of it.", min=0)] = 50,
    output: Annotated[Path | None, typer.Option("--output", "-o", help="File to write (default: stdout).")] = None,
    store: Store = None,
) -> None:
    """Write the graph, or the part around a dataset, in an open format.

    Example: `jalan export --format mermaid --around mart.loyalty`
    """
    with explained(), context_of(store) as context:
        dataset = None if around is None else find_dataset(context, around)
        found = export(context, FORMATS[form], around=dataset, upstream=upstream, downstream=downstream)
    if output is None:
        sys.stdout.buffer.write(found)
    else:
        output.write_bytes(found)
        messages.print(f"wrote {len(found):,} bytes to {output}", markup=False)


def import_command(
    file: Annotated[Path, typer.Argument(help="OpenLineage events, one a line or as an array.", exists=True)],
    name: Annotated[str | None, typer.Option(help="Name of the source (default: that of the file).")] = None,
    store: Store = None,
    form: OutputFormat = Format.table,
) -> None:
    """Read OpenLineage events from a file, such as `jalan export` writes.

    Example: `jalan import graph.jsonl`
    """
    with ingesting(store) as (context, tell):
        config = EventsConfig(file=str(file))
        source_id = sources.ensure(context, name or file.stem, config)
        outcome = sources.ingest(context, source_id, config=config, listener=tell, allowed=EVERYTHING)
    print_outcome(outcome, form)


def digest_history_command(
    files: Annotated[list[Path], typer.Argument(help="Logs or tables of queries.", exists=True)],
    output: Annotated[Path, typer.Option("--output", "-o", help="The digest to write.")] = Path("digest.jsonl"),
    kind: Annotated[str, typer.Option("--kind", help="jsonlog, csvlog, csv, jsonl or parquet.")] = "jsonlog",
    database: Annotated[str, typer.Option(help="The database, where the history does not say.")] = "",
    dialect: Annotated[str, typer.Option(help="Dialect of the queries.")] = "postgresql",
    zone: Annotated[str, typer.Option(help="Where times that do not say it were written.")] = "UTC",
    mapping: Annotated[
        list[str] | None,
        typer.Option("--map", metavar="WHAT=COLUMN", help="For tables: text=query, time=started_at, … Repeatable."),
    ] = None,
    begin: Annotated[int, typer.Option("--from", help="Where to begin, in bytes, for a file that has grown.")] = 0,
    workers: Annotated[int, typer.Option(help="Processes that read.", min=1, max=64)] = 2,
) -> None:
    """Make a digest of a query history that can be sent on: no constants of queries are in it.

    Example: `jalan digest-history /var/log/postgresql/*.json -o digest.jsonl`
    """
    with explained():
        pairs = dict(pair.partition("=")[::2] for pair in mapping or [])
        config = parse_config(
            {
                "kind": "history",
                "format": kind,
                "files": "*",
                "server": "digest:1",
                "database": database or None,
                "dialect": dialect,
                "mapping": pairs or None,
                "time_zone": zone,
            }
        )
        assert isinstance(config, HistoryConfig)
        entries, queries = digest_files(files, output, config, begin, workers)
    messages.print(f"{entries:,} entries, {queries:,} different queries → {output}", markup=False)


def alias_command(
    name: Annotated[str, typer.Argument(help="What stands for another: schema.table, an id, a namespace.")],
    stands_for: Annotated[str, typer.Argument(help="What it stands for.")],
    undo: Annotated[bool, typer.Option(help="Take it back.")] = False,
    note: Annotated[str | None, typer.Option(help="Why.")] = None,
    store: Store = None,
) -> None:
    """Say that two datasets, or two systems, are one, or take it back. Nothing is lost either way.

    Example: `jalan alias landing.fares_copy mart.fares`, `jalan alias postgres://tide:5432 postgres://islands:5432`
    """
    with explained(), context_of(store) as context:
        if undo:
            identity.part(context, identity.find_alias(context.session, name, stands_for))
            messages.print(f"{name} and {stands_for} are two again", markup=False)
            return
        if "://" in name and "://" in stands_for:
            identity.join_systems(context, name, stands_for, note)
            messages.print(f"{name} is {stands_for} from now on", markup=False)
            return
        ids = find_dataset(context, name), find_dataset(context, stands_for)
        identity.join(context, *ids, note=note)
    messages.print(f"{name} is {stands_for} from now on", markup=False)
