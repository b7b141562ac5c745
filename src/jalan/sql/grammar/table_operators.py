"""The grammar of what gives a table in FROM another shape: samples, PIVOT, UNPIVOT, MATCH_RECOGNIZE, and documents
cut into columns."""

from collections.abc import Callable

from jalan.sql import tree
from jalan.sql.grammar.part import GrammarPart
from jalan.sql.lexer import END, NUMBER, OPERATOR, STRING, WORD


class TableOperatorGrammar(GrammarPart):
    """Reads the clauses that reshape what stands before them."""

    def reshaping(self, source: tree.FromItem) -> tree.FromItem:
        """Read the clause that stands here and return what it makes of ``source``."""
        return RESHAPINGS[self.tokens.keys[self.tokens.i]](self, source)

    def sample(self) -> list[tree.Expression]:
        """Read ``TABLESAMPLE [method] (…) [REPEATABLE (…)]`` and its kin; returns the expressions in it."""
        grammar = self.grammar
        tokens = self.tokens
        tokens.i += 1
        found: list[tree.Expression] = []
        if tokens.kinds[tokens.i] == WORD and tokens.keys[tokens.i] not in tokens.no_alias:
            tokens.qualified("a sampling method")
        if tokens.keys[tokens.i] == "(":
            tokens.i += 1
            if tokens.keys[tokens.i] == "bucket":
                while tokens.keys[tokens.i] not in (")", "on", ""):
                    tokens.i += 1
                if tokens.take("on"):
                    found.append(grammar.expressions.expression())
            else:
                percent = tokens.kinds[tokens.i] == NUMBER and tokens.keys[tokens.i + 1] == "%"
                found.append(grammar.expressions.expression(10 if percent else 1))
                if tokens.take(","):
                    found += grammar.calls.expression_list()
            while tokens.keys[tokens.i] in ("percent", "rows", "row", "%"):
                tokens.i += 1
            tokens.expect(")")
        else:
            found.append(grammar.expressions.expression(10))
            while tokens.keys[tokens.i] in ("percent", "rows", "row", "%"):
                tokens.i += 1
            if tokens.keys[tokens.i] == "(":
                tokens.skip_parentheses()
        while tokens.keys[tokens.i] in ("repeatable", "seed") and tokens.peek() == "(":
            tokens.i += 2
            found.append(grammar.expressions.expression())
            tokens.expect(")")
        return found

    # --- pivot and unpivot ---------------------------------------------------------------------------

    def _pivot(self, source: tree.FromItem) -> tree.FromItem:
        grammar = self.grammar
        tokens = self.tokens
        tokens.i += 1
        tokens.take("xml")
        tokens.expect("(")
        aggregates = grammar.select_list.items()
        tokens.expect("for")
        keys: list[tree.Expression] = []
        values: list[tree.SelectItem] | None = []
        while tokens.keys[tokens.i] not in (")", "group", "default"):
            keys += self._pivot_key()
            tokens.expect("in")
            listed = self.pivot_values()
            values = None if listed is None else (values or []) + listed
        if tokens.take("default"):
            self.skip_parentheses_after("on", "null")
        group = None
        if tokens.take("group"):
            tokens.expect("by")
            group = grammar.calls.expression_list()
        tokens.expect(")")
        item = tree.Pivot(source.start, 0, None, None, source, aggregates, keys, values, group)
        grammar.tables.alias(item)
        return item

    def skip_parentheses_after(self, *words: str) -> None:
        """Step over these words and the parentheses behind them."""
        if self.tokens.take_words(*words):
            self.tokens.skip_parentheses()

    def pivot_values(self) -> list[tree.SelectItem] | None:
        """Read ``(value [AS name], …)``; None where the data decides."""
        tokens = self.tokens
        if tokens.keys[tokens.i] != "(":
            tokens.qualified("an enumeration")
            return None
        tokens.expect("(")
        if tokens.keys[tokens.i] == "any" or self.grammar.expressions.is_query(tokens.i):
            open_ = 1
            while open_:
                open_ += {"(": 1, ")": -1}.get(tokens.keys[tokens.i], 0)
                if tokens.kinds[tokens.i] == END:
                    tokens.fail("“)”")
                tokens.i += 1
            return None
        values = self.grammar.select_list.items()
        tokens.expect(")")
        return values

    def _pivot_key(self) -> list[tree.Expression]:
        tokens = self.tokens
        if tokens.keys[tokens.i] != "(":
            return [self.grammar.expressions.expression(7)]
        tokens.i += 1
        found = self.grammar.calls.expression_list()
        tokens.expect(")")
        return found

    def _unpivot(self, source: tree.FromItem) -> tree.FromItem:
        grammar = self.grammar
        tokens = self.tokens
        tokens.i += 1
        if tokens.keys[tokens.i] in ("include", "exclude"):
            tokens.i += 2
        tokens.expect("(")
        values = tokens.names_in_parentheses() if tokens.keys[tokens.i] == "(" else [tokens.name("a column")]
        tokens.expect("for")
        key = tokens.names_in_parentheses()[0] if tokens.keys[tokens.i] == "(" else tokens.name("a column")
        tokens.expect("in")
        tokens.expect("(")
        groups = []
        while True:
            expression = grammar.expressions.expression()
            groups.append(expression.items if isinstance(expression, tree.Row) else [expression])
            if tokens.take("as"):
                grammar.expressions.expression()
            elif grammar.tables.at_alias() or tokens.kinds[tokens.i] == STRING:
                grammar.select_list.string_or_name("a name")
            if not tokens.take(","):
                break
        tokens.expect(")")
        tokens.expect(")")
        item = tree.Unpivot(source.start, 0, None, None, source, values, key, groups)
        grammar.tables.alias(item)
        return item

    # --- rows that match a pattern -------------------------------------------------------------------

    def _match_recognize(self, source: tree.FromItem) -> tree.FromItem:
        grammar = self.grammar
        tokens = self.tokens
        tokens.i += 1
        tokens.expect("(")
        item = tree.MatchRecognize(source.start, 0, None, None, source, [], [], [], [], [])
        if tokens.take_words("partition", "by"):
            item.partition = grammar.calls.expression_list()
        if tokens.keys[tokens.i] == "order":
            item.order = grammar.calls.order_by()
        if tokens.take("measures"):
            item.measures = grammar.select_list.items()
        while tokens.keys[tokens.i] not in ("pattern", "define", ")") and tokens.kinds[tokens.i] != END:
            item.all_rows = item.all_rows or (tokens.keys[tokens.i] == "all" and tokens.peek() == "rows")
            tokens.i += 1
        if tokens.take("pattern"):
            first = tokens.i
            tokens.skip_parentheses()
            words = {tokens.keys[i] for i in range(first, tokens.i) if tokens.kinds[i] == WORD}
            item.symbols = sorted(tokens.folding.apply(word) for word in words - {"permute"})
        if tokens.take("subset"):
            while True:
                item.symbols.append(tokens.name())
                tokens.expect("=")
                tokens.skip_parentheses()
                if not tokens.take(","):
                    break
        if tokens.take("define"):
            while True:
                item.symbols.append(tokens.name("a variable of the pattern"))
                tokens.expect("as")
                item.defines.append(grammar.expressions.expression())
                if not tokens.take(","):
                    break
        tokens.expect(")")
        grammar.tables.alias(item)
        return item

    # --- documents -----------------------------------------------------------------------------------

    def _json_table(self) -> tree.Shredded | None:
        grammar = self.grammar
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        name = tokens.keys[tokens.i]
        tokens.i += 2
        item = tree.Shredded(start, 0, None, None, name, grammar.calls.expression_list(), [])
        while tokens.keys[tokens.i] not in ("columns", ")"):
            if tokens.take("passing"):
                item.arguments.append(grammar.expressions.expression())
                if tokens.take("as"):
                    tokens.name()
            elif tokens.kinds[tokens.i] == END:
                tokens.fail("“COLUMNS”")
            else:
                tokens.i += 1
        if tokens.take("columns"):
            if tokens.take("("):
                self._shredded_columns(item)
                tokens.expect(")")
            else:
                self._shredded_columns(item)
        grammar.calls.skip_tail()
        tokens.expect(")")
        return item

    def _shredded_columns(self, item: tree.Shredded, below: str = "") -> None:
        """Read ``name type [PATH path] [DEFAULT value …], NESTED [PATH] path COLUMNS (…)``."""
        tokens = self.tokens
        while True:
            if tokens.keys[tokens.i] == "nested":
                tokens.i += 1
                tokens.take("path")
                inner = tokens.written(tokens.i)[1:-1] if tokens.kinds[tokens.i] == STRING else ""
                while not (tokens.take("columns") or tokens.kinds[tokens.i] == END):
                    tokens.i += 1
                tokens.expect("(")
                self._shredded_columns(item, _below(below, inner))
                tokens.expect(")")
            else:
                self._shredded_column(item, below)
            if not tokens.take(","):
                return

    def _shredded_column(self, item: tree.Shredded, below: str) -> None:
        tokens = self.tokens
        name = tokens.name("a column")
        path: str | None = str(name)
        expressions: list[tree.Expression] = []
        if tokens.take_words("for", "ordinality"):
            path = None
        while tokens.keys[tokens.i] not in (",", ")"):
            key = tokens.keys[tokens.i]
            if tokens.kinds[tokens.i] == END:
                tokens.fail("“)”")
            if key == "(":
                tokens.skip_parentheses()
            elif key in ("path", "default") and tokens.keys[tokens.i - 1] != "as":
                tokens.i += 1
                if tokens.kinds[tokens.i] == WORD and tokens.keys[tokens.i] in _SHREDDED_WORDS:
                    continue
                at = tokens.i
                value = self.grammar.expressions.expression()
                if not isinstance(value, tree.Literal):
                    expressions.append(value)
                elif key == "path" and path is not None and tokens.kinds[at] == STRING:
                    path = tokens.written(at)[1:-1]
            elif tokens.kinds[tokens.i] == STRING and (
                tokens.kinds[tokens.i - 1] != OPERATOR or tokens.keys[tokens.i - 1] == ")"
            ):
                path = path and tokens.written(tokens.i)[1:-1]  # OPENJSON has no word before the path
                tokens.i += 1
            else:
                tokens.i += 1
        item.fields.append((name, path if path is None else _below(below, path), expressions))

    def _xml_table(self) -> tree.Shredded | None:
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        tokens.i += 2
        item = tree.Shredded(start, 0, None, None, "xmltable", [], [])
        if tokens.keys[tokens.i] == "xmlnamespaces":
            tokens.i += 1
            tokens.skip_parentheses()
            tokens.expect(",")
        row = self.grammar.expressions.expression()
        if tokens.take("passing"):
            while tokens.take_words("by", "ref") or tokens.take_words("by", "value"):
                pass
            item.arguments.append(self.grammar.expressions.expression())
            if tokens.take("as"):
                tokens.name()
            while tokens.take_words("by", "ref") or tokens.take_words("by", "value"):
                pass
        item.arguments.append(row)
        tokens.take_words("returning", "sequence", "by", "ref")
        if tokens.take("columns"):
            self._shredded_columns(item)
        tokens.expect(")")
        return item

    def _open_json(self) -> tree.Shredded | None:
        tokens = self.tokens
        at = tokens.i
        start = tokens.starts[at]
        tokens.i += 2
        arguments = self.grammar.calls.expression_list()
        tokens.expect(")")
        if not (tokens.keys[tokens.i] == "with" and tokens.peek() == "("):
            tokens.i = at
            return None
        tokens.i += 2
        item = tree.Shredded(start, 0, None, None, "openjson", arguments, [])
        self._shredded_columns(item)
        tokens.expect(")")
        return item


def _below(first: str, then: str) -> str:
    """A path inside another one.

    >>> _below("$.stops[*]", "$.port"), _below("", "$.port"), _below("$.stops[*]", "$")
    ('$.stops[*].port', '$.port', '$.stops[*]')
    """
    rest = then.removeprefix("lax ").removeprefix("strict ")
    return first + (rest[1:] if rest.startswith("$") else f".{rest}") if first else then


_SHREDDED_WORDS = frozenset({"on", "empty", "error", "null", "unconditional", "array", "object"})
RESHAPINGS: dict[str, Callable[[TableOperatorGrammar, tree.FromItem], tree.FromItem]] = {
    "pivot": TableOperatorGrammar._pivot,
    "unpivot": TableOperatorGrammar._unpivot,
    "match_recognize": TableOperatorGrammar._match_recognize,
}

SHREDDERS: dict[str, Callable[[TableOperatorGrammar], tree.Shredded | None]] = {
    "json_table": TableOperatorGrammar._json_table,
    "xmltable": TableOperatorGrammar._xml_table,
    "openjson": TableOperatorGrammar._open_json,
}
