"""Queries in their form: what each output is made of, and what decides which rows there are."""

from collections.abc import Sequence
from dataclasses import replace

from jalan.change.meaning.expressions import ExpressionForms
from jalan.change.meaning.forms import Find, Form, Forms, Meaning, Unclear, ordered
from jalan.change.meaning.from_clause import FromForms, JoinedSources
from jalan.change.meaning.functions import gives_one_value
from jalan.change.meaning.scope import NameScope
from jalan.change.meaning.with_clause import Around, WithForms
from jalan.lineage.output_names import output_name
from jalan.sql import tree
from jalan.sql.dialects import get_dialect
from jalan.sql.lexer import tokenize
from jalan.sql.walk import has_aggregate

_DEEPEST = 60  # queries within one another
_OF_SELECT = frozenset(
    {"select", "all", "distinct", "on", "from", "where", "group", "by", "having", "window", "as", ","}
)
_OF_QUERY = frozenset({"with", "recursive", "order", "by", "row", "rows", "first", "next", "only", ","})
_Columns = Sequence[tuple[str, Form]]


def meaning(node: tree.Query, text: str, forms: Forms, find: Find, dialect: str = "postgresql") -> Meaning:
    """Return what a query means. text: what it was read from. find: the relations by the names that it gives them.

    Raises Unclear. Meanings can be compared that were made with the same ``forms``.
    """
    try:
        return QueryForms(text, forms, find, dialect).query(node, None, 0)
    except RecursionError as error:
        raise Unclear("it is too deep") from error


class QueryForms:
    """Puts the queries of one text into their form. around: what was declared where it reads."""

    def __init__(self, text: str, forms: Forms, find: Find, dialect: str) -> None:
        self.dialect = get_dialect(dialect)
        self.text = text
        self.forms = forms
        self.find = find
        self.around = Around(None, {})
        self.unordered = forms.of("order")
        self.expressions = ExpressionForms(self, tokenize(text, self.dialect))
        self.ctes = WithForms(self)
        self._from = FromForms(self)

    def query(self, node: tree.Query, parent: NameScope | None, depth: int) -> Meaning:
        """Return what a query means inside others. Raises Unclear."""
        if depth > _DEEPEST:
            raise Unclear("it is too deep")
        before = self.around
        self.around = Around(parent, dict(before.ctes))
        try:
            if node.ctes is not None:
                self.ctes.declare(node.ctes)
            found, scope = self.body(node.body, parent, depth)
            return self._cut(node, found, scope)
        finally:
            self.around = before

    def body(self, body: tree.Body, parent: NameScope | None, depth: int) -> tuple[Meaning, NameScope]:
        """Return what a query means without its ORDER BY and LIMIT, and what names stand for in these."""
        if isinstance(body, tree.Select):
            return self._select(body, parent, depth)
        scope = NameScope(parent, depth)
        if isinstance(body, tree.SetOperation):
            return self._set_operation(body, parent, depth), scope
        if isinstance(body, tree.Values):
            return self._values(body, scope), scope
        if isinstance(body, tree.Query):
            return self.query(body, parent, depth + 1), scope
        raise Unclear("it is written with pipes")

    def _cut(self, node: tree.Query, found: Meaning, scope: NameScope) -> Meaning:
        """Apply ORDER BY and LIMIT: an order decides about rows only where some are left out."""
        limits = [self.expressions.form(one, scope) for one in node.limit]
        inside = [*node.limit, *node.order, node.body, *([node.ctes] if node.ctes is not None else [])]
        cut = [
            part if isinstance(part, str) else limits[part]
            for part in self.expressions.between(node, inside)
            if part not in _OF_QUERY and (isinstance(part, str) or part < len(limits))
        ]
        keys = [self._sorted(one, found.columns, scope) for one in node.order]
        # The order tells which is the first of DISTINCT ON, too.
        chosen = isinstance(node.body, tree.Select) and bool(node.body.distinct)
        if not cut and not (keys and chosen):
            return replace(found, order=self.forms.of("order", *keys)) if keys else found
        words = ["limit" if part == "fetch" else part for part in cut]
        limit = self.forms.of("limit", *words, "order", *keys)
        self.forms.tell(limit, self._written([*node.order, *node.limit]))
        rows = self.forms.of("cut", found.rows, limit)
        return replace(found, rows=rows, order=self.unordered, atoms={**found.atoms, limit: "limit"})

    def _sorted(self, node: tree.Sort, columns: _Columns, scope: NameScope) -> Form:
        words = [word for word in self.expressions.own_words(node, [node.key]) if word != "asc"]
        return self.forms.of("sort", self._key(node.key, columns, scope), *words)

    def _key(self, node: tree.Expression, columns: _Columns, scope: NameScope) -> Form:
        """A key of ORDER BY or DISTINCT ON: the number or the name of an output, or an expression."""
        found = self._output(node, columns)
        return self.expressions.form(node, scope) if found is None else found

    def _output(self, node: tree.Expression, columns: _Columns) -> Form | None:
        if isinstance(node, tree.Literal):
            written = self.text[node.start : node.end]
            if written.isdecimal() and 0 < int(written) <= len(columns):
                return columns[int(written) - 1][1]
        if isinstance(node, tree.Column) and len(node.parts) == 1:
            forms = {form for name, form in columns if name == str(node.parts[0])}
            if len(forms) == 1:
                return forms.pop()
        return None

    def _written(self, nodes: Sequence[tree.Node]) -> str:
        return ", ".join(self.text[node.start : node.end] for node in nodes)

    def _set_operation(self, body: tree.SetOperation, parent: NameScope | None, depth: int) -> Meaning:
        if body.by_name or body.only is not None:
            raise Unclear("its arms meet by name")
        left, right = (self.body(one, parent, depth + 1)[0] for one in (body.left, body.right))
        word = f"{body.operator} all" if body.all else body.operator
        if word == "union all":
            return self.united(word, left, right, whole=False)
        found = self.united(word, left, right, whole=True)
        compared = self.forms.of("whole rows", word, *found.column_forms())
        found.atoms[self.forms.tell(compared, word.upper())] = "distinct"
        return found

    def united(self, word: str, left: Meaning, right: Meaning, whole: bool) -> Meaning:
        """Return what two arms mean together. whole: the values of all columns decide about the rows."""
        if len(left.columns) != len(right.columns):
            raise Unclear("its arms have different numbers of columns")
        columns = []
        for (name, one), other in zip(left.columns, right.column_forms(), strict=True):
            told = f"{self.forms.text(one)} {word} {self.forms.text(other)}"
            columns.append((name, self.forms.tell(self.forms.of(word, one, other), told)))
        rows = self.forms.of(word, left.rows, right.rows, *(form for _, form in columns if whole))
        tables = tuple(sorted({*left.tables, *right.tables}))
        return Meaning(columns, rows, self.unordered, {**left.atoms, **right.atoms}, tables)

    def _values(self, body: tree.Values, scope: NameScope) -> Meaning:
        rows = [tuple(self.expressions.form(value, scope) for value in row) for row in body.rows]
        if len({len(row) for row in rows}) != 1:
            raise Unclear("its rows differ in length")
        columns = [
            (f"column{n + 1}", self.forms.of("values", *(row[n] for row in rows))) for n in range(len(rows[0]))
        ]
        form = self.forms.tell(self.forms.of("rows", *(self.forms.of("row", *row) for row in rows)), "VALUES")
        return Meaning(columns, form, self.unordered, {form: "rows"})

    # --- SELECT ----------------------------------------------------------------------------------------

    def _select(self, select: tree.Select, parent: NameScope | None, depth: int) -> tuple[Meaning, NameScope]:
        if any((select.into, select.into_variables, select.top, select.connect, select.qualify, select.packed)):
            raise Unclear("it has a clause of which we know too little")
        if select.group_all:
            raise Unclear("it groups by all")
        scope = NameScope(parent, depth, windows={str(name): one for name, one in select.windows.items()})
        source = self._from.joined(select.source, scope)
        if select.where is not None:
            source.require(self.expressions.conjuncts(select.where, scope), "filter")
        columns, functions = self._columns(select, scope, source)
        atoms = source.atoms
        rows = self.forms.of(
            "select",
            self.forms.of("from", *ordered(source.members)),
            self.forms.of("where", *ordered(source.conditions)),
            self._grouping(select, scope, columns, atoms),
            self._distinct(select, scope, columns, atoms),
            self.forms.of("functions", *ordered(functions)),
            *self._left_over(select),
        )
        atoms.update(dict.fromkeys(functions, "function"))
        return Meaning(columns, rows, self.unordered, atoms, tuple(sorted(set(source.tables)))), scope

    def _columns(
        self, select: tree.Select, scope: NameScope, source: JoinedSources
    ) -> tuple[list[tuple[str, Form]], set[Form]]:
        """The outputs, and those of them that may make several rows of one."""
        found: list[tuple[str, Form]] = []
        functions: set[Form] = set()
        for item in select.items:
            expression = item.expression
            if isinstance(expression, tree.Star):
                found += self._from.starred(expression, scope, source)
                continue
            if item.aliases:
                raise Unclear("an expression makes several columns")
            name = item.alias or output_name(expression, self.dialect, self.text, len(found), 0)
            form = self.expressions.form(expression, scope)
            found.append((str(name), form))
            if not gives_one_value(expression, self.dialect):
                functions.add(form)
        return found, functions

    def _grouping(self, select: tree.Select, scope: NameScope, columns: _Columns, atoms: dict[Form, str]) -> Form:
        folded = any(has_aggregate(item.expression, self.dialect.aggregates) for item in select.items)
        if not (select.group or select.having is not None or folded):
            return self.forms.of("not grouped")
        keys = ordered({self._group_key(key, scope, columns) for key in select.group})
        having = self.expressions.conjuncts(select.having, scope) if select.having is not None else []
        form = self.forms.of("grouped", *keys)
        atoms[self.forms.tell(form, f"GROUP BY {self._written(select.group)}" if keys else "one row")] = "grouping"
        atoms.update(dict.fromkeys(having, "filter"))
        return self.forms.of("groups", form, *ordered(having))

    def _group_key(self, key: tree.Expression, scope: NameScope, columns: _Columns) -> Form:
        """A key of GROUP BY: unlike one of ORDER BY, a column that is read goes before an output of its name."""
        if isinstance(key, tree.Column) and len(key.parts) == 1 and scope.own(str(key.parts[0])) is not None:
            return self.expressions.form(key, scope)
        return self._key(key, columns, scope)

    def _distinct(self, select: tree.Select, scope: NameScope, columns: _Columns, atoms: dict[Form, str]) -> Form:
        if select.distinct is None:
            return self.forms.of("all")
        if select.distinct:
            form = self.forms.of("first of", *ordered({self._key(key, columns, scope) for key in select.distinct}))
            self.forms.tell(form, f"DISTINCT ON ({self._written(select.distinct)})")
        else:
            form = self.forms.tell(self.forms.of("each once", *ordered({one for _, one in columns})), "DISTINCT")
        atoms[form] = "distinct"
        return form

    def _left_over(self, select: tree.Select) -> list[str]:
        """Words of a SELECT that none of its parts has."""
        inside: list[tree.Node] = [*select.items, *select.source, *select.group, *(select.distinct or ())]
        inside += [one for one in (select.where, select.having) if one is not None]
        inside += select.windows.values()
        known = {*_OF_SELECT, *map(str, select.windows)}
        return [word for word in self.expressions.own_words(select, inside) if word not in known]
