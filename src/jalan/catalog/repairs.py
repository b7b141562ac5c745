"""Rules that repair irregular rows of flows: as data, in the order given, each with a count of what it did."""

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

Row = dict[str, str]
Test = Callable[[Row], bool]


@dataclass(slots=True)
class FlowTable:
    """Rows of flows: which columns hold the flow, the dataset and the side, and what stands for the sides.

    lines: where each row stands in its file, by the identity of the row.
    """

    rows: list[Row]
    flow: str
    dataset: str
    side: str
    input: str
    output: str
    lines: dict[int, int] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Done:
    """What a rule did: rows that it changed, added or dropped."""

    rule: str
    changed: int = 0
    added: int = 0
    dropped: int = 0


@dataclass(slots=True)
class Repaired:
    """Rows after all rules, and what each did. broken: rows that still lack a flow, a dataset or a side, by
    reason, with the line of the first of them."""

    rows: list[Row]
    done: list[Done] = field(default_factory=list)
    broken: dict[str, tuple[int, int]] = field(default_factory=dict)


def where(column: str, values: Sequence[str] | None, empty: bool | None) -> Test:
    """Return a test of rows: the column has one of these values, or is (not) empty.

    >>> where("kind", ["copy"], None)({"kind": "copy"})
    True
    """
    chosen = None if values is None else set(values)

    def test(row: Row) -> bool:
        value = row[column]
        return (chosen is None or value in chosen) and (empty is None or (value == "") is empty)

    return test


def fill(table: FlowTable, column: str, source: str, test: Test | None) -> Done:
    """Where a column is empty, take another one's value."""
    changed = 0
    for row in table.rows:
        if not row[column] and row[source] and (test is None or test(row)):
            row[column] = row[source]
            changed += 1
    return Done(f"fill {column} from {source}", changed=changed)


def missing_side(table: FlowTable, side: str, source: str, test: Test | None) -> Done:
    """Where a flow has no row on one side, add one whose dataset is what a column of its other rows says.

    So the id of a flow whose output is itself becomes the output's id: the column is then that of the flow.
    """
    word = table.input if side == "input" else table.output
    have = {row[table.flow] for row in table.rows if row[table.side] == word and row[table.dataset]}
    added: dict[tuple[str, str], Row] = {}
    for row in table.rows:
        flow = row[table.flow]
        key = (flow, row[source])
        if flow and flow not in have and key not in added and row[source] and (test is None or test(row)):
            new = added[key] = row | {table.side: word, table.dataset: row[source]}
            table.lines[id(new)] = table.lines.get(id(row), 0)
    table.rows += added.values()
    return Done(f"missing {side} from {source}", added=len(added))


def drop_duplicates(table: FlowTable, by: Sequence[str]) -> Done:
    """Keep the first of the rows that are equal in these columns."""
    seen: set[tuple[str, ...]] = set()
    kept = []
    for row in table.rows:
        key = tuple(row[column] for column in by)
        if key not in seen:
            seen.add(key)
            kept.append(row)
    dropped = len(table.rows) - len(kept)
    table.rows = kept
    return Done(f"drop duplicates by {', '.join(by)}", dropped=dropped)


def ignore(table: FlowTable, test: Test) -> Done:
    """Leave rows out."""
    kept = [row for row in table.rows if not test(row)]
    dropped = len(table.rows) - len(kept)
    table.rows = kept
    return Done("ignore", dropped=dropped)


def check(table: FlowTable, done: list[Done]) -> Repaired:
    """Return the rows that can be used, and say what is wrong with the others."""
    sides = {table.input, table.output}
    usable = []
    reasons: Counter[str] = Counter()
    first: dict[str, int] = {}
    for row in table.rows:
        reason = (
            f"“{table.flow}” is empty"
            if not row[table.flow]
            else f"“{table.dataset}” is empty"
            if not row[table.dataset]
            else f"“{table.side}” is neither “{table.input}” nor “{table.output}”"
            if row[table.side] not in sides
            else None
        )
        if reason is None:
            usable.append(row)
        else:
            reasons[reason] += 1
            first.setdefault(reason, table.lines.get(id(row), 0))
    return Repaired(usable, done, {reason: (count, first[reason]) for reason, count in reasons.items()})
