"""What the events of a run add up to: the same in any order, however often each came, whatever is still missing.

Each part of the state is taken from one event, that with the greatest stamp: a time, then a word for the content.
So putting two states together is the same both ways, and putting a state to itself changes nothing.
"""

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from typing import Any

from jalan.runs.events import Event

Name = tuple[str, str]
Stamp = tuple[int, str]
"""Microseconds since 1970, and the beginning of the digest of the event."""
Facets = dict[str, tuple[Stamp, dict[str, Any]]]

_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
_ENDS = {"COMPLETE": 1, "ABORT": 2, "FAIL": 3}
_STATES = {"START": "running", "RUNNING": "running", "COMPLETE": "done", "ABORT": "stopped", "FAIL": "failed"}
RUNNING, DONE, FAILED, STOPPED, UNKNOWN = "running", "done", "failed", "stopped", "unknown"
ENDED = frozenset({DONE, FAILED, STOPPED})


@dataclass(slots=True)
class Side:
    """A dataset that a run reads or writes. since: the time of the first event that says so, in microseconds.
    facets: of the dataset. own: of its being read or written here."""

    since: int
    facets: Facets = field(default_factory=dict)
    own: Facets = field(default_factory=dict)


@dataclass(slots=True)
class RunFold:
    """The state of a run.

    job: by the earliest event. type: the event that decides about the state; an end counts more than what came
    later without being one. first, start, last: times of events, of those of type START, and of all, in
    microseconds. facets: of the run; job_facets: of its job as they were then.
    """

    job: tuple[Stamp, Name] | None = None
    type: tuple[int, Stamp, int, str] | None = None
    first: int | None = None
    start: int | None = None
    last: int | None = None
    producer: tuple[Stamp, str] | None = None
    facets: Facets = field(default_factory=dict)
    job_facets: Facets = field(default_factory=dict)
    inputs: dict[Name, Side] = field(default_factory=dict)
    outputs: dict[Name, Side] = field(default_factory=dict)

    # --- what it says --------------------------------------------------------------------------------

    @property
    def state(self) -> str:
        """running, done, failed, stopped, or unknown where nobody has said."""
        return UNKNOWN if self.type is None else _STATES.get(self.type[3], UNKNOWN)

    @property
    def started_at(self) -> datetime | None:
        """When it began: what START says, or the first event."""
        return when(self.start if self.start is not None else self.first)

    @property
    def ended_at(self) -> datetime | None:
        """When it ended, none while it has not."""
        return when(self.type[1][0]) if self.type is not None and self.type[0] else None

    @property
    def last_at(self) -> datetime | None:
        """The time of its latest event."""
        return when(self.last)

    def facet(self, name: str) -> dict[str, Any]:
        """Return a facet of the run, empty where there is none."""
        return self.facets.get(name, (None, {}))[1]

    def job_facet(self, name: str) -> dict[str, Any]:
        """Return a facet of the job, empty where there is none."""
        return self.job_facets.get(name, (None, {}))[1]

    # --- putting together ----------------------------------------------------------------------------

    def add(self, event: Event) -> None:
        """Take in an event of this run."""
        assert event.job is not None
        micros = _micros(event.time)
        stamp = (micros, event.digest.hex()[:12])
        if self.job is None or stamp < self.job[0]:
            self.job = (stamp, event.job)
        if event.type != "OTHER":
            rank = _ENDS.get(event.type, 0)
            # Of what says that it goes on, START counts least: it may be told late.
            told = (1 if rank else 0, stamp, rank, event.type)
            self.type = told if self.type is None else max(self.type, told)
        self.first = micros if self.first is None else min(self.first, micros)
        self.last = micros if self.last is None else max(self.last, micros)
        if event.type == "START":
            self.start = micros if self.start is None else min(self.start, micros)
        body = event.body
        if self.producer is None or stamp > self.producer[0]:
            self.producer = (stamp, str(body["producer"]))
        _take(self.facets, stamp, body["run"].get("facets"))
        _take(self.job_facets, stamp, body["job"].get("facets"))
        for sides, listed, own in (
            (self.inputs, body.get("inputs"), "inputFacets"),
            (self.outputs, body.get("outputs"), "outputFacets"),
        ):
            for one in listed or ():
                side = sides.setdefault((one["namespace"], one["name"]), Side(micros))
                side.since = min(side.since, micros)
                _take(side.facets, stamp, one.get("facets"))
                _take(side.own, stamp, one.get(own))

    # --- keeping -------------------------------------------------------------------------------------

    def write(self) -> dict[str, Any]:
        """Return it as JSON can hold it; ``read`` takes it back."""
        return {
            "job": self.job,
            "type": self.type,
            "first": self.first,
            "start": self.start,
            "last": self.last,
            "producer": self.producer,
            "facets": self.facets,
            "job_facets": self.job_facets,
            "inputs": [[*name, side.facets, side.own, side.since] for name, side in sorted(self.inputs.items())],
            "outputs": [[*name, side.facets, side.own, side.since] for name, side in sorted(self.outputs.items())],
        }

    @classmethod
    def read(cls, kept: dict[str, Any]) -> "RunFold":
        """Return what ``write`` has written."""
        job, type_, producer = kept["job"], kept["type"], kept["producer"]
        return cls(
            None if job is None else (_stamp(job[0]), (job[1][0], job[1][1])),
            None if type_ is None else (type_[0], _stamp(type_[1]), type_[2], type_[3]),
            kept["first"],
            kept["start"],
            kept["last"],
            None if producer is None else (_stamp(producer[0]), producer[1]),
            _facets(kept["facets"]),
            _facets(kept["job_facets"]),
            _sides(kept["inputs"], kept["first"]),
            _sides(kept["outputs"], kept["first"]),
        )


def fold(events: Iterable[Event]) -> RunFold:
    """Return what events of one run add up to."""
    found = RunFold()
    for event in events:
        found.add(event)
    return found


def _take(known: Facets, stamp: Stamp, facets: dict[str, Any] | None) -> None:
    for name, facet in (facets or {}).items():
        if facet and (name not in known or stamp > known[name][0]):
            known[name] = (stamp, facet)


def _sides(kept: list[Any], first: int) -> dict[Name, Side]:
    """Sides as they were kept; earlier ones do not say since when."""
    return {
        (namespace, name): Side(since[0] if since else first, _facets(facets), _facets(own))
        for namespace, name, facets, own, *since in kept
    }


def _facets(kept: dict[str, Any]) -> Facets:
    return {name: (_stamp(stamp), facet) for name, (stamp, facet) in kept.items()}


def _stamp(kept: Any) -> Stamp:
    return kept[0], kept[1]


def _micros(time: datetime) -> int:
    passed = time - _EPOCH
    return (passed.days * 86_400 + passed.seconds) * 1_000_000 + passed.microseconds


def when(micros: int | None) -> datetime | None:
    """Return a time by its microseconds since 1970."""
    return None if micros is None else _EPOCH + timedelta(microseconds=micros)
