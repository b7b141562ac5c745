"""A function followed where it is called: its body is run on what flows into its parameters."""

from jalan.lineage.interpret.procedures import Procedure
from jalan.lineage.resolve.environment import Environment
from jalan.lineage.resolve.resolver import Resolver
from jalan.lineage.resolve.scope import Made, Relation
from jalan.sql import tree


def result_of(env: Environment, routine: tree.Routine, variables: dict[str, Made]) -> Relation:
    """Return what a function returns when its parameters hold these values.

    env: that of the call.
    """
    inner = Environment(env.dialect, env.tables, env.text, result_of)
    inner.variables = dict(variables)
    inner.reads = env.reads
    inner.returned = _returned_names(routine)
    resolver = Resolver(inner)
    resolver.calls.follow(env.known, env.inlined + 1)
    run = Procedure(resolver, None)
    if routine.result is not None and routine.returns is not None:
        run.result_table = routine.result
        env.tables.make((routine.result,), routine.returns, True)
    run.run(routine.body)
    if not run.result.columns and inner.returned:
        made = [inner.variables[name] for name in inner.returned if name in inner.variables]
        return Relation(made, {}, {}, [])
    return run.result


def _returned_names(routine: tree.Routine) -> list[str]:
    """The variables that make up the result: OUT parameters, or the columns of the table that is returned."""
    return (routine.returns or []) or [name for name, mode in routine.parameters if "out" in mode]
