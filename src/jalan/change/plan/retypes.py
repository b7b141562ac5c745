"""Plans to give a column another type, or to let it be null no more."""

from dataclasses import replace

from jalan.change.actions import ColumnChange
from jalan.change.plan.model import (
    AT_ONCE,
    BY_STEPS,
    GRANTS,
    IN_THE_TEXT,
    WRITTEN_ANEW,
    Draft,
    PlanStep,
    Route,
)
from jalan.change.plan.parts import Parts
from jalan.change.plan.renames import both_in_the_text, with_both
from jalan.change.plan.written import (
    POSTGRESQL,
    database_of,
    made_again,
    name_of,
    quoted,
    short_name,
)
from jalan.change.routines import own_routines
from jalan.change.stored import StoredRelation
from jalan.change.types import ASSIGNMENT, EXPLICIT, Misfit, TypedOutput, TypeName, check_statement, type_system
from jalan.sql import tree
from jalan.sql.grammar.script import Unread, parse
from jalan.sql.walk import walk

_STEADY = "NSB"
"""Categories of types whose casts depend on no setting: numbers, strings, truth values."""
_MADE = "It is made of other columns: to take it back, it is dropped and made anew."
_OWN = "Look at {} before: functions of your own are called there, of which it is not known what they take."


def retype(parts: Parts, target: StoredRelation, change: ColumnChange, type_: TypeName) -> list[Route]:
    """Return how a column gets another type: beside the old one for a while, and at once."""
    column, before = change.column, target.type_of(change.column)
    using = "" if change.using is None else f" using {parts.change[slice(*change.using)]}"
    if parts.fillers.get(target.name):
        return [both_in_the_text(parts, target, column, f"{column} as {type_}")]
    found = []
    new = f"{column}_as_{type_.base.split()[0].strip('[]')}"
    steady = before is not None and _is_steady(before) and _is_steady(type_) and not using
    steady = steady and type_system().casts(str(before and before.base), type_.base, EXPLICIT)
    if before is not None and steady and parts.is_free(target, column):
        found.append(with_both(parts, target, column, new, before, type_))
    draft = Draft()
    views = parts.over(target, column)
    for view in views:
        draft.done.append(f"drop {view.words} {name_of(view)}")
    if parts.world.simulate(";\n".join([*draft.done, parts.change])).refused is not None:
        return found
    own = [short_name(one) for one in views if isinstance(one, StoredRelation) and _calls_own(one)]
    queries = [view for view in views if isinstance(view, StoredRelation)]
    if any(not _fits(parts, view, target, column, type_) for view in queries):
        return found
    again = [made_again(view) for view in reversed(views)]
    # A column that is always made of others takes no USING on the way back.
    is_made = target.columns[column] in target.generated
    back = before is not None and type_system().casts(type_.base, before.base, ASSIGNMENT)
    using_back = "" if is_made else f" using {{c}}::{before or '…'}"
    drops = [f"drop {view.words} {short_name(view)}" for view in views]
    parts.run(
        draft,
        "Give it the new type" + (", with the views over it made anew" if views else ""),
        target,
        f"alter table {{t}} alter column {{c}} type {type_}{using.replace('{', '{{').replace('}', '}}')}",
        undo=""
        if is_made and not back
        else f"alter table {{t}} alter column {{c}} type {before or '…'}{using_back}",
        note=WRITTEN_ANEW
        + (f" {GRANTS}" if views else "")
        + (f" {_OWN.format(', '.join(own))}" if own else "")
        + (f" {_MADE}" if is_made and not back else ""),
        together=True,
        c=quoted(column),
    )
    if views:
        step = draft.steps[-1]
        whole = ";\n".join(["begin", *drops, step.sql, *again, "commit"])
        undo = ";\n".join(["begin", *drops, step.undo, *again, "commit"]) if step.undo else ""
        draft.steps[-1] = PlanStep(step.title, whole, step.database, step.before, step.together, undo, step.note)
    return [*found, Route("at once", AT_ONCE, tuple(draft.steps))]


def _fits(parts: Parts, view: StoredRelation, target: StoredRelation, column: str, type_: TypeName) -> bool:
    """Whether the query of a view fits over a column of another type."""
    if view.query is None:
        return True
    path, prefix = view.query.path, view.query.prefix

    def find(name: tuple[str, ...]) -> list[TypedOutput] | None:
        relation = parts.catalogue.named(name, path, prefix)
        if relation is None:
            return None
        if relation.number == target.number:
            relation = replace(relation, types={**relation.types, relation.columns[column]: type_})
        return relation.outputs()

    try:
        for node in parse(view.query.text, POSTGRESQL):
            if not isinstance(node, Unread):
                check_statement(node, view.query.text, find, own_routines(parts.catalogue, path, prefix))
    except Misfit:
        return False
    return True


def _calls_own(view: StoredRelation) -> bool:
    """Whether the query of a view calls functions that the server has not brought along."""
    nodes = parse(view.query.text, POSTGRESQL) if view.query is not None else ()
    calls = (
        one
        for node in nodes
        if isinstance(node, tree.QueryStatement)
        for one in walk(node.query)
        if isinstance(one, tree.Call)
    )
    return any(len(one.parts) > 1 and str(one.parts[0]) != "pg_catalog" for one in calls)


def _is_steady(type_: TypeName) -> bool:
    system = type_system()
    return system.knows(type_.base) and system.category(type_.base) in _STEADY and type_.base != "money"


def set_not_null(parts: Parts, target: StoredRelation, column: str) -> list[Route]:
    """Return how a column is let be null no more, without a long lock; nothing where it is so already."""
    if target.columns[column] in target.strict:
        return []
    if parts.fillers.get(target.name):
        filler, several = parts.in_the_text(target), tuple(parts.fillers[target.name])
        title = f"Let {filler} leave out the rows without {column}, or give it a value"
        step = PlanStep(title, together=several, note=IN_THE_TEXT.format(filler))
        return [Route("step by step", BY_STEPS, (step,))]
    broken = parts.breaks([parts.change])
    name = quoted(f"{column}_is_given")
    at = f"alter table {short_name(target)}"
    steps = (
        PlanStep(
            "Let no new row come without it",
            f"{at} add constraint {name} check ({quoted(column)} is not null) not valid",
            database_of(target),
            before=tuple(sorted(broken)),
            undo=f"{at} drop constraint {name}",
        ),
        PlanStep(
            "Look through the rows that are there, without a lock",
            f"{at} validate constraint {name}",
            database_of(target),
            note=f"Where this fails: select * from {short_name(target)} where {quoted(column)} is null",
        ),
        PlanStep(
            "Say so",
            f"{at} alter column {quoted(column)} set not null;\n{at} drop constraint {name}",
            database_of(target),
            undo=f"{at} alter column {quoted(column)} drop not null;\n"
            f"{at} add constraint {name} check ({quoted(column)} is not null)",
        ),
    )
    return [Route("step by step", BY_STEPS, steps)]
