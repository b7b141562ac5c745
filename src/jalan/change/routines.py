"""Functions and procedures of one's own: what stands in their bodies is read when they are called, not before."""

from collections.abc import Iterator
from dataclasses import dataclass

from jalan.change.seen import FATAL, CatalogueSeen, Finds
from jalan.lineage.script import extract
from jalan.sql import tree
from jalan.sql.walk import walk

KINDS = frozenset({"function", "procedure"})


@dataclass(frozen=True, slots=True)
class StoredRoutine:
    """A routine. text: all of its definition. path: where it looks for names; prefix: what stands in front of them.
    known: what is wrong with it anyhow."""

    name: str
    text: str
    path: tuple[str, ...]
    prefix: str = ""
    known: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class RoutineReading:
    """What a routine does as things are. problem: what the database would say when it is called, none where nothing
    is wrong that was not before. reads: the relations that it reads; uses: their columns."""

    problem: str | None
    problems: frozenset[str]
    reads: frozenset[str]
    uses: frozenset[tuple[str, str]]


def read_routine(routine: StoredRoutine, relations: Finds) -> RoutineReading:
    """Return what a routine does over relations."""
    found = extract(
        routine.text, tables=CatalogueSeen(relations, routine.prefix), search_path=[*routine.path, "public"]
    )
    problems = {}
    for one in [*found.diagnostics, *(each for statement in found.statements for each in statement.diagnostics)]:
        if one.code in FATAL:
            written = routine.text[one.span[0] : one.span[1]]
            what = f'relation "{written}"' if one.code == "unknown_table" else f"column {written}"
            verb = "is ambiguous" if one.code == "ambiguous_column" else "does not exist"
            problems[f"{one.code} {written}"] = f"{what} {verb}, in {routine.name}, which is called here"
    new = [said for key, said in problems.items() if key not in routine.known]
    prefix = routine.prefix
    return RoutineReading(
        new[0] if new else None,
        frozenset(problems),
        frozenset(prefix + name for statement in found.statements for name in statement.reads),
        frozenset((prefix + table, column) for statement in found.statements for table, column in statement.uses),
    )


def calls_in(node: tree.Node) -> Iterator[tree.Call]:
    """Yield the calls in a statement."""
    return (one for one in walk(node) if isinstance(one, tree.Call))
