"""Versions of a job: the code that it ran, what it read and what it wrote. Another version begins where one of
these is another one."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from hashlib import blake2b

from jalan.runs.facets import Code, code, streams
from jalan.runs.fold import DONE, RUNNING, Name, RunFold, when

_GROWN = 50  # versions


@dataclass(frozen=True, slots=True)
class Version:
    """What a job was in a run. digest: the same for what is the same; code_digest: of the code alone."""

    digest: str
    code_digest: str
    code: Code | None
    inputs: tuple[Name, ...]
    outputs: tuple[Name, ...]


@dataclass(frozen=True, slots=True)
class Changes:
    """What is another in a version than in the one before. code: whether the text is."""

    code: bool
    inputs_added: tuple[Name, ...]
    inputs_gone: tuple[Name, ...]
    outputs_added: tuple[Name, ...]
    outputs_gone: tuple[Name, ...]

    def in_words(self, most: int, outputs: bool = True) -> list[str]:
        """Return what is read, and written, otherwise. most: names of each."""
        told = [("also reads", self.inputs_added), ("no longer reads", self.inputs_gone)]
        if outputs:
            told += [("also writes", self.outputs_added), ("no longer writes", self.outputs_gone)]
        return [f"{words} {', '.join(name for _, name in names[:most])}" for words, names in told if names]


def code_digest(run: RunFold) -> str:
    """Return a word for the code of a run; empty where it says nothing of it."""
    found = code(run)
    if found is None:
        return ""
    # Of a text the text counts; of a place nobody can tell more than the revision.
    told = (found.kind, found.text) if found.text else (found.place, found.revision)
    return _word(told)


def version(run: RunFold) -> Version | None:
    """Return the version of its job that a run tells of; none where it has not told all yet: a run that failed may
    have read and written less than it would have. What says under way what it reads and writes is taken at its
    word; what streams may never end."""
    goes_on = run.state == RUNNING and streams(run)
    if run.state != DONE and not goes_on and not _is_under_way(run):
        return None
    return _of(run, run.inputs, run.outputs)


def growth(run: RunFold) -> list[tuple[datetime, Version]]:
    """Return the versions that what goes on has been one after the other, each with since when: it finds more to
    read or to write while it runs. Empty where it has been one all the time, and of what has come to its end
    without having been said to stream: that has been what it was in the end. The last one is ``version``.

    Of many the first is told and the last ones.
    """
    if not streams(run) and not _is_under_way(run):
        return []
    moments = sorted({side.since for sides in (run.inputs, run.outputs) for side in sides.values()})
    found = []
    for moment in [*moments[:1], *moments[1:][-_GROWN:]]:
        read, written = (
            [name for name, side in sides.items() if side.since <= moment] for sides in (run.inputs, run.outputs)
        )
        # Before it has told of both sides nobody knows what it was.
        if bool(read) == bool(run.inputs) and bool(written) == bool(run.outputs):
            since = when(moment)
            assert since is not None
            found.append((since, _of(run, read, written)))
    return found if len(found) > 1 else []


def _is_under_way(run: RunFold) -> bool:
    """Whether a run has said under way what it reads and writes."""
    return run.type is not None and run.type[3] == "RUNNING" and bool(run.inputs and run.outputs)


def _of(run: RunFold, read: Iterable[Name], written: Iterable[Name]) -> Version:
    digest, inputs, outputs = code_digest(run), tuple(sorted(read)), tuple(sorted(written))
    whole = _word((digest, *("\x1e".join(name) for name in inputs), "\x1d", *("\x1e".join(n) for n in outputs)))
    return Version(whole, digest, code(run), inputs, outputs)


def changes(
    before: tuple[str, Iterable[Name], Iterable[Name]], after: tuple[str, Iterable[Name], Iterable[Name]]
) -> Changes:
    """Compare two versions, each as its code's digest, inputs and outputs."""
    old_in, new_in, old_out, new_out = set(before[1]), set(after[1]), set(before[2]), set(after[2])
    return Changes(
        before[0] != after[0],
        tuple(sorted(new_in - old_in)),
        tuple(sorted(old_in - new_in)),
        tuple(sorted(new_out - old_out)),
        tuple(sorted(old_out - new_out)),
    )


def _word(told: Iterable[str]) -> str:
    return blake2b("\x1f".join(told).encode(), digest_size=8).hexdigest()
