"""Makes queries and scripts by chance over small tables of integers: joins, subqueries, groups, windows, changes.

Every one is valid; what it means does not matter. The chance comes from outside, so that a property test can shrink
what it finds.
"""

import random
from dataclasses import dataclass

Tables = dict[str, list[str]]


@dataclass
class Source:
    """Something in FROM with its columns."""

    alias: str
    columns: list[str]


class Maker:
    """Draws one query."""

    def __init__(self, r: random.Random, tables: Tables) -> None:
        self._r = r
        self._tables = tables
        self._number = 0
        self._ctes: dict[str, list[str]] = {}

    def statement(self) -> str:
        """Return a whole query, perhaps with common table expressions."""
        r = self._r
        parts = []
        for _ in range(r.choice((0, 0, 1, 2))):
            name = self._name("q")
            text, columns = self._query(2, [])
            self._ctes[name] = columns
            parts.append(f"{name} as ({text})")
        if r.random() < 0.08:
            parts.append(self._walk())
            self._ctes["walk"] = ["n", "m"]
        text, _ = self._query(3, [])
        recursive = "recursive " if "walk" in self._ctes else ""
        return (f"with {recursive}{', '.join(parts)} " if parts else "") + text

    def _walk(self) -> str:
        """A recursive query over two tables."""
        one, two = (self._r.choice(sorted(self._tables)) for _ in range(2))
        a, b = (self._r.choice(self._tables[one]) for _ in range(2))
        c, d = (self._r.choice(self._tables[two]) for _ in range(2))
        return (
            f"walk (n, m) as (select {a}, {b} from {one} union all select w.n + 1, w.m + o.{c} from walk w "
            f"join {two} o on o.{d} = w.n where w.n < 6)"
        )

    def script(self) -> str:
        """Return some statements that change the tables, perhaps by way of temporary ones."""
        statements = []
        for _ in range(self._r.randint(1, 4)):
            statements.append(self._r.choice((self._kept, self._insert, self._update, self._delete, self._merge))())
        return ";\n".join(statements)

    def _kept(self) -> str:
        name = self._name("kept")
        text, columns = self._query(2, [])
        self._tables = {**self._tables, name: columns}
        return f"create temp table {name} as {text}"

    def _changed(self) -> tuple[str, Source]:
        table = self._r.choice(sorted(name for name in self._tables if not name.startswith("kept")))
        return table, Source(table, self._tables[table])

    def _insert(self) -> str:
        table, target = self._changed()
        columns = target.columns[: self._r.randint(1, len(target.columns))]
        text, names = self._query(2, [])
        given = [f"x.{self._r.choice(names)}::int" for _ in columns]
        return f"insert into {table} ({', '.join(columns)}) select {', '.join(given)} from ({text}) x"

    def _update(self) -> str:
        table, target = self._changed()
        text, source = self._item(2, [])
        both = [target, source]
        assigned = [
            f"{c} = {self._value(2, both, [])}" for c in self._r.sample(target.columns, self._r.randint(1, 2))
        ]
        return f"update {table} set {', '.join(assigned)} from {text} where {self._condition(1, both, [])}"

    def _delete(self) -> str:
        table, target = self._changed()
        text, source = self._item(1, [])
        return f"delete from {table} using {text} where {self._condition(1, [target, source], [])}"

    def _merge(self) -> str:
        table, target = self._changed()
        text, source = self._item(2, [])
        both = [target, source]
        on = f"{self._column([target])} = {self._column([source])}"
        changed, added = (self._r.choice(target.columns) for _ in range(2))
        return (
            f"merge into {table} using {text} on {on} when matched and {self._comparison(both)} "
            f"then update set {changed} = {self._value(1, both, [])} "
            f"when not matched then insert ({added}) values ({self._value(1, [source], [])})"
        )

    def _name(self, letter: str) -> str:
        self._number += 1
        return f"{letter}{self._number}"

    # --- queries -------------------------------------------------------------------------------------

    def _query(self, depth: int, outer: list[Source]) -> tuple[str, list[str]]:
        r = self._r
        if depth > 1 and r.random() < 0.18:
            left, columns = self._select(depth - 1, outer, width=2)
            right, _ = self._select(depth - 1, outer, width=2)
            operator = r.choice(("union", "union all", "intersect", "except", "except all"))
            return f"({left}) {operator} ({right})", columns
        return self._select(depth, outer, r.randint(1, 4))

    def _select(self, depth: int, outer: list[Source], width: int) -> tuple[str, list[str]]:
        r = self._r
        text, sources = self._from(depth, outer)
        where = f" where {self._condition(depth, sources, outer)}" if r.random() < 0.6 else ""
        shape = r.random()
        names = [self._name("o") for _ in range(width)]
        if shape < 0.3:
            body, tail = self._grouped(depth, sources, outer, names)
            return f"select {body} from {text}{where}{tail}", names
        if shape < 0.4 and width != 2:
            star = r.choice(sources)
            named = [f"{star.alias}.{column} as {self._name('o')}" for column in star.columns]
            return f"select {', '.join(named)} from {text}{where}", [n.split(" as ")[1] for n in named]
        items = [f"{self._value(depth, sources, outer, windows=True)} as {name}" for name in names]
        distinct = "distinct " if r.random() < 0.12 else ""
        tail = ""
        if not distinct and r.random() < 0.15:
            keys = ", ".join(f"{s.alias}.{c}" for s in sources for c in s.columns)
            tail = f" order by {keys}, {', '.join(str(i + 1) for i in range(width))} limit {r.randint(1, 6)}"
        return f"select {distinct}{', '.join(items)} from {text}{where}{tail}", names

    def _grouped(self, depth: int, sources: list[Source], outer: list[Source], names: list[str]) -> tuple[str, str]:
        r = self._r
        keys = [self._column(sources) for _ in range(r.randint(0, 2))]
        items = []
        for i, name in enumerate(names):
            use_key = i < len(keys) and r.random() < 0.7
            items.append(f"{keys[i] if use_key else self._aggregate(depth, sources, outer)} as {name}")
        tail = ""
        if keys:
            grouping = ", ".join(keys)
            form = r.random()
            tail = f" group by rollup ({grouping})" if form < 0.2 else f" group by {grouping}"
        if r.random() < 0.3:
            tail += f" having {self._aggregate(depth, sources, outer)} > {r.randint(-3, 12)}"
        return ", ".join(items), tail

    def _from(self, depth: int, outer: list[Source]) -> tuple[str, list[Source]]:
        r = self._r
        text, first = self._item(depth, outer)
        sources = [first]
        for _ in range(r.choice((0, 0, 1, 1, 2))):
            form = r.random()
            if form < 0.12 and depth > 1:
                inner, columns = self._query(depth - 1, [*sources, *outer])
                alias = self._name("l")
                left = r.random() < 0.5
                text += f" {'left' if left else 'cross'} join lateral ({inner}) {alias}{' on true' if left else ''}"
                sources.append(Source(alias, columns))
                continue
            item, source = self._item(depth, outer)
            shared = [c for c in source.columns if all(c in s.columns for s in sources)]
            if form < 0.35 and shared and len(sources) == 1:
                kind = r.choice(("join", "left join", "right join", "full join"))
                column = shared[0]
                merged = self._name("j")
                both = [f"{s.alias}.{c}" for s in (*sources, source) for c in s.columns if c != column]
                renamed = [self._name("m") for _ in both]
                listed = ", ".join(f"{b} as {n}" for b, n in zip(both, renamed, strict=True))
                chosen = ", ".join(filter(None, (column, listed)))
                text = f"(select {chosen} from {text} {kind} {item} using ({column})) {merged}"
                sources = [Source(merged, [column, *renamed])]
                continue
            kind = r.choice(("join", "left join", "right join", "cross join", "full join"))
            text += f" {kind} {item}"
            if kind == "full join":
                text += f" on {self._column(sources)} = {self._column([source])}"
            elif kind != "cross join":
                text += f" on {self._condition(1, [*sources, source], [])}"
            sources.append(source)
        return text, sources

    def _item(self, depth: int, outer: list[Source]) -> tuple[str, Source]:
        r = self._r
        if depth > 1 and r.random() < 0.25:
            text, columns = self._query(depth - 1, [])
            alias = self._name("d")
            return f"({text}) {alias}", Source(alias, columns)
        if self._ctes and r.random() < 0.5:
            name = r.choice(sorted(self._ctes))
            alias = self._name("t")
            return f"{name} {alias}", Source(alias, self._ctes[name])
        if r.random() < 0.06:
            alias = self._name("g")
            return f"generate_series(1, 3) as {alias}(n)", Source(alias, ["n"])
        table = r.choice(sorted(self._tables))
        alias = self._name("t")
        return f"{table} {alias}", Source(alias, self._tables[table])

    # --- expressions ---------------------------------------------------------------------------------

    def _column(self, sources: list[Source]) -> str:
        source = self._r.choice(sources)
        return f"{source.alias}.{self._r.choice(source.columns)}"

    def _value(self, depth: int, sources: list[Source], outer: list[Source], windows: bool = False) -> str:
        r = self._r
        form = r.random()
        if form < 0.4 or depth < 1:
            return self._column([*sources, *outer] if r.random() < 0.2 else sources)
        again = lambda: self._value(depth - 1, sources, outer, windows)  # noqa: E731
        if form < 0.55:
            return f"({again()} {r.choice('+-*')} {again()})"
        if form < 0.62:
            return f"{r.choice(('coalesce', 'greatest', 'least', 'nullif'))}({again()}, {again()})"
        if form < 0.72:
            condition = self._condition(depth - 1, sources, outer)
            return f"case when {condition} then {again()} else {r.choice((again(), 'null', '0'))} end"
        if form < 0.76:
            return f"case {again()} when {r.randint(0, 4)} then {again()} else {again()} end"
        if form < 0.86 and depth > 1:
            inner, inner_sources = self._from(depth - 1, [])
            where = f" where {self._condition(depth - 1, inner_sources, [*sources, *outer])}"
            return f"(select {self._aggregate(1, inner_sources, [])} from {inner}{where})"
        if form < 0.95 and windows:
            return self._window(sources)
        if depth > 1:
            return f"({self._condition(depth - 1, sources, outer)})::int"
        return str(r.randint(-2, 9))

    def _window(self, sources: list[Source]) -> str:
        r = self._r
        call = r.choice(("sum({0})", "max({0})", "count({0})", "count(*)", "rank()", "dense_rank()"))
        partition = f"partition by {self._column(sources)}" if r.random() < 0.6 else ""
        order = f" order by {self._column(sources)}" if r.random() < 0.7 or "rank" in call else ""
        return f"{call.format(self._column(sources))} over ({partition}{order})"

    def _aggregate(self, depth: int, sources: list[Source], outer: list[Source]) -> str:
        r = self._r
        call = r.choice(("sum", "min", "max", "count", "count(distinct", "avg"))
        argument = self._column(sources)
        if r.random() < 0.3:
            argument = f"{argument} {r.choice('+-*')} {self._column(sources)}"
        text = f"{call} {argument})" if call.endswith("distinct") else f"{call}({argument})"
        if r.random() < 0.1:
            text = "count(*)"
        if r.random() < 0.25:
            text += f" filter (where {self._comparison(sources)})"
        return text

    def _comparison(self, sources: list[Source]) -> str:
        r = self._r
        right = self._column(sources) if r.random() < 0.5 else str(r.randint(-2, 9))
        return f"{self._column(sources)} {r.choice(('<', '>', '=', '<>', 'is distinct from'))} {right}"

    def _condition(self, depth: int, sources: list[Source], outer: list[Source]) -> str:
        r = self._r
        form = r.random()
        everything = [*sources, *outer]
        if form < 0.5 or depth < 1:
            return self._comparison(everything if r.random() < 0.5 else sources)
        if form < 0.6:
            joined = r.choice(("and", "or"))
            return (
                f"({self._condition(depth - 1, sources, outer)} {joined} not {self._condition(0, sources, outer)})"
            )
        if form < 0.66:
            return f"{self._column(sources)} between {self._column(everything)} and {r.randint(0, 12)}"
        if form < 0.72:
            return f"{self._column(sources)} is {r.choice(('', 'not '))}null"
        if depth > 1 and form < 0.82:
            inner, inner_sources = self._from(depth - 1, [])
            condition = self._condition(depth - 1, inner_sources, everything)
            return f"{r.choice(('', 'not '))}exists (select 1 from {inner} where {condition})"
        if depth > 1 and form < 0.94:
            inner, inner_sources = self._from(depth - 1, [])
            chosen = self._column(inner_sources)
            where = f" where {self._condition(0, inner_sources, everything)}" if r.random() < 0.7 else ""
            form_in = r.choice(("in (", "not in (", "= any (", "< all ("))
            return f"{self._column(sources)} {form_in}select {chosen} from {inner}{where})"
        return self._comparison(sources)
