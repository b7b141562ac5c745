"""What stands in FROM in its form: tables and queries, and how they are joined."""

from collections.abc import Hashable, Iterable, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from jalan.change.meaning.forms import Form, Meaning, Unclear, ordered
from jalan.change.meaning.scope import Instance, NameScope
from jalan.sql import tree

if TYPE_CHECKING:
    from jalan.change.meaning.queries import QueryForms

_KINDS = frozenset({"inner", "cross", "left", "right", "full"})
_OF_JOIN = _KINDS | {"join", "outer", "on", "using", "natural", "as", ","}


@dataclass(slots=True)
class JoinedSources:
    """What is joined inwardly.

    members: what is joined. conditions: what must hold. visible: what a star shows. atoms: as ``Meaning`` has them.
    tables: what is read.
    """

    members: list[Form] = field(default_factory=list)
    conditions: list[Form] = field(default_factory=list)
    visible: list[tuple[str, Form]] = field(default_factory=list)
    atoms: dict[Form, str] = field(default_factory=dict)
    tables: list[Form] = field(default_factory=list)

    def add(self, other: "JoinedSources") -> None:
        """Join something else."""
        self.members += other.members
        self.conditions += other.conditions
        self.visible += other.visible
        self.atoms.update(other.atoms)
        self.tables += other.tables

    def require(self, conditions: Sequence[Form], part: str) -> None:
        """Let only rows pass for which conditions hold."""
        self.conditions += conditions
        self.atoms.update(dict.fromkeys(conditions, part))


class FromForms:
    """Puts what stands in FROM into its form, and lets the scope know its names."""

    def __init__(self, queries: "QueryForms") -> None:
        self._queries = queries
        self._forms = queries.forms

    def joined(self, items: Iterable[tree.FromItem], scope: NameScope) -> JoinedSources:
        """Return what stands in FROM. Raises Unclear."""
        found = JoinedSources()
        for item in items:
            found.add(self._item(item, scope))
        return found

    @staticmethod
    def starred(star: tree.Star, scope: NameScope, source: JoinedSources) -> list[tuple[str, Form]]:
        """Return the columns that a star shows. Raises Unclear."""
        if star.modifiers is not None:
            raise Unclear("its star leaves columns out")
        if any(one.open for one in scope.instances):
            raise Unclear("a star shows a function's row")
        if not star.parts:
            return source.visible
        wanted = tuple(map(str, star.parts))
        found = next((one for one in scope.instances if one.is_called(wanted)), None)
        if found is None:
            raise Unclear("its star is of something outside")
        return found.columns

    def _item(self, item: tree.FromItem, scope: NameScope) -> JoinedSources:
        if isinstance(item, tree.Join):
            return self._join(item, scope)
        if isinstance(item, tree.TableSource):
            return self._table(item, scope)
        if isinstance(item, tree.Derived):
            parent = scope if item.lateral else self._queries.around.parent
            return self._rows_of(item, self._queries.query(item.query, parent, scope.depth + 1), scope)
        if isinstance(item, tree.FunctionSource):
            return self._function(item, scope)
        raise Unclear("something stands in FROM of which we know too little")

    def _table(self, item: tree.TableSource, scope: NameScope) -> JoinedSources:
        if item.sample is not None or item.at is not None:
            raise Unclear("it reads a part or an older state of a table")
        parts = tuple(map(str, item.table.parts))
        cte = self._queries.around.ctes.get(parts[0]) if len(parts) == 1 else None
        if cte is not None:
            return self._rows_of(item, self._queries.ctes.meaning(cte, scope.depth + 1), scope)
        found = self._queries.find(parts)
        if found is None:
            raise Unclear(f"“{'.'.join(parts)}” is not known")
        known = {"as", "*", "(", ")", ",", str(item.alias), *map(str, item.columns or ())}
        words = self._queries.expressions.words(item.table.end, item.end)
        if extra := [word for word in words if word.strip('"') not in known]:
            raise Unclear(f"“{' '.join(extra)}” stands behind a table")
        source = self._forms.tell(self._forms.of("table", found.identity), ".".join(parts))
        made = self._instance(item, scope, source, source, found.columns.items())
        made.tables = [source]
        return made

    def _rows_of(self, item: tree.FromItem, made: Meaning, scope: NameScope) -> JoinedSources:
        # A query is known by the tables that it reads: what it does with them is told by its rows.
        source = self._forms.of("query", *made.tables)
        rows = self._forms.of("rows of", source, made.rows, made.order)
        found = self._instance(item, scope, source, rows, made.columns)
        found.atoms, found.tables = dict(made.atoms), list(made.tables)
        return found

    def _instance(
        self,
        item: tree.FromItem,
        scope: NameScope,
        source: Form,
        rows: Form,
        columns: Iterable[tuple[str, Hashable]],
    ) -> JoinedSources:
        """Let the scope know the names of an item. source: what it is known by. rows: which it has."""
        place = self._forms.of("at", scope.depth, source, scope.number(source))
        names = list(map(str, item.columns or ()))
        made = [
            (names[n] if n < len(names) else name, self._forms.of("column", place, what))
            for n, (name, what) in enumerate(columns)
        ]
        parts: tuple[str, ...] = (str(item.alias),) if item.alias else ()
        if isinstance(item, tree.TableSource) and not item.alias:
            parts = tuple(map(str, item.table.parts))
        scope.instances.append(Instance(parts, made))
        return JoinedSources(members=[self._forms.of("member", place, rows)], visible=list(made))

    def _function(self, item: tree.FunctionSource, scope: NameScope) -> JoinedSources:
        if len(item.calls) != 1 or not isinstance(item.calls[0], tree.Call):
            raise Unclear("several functions stand in FROM")
        call, defined = item.calls[0], list(map(str, item.defined[0] or ()))
        source = self._forms.of("function", self._queries.expressions.form(call, scope), item.ordinality, *defined)
        names = list(map(str, item.columns or defined))
        # A function of one value gives it the name of its alias; of a row, nobody here knows the columns.
        named = names or ([str(item.alias)] if item.alias else [])
        columns = [(name, self._forms.of("part", n)) for n, name in enumerate(named)]
        found = self._instance(item, scope, source, source, columns)
        scope.instances[-1].open = not names or item.ordinality
        found.atoms = {self._forms.tell(source, self._queries.text[call.start : call.end]): "rows"}
        return found

    # --- joins -----------------------------------------------------------------------------------------

    def _join(self, item: tree.Join, scope: NameScope) -> JoinedSources:
        if item.alias or item.columns or item.using_alias or item.kind not in _KINDS:
            raise Unclear("a join has a name, or is of a kind of which we know too little")
        before = len(scope.instances)
        left, right = self._item(item.left, scope), self._item(item.right, scope)
        merged = [str(name) for name, *_ in item.using or ()]
        if item.natural:
            first = {name for name, _ in left.visible}
            merged = [name for name, _ in right.visible if name in first]
        inside = [one for one in (item.left, item.right, item.condition) if one is not None]
        words = self._queries.expressions.own_words(item, inside)
        if extra := [word for word in words if word.strip('"') not in _OF_JOIN.union(merged)]:
            raise Unclear(f"“{' '.join(extra)}” stands in a join")
        conditions = [] if item.condition is None else self._queries.expressions.conjuncts(item.condition, scope)
        if merged and any(one.open for one in scope.instances[before:]):
            raise Unclear("a join uses a function's row")
        conditions += [self._merge(name, item.kind, left, right, scope) for name in merged]
        visible = [(name, scope.merged[name]) for name in merged]
        visible += [one for one in (*left.visible, *right.visible) if one[0] not in merged]
        found = left if item.kind in ("inner", "cross") else self._outer(item.kind, left, right, conditions)
        if found is left:
            left.add(right)
            left.require(conditions, "join")
        found.visible = visible
        return found

    def _outer(
        self, kind: str, left: JoinedSources, right: JoinedSources, conditions: Sequence[Form]
    ) -> JoinedSources:
        """A join that keeps rows of one side or of both: it is one member of what it is joined with."""
        sides = [self._side(left), self._side(right)]
        if kind == "right":
            kind, sides = "left", sides[::-1]
        elif kind == "full":
            sides.sort()
        form = self._forms.of(kind, *sides, *ordered(conditions))
        itself = self._forms.tell(self._forms.of("kind of join", kind, *sides), f"{kind.upper()} JOIN")
        atoms = {**left.atoms, **right.atoms, **dict.fromkeys(conditions, "join"), itself: "join"}
        return JoinedSources(members=[form], atoms=atoms, tables=[*left.tables, *right.tables])

    def _side(self, source: JoinedSources) -> Form:
        return self._forms.of("side", *ordered(source.members), "where", *ordered(source.conditions))

    def _merge(self, name: str, kind: str, left: JoinedSources, right: JoinedSources, scope: NameScope) -> Form:
        """Make one column of two that have a name; return the condition that they are equal."""
        pair = [form for side in (left, right) for column, form in side.visible if column == name]
        if len(pair) != 2 or any(name not in dict(side.visible) for side in (left, right)):
            raise Unclear(f"“{name}” is not one column on each side of a join")
        if kind == "full":
            scope.merged[name] = self._forms.of("either", *ordered(pair))
        else:
            scope.merged[name] = pair[1] if kind == "right" else pair[0]
        return self._forms.of("=", *ordered(pair))
