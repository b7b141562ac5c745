"""Runs what a text does with functions and procedures: makes them, drops them, and calls them."""

from collections.abc import Sequence
from dataclasses import replace

from jalan.change.catalogue import Refused
from jalan.change.ran import Fails, Failure, Flow
from jalan.change.reading import Reader
from jalan.change.routines import KINDS, Meant, RoutineReading, keep, meant_by, read_routine
from jalan.change.signature import NamedRoutine, named_routines
from jalan.change.stored import TEMPORARY, StoredRoutine, stored_routine
from jalan.change.words import says
from jalan.sql import tree

_WORDS = ("function", "procedure", "routine")
COMMANDS = tuple([word, kind] for word in ("drop", "alter") for kind in _WORDS)
"""How a statement begins that drops some, or gives one another name."""


class Calling:
    """Takes the routines of one text. rows, reads: the columns and relations that those read which the statement
    calls that is run, and they themselves; flows: what they make of what; meant: which they are, by where the calls
    begin. is_usual: it is run as it always is, without any change."""

    def __init__(self, reader: Reader, is_usual: bool) -> None:
        self._is_usual = is_usual
        self.rows: set[tuple[str, str]] = set()
        self.reads: set[str] = set()
        self.flows: list[Flow] = []
        self.meant: dict[int, Meant] = {}
        self._reader, self._catalogue, self._ran = reader, reader.catalogue, reader.ran

    def call(self, node: tree.StatementNode) -> None:
        """Read the bodies of the routines that a statement calls, as the database does only then. Raises Fails."""
        self.rows, self.reads, self.flows, self.meant = set(), set(), [], {}
        if isinstance(node, tree.Routine) or not self._catalogue.routines:
            return
        text = self._reader.text
        self.meant = meant_by(node, text.text, self._reader.path, "", self._catalogue, text.dialect)
        # A view only keeps that it calls them.
        is_run = not isinstance(node, tree.CreateView) or node.materialized
        for one in self.meant.values():
            self._ran.names.add(one.name)
            if not one.routines:
                what = "procedure" if isinstance(one.call, tree.CallRoutine) else "function"
                message = f"{what} {'.'.join(map(str, one.call.parts))}(…) does not exist"
                raise Fails(Failure(message, (one.call.start, one.call.end), one.name))
            self._call(one, is_run)

    def _call(self, meant: Meant, is_run: bool) -> None:
        problems = []
        for routine in meant.routines:
            reading = read_routine(routine, self._catalogue)
            self.reads |= self._reader.calls(reading, routine.signature)
            self.rows |= reading.uses
            self.flows += [
                replace(flow, reads=flow.reads | reading.called | {routine.signature}) for flow in reading.flows
            ]
            problems.append(reading.problem)
        if is_run and all(problems):
            # Where it is not told which one is meant, one that works may be.
            raise Fails(Failure(str(problems[0]), (meant.call.start, meant.call.end), meant.name))

    def create(self, node: tree.Routine, keys: Sequence[str]) -> None:
        """Make a routine. keys: the words of the statement. Raises Refused."""
        if node.kind not in KINDS:
            return
        name = self._reader.full(node.parts)
        path = tuple(one for one in self._reader.path if one != TEMPORARY)
        text = self._reader.text
        routine = stored_routine(name, text.text[node.start : node.end], path)
        same = [o for o in self._catalogue.routines.of_name(name) if o.takes.arguments == routine.takes.arguments]
        before = same[0] if same else None
        reading = read_routine(routine, self._catalogue)
        self._ran.names |= reading.reads
        if routine.takes.is_kept:
            _is_sound(reading)
        if before is not None:
            if not says(keys, "or", "replace"):
                last = name.rpartition(".")[2]
                raise Refused(f'function "{last}" already exists with same argument types')
            _may_replace(before, routine)
        if node.language == "sql":
            _is_sound(reading)
        # What is wrong with a new one is its own fault where the old one had it not; but not as things always are.
        problems = reading.problems if before is None or self._is_usual else before.known
        self._catalogue.routines.make(keep(replace(routine, known=problems), self._catalogue))

    def command(self, written: str, keys: Sequence[str]) -> None:
        """Drop routines, or give one another name. keys: the words of the statement. Raises Refused."""
        for one in named_routines(written):
            if keys[0] == "drop":
                self._drop(one, keys)
            elif routine := self._one(one, keys):
                self._rename(routine, keys)

    def _one(self, named: NamedRoutine, keys: Sequence[str]) -> StoredRoutine | None:
        """The routine that a command names. Raises Refused where there is none, or where there are several."""
        written = ".".join(named.parts)
        found = self._catalogue.routines.named(named.parts, self._reader.path)
        several = [] if found is None else found[1]
        if found is not None:
            self._ran.names.add(found[0])
        if named.arguments is not None:
            several = [one for one in several if one.takes.arguments == named.arguments]
        if len(several) > 1:
            raise Refused(f'{keys[1]} name "{written}" is not unique')
        if not several and not says(keys, "if", "exists"):
            if named.arguments is None:
                raise Refused(f'could not find a {keys[1]} named "{written}"')
            raise Refused(f"{keys[1]} {written}({','.join(named.arguments)}) does not exist")
        return several[0] if several else None

    def _drop(self, named: NamedRoutine, keys: Sequence[str]) -> None:
        routine = self._one(named, keys)
        if routine is not None:
            gone = self._catalogue.drop_routine(routine, says(keys, "cascade"))
            self._ran.names |= {one.name for one in gone}

    def _rename(self, routine: StoredRoutine, keys: Sequence[str]) -> None:
        schema, _, last = routine.name.rpartition(".")
        if says(keys, "rename", "to"):
            name = f"{schema}.{keys[list(keys).index('rename') + 2]}"
        elif says(keys, "set", "schema"):
            name = ".".join((*schema.split(".")[:-1], keys[list(keys).index("schema") + 1], last))
        else:
            return
        self._ran.names.add(name)
        self._catalogue.routines.put(routine.number, replace(routine, name=name))


def _is_sound(reading: RoutineReading) -> None:
    """Raise Refused where something is wrong with a body that is looked at when it is made."""
    if reading.problem is not None:
        raise Refused(reading.problem.partition(", in ")[0])


def _may_replace(before: StoredRoutine, routine: StoredRoutine) -> None:
    """Raise Refused where one cannot be put in place of another."""
    if None not in (before.takes.result, routine.takes.result) and before.takes.result != routine.takes.result:
        raise Refused("cannot change return type of existing function")
    for was, now in zip(before.takes.names, routine.takes.names, strict=True):
        if was and was != now:
            raise Refused(f'cannot change name of input parameter "{was}"')
    if routine.takes.defaults < before.takes.defaults:
        raise Refused("cannot remove parameter defaults from existing function")
