"""What names stand for while a query is put into its form."""

from dataclasses import dataclass, field

from jalan.change.meaning.forms import Form, Unclear
from jalan.sql import tree


@dataclass(slots=True)
class Instance:
    """One thing in FROM. parts: what it is called. open: it may have columns that are not known."""

    parts: tuple[str, ...]
    columns: list[tuple[str, Form]]
    open: bool = False

    def is_called(self, parts: tuple[str, ...]) -> bool:
        """Whether a name, which may leave out the first parts, means it."""
        return self.parts[-len(parts) :] == parts

    def named(self, name: str) -> list[Form]:
        """Return what the name of a column may stand for here."""
        return [form for column, form in self.columns if column == name]


@dataclass(slots=True)
class NameScope:
    """The names of one FROM within the query around it.

    depth: how many queries stand around. merged: columns that USING has made of two, by name. seen: how many of the
    same there were so far.
    """

    parent: "NameScope | None"
    depth: int
    instances: list[Instance] = field(default_factory=list)
    merged: dict[str, Form] = field(default_factory=dict)
    windows: dict[str, tree.Window] = field(default_factory=dict)
    seen: dict[Form, int] = field(default_factory=dict)

    def number(self, source: Form) -> int:
        """Return how many of the same stood before in this FROM."""
        self.seen[source] = self.seen.get(source, 0) + 1
        return self.seen[source]

    def own(self, name: str) -> Form | None:
        """Return what a bare name stands for in this FROM, none if nothing has it. Raises Unclear."""
        if name in self.merged:
            return self.merged[name]
        found = [form for one in self.instances for form in one.named(name)]
        if len(found) > 1:
            raise Unclear(f"“{name}” may be several columns")
        if not found and any(one.open for one in self.instances):
            raise Unclear(f"“{name}” may be a column of a function's row")
        return found[0] if found else None

    def column(self, parts: tuple[str, ...]) -> Form:
        """Return what the name of a column stands for, here or further out. Raises Unclear."""
        plain = tuple(map(str, parts))
        scope: NameScope | None = self
        while scope is not None:
            found = scope.own(plain[0]) if len(plain) == 1 else scope._of_instance(plain)
            if found is not None:
                return found
            scope = scope.parent
        raise Unclear(f"“{'.'.join(plain)}” is not known")

    def _of_instance(self, parts: tuple[str, ...]) -> Form | None:
        one = next((one for one in self.instances if one.is_called(parts[:-1])), None)
        if one is None:
            return None
        found = one.named(parts[-1])
        if len(found) != 1:
            raise Unclear(f"“{'.'.join(parts)}” is not known")
        return found[0]
