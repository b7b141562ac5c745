"""Functions and procedures of one's own: what stands in their bodies is read when they are called, not before; but
for those whose body the database has read when they were made."""

import contextlib
import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache

from jalan.change.catalogue import Catalogue
from jalan.change.ran import Flow
from jalan.change.seen import FATAL, CatalogueSeen
from jalan.change.stored import POSTGRESQL, KeptBody, StoredRelation, StoredRoutine
from jalan.change.types import (
    Misfit,
    Routines,
    TypedOutput,
    TypedRoutine,
    check_statement,
    type_system,
)
from jalan.change.words import missing_column
from jalan.lineage.model import Extraction, Statement
from jalan.lineage.script import extract
from jalan.lineage.tables import split_key
from jalan.sql import tree
from jalan.sql.dialects import get_dialect
from jalan.sql.grammar.script import Unread, parse
from jalan.sql.walk import walk

Problem = tuple[str, tuple[int, int]]
"""What the database says, and of which characters."""
KINDS = frozenset({"function", "procedure"})
_WORDS = re.compile(r"\w+")
_MOST_CALLED = 200  # routines by one another


@dataclass(slots=True)
class RoutineReading:
    """What a routine does as things are, with all that it calls.

    problem: what the database would say when it is called, none where nothing is wrong that was not before; span:
    of what is wrong, in its own text. reads: the relations that it reads, and the routines that it calls, by their
    signatures; uses: the columns. names: what else it speaks of; words: those of its text and of its columns, in
    lower case. flows: what it makes of what.
    """

    problem: str | None = None
    span: tuple[int, int] = (0, 0)
    problems: frozenset[str] = frozenset()
    reads: set[str] = field(default_factory=set)
    uses: set[tuple[str, str]] = field(default_factory=set)
    names: set[str] = field(default_factory=set)
    flows: list[Flow] = field(default_factory=list)
    words: set[str] = field(default_factory=set)

    @property
    def called(self) -> set[str]:
        """The signatures of the routines that it calls."""
        return {name for name in self.reads if name.endswith(")")}


def read_routine(
    routine: StoredRoutine, catalogue: Catalogue, within: frozenset[int] = frozenset()
) -> RoutineReading:
    """Return what a routine does over a catalogue. within: the numbers of those that are being read by now."""
    if routine.kept is not None:
        found = _read_kept(routine.kept, catalogue)
        called = [one for number in routine.kept.calls if (one := catalogue.routines.at(number)) is not None]
    else:
        found = _read_text(routine, catalogue)
        called = _called_by(routine, catalogue, found)
    within |= {routine.number}
    for one in called:
        found.reads.add(one.signature)
        if one.number in within or len(within) > _MOST_CALLED:
            continue
        inner = read_routine(one, catalogue, within)
        found.reads |= inner.reads
        found.uses |= inner.uses
        found.names |= inner.names
        found.words |= inner.words
        found.flows += inner.flows
        found.problem = found.problem or inner.problem
    return found


def _read_kept(kept: KeptBody, catalogue: Catalogue) -> RoutineReading:
    found = RoutineReading()
    for number in kept.reads:
        if (one := catalogue.by_number(number)) is not None:
            found.reads.add(one.name)
    for number, column in kept.uses:
        one = catalogue.by_number(number)
        found.uses.update((one.name, name) for name, n in one.columns.items() if n == column) if one else None
    return found


def _read_text(routine: StoredRoutine, catalogue: Catalogue) -> RoutineReading:
    prefix = routine.prefix
    read = extract(
        routine.text,
        dialect=routine.dialect,
        tables=CatalogueSeen(catalogue, prefix),
        search_path=[*routine.path, "public"],
    )
    problems: dict[str, Problem] = {}
    for one in [*read.diagnostics, *(each for statement in read.statements for each in statement.diagnostics)]:
        if one.code in FATAL:
            written = routine.text[one.span[0] : one.span[1]]
            problems[f"{one.code} {written}"] = (_said(one.code, written), one.span)
    problems |= _not_there(routine, read.statements, catalogue)
    if routine.takes.language == "plpgsql":
        # There a name that may be a variable or a column is neither.
        used = {column for statement in read.statements for _, column in statement.uses}
        for name in sorted(used.intersection(routine.takes.names)):
            problems[f"ambiguous {name}"] = (f'column reference "{name}" is ambiguous', (0, 0))
    if routine.dialect == POSTGRESQL:
        problems |= _unfit(routine, catalogue)
    new = [said for key, said in problems.items() if key not in routine.known]
    return RoutineReading(
        f"{new[0][0]}{_where(routine)}" if new else None,
        new[0][1] if new else (0, 0),
        frozenset(problems),
        {prefix + name for statement in read.statements for name in statement.reads},
        {(prefix + table, column) for statement in read.statements for table, column in statement.uses},
        {prefix + one.target for one in read.statements if one.target is not None},
        list(_flows(read, prefix)),
        _words(routine, read),
    )


def _words(routine: StoredRoutine, read: Extraction) -> set[str]:
    """All words of a routine, and the names of the columns that it speaks of without naming them."""
    uses = (column for statement in read.statements for _, column in statement.uses)
    outputs = (str(one.name) for statement in read.statements for one in statement.outputs)
    return {*_WORDS.findall(routine.text.lower()), *(name.lower() for name in (*uses, *outputs))}


def _said(code: str, written: str) -> str:
    if code == "unknown_table":
        return f'relation "{written}" does not exist'
    return f'column reference "{written}" is ambiguous' if code == "ambiguous_column" else missing_column(written)


def _unfit(routine: StoredRoutine, catalogue: Catalogue) -> dict[str, Problem]:
    """What does not fit in the statements of a body: types, as far as they are known, and numbers of values."""
    path = [*routine.path, "public"]
    columns = typed_columns(catalogue, path, routine.prefix)
    found: dict[str, Problem] = {}
    own = own_routines(catalogue, path, routine.prefix)
    for top in _nodes(routine.text, routine.dialect):
        for node in walk(top):
            if not isinstance(node, tree.QueryStatement | tree.Insert | tree.Update | tree.Delete | tree.Merge):
                continue
            span = (node.start, node.end)
            try:
                check_statement(node, routine.text, columns, own)
            except Misfit as misfit:
                found[f"misfit {misfit}"] = (str(misfit), misfit.span)
            if isinstance(node, tree.Insert) and node.query is not None:
                wanted = len(node.columns or columns(tuple(map(str, node.target.parts))) or ())
                given = _count(node.query)
                if given is not None and wanted and given > wanted:
                    found[f"more {node.target.parts}"] = ("INSERT has more expressions than target columns", span)
                elif given is not None and node.columns and given < wanted:
                    found[f"less {node.target.parts}"] = ("INSERT has more target columns than expressions", span)
    return found


def _count(query: tree.Query) -> int | None:
    """How many outputs a query has, none where a star stands for some."""
    body = query.body
    if isinstance(body, tree.Values):
        return len(body.rows[0]) if body.rows else None
    if isinstance(body, tree.Select) and not any(isinstance(one.expression, tree.Star) for one in body.items):
        return len(body.items)
    return None


def _not_there(routine: StoredRoutine, statements: list[Statement], catalogue: Catalogue) -> dict[str, Problem]:
    """What is written to and is not there: relations, and columns of those that are."""
    found: dict[str, Problem] = {}
    made = {one.target for one in statements if one.kind.startswith("create")}
    for one in statements:
        if one.target is None or one.target in made or one.kind not in ("insert", "update", "delete", "merge"):
            continue
        there = catalogue.named(split_key(one.target), [*routine.path, "public"], routine.prefix)
        if there is None:
            found[f"target {one.target}"] = (f'relation "{one.target}" does not exist', one.span)
            continue
        for output in one.outputs:
            if output.name is not None and str(output.name) not in there.columns and one.kind != "delete":
                said = f'column "{output.name}" of relation "{there.name.rpartition(".")[2]}" does not exist'
                found[f"target {one.target}.{output.name}"] = (said, one.span)
    return found


def _flows(read: Extraction, prefix: str) -> Iterator[Flow]:
    """What statements make of what, target by target, seen through what is only theirs."""
    made: dict[str, tuple[dict[str, set[tuple[str, str]]], set[tuple[str, str]]]] = {
        one.target: ({}, set())
        for one in read.statements
        if one.target is not None and one.kind in ("insert", "update", "delete", "merge", "truncate")
    }
    for link in read.links:
        if link.target not in made:
            continue
        columns, rows = made[link.target]
        source = (prefix + link.table, link.column)
        (rows if link.output is None else columns.setdefault(link.output, set())).add(source)
    for target, (columns, rows) in made.items():
        sources = rows.union(*columns.values())
        reads = frozenset(table for table, _ in sources) | {
            prefix + name for one in read.statements if one.target == target for name in one.reads
        }
        kept = {name: frozenset(several) for name, several in columns.items()}
        yield Flow(prefix + target, kept, frozenset(rows), reads)


def _called_by(routine: StoredRoutine, catalogue: Catalogue, found: RoutineReading) -> list[StoredRoutine]:
    """The routines that are called in the body of one; what is missing is noted in ``found``."""
    called: dict[int, StoredRoutine] = {}
    if not catalogue.routines:
        return []
    for node in _nodes(routine.text, routine.dialect):
        for one in _by_number_of_arguments(node, [*routine.path, "public"], routine.prefix, catalogue):
            found.names.add(one.name)
            called |= {each.number: each for each in one.routines}
            missing = f"routine {one.name}"
            if not one.routines:
                found.problems |= {missing}
                if missing not in routine.known and found.problem is None:
                    found.problem = (
                        f"function {'.'.join(map(str, one.call.parts))}(…) does not exist{_where(routine)}"
                    )
                    found.span = (one.call.start, one.call.end)
    return list(called.values())


def _where(routine: StoredRoutine) -> str:
    return f", in {routine.name}, which is called here" if routine.name else ""


def keep(routine: StoredRoutine, catalogue: Catalogue) -> StoredRoutine:
    """Return a routine with what it hangs on, where the database reads its body when it is made."""
    if not routine.takes.is_kept:
        return routine
    found = _read_text(routine, catalogue)
    uses = set()
    for table, column in found.uses:
        one = catalogue.find(table)
        if one is not None and column in one.columns:
            uses.add((one.number, one.columns[column]))
    reads = {one.number for name in found.reads if (one := catalogue.find(name)) is not None}
    calls = {one.number for one in _called_by(routine, catalogue, found)}
    return replace(routine, kept=KeptBody(frozenset(uses), frozenset(reads), frozenset(calls)))


# --- calls -------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Meant:
    """A call, and which routines it may mean: those of a name that can be called so. name: the whole one."""

    call: tree.Call | tree.CallRoutine
    name: str
    routines: list[StoredRoutine]


@lru_cache(maxsize=1_000)
def _nodes(text: str, dialect: str) -> Sequence[tree.StatementNode]:
    """The statements of a routine's text, as far as they can be read; those of the same text are read once."""
    return [node for node in parse(text, get_dialect(dialect)) if not isinstance(node, Unread)]


def calls_in(node: tree.Node) -> Iterator[tree.Call | tree.CallRoutine]:
    """Yield the calls in a statement, of functions and of procedures."""
    return (one for one in walk(node) if isinstance(one, tree.Call | tree.CallRoutine))


def _by_number_of_arguments(
    node: tree.Node, path: Sequence[str], prefix: str, catalogue: Catalogue
) -> Iterator[Meant]:
    """Yield the calls of one's own routines in a statement, with those that take so many arguments."""
    for call in calls_in(node):
        parts = tuple(map(str, call.parts))
        known = catalogue.routines.named(parts, path, prefix)
        if known is None:
            continue
        fitting = [one for one in known[1] if one.takes.takes(len(call.arguments))]
        if not fitting and len(parts) == 1 and parts[0] in type_system().functions:
            continue  # the server brings another one of that name
        yield Meant(call, known[0], fitting)


def meant_by(
    node: tree.Node, text: str, path: Sequence[str], prefix: str, catalogue: Catalogue, dialect: str = POSTGRESQL
) -> dict[int, Meant]:
    """Return which routines the calls in a statement mean, by where they begin; where the number of arguments does
    not tell, their types do, as far as they are known.

    path: where names are looked for; prefix: what stands in front of them.
    """
    found = {one.call.start: one for one in _by_number_of_arguments(node, path, prefix, catalogue)}
    if not any(len(one.routines) > 1 for one in found.values()) or dialect != POSTGRESQL:
        return found
    if not isinstance(node, tree.StatementNode):
        return found

    columns = typed_columns(catalogue, path, prefix)
    with contextlib.suppress(Misfit):
        for start, chosen in check_statement(node, text, columns, own_routines(catalogue, path, prefix)).items():
            one = found.get(start)
            if one is not None and (same := [each for each in one.routines if each.signature == chosen.name]):
                found[start] = Meant(one.call, one.name, same)
    return found


def typed_columns(
    catalogue: Catalogue, path: Sequence[str], prefix: str = ""
) -> Callable[[tuple[str, ...]], list[TypedOutput] | None]:
    """Return the columns of relations as types are looked up among them, by the names that a text gives these."""

    def find(parts: tuple[str, ...]) -> list[TypedOutput] | None:
        there = catalogue.named(parts, path, prefix)
        return None if there is None else there.outputs()

    return find


def own_routines(catalogue: Catalogue, path: Sequence[str], prefix: str = "") -> Routines:
    """Return one's own functions as types are looked up among them, each called by its signature."""

    def find(parts: tuple[str, ...]) -> list[TypedRoutine]:
        known = catalogue.routines.named(parts, path, prefix)
        return [] if known is None else [one.takes.typed(one.signature) for one in known[1]]

    return find


def read_by(catalogue: Catalogue, view: StoredRelation) -> set[str]:
    """Return what a view reads by way of the routines that it calls: relations, and signatures of routines."""
    found = set()
    for number in view.called:
        if (one := catalogue.routines.at(number)) is not None:
            found |= {one.signature, *read_routine(one, catalogue).reads}
    return found
