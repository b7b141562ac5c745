"""Statements as text again, in the normal form of ``sql.printing``."""

from collections.abc import Callable

from jalan.sql import tree
from jalan.sql.dialects.dialect import Dialect
from jalan.sql.render.expressions import Printer


class StatementPrinter(Printer):
    """Prints statements; queries and expressions too."""

    def print(self, node: tree.Node) -> str:
        printer = STATEMENT_PRINTERS.get(type(node))
        return super().print(node) if printer is None else printer(self, node)

    def _query_statement(self, node: tree.QueryStatement) -> str:
        return self.print(node.query)

    def _ctes(self, node: tree.Insert | tree.Update | tree.Delete | tree.Merge) -> str:
        return "" if node.ctes is None else self.print(node.ctes) + " "

    def _create_table_as(self, node: tree.CreateTableAs) -> str:
        body = node.query.body
        while isinstance(body, tree.SetOperation):
            body = body.left
        if isinstance(body, tree.Select) and body.into is not None:
            return self.print(node.query)
        temporary = "temporary " if node.temporary else ""
        columns = self._columns(node.columns)
        return f"create {temporary}table {self.print(node.target)}{columns} as {self.print(node.query)}"

    def _create_table(self, node: tree.CreateTable) -> str:
        text = f"create {'external ' if node.location else ''}{'temporary ' if node.temporary else ''}table "
        text += self.print(node.target)
        parts = [f"{self.name(name)} text" for name in node.columns]
        parts += [f"like {self.print(name)}" for name in node.like]
        if parts:
            text += f" ({', '.join(parts)})"
        if node.clone is not None:
            text += f" clone {self.print(node.clone)}"
        if node.location is not None:
            text += f" location {self.print(node.location)}"
        return text if parts or node.clone or node.location else f"{text} ()"

    def _create_view(self, node: tree.CreateView) -> str:
        target, columns, query = self.print(node.target), self._columns(node.columns), self.print(node.query)
        if node.kind == "alter_view":
            return f"alter {'materialized ' if node.materialized else ''}view {target}{columns} as {query}"
        if node.kind == "stream":
            assert isinstance(node.query.body, tree.Select)
            return f"create stream {target} on table {self.print(node.query.body.source[0])}"
        if node.kind == "cached_table":
            return f"cache table {target} as {query}"
        if node.kind == "dynamic_table":
            return f"create dynamic table {target}{columns} as {query}"
        words = ("temporary " if node.temporary else "") + ("materialized " if node.materialized else "")
        return f"create {words}view {target}{columns} as {query}"

    # --- changes -------------------------------------------------------------------------------------

    def _assignments(self, assignments: list[tree.Assignment]) -> str:
        return ", ".join(map(self.print, assignments))

    def _assignment(self, node: tree.Assignment) -> str:
        before = "" if node.qualifier is None else f"{self.name(node.qualifier)}."
        columns = ", ".join(before + self.name(column) for column in node.columns) + node.part
        if len(node.columns) > 1:
            columns = f"({columns})"
        return f"{columns} = {self.print(node.value)}"

    def _insert(self, node: tree.Insert) -> str:
        return f"{self._ctes(node)}insert into {self._insert_rest(node)}"

    def _insert_rest(self, node: tree.Insert) -> str:
        text = self.print(node.target)
        if node.alias is not None:
            text += f" as {self.name(node.alias)}"
        if node.partition is not None:
            pairs = (
                self.name(name) + ("" if value is None else f" = {self.print(value)}")
                for name, value in node.partition
            )
            text += f" partition ({', '.join(pairs)})"
        text += self._columns(node.columns)
        if node.by_name:
            text += " by name"
        if node.into is not None:
            text += self._output(node)
        text += " default values" if node.query is None else f" {self.print(node.query)}"
        if node.conflict is not None:
            text += self._conflict(node.conflict)
        return text + self._returning(node)

    def _returning(self, node: tree.Insert | tree.Update | tree.Delete | tree.Merge) -> str:
        if not node.returning or node.into is not None:
            return ""
        text = f" returning {self.listed(node.returning)}"
        if node.into_variables:
            text += " into " + ", ".join(v if v[:1] in ":@$" else self.name(v) for v in node.into_variables)
        return text

    def _output(self, node: tree.Insert | tree.Update | tree.Delete | tree.Merge) -> str:
        assert node.into is not None
        columns = self._columns(node.into_columns)
        return f" output {self.listed(node.returning)} into {self.print(node.into)}{columns}"

    def _conflict(self, node: tree.Conflict) -> str:
        if node.alias != "excluded":
            alias = "" if node.alias == "values()" else f" as {self.name(node.alias)}{self._columns(node.names)}"
            return f"{alias} on duplicate key update {self._assignments(node.assignments)}"
        text = " on conflict"
        if node.columns:
            text += f" ({self.listed(node.columns)})"
        if not node.assignments:
            return f"{text} do nothing"
        text += f" do update set {self._assignments(node.assignments)}"
        return text if node.where is None else f"{text} where {self.print(node.where)}"

    def _multi_insert(self, node: tree.MultiInsert) -> str:
        if node.query.start == node.query.end:
            parts = []
            first = node.branches[0][1].query
            assert first is not None
            assert isinstance(first.body, tree.Select)
            for _, insert in node.branches:
                assert insert.query is not None
                assert isinstance(insert.query.body, tree.Select)
                source, insert.query.body.source = insert.query.body.source, []
                parts.append(f"insert into {self._insert_rest(insert)}")
                insert.query.body.source = source
            ctes = node.branches[0][1].ctes
            with_ = "" if ctes is None else self.print(ctes) + " "
            return f"{with_}from {self.listed(first.body.source)} {' '.join(parts)}"
        parts = []
        last: tree.Expression | None = None
        for condition, insert in node.branches:
            if condition is not None and condition is not last:
                parts.append(f"when {self.print(condition)} then")
            elif condition is None and last is not None:
                parts.append("else")
            last = condition
            text = f"into {self.print(insert.target)}{self._columns(insert.columns)}"
            if insert.query is not None:
                text += f" {self.print(insert.query)}"
            parts.append(text)
        return f"insert all {' '.join(parts)} {self.print(node.query)}"

    def _limits(self, node: tree.Update | tree.Delete) -> str:
        sorts = [limit for limit in node.limit or () if isinstance(limit, tree.Sort)]
        text = f" order by {self.listed(sorts)}" if sorts else ""
        for word, limit in zip(("limit", "offset"), (node.limit or [])[len(sorts) :], strict=False):
            text += f" {word} {self.print(limit)}"
        return text

    def _update(self, node: tree.Update) -> str:
        source = list(node.source)
        if node.joined and not self._dialect.bare_statements:
            head, source = self.listed(source), []
        elif node.joined:
            head = self.name(node.alias or node.target.parts[-1])
        else:
            head = self.print(node.target) + ("" if node.alias is None else f" as {self.name(node.alias)}")
        text = f"{self._ctes(node)}update {head} set {self._assignments(node.assignments)}"
        if node.into is not None:
            text += self._output(node)
        if source:
            text += f" from {self.listed(source)}"
        if node.where is not None:
            text += f" where {self.print(node.where)}"
        text += self._limits(node)
        return text + self._returning(node)

    def _delete(self, node: tree.Delete) -> str:
        if node.joined and node.source and isinstance(node.source[0], tree.Derived) and not node.more:
            text = f"{self._ctes(node)}delete from {self.listed(node.source)}"
        elif node.joined or node.more:
            names = [node.alias or node.target.parts[-1], *[t.parts[-1] for t in node.more or ()]]
            targets = node.more or []
            by_table = {t.parts: name for name, t in zip(names[1:], targets, strict=True)}
            head = f"delete {', '.join(self.name(self._name_in(node, n, by_table)) for n in names)}"
            text = f"{self._ctes(node)}{head} from {self.listed(node.source)}"
        else:
            alias = "" if node.alias is None else f" as {self.name(node.alias)}"
            text = f"{self._ctes(node)}delete from {self.print(node.target)}{alias}"
            if node.into is not None:
                text += self._output(node)
            if node.source:
                text += f" using {self.listed(node.source)}"
        if node.where is not None:
            text += f" where {self.print(node.where)}"
        text += self._limits(node)
        return text + self._returning(node)

    @staticmethod
    def _name_in(node: tree.Delete, name: str, more: dict[tuple[str, ...], str]) -> str:
        """The alias under which a target stands in FROM."""
        for item in node.source:
            stack: list[tree.FromItem] = [item]
            while stack:
                current = stack.pop()
                if isinstance(current, tree.Join):
                    stack += [current.right, current.left]
                elif isinstance(current, tree.TableSource) and current.table.parts[-1] == name:
                    if current.table.parts in more and current.alias is not None:
                        return current.alias
        return name

    def _merge(self, node: tree.Merge) -> str:
        alias = "" if node.alias is None else f" as {self.name(node.alias)}"
        text = f"{self._ctes(node)}merge into {self.print(node.target)}{alias} using {self.print(node.source)}"
        text += f" on {self.print(node.condition)}"
        text += "".join(f" {self._merge_branch(branch)}" for branch in node.branches)
        if node.into is not None:
            text += self._output(node)
        text += self._returning(node)
        return text

    def _merge_branch(self, node: tree.MergeBranch) -> str:
        if node.action == "replace":
            return "remove duplicates"
        text = "when not matched" if node.action == "insert" else "when matched"
        if node.condition is not None:
            text += f" and {self.print(node.condition)}"
        text += " then "
        if node.action == "nothing":
            text += "do nothing"
        elif node.action == "delete":
            text += "delete"
        elif node.action == "update":
            text += "update set " + ("*" if node.row else self._assignments(node.assignments))
        elif node.row:
            text += f"insert{self._columns(node.columns)} row"
        else:
            text += f"insert{self._columns(node.columns)} "
            text += f"values ({self.listed(node.values)})" if node.values else "default values"
        return text + "".join(f" where {self.print(condition)}" for condition in node.where or ())

    def _copy(self, node: tree.Copy) -> str:
        columns = self._columns(node.columns)
        if node.target.file:
            body = node.query.body
            if isinstance(body, tree.Select) and body.into is not None:
                return self.print(node.query)
            if node.kind == "insert_overwrite_directory":
                return f"insert overwrite directory {self.print(node.target)} {self.print(node.query)}"
            if self._dialect.stages:
                return f"copy into {self.print(node.target)} from ({self.print(node.query)})"
            return f"copy ({self.print(node.query)}) to {self.print(node.target)}"
        if node.assignments:
            assert isinstance(node.query.body, tree.Select)
            file = self.print(node.query.body.source[0])
            names = ", ".join(n if n.startswith("@") else self.name(n) for n in node.columns or [])
            assignments = self._assignments(node.assignments)
            return f"load data infile {file} into table {self.print(node.target)} ({names}) set {assignments}"
        if self._dialect.synopses:
            assert isinstance(node.query.body, tree.Select)
            return f"copy {self.print(node.target)}{columns} from {self.print(node.query.body.source[0])}"
        return f"copy into {self.print(node.target)}{columns} from ({self.print(node.query)})"

    # --- definitions ---------------------------------------------------------------------------------

    def _drop(self, node: tree.Drop) -> str:
        kind = node.kind.replace("_", " ")
        return f"drop {kind} {self.listed(node.targets)}"

    def _truncate(self, node: tree.Truncate) -> str:
        return f"truncate table {self.listed(node.targets)}"

    def _rename_tables(self, node: tree.RenameTables) -> str:
        pairs = (f"{self.print(old)} to {self.print(new)}" for old, new in node.pairs)
        return f"rename table {', '.join(pairs)}"

    def _alter(self, node: tree.Alter) -> str:
        kind = node.kind.replace("_", " ")
        return f"alter {kind} {self.print(node.target)} {', '.join(map(self._alter_action, node.actions))}"

    def _alter_action(self, node: tree.AlterAction) -> str:
        action = node.action
        old = "" if node.old is None else self.name(node.old)
        new = "" if node.new is None else self.name(node.new)
        table = "" if node.table is None else self.print(node.table)
        columns = f"({', '.join(self.name(c) + ' text' for c in node.columns or ())})"
        return {
            "rename": f"rename to {table}",
            "rename_column": f"rename column {old} to {new}",
            "set_schema": f"set schema {new}",
            "swap": f"swap with {table}",
            "exchange": f"exchange partition p with table {table}",
            "switch": f"switch to {table}",
            "attach": f"attach partition {table} default",
            "replace_columns": f"replace columns {columns}",
            "add_column": f"add column {columns if len(node.columns or ()) > 1 else new + ' text'}",
            "drop_column": "drop column "
            + (f"({', '.join(map(self.name, node.columns or ()))})" if len(node.columns or ()) > 1 else old),
            "other": "owner to x",
        }[action]

    def _set_search_path(self, node: tree.SetSearchPath) -> str:
        return f"set search_path to {', '.join(map(self.name, node.schemas))}"

    def _use(self, node: tree.Use) -> str:
        if node.parts[-1] == "":
            return f"use database {self.names(node.parts[:-1])}"
        return f"use {self.names(node.parts)}"

    def _wrapped(self, node: tree.Wrapped) -> str:
        word = {"create_event": "do", "create_alert": "then"}.get(node.kind, "as")
        head = "prepare x as" if node.kind == "prepare" else f"{node.kind.replace('_', ' ')} x {word}"
        return f"{head} {self.print(node.body)}"


STATEMENT_PRINTERS: dict[type[tree.Node], Callable[..., str]] = {
    tree.QueryStatement: StatementPrinter._query_statement,
    tree.CreateTableAs: StatementPrinter._create_table_as,
    tree.CreateTable: StatementPrinter._create_table,
    tree.CreateView: StatementPrinter._create_view,
    tree.Assignment: StatementPrinter._assignment,
    tree.Insert: StatementPrinter._insert,
    tree.MultiInsert: StatementPrinter._multi_insert,
    tree.Update: StatementPrinter._update,
    tree.Delete: StatementPrinter._delete,
    tree.Merge: StatementPrinter._merge,
    tree.Copy: StatementPrinter._copy,
    tree.Drop: StatementPrinter._drop,
    tree.Truncate: StatementPrinter._truncate,
    tree.RenameTables: StatementPrinter._rename_tables,
    tree.Alter: StatementPrinter._alter,
    tree.SetSearchPath: StatementPrinter._set_search_path,
    tree.Use: StatementPrinter._use,
    tree.Wrapped: StatementPrinter._wrapped,
}


def normal_form(node: tree.Node, text: str, dialect: Dialect) -> str:
    """Return a node that was read from ``text`` in the normal form."""
    return StatementPrinter(dialect, text).print(node)
