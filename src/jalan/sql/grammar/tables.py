"""The grammar of tables that are named: their names, hints, aliases, and the time or change that is looked at."""

from jalan.sql import tree
from jalan.sql.grammar.part import GrammarPart
from jalan.sql.grammar.table_operators import SHREDDERS
from jalan.sql.lexer import LOCATION, OPERATOR, QUOTED, STRING, WORD

_FILE_FORMATS = frozenset({"parquet", "csv", "json", "orc", "avro", "delta", "text", "binaryfile", "iceberg"})
_TABLE_HINTS = frozenset(
    """
    nolock readpast updlock rowlock holdlock tablock tablockx xlock readuncommitted noexpand forceseek
    serializable paglock
    """.split()
)
_INDEX_HINTS = frozenset({"use", "force", "ignore"})
# What makes more of a name in FROM than a table with an alias.
_BEHIND_TABLE = frozenset(
    """
    ( . * @ tablesample sample for at before changes version versions timestamp with use force ignore partition
    indexed not
    """.split()
)


class TableGrammar(GrammarPart):
    """Reads tables by name."""

    def table_name(self) -> tree.TableName:
        """Read the name of a table, or of a file or stage that stands for one."""
        tokens = self.tokens
        i = tokens.i
        start = tokens.starts[i]
        kind = tokens.kinds[i]
        if kind == STRING or kind == LOCATION:
            tokens.i += 1
            text = tokens.written(i)
            path = text if kind == LOCATION else text[text.index(text[-1]) + 1 : -1]
            return tree.TableName(start, tokens.ends[i], (path,), True)
        if kind == WORD and tokens.keys[i] in tokens.reserved:
            tokens.fail("the name of a table")
        if self.grammar.literals.at_identifier(i):
            tokens.i += 4
            return tree.TableName(start, tokens.end_of_last(), self.grammar.literals.named_by(i + 2))
        parts = [self._table_part()]
        while tokens.keys[tokens.i] == "." and tokens.keys[tokens.i + 1] != "*":
            tokens.i += 1
            if tokens.keys[tokens.i] == "." and len(parts) == 1:
                tokens.i += 1  # database..table
                parts += map(tokens.spelled, self.dialect.default_schemas[:1])
            parts.append(self._table_part())
        if tokens.keys[tokens.i] == "@" and tokens.kinds[tokens.i + 1] == WORD:
            tokens.i += 1
            parts[-1] += "@" + tokens.name("a database link")
        if len(parts) == 2 and parts[0] in _FILE_FORMATS and "/" in parts[1]:
            return tree.TableName(start, tokens.end_of_last(), (parts[1],), True)
        if self.dialect.backquoted_paths and any("." in part for part in parts):
            parts = [type(part)(step) for part in parts for step in part.split(".")]
        return tree.TableName(start, tokens.end_of_last(), tuple(parts))

    def _table_part(self) -> str:
        tokens = self.tokens
        part = tokens.name("the name of a table")
        if self.dialect.dashed_names:
            while (
                tokens.keys[tokens.i] == "-"
                and tokens.ends[tokens.i - 1] == tokens.starts[tokens.i] == tokens.ends[tokens.i] - 1
            ):
                tokens.i += 1
                part = type(part)(part + "-" + tokens.written(tokens.i))
                tokens.i += 1
        return part

    def _plain_table(self) -> tree.TableSource | None:
        """Read ``a``, ``a.b`` with or without an alias, the commonest of all, if nothing else stands behind it."""
        tokens = self.tokens
        i = tokens.i
        keys, kinds = tokens.keys, tokens.kinds
        if not tokens.lower or kinds[i] != WORD or keys[i] in tokens.reserved:
            return None
        first = keys[i]
        if keys[i + 1] == "." and kinds[i + 2] == WORD:
            parts: tuple[str, ...] = (first, keys[i + 2])
            j = i + 3
        else:
            parts = (first,)
            j = i + 1
        end = tokens.ends[j - 1]
        key = keys[j]
        alias = None
        if key == "as" and kinds[j + 1] == WORD and keys[j + 1] != "of":
            alias = keys[j + 1]
            j += 2
        elif kinds[j] == WORD and key not in tokens.no_alias:
            alias = key
            j += 1
        if keys[j] in _BEHIND_TABLE or (alias is None and keys[j] == "as") or kinds[j] == QUOTED:
            return None
        tokens.i = j
        start = tokens.starts[i]
        return tree.TableSource(start, tokens.ends[j - 1], alias, None, tree.TableName(start, end, parts))

    def table_source(self) -> tree.FromItem:
        tokens = self.tokens
        plain = self._plain_table()
        if plain is not None:
            return plain
        at = tokens.i
        start = tokens.starts[at]
        kind = tokens.kinds[at]
        if kind == WORD and tokens.keys[at] in tokens.reserved and tokens.peek() != "(":
            tokens.fail("a table")
        if kind not in (WORD, QUOTED, STRING, LOCATION):
            tokens.fail("a table")
        shredder = SHREDDERS.get(tokens.keys[at])
        if shredder is not None and tokens.peek() == "(":
            shredded = shredder(self.grammar.table_operators)
            if shredded is not None:
                self.alias(shredded)
                return shredded
        named = tokens.keys[at + 1] != "(" or kind in (STRING, LOCATION) or self.grammar.literals.at_identifier(at)
        table = self.table_name() if named else None
        if table is None or (tokens.keys[tokens.i] == "(" and kind != LOCATION):
            if table is not None and self._at_hint(tokens.i):
                tokens.skip_parentheses()
            elif tokens.keys[at + 1] == "(" and self._at_hint(at + 1):
                tokens.i = at
                table = self._bare_name()
                tokens.skip_parentheses()
            else:
                tokens.i = at
                item = tree.FunctionSource(start, 0, None, None, [self.grammar.table_refs.function_call()], [None])
                self.grammar.table_refs.function_tail(item)
                return item
        source = tree.TableSource(start, table.end, None, None, table)
        if table.file and tokens.keys[tokens.i] == "(":
            tokens.skip_parentheses()
        if tokens.keys[tokens.i] == "*" and tokens.kinds[tokens.i] == OPERATOR:
            tokens.i += 1
        self.older_state(source)
        self.hints()
        self.alias(source)
        self.older_state(source)
        self.hints()
        if tokens.keys[tokens.i] in ("tablesample", "sample"):
            source.sample = self.grammar.table_operators.sample()
            if source.alias is None:
                self.alias(source)
        counted = tokens.keys[tokens.i] == "with" and tokens.peek() in ("offset", "ordinality")
        if counted or (tokens.keys[tokens.i] == "at" and tokens.kinds[tokens.i + 1] == WORD):
            call = tree.Column(table.start, table.end, table.parts)  # t.items AS i WITH OFFSET
            function = tree.FunctionSource(start, 0, source.alias, None, [call], [None])
            self.grammar.table_refs.ordinality(function)
            if tokens.take("at"):
                function.ordinality, function.ordinality_name = True, tokens.name()
            function.end = tokens.end_of_last()
            return function
        return source

    def _at_hint(self, i: int) -> bool:
        """Whether ``(NOLOCK)`` stands at token ``i``."""
        return self.tokens.keys[i + 1] in _TABLE_HINTS and self.tokens.keys[i + 2] in (")", ",")

    def _bare_name(self) -> tree.TableName:
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        name = tokens.name()
        return tree.TableName(start, tokens.end_of_last(), (name,))

    def hints(self) -> None:
        """Step over what tells the planner how to read a table."""
        tokens = self.tokens
        while True:
            key = tokens.keys[tokens.i]
            if key == "with" and tokens.peek() == "(" and not self.grammar.expressions.is_query(tokens.i + 2):
                tokens.i += 1
                tokens.skip_parentheses()
            elif key in _INDEX_HINTS and tokens.peek() in ("index", "key"):
                tokens.i += 2
                if tokens.take("for"):
                    tokens.i += 1 if tokens.keys[tokens.i] == "join" else 2
                tokens.skip_parentheses()
            elif key == "partition" and tokens.peek() == "(":
                tokens.i += 1
                tokens.skip_parentheses()
            elif key == "indexed" and tokens.peek() == "by":
                tokens.i += 2
                tokens.name("an index")
            elif key == "not" and tokens.peek() == "indexed":
                tokens.i += 2
            else:
                return

    def older_state(self, source: tree.TableSource) -> None:
        """Read a clause that asks for the table as it was."""
        grammar = self.grammar
        tokens = self.tokens
        key, after = tokens.keys[tokens.i], tokens.peek()
        found: list[tree.Expression] = []
        if key == "for" and after in ("system_time", "system_version", "version", "timestamp", "portion"):
            tokens.i += 2
            if tokens.take("of"):
                tokens.name("a period")
            if tokens.take_words("as", "of"):
                found.append(grammar.expressions.expression(8))
            elif tokens.take("all"):
                pass
            elif tokens.take("contained"):
                tokens.expect("in")
                tokens.expect("(")
                found += grammar.calls.expression_list()
                tokens.expect(")")
            else:
                tokens.i += 1  # FROM or BETWEEN
                found.append(grammar.expressions.expression(8))
                if not tokens.take("to"):
                    tokens.expect("and")
                found.append(grammar.expressions.expression(8))
        elif key in ("at", "before", "changes") and after == "(":
            while tokens.keys[tokens.i] in ("at", "before", "changes", "end") and tokens.peek() == "(":
                tokens.i += 1
                tokens.skip_parentheses()
        elif key in ("version", "timestamp") and after == "as" and tokens.peek(2) == "of":
            tokens.i += 3
            found.append(grammar.expressions.expression(8))
        elif key == "as" and after == "of" and tokens.peek(2) in ("scn", "timestamp", "system"):
            tokens.i += 4 if tokens.peek(2) == "system" else 3
            found.append(grammar.expressions.expression(8))
        elif key == "partition" and after == "by":  # a partitioned outer join fills up each part
            tokens.i += 2
            tokens.expect("(")
            found += grammar.calls.expression_list()
            tokens.expect(")")
        elif key == "versions" and after == "between":
            tokens.i += 3
            found.append(grammar.expressions.expression(8))
            tokens.expect("and")
            found.append(grammar.expressions.expression(8))
        if found:
            source.at = (source.at or []) + found

    def at_alias(self) -> bool:
        tokens = self.tokens
        kind = tokens.kinds[tokens.i]
        return kind == QUOTED or (kind == WORD and tokens.keys[tokens.i] not in tokens.no_alias)

    def alias(self, item: tree.FromItem) -> None:
        tokens = self.tokens
        if tokens.keys[tokens.i] == "as" and tokens.peek() != "of":
            tokens.i += 1
            item.alias = self.grammar.select_list.string_or_name("an alias")
        elif self.at_alias():
            item.alias = tokens.name()
        else:
            item.end = tokens.end_of_last()
            return
        if tokens.keys[tokens.i] == "(" and tokens.kinds[tokens.i + 1] in (WORD, QUOTED):
            if tokens.keys[tokens.i + 1] in _TABLE_HINTS:
                tokens.skip_parentheses()
            elif tokens.kinds[tokens.i + 2] in (WORD, QUOTED):
                item.columns = self.grammar.table_refs.definitions()
            else:
                item.columns = tokens.names_in_parentheses()
        item.end = tokens.end_of_last()
