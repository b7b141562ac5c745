"""Forms: what is left of a piece of a query when how it is written is taken away."""

from collections.abc import Callable, Hashable, Iterable, Mapping
from dataclasses import dataclass, field

Form = int
"""A form by its number. Equal forms have equal numbers, within one ``Forms``."""


class Unclear(Exception):
    """What a query means cannot be told: a name is not known, or it has something of which we know too little."""


class Forms:
    """All forms that there were so far, each once: forms that share parts take no more room than their parts."""

    def __init__(self) -> None:
        self._numbers: dict[Hashable, Form] = {}
        self._parts: list[tuple[Hashable, ...]] = []
        self._texts: dict[Form, str] = {}

    def of(self, *parts: Hashable) -> Form:
        """Return the form that is made of parts: words, and numbers of other forms."""
        form = self._numbers.setdefault(parts, len(self._numbers))
        if form == len(self._parts):
            self._parts.append(parts)
        return form

    def parts(self, form: Form) -> tuple[Hashable, ...]:
        """Return what a form is made of."""
        return self._parts[form]

    def tell(self, form: Form, text: str) -> Form:
        """Say how a form was written, for people; the first time counts."""
        self._texts.setdefault(form, " ".join(text.split()))
        return form

    def text(self, form: Form) -> str:
        """Return how a form was written first; empty where nobody has told."""
        return self._texts.get(form, "")


@dataclass(frozen=True, slots=True)
class FoundRelation:
    """A table or view as a query finds it. identity: what it is, whatever it is called now. columns: what they are
    called now → what they are, in order."""

    identity: Hashable
    columns: Mapping[str, Hashable]


Find = Callable[[tuple[str, ...]], FoundRelation | None]
"""Finds a relation by the name that a query gives it."""


@dataclass(slots=True)
class Meaning:
    """What a query means.

    columns: name and form of each output, in order.
    rows: the form of what decides which rows there are, and how often.
    order: that of the order in which they come, where it decides nothing else.
    atoms: what ``rows`` is made of, wherever it stands → filter, join, grouping, distinct, limit, rows or function.
    tables: what is read, once each.
    """

    columns: list[tuple[str, Form]]
    rows: Form
    order: Form
    atoms: dict[Form, str] = field(default_factory=dict)
    tables: tuple[Form, ...] = ()

    def column_forms(self) -> list[Form]:
        """Return the forms of the outputs, in order."""
        return [form for _, form in self.columns]


def ordered(forms: Iterable[Form]) -> tuple[Form, ...]:
    """Return forms in one order, whatever order they stand in."""
    return tuple(sorted(forms))
