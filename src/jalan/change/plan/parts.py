"""The parts that steps of plans are put together from."""

from collections.abc import Callable, Iterable, Sequence

from jalan.change.outcome import Kind
from jalan.change.plan.model import GRANTS, Draft, PlanStep
from jalan.change.plan.written import (
    columns_of,
    database_of,
    made_again,
    name_of,
    quoted,
    short_name,
    showing,
    whole_name,
)
from jalan.change.simulation import World
from jalan.change.stored import StoredRelation, StoredRoutine
from jalan.sql import tree


class Parts:
    """A change over a world.

    fillers: relation → places of the texts that drop it and make it anew each time; makers: of those that make it
    where it is not there.
    """

    def __init__(self, world: World, change: str) -> None:
        self.world, self.change, self.catalogue = world, change, world.catalogue
        self.fillers: dict[str, list[str]] = {}
        for text, ran in zip(world.texts, world.ran, strict=True):
            for name in ran.wrote:
                relation = self.catalogue.find(name)
                # What is emptied and filled again keeps its columns; what is dropped and made again does not.
                if name in ran.anew & ran.dropped or (relation is not None and relation.is_query):
                    self.fillers.setdefault(name, []).append(text.place)
        self.makers = {name: list(places) for name, places in self.fillers.items()}
        for text, statements in zip(world.texts, world.statements, strict=True):
            for one in statements:
                if isinstance(one.node, tree.CreateTable | tree.CreateTableAs | tree.CreateView):
                    made = self.catalogue.named(tuple(map(str, one.node.target.parts)), text.search_path)
                    if made is not None and text.place not in self.makers.setdefault(made.name, []):
                        self.makers[made.name].append(text.place)

    def by_position(self, target: StoredRelation) -> list[str]:
        """Return the places of texts that put values into a table without naming its columns."""
        ran = zip(self.world.texts, self.world.ran, strict=True)
        return sorted(text.place for text, one in ran if target.name in one.whole and target.name in one.filled)

    def breaks(self, done: Iterable[str], unmade: Iterable[str] = ()) -> set[str]:
        """Return the places of the texts that break once something is done. unmade: of those that do not run."""
        outcome = self.world.simulate(";\n".join(done), stopped=frozenset(unmade))
        return {one.subject for one in outcome.consequences if one.kind is Kind.BREAKS}

    def run(
        self,
        draft: Draft,
        title: str,
        of: StoredRelation | StoredRoutine,
        template: str,
        undo: str = "",
        note: str = "",
        together: bool | Callable[[str], bool] = False,
        later: Sequence[str] = (),
        also: Sequence[str] = (),
        **names: str,
    ) -> None:
        """Add a step that runs SQL: ``{t}`` in it stands for the relation. together: whether the texts that break
        by then are changed in the same moment, or which of them. later: what follows at once, before any text runs.
        also: texts that are changed in the same moment in any case.
        """
        shown, whole = short_name(of), name_of(of)
        draft.done.append(template.format(t=whole, **names))
        draft.unmade.update(also)
        broken = self.breaks([*draft.done, *later], draft.unmade)
        new = sorted((broken - draft.broken).union(also))
        draft.broken = broken.union(also)
        at_once = {place for place in new if (together(place) if callable(together) else together or place in also)}
        draft.steps.append(
            PlanStep(
                title,
                template.format(t=shown, **names),
                database_of(of),
                before=tuple(place for place in new if place not in at_once),
                together=tuple(place for place in new if place in at_once),
                undo=undo.format(t=shown, **names),
                note=note,
            )
        )

    def over(self, target: StoredRelation, column: str | None) -> list[StoredRelation | StoredRoutine]:
        """The views over a relation, or over one of its columns, and the routines that hang on it, those first on
        which nothing hangs."""
        number = None if column is None else target.columns[column]
        found: dict[tuple[bool, int], StoredRelation | StoredRoutine] = {}
        after: dict[tuple[bool, int], set[tuple[bool, int]]] = {}
        waiting = self.catalogue.over(target, number)
        while waiting:
            one = waiting.pop()
            if _key(one) in found or one is target:
                continue
            found[_key(one)] = one
            above = self.catalogue.over(one)
            after[_key(one)] = {_key(each) for each in above} - {_key(one)}
            waiting += above
        ordered = []
        while found:
            free = [key for key in found if not after[key] & found.keys()]
            ordered += [found.pop(key) for key in free or list(found)[:1]]
        return ordered

    def without_views(self, draft: Draft, target: StoredRelation, column: str | None) -> None:
        """Drop what hangs on something, so that nothing goes along that nobody has named."""
        for one in self.over(target, column):
            instead = "a body" if isinstance(one, StoredRoutine) else "a query"
            self.run(
                draft,
                f"Drop the {one.words} {short_name(one)} that hangs on it, or give it {instead} without it",
                one,
                f"drop {one.words} {{t}}",
                undo=made_again(one).replace("{", "{{").replace("}", "}}"),
                note=GRANTS,
                also=self.fillers.get(one.name, ()),
            )

    def without_shown(self, draft: Draft, target: StoredRelation, column: str | None) -> None:
        """Let foreign tables no longer show something."""
        for one, name in self.shown_by(target, column):
            self.without_views(draft, one, None if column is None else name)
            if column is None:
                self.run(
                    draft,
                    f"Drop the foreign table {short_name(one)} that shows it",
                    one,
                    "drop foreign table {t}",
                    undo=f"create foreign table {{t}} ({', '.join(columns_of(one))}) server …",
                    note=GRANTS,
                )
            else:
                again = f"alter foreign table {{t}} add column {{c}} {one.type_of(name) or '…'}"
                title = f"Take it out of the foreign table {short_name(one)} that shows it"
                self.run(draft, title, one, "alter foreign table {t} drop column {c}", again, c=quoted(name))

    def shown_by(self, target: StoredRelation, column: str | None) -> list[tuple[StoredRelation, str]]:
        """The foreign tables that show a table, or one of its columns, each with its own name for that."""
        found = []
        for one in self.catalogue:
            if one.remote == target.name and column is None:
                found.append((one, one.name))
            elif one.remote == target.name:
                found += [(one, name) for name in one.columns if one.remote_columns.get(name, name) == column]
        return found

    def show(
        self, draft: Draft, target: StoredRelation, column: str | None, new: str, at_once: bool = False
    ) -> None:
        """Let foreign tables show what is called otherwise now; what reads them does not notice."""
        old = target.name.rpartition(".")[2] if column is None else column
        for one, name in self.shown_by(target, column):
            draft.done.append(showing(whole_name(one.name), name, column, new))
            draft.steps.append(
                PlanStep(
                    f"Let the foreign table {short_name(one)} show it under its new name",
                    showing(short_name(one), name, column, new),
                    database_of(one),
                    undo=showing(short_name(one), name, column, old),
                    note="Where it has no such option yet, the word is add, not set.",
                    with_last=at_once,
                )
            )

    def in_the_text(self, target: StoredRelation) -> str:
        return ", ".join(self.fillers.get(target.name, ())[:3])

    def is_free(self, target: StoredRelation, column: str) -> bool:
        """Whether nothing but views hangs on a column: no foreign key, and no column that is made of it."""
        number = target.columns[column]
        made = any(number in sources for sources in target.generated.values())
        return not made and number not in target.generated and not self.catalogue.pointing_at(target.number, number)


def _key(one: StoredRelation | StoredRoutine) -> tuple[bool, int]:
    return isinstance(one, StoredRoutine), one.number
