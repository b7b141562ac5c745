"""The grammar of expressions: precedence climbing over the operators of the dialect."""

from collections.abc import Callable

from jalan.sql import tree
from jalan.sql.calls import OTHER, CallParser
from jalan.sql.cursor import SqlSyntaxError
from jalan.sql.dialect import Dialect
from jalan.sql.lexer import NUMBER, OPERATOR, PARAMETER, QUOTED, STRING, WORD, Tokens

# Binding powers that the special forms below share with the table of the dialect (PostgreSQL manual, 4.1.6).
_NOT, _IN, _OTHER, _AT, _UNARY = 3, 6, OTHER, 11, 13

_QUERY_STARTS = frozenset({"select", "with", "values", "table"})
_NO_PARENTHESES = frozenset(
    """
    current_date current_time current_timestamp localtime localtimestamp current_role current_user
    session_user user current_catalog current_schema system_user
    """.split()
)
_CONTINUES = frozenset({".", "(", "'", "::", "["})  # what makes more of a name than a column
# Reserved words that are functions before "(".
_FUNCTION_WORDS = frozenset(
    """
    left right like overlaps values if insert mod truncate replace update any some glob regexp default
    window
    """.split()
)
_UNITS = frozenset(
    """
    microsecond microseconds millisecond milliseconds second seconds minute minutes hour hours day days week weeks
    month months quarter quarters year years day_hour day_minute day_second hour_minute hour_second minute_second
    year_month decade century
    """.split()
)
_TYPED = frozenset({"date", "time", "timestamp", "datetime", "n", "b", "x"})


class ExpressionParser(CallParser):
    """Reads expressions. Queries inside them are read by the class below this one."""

    def __init__(self, tokens: Tokens, dialect: Dialect) -> None:
        super().__init__(tokens, dialect)
        self._special = dialect.reserved.union(_PRIMARY)
        self._postfixes = frozenset({"::", "[", ".", ":"} if dialect.colon_paths else {"::", "[", "."})
        self._lambdas = dialect.lambdas

    def query(self) -> tree.Query:
        """Read a query."""
        raise NotImplementedError

    def expression(self, power: int = 1) -> tree.Expression:
        """Read an expression whose operators bind at least as tightly as ``power``."""
        keys = self.keys
        left = self._plain_column() or self._prefix()
        precedence = self._precedence
        while True:
            key = keys[self.i]
            binding = precedence.get(key)
            if binding is None:
                if self.kinds[self.i] != OPERATOR or key[0] not in "~!@#%^&|`?*/<>=+-":
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
            elif kind == OPERATOR and key[0] in "~!@#%^&|`?+-/<>=":
                return self._unary()
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
                elif self.peek() == "(" and isinstance(base, tree.Call | tree.Column | tree.Literal | tree.Field):
                    method = self.i  # a method: its object is the first argument
                    name = self.name("a method")
                    call = self.call(method, (name,))
                    assert isinstance(call, tree.Call)
                    call.start = base.start
                    call.arguments.insert(0, base)
                    base = call
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
        steps = [self._step()]
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
                return tree.Path(base.start, self.end_of_last(), base, "".join(steps))

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

    def _number(self) -> tree.Expression:
        i = self.i
        self.i = i + 1
        return tree.Literal(self.starts[i], self.ends[i], "")

    def _string(self) -> tree.Expression | None:
        i = self.i
        if self.kinds[i] != STRING:
            self.fail("an expression")
        self.i = i + 1
        while self.kinds[self.i] == STRING:
            self.i += 1
        return tree.Literal(self.starts[i], self.end_of_last(), "")

    def _parameter(self) -> tree.Expression:
        i = self.i
        self.i = i + 1
        if self.dialect.positional_columns and self.written(i)[1:].isdigit():
            return tree.Column(self.starts[i], self.ends[i], (self.written(i),))
        return tree.Parameter(self.starts[i], self.ends[i])

    def _star(self) -> tree.Expression:
        i = self.i
        self.i = i + 1
        star = tree.Star(self.starts[i], self.ends[i], ())
        if self.keys[self.i] in ("ilike", "like"):
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
            if type(found) is tree.Column or type(found) is tree.ScalarQuery:
                return found
            found.start, found.end = start, self.end_of_last()
            return found
        return tree.Row(start, self.end_of_last(), items)

    def _is_query(self, i: int) -> bool:
        """Whether a query starts here, behind any number of opening parentheses."""
        keys = self.keys
        while keys[i] == "(":
            i += 1
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

    def _case(self) -> tree.Expression:
        self.enter()
        start = self.starts[self.i]
        self.i += 1
        operand = None if self.keys[self.i] == "when" else self.expression()
        branches = []
        while self.keys[self.i] == "when":
            at = self.starts[self.i]
            self.i += 1
            condition = self.expression()
            self.expect("then")
            result = self.expression()
            branches.append(tree.When(at, result.end, condition, result))
        if not branches:
            self.fail("“WHEN”")
        default = self.expression() if self.take("else") else None
        self.expect("end")
        self.depth -= 1
        return tree.Case(start, self.end_of_last(), operand, branches, default)

    def _cast(self) -> tree.Expression | None:
        if self.peek() != "(":
            return None
        start = self.starts[self.i]
        self.i += 2
        argument = self.expression()
        self.expect("as")
        name = self.type_name()
        if self.keys[self.i] != ")":
            self._cast_tail()
        self.expect(")")
        return tree.Cast(start, self.end_of_last(), argument, name)

    def _cast_tail(self) -> None:
        """Step over ``FORMAT '…'``, ``AT TIME ZONE '…'``, ``DEFAULT … ON CONVERSION ERROR``, ``COLLATE …``."""
        if self.keys[self.i] not in ("format", "at", "default", "collate", ",", "array", "not", "rename", "add"):
            self.fail("“)”")
        while self.keys[self.i] != ")":
            self.i += 1
            if (self.kinds[self.i] == OPERATOR and self.keys[self.i] == ";") or not self.keys[self.i]:
                self.fail("“)”")

    def _exists(self) -> tree.Expression | None:
        if self.peek() != "(":
            return None
        start = self.starts[self.i]
        self.i += 2
        query = self.query()
        self.expect(")")
        return tree.Exists(start, self.end_of_last(), query)

    def _array(self) -> tree.Expression | None:
        start = self.starts[self.i]
        if self.peek() == "[":
            self.i += 1
            return self._array_items(start)
        if self.peek()[:1] == "<" and self.dialect.struct_paths:
            self.i += 1
            self.skip_angles()
            return self._array_items(start) if self.keys[self.i] == "[" else None
        if self.peek() != "(" or not self._is_query(self.i + 2):
            return None
        self.i += 2
        query = self.query()
        self.expect(")")
        return tree.ArrayQuery(start, self.end_of_last(), query)

    def _list(self) -> tree.Expression:
        return self._array_items(self.starts[self.i])

    def _array_items(self, start: int) -> tree.Expression:
        self.enter()
        self.expect("[")
        items: list[tree.Expression] = []
        while self.keys[self.i] != "]":
            at = self.starts[self.i]
            if self.keys[self.i] == "[" and self.kinds[self.i - 1] == OPERATOR and self._lower:
                items.append(self._array_items(at))
            else:
                items.append(self.expression())
            if self.keys[self.i] == "for" and len(items) == 1:
                return self._comprehension(start, items[0])
            if not self.take(","):
                break
        self.expect("]")
        self.depth -= 1
        return tree.ArrayItems(start, self.end_of_last(), items)

    def _comprehension(self, start: int, item: tree.Expression) -> tree.Expression:
        self.expect("for")
        names = [self.name("a name for the items")]
        while self.take(","):
            names.append(self.name("a name for the items"))
        self.expect("in")
        source = self.expression(_OTHER)
        condition = self.expression() if self.take("if") else None
        self.expect("]")
        self.depth -= 1
        return tree.Comprehension(start, self.end_of_last(), names, item, source, condition)

    def _braces(self) -> tree.Expression:
        """Read ``{'a': 1, b: 2}``."""
        self.enter()
        start = self.starts[self.i]
        self.i += 1
        found = tree.Struct(start, start, [], [])
        while self.keys[self.i] != "}":
            if self.kinds[self.i] == STRING:
                found.names.append(self.written(self.i)[1:-1])
                self.i += 1
            elif self.kinds[self.i] in (WORD, QUOTED) and self.peek() in (":", "."):
                found.names.append(self.name())
            else:
                found.names.append(None)
                found.items.append(self.expression(_OTHER))
            if self.kinds[self.i] == PARAMETER and self.written(self.i)[0] == ":":
                i = self.i  # `{'a':b}`: the lexer took `:b` for a placeholder
                found.items.append(tree.Column(self.starts[i] + 1, self.ends[i], (self.written(i)[1:],)))
                self.i += 1
            else:
                self.expect(":")
                found.items.append(self.expression())
            if not self.take(","):
                break
        self.expect("}")
        self.depth -= 1
        found.end = self.end_of_last()
        return found

    def _map(self) -> tree.Expression | None:
        if self.peek() != "{":
            return None
        self.i += 1
        return self._braces()

    def _struct(self) -> tree.Expression | None:
        start = self.starts[self.i]
        at = self.i
        if self.peek()[:1] == "<":
            self.i += 1
            self.skip_angles()
        elif self.peek() == "(":
            self.i += 1
        else:
            return None
        if self.keys[self.i] != "(":
            self.i = at
            return None
        self.i += 1
        found = tree.Struct(start, start, [], [])
        while self.keys[self.i] != ")":
            item = self.expression()
            found.items.append(item)
            name = self.name("the name of a part") if self.take("as") else None
            if name is None and isinstance(item, tree.Column):
                name = item.parts[-1]
            found.names.append(name)
            if not self.take(","):
                break
        self.expect(")")
        found.end = self.end_of_last()
        return found

    def _leading(self) -> tree.Expression | None:
        """``PRIOR x``, ``BINARY x``, ``CONNECT_BY_ROOT x``: a word before the value that it is about."""
        after = self.kinds[self.i + 1]
        if after not in (WORD, QUOTED, STRING) or self.keys[self.i + 1] in self._no_alias:
            return None
        operator = self.keys[self.i]
        start = self.starts[self.i]
        self.i += 1
        argument = self.expression(_UNARY)
        return tree.Unary(start, argument.end, operator, argument)

    def _before_call(self) -> tree.Expression | None:
        """``APPROXIMATE COUNT(…)``, ``FINAL LAST(…)``: a word that says how a call is meant."""
        if self.kinds[self.i + 1] != WORD or self.peek(2) not in ("(", "."):
            return None
        self.i += 1
        return self._prefix()

    def _lambda_word(self) -> tree.Expression | None:
        """``LAMBDA x, y: body``."""
        if not self._lambdas or self.kinds[self.i + 1] not in (WORD, QUOTED) or self.peek(2) not in (",", ":"):
            return None
        start = self.starts[self.i]
        self.i += 1
        names = [self.name("a parameter")]
        while self.take(","):
            names.append(self.name("a parameter"))
        self.expect(":")
        body = self.expression()
        return tree.Lambda(start, body.end, names, body)

    def _location(self) -> tree.Expression:
        i = self.i
        self.i += 1
        return tree.Literal(self.starts[i], self.ends[i], "")

    def _next_value(self) -> tree.Expression | None:
        """``NEXT VALUE FOR sequence``."""
        if not (self.peek() == "value" and self.peek(2) == "for"):
            return None
        start = self.starts[self.i]
        self.i += 3
        self.qualified("a sequence")
        return tree.Literal(start, self.end_of_last(), "")

    def _row(self) -> tree.Expression | None:
        if self.peek() != "(":
            return None
        start = self.starts[self.i]
        self.i += 2
        items = [] if self.keys[self.i] == ")" else self.expression_list()
        self.expect(")")
        return tree.Row(start, self.end_of_last(), items)

    def _constant(self) -> tree.Expression:
        i = self.i
        self.i = i + 1
        return tree.Literal(self.starts[i], self.ends[i], "")

    def _interval(self) -> tree.Expression | None:
        start = self.starts[self.i]
        at = self.i
        self.i += 1
        if self.keys[self.i] == "(" and self.kinds[self.i + 1] == NUMBER and self.peek(3) != ")":
            self.skip_parentheses()
        if self.kinds[self.i] != STRING:
            self.i = at
            return self._interval_of(start)
        self.i += 1
        self.interval_fields()
        if self.keys[self.i] in _UNITS:
            self.i += 1
        return tree.Literal(start, self.end_of_last(), "interval")

    def _interval_of(self, start: int) -> tree.Expression | None:
        """``INTERVAL n DAY``, where n is any expression."""
        at = self.i
        self.i += 1
        if self.kinds[self.i] == OPERATOR and self.keys[self.i] not in ("(", "-", "?"):
            self.i = at
            return None
        try:
            argument = self.expression(_OTHER)
        except SqlSyntaxError:
            self.i = at
            return None
        if self.keys[self.i] not in _UNITS:
            self.i = at
            return None
        self.i += 1
        return tree.Unary(start, self.end_of_last(), "interval", argument)

    def _current(self) -> tree.Expression:
        i = self.i
        self.i = i + 1
        if self.keys[self.i] == "(" and self.keys[i].endswith(("time", "timestamp")):
            self.skip_parentheses()
        elif self.keys[self.i] == "(" and self.peek() == ")":
            self.i += 2
        return tree.Call(self.starts[i], self.end_of_last(), (self.keys[i],), [])

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
        parts: tuple[str, ...]
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

    def _typed_literal(self) -> tree.Expression | None:
        """``timestamp with time zone '…'``, ``double precision '…'``."""
        at = self.i
        if self.peek() not in ("with", "without", "precision", "varying", "("):
            return None
        start = self.starts[at]
        try:
            name = self.type_name()
        except SqlSyntaxError:
            name = ""
        if not name or self.kinds[self.i] != STRING:
            self.i = at
            return None
        self.i += 1
        return tree.Literal(start, self.end_of_last(), name)

    def _collation_for(self) -> tree.Expression | None:
        if not (self.peek() == "for" and self.peek(2) == "("):
            return None
        start = self.starts[self.i]
        self.i += 3
        argument = self.expression()
        self.expect(")")
        return tree.Call(start, self.end_of_last(), ("collation for",), [argument])


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
    "struct": ExpressionParser._struct,
    **dict.fromkeys(("approximate", "final", "running"), ExpressionParser._before_call),
    "lambda": ExpressionParser._lambda_word,
    "prior": ExpressionParser._leading,
    "binary": ExpressionParser._leading,
    "connect_by_root": ExpressionParser._leading,
    "next": ExpressionParser._next_value,
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
