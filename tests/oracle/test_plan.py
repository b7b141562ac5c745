"""Plans for changes, against PostgreSQL: each step is really taken in a copy, everything is run after it, and then
all is taken back."""

import os
from collections.abc import Iterator

import psycopg
import pytest

from jalan.change.plan import PlanStep, Route, routes
from jalan.change.simulation import World
from jalan.demo import scenario
from tests.conftest import NIGHTLY, Demo
from tests.oracle.test_change import _SHAPES, _elsewhere
from tests.oracle.warehouse import scratch, texts, world_of


@pytest.fixture(scope="module")
def world(demo: Demo) -> World:
    return world_of(demo.cluster)


def proposals(world: World) -> Iterator[str]:
    """Relations and columns dropped, renamed and given another type."""
    for relation in world.catalogue:
        parts = relation.name.split(".")
        if parts[0] == "remote":
            continue
        database = parts[0] if len(parts) > 2 else scenario.WAREHOUSE
        name = ".".join(parts[-2:])
        changes = [f"drop {relation.words} {name}", f"alter {relation.words} {name} rename to {parts[-1]}_later"]
        if not relation.is_query:
            for column in relation.columns:
                changes.append(f"alter table {name} drop column {column}")
                changes.append(f"alter table {name} rename column {column} to {column}_later")
                changes.append(f"alter table {name} alter column {column} type text")
                changes.append(f"alter table {name} alter column {column} type numeric")
                changes.append(f"alter table {name} alter column {column} set not null")
        yield from (one if database == scenario.WAREHOUSE else _elsewhere(one, database) for one in changes)


def test_a_plan_can_be_carried_out_and_taken_back(demo: Demo, world: World) -> None:
    every = list(proposals(world))
    chosen = every if NIGHTLY else every[4 :: len(every) // 8]
    wrong = []
    for number, change in enumerate(chosen):
        for at, route in enumerate(routes(world, change)):
            wrong += [f"{change}, {route.name}: {one}" for one in carried_out(demo, f"{number}_{at}", route)]
    assert wrong == []


def carried_out(demo: Demo, word: str, route: Route) -> list[str]:
    """What goes wrong as a plan is carried out. Texts that it says are to be changed do not run from then on."""
    wrong: list[str] = []
    with scratch(demo.cluster, f"{os.getpid()}_{word}") as held:
        before = shapes(held)
        changed: set[str] = set()
        taken: list[PlanStep] = []
        for step, following in zip(route.steps, [*route.steps[1:], None], strict=True):
            changed.update(step.before, step.together)
            try:
                take(held, step.database, step.sql)
            except psycopg.Error as error:
                if error.sqlstate == "2BP01" and step.before:
                    return wrong  # views that texts make hang on it, until these are really changed
                if (error.sqlstate or "")[:2] not in ("22", "23") and "functions of your own" not in step.note:
                    wrong.append(f"{step.title}: {step.sql}: {error.diag.message_primary}")
                break  # what the rows hold nobody knows beforehand
            taken.append(step)
            if following is None or not following.with_last:
                wrong += [f"{step.title}: {one}" for one in failing(held, changed)]
        for step in reversed(taken):
            if "…" in step.undo:
                return wrong  # a part of it is not known
            if step.undo:
                try:
                    take(held, step.database, step.undo)
                except psycopg.Error as error:
                    wrong.append(f"undo {step.title}: {step.undo}: {error.diag.message_primary}")
        if not wrong:
            moved = {place for step in taken if "by position" in step.note for place in step.together}
            wrong += [f"taken back: {one}" for one in failing(held, moved)]
            wrong += [
                f"{name} is not as before" for name, kinds in shapes(held).items() if before.get(name) != kinds
            ]
    return wrong


def take(held: dict[str, psycopg.Connection], database: str, sql: str) -> None:
    connection = held[database or scenario.WAREHOUSE]
    for statement in sql.split(";\n"):
        if statement in ("begin", "commit"):
            continue
        if statement.strip():
            connection.execute(statement.encode())


def failing(held: dict[str, psycopg.Connection], changed: set[str]) -> Iterator[str]:
    """Run and ask everything but what is changed, each in a transaction of its own."""
    warehouse = held[scenario.WAREHOUSE]
    for text in texts():
        if text.place in changed:
            continue
        try:
            with warehouse.transaction():
                warehouse.execute(text.text.encode())
        except psycopg.Error as error:
            if (error.sqlstate or "")[:2] not in ("22", "23"):
                yield f"{text.place} fails: {error.diag.message_primary}"


def shapes(held: dict[str, psycopg.Connection]) -> dict[str, set[str]]:
    rows = held[scenario.WAREHOUSE].execute(_SHAPES).fetchall()
    return {f"{schema}.{name}": set(columns) for schema, name, columns in rows}
