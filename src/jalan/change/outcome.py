"""What becomes of things when something is changed."""

from dataclasses import dataclass, field
from enum import StrEnum

from jalan.change.meaning import QueryDifference
from jalan.change.ran import Failure


class Kind(StrEnum):
    """Kinds of consequences, the worst first."""

    BREAKS = "breaks"
    GONE = "gone"
    STALE = "goes stale"
    LATE = "comes late"
    ROWS = "rows may change"
    VALUES = "values may change"
    SHAPE = "shape changes"


@dataclass(frozen=True, slots=True)
class Becoming:
    """What becomes of one thing.

    subject: the place of a text, or the name of a relation. reason: in words. failure: what the database would say,
    where it breaks. because: the subject that it comes from, none for the change itself.
    columns: those whose values may change, where its rows do not.
    """

    kind: Kind
    subject: str
    reason: str
    failure: Failure | None = None
    because: str | None = None
    columns: tuple[str, ...] = ()


@dataclass(slots=True)
class Outcome:
    """What a change does. refused: why the database would not make it at all; then nothing else happens.

    consequences: the worst first. untouched: what reachability would have warned of, and nothing happens to.
    failing: texts that fail without the change, too: nothing is said of them. differs: of what is filled by another
    query, what differs in it; none where that cannot be told. lost: of what the change itself touches, the columns
    that are not there afterwards under their names; none where all of it is gone.
    """

    refused: str | None = None
    consequences: list[Becoming] = field(default_factory=list)
    untouched: list[str] = field(default_factory=list)
    failing: list[str] = field(default_factory=list)
    differs: dict[str, QueryDifference | None] = field(default_factory=dict)
    lost: dict[str, frozenset[str] | None] = field(default_factory=dict)
