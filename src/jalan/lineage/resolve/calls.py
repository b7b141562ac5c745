"""Functions of the script, followed where they are called: their arguments flow into their parameters."""

from collections.abc import Mapping

from jalan.lineage.flow import carry, merge
from jalan.lineage.model import IDENTITY
from jalan.lineage.resolve.pipes import PipeResolver
from jalan.lineage.resolve.scope import Flow, Made, Relation, Scope
from jalan.lineage.tables import TableState
from jalan.sql import tree
from jalan.sql.dialects.dialect import Dialect

_MAX_INLINED = 6


class RoutineResolver(PipeResolver):
    """Resolves calls of the functions that the script defines. ``known`` are those, by their last name."""

    def __init__(self, dialect: Dialect, tables: TableState, text: str) -> None:
        super().__init__(dialect, tables, text)
        self.known: Mapping[str, tree.Routine] = {}
        self.inlined = 0

    def follow(self, known: Mapping[str, tree.Routine], inlined: int = 0) -> None:
        """Follow calls of these functions. ``inlined``: how many calls stand around this one."""
        self.known = known
        self.inlined = inlined
        if inlined < _MAX_INLINED:
            self.knows_routines([name for name, routine in known.items() if routine.kind == "function"])

    def with_clause(self, clause: tree.With, parent: Scope | None) -> None:
        if clause.routines:
            declared = {r.parts[-1].lower(): r for r in clause.routines if isinstance(r, tree.Routine)}
            self.follow({**self.known, **declared}, self.inlined)
        super().with_clause(clause, parent)

    def result_of(self, routine: tree.Routine, variables: dict[str, Made]) -> Relation:
        """Return what a function returns when its parameters hold these values."""
        raise NotImplementedError

    def bound(self, routine: tree.Routine, arguments: list[tree.Expression], scope: Scope) -> dict[str, Made]:
        """Return the parameters of a routine, each with what flows into its argument."""
        variables: dict[str, Made] = {}
        given = iter(arguments)
        for n, (name, mode) in enumerate(routine.parameters):
            made = Made(name, {}, {}, (routine.start, routine.start))
            argument = next(given, None) if mode != "out" else None
            if argument is not None:
                self.collect(argument, scope, made.values, made.conditions, IDENTITY)
                made.span = (argument.start, argument.end)
            variables[name] = variables[self.spelled(f"${n + 1}")] = made
        return variables

    def inline(self, name: str, node: tree.Call, scope: Scope, values: Flow, conditions: Flow, how: str) -> bool:
        found = self.result_of(self.known[name], self.bound(self.known[name], node.arguments, scope))
        if not found.columns:
            return False
        for column in found.columns:
            carry(values, column.values, how)
            merge(conditions, column.conditions)
        merge(conditions, found.rows)
        return True

    def table_function(self, call: tree.Call, scope: Scope) -> Relation | None:
        name = call.parts[-1] if self._lower else call.parts[-1].lower()
        if name not in self.routines:
            return None
        routine = self.known[name]
        found = self.result_of(routine, self.bound(routine, call.arguments, scope))
        if not found.columns:
            return None
        # The rows of a collection of values have one column, which the database names.
        names = routine.returns or (["COLUMN_VALUE"] if self._upper and len(found.columns) == 1 else [])
        columns = [
            Made(names[n] if n < len(names) else made.name, made.values, made.conditions, made.span)
            for n, made in enumerate(found.columns)
        ]
        return Relation(columns, found.rows, found.order, found.open)
