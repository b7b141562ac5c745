"""``jalan extract``: lineage of SQL text, without a store."""

import sys
from dataclasses import asdict
from enum import Enum
from pathlib import Path
from typing import Annotated, Any

import orjson
import typer
from rich.console import Console
from rich.table import Table

from jalan.formats.openlineage import job_events
from jalan.lineage.model import Extraction
from jalan.lineage.script import extract
from jalan.lineage.tables import KnownTables
from jalan.sources.errors import SourceError
from jalan.sources.templates import TemplateValues, read_template_values
from jalan.sql.dialects import UnknownDialect

WRONG_USE = 2


class ExtractFormat(str, Enum):
    """How lineage is printed."""

    json = "json"
    table = "table"
    openlineage = "openlineage"


def extract_command(
    files: Annotated[list[str], typer.Argument(metavar="FILE…", help="SQL files, or - for standard input.")],
    dialect: Annotated[
        str, typer.Option(help="The SQL dialect; auto guesses and says what it guessed. See docs/sql-support.md.")
    ] = "postgresql",
    tables: Annotated[
        Path | None,
        typer.Option(metavar="tables.json", help='Known tables: {"schema.table": ["column", …], …}.'),
    ] = None,
    variables: Annotated[
        Path | None,
        typer.Option(
            "--vars",
            metavar="file.yaml",
            help="Fill in the files as templates: variables, and calls that stand for datasets.",
        ),
    ] = None,
    detail: Annotated[bool, typer.Option(help="Say of each output how it is made, step by step.")] = False,
    form: Annotated[ExtractFormat, typer.Option("--format", help="How the result is printed.")] = (
        ExtractFormat.json
    ),
) -> None:
    """Print the lineage of SQL files.

    Exit code 0: read in full; 1: with diagnostics of level error; 2: wrong use.

    Example: `echo "select port from sailings" | jalan extract - --format table`

    Example: `jalan extract models/*.sql --dialect auto --vars values.yaml --detail`, where values.yaml is like
    `{variables: {env: prod}, calls: {dataset: "core.{0}"}}`
    """
    known = _read_tables(tables)
    values = _read_variables(variables)
    found = []
    for name in files:
        text = _read(name)
        try:
            extraction = extract(
                text,
                dialect=dialect,
                tables=known,
                variables=None if values is None else values.variables,
                calls=None if values is None else values.calls,
                detail=detail,
            )
            found.append((name, text, extraction))
        except UnknownDialect as error:
            raise _wrong(str(error)) from error
    _print(found, form)
    failed = False
    for name, text, extraction in found:
        for diagnostic in extraction.diagnostics:
            line = text.count("\n", 0, diagnostic.span[0]) + 1
            column = diagnostic.span[0] - (text.rfind("\n", 0, diagnostic.span[0]) + 1) + 1
            where = f"{name}:{line}:{column}"
            sys.stderr.write(f"{where}: {diagnostic.level}: {diagnostic.message} [{diagnostic.code}]\n")
            failed = failed or diagnostic.level == "error"
    if failed:
        raise typer.Exit(1)


def _wrong(message: str) -> typer.Exit:
    sys.stderr.write(f"jalan extract: {message}\n")
    return typer.Exit(WRONG_USE)


def _read(name: str) -> str:
    if name == "-":
        return sys.stdin.read()
    try:
        return Path(name).read_text(encoding="utf-8")
    except OSError as error:
        raise _wrong(f"cannot read {name}: {error.strerror}") from error
    except UnicodeDecodeError as error:
        raise _wrong(f"{name} is not in UTF-8: byte {error.start}") from error


def _read_tables(path: Path | None) -> KnownTables | None:
    if path is None:
        return None
    try:
        found = orjson.loads(path.read_bytes())
    except OSError as error:
        raise _wrong(f"cannot read {path}: {error.strerror}") from error
    except orjson.JSONDecodeError as error:
        raise _wrong(f"{path}:{error.lineno}: this is no JSON: {error.msg}") from error
    good = isinstance(found, dict) and all(
        isinstance(columns, list) and all(isinstance(c, str) for c in columns) for columns in found.values()
    )
    if not good:
        raise _wrong(f'{path}: expected {{"schema.table": ["column", …], …}}')
    return KnownTables(found)


def _read_variables(path: Path | None) -> TemplateValues | None:
    if path is None:
        return None
    try:
        return read_template_values(path)
    except SourceError as error:
        raise _wrong(str(error)) from error


def _print(found: list[tuple[str, str, Extraction]], form: ExtractFormat) -> None:
    if form is ExtractFormat.table:
        _print_table(found)
        return
    documents: Any
    if form is ExtractFormat.openlineage:
        documents = [event for name, text, extraction in found for event in job_events(name, text, extraction)]
    else:
        documents = [{"file": name, **_plain(extraction)} for name, _, extraction in found]
        if len(documents) == 1:
            documents = documents[0]
    sys.stdout.write(orjson.dumps(documents, option=orjson.OPT_INDENT_2).decode() + "\n")


def _plain(extraction: Extraction) -> dict[str, Any]:
    found = asdict(extraction)
    for statement in found["statements"]:
        statement["uses"] = sorted(statement["uses"])
    return found


def _print_table(found: list[tuple[str, str, Extraction]]) -> None:
    _print_details(found)
    table = Table("file", "line", "target", "output", "kind", "source", "how", box=None)
    for name, text, extraction in found:
        for link in extraction.links:
            line = text.count("\n", 0, link.span[0]) + 1
            table.add_row(
                name,
                str(line),
                link.target or "(result)",
                link.output or "(rows)",
                link.kind,
                f"{link.table}.{link.column}",
                link.how,
            )
    Console(width=None if sys.stdout.isatty() else 200).print(table)


def _print_details(found: list[tuple[str, str, Extraction]]) -> None:
    """Print, of the outputs that have details, how each is made."""
    outputs = [
        (name, statement.target or "(result)", output)
        for name, _, extraction in found
        for statement in extraction.statements
        for output in statement.outputs
        if output.detail is not None
    ]
    if not outputs:
        return
    table = Table("file", "target", "output", "kind", "way", box=None)
    for name, target, output in outputs:
        assert output.detail is not None
        way = " → ".join(f"{step.kind} {step.name}" for step in output.detail.chain)
        table.add_row(name, target, output.name, output.detail.kind, way)
    Console(width=None if sys.stdout.isatty() else 200).print(table)
