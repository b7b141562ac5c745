"""How a change is carried out: the plan over a database as the store has it."""

from jalan.change.plan import MOST_STATEMENTS, TooMany, routes
from jalan.change.stored import POSTGRESQL
from jalan.service.change.answers import PlanRoute, PlanStepFact
from jalan.service.change.simulate import MOST_TEXT, check_change
from jalan.service.change.world import DatabaseWorld, world_of
from jalan.service.context import Context
from jalan.service.errors import Invalid


def plan(context: Context, change: str, database: str | None) -> list[PlanRoute]:
    """Return the ways to carry a change out, the most careful first; none where there is none. Raises Invalid,
    NotFound.

    Cost: a simulation for each step.
    """
    return plan_in(world_of(context, database), change)


def plan_in(here: DatabaseWorld, change: str) -> list[PlanRoute]:
    """Return the ways to carry a change out in a world. Raises Invalid."""
    if len(change) > MOST_TEXT:
        raise Invalid(f"change: at most {MOST_TEXT} characters are read")
    if here.world.dialect != POSTGRESQL:
        raise Invalid(
            f"change: plans are made for PostgreSQL; the texts of {here.database} are {here.world.dialect}"
        )
    check_change(change, POSTGRESQL)
    try:
        found = routes(here.world.apart(), change)
    except TooMany as error:
        raise Invalid(f"change: it has {error}; plans are made for at most {MOST_STATEMENTS}") from error
    return [
        PlanRoute(
            name=route.name,
            why=route.why,
            steps=[
                PlanStepFact(
                    title=step.title,
                    sql=step.sql,
                    database=(step.database or here.database) if step.sql else "",
                    before=list(step.before),
                    together=list(step.together),
                    undo=step.undo,
                    note=step.note,
                    with_last=step.with_last,
                )
                for step in route.steps
            ],
        )
        for route in found
    ]
