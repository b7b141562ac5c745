"""The grammar of what gives a table in FROM another shape: samples, PIVOT, UNPIVOT, MATCH_RECOGNIZE, and documents
cut into columns."""

from collections.abc import Callable

from jalan.sql import tree
from jalan.sql.lexer import END, NUMBER, OPERATOR, STRING, WORD
from jalan.sql.grammar.select_list import ItemParser


class ReshapingParser(ItemParser):
    """Reads the clauses that reshape what stands before them."""

    def _alias(self, item: tree.FromItem) -> None:
        raise NotImplementedError

    def _at_alias(self) -> bool:
        raise NotImplementedError

    def reshaping(self, source: tree.FromItem) -> tree.FromItem:
        """Read the clause that stands here and return what it makes of ``source``."""
        return RESHAPINGS[self.keys[self.i]](self, source)

    def sample(self) -> list[tree.Expression]:
        """Read ``TABLESAMPLE [method] (…) [REPEATABLE (…)]`` and its kin; returns the expressions in it."""
        self.i += 1
        found: list[tree.Expression] = []
        if self.kinds[self.i] == WORD and self.keys[self.i] not in self._no_alias:
            self.qualified("a sampling method")
        if self.keys[self.i] == "(":
            self.i += 1
            if self.keys[self.i] == "bucket":
                while self.keys[self.i] not in (")", "on", ""):
                    self.i += 1
                if self.take("on"):
                    found.append(self.expression())
            else:
                percent = self.kinds[self.i] == NUMBER and self.keys[self.i + 1] == "%"
                found.append(self.expression(10 if percent else 1))
                if self.take(","):
                    found += self.expression_list()
            while self.keys[self.i] in ("percent", "rows", "row", "%"):
                self.i += 1
            self.expect(")")
        else:
            found.append(self.expression(10))
            while self.keys[self.i] in ("percent", "rows", "row", "%"):
                self.i += 1
            if self.keys[self.i] == "(":
                self.skip_parentheses()
        while self.keys[self.i] in ("repeatable", "seed") and self.peek() == "(":
            self.i += 2
            found.append(self.expression())
            self.expect(")")
        return found

    # --- pivot and unpivot ---------------------------------------------------------------------------

    def _pivot(self, source: tree.FromItem) -> tree.FromItem:
        self.i += 1
        self.take("xml")
        self.expect("(")
        aggregates = self.items()
        self.expect("for")
        keys: list[tree.Expression] = []
        values: list[tree.Item] | None = []
        while self.keys[self.i] not in (")", "group", "default"):
            keys += self._pivot_key()
            self.expect("in")
            listed = self._pivot_values()
            values = None if listed is None else (values or []) + listed
        if self.take("default"):
            self.skip_parentheses_after("on", "null")
        group = None
        if self.take("group"):
            self.expect("by")
            group = self.expression_list()
        self.expect(")")
        item = tree.Pivot(source.start, 0, None, None, source, aggregates, keys, values, group)
        self._alias(item)
        return item

    def skip_parentheses_after(self, *words: str) -> None:
        """Step over these words and the parentheses behind them."""
        if self.take_words(*words):
            self.skip_parentheses()

    def _pivot_values(self) -> list[tree.Item] | None:
        """Read ``(value [AS name], …)``; None where the data decides."""
        if self.keys[self.i] != "(":
            self.qualified("an enumeration")
            return None
        self.expect("(")
        if self.keys[self.i] == "any" or self._is_query(self.i):
            open_ = 1
            while open_:
                open_ += {"(": 1, ")": -1}.get(self.keys[self.i], 0)
                if self.kinds[self.i] == END:
                    self.fail("“)”")
                self.i += 1
            return None
        values = self.items()
        self.expect(")")
        return values

    def _pivot_key(self) -> list[tree.Expression]:
        if self.keys[self.i] != "(":
            return [self.expression(7)]
        self.i += 1
        found = self.expression_list()
        self.expect(")")
        return found

    def _unpivot(self, source: tree.FromItem) -> tree.FromItem:
        self.i += 1
        if self.keys[self.i] in ("include", "exclude"):
            self.i += 2
        self.expect("(")
        values = self.names_in_parentheses() if self.keys[self.i] == "(" else [self.name("a column")]
        self.expect("for")
        key = self.names_in_parentheses()[0] if self.keys[self.i] == "(" else self.name("a column")
        self.expect("in")
        self.expect("(")
        groups = []
        while True:
            expression = self.expression()
            groups.append(expression.items if isinstance(expression, tree.Row) else [expression])
            if self.take("as"):
                self.expression()
            elif self._at_alias() or self.kinds[self.i] == STRING:
                self.string_or_name("a name")
            if not self.take(","):
                break
        self.expect(")")
        self.expect(")")
        item = tree.Unpivot(source.start, 0, None, None, source, values, key, groups)
        self._alias(item)
        return item

    # --- rows that match a pattern -------------------------------------------------------------------

    def _match_recognize(self, source: tree.FromItem) -> tree.FromItem:
        self.i += 1
        self.expect("(")
        item = tree.MatchRecognize(source.start, 0, None, None, source, [], [], [], [], [])
        if self.take_words("partition", "by"):
            item.partition = self.expression_list()
        if self.keys[self.i] == "order":
            item.order = self.order_by()
        if self.take("measures"):
            item.measures = self.items()
        while self.keys[self.i] not in ("pattern", "define", ")") and self.kinds[self.i] != END:
            item.all_rows = item.all_rows or (self.keys[self.i] == "all" and self.peek() == "rows")
            self.i += 1
        if self.take("pattern"):
            first = self.i
            self.skip_parentheses()
            words = {self.keys[i] for i in range(first, self.i) if self.kinds[i] == WORD}
            item.symbols = sorted(self._folding.apply(word) for word in words - {"permute"})
        if self.take("subset"):
            while True:
                item.symbols.append(self.name())
                self.expect("=")
                self.skip_parentheses()
                if not self.take(","):
                    break
        if self.take("define"):
            while True:
                item.symbols.append(self.name("a variable of the pattern"))
                self.expect("as")
                item.defines.append(self.expression())
                if not self.take(","):
                    break
        self.expect(")")
        self._alias(item)
        return item

    # --- documents -----------------------------------------------------------------------------------

    def _json_table(self) -> tree.Shredded | None:
        start = self.starts[self.i]
        name = self.keys[self.i]
        self.i += 2
        item = tree.Shredded(start, 0, None, None, name, self.expression_list(), [])
        while self.keys[self.i] not in ("columns", ")"):
            if self.take("passing"):
                item.arguments.append(self.expression())
                if self.take("as"):
                    self.name()
            elif self.kinds[self.i] == END:
                self.fail("“COLUMNS”")
            else:
                self.i += 1
        if self.take("columns"):
            if self.take("("):
                self._shredded_columns(item)
                self.expect(")")
            else:
                self._shredded_columns(item)
        self._skip_tail()
        self.expect(")")
        return item

    def _shredded_columns(self, item: tree.Shredded, below: str = "") -> None:
        """Read ``name type [PATH path] [DEFAULT value …], NESTED [PATH] path COLUMNS (…)``."""
        while True:
            if self.keys[self.i] == "nested":
                self.i += 1
                self.take("path")
                inner = self.written(self.i)[1:-1] if self.kinds[self.i] == STRING else ""
                while not (self.take("columns") or self.kinds[self.i] == END):
                    self.i += 1
                self.expect("(")
                self._shredded_columns(item, _below(below, inner))
                self.expect(")")
            else:
                self._shredded_column(item, below)
            if not self.take(","):
                return

    def _shredded_column(self, item: tree.Shredded, below: str) -> None:
        name = self.name("a column")
        path: str | None = str(name)
        expressions: list[tree.Expression] = []
        if self.take_words("for", "ordinality"):
            path = None
        while self.keys[self.i] not in (",", ")"):
            key = self.keys[self.i]
            if self.kinds[self.i] == END:
                self.fail("“)”")
            if key == "(":
                self.skip_parentheses()
            elif key in ("path", "default") and self.keys[self.i - 1] != "as":
                self.i += 1
                if self.kinds[self.i] == WORD and self.keys[self.i] in _SHREDDED_WORDS:
                    continue
                at = self.i
                value = self.expression()
                if not isinstance(value, tree.Literal):
                    expressions.append(value)
                elif key == "path" and path is not None and self.kinds[at] == STRING:
                    path = self.written(at)[1:-1]
            elif self.kinds[self.i] == STRING and (
                self.kinds[self.i - 1] != OPERATOR or self.keys[self.i - 1] == ")"
            ):
                path = path and self.written(self.i)[1:-1]  # OPENJSON has no word before the path
                self.i += 1
            else:
                self.i += 1
        item.fields.append((name, path if path is None else _below(below, path), expressions))

    def _xml_table(self) -> tree.Shredded | None:
        start = self.starts[self.i]
        self.i += 2
        item = tree.Shredded(start, 0, None, None, "xmltable", [], [])
        if self.keys[self.i] == "xmlnamespaces":
            self.i += 1
            self.skip_parentheses()
            self.expect(",")
        row = self.expression()
        if self.take("passing"):
            while self.take_words("by", "ref") or self.take_words("by", "value"):
                pass
            item.arguments.append(self.expression())
            if self.take("as"):
                self.name()
            while self.take_words("by", "ref") or self.take_words("by", "value"):
                pass
        item.arguments.append(row)
        self.take_words("returning", "sequence", "by", "ref")
        if self.take("columns"):
            self._shredded_columns(item)
        self.expect(")")
        return item

    def _open_json(self) -> tree.Shredded | None:
        at = self.i
        start = self.starts[at]
        self.i += 2
        arguments = self.expression_list()
        self.expect(")")
        if not (self.keys[self.i] == "with" and self.peek() == "("):
            self.i = at
            return None
        self.i += 2
        item = tree.Shredded(start, 0, None, None, "openjson", arguments, [])
        self._shredded_columns(item)
        self.expect(")")
        return item


def _below(first: str, then: str) -> str:
    """A path inside another one.

    >>> _below("$.stops[*]", "$.port"), _below("", "$.port"), _below("$.stops[*]", "$")
    ('$.stops[*].port', '$.port', '$.stops[*]')
    """
    rest = then.removeprefix("lax ").removeprefix("strict ")
    return first + (rest[1:] if rest.startswith("$") else f".{rest}") if first else then


_SHREDDED_WORDS = frozenset({"on", "empty", "error", "null", "unconditional", "array", "object"})
RESHAPINGS: dict[str, Callable[[ReshapingParser, tree.FromItem], tree.FromItem]] = {
    "pivot": ReshapingParser._pivot,
    "unpivot": ReshapingParser._unpivot,
    "match_recognize": ReshapingParser._match_recognize,
}

SHREDDERS: dict[str, Callable[[ReshapingParser], tree.Shredded | None]] = {
    "json_table": ReshapingParser._json_table,
    "xmltable": ReshapingParser._xml_table,
    "openjson": ReshapingParser._open_json,
}
