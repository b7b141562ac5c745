"""Plans to drop something."""

from collections.abc import Sequence

from jalan.change.plan.model import (
    BACKUP,
    BY_POSITION,
    BY_STEPS,
    IN_THE_TEXT,
    MEANWHILE,
    Draft,
    PlanStep,
    Route,
)
from jalan.change.plan.parts import Parts
from jalan.change.plan.written import (
    columns_of,
    database_of,
    made_again,
    quoted,
    short_name,
    whole_name,
)
from jalan.change.stored import StoredRelation

_ASIDE = "{}_unused"


def drop(parts: Parts, target: StoredRelation) -> list[Route]:
    """Return how a relation is dropped: what hangs on it first, then itself, put aside before."""
    draft = Draft()
    parts.without_shown(draft, target, None)
    parts.without_views(draft, target, None)
    fillers = parts.makers.get(target.name, [])
    if target.is_query or target.name in parts.fillers:
        note = IN_THE_TEXT.format(", ".join(fillers)) + " Take it out there, too." if fillers else ""
        undo = made_again(target).replace("{", "{{").replace("}", "}}")
        parts.run(draft, "Drop it", target, f"drop {target.words} {{t}}", undo, note, also=fillers)
        return [Route("step by step", "What hangs on it goes first.", tuple(draft.steps))]
    aside = quoted(_ASIDE.format(target.name.rpartition(".")[2]))
    name = quoted(target.name.rpartition(".")[2])
    schema = short_name(target).rpartition(".")[0]
    back = f"alter table {schema}.{aside} rename to {name}" if schema else ""
    parts.run(
        draft,
        "Put it aside under another name: nothing is lost yet",
        target,
        "alter table {t} rename to {n}",
        undo=back,
        also=fillers,
        n=aside,
    )
    draft.steps.append(PlanStep("Wait", note=MEANWHILE))
    pointing = parts.catalogue.pointing_at(target.number)
    draft.steps.append(
        PlanStep(
            "Drop it",
            f"drop table {schema}.{aside}{' cascade' if pointing else ''}",
            database_of(target),
            undo=f"create table {schema}.{aside} ({', '.join(columns_of(target))})",
            note=BACKUP + _keys_of(pointing),
        )
    )
    return [Route("step by step", BY_STEPS, tuple(draft.steps))]


def drop_column(parts: Parts, target: StoredRelation, column: str) -> list[Route]:
    """Return how a column is dropped: what hangs on it first, then itself, put aside before."""
    draft = Draft()
    parts.without_shown(draft, target, column)
    parts.without_views(draft, target, column)
    filler = parts.in_the_text(target)
    if filler:
        last = f"alter table {whole_name(target.name)} drop column {quoted(column)}"
        broken = parts.breaks([*draft.done, last], draft.unmade.union(parts.fillers[target.name]))
        step = PlanStep(
            f"Take {column} out of what {filler} makes",
            before=tuple(sorted(broken - draft.broken - set(parts.fillers[target.name]))),
            together=tuple(parts.fillers[target.name]),
            note=IN_THE_TEXT.format(filler),
        )
        return [Route("step by step", BY_STEPS, (*draft.steps, step))]
    aside = quoted(_ASIDE.format(column))
    parts.run(
        draft,
        "Put it aside under another name: nothing is lost yet",
        target,
        "alter table {t} rename column {c} to {n}",
        undo="alter table {t} rename column {n} to {c}",
        c=quoted(column),
        n=aside,
    )
    draft.steps.append(PlanStep("Wait", note=MEANWHILE))
    number = target.columns[column]
    pointing = parts.catalogue.pointing_at(target.number, number)
    made = [name for name, n in target.columns.items() if number in target.generated.get(n, ())]
    by_position = parts.by_position(target)
    parts.run(
        draft,
        "Drop it",
        target,
        f"alter table {{t}} drop column {{n}}{' cascade' if pointing or made else ''}",
        undo=f"alter table {{t}} add column {{n}} {target.type_of(column) or '…'}",
        note=BACKUP
        + _keys_of(pointing)
        + (f" So does {', '.join(made)}, which is made of it." if made else "")
        + (f" {BY_POSITION.format(', '.join(by_position))}" if by_position else ""),
        together=True,
        also=by_position,
        n=aside,
    )
    return [Route("step by step", BY_STEPS, tuple(draft.steps))]


def _keys_of(pointing: Sequence[StoredRelation]) -> str:
    """What is said of the foreign keys of tables, which go along with what they need."""
    return f" Foreign keys of {', '.join(map(short_name, pointing))} go along." if pointing else ""
