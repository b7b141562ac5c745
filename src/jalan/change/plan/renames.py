"""Plans to give something another name."""

from jalan.change.plan.model import (
    AT_ONCE,
    BY_POSITION,
    BY_STEPS,
    IN_THE_TEXT,
    WRITTEN_ANEW,
    Draft,
    PlanStep,
    Route,
)
from jalan.change.plan.parts import Parts
from jalan.change.plan.written import (
    database_of,
    quoted,
    short_name,
    showing,
    whole_name,
)
from jalan.change.stored import MATERIALISED, TABLE, VIEW, StoredRelation, StoredRoutine
from jalan.change.types import TypeName


def rename_column(parts: Parts, target: StoredRelation, old: str, new: str) -> list[Route]:
    """Return how a column gets another name: with both for a while, and at once."""
    filler = parts.in_the_text(target)
    if filler:
        return [both_in_the_text(parts, target, old, new)]
    found = []
    type_ = target.type_of(old)
    free = parts.is_free(target, old)
    if target.kind == TABLE and free and type_ is not None and new not in target.columns:
        found.append(with_both(parts, target, old, new, type_))
    draft = Draft()
    parts.run(
        draft,
        "Rename it, and change in the same moment what names it",
        target,
        "alter table {t} rename column {o} to {n}",
        undo="alter table {t} rename column {n} to {o}",
        note="Views in the database follow by themselves.",
        together=True,
        later=[showing(whole_name(one.name), name, old, new) for one, name in parts.shown_by(target, old)],
        o=quoted(old),
        n=quoted(new),
    )
    parts.show(draft, target, old, new, at_once=True)
    return [*found, Route("at once", AT_ONCE, tuple(draft.steps))]


def with_both(
    parts: Parts, target: StoredRelation, old: str, new: str, before: TypeName, type_: TypeName | None = None
) -> Route:
    """Return how a column gets another name or type with both for a while: what reads it moves to the new one,
    which then stands by itself. before: the type of the old one. type_: another one that the new one has."""
    draft = Draft()
    what, cast = ("the new column", "") if type_ is None else ("a column of the new type", "::{y}")
    parts.run(
        draft,
        f"Add {what}; it always holds what the old one does",
        target,
        f"alter table {{t}} add column {{n}} {{y}} generated always as ({{o}}{cast}) stored",
        undo="alter table {t} drop column {n}",
        note=WRITTEN_ANEW,
        o=quoted(old),
        n=quoted(new),
        y=str(type_ or before),
    )
    _old_goes(parts, draft, target, old, new, before, type_ or before)
    return Route("step by step", BY_STEPS, tuple(draft.steps))


def _old_goes(
    parts: Parts, draft: Draft, target: StoredRelation, old: str, new: str, back: TypeName, type_: TypeName
) -> None:
    """Move what reads a column to the one that was added, then let that stand by itself."""
    parts.show(draft, target, old, new)
    for view in parts.over(target, old):
        key = (target.number, target.columns[old])
        if isinstance(view, StoredRoutine):
            if view.kept is not None and key in view.kept.uses:
                note = f"Give {short_name(view)} a body with {new} in the place of {old}: create or replace …"
                draft.steps.append(PlanStep(f"Let {short_name(view)} read the new one", note=note))
        elif key in view.uses:
            again = f"create or replace view {short_name(view)} as …"
            note = f"Give {short_name(view)} a query with {new} in the place of {old}: {again}"
            if view.kind == MATERIALISED:
                note = f"Make {short_name(view)} anew with {new} in the place of {old}."
            draft.steps.append(PlanStep(f"Let {short_name(view)} read the new one", note=note))
    parts.without_views(draft, target, old)
    by_position = parts.by_position(target)
    writers = {
        text.place for text, ran in zip(parts.world.texts, parts.world.ran, strict=True) if target.name in ran.wrote
    }
    parts.run(
        draft,
        "Let the new one stand by itself, and drop the old one",
        target,
        "alter table {t} alter column {n} drop expression;\nalter table {t} drop column {o}",
        undo="alter table {t} add column {o} {y};\nupdate {t} set {o} = {n}::{y};\n"
        "alter table {t} drop column {n};\n"
        "alter table {t} add column {n} {z} generated always as ({o}::{z}) stored",
        note="Defaults, keys and indexes of the old one are to be given to the new one before."
        + (f" {BY_POSITION.format(', '.join(by_position))}" if by_position else ""),
        together=writers.__contains__,
        also=by_position,
        o=quoted(old),
        n=quoted(new),
        y=str(back),
        z=str(type_),
    )


def both_in_the_text(parts: Parts, target: StoredRelation, old: str, new: str) -> Route:
    """Return how a column is renamed, or made of another type, that a text makes anew each time."""
    filler = parts.in_the_text(target)
    fillers = tuple(parts.fillers[target.name])
    broken = parts.breaks([f"alter table {whole_name(target.name)} drop column {quoted(old)} cascade"], fillers)
    steps = (
        PlanStep(f"Let {filler} make {new} beside {old}", together=fillers, note=IN_THE_TEXT.format(filler)),
        PlanStep(f"Take {old} out of it again", before=tuple(sorted(broken - set(fillers))), together=fillers),
    )
    return Route("step by step", BY_STEPS, steps)


def rename(parts: Parts, target: StoredRelation, new: str) -> list[Route]:
    """Return how a relation gets another name: with a view in its place for a while, and at once."""
    filler = parts.in_the_text(target)
    last, name = target.name.rpartition(".")[2], quoted(new)
    schema = short_name(target).rpartition(".")[0]
    there = f"{schema}.{name}" if schema else name
    if filler:
        fillers = parts.fillers[target.name]
        broken = parts.breaks([f"drop {target.words} {whole_name(target.name)} cascade"], fillers)
        step = PlanStep(
            f"Let {filler} make it under the new name, and change what reads it",
            together=tuple(sorted(broken.union(fillers))),
            note=IN_THE_TEXT.format(filler),
        )
        return [Route("at once", AT_ONCE, (step,))]
    found = []
    makers = parts.makers.get(target.name, [])
    if target.kind in (TABLE, VIEW) and not makers:
        draft = Draft()
        whole = whole_name(f"{target.name.rpartition('.')[0]}.{new}")
        draft.done += [f"alter table {whole_name(target.name)} rename to {name}"]
        draft.done += [f"create view {whole_name(target.name)} as select * from {whole}"]
        draft.broken = parts.breaks(draft.done)
        draft.steps.append(
            PlanStep(
                "Rename it, and let a view stand where it was: who reads and writes there notices nothing",
                f"begin;\nalter {target.words} {short_name(target)} rename to {name};\n"
                f"create view {short_name(target)} as select * from {there};\ncommit",
                database_of(target),
                together=tuple(sorted(draft.broken)),
                undo=f"begin;\ndrop view {short_name(target)};\n"
                f"alter {target.words} {there} rename to {quoted(last)};\ncommit",
                note="A view cannot be truncated, and who may read the table must be allowed to read the view.",
            )
        )
        parts.show(draft, target, None, new)
        after = parts.breaks([*draft.done, f"drop view {whole_name(target.name)}"])
        draft.steps.append(
            PlanStep(
                "Drop the view when nothing asks for the old name any more",
                f"drop view {short_name(target)}",
                database_of(target),
                before=tuple(sorted(after - draft.broken)),
                undo=f"create view {short_name(target)} as select * from {there}",
            )
        )
        found.append(Route("step by step", BY_STEPS, tuple(draft.steps)))
    draft = Draft()
    parts.run(
        draft,
        "Rename it, and change in the same moment what names it",
        target,
        f"alter {target.words} {{t}} rename to {{n}}",
        undo=f"alter {target.words} {there} rename to {quoted(last)}",
        note="Views in the database follow by themselves.",
        together=True,
        later=[showing(whole_name(one.name), one.name, None, new) for one, _ in parts.shown_by(target, None)],
        also=makers,
        n=name,
    )
    parts.show(draft, target, None, new, at_once=True)
    return [*found, Route("at once", AT_ONCE, tuple(draft.steps))]
