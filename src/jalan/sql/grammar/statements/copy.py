"""The grammar of the statements that move rows between tables and files: COPY, LOAD, UNLOAD, EXPORT."""

from jalan.sql import tree
from jalan.sql.grammar.statements.dml import ChangeParser
from jalan.sql.lexer import END, LOCATION, NUMBER, QUOTED, STRING, WORD


class MoveParser(ChangeParser):
    """Reads what moves rows into and out of files."""

    def _rows_of(self, table: tree.TableName) -> tree.Query:
        source = tree.TableSource(table.start, table.end, None, None, table)
        return tree.Query(table.start, table.end, None, self._select_star(table.start, source), [], [])

    def _columns_of(self, table: tree.TableName, columns: list[str] | None) -> tree.Query:
        query = self._rows_of(table)
        if columns and isinstance(query.body, tree.Select):
            query.body.items = [
                tree.Item(table.start, table.end, tree.Column(table.start, table.end, (name,)), None)
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
    ) -> tree.Statement:
        self._to_end()
        kind = self.keys[first]
        return tree.Copy(self.starts[first], self.end_of_last(), kind, target, columns, query, assignments or [])

    def _file(self) -> tree.TableName:
        """Read a file, a stage, a program or a stream of the client."""
        i = self.i
        if self.kinds[i] in (STRING, LOCATION):
            return self.table_name()
        if self.keys[i] == "program":
            self.i += 1
            return self.table_name()
        name = self.table_name()
        name.file = True
        return name

    def _copy(self) -> tree.Statement | None:
        first = self.i
        self.i += 1
        if self.take("into"):
            return self._copy_into(first)
        if self.keys[self.i] in ("grants", "database"):
            self.i = first
            return None
        if self.keys[self.i] == "binary" and self.kinds[self.i + 1] in (WORD, QUOTED):
            self.i += 1
        if self.keys[self.i] == "(":
            self.i += 1
            query = self.query_or_change()
            self.expect(")")
            self.expect("to")
            return self._copied(first, self._file(), None, query)
        table = self.table_name()
        columns = self._column_targets() if self.keys[self.i] == "(" else None
        if self.take("to"):
            return self._copied(first, self._file(), None, self._columns_of(table, columns))
        self.expect("from")
        query = self._rows_of(self._file())
        return self._copied(first, table, columns, query)

    def query_or_change(self) -> tree.Query:
        """Read a query, or a change whose RETURNING is one."""
        start = self.starts[self.i]
        ctes = self.with_clause() if self.keys[self.i] == "with" else None
        change = self.modifying(ctes)
        if change is None:
            return self.query_body(ctes, start)
        cte = tree.Cte(change.start, change.end, "changed", None, change, [])
        clause = tree.With(change.start, change.end, False, [cte])
        query = self._rows_of(tree.TableName(change.start, change.end, ("changed",)))
        query.ctes = clause
        return query

    def _copy_into(self, first: int) -> tree.Statement:
        """``COPY INTO table FROM files``, ``COPY INTO files FROM table``."""
        target = self.table_name()
        columns = self._loaded_columns() if self.keys[self.i] == "(" else None
        self.expect("from")
        if self.keys[self.i] == "(":
            self.i += 1
            query = self.query()
            self.expect(")")
        else:
            source = self._file() if not target.file else self.table_name()
            query = self._rows_of(source)
        return self._copied(first, target, columns, query)

    def _loaded_columns(self) -> list[str]:
        """Read ``(a, b DEFAULT 'x' 3)``: columns, maybe with the number of their field in the file."""
        self.expect("(")
        names = []
        while True:
            names.append(self._column_target().name)
            if self.take("default"):
                self.expression()
            if self.kinds[self.i] == NUMBER:
                self.i += 1
            if not self.take(","):
                break
        self.expect(")")
        return names

    def _unload(self) -> tree.Statement | None:
        """``UNLOAD ('query') TO 'files'``: the query is text inside a string."""
        first = self.i
        if self.peek() != "(":
            return None
        self.i += 2
        if self.kinds[self.i] == STRING:
            query = self.query_in_string()
        else:
            query = self.query()
        self.expect(")")
        self.expect("to")
        return self._copied(first, self._file(), None, query)

    def query_in_string(self) -> tree.Query:
        """Read the query that a string token holds, in place."""
        raise NotImplementedError

    def _load(self) -> tree.Statement | None:
        """``LOAD DATA [LOCAL] INFILE|INPATH 'file' INTO TABLE t``, ``LOAD DATA INTO t FROM FILES (…)``."""
        first = self.i
        if self.peek() not in ("data", "xml"):
            return None
        self.i += 2
        while self.keys[self.i] in ("local", "low_priority", "concurrent"):
            self.i += 1
        source: tree.TableName | None = None
        if self.keys[self.i] in ("infile", "inpath"):
            self.i += 1
            source = self.table_name()
            while self.keys[self.i] in ("replace", "ignore"):
                self.i += 1
        overwrite = self.take("overwrite")
        if not self.take("into") and not overwrite:
            self.expect("into")
        self.take("overwrite")
        if self.keys[self.i] == "temp":
            self.i += 1
        self.take("table")
        target = self.table_name()
        columns: list[str] | None = None
        if source is None and self.keys[self.i] == "(":  # what the table is made with
            columns = self.names_with_types("a column")
        assignments: list[tree.Assignment] = []
        while self.keys[self.i] != ";" and self.kinds[self.i] != END:
            key = self.keys[self.i]
            if key == "files" and self.peek() == "(":
                named = self._uri()
                source = source or named
            elif key == "(" and source is not None and not source.parts[0].startswith("?") and columns is None:
                columns = self._file_columns()
            elif key == "(":
                self.skip_parentheses()
            elif key == "set" and self.keys[self.i - 1] != "character":
                self.i += 1
                assignments = self._assignments()
            elif key == "partition" and self.peek() == "(":
                self.i += 1
                self.skip_parentheses()
            else:
                self.i += 1
        if source is None:
            self.fail("the files to load")
        return self._copied(first, target, columns, self._rows_of(source), assignments)

    def _file_columns(self) -> list[str]:
        """Read ``(a, @b, c)`` of LOAD DATA; a variable takes a field that no column gets."""
        self.expect("(")
        names = []
        while self.keys[self.i] != ")":
            if self.keys[self.i] == "$":
                names.append(self.written(self.i))
                self.i += 1
            else:
                names.append(self.name("a column"))
            if not self.take(","):
                break
        self.expect(")")
        return names

    def _uri(self) -> tree.TableName | None:
        """Find ``uris = ['…']``, ``uri = '…'`` in the options that stand here, and step over them."""
        self.i += 1
        first = self.i
        self.skip_parentheses()
        for i in range(first, self.i):
            if self.keys[i] in ("uri", "uris", "path"):
                for j in range(i + 1, self.i):
                    if self.kinds[j] == STRING:
                        return tree.TableName(self.starts[j], self.ends[j], (self.written(j)[1:-1],), True)
        return None

    def _export(self) -> tree.Statement | None:
        """``EXPORT DATA OPTIONS (uri = '…') AS query``, ``EXPORT TABLE t TO 'path'``."""
        first = self.i
        self.i += 1
        if self.take("table"):
            table = self.table_name()
            if self.keys[self.i] == "partition":
                self.i += 1
                self.skip_parentheses()
            self.expect("to")
            return self._copied(first, self._file(), None, self._rows_of(table))
        if not self.take("data"):
            self.i = first
            return None
        if self.take("with"):
            self.expect("connection")
            self.qualified()
        target = None
        if self.keys[self.i] == "options":
            target = self._uri()
        self.expect("as")
        query = self.query()
        if target is None:
            target = tree.TableName(self.starts[first], self.ends[first], ("?",), True)
        return self._copied(first, target, None, query)

    def _bulk(self) -> tree.Statement | None:
        """``BULK INSERT t FROM 'file'``."""
        first = self.i
        if self.peek() != "insert":
            return None
        self.i += 2
        target = self.table_name()
        self.expect("from")
        return self._copied(first, target, None, self._rows_of(self._file()))
