"""The grammar of the statements that move rows between tables and files: COPY, LOAD, UNLOAD, EXPORT."""

from jalan.sql import tree
from jalan.sql.grammar.part import GrammarPart
from jalan.sql.grammar.statements.registry import register
from jalan.sql.lexer import END, LOCATION, NUMBER, QUOTED, STRING, WORD


class CopyGrammar(GrammarPart):
    """Reads what moves rows into and out of files."""

    def _rows_of(self, table: tree.TableName) -> tree.Query:
        source = tree.TableSource(table.start, table.end, None, None, table)
        return tree.Query(
            table.start, table.end, None, self.grammar.queries.select_star(table.start, source), [], []
        )

    def _columns_of(self, table: tree.TableName, columns: list[str] | None) -> tree.Query:
        query = self._rows_of(table)
        if columns and isinstance(query.body, tree.Select):
            query.body.items = [
                tree.SelectItem(table.start, table.end, tree.Column(table.start, table.end, (name,)), None)
                for name in columns
            ]
        return query

    def _copied(
        self,
        first: int,
        target: tree.TableName,
        columns: list[str] | None,
        query: tree.Query,
        assignments: list[tree.Assignment] | None = None,
    ) -> tree.StatementNode:
        tokens = self.tokens
        tokens.to_end()
        kind = tokens.keys[first]
        return tree.Copy(
            tokens.starts[first], tokens.end_of_last(), kind, target, columns, query, assignments or []
        )

    def _file(self) -> tree.TableName:
        """Read a file, a stage, a program or a stream of the client."""
        tokens = self.tokens
        grammar = self.grammar
        i = tokens.i
        if tokens.kinds[i] in (STRING, LOCATION):
            return grammar.tables.table_name()
        if tokens.keys[i] == "program":
            tokens.i += 1
            return grammar.tables.table_name()
        name = grammar.tables.table_name()
        name.file = True
        return name

    def copy(self) -> tree.StatementNode | None:
        tokens = self.tokens
        first = tokens.i
        tokens.i += 1
        if tokens.take("into"):
            return self._copy_into(first)
        if tokens.keys[tokens.i] in ("grants", "database"):
            tokens.i = first
            return None
        if tokens.keys[tokens.i] == "binary" and tokens.kinds[tokens.i + 1] in (WORD, QUOTED):
            tokens.i += 1
        if tokens.keys[tokens.i] == "(":
            tokens.i += 1
            query = self.query_or_change()
            tokens.expect(")")
            tokens.expect("to")
            return self._copied(first, self._file(), None, query)
        table = self.grammar.tables.table_name()
        columns = self.grammar.targets.column_targets() if tokens.keys[tokens.i] == "(" else None
        if tokens.take("to"):
            return self._copied(first, self._file(), None, self._columns_of(table, columns))
        tokens.expect("from")
        query = self._rows_of(self._file())
        return self._copied(first, table, columns, query)

    def query_or_change(self) -> tree.Query:
        """Read a query, or a change whose RETURNING is one."""
        tokens = self.tokens
        grammar = self.grammar
        start = tokens.starts[tokens.i]
        ctes = grammar.with_clauses.with_clause() if tokens.keys[tokens.i] == "with" else None
        change = grammar.dml.modifying(ctes)
        if change is None:
            return grammar.queries.query_body(ctes, start)
        cte = tree.Cte(change.start, change.end, "changed", None, change, [])
        clause = tree.With(change.start, change.end, False, [cte])
        query = self._rows_of(tree.TableName(change.start, change.end, ("changed",)))
        query.ctes = clause
        return query

    def _copy_into(self, first: int) -> tree.StatementNode:
        """``COPY INTO table FROM files``, ``COPY INTO files FROM table``."""
        grammar = self.grammar
        tokens = self.tokens
        target = grammar.tables.table_name()
        columns = self._loaded_columns() if tokens.keys[tokens.i] == "(" else None
        tokens.expect("from")
        if tokens.keys[tokens.i] == "(":
            tokens.i += 1
            query = grammar.queries.query()
            tokens.expect(")")
        else:
            source = self._file() if not target.file else grammar.tables.table_name()
            query = self._rows_of(source)
        return self._copied(first, target, columns, query)

    def _loaded_columns(self) -> list[str]:
        """Read ``(a, b DEFAULT 'x' 3)``: columns, maybe with the number of their field in the file."""
        tokens = self.tokens
        tokens.expect("(")
        names = []
        while True:
            names.append(self.grammar.targets.column_target().name)
            if tokens.take("default"):
                self.grammar.expressions.expression()
            if tokens.kinds[tokens.i] == NUMBER:
                tokens.i += 1
            if not tokens.take(","):
                break
        tokens.expect(")")
        return names

    def unload(self) -> tree.StatementNode | None:
        """``UNLOAD ('query') TO 'files'``: the query is text inside a string."""
        tokens = self.tokens
        first = tokens.i
        if tokens.peek() != "(":
            return None
        tokens.i += 2
        if tokens.kinds[tokens.i] == STRING:
            query = self._query_in_string()
        else:
            query = self.grammar.queries.query()
        tokens.expect(")")
        tokens.expect("to")
        return self._copied(first, self._file(), None, query)

    def _query_in_string(self) -> tree.Query:
        """Read the query that a string token holds, in place."""
        tokens = self.tokens
        inner = self.grammar.of_string(tokens.i)
        query = inner.queries.query()
        if inner.tokens.kinds[inner.tokens.i] != END and inner.tokens.keys[inner.tokens.i] != ";":
            inner.tokens.fail("the end of the query")
        tokens.i += 1
        while tokens.kinds[tokens.i] == STRING:
            tokens.i += 1
        return query

    def load(self) -> tree.StatementNode | None:
        """``LOAD DATA [LOCAL] INFILE|INPATH 'file' INTO TABLE t``, ``LOAD DATA INTO t FROM FILES (…)``."""
        grammar = self.grammar
        tokens = self.tokens
        first = tokens.i
        if tokens.peek() not in ("data", "xml"):
            return None
        tokens.i += 2
        while tokens.keys[tokens.i] in ("local", "low_priority", "concurrent"):
            tokens.i += 1
        source: tree.TableName | None = None
        if tokens.keys[tokens.i] in ("infile", "inpath"):
            tokens.i += 1
            source = grammar.tables.table_name()
            while tokens.keys[tokens.i] in ("replace", "ignore"):
                tokens.i += 1
        overwrite = tokens.take("overwrite")
        if not tokens.take("into") and not overwrite:
            tokens.expect("into")
        tokens.take("overwrite")
        if tokens.keys[tokens.i] == "temp":
            tokens.i += 1
        tokens.take("table")
        target = grammar.tables.table_name()
        columns: list[str] | None = None
        if source is None and tokens.keys[tokens.i] == "(":  # what the table is made with
            columns = grammar.table_refs.names_with_types("a column")
        assignments: list[tree.Assignment] = []
        while tokens.keys[tokens.i] != ";" and tokens.kinds[tokens.i] != END:
            key = tokens.keys[tokens.i]
            if key == "files" and tokens.peek() == "(":
                named = self._uri()
                source = source or named
            elif key == "(" and source is not None and not source.parts[0].startswith("?") and columns is None:
                columns = self._file_columns()
            elif key == "(":
                tokens.skip_parentheses()
            elif key == "set" and tokens.keys[tokens.i - 1] != "character":
                tokens.i += 1
                assignments = grammar.targets.assignments()
            elif key == "partition" and tokens.peek() == "(":
                tokens.i += 1
                tokens.skip_parentheses()
            else:
                tokens.i += 1
        if source is None:
            tokens.fail("the files to load")
        return self._copied(first, target, columns, self._rows_of(source), assignments)

    def _file_columns(self) -> list[str]:
        """Read ``(a, @b, c)`` of LOAD DATA; a variable takes a field that no column gets."""
        tokens = self.tokens
        tokens.expect("(")
        names = []
        while tokens.keys[tokens.i] != ")":
            if tokens.keys[tokens.i] == "$":
                names.append(tokens.written(tokens.i))
                tokens.i += 1
            else:
                names.append(tokens.name("a column"))
            if not tokens.take(","):
                break
        tokens.expect(")")
        return names

    def _uri(self) -> tree.TableName | None:
        """Find ``uris = ['…']``, ``uri = '…'`` in the options that stand here, and step over them."""
        tokens = self.tokens
        tokens.i += 1
        first = tokens.i
        tokens.skip_parentheses()
        for i in range(first, tokens.i):
            if tokens.keys[i] in ("uri", "uris", "path"):
                for j in range(i + 1, tokens.i):
                    if tokens.kinds[j] == STRING:
                        return tree.TableName(tokens.starts[j], tokens.ends[j], (tokens.written(j)[1:-1],), True)
        return None

    def export(self) -> tree.StatementNode | None:
        """``EXPORT DATA OPTIONS (uri = '…') AS query``, ``EXPORT TABLE t TO 'path'``."""
        tokens = self.tokens
        first = tokens.i
        tokens.i += 1
        if tokens.take("table"):
            table = self.grammar.tables.table_name()
            if tokens.keys[tokens.i] == "partition":
                tokens.i += 1
                tokens.skip_parentheses()
            tokens.expect("to")
            return self._copied(first, self._file(), None, self._rows_of(table))
        if not tokens.take("data"):
            tokens.i = first
            return None
        if tokens.take("with"):
            tokens.expect("connection")
            tokens.qualified()
        target = None
        if tokens.keys[tokens.i] == "options":
            target = self._uri()
        tokens.expect("as")
        query = self.grammar.queries.query()
        if target is None:
            target = tree.TableName(tokens.starts[first], tokens.ends[first], ("?",), True)
        return self._copied(first, target, None, query)

    def bulk(self) -> tree.StatementNode | None:
        """``BULK INSERT t FROM 'file'``."""
        tokens = self.tokens
        first = tokens.i
        if tokens.peek() != "insert":
            return None
        tokens.i += 2
        target = self.grammar.tables.table_name()
        tokens.expect("from")
        return self._copied(first, target, None, self._rows_of(self._file()))


register(
    {
        "copy": lambda grammar: grammar.copy.copy(),
        "load": lambda grammar: grammar.copy.load(),
        "unload": lambda grammar: grammar.copy.unload(),
        "export": lambda grammar: grammar.copy.export(),
        "bulk": lambda grammar: grammar.copy.bulk(),
    }
)
