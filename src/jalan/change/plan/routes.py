"""How to carry a change out: which SQL in which order, which texts are changed before or in the same moment, and
what takes each step back. What has to be changed with a step is what the simulation says would break by then."""

from collections.abc import Sequence

from jalan.change.actions import ColumnChange, Does, read_action
from jalan.change.outcome import Kind
from jalan.change.plan.drops import drop, drop_column
from jalan.change.plan.model import (
    AT_ONCE,
    Draft,
    PlanStep,
    Route,
)
from jalan.change.plan.parts import Parts
from jalan.change.plan.renames import rename, rename_column
from jalan.change.plan.retypes import retype, set_not_null
from jalan.change.plan.written import (
    POSTGRESQL,
    made_again,
    quoted,
)
from jalan.change.simulation import World
from jalan.change.stored import StoredRelation
from jalan.sql import tree
from jalan.sql.grammar.script import Unread, parse

MOST_STATEMENTS = 50
"""Statements of a change for which a plan is made: each is simulated, with all before it."""


class TooMany(ValueError):
    """There are more statements than plans are made for."""


def routes(world: World, change: str) -> list[Route]:
    """Return the ways to carry a change out, the most careful first; none where the database would refuse it for
    another reason than that something hangs on it. Raises TooMany."""
    nodes = [node for node in parse(change, POSTGRESQL) if not isinstance(node, Unread)]
    if len(nodes) > MOST_STATEMENTS:
        raise TooMany(f"{len(nodes)} statements")
    return _ways(Parts(world, change), nodes)


def _ways(parts: Parts, nodes: Sequence[tree.StatementNode]) -> list[Route]:
    if len(nodes) == 1:
        node = nodes[0]
        if isinstance(node, tree.Drop) and len(node.targets) == 1:
            target = parts.catalogue.named(tuple(map(str, node.targets[0].parts)), ("public",))
            return [] if target is None else drop(parts, target)
        if isinstance(node, tree.Alter) and len(node.actions) == 1:
            target = parts.catalogue.named(tuple(map(str, node.target.parts)), ("public",))
            return [] if target is None else _alter(parts, target, node)
    return _one_by_one(parts, nodes)


def _alter(parts: Parts, target: StoredRelation, node: tree.Alter) -> list[Route]:
    action = node.actions[0]
    if action.action == "drop_column" and action.columns:
        column = str(action.columns[0])
        return drop_column(parts, target, column) if column in target.columns else []
    if action.action == "rename_column" and action.old is not None and action.new is not None:
        old, new = str(action.old), str(action.new)
        return rename_column(parts, target, old, new) if old in target.columns else []
    if action.action == "rename" and action.table is not None:
        return rename(parts, target, str(action.table.parts[-1]))
    change = read_action(action, parts.change, "postgresql")
    if isinstance(change, ColumnChange) and change.column in target.columns:
        if change.does is Does.RETYPES and change.type is not None:
            return retype(parts, target, change, change.type)
        if change.does is Does.SETS_NOT_NULL:
            return set_not_null(parts, target, change.column)
    return _one_by_one(parts, [node])


def _one_by_one(parts: Parts, nodes: Sequence[tree.StatementNode]) -> list[Route]:
    draft = Draft()
    for node in nodes:
        written = parts.change[node.start : node.end]
        draft.done.append(written)
        outcome = parts.world.simulate(";\n".join(draft.done))
        if outcome.refused is not None:
            return []
        broken = {one.subject for one in outcome.consequences if one.kind is Kind.BREAKS}
        together = tuple(sorted(broken - draft.broken))
        draft.broken = broken
        draft.steps.append(PlanStep("Run it", written, together=together, undo=_taken_back(parts, node)))
    return [Route("at once", AT_ONCE, tuple(draft.steps))] if draft.steps else []


def _taken_back(parts: Parts, node: tree.StatementNode) -> str:
    if isinstance(node, tree.CreateView):
        known = parts.catalogue.named(tuple(map(str, node.target.parts)), ("public",))
        if known is None:
            return f"drop view {parts.change[node.target.start : node.target.end]}"
        return made_again(known).replace("create view", "create or replace view", 1)
    if isinstance(node, tree.Alter) and len(node.actions) == 1 and node.actions[0].action == "add_column":
        column = quoted(str(node.actions[0].new))
        return f"alter table {parts.change[node.target.start : node.target.end]} drop column {column}"
    return ""
