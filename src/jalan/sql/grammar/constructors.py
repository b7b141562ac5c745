"""The grammar of what makes a value of parts: arrays, structs, maps, rows, cases, casts, intervals."""

from jalan.sql import tree
from jalan.sql.grammar.calls import OTHER
from jalan.sql.grammar.part import GrammarPart
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


class ConstructorGrammar(GrammarPart):
    """Reads what begins with a word or a bracket of its own."""

    def array(self) -> tree.Expression | None:
        grammar = self.grammar
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        if tokens.peek() == "[":
            tokens.i += 1
            return self._array_items(start)
        if tokens.peek()[:1] == "<" and self.dialect.struct_paths:
            end = grammar.calls.angles_end(tokens.i + 1)
            if end is None or tokens.keys[end] != "[":
                return None
            tokens.i = end
            return self._array_items(start)
        if tokens.peek() != "(" or not grammar.expressions.is_query(tokens.i + 2):
            return None
        tokens.i += 2
        query = grammar.queries.query()
        tokens.expect(")")
        return tree.ArrayQuery(start, tokens.end_of_last(), query)

    def multiset(self) -> tree.Expression | None:
        """``MULTISET(query)``, ``CURSOR(query)``: the rows of a query as one value."""
        tokens = self.tokens
        if tokens.peek() != "(" or not self.grammar.expressions.is_query(tokens.i + 2):
            return None
        start = tokens.starts[tokens.i]
        tokens.i += 2
        query = self.grammar.queries.query()
        tokens.expect(")")
        return tree.ArrayQuery(start, tokens.end_of_last(), query)

    def bracket_list(self) -> tree.Expression:
        return self._array_items(self.tokens.starts[self.tokens.i])

    def _array_items(self, start: int) -> tree.Expression:
        tokens = self.tokens
        tokens.enter()
        tokens.expect("[")
        items: list[tree.Expression] = []
        while tokens.keys[tokens.i] != "]":
            at = tokens.starts[tokens.i]
            if tokens.keys[tokens.i] == "[" and tokens.kinds[tokens.i - 1] == OPERATOR and tokens.lower:
                items.append(self._array_items(at))
            else:
                items.append(self.grammar.expressions.expression())
            if tokens.keys[tokens.i] == "for" and len(items) == 1:
                return self._comprehension(start, items[0])
            if not tokens.take(","):
                break
        tokens.expect("]")
        tokens.depth -= 1
        return tree.ArrayItems(start, tokens.end_of_last(), items)

    def _comprehension(self, start: int, item: tree.Expression) -> tree.Expression:
        tokens = self.tokens
        tokens.expect("for")
        names = [tokens.name("a name for the items")]
        while tokens.take(","):
            names.append(tokens.name("a name for the items"))
        tokens.expect("in")
        source = self.grammar.expressions.expression(_OTHER)
        condition = self.grammar.expressions.expression() if tokens.take("if") else None
        tokens.expect("]")
        tokens.depth -= 1
        return tree.Comprehension(start, tokens.end_of_last(), names, item, source, condition)

    def braces(self) -> tree.Expression:
        """Read ``{'a': 1, b: 2}``."""
        tokens = self.tokens
        tokens.enter()
        start = tokens.starts[tokens.i]
        tokens.i += 1
        found = tree.Struct(start, start, [], [])
        while tokens.keys[tokens.i] != "}":
            if tokens.kinds[tokens.i] == STRING:
                found.names.append(tokens.folding.named(tokens.written(tokens.i)[1:-1]))
                tokens.i += 1
            elif tokens.kinds[tokens.i] in (WORD, QUOTED) and tokens.peek() in (":", "."):
                found.names.append(tokens.name())
            else:
                found.names.append(None)
                found.items.append(self.grammar.expressions.expression(_OTHER))
            if tokens.kinds[tokens.i] == PARAMETER and tokens.written(tokens.i)[0] == ":":
                i = tokens.i  # `{'a':b}`: the lexer took `:b` for a placeholder
                found.items.append(tree.Column(tokens.starts[i] + 1, tokens.ends[i], (tokens.written(i)[1:],)))
                tokens.i += 1
            else:
                tokens.expect(":")
                found.items.append(self.grammar.expressions.expression())
            if not tokens.take(","):
                break
        tokens.expect("}")
        tokens.depth -= 1
        found.end = tokens.end_of_last()
        return found

    def map_value(self) -> tree.Expression | None:
        if self.tokens.peek() != "{":
            return None
        self.tokens.i += 1
        return self.braces()

    def struct(self) -> tree.Expression | None:
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        opening = self.grammar.calls.angles_end(tokens.i + 1) if tokens.peek()[:1] == "<" else tokens.i + 1
        if opening is None or tokens.keys[opening] != "(":
            return None
        tokens.i = opening + 1
        found = tree.Struct(start, start, [], [])
        while tokens.keys[tokens.i] != ")":
            item = self.grammar.expressions.expression()
            found.items.append(item)
            named = tokens.take("as") or (tokens.kinds[tokens.i] == WORD and tokens.peek() in (",", ")"))
            name = tokens.name("the name of a part") if named else None
            if name is None and isinstance(item, tree.Column):
                name = item.parts[-1]
            found.names.append(name)
            if not tokens.take(","):
                break
        tokens.expect(")")
        found.end = tokens.end_of_last()
        return found

    def struct_pack(self) -> tree.Expression | None:
        """``struct_pack(a := x, b := y)``: a struct with these parts."""
        tokens = self.tokens
        if tokens.peek() != "(" or tokens.keys[tokens.i + 3] not in (":=", "=>"):
            return None
        start = tokens.starts[tokens.i]
        tokens.i += 2
        found = tree.Struct(start, start, [], [])
        while tokens.keys[tokens.i] != ")":
            found.names.append(tokens.name("the name of a part"))
            tokens.i += 1
            found.items.append(self.grammar.expressions.expression())
            if not tokens.take(","):
                break
        tokens.expect(")")
        found.end = tokens.end_of_last()
        return found

    def leading(self) -> tree.Expression | None:
        """``PRIOR x``, ``BINARY x``, ``CONNECT_BY_ROOT x``: a word before the value that it is about."""
        tokens = self.tokens
        after = tokens.kinds[tokens.i + 1]
        if after not in (WORD, QUOTED, STRING) or tokens.keys[tokens.i + 1] in tokens.no_alias:
            return None
        operator = tokens.keys[tokens.i]
        start = tokens.starts[tokens.i]
        tokens.i += 1
        argument = self.grammar.expressions.expression(_UNARY)
        return tree.Unary(start, argument.end, operator, argument)

    def before_call(self) -> tree.Expression | None:
        """``APPROXIMATE COUNT(…)``, ``FINAL LAST(…)``: a word that says how a call is meant."""
        tokens = self.tokens
        if tokens.kinds[tokens.i + 1] != WORD or tokens.peek(2) not in ("(", "."):
            return None
        tokens.i += 1
        return self.grammar.expressions.prefix()

    def lambda_word(self) -> tree.Expression | None:
        """``LAMBDA x, y: body``."""
        tokens = self.tokens
        if (
            not self.dialect.lambdas
            or tokens.kinds[tokens.i + 1] not in (WORD, QUOTED)
            or tokens.peek(2) not in (",", ":")
        ):
            return None
        start = tokens.starts[tokens.i]
        tokens.i += 1
        names = [tokens.name("a parameter")]
        while tokens.take(","):
            names.append(tokens.name("a parameter"))
        tokens.expect(":")
        body = self.grammar.expressions.expression()
        return tree.Lambda(start, body.end, names, body)

    def location(self) -> tree.Expression:
        tokens = self.tokens
        i = tokens.i
        tokens.i += 1
        return tree.Literal(tokens.starts[i], tokens.ends[i], "")

    def next_value(self) -> tree.Expression | None:
        """``NEXT VALUE FOR sequence``."""
        tokens = self.tokens
        if not (
            tokens.peek() == "value" and tokens.peek(2) == "for" and tokens.kinds[tokens.i + 3] in (WORD, QUOTED)
        ):
            return None
        start = tokens.starts[tokens.i]
        tokens.i += 3
        tokens.qualified("a sequence")
        if tokens.keys[tokens.i] == "over" and tokens.peek() == "(":
            tokens.i += 1
            tokens.skip_parentheses()  # in which order the numbers are given
        return tree.Literal(start, tokens.end_of_last(), "")

    def interval(self) -> tree.Expression | None:
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        at = tokens.i
        tokens.i += 1
        if tokens.keys[tokens.i] == "(" and tokens.kinds[tokens.i + 1] == NUMBER and tokens.peek(3) != ")":
            tokens.skip_parentheses()
        if tokens.kinds[tokens.i] != STRING:
            tokens.i = at
            return self._interval_of(start)
        tokens.i += 1
        self.grammar.calls.interval_fields()
        if tokens.keys[tokens.i] in _UNITS:
            tokens.i += 1
            self._further_units()
        return tree.Literal(start, tokens.end_of_last(), "interval")

    def _further_units(self) -> None:
        """Step over the rest of ``1 DAY 2 HOURS -3 MINUTES``."""
        tokens = self.tokens
        while True:
            sign = tokens.keys[tokens.i] in ("-", "+")
            if (
                tokens.kinds[tokens.i + sign] not in (NUMBER, STRING)
                or tokens.keys[tokens.i + sign + 1] not in _UNITS
            ):
                return
            tokens.i += sign + 2

    def _interval_of(self, start: int) -> tree.Expression | None:
        """``INTERVAL n DAY``, where n is any expression."""
        tokens = self.tokens
        at = tokens.i
        tokens.i += 1
        if tokens.kinds[tokens.i] == OPERATOR and tokens.keys[tokens.i] not in ("(", "-", "?"):
            tokens.i = at
            return None
        try:
            argument = self.grammar.expressions.expression(_OTHER)
        except SqlSyntaxError:
            tokens.i = at
            return None
        if tokens.keys[tokens.i] not in _UNITS:
            tokens.i = at
            return None
        tokens.i += 1
        self._further_units()
        return tree.Unary(start, tokens.end_of_last(), "interval", argument)

    def row(self) -> tree.Expression | None:
        tokens = self.tokens
        if tokens.peek() != "(":
            return None
        start = tokens.starts[tokens.i]
        tokens.i += 2
        items = [] if tokens.keys[tokens.i] == ")" else self.grammar.calls.expression_list()
        tokens.expect(")")
        return tree.Row(start, tokens.end_of_last(), items)

    def case(self) -> tree.Expression:
        grammar = self.grammar
        tokens = self.tokens
        tokens.enter()
        start = tokens.starts[tokens.i]
        tokens.i += 1
        operand = None if tokens.keys[tokens.i] == "when" else grammar.expressions.expression()
        branches = []
        while tokens.keys[tokens.i] == "when":
            at = tokens.starts[tokens.i]
            tokens.i += 1
            condition = grammar.expressions.expression()
            tokens.expect("then")
            result = grammar.expressions.expression()
            branches.append(tree.When(at, result.end, condition, result))
        if not branches:
            tokens.fail("“WHEN”")
        default = grammar.expressions.expression() if tokens.take("else") else None
        tokens.expect("end")
        tokens.depth -= 1
        return tree.Case(start, tokens.end_of_last(), operand, branches, default)

    def cast(self) -> tree.Expression | None:
        tokens = self.tokens
        if tokens.peek() != "(":
            return None
        start = tokens.starts[tokens.i]
        tokens.i += 2
        argument = self.grammar.expressions.expression()
        tokens.expect("as")
        name = self.grammar.calls.type_name()
        if tokens.keys[tokens.i] != ")":
            self._cast_tail()
        tokens.expect(")")
        return tree.Cast(start, tokens.end_of_last(), argument, name)

    def _cast_tail(self) -> None:
        """Step over ``FORMAT '…'``, ``AT TIME ZONE '…'``, ``DEFAULT … ON CONVERSION ERROR``, ``COLLATE …``."""
        tokens = self.tokens
        if tokens.keys[tokens.i] not in (
            "format",
            "at",
            "default",
            "collate",
            ",",
            "array",
            "not",
            "rename",
            "add",
        ):
            tokens.fail("“)”")
        while tokens.keys[tokens.i] != ")":
            tokens.i += 1
            if (tokens.kinds[tokens.i] == OPERATOR and tokens.keys[tokens.i] == ";") or not tokens.keys[tokens.i]:
                tokens.fail("“)”")

    def typed_literal(self) -> tree.Expression | None:
        """``timestamp with time zone '…'``, ``double precision '…'``."""
        tokens = self.tokens
        at = tokens.i
        if tokens.peek() not in ("with", "without", "precision", "varying", "("):
            return None
        start = tokens.starts[at]
        try:
            name = self.grammar.calls.type_name()
        except SqlSyntaxError:
            name = ""
        if not name or tokens.kinds[tokens.i] != STRING:
            tokens.i = at
            return None
        tokens.i += 1
        return tree.Literal(start, tokens.end_of_last(), name)

    def collation_for(self) -> tree.Expression | None:
        tokens = self.tokens
        if not (tokens.peek() == "for" and tokens.peek(2) == "("):
            return None
        start = tokens.starts[tokens.i]
        tokens.i += 3
        argument = self.grammar.expressions.expression()
        tokens.expect(")")
        return tree.Call(start, tokens.end_of_last(), ("collation for",), [argument])
