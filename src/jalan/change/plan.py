"""How to carry a change out: which SQL in which order, which texts are changed before or in the same moment, and
what takes each step back. What has to be changed with a step is what the simulation says would break by then."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field

from jalan.change.catalogue import FOREIGN, MATERIALISED, TABLE, VIEW, StoredRelation
from jalan.change.column_changes import ColumnChange, Does, column_change
from jalan.change.outcome import Kind
from jalan.change.simulation import World
from jalan.change.types import EXPLICIT, Misfit, TypedOutput, TypeName, check_statement, type_system
from jalan.sql import tree
from jalan.sql.dialects import get_dialect
from jalan.sql.grammar.script import Unread, parse
from jalan.sql.lexer import WORD, tokenize
from jalan.sql.walk import walk

_POSTGRESQL = get_dialect("postgresql")
MOST_STATEMENTS = 50
"""Statements of a change for which a plan is made: each is simulated, with all before it."""
_STEADY = "NSB"
"""Categories of types whose casts depend on no setting: numbers, strings, truth values."""
_ASIDE = "{}_unused"
_BACKUP = "What it held comes back only from a backup."
_MEANWHILE = (
    "Wait until everything has run and has been looked at once. Whatever still asks for it fails by then, and the "
    "step before is taken back at once."
)
_BY_STEPS = "Nothing fails in between, and each step can wait for the next one."
_AT_ONCE = "Few steps, but the texts that are changed together must be there in the same moment."
_IN_THE_TEXT = "It is made anew by {}: what is done to it otherwise is gone with the next run."


@dataclass(frozen=True, slots=True)
class PlanStep:
    """A step. title: what for. sql: what is run, in which database (none: that over which the texts are run); empty
    where only texts are changed, or one waits. before: places of texts that are changed by then, at any time;
    together: those that are changed in the same moment. undo: what takes the SQL back. note: what else to know.
    with_last: it is taken in the same moment as the step before it."""

    title: str
    sql: str = ""
    database: str = ""
    before: tuple[str, ...] = ()
    together: tuple[str, ...] = ()
    undo: str = ""
    note: str = ""
    with_last: bool = False


@dataclass(frozen=True, slots=True)
class Route:
    """One way to carry a change out. name, why: in words."""

    name: str
    why: str
    steps: tuple[PlanStep, ...]


@dataclass(slots=True)
class _Draft:
    """The steps of a route so far. done: what has been run by then, as the simulation takes it. unmade: places of
    texts that no longer make what was dropped. broken: those that have to be changed by then."""

    steps: list[PlanStep] = field(default_factory=list)
    done: list[str] = field(default_factory=list)
    unmade: set[str] = field(default_factory=set)
    broken: set[str] = field(default_factory=set)


class TooMany(ValueError):
    """There are more statements than plans are made for."""


def routes(world: World, change: str) -> list[Route]:
    """Return the ways to carry a change out, the most careful first; none where the database would refuse it for
    another reason than that something hangs on it. Raises TooMany."""
    nodes = [node for node in parse(change, _POSTGRESQL) if not isinstance(node, Unread)]
    if len(nodes) > MOST_STATEMENTS:
        raise TooMany(f"{len(nodes)} statements")
    return _Planner(world, change).routes(nodes)


class _Planner:
    def __init__(self, world: World, change: str) -> None:
        self._world, self._change, self._catalogue = world, change, world.catalogue
        self._fillers: dict[str, list[str]] = {}
        for text, ran in zip(world.texts, world.ran, strict=True):
            for name in ran.wrote:
                relation = self._catalogue.find(name)
                # What is emptied and filled again keeps its columns; what is dropped and made again does not.
                if name in ran.anew & ran.dropped or (relation is not None and relation.is_query):
                    self._fillers.setdefault(name, []).append(text.place)

    def routes(self, nodes: Sequence[tree.StatementNode]) -> list[Route]:
        if len(nodes) == 1:
            node = nodes[0]
            if isinstance(node, tree.Drop) and len(node.targets) == 1:
                target = self._catalogue.named(tuple(map(str, node.targets[0].parts)), ("public",))
                return [] if target is None else self._drop(target)
            if isinstance(node, tree.Alter) and len(node.actions) == 1:
                target = self._catalogue.named(tuple(map(str, node.target.parts)), ("public",))
                return [] if target is None else self._alter(target, node.actions[0])
        return self._one_by_one(nodes)

    def _alter(self, target: StoredRelation, action: tree.AlterAction) -> list[Route]:
        if action.action == "drop_column" and action.columns:
            column = str(action.columns[0])
            return self._drop_column(target, column) if column in target.columns else []
        if action.action == "rename_column" and action.old is not None and action.new is not None:
            old, new = str(action.old), str(action.new)
            return self._rename_column(target, old, new) if old in target.columns else []
        if action.action == "rename" and action.table is not None:
            return self._rename(target, str(action.table.parts[-1]))
        change = column_change(action, self._change)
        if change is not None and change.column in target.columns:
            if change.does is Does.RETYPES and change.type is not None:
                return self._retype(target, change, change.type)
            if change.does is Does.SETS_NOT_NULL:
                return self._set_not_null(target, change.column)
        return self._one_by_one([node for node in parse(self._change, _POSTGRESQL) if not isinstance(node, Unread)])

    # --- parts of steps --------------------------------------------------------------------------------

    def _breaks(self, done: Iterable[str], unmade: Iterable[str] = ()) -> set[str]:
        outcome = self._world.simulate(";\n".join(done), stopped=frozenset(unmade))
        return {one.subject for one in outcome.consequences if one.kind is Kind.BREAKS}

    def _run(
        self,
        draft: _Draft,
        title: str,
        of: StoredRelation,
        template: str,
        undo: str = "",
        note: str = "",
        together: bool | Callable[[str], bool] = False,
        later: Sequence[str] = (),
        made_by: Sequence[str] = (),
        **names: str,
    ) -> None:
        """Add a step that runs SQL: ``{t}`` in it stands for the relation. together: whether the texts that break
        by then are changed in the same moment, or which of them. later: what follows at once, before any text runs.
        made_by: texts that would make it again.
        """
        shown, whole = _short(of), _whole(of.name)
        draft.done.append(template.format(t=whole, **names))
        draft.unmade.update(made_by)
        broken = self._breaks([*draft.done, *later], draft.unmade)
        new = sorted((broken - draft.broken).union(made_by))
        draft.broken = broken.union(made_by)
        at_once = {
            place for place in new if (together(place) if callable(together) else together or place in made_by)
        }
        draft.steps.append(
            PlanStep(
                title,
                template.format(t=shown, **names),
                _database(of),
                before=tuple(place for place in new if place not in at_once),
                together=tuple(place for place in new if place in at_once),
                undo=undo.format(t=shown, **names),
                note=note,
            )
        )

    def _over(self, target: StoredRelation, column: str | None) -> list[StoredRelation]:
        """The views over a relation, or over one of its columns, those that nothing hangs on first."""
        number = None if column is None else target.columns[column]
        found: dict[int, StoredRelation] = {}
        waiting = self._catalogue.hanging_on(target.number, number)
        while waiting:
            one = waiting.pop()
            if one.number not in found and one.number != target.number:
                found[one.number] = one
                waiting += self._catalogue.hanging_on(one.number)
        ordered: list[StoredRelation] = []
        while found:
            free = [n for n in found if not any(n in other.reads for other in found.values() if other.number != n)]
            for number_ in free or list(found)[:1]:
                ordered.append(found.pop(number_))
        return ordered

    def _without_views(self, draft: _Draft, target: StoredRelation, column: str | None) -> None:
        """Drop the views over something, so that nothing goes along that nobody has named."""
        for view in self._over(target, column):
            word = view.words
            self._run(
                draft,
                f"Drop the {word} {_short(view)} that hangs on it, or give it a query without it",
                view,
                f"drop {word} {{t}}",
                undo=_made_again(view).replace("{", "{{").replace("}", "}}"),
                note=_GRANTS,
                made_by=self._fillers.get(view.name, ()),
            )

    def _without_shown(self, draft: _Draft, target: StoredRelation, column: str | None) -> None:
        """Let foreign tables no longer show something."""
        for one in self._catalogue:
            if one.remote != target.name:
                continue
            if column is None:
                self._without_views(draft, one, None)
                again = ", ".join(_columns(one))
                self._run(
                    draft,
                    f"Drop the foreign table {_short(one)} that shows it",
                    one,
                    "drop foreign table {t}",
                    undo=f"create foreign table {{t}} ({again}) server …",
                    note=_GRANTS,
                )
                continue
            for name in one.columns:
                if one.remote_columns.get(name, name) == column:
                    self._without_views(draft, one, name)
                    again = f"alter foreign table {{t}} add column {{c}} {one.type_of(name) or '…'}"
                    title = f"Take it out of the foreign table {_short(one)} that shows it"
                    self._run(draft, title, one, "alter foreign table {t} drop column {c}", again, c=_quoted(name))

    def _shown_by(self, target: StoredRelation, column: str | None) -> list[tuple[StoredRelation, str]]:
        """The foreign tables that show a table, or one of its columns, each with its own name for that."""
        found = []
        for one in self._catalogue:
            if one.remote == target.name and column is None:
                found.append((one, one.name))
            elif one.remote == target.name:
                found += [(one, name) for name in one.columns if one.remote_columns.get(name, name) == column]
        return found

    def _show(
        self, draft: _Draft, target: StoredRelation, column: str | None, new: str, at_once: bool = False
    ) -> None:
        """Let foreign tables show what is called otherwise now; what reads them does not notice."""
        old = target.name.rpartition(".")[2] if column is None else column
        for one, name in self._shown_by(target, column):
            draft.done.append(_showing(_whole(one.name), name, column, new))
            draft.steps.append(
                PlanStep(
                    f"Let the foreign table {_short(one)} show it under its new name",
                    _showing(_short(one), name, column, new),
                    _database(one),
                    undo=_showing(_short(one), name, column, old),
                    note="Where it has no such option yet, the word is add, not set.",
                    with_last=at_once,
                )
            )

    def _in_the_text(self, target: StoredRelation) -> str:
        return ", ".join(self._fillers.get(target.name, ())[:3])

    # --- dropping --------------------------------------------------------------------------------------

    def _drop(self, target: StoredRelation) -> list[Route]:
        draft = _Draft()
        self._without_shown(draft, target, None)
        self._without_views(draft, target, None)
        fillers = self._fillers.get(target.name, [])
        if target.is_query or fillers:
            note = _IN_THE_TEXT.format(", ".join(fillers)) + " Take it out there, too." if fillers else ""
            undo = _made_again(target).replace("{", "{{").replace("}", "}}")
            self._run(draft, "Drop it", target, f"drop {target.words} {{t}}", undo, note, made_by=fillers)
            return [Route("step by step", "What hangs on it goes first.", tuple(draft.steps))]
        aside = _quoted(_ASIDE.format(target.name.rpartition(".")[2]))
        name = _quoted(target.name.rpartition(".")[2])
        schema = _short(target).rpartition(".")[0]
        back = f"alter table {schema}.{aside} rename to {name}" if schema else ""
        self._run(
            draft,
            "Put it aside under another name: nothing is lost yet",
            target,
            "alter table {t} rename to {n}",
            undo=back,
            n=aside,
        )
        draft.steps.append(PlanStep("Wait", note=_MEANWHILE))
        pointing = self._catalogue.pointing_at(target.number)
        keys = ", ".join(map(_short, pointing))
        draft.steps.append(
            PlanStep(
                "Drop it",
                f"drop table {schema}.{aside}{' cascade' if pointing else ''}",
                _database(target),
                undo=f"create table {schema}.{aside} ({', '.join(_columns(target))})",
                note=_BACKUP + (f" Foreign keys of {keys} go along." if pointing else ""),
            )
        )
        return [Route("step by step", _BY_STEPS, tuple(draft.steps))]

    def _drop_column(self, target: StoredRelation, column: str) -> list[Route]:
        draft = _Draft()
        self._without_shown(draft, target, column)
        self._without_views(draft, target, column)
        filler = self._in_the_text(target)
        if filler:
            last = f"alter table {_whole(target.name)} drop column {_quoted(column)}"
            broken = self._breaks([*draft.done, last], draft.unmade)
            step = PlanStep(
                f"Take {column} out of what {filler} makes",
                before=tuple(sorted(broken - draft.broken - set(self._fillers[target.name]))),
                together=tuple(self._fillers[target.name]),
                note=_IN_THE_TEXT.format(filler),
            )
            return [Route("step by step", _BY_STEPS, (*draft.steps, step))]
        aside = _quoted(_ASIDE.format(column))
        self._run(
            draft,
            "Put it aside under another name: nothing is lost yet",
            target,
            "alter table {t} rename column {c} to {n}",
            undo="alter table {t} rename column {n} to {c}",
            c=_quoted(column),
            n=aside,
        )
        draft.steps.append(PlanStep("Wait", note=_MEANWHILE))
        number = target.columns[column]
        pointing = self._catalogue.pointing_at(target.number, number)
        keys = ", ".join(map(_short, pointing))
        made = [name for name, n in target.columns.items() if number in target.generated.get(n, ())]
        draft.steps.append(
            PlanStep(
                "Drop it",
                f"alter table {_short(target)} drop column {aside}{' cascade' if pointing or made else ''}",
                _database(target),
                undo=f"alter table {_short(target)} add column {aside} {target.type_of(column) or '…'}",
                note=_BACKUP
                + (f" Foreign keys of {keys} go along." if pointing else "")
                + (f" So does {', '.join(made)}, which is made of it." if made else ""),
            )
        )
        return [Route("step by step", _BY_STEPS, tuple(draft.steps))]

    # --- names -----------------------------------------------------------------------------------------

    def _rename_column(self, target: StoredRelation, old: str, new: str) -> list[Route]:
        filler = self._in_the_text(target)
        if filler:
            return [self._both_in_the_text(target, old, new)]
        found = []
        type_ = target.type_of(old)
        free = self._is_free(target, old)
        if target.kind == TABLE and free and type_ is not None and new not in target.columns:
            draft = _Draft()
            self._run(
                draft,
                "Add the new column; it always holds what the old one does",
                target,
                "alter table {t} add column {n} {y} generated always as ({o}) stored",
                undo="alter table {t} drop column {n}",
                note="The table is written anew, and locked while that lasts.",
                o=_quoted(old),
                n=_quoted(new),
                y=str(type_),
            )
            self._old_goes(draft, target, old, new, type_, type_)
            found.append(Route("step by step", _BY_STEPS, tuple(draft.steps)))
        draft = _Draft()
        self._run(
            draft,
            "Rename it, and change in the same moment what names it",
            target,
            "alter table {t} rename column {o} to {n}",
            undo="alter table {t} rename column {n} to {o}",
            note="Views in the database follow by themselves.",
            together=True,
            later=[_showing(_whole(one.name), name, old, new) for one, name in self._shown_by(target, old)],
            o=_quoted(old),
            n=_quoted(new),
        )
        self._show(draft, target, old, new, at_once=True)
        return [*found, Route("at once", _AT_ONCE, tuple(draft.steps))]

    def _old_goes(
        self, draft: _Draft, target: StoredRelation, old: str, new: str, back: TypeName, type_: TypeName
    ) -> None:
        """Move what reads a column to the one that was added, then let that stand by itself."""
        self._show(draft, target, old, new)
        for view in self._over(target, old):
            if (target.number, target.columns[old]) in view.uses:
                again = f"create or replace view {_short(view)} as …"
                note = f"Give {_short(view)} a query with {new} in the place of {old}: {again}"
                if view.kind == MATERIALISED:
                    note = f"Make {_short(view)} anew with {new} in the place of {old}."
                draft.steps.append(PlanStep(f"Let {_short(view)} read the new one", note=note))
        self._without_views(draft, target, old)
        writers = {
            text.place
            for text, ran in zip(self._world.texts, self._world.ran, strict=True)
            if target.name in ran.wrote
        }
        self._run(
            draft,
            "Let the new one stand by itself, and drop the old one",
            target,
            "alter table {t} alter column {n} drop expression;\nalter table {t} drop column {o}",
            undo="alter table {t} add column {o} {y};\nupdate {t} set {o} = {n}::{y};\n"
            "alter table {t} drop column {n};\n"
            "alter table {t} add column {n} {z} generated always as ({o}::{z}) stored",
            note="Defaults, keys and indexes of the old one are to be given to the new one before.",
            together=writers.__contains__,
            o=_quoted(old),
            n=_quoted(new),
            y=str(back),
            z=str(type_),
        )

    def _is_free(self, target: StoredRelation, column: str) -> bool:
        """Whether nothing but views hangs on a column: no foreign key, and no column that is made of it."""
        number = target.columns[column]
        made = any(number in sources for sources in target.generated.values())
        return (
            not made and number not in target.generated and not self._catalogue.pointing_at(target.number, number)
        )

    def _both_in_the_text(self, target: StoredRelation, old: str, new: str) -> Route:
        filler = self._in_the_text(target)
        fillers = tuple(self._fillers[target.name])
        broken = self._breaks([f"alter table {_whole(target.name)} drop column {_quoted(old)} cascade"])
        steps = (
            PlanStep(f"Let {filler} make {new} beside {old}", together=fillers, note=_IN_THE_TEXT.format(filler)),
            PlanStep(f"Take {old} out of it again", before=tuple(sorted(broken - set(fillers))), together=fillers),
        )
        return Route("step by step", _BY_STEPS, steps)

    def _rename(self, target: StoredRelation, new: str) -> list[Route]:
        filler = self._in_the_text(target)
        last, name = target.name.rpartition(".")[2], _quoted(new)
        schema = _short(target).rpartition(".")[0]
        there = f"{schema}.{name}" if schema else name
        if filler:
            fillers = self._fillers[target.name]
            broken = self._breaks([f"drop {target.words} {_whole(target.name)} cascade"], fillers)
            step = PlanStep(
                f"Let {filler} make it under the new name, and change what reads it",
                together=tuple(sorted(broken.union(fillers))),
                note=_IN_THE_TEXT.format(filler),
            )
            return [Route("at once", _AT_ONCE, (step,))]
        found = []
        if target.kind in (TABLE, VIEW):
            draft = _Draft()
            whole = _whole(f"{target.name.rpartition('.')[0]}.{new}")
            draft.done += [f"alter table {_whole(target.name)} rename to {name}"]
            draft.done += [f"create view {_whole(target.name)} as select * from {whole}"]
            draft.broken = self._breaks(draft.done)
            draft.steps.append(
                PlanStep(
                    "Rename it, and let a view stand where it was: who reads and writes there notices nothing",
                    f"begin;\nalter {target.words} {_short(target)} rename to {name};\n"
                    f"create view {_short(target)} as select * from {there};\ncommit",
                    _database(target),
                    together=tuple(sorted(draft.broken)),
                    undo=f"begin;\ndrop view {_short(target)};\n"
                    f"alter {target.words} {there} rename to {_quoted(last)};\ncommit",
                    note="A view cannot be truncated, and who may read the table must be allowed to read the view.",
                )
            )
            self._show(draft, target, None, new)
            after = self._breaks([*draft.done, f"drop view {_whole(target.name)}"])
            draft.steps.append(
                PlanStep(
                    "Drop the view when nothing asks for the old name any more",
                    f"drop view {_short(target)}",
                    _database(target),
                    before=tuple(sorted(after - draft.broken)),
                    undo=f"create view {_short(target)} as select * from {there}",
                )
            )
            found.append(Route("step by step", _BY_STEPS, tuple(draft.steps)))
        draft = _Draft()
        self._run(
            draft,
            "Rename it, and change in the same moment what names it",
            target,
            f"alter {target.words} {{t}} rename to {{n}}",
            undo=f"alter {target.words} {there} rename to {_quoted(last)}",
            note="Views in the database follow by themselves.",
            together=True,
            later=[_showing(_whole(one.name), one.name, None, new) for one, _ in self._shown_by(target, None)],
            n=name,
        )
        self._show(draft, target, None, new, at_once=True)
        return [*found, Route("at once", _AT_ONCE, tuple(draft.steps))]

    # --- types and nulls -------------------------------------------------------------------------------

    def _retype(self, target: StoredRelation, change: ColumnChange, type_: TypeName) -> list[Route]:
        column, before = change.column, target.type_of(change.column)
        using = "" if change.using is None else f" using {self._change[slice(*change.using)]}"
        if self._fillers.get(target.name):
            return [self._both_in_the_text(target, column, f"{column} as {type_}")]
        found = []
        new = f"{column}_as_{type_.base.split()[0].strip('[]')}"
        steady = before is not None and self._is_steady(before) and self._is_steady(type_) and not using
        steady = steady and type_system().casts(str(before and before.base), type_.base, EXPLICIT)
        if before is not None and steady and self._is_free(target, column):
            draft = _Draft()
            self._run(
                draft,
                "Add a column of the new type; it always holds what the old one does",
                target,
                "alter table {t} add column {n} {y} generated always as ({o}::{y}) stored",
                undo="alter table {t} drop column {n}",
                note="The table is written anew, and locked while that lasts.",
                o=_quoted(column),
                n=_quoted(new),
                y=str(type_),
            )
            self._old_goes(draft, target, column, new, before, type_)
            found.append(Route("step by step", _BY_STEPS, tuple(draft.steps)))
        draft = _Draft()
        views = self._over(target, column)
        for view in views:
            draft.done.append(f"drop {view.words} {_whole(view.name)}")
        if self._world.simulate(";\n".join([*draft.done, self._change])).refused is not None:
            return found
        own = [_short(view) for view in views if self._calls_own(view)]
        if any(not self._fits(view, target, column, type_) for view in views):
            return found
        again = [_made_again(view) for view in reversed(views)]
        drops = [f"drop {view.words} {_short(view)}" for view in views]
        self._run(
            draft,
            "Give it the new type" + (", with the views over it made anew" if views else ""),
            target,
            f"alter table {{t}} alter column {{c}} type {type_}{using.replace('{', '{{').replace('}', '}}')}",
            undo=f"alter table {{t}} alter column {{c}} type {before or '…'} using {{c}}::{before or '…'}",
            note="The table is written anew, and locked while that lasts."
            + (f" {_GRANTS}" if views else "")
            + (f" {_OWN.format(', '.join(own))}" if own else ""),
            together=True,
            c=_quoted(column),
        )
        if views:
            step = draft.steps[-1]
            whole = ";\n".join(["begin", *drops, step.sql, *again, "commit"])
            undo = ";\n".join(["begin", *drops, step.undo, *again, "commit"])
            draft.steps[-1] = PlanStep(
                step.title, whole, step.database, step.before, step.together, undo, step.note
            )
        return [*found, Route("at once", _AT_ONCE, tuple(draft.steps))]

    def _fits(self, view: StoredRelation, target: StoredRelation, column: str, type_: TypeName) -> bool:
        """Whether the query of a view fits over a column of another type."""
        if view.query is None:
            return True
        path, prefix = view.query.path, view.query.prefix

        def find(parts: tuple[str, ...]) -> list[TypedOutput] | None:
            relation = self._catalogue.named(parts, path, prefix)
            if relation is None:
                return None
            types = {name: relation.types.get(number) for name, number in relation.columns.items()}
            if relation.number == target.number:
                types[column] = type_
            return [TypedOutput(name, one) for name, one in types.items()]

        try:
            for node in parse(view.query.text, _POSTGRESQL):
                if not isinstance(node, Unread):
                    check_statement(node, view.query.text, find)
        except Misfit:
            return False
        return True

    @staticmethod
    def _calls_own(view: StoredRelation) -> bool:
        """Whether the query of a view calls functions that the server has not brought along."""
        nodes = parse(view.query.text, _POSTGRESQL) if view.query is not None else ()
        calls = (
            one
            for node in nodes
            if isinstance(node, tree.QueryStatement)
            for one in walk(node.query)
            if isinstance(one, tree.Call)
        )
        return any(len(one.parts) > 1 and str(one.parts[0]) != "pg_catalog" for one in calls)

    def _is_steady(self, type_: TypeName) -> bool:
        system = type_system()
        return system.knows(type_.base) and system.category(type_.base) in _STEADY and type_.base != "money"

    def _set_not_null(self, target: StoredRelation, column: str) -> list[Route]:
        if target.columns[column] in target.strict:
            return []
        if self._fillers.get(target.name):
            filler, several = self._in_the_text(target), tuple(self._fillers[target.name])
            title = f"Let {filler} leave out the rows without {column}, or give it a value"
            step = PlanStep(title, together=several, note=_IN_THE_TEXT.format(filler))
            return [Route("step by step", _BY_STEPS, (step,))]
        broken = self._breaks([self._change])
        name = _quoted(f"{column}_is_given")
        at = f"alter table {_short(target)}"
        steps = (
            PlanStep(
                "Let no new row come without it",
                f"{at} add constraint {name} check ({_quoted(column)} is not null) not valid",
                _database(target),
                before=tuple(sorted(broken)),
                undo=f"{at} drop constraint {name}",
            ),
            PlanStep(
                "Look through the rows that are there, without a lock",
                f"{at} validate constraint {name}",
                _database(target),
                note=f"Where this fails: select * from {_short(target)} where {_quoted(column)} is null",
            ),
            PlanStep(
                "Say so",
                f"{at} alter column {_quoted(column)} set not null;\n{at} drop constraint {name}",
                _database(target),
                undo=f"{at} alter column {_quoted(column)} drop not null;\n"
                f"{at} add constraint {name} check ({_quoted(column)} is not null)",
            ),
        )
        return [Route("step by step", _BY_STEPS, steps)]

    # --- anything else ---------------------------------------------------------------------------------

    def _one_by_one(self, nodes: Sequence[tree.StatementNode]) -> list[Route]:
        draft = _Draft()
        for node in nodes:
            written = self._change[node.start : node.end]
            draft.done.append(written)
            outcome = self._world.simulate(";\n".join(draft.done))
            if outcome.refused is not None:
                return []
            broken = {one.subject for one in outcome.consequences if one.kind is Kind.BREAKS}
            together = tuple(sorted(broken - draft.broken))
            draft.broken = broken
            draft.steps.append(PlanStep("Run it", written, together=together, undo=self._taken_back(node)))
        return [Route("at once", _AT_ONCE, tuple(draft.steps))] if draft.steps else []

    def _taken_back(self, node: tree.StatementNode) -> str:
        if isinstance(node, tree.CreateView):
            known = self._catalogue.named(tuple(map(str, node.target.parts)), ("public",))
            if known is None:
                return f"drop view {self._change[node.target.start : node.target.end]}"
            return _made_again(known).replace("create view", "create or replace view", 1)
        if isinstance(node, tree.Alter) and len(node.actions) == 1 and node.actions[0].action == "add_column":
            column = _quoted(str(node.actions[0].new))
            return f"alter table {self._change[node.target.start : node.target.end]} drop column {column}"
        return ""


_OWN = "Look at {} before: functions of your own are called there, of which it is not known what they take."
_GRANTS = "Grants and indexes are to be given again by hand."


def _quoted(name: str) -> str:
    """A name as it is written in SQL."""
    tokens = tokenize(name, _POSTGRESQL)
    plain = len(tokens.kinds) == 2 and tokens.kinds[0] == WORD and name == name.lower()
    return name if plain and name not in _POSTGRESQL.reserved else '"' + name.replace('"', '""') + '"'


def _whole(name: str) -> str:
    return ".".join(map(_quoted, name.split(".")))


def _showing(foreign: str, name: str, column: str | None, new: str) -> str:
    """What lets a foreign table show another table, or its column ``name`` another column."""
    written = "'" + new.replace("'", "''") + "'"
    if column is None:
        return f"alter foreign table {foreign} options (set table_name {written})"
    return f"alter foreign table {foreign} alter column {_quoted(name)} options (set column_name {written})"


def _short(relation: StoredRelation) -> str:
    """The name of a relation in its own database."""
    return ".".join(map(_quoted, relation.name.split(".")[-2:]))


def _database(relation: StoredRelation) -> str:
    parts = relation.name.split(".")
    return parts[0] if len(parts) > 2 else ""


def _columns(relation: StoredRelation) -> list[str]:
    return [f"{_quoted(name)} {relation.type_of(name) or '…'}" for name in relation.columns]


def _made_again(relation: StoredRelation) -> str:
    """What makes a relation again."""
    if relation.query is None:
        word = "foreign table" if relation.kind == FOREIGN else "table"
        return f"create {word} {_short(relation)} ({', '.join(_columns(relation))})"
    names = ", ".join(map(_quoted, relation.columns))
    query = relation.query.text.strip().rstrip(";")
    return f"create {relation.words} {_short(relation)} ({names}) as\n{query}"
