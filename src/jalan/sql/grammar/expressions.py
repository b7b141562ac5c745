"""The grammar of expressions: precedence climbing over the operators of the dialect."""

from collections.abc import Callable

from jalan.sql import tree
from jalan.sql.grammar.calls import OTHER
from jalan.sql.grammar.token_stream import SqlSyntaxError
from jalan.sql.dialects.dialect import Dialect, Folding
from jalan.sql.lexer import NUMBER, OPERATOR, PARAMETER, QUOTED, STRING, WORD, Tokens
from jalan.sql.grammar.literals import LiteralParser

# Binding powers that the special forms below share with the table of the dialect (PostgreSQL manual, 4.1.6).
_NOT, _IN, _OTHER, _AT, _UNARY = 3, 6, OTHER, 11, 13

_QUERY_STARTS = frozenset({"select", "with", "values", "table"})
_NO_PARENTHESES = frozenset(
    """
    current_date current_time current_timestamp localtime localtimestamp current_role current_user
    session_user user current_catalog current_schema system_user
    """.split()
)
_AGAINST_WORDS = frozenset({"in", "boolean", "natural", "language", "mode", "with", "query", "expansion"})
_CURSOR_ATTRIBUTES = frozenset({"found", "notfound", "isopen", "rowcount", "bulk_rowcount", "bulk_exceptions"})
_CONTINUES = frozenset({".", "(", "'", "::", "["})  # what makes more of a name than a column
# Reserved words that are functions before "(".
_FUNCTION_WORDS = frozenset(
    """
    left right like overlaps values if insert mod truncate replace update any some glob regexp default
    window
    """.split()
)
_TYPED = frozenset({"date", "time", "timestamp", "datetime", "n", "b", "x"})


class ExpressionParser(LiteralParser):
    """Reads expressions. Queries inside them are read by the class below this one."""

    def __init__(self, tokens: Tokens, dialect: Dialect) -> None:
        super().__init__(tokens, dialect)
        self._special = dialect.reserved.union(_PRIMARY)
        self._postfixes = frozenset({"::", "[", ".", ":"} if dialect.colon_paths else {"::", "[", "."})
        self._lambdas = dialect.lambdas
        self._document_steps = dialect.colon_paths and dialect.folding is Folding.UPPER

    def expression(self, power: int = 1) -> tree.Expression:
        """Read an expression whose operators bind at least as tightly as ``power``."""
        keys = self.keys
        left = self._plain_column() or self._prefix()
        precedence = self._precedence
        while True:
            key = keys[self.i]
            binding = precedence.get(key)
            if binding is None:
                if self.kinds[self.i] != OPERATOR or key[0] not in "~!@#%^&|`?*/<>=+-" or key == "|>":
                    return left
                binding = _OTHER
            if binding < power:
                return left
            special = _INFIX.get(key)
            if special is None:
                self.i += 1
                right: tree.Expression
                if keys[self.i] in ("any", "some", "all") and keys[self.i + 1] == "(":
                    right = self._quantified(left)
                    left = right
                    continue
                if key == "->" and self._lambdas:
                    parameters = self._lambda_parameters(left)
                    if parameters is not None:
                        body = self.expression()
                        left = tree.Lambda(left.start, body.end, parameters, body)
                        continue
                right = self.expression(binding + 1)
                left = tree.Binary(left.start, right.end, key, left, right)
            else:
                found = special(self, left, power)
                if found is None:
                    return left
                left = found

    def _plain_column(self) -> tree.Expression | None:
        """Read ``a`` or ``a.b``, the commonest of all expressions, if nothing behind it makes it another thing."""
        i = self.i
        keys, kinds = self.keys, self.kinds
        key = keys[i]
        if kinds[i] != WORD or key in self._special or not self._lower:
            return None
        after = keys[i + 1]
        if after not in _CONTINUES:
            self.i = i + 1
            return tree.Column(self.starts[i], self.ends[i], (key,))
        if after == "." and kinds[i + 2] == WORD and keys[i + 3] not in _CONTINUES:
            self.i = i + 3
            return tree.Column(self.starts[i], self.ends[i + 2], (key, keys[i + 2]))
        return None

    # --- infix ---------------------------------------------------------------------------------------

    def _lambda_parameters(self, left: tree.Expression) -> list[str] | None:
        """Return the names before ``->`` if it makes a lambda; before a string it is an operator on JSON."""
        if self.kinds[self.i] in (STRING, NUMBER):
            return None
        items = left.items if type(left) is tree.Row else [left]
        names = [item.parts[0] for item in items if type(item) is tree.Column and len(item.parts) == 1]
        return names if len(names) == len(items) else None

    def _quantified(self, left: tree.Expression) -> tree.Expression:
        self.i += 1
        self.expect("(")
        if self.keys[self.i] in _QUERY_STARTS or (self.keys[self.i] == "(" and self._is_query(self.i)):
            query = self.query()
            self.expect(")")
            return tree.InQuery(left.start, self.end_of_last(), left, query)
        items = self.expression_list()
        self.expect(")")
        if len(items) == 1:
            return tree.Binary(left.start, self.end_of_last(), "any", left, items[0])
        return tree.InList(left.start, self.end_of_last(), left, items)

    def _is(self, left: tree.Expression, power: int) -> tree.Expression | None:
        self.i += 1
        negated = self.take("not")
        if self.take_words("distinct", "from"):
            right = self.expression(_IN)
            return tree.Binary(left.start, right.end, "is distinct from", left, right)
        if self.keys[self.i] == "normalized" or self.peek() == "normalized":
            self.i += 1 if self.keys[self.i] == "normalized" else 2
            return tree.Unary(left.start, self.end_of_last(), "is normalized", left)
        word = self.keys[self.i]
        if word not in ("null", "true", "false", "unknown", "document", "json", "nan"):
            if self.kinds[self.i] == WORD and word in self._special:
                self.fail("NULL, TRUE, FALSE, UNKNOWN or DISTINCT FROM")
            right = self.expression(_IN)
            return tree.Binary(left.start, right.end, "is", left, right)
        self.i += 1
        if word == "json":
            while self.keys[self.i] in ("value", "scalar", "array", "object", "with", "without", "unique", "keys"):
                self.i += 1
        operator = f"is not {word}" if negated else f"is {word}"
        return tree.Unary(left.start, self.end_of_last(), operator, left)

    def _is_null(self, left: tree.Expression, power: int) -> tree.Expression | None:
        self.i += 1
        return tree.Unary(left.start, self.end_of_last(), "is null", left)

    def _not(self, left: tree.Expression, power: int) -> tree.Expression | None:
        if self.peek() == "null" and not self.dialect.joins_need_condition:
            self.i += 2
            return tree.Unary(left.start, self.end_of_last(), "is not null", left)
        if self.peek() not in _INFIX or self.peek() == "not":
            return None
        self.i += 1
        return _INFIX[self.keys[self.i]](self, left, power)

    def _between(self, left: tree.Expression, power: int) -> tree.Expression | None:
        self.i += 1
        if not self.take("symmetric"):
            self.take("asymmetric")
        low = self.expression(_OTHER)
        self.expect("and")
        high = self.expression(_OTHER)
        return tree.Between(left.start, high.end, left, low, high)

    def _in(self, left: tree.Expression, power: int) -> tree.Expression | None:
        self.i += 1
        if self.keys[self.i] != "(":
            right = self.expression(_OTHER)
            return tree.Binary(left.start, right.end, "in", left, right)
        self.expect("(")
        if self.keys[self.i] in _QUERY_STARTS or (self.keys[self.i] == "(" and self._is_query(self.i)):
            at = self.i
            try:
                query = self.query()
                self.expect(")")
                return tree.InQuery(left.start, self.end_of_last(), left, query)
            except SqlSyntaxError:
                if self.keys[at] != "(":
                    raise
                self.i = at
        items = [] if self.keys[self.i] == ")" else self.expression_list()
        self.expect(")")
        return tree.InList(left.start, self.end_of_last(), left, items)

    def _like(self, left: tree.Expression, power: int) -> tree.Expression | None:
        operator = self.keys[self.i]
        self.i += 1
        if operator == "similar":
            self.expect("to")
        elif operator == "sounds":
            self.expect("like")
        elif operator == "member":
            self.take("of")
        if self.keys[self.i] in ("any", "some", "all"):
            return self._quantified(left)
        right = self.expression(_OTHER)
        if self.take("escape"):
            escape = self.expression(_OTHER)
            right = tree.Binary(right.start, escape.end, "escape", right, escape)
        return tree.Binary(left.start, right.end, operator, left, right)

    def _at(self, left: tree.Expression, power: int) -> tree.Expression | None:
        if self.peek() == "local" and self.dialect.joins_need_condition:
            self.i += 2
            return tree.Unary(left.start, self.end_of_last(), "at time zone", left)
        if not (self.peek() == "time" and self.peek(2) == "zone"):
            return None
        self.i += 3
        right = self.expression(_AT + 1)
        return tree.Binary(left.start, right.end, "at time zone", left, right)

    def _collate(self, left: tree.Expression, power: int) -> tree.Expression | None:
        self.i += 1
        self.qualified("a collation")
        return tree.Unary(left.start, self.end_of_last(), "collate", left)

    def _operator(self, left: tree.Expression, power: int) -> tree.Expression | None:
        if self.peek() != "(":
            return None
        self.i += 1
        self.operator_name()
        if self.keys[self.i] in ("any", "some", "all"):
            return self._quantified(left)
        right = self.expression(_OTHER + 1)
        return tree.Binary(left.start, right.end, "operator", left, right)

    # --- prefix and primary --------------------------------------------------------------------------

    def _prefix(self) -> tree.Expression:
        i = self.i
        key = self.keys[i]
        handler = _PRIMARY.get(key)
        if handler is not None:
            found = handler(self)
            if found is None:
                found = self._named()
        else:
            kind = self.kinds[i]
            if kind == WORD or kind == QUOTED:
                found = self._named()
            elif key == "?":
                found = self._parameter()
            elif key == "%" and self.starts[i + 1] == self.ends[i]:
                found = self._driver_parameter() or self._unary()
            elif key == "#" and self.kinds[i + 1] == NUMBER and self.dialect.columns_calls:
                self.i = i + 2  # the column of that number in FROM
                found = tree.Column(
                    self.starts[i], self.ends[i + 1], (self._folding.named("#" + self.written(i + 1)),)
                )
            elif kind == OPERATOR and key[0] in "~!@#%^&|`?+-/<>=":
                return self._unary()
            elif key == "\\" and self.keys[i + 1] == "n" and self.dialect.executed_comments:
                self.i = i + 2
                found = tree.Literal(self.starts[i], self.ends[i + 1], "")
            else:
                self.fail("an expression")
        if self.keys[self.i] in self._postfixes and not self._at_range():
            found = self._postfix(found)
        return found

    def _at_range(self) -> bool:
        """Whether ``..`` stands here, between the ends of a loop's range."""
        i = self.i
        return self.keys[i] == "." and (self.keys[i + 1] == "." or self.written(i + 1).startswith("."))

    def _unary(self) -> tree.Expression:
        operators = []
        while self.kinds[self.i] == OPERATOR and self.keys[self.i][0] in "~!@#%^&|`?+-":
            operators.append(self.i)
            self.i += 1
        if not operators:
            self.fail("an expression")
        tight = all(self.keys[i] in "+-" for i in operators)
        argument = self.expression(_UNARY if tight else _OTHER + 1)
        for i in reversed(operators):
            argument = tree.Unary(self.starts[i], argument.end, self.keys[i], argument)
            if len(operators) > 50:  # a long run of signs is one sign to us
                break
        return argument

    def _postfix(self, base: tree.Expression) -> tree.Expression:
        keys = self.keys
        while True:
            key = keys[self.i]
            if key == "::":
                self.i += 1
                name = self.type_name()
                base = tree.Cast(base.start, self.end_of_last(), base, name)
            elif key == "[":
                base = self._subscript(base)
            elif key == "." and not isinstance(base, tree.Star):
                self.i += 1
                if self.take("*"):
                    base = tree.Field(base.start, self.end_of_last(), base, "*")
                elif self.peek() == "(":
                    method = self.i  # a method: its object is the first argument
                    name = self.name("a method")
                    call = self.call(method, (name,))
                    assert isinstance(call, tree.Call)
                    call.start = base.start
                    call.arguments.insert(0, base)
                    base = call
                elif self._document_steps and isinstance(base, tree.Subscript | tree.Path):
                    step = self._step()  # a key of a document, as it is written
                    base = tree.Path(base.start, self.end_of_last(), base, step)
                else:
                    field = self.name("a field")
                    base = tree.Field(base.start, self.end_of_last(), base, field)
            elif key == ":" and self.dialect.colon_paths and not isinstance(base, tree.Literal):
                base = self._colon_path(base)
            else:
                return base

    def _colon_path(self, base: tree.Expression) -> tree.Expression:
        """Read ``:a.b[0]['c']`` behind a semi-structured value."""
        self.i += 1
        steps = [] if self.keys[self.i] == "[" else [self._step()]
        while True:
            if self.keys[self.i] == ".":
                self.i += 1
                steps.append("." + self._step())
            elif self.keys[self.i] == "[" and self.kinds[self.i + 1] in (NUMBER, STRING) and self.peek(2) == "]":
                step = self.written(self.i + 1)
                steps.append(f"[{step}]" if self.kinds[self.i + 1] == NUMBER else "." + step[1:-1])
                self.i += 3
            elif self.keys[self.i] == ":" and self.kinds[self.i + 1] in (WORD, QUOTED):
                self.i += 1
                steps.append("." + self._step())
            else:
                if not steps:
                    self.fail("a field")
                return tree.Path(base.start, self.end_of_last(), base, "".join(steps).removeprefix("."))

    def _step(self) -> str:
        """Read a key of a document: its case matters and is that of the text."""
        name = self.name("a field")
        return self.written(self.i - 1) if self.kinds[self.i - 1] == WORD else name

    def _subscript(self, base: tree.Expression) -> tree.Expression:
        self.i += 1
        indexes: list[tree.Expression] = []
        while not self.take("]"):
            if self.take(":") or self.take(","):
                continue
            if self.keys[self.i] == "-" and self.peek() in (":", "]"):
                self.i += 1
                continue
            if self.kinds[self.i] == PARAMETER and self.written(self.i)[0] == ":":
                # `a[1:n]`: the lexer took `:n` for a placeholder
                folded = self._folding.apply(self.written(self.i)[1:])
                indexes.append(tree.Column(self.starts[self.i] + 1, self.ends[self.i], (folded,)))
                self.i += 1
                continue
            indexes.append(self.expression())
        return tree.Subscript(base.start, self.end_of_last(), base, indexes)

    def _star(self) -> tree.Expression:
        i = self.i
        self.i = i + 1
        if self.keys[self.i] == "columns" and self.keys[self.i + 1] == "(" and self.dialect.columns_calls:
            argument = self._named()
            return tree.Unary(self.starts[i], argument.end, "*", argument)
        star = tree.Star(self.starts[i], self.ends[i], ())
        if self.keys[self.i] in ("ilike", "like", "not", "similar", "glob"):
            self.star_modifiers(star)
        return star

    def _parenthesis(self) -> tree.Expression:
        self.enter()
        start = self.starts[self.i]
        self.i += 1
        found: tree.Expression
        if self._is_query(self.i):
            at = self.i
            try:
                query = self.query()
                self.expect(")")
                self.depth -= 1
                return tree.ScalarQuery(start, self.end_of_last(), query)
            except SqlSyntaxError as error:
                if self.keys[at] != "(" or error.code == "too_deep":
                    raise
                self.i = at
        if self.keys[self.i] == "execute" and self.keys[self.i + 1] == "immediate" and self.dialect.scripting:
            self.i += 2
            text = self.expression()
            if self.take("using"):
                self.expression_list()
            self.expect(")")
            self.depth -= 1
            return tree.DynamicQuery(start, self.end_of_last(), text)
        items = [] if self.keys[self.i] == ")" else self.expression_list()
        if self.keys[self.i] == "as" and self.dialect.struct_paths:
            self.i += 1  # (value AS name, …): a struct
            self.name("the name of a part")
            while self.take(","):
                items.append(self.expression())
                if self.take("as"):
                    self.name("the name of a part")
        self.expect(")")
        self.depth -= 1
        if len(items) == 1:
            found = items[0]
            if type(found) is tree.Column or type(found) is tree.ScalarQuery or type(found) is tree.Literal:
                return found
            found.start, found.end = start, self.end_of_last()
            return found
        return tree.Row(start, self.end_of_last(), items)

    def _match_against(self) -> tree.Expression | None:
        """``MATCH (columns) AGAINST (words IN BOOLEAN MODE)``."""
        if not self.dialect.executed_comments or self.keys[self.i + 1] != "(":
            return None
        start = self.starts[self.i]
        self.i += 2
        found = tree.Call(start, 0, ("match",), self.expression_list())
        self.expect(")")
        if self.take("against"):
            self.expect("(")
            found.arguments.append(self.expression(OTHER))
            while self.keys[self.i] in _AGAINST_WORDS:
                self.i += 1
            self.expect(")")
        found.end = self.end_of_last()
        return found

    def _is_query(self, i: int) -> bool:
        """Whether a query starts here, behind any number of opening parentheses."""
        keys = self.keys
        while keys[i] == "(":
            i += 1
        if keys[i] == "values" and self.dialect.values_calls and self.kinds[i + 2] in (WORD, QUOTED):
            return False  # VALUES(column) behind ON DUPLICATE KEY UPDATE
        if keys[i] == "from":
            return not self.dialect.joins_need_condition
        if keys[i] == "values" or keys[i] == "table":
            return self.kinds[i + 1] != OPERATOR or keys[i + 1] == "("
        return keys[i] in _QUERY_STARTS

    def _not_prefix(self) -> tree.Expression:
        start = self.starts[self.i]
        self.enter()
        self.i += 1
        argument = self.expression(_NOT)
        self.depth -= 1
        return tree.Unary(start, argument.end, "not", argument)

    def _exists(self) -> tree.Expression | None:
        if self.peek() != "(" or (self.dialect.lambdas and not self._is_query(self.i + 2)):
            return None
        start = self.starts[self.i]
        self.i += 2
        query = self.query()
        self.expect(")")
        return tree.Exists(start, self.end_of_last(), query)

    # --- names and calls -----------------------------------------------------------------------------

    def _named(self) -> tree.Expression:
        i = self.i
        keys = self.keys
        kind = self.kinds[i]
        if kind == WORD and keys[i] in self._reserved:
            if not (keys[i] in _FUNCTION_WORDS and keys[i + 1] == "("):
                self.fail("an expression")
        if keys[i] == "{{" and keys[i + 1] not in (".", "("):
            self.i = i + 1
            return tree.Parameter(self.starts[i], self.ends[i])
        if kind == WORD and self._lower:
            first = keys[i]
            self.i = i + 1
        else:
            first = self.name()
        key = keys[self.i]
        if key == "0" and keys[i][0] == "_" and self.dialect.executed_comments:
            self.i += 1  # _utf8mb4 0x41
            return tree.Literal(self.starts[i], self.end_of_last(), "")
        parts: tuple[str, ...]
        if key == "%" and keys[self.i + 1] in _CURSOR_ATTRIBUTES and self.dialect.cursor_attributes:
            self.i += 2
            if keys[self.i] == "(":
                self.skip_parentheses()
            return tree.Literal(self.starts[i], self.end_of_last(), "")
        if key != "." and key != "(" and key != "'":
            return tree.Column(self.starts[i], self.ends[i], (first,))
        if key == "'" and self.dialect.string_aliases and keys[i] not in _TYPED and keys[i][0] != "_":
            return tree.Column(self.starts[i], self.ends[i], (first,))
        if key == "." and not self._at_range():
            names = [first]
            while keys[self.i] == "." and not self._at_range():
                self.i += 1
                if keys[self.i] == "*":
                    self.i += 1
                    return tree.Star(self.starts[i], self.ends[self.i - 1], tuple(names))
                if self.kinds[self.i] == PARAMETER and self.dialect.positional_columns:
                    names.append(self.written(self.i))
                    self.i += 1
                    continue
                names.append(self.name("a name or “*”"))
            parts = tuple(names)
            key = keys[self.i]
        else:
            parts = (first,)
        if key == "(":
            if keys[self.i + 1] == "+" and keys[self.i + 2] == ")":
                end = self.end_of_last()
                self.i += 3  # Oracle's mark of an outer join
                return tree.Column(self.starts[i], end, parts)
            return self.call(i, parts)
        if key == "'" and self.kinds[self.i] == STRING and len(parts) <= 2:
            self.i += 1
            return tree.Literal(self.starts[i], self.end_of_last(), parts[-1])
        if key == "'" and self.kinds[self.i] != STRING:
            self.fail("an expression")
        return tree.Column(self.starts[i], self.end_of_last(), parts)


_INFIX: dict[str, Callable[[ExpressionParser, tree.Expression, int], tree.Expression | None]] = {
    "is": ExpressionParser._is,
    "isnull": ExpressionParser._is_null,
    "notnull": ExpressionParser._is_null,
    "not": ExpressionParser._not,
    "between": ExpressionParser._between,
    "in": ExpressionParser._in,
    **dict.fromkeys(
        ("like", "ilike", "similar", "rlike", "regexp", "glob", "match", "sounds", "member"), ExpressionParser._like
    ),
    "at": ExpressionParser._at,
    "collate": ExpressionParser._collate,
    "operator": ExpressionParser._operator,
}

_PRIMARY: dict[str, Callable[[ExpressionParser], tree.Expression | None]] = {
    "[": ExpressionParser._list,
    "{": ExpressionParser._braces,
    "@/": ExpressionParser._location,
    "map": ExpressionParser._map,
    "multiset": ExpressionParser._multiset,
    "identifier": ExpressionParser._identifier,
    "default": ExpressionParser._default,
    "match": ExpressionParser._match_against,
    "cursor": ExpressionParser._multiset,
    "struct": ExpressionParser._struct,
    "struct_pack": ExpressionParser._struct_pack,
    **dict.fromkeys(("approximate", "final", "running"), ExpressionParser._before_call),
    "lambda": ExpressionParser._lambda_word,
    "prior": ExpressionParser._leading,
    "binary": ExpressionParser._leading,
    "connect_by_root": ExpressionParser._leading,
    "next": ExpressionParser._next_value,
    "previous": ExpressionParser._next_value,
    "try_cast": ExpressionParser._cast,
    "safe_cast": ExpressionParser._cast,
    "0": ExpressionParser._number,
    "'": ExpressionParser._string,
    "$": ExpressionParser._parameter,
    "*": ExpressionParser._star,
    "(": ExpressionParser._parenthesis,
    "not": ExpressionParser._not_prefix,
    "case": ExpressionParser._case,
    "cast": ExpressionParser._cast,
    "exists": ExpressionParser._exists,
    "array": ExpressionParser._array,
    "row": ExpressionParser._row,
    "null": ExpressionParser._constant,
    "true": ExpressionParser._constant,
    "false": ExpressionParser._constant,
    "interval": ExpressionParser._interval,
    "collation": ExpressionParser._collation_for,
    "timestamp": ExpressionParser._typed_literal,
    "time": ExpressionParser._typed_literal,
    "double": ExpressionParser._typed_literal,
    "character": ExpressionParser._typed_literal,
    "bit": ExpressionParser._typed_literal,
    "varchar": ExpressionParser._typed_literal,
    "numeric": ExpressionParser._typed_literal,
    **dict.fromkeys(_NO_PARENTHESES, ExpressionParser._current),
}
