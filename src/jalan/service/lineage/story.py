"""What a trail says, in words: one sentence for all of it, and of each step what it does to the value."""

import re
from dataclasses import dataclass

from sqlalchemy import select

from jalan.catalog.kinds import How
from jalan.lineage.model import Detail
from jalan.lineage.words import in_words, with_names
from jalan.service.context import Context
from jalan.service.lineage.answers import Step, Story, StoryStep
from jalan.service.lineage.derivation import details_of
from jalan.service.lineage.trail import steps_of
from jalan.sql.dialects import DIALECTS
from jalan.store.among import is_among
from jalan.store.schema import Definition

_PLAIN = re.compile(r"[\w.\"]+")  # a name, and nothing done with it
_MOST_READ = 40  # texts
_MOST_CLAUSES = 6
_LONGEST = 160  # characters of an expression
_MOST_NAMED = 4


def story(context: Context, field_ids: list[int]) -> Story:
    """Return what the trail of fields of one dataset says. Raises NotFound, Invalid.

    Cost: the trail, and reading the texts of its steps, so many at most; of the others the words of the code are
    told.
    """
    dataset, steps, total = steps_of(context, field_ids)
    told = _told(context, [step for step in steps if step.how != How.IDENTITY])
    names = context.names.fields(field_ids)
    focus = [names[id_].name for id_ in field_ids if id_ in names]
    owner = context.names.datasets([dataset])[dataset].title
    reached = total - sum(1 for step in steps if step.lane <= 0)
    sentence = _Sentence(steps, {one.link: one.words for one in told}).of([f"{owner}.{one}" for one in focus])
    return Story(sentence=sentence or _without(focus, reached), steps=told)


def _without(focus: list[str], reached: int) -> str:
    """The sentence of what no known value is carried into: a source, a constant, a count of rows."""
    said = f"No value that is known here is carried into {', '.join(focus)}"
    return f"{said}; {reached} step{' leads' if reached == 1 else 's lead'} on from it." if reached else f"{said}."


def _told(context: Context, steps: list[Step]) -> list[StoryStep]:
    """The steps in words, as far as their texts are read."""
    infos = context.names.links([step.link for step in steps])
    wanted = list(dict.fromkeys(info.definition for info in infos.values() if info.expression is not None))
    definitions = context.names.definitions(wanted)
    rows = select(Definition.id, Definition.text, Definition.asked).where(
        is_among(Definition.id, wanted[:_MOST_READ])
    )
    texts = {row.id: row for row in context.session.execute(rows)} if wanted else {}
    details = {
        id_: details_of(context.session, context.graph, definitions[id_], row.text, row.asked)
        for id_, row in texts.items()
    }
    found = []
    for step in steps:
        info = infos[step.link]
        definition = definitions.get(info.definition)
        dialect = definition.dialect if definition is not None and definition.dialect in DIALECTS else None
        detail = details.get(info.definition, {}).get(info.expression or (0, 0))
        words = step.label if dialect is None else _words(detail, step.label, dialect)
        if detail is None and step.how == How.AGGREGATION and _PLAIN.fullmatch(step.label):
            words += ", aggregated inside the statement"
        if step.grouped_by and step.how == How.AGGREGATION:
            words += f" by {_listed(step.grouped_by)}"
        expression = step.label if detail is None else written_out(detail, dialect or "")
        found.append(StoryStep(link=step.link, words=words, expression=expression))
    return found


def _words(detail: Detail | None, label: str, dialect: str) -> str:
    """An expression in words, that of what it is made of inside the same text put in."""
    if detail is None:
        return in_words(label, dialect=dialect)
    said = ""
    names: dict[str, str] = {}
    for one in detail.chain:
        if one.kind in ("computed", "aggregated"):
            said = in_words(one.expression, names, dialect)
        elif one.kind == "renamed":
            said = names.get(one.expression.rpartition(".")[2], said)
        if said:
            names = {one.name: said}
    return said or in_words(detail.expression, dialect=dialect)


def written_out(detail: Detail, dialect: str) -> str:
    """An expression with those inside the same text put in where it names them, as long as it stays short."""
    found = detail.expression
    for one in reversed(detail.chain[:-1]):
        if one.kind in ("computed", "aggregated"):
            longer = with_names(found, {one.name: one.expression}, dialect)
            if len(longer) > _LONGEST:
                break
            found = longer
    return found


@dataclass(frozen=True, slots=True)
class _Sentence:
    """Puts the steps that lead to something into one sentence. words: of those that change something, by link."""

    steps: list[Step]
    words: dict[int, str]

    def of(self, labels: list[str]) -> str:
        """Return the sentence about the fields with these labels; empty where nothing makes them."""
        clauses: list[str] = []
        unchanged: dict[str, list[str]] = {}
        seen: set[int] = set()
        waiting = [n for n, step in enumerate(self.steps) if step.target in labels]
        while waiting:
            number = waiting.pop(0)
            if number in seen:
                continue
            seen.add(number)
            step = self.steps[number]
            if step.link in self.words:
                clauses.append(self._clause(step))
            elif not step.fed_by:
                owner, _, name = step.source.partition(", ")[0].rpartition(".")
                unchanged.setdefault(owner, []).append(name)
            waiting += [one for one in step.fed_by if one not in seen]
        if not seen:
            return ""
        more = len(clauses) - _MOST_CLAUSES
        said = clauses[:_MOST_CLAUSES]
        if more > 0:
            said.append(f"and so on, through {more} more step{'' if more == 1 else 's'}")
        for owner, several in unchanged.items():
            names = list(dict.fromkeys(several))
            said.append(f"{_listed(names)} {'come' if len(names) > 1 else 'comes'} unchanged from {owner}")
        if not clauses and len(unchanged) == 1:
            ((owner, several),) = unchanged.items()
            is_one = len(labels) == 1
            own = _listed([label.rpartition(".")[2] for label in labels])
            said = [f"{own} {'is' if is_one else 'are'} {_listed(several)} of {owner}, unchanged"]
        sentence = "; ".join(said)
        return sentence[:1].upper() + sentence[1:] + "."

    def _clause(self, step: Step) -> str:
        name = step.target.rpartition(".")[2]
        said = f"{name} is {self.words[step.link]}"
        if step.decided_by:
            verb = "decides" if len(step.decided_by) == 1 else "decide"
            said += f", of the rows that {_listed(step.decided_by)} {verb}"
        return said


def _listed(names: list[str]) -> str:
    shown = names[:_MOST_NAMED]
    more = len(names) - len(shown)
    last = f"{more} more" if more else shown.pop() if len(shown) > 1 else ""
    return ", ".join(shown) + (f" and {last}" if last else "")
