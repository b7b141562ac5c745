"""A text that is edited, held against what it was, statement by statement: what it makes otherwise."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from difflib import SequenceMatcher

from jalan.change.meaning import Forms, QueryDifference, difference
from jalan.change.meaning.difference import MOVED, RENAMED, RETYPED, ColumnDifference
from jalan.change.steps import UNKNOWN, TextStep, step_names

Columns = frozenset[str] | None
"""Columns whose values may be others; none where the rows may be."""


@dataclass(slots=True)
class Edit:
    """What an edited text makes otherwise, of what has not changed.

    flows: number of a flow → the columns. filled: the same of what is filled without one (views). whole: what holds
    other rows from the first statement on. everything: nobody knows what it makes otherwise. differs: by what is
    filled, how its queries differ; none where that cannot be told.
    """

    flows: dict[int, Columns] = field(default_factory=dict)
    filled: dict[str, Columns] = field(default_factory=dict)
    whole: set[str] = field(default_factory=set)
    everything: bool = False
    differs: dict[str, QueryDifference | None] = field(default_factory=dict)


ASKED = ""
"""What stands for the target of a query that fills nothing."""


def compare(before: Sequence[TextStep], after: Sequence[TextStep], forms: Forms) -> Edit:
    """Return what an edited text makes otherwise. before, after: the steps of both over the same catalogue.

    Statements are paired in their order; what has no partner makes all that it fills otherwise.
    """
    found = Edit()
    one, other = ([(step.kind, step.targets) for step in steps] for steps in (before, after))
    pairs = SequenceMatcher(None, one, other, autojunk=False).get_matching_blocks()
    left, right = set(range(len(before))), set(range(len(after)))
    for start, there, length in pairs:
        for n in range(length):
            _pair(before[start + n], after[there + n], forms, found)
            left.discard(start + n)
            right.discard(there + n)
    alone = [*(before[n] for n in sorted(left)), *(after[n] for n in sorted(right))]
    found.everything |= any(step.kind == UNKNOWN for step in alone)
    found.flows.update({step.flow: None for n in right if (step := after[n]).flow is not None})
    found.whole |= step_names(alone)
    found.differs.update(dict.fromkeys(step_names(alone)))
    return found


def _pair(before: TextStep, after: TextStep, forms: Forms, found: Edit) -> None:
    columns: Columns = frozenset()
    if before.query is not None and after.query is not None:
        differs = difference(before.query, after.query, forms) if before.around == after.around else None
        if differs is not None:
            differs.columns += _retyped(before, after)
        columns = _otherwise(differs, after.makes)
        _tell(found, after, differs)
    elif before.written != after.written:
        found.everything |= before.kind == UNKNOWN
        columns = before.sets | after.sets or None
        _tell(found, after, None)
    if columns is None or columns:
        if after.flow is not None:
            found.flows[after.flow] = columns
        else:
            found.filled.update(dict.fromkeys(after.targets, columns))


def _retyped(before: TextStep, after: TextStep) -> list[ColumnDifference]:
    pairs = ((name, before.types[name], now) for name, now in after.types.items() if name in before.types)
    return [ColumnDifference(name, RETYPED, was, now) for name, was, now in pairs if was != now]


def _otherwise(differs: QueryDifference | None, makes: bool) -> Columns:
    """Which columns of a target hold something else. makes: whether its columns are those of the query."""
    if differs is None or differs.rows or differs.order:
        return None
    if makes:
        return differs.values()  # what is gained, lost or called otherwise is so in the target
    named = {one.name for one in differs.columns if one.kind not in (MOVED, RETYPED)}
    return frozenset(named | {one.before for one in differs.columns if one.kind == RENAMED})


def _tell(found: Edit, step: TextStep, differs: QueryDifference | None) -> None:
    for name in step.targets or (ASKED,):
        known = found.differs.get(name, QueryDifference())
        if known is None or differs is None:
            found.differs[name] = None
        else:
            found.differs[name] = QueryDifference(
                [*known.columns, *differs.columns], [*known.rows, *differs.rows], known.order or differs.order
            )
