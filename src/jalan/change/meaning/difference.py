"""What differs between the meanings of two queries."""

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass, field

from jalan.change.meaning.forms import Form, Forms, Meaning

_PARTS = {"grouping": "it is grouped otherwise", "structure": "the same parts are put together otherwise",
          "limit": "another limit or order", "distinct": "repeated rows are kept or left out otherwise",
          "rows": "they are made of something else", "function": "a function makes other rows",
          "filter": "another filter", "join": "another join"}  # fmt: skip
ADDED, REMOVED, RENAMED, OTHERWISE, MOVED = "added", "removed", "renamed", "computed otherwise", "moved"
RETYPED = "retyped"
_SAID = {
    OTHERWISE: "other values in {}", ADDED: "it gains {}", REMOVED: "it loses {}",
    RENAMED: "a column is called {} now", MOVED: "in another place: {}",
    RETYPED: "of another type: {}",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class ColumnDifference:
    """What became of an output.

    name: as it is called now, or was if it is removed. kind: one of the words above. before, after: how it is made,
    or its names or types where only these differ.
    """

    name: str
    kind: str
    before: str = ""
    after: str = ""


@dataclass(frozen=True, slots=True)
class RowDifference:
    """What came into what decides about rows, and what went. part: filter, join, grouping, distinct, limit, rows,
    function, or structure where the same parts are put together otherwise."""

    part: str
    came: tuple[str, ...] = ()
    went: tuple[str, ...] = ()


@dataclass(slots=True)
class QueryDifference:
    """All that differs. order: the rows come in another order."""

    columns: list[ColumnDifference] = field(default_factory=list)
    rows: list[RowDifference] = field(default_factory=list)
    order: bool = False

    @property
    def is_none(self) -> bool:
        """Whether the queries mean the same."""
        return not (self.columns or self.rows or self.order)

    @property
    def is_safe(self) -> bool:
        """Whether whoever reads it by name finds what was there: the same, or more columns."""
        return not (self.rows or self.order or any(one.kind != ADDED for one in self.columns))

    def in_words(self) -> str:
        """Return one sentence that says what it is for whoever reads it."""
        if self.is_none:
            return "It means the same: only how it is written differs."
        kinds = {kind: [one.name for one in self.columns if one.kind == kind] for kind in _SAID}
        said = [said.format(", ".join(kinds[kind])) for kind, said in _SAID.items() if kinds[kind]]
        if self.rows:
            said.append(f"other rows may come ({', '.join(_PARTS.get(one.part, one.part) for one in self.rows)})")
        elif self.order:
            said.append("the same rows come in another order")
        sentence = "; ".join(said)
        sentence = sentence[:1].upper() + sentence[1:] + "."
        return sentence + (" Who reads it by name is not concerned." if self.is_safe else "")

    def values(self) -> frozenset[str]:
        """Return the outputs that are there before and after and hold something else."""
        return frozenset(one.name for one in self.columns if one.kind == OTHERWISE)


def difference(before: Meaning, after: Meaning, forms: Forms) -> QueryDifference:
    """Return what differs between two meanings that were made with the same forms."""
    found = QueryDifference(columns=_columns(before, after, forms))
    if before.rows != after.rows:
        found.rows = _rows(before, after, forms)
    found.order = before.order != after.order
    return found


def _columns(before: Meaning, after: Meaning, forms: Forms) -> list[ColumnDifference]:
    was, now = _by_name(before), _by_name(after)
    found = []
    gone = {name: form for name, form in was.items() if name not in now}
    for name, form in now.items():
        if name in was:
            if was[name] != form:
                found.append(ColumnDifference(name, OTHERWISE, *_told(was[name], form, forms)))
            continue
        older = next((one for one, other in gone.items() if other == form), None)
        if older is None:
            found.append(ColumnDifference(name, ADDED, after=forms.text(form)))
        else:
            del gone[older]
            found.append(ColumnDifference(name, RENAMED, older, name))
    found += [ColumnDifference(name, REMOVED, before=forms.text(form)) for name, form in gone.items()]
    kept = [name for name in was if name in now]
    if kept != [name for name in now if name in was]:
        places, others = ({name: n for n, name in enumerate(some)} for some in (was, now))
        found += [ColumnDifference(name, MOVED) for name in kept if places[name] != others[name]]
    return found


def _by_name(meaning: Meaning) -> dict[str, Form]:
    """The outputs by their names; of those that are called the same, the later ones by a number too."""
    found: dict[str, Form] = {}
    seen: Counter[str] = Counter()
    for name, form in meaning.columns:
        seen[name] += 1
        found[name if seen[name] == 1 else f"{name} ({seen[name]})"] = form
    return found


def _told(before: Form, after: Form, forms: Forms) -> tuple[str, str]:
    """How an output was made and is made; through queries that only pass it on, where it is made otherwise."""
    while forms.text(before) == forms.text(after):
        (word, *_, inner), (other, *_, further) = forms.parts(before), forms.parts(after)
        if word != "column" or other != "column" or not isinstance(inner, int) or not isinstance(further, int):
            break
        if inner == further:
            break
        before, after = inner, further
    return forms.text(before), forms.text(after)


def _rows(before: Meaning, after: Meaning, forms: Forms) -> list[RowDifference]:
    parts = dict.fromkeys([*before.atoms.values(), *after.atoms.values()])
    found = []
    for part in parts:
        was, now = _of(before, part), _of(after, part)
        came, went = _texts(now - was, forms), _texts(was - now, forms)
        if came or went:
            found.append(RowDifference(part, came, went))
    more, fewer = set(after.tables) - set(before.tables), set(before.tables) - set(after.tables)
    if (more or fewer) and not any(one.part == "rows" for one in found):
        found.append(RowDifference("rows", _texts(more, forms), _texts(fewer, forms)))
    return found or [RowDifference("structure")]


def _of(meaning: Meaning, part: str) -> set[Form]:
    return {form for form, of in meaning.atoms.items() if of == part}


def _texts(several: Iterable[Form], forms: Forms) -> tuple[str, ...]:
    return tuple(sorted(filter(None, (forms.text(form) for form in several))))
