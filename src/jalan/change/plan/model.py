"""What a plan is made of: ways, steps, and the sentences that they share."""

from dataclasses import dataclass, field

BACKUP = "What it held comes back only from a backup."
MEANWHILE = (
    "Wait until everything has run and has been looked at once. Whatever still asks for it fails by then, and the "
    "step before is taken back at once."
)
BY_STEPS = "Nothing fails in between, and each step can wait for the next one."
AT_ONCE = "Few steps, but the texts that are changed together must be there in the same moment."
IN_THE_TEXT = "It is made anew by {}: what is done to it otherwise is gone with the next run."
BY_POSITION = (
    "{} insert by position: the columns must be named there, as another one stands in its place from then on."
)
WRITTEN_ANEW = "The table is written anew, and locked while that lasts."
GRANTS = "Grants and indexes are to be given again by hand."


@dataclass(frozen=True, slots=True)
class PlanStep:
    """A step. title: what for. sql: what is run, in which database (none: that over which the texts are run); empty
    where only texts are changed, or one waits. before: places of texts that are changed by then, at any time;
    together: those that are changed in the same moment. undo: what takes the SQL back. note: what else to know.
    with_last: it is taken in the same moment as the step before it."""

    title: str
    sql: str = ""
    database: str = ""
    before: tuple[str, ...] = ()
    together: tuple[str, ...] = ()
    undo: str = ""
    note: str = ""
    with_last: bool = False


@dataclass(frozen=True, slots=True)
class Route:
    """One way to carry a change out. name, why: in words."""

    name: str
    why: str
    steps: tuple[PlanStep, ...]


@dataclass(slots=True)
class Draft:
    """The steps of a route so far. done: what has been run by then, as the simulation takes it. unmade: places of
    texts that no longer make what was dropped. broken: those that have to be changed by then."""

    steps: list[PlanStep] = field(default_factory=list)
    done: list[str] = field(default_factory=list)
    unmade: set[str] = field(default_factory=set)
    broken: set[str] = field(default_factory=set)
