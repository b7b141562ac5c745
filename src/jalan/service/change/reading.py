"""What a text that is being written means: the columns that it makes and what of, and what is wrong with it."""

from jalan.change.seen import CatalogueSeen
from jalan.lineage.model import Diagnostic, Output, Source, Statement
from jalan.lineage.script import extract
from jalan.service.change.answers import ReadOutput, ReadProblem, ReadStatement, ReadText
from jalan.service.change.world import DatabaseWorld, world_of
from jalan.service.context import Context
from jalan.service.errors import Invalid
from jalan.sql.dialects import UnknownDialect, get_dialect

_MOST = 200  # statements, outputs of each, columns of a table, tables


def read_text(context: Context, database: str | None, text: str, dialect: str, place: str | None) -> ReadText:
    """Return what a text means over a database as it is. Raises Invalid, NotFound. Cost: reading the text.

    place: of the text that it would be, which says where names are looked for.
    """
    try:
        get_dialect(dialect)
    except UnknownDialect as error:
        raise Invalid(f"dialect: {error}") from error
    here = world_of(context, database)
    known = next((one for one in here.world.texts if one.place == place), None) if place else None
    # Who writes does not wait for changes that are simulated meanwhile.
    found = extract(
        text,
        dialect=dialect,
        tables=CatalogueSeen(here.world.relations),
        search_path=known.search_path if known else ("public",),
    )
    reads = sorted({name for one in found.statements for name in one.reads})[:_MOST]
    columns = {name: _columns(here, name) for name in reads}
    return ReadText(
        problems=[_problem(one) for one in found.diagnostics[:_MOST]],
        statements=[_statement(one) for one in found.statements[:_MOST]],
        tables={name: listed for name, listed in columns.items() if listed},
    )


def tables_named(context: Context, database: str | None, words: str, limit: int) -> dict[str, list[str]]:
    """Return relations whose names have these words in them, with their first columns. Raises NotFound."""
    wanted = words.lower().split()
    here = world_of(context, database)
    names = sorted(name for name in here.world.relations.by_name if all(word in name.lower() for word in wanted))
    return {name: _columns(here, name) for name in names[:limit]}


def _columns(here: DatabaseWorld, name: str) -> list[str]:
    relation = here.world.relations.find(name)
    return list(relation.columns)[:_MOST] if relation is not None else []


def _problem(one: Diagnostic) -> ReadProblem:
    return ReadProblem(level=one.level, message=one.message, hint=one.hint, start=one.span[0], end=one.span[1])


def _statement(one: Statement) -> ReadStatement:
    return ReadStatement(
        kind=one.kind,
        target=one.target,
        start=one.span[0],
        end=one.span[1],
        outputs=[_output(output) for output in one.outputs[:_MOST]],
        outputs_total=len(one.outputs),
        rows=_names(one.row_conditions),
    )


def _output(one: Output) -> ReadOutput:
    return ReadOutput(
        name=one.name,
        start=one.span[0],
        end=one.span[1],
        values=_names(one.values),
        conditions=_names(one.conditions),
    )


def _names(sources: list[Source]) -> list[str]:
    return list(dict.fromkeys(f"{one.table}.{one.column}" for one in sources))[:_MOST]
