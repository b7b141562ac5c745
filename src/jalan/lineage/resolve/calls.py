"""Functions of the script, followed where they are called: their arguments flow into their parameters."""

from collections.abc import Mapping

from jalan.lineage.flow import carry, merge
from jalan.lineage.model import IDENTITY
from jalan.lineage.resolve.part import ResolverPart
from jalan.lineage.resolve.scope import Flow, Made, Relation, Scope
from jalan.sql import tree

_MAX_INLINED = 6


class CallResolver(ResolverPart):
    """Resolves calls of the functions that the script defines. ``known`` are those, by their last name."""

    def follow(self, known: Mapping[str, tree.Routine], inlined: int = 0) -> None:
        """Follow calls of these functions. ``inlined``: how many calls stand around this one."""
        env = self.env
        env.known = known
        env.inlined = inlined
        if inlined < _MAX_INLINED:
            env.routines = [name for name, routine in known.items() if routine.kind == "function"]
            if env.routines:
                env.special_calls = {*env.special_calls, *env.routines}

    def bound(self, routine: tree.Routine, arguments: list[tree.Expression], scope: Scope) -> dict[str, Made]:
        """Return the parameters of a routine, each with what flows into its argument."""
        variables: dict[str, Made] = {}
        given = iter(arguments)
        for n, (name, mode) in enumerate(routine.parameters):
            made = Made(name, {}, {}, (routine.start, routine.start))
            argument = next(given, None) if mode != "out" else None
            if argument is not None:
                self.resolver.expressions.collect(argument, scope, made.values, made.conditions, IDENTITY)
                made.span = (argument.start, argument.end)
            variables[name] = variables[self.env.spelled(f"${n + 1}")] = made
        return variables

    def inline(self, name: str, node: tree.Call, scope: Scope, values: Flow, conditions: Flow, how: str) -> bool:
        env = self.env
        found = env.result_of(env, env.known[name], self.bound(env.known[name], node.arguments, scope))
        if not found.columns:
            return False
        for column in found.columns:
            carry(values, column.values, how)
            merge(conditions, column.conditions)
        merge(conditions, found.rows)
        return True

    def table_function(self, call: tree.Call, scope: Scope) -> Relation | None:
        env = self.env
        name = call.parts[-1] if env.lower else call.parts[-1].lower()
        if name not in env.routines:
            return None
        routine = env.known[name]
        found = env.result_of(env, routine, self.bound(routine, call.arguments, scope))
        if not found.columns:
            return None
        # The rows of a collection of values have one column, which the database names.
        names = routine.returns or (["COLUMN_VALUE"] if env.upper and len(found.columns) == 1 else [])
        columns = [
            Made(names[n] if n < len(names) else made.name, made.values, made.conditions, made.span)
            for n, made in enumerate(found.columns)
        ]
        return Relation(columns, found.rows, found.order, found.open)
