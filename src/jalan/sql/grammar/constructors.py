"""The grammar of what makes a value of parts: arrays, structs, maps, rows, cases, casts, intervals."""

from jalan.sql import tree
from jalan.sql.grammar.calls import OTHER, CallParser
from jalan.sql.grammar.token_stream import SqlSyntaxError
from jalan.sql.lexer import NUMBER, OPERATOR, PARAMETER, QUOTED, STRING, WORD

_OTHER, _UNARY = OTHER, 13
_UNITS = frozenset(
    """
    microsecond microseconds millisecond milliseconds second seconds minute minutes hour hours day days week weeks
    month months quarter quarters year years day_hour day_minute day_second hour_minute hour_second minute_second
    year_month decade century
    """.split()
)


class ConstructorParser(CallParser):
    """Reads what begins with a word or a bracket of its own. Expressions are read by the class below this one."""

    _lambdas = False

    def _is_query(self, i: int) -> bool:
        raise NotImplementedError

    def _prefix(self) -> tree.Expression:
        raise NotImplementedError

    def _array(self) -> tree.Expression | None:
        start = self.starts[self.i]
        if self.peek() == "[":
            self.i += 1
            return self._array_items(start)
        if self.peek()[:1] == "<" and self.dialect.struct_paths:
            end = self.angles_end(self.i + 1)
            if end is None or self.keys[end] != "[":
                return None
            self.i = end
            return self._array_items(start)
        if self.peek() != "(" or not self._is_query(self.i + 2):
            return None
        self.i += 2
        query = self.query()
        self.expect(")")
        return tree.ArrayQuery(start, self.end_of_last(), query)

    def _multiset(self) -> tree.Expression | None:
        """``MULTISET(query)``, ``CURSOR(query)``: the rows of a query as one value."""
        if self.peek() != "(" or not self._is_query(self.i + 2):
            return None
        start = self.starts[self.i]
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
                found.names.append(self._folding.named(self.written(self.i)[1:-1]))
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
        opening = self.angles_end(self.i + 1) if self.peek()[:1] == "<" else self.i + 1
        if opening is None or self.keys[opening] != "(":
            return None
        self.i = opening + 1
        found = tree.Struct(start, start, [], [])
        while self.keys[self.i] != ")":
            item = self.expression()
            found.items.append(item)
            named = self.take("as") or (self.kinds[self.i] == WORD and self.peek() in (",", ")"))
            name = self.name("the name of a part") if named else None
            if name is None and isinstance(item, tree.Column):
                name = item.parts[-1]
            found.names.append(name)
            if not self.take(","):
                break
        self.expect(")")
        found.end = self.end_of_last()
        return found

    def _struct_pack(self) -> tree.Expression | None:
        """``struct_pack(a := x, b := y)``: a struct with these parts."""
        if self.peek() != "(" or self.keys[self.i + 3] not in (":=", "=>"):
            return None
        start = self.starts[self.i]
        self.i += 2
        found = tree.Struct(start, start, [], [])
        while self.keys[self.i] != ")":
            found.names.append(self.name("the name of a part"))
            self.i += 1
            found.items.append(self.expression())
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
        if not (self.peek() == "value" and self.peek(2) == "for" and self.kinds[self.i + 3] in (WORD, QUOTED)):
            return None
        start = self.starts[self.i]
        self.i += 3
        self.qualified("a sequence")
        if self.keys[self.i] == "over" and self.peek() == "(":
            self.i += 1
            self.skip_parentheses()  # in which order the numbers are given
        return tree.Literal(start, self.end_of_last(), "")

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
            self._further_units()
        return tree.Literal(start, self.end_of_last(), "interval")

    def _further_units(self) -> None:
        """Step over the rest of ``1 DAY 2 HOURS -3 MINUTES``."""
        while True:
            sign = self.keys[self.i] in ("-", "+")
            if self.kinds[self.i + sign] not in (NUMBER, STRING) or self.keys[self.i + sign + 1] not in _UNITS:
                return
            self.i += sign + 2

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
        self._further_units()
        return tree.Unary(start, self.end_of_last(), "interval", argument)

    def _row(self) -> tree.Expression | None:
        if self.peek() != "(":
            return None
        start = self.starts[self.i]
        self.i += 2
        items = [] if self.keys[self.i] == ")" else self.expression_list()
        self.expect(")")
        return tree.Row(start, self.end_of_last(), items)

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
