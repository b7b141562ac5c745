"""The grammar of function calls with all that may stand behind them, of windows and sort keys, and of types."""

from collections.abc import Callable

from jalan.sql import tree
from jalan.sql.grammar.part import GrammarPart
from jalan.sql.lexer import END, NUMBER, OPERATOR, QUOTED, WORD

OTHER = 7
"""How tightly "any other operator" binds; what must stop before BETWEEN, IN or LIKE is read from here up."""

_AFTER_WINDOW_NAME = frozenset({")", "partition", "order", "range", "rows", "groups"})
_INTERVAL_FIELDS = frozenset({"year", "month", "day", "hour", "minute", "second"})
_DATE_WORDS = frozenset(
    """
    microsecond microseconds mcs us nanosecond nanoseconds ns millisecond milliseconds ms mils second seconds
    sec secs s ss minute minutes min mins mi n hour hours hh hr hrs h day days dd d dayofyear doy dy y dayofweek dow
    weekday dw dayofweekiso week weeks wk ww w isoweek iso_week weekiso isowk isoww month months mon mons mm m
    quarter quarters qtr q qq year years yyyy yy yr isoyear iso_year yearofweek decade century millennium epoch
    epoch_second epoch_millisecond timezone_hour timezone_minute tzoffset tz date time datetime
    """.split()
)
# With a part of a date these have three arguments; with two both are values.
_THREE_ARGUMENTS = frozenset(
    "datediff date_diff dateadd date_add timestampadd timestampdiff timediff timeadd".split()
)
_TYPE_WORDS = frozenset(
    """
    bigint binary bit boolean char character date datetime datetime2 datetimeoffset dec decimal double float int
    integer json money nchar numeric nvarchar real signed smalldatetime smallint smallmoney sysname text time
    timestamp tinyint uniqueidentifier unsigned varbinary varchar xml
    """.split()
)
ANGLED_TYPES = frozenset({"array", "map", "struct", "range", "row", "object"})
_SECOND_WORDS = frozenset({"precision", "varying", "unsigned", "signed", "zerofill", "raw"})
# What begins an argument that is no expression.
_ARGUMENT_WORDS = frozenset({"select", "with", "table", "model", "descriptor"})
_SIGNED = frozenset({"signed", "unsigned"})
# What may stand behind the arguments of a call, in the manuals of several dialects: it moves no column.
_CALL_TAILS = frozenset(
    """
    separator ignore respect on null absent returning error empty with without format default keep omit true
    false unknown using type pretty strict indent encoding
    """.split()
)


class CallGrammar(GrammarPart):
    """Reads calls, windows, sort keys and types."""

    def expression_list(self) -> list[tree.Expression]:
        """Read expressions with commas between them."""
        tokens = self.tokens
        found = [self.grammar.expressions.expression()]
        while tokens.keys[tokens.i] == ",":
            tokens.i += 1
            found.append(self.grammar.expressions.expression())
        return found

    # --- calls ---------------------------------------------------------------------------------------

    def call(self, i: int, parts: tuple[str, ...]) -> tree.Expression:
        """Read a call whose name began at token ``i``; the cursor stands on its parenthesis."""
        tokens = self.tokens
        tokens.enter()
        keys = tokens.keys
        tokens.i += 1
        call = tree.Call(tokens.starts[i], 0, parts, [])
        special = _SYNTAX.get(keys[i]) if len(parts) == 1 and keys[tokens.i] != ")" else None
        if special is not None:
            special(self, call)
        elif keys[tokens.i] == "*" and keys[tokens.i + 1] == ")":
            call.star = True
            tokens.i += 1
        elif keys[tokens.i] != ")":
            if keys[tokens.i] == "distinct":
                call.distinct = True
                tokens.i += 1
            elif keys[tokens.i] == "all":
                tokens.i += 1
            self._arguments(call)
            if keys[tokens.i] != ")":
                self._inside_tail(call)
        tokens.expect(")")
        call.end = tokens.ends[tokens.i - 1]
        tokens.depth -= 1
        if keys[tokens.i] in ("within", "filter", "over", "ignore", "respect", "keep", "from"):
            self._call_clauses(call)
        return call

    def _arguments(self, call: tree.Call) -> None:
        grammar = self.grammar
        tokens = self.tokens
        keys, kinds = tokens.keys, tokens.kinds
        date_part = self.dialect.date_parts.get(call.parts[-1].lower()) if self.dialect.date_parts else None
        while True:
            i = tokens.i
            if kinds[i] == WORD or kinds[i] == QUOTED:
                if keys[i] in ("variadic", "bulk"):
                    tokens.i += 1
                if kinds[tokens.i] == WORD and keys[tokens.i + 1] in ("=>", ":="):
                    tokens.i += 2
                argument = self._argument_of_words(call, date_part)
                if argument is None:
                    argument = grammar.expressions.expression()
            else:
                argument = grammar.expressions.expression()
            if type(argument) is tree.Star:
                grammar.select_list.star_modifiers(argument)
            call.arguments.append(argument)
            key = keys[tokens.i]
            if key == "as":
                tokens.i += 1
                tokens.name("the name of a part")
                key = keys[tokens.i]
            elif key in ("value", ":") and keys[tokens.i + 1] != ")":
                tokens.i += 1  # JSON_OBJECT('port' VALUE port, 'tide': tide)
                call.arguments.append(grammar.expressions.expression())
                key = keys[tokens.i]
            if key != ",":
                break
            tokens.i += 1
        if date_part == 0 and len(call.arguments) == 2 and call.parts[-1].lower() in _THREE_ARGUMENTS:
            first = call.arguments[0]  # datediff(day, sold_at): both are columns
            if type(first) is tree.Literal and not first.type and tokens.text[first.start].isalpha():
                name = tokens.spelled(tokens.text[first.start : first.end])
                call.arguments[0] = tree.Column(first.start, first.end, (name,))

    def _argument_of_words(self, call: tree.Call, date_part: int | None) -> tree.Expression | None:
        """Read an argument that begins with a word and is no expression; None if it is one."""
        grammar = self.grammar
        tokens = self.tokens
        keys, kinds = tokens.keys, tokens.kinds
        i = tokens.i
        key = keys[i]
        if self.dialect.lambdas and kinds[i + 1] == WORD and keys[i + 2] == "->":
            name = tokens.name("a parameter")  # x int -> …
            tokens.i += 2
            body = grammar.expressions.expression()
            return tree.Lambda(tokens.starts[i], body.end, [name], body)
        if len(call.arguments) == date_part and key in _DATE_WORDS and keys[i + 1] in (",", ")", "("):
            # A part of a date is a word of the function's own, not a column; so is week(monday).
            tokens.i += 1
            if keys[tokens.i] == "(":
                tokens.skip_parentheses()
            return tree.Literal(tokens.starts[i], tokens.end_of_last(), "")
        if key not in _ARGUMENT_WORDS:
            return None
        if key in ("select", "with") and not call.arguments:
            query = grammar.queries.query()  # JSON_ARRAY(SELECT …)
            return tree.ArrayQuery(query.start, query.end, query)
        if key == "table" and (keys[i + 1] == "(" or kinds[i + 1] in (WORD, QUOTED)):
            return self._table_argument()
        if key == "model" and kinds[i + 1] in (WORD, QUOTED):
            tokens.i += 1  # ML.PREDICT(MODEL m, …): the name of a model is no value
            grammar.tables.table_name()
            return tree.Literal(tokens.starts[i], tokens.end_of_last(), "")
        if key == "descriptor" and keys[i + 1] == "(":
            return self._descriptor()
        return None

    def _table_argument(self) -> tree.Expression:
        """``TABLE(t) [PARTITION BY …] [PRUNE|KEEP WHEN EMPTY] [ORDER BY …]``: the rows of a table."""
        grammar = self.grammar
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        query = grammar.queries.table_rows()
        while tokens.keys[tokens.i] not in (",", ")", ""):
            if tokens.take_words("partition", "by"):
                query.limit.append(grammar.expressions.expression())
                while tokens.keys[tokens.i] == "," and tokens.keys[tokens.i + 2] != "=>":
                    tokens.i += 1
                    query.limit.append(grammar.expressions.expression())
            elif tokens.keys[tokens.i] == "order":
                tokens.expect("order")
                tokens.expect("by")
                query.order += self.sort_keys(in_arguments=True)
            elif tokens.keys[tokens.i] == "(":
                tokens.skip_parentheses()
            else:
                tokens.i += 1  # COPARTITION, PRUNE WHEN EMPTY, an alias
        return tree.TableArgument(start, tokens.end_of_last(), query)

    def _descriptor(self) -> tree.Expression:
        """``DESCRIPTOR(a, b bigint)``: names of columns, which are no values."""
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        tokens.i += 1
        tokens.expect("(")
        names: list[tree.Expression] = []
        while tokens.keys[tokens.i] != ")":
            at = tokens.i
            names.append(tree.Column(tokens.starts[at], tokens.ends[at], (tokens.name("a column"),)))
            if tokens.keys[tokens.i] not in (",", ")"):
                self.type_name()
            if not tokens.take(","):
                break
        tokens.expect(")")
        return tree.Descriptor(start, tokens.end_of_last(), names)

    def _inside_tail(self, call: tree.Call) -> None:
        """Read what stands between the last argument and the closing parenthesis."""
        tokens = self.tokens
        keys = tokens.keys
        while keys[tokens.i] != ")":
            key = keys[tokens.i]
            if key == "order":
                call.order = self.order_by()
            elif key == "limit":
                tokens.i += 1
                self.grammar.expressions.expression()
            elif key == "having":
                tokens.i += 2  # MAX or MIN
                call.having = self.grammar.expressions.expression()
            elif key == "passing":
                tokens.i += 1
                self._arguments(call)
            elif key in _CALL_TAILS:
                self.skip_tail()
            else:
                return

    def skip_tail(self) -> None:
        tokens = self.tokens
        while tokens.keys[tokens.i] not in (")", "order") and tokens.kinds[tokens.i] != END:
            if tokens.keys[tokens.i] == "(":
                tokens.skip_parentheses()
            else:
                tokens.i += 1

    def _call_clauses(self, call: tree.Call) -> None:
        tokens = self.tokens
        if tokens.keys[tokens.i] == "from":
            if tokens.peek() not in ("first", "last") or tokens.peek(2) not in ("ignore", "respect", "over"):
                return
            tokens.i += 2
        if tokens.keys[tokens.i] == "keep" and tokens.peek() == "(":
            tokens.i += 2
            tokens.i += 2  # DENSE_RANK FIRST, or LAST
            call.order = self.order_by()
            tokens.expect(")")
            call.end = tokens.end_of_last()
        if tokens.take_words("within", "group"):
            tokens.expect("(")
            call.order = self.order_by()
            call.within_group = True
            tokens.expect(")")
            call.end = tokens.end_of_last()
        if tokens.keys[tokens.i] == "filter" and tokens.peek() == "(":
            tokens.i += 2
            if not tokens.take("where") and not self.dialect.bare_filters:
                tokens.expect("where")
            call.filter = self.grammar.expressions.expression()
            tokens.expect(")")
            call.end = tokens.end_of_last()
        if tokens.keys[tokens.i] in ("ignore", "respect") and tokens.peek() == "nulls":
            tokens.i += 2
        if tokens.keys[tokens.i] == "over":
            at = tokens.starts[tokens.i]
            tokens.i += 1
            if tokens.keys[tokens.i] == "(":
                call.window = self.window()
            else:
                base = tokens.name("a window")
                call.window = tree.Window(at, tokens.end_of_last(), base, [], [], [])
            call.end = tokens.end_of_last()

    def window(self) -> tree.Window:
        """Read ``([name] [PARTITION BY …] [ORDER BY …] [frame])``."""
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        tokens.expect("(")
        window = tree.Window(start, start, None, [], [], [])
        frames = ("range", "rows", "groups")
        if tokens.keys[tokens.i] not in _AFTER_WINDOW_NAME:
            window.base = tokens.name("a window")
        if tokens.take("partition"):
            tokens.expect("by")
            window.partition = self.expression_list()
        if tokens.keys[tokens.i] == "order":
            window.order = self.order_by()
        if tokens.keys[tokens.i] in frames:
            tokens.i += 1
            between = tokens.take("between")
            self._frame_bound(window)
            if between:
                tokens.expect("and")
                self._frame_bound(window)
            if tokens.take("exclude"):
                while tokens.keys[tokens.i] in ("current", "row", "group", "ties", "no", "others"):
                    tokens.i += 1
        tokens.expect(")")
        window.end = tokens.end_of_last()
        return window

    def _frame_bound(self, window: tree.Window) -> None:
        tokens = self.tokens
        if tokens.take_words("current", "row"):
            return
        if tokens.keys[tokens.i + 1] in ("preceding", "following") and tokens.take("unbounded"):
            pass
        else:
            window.frame.append(self.grammar.expressions.expression(OTHER))
        if not (tokens.take("preceding") or tokens.take("following")):
            tokens.fail("PRECEDING or FOLLOWING")

    def order_by(self) -> list[tree.Sort]:
        """Read ``ORDER BY key [ASC|DESC|USING op] [NULLS FIRST|LAST], …``."""
        self.tokens.expect("order")
        self.tokens.expect("by")
        return self.sort_keys()

    def sort_keys(self, in_arguments: bool = False) -> list[tree.Sort]:
        """Read the keys behind ORDER BY. in_arguments: what follows may be a further argument with its name."""
        tokens = self.tokens
        found = []
        while True:
            key = self.grammar.expressions.expression()
            if not (tokens.take("asc") or tokens.take("desc")) and tokens.take("using"):
                if tokens.keys[tokens.i] == "operator":
                    tokens.i += 1
                    self.operator_name()
                else:
                    tokens.i += 1
            if tokens.take("nulls") and not (tokens.take("first") or tokens.take("last")):
                tokens.fail("FIRST or LAST")
            found.append(tree.Sort(key.start, tokens.end_of_last(), key))
            if (in_arguments and tokens.keys[tokens.i + 2] == "=>") or not tokens.take(","):
                return found

    def operator_name(self) -> None:
        """Read ``(schema.+)`` behind OPERATOR."""
        tokens = self.tokens
        tokens.expect("(")
        while tokens.kinds[tokens.i] == WORD or tokens.keys[tokens.i] == ".":
            tokens.i += 1
        if tokens.kinds[tokens.i] != OPERATOR:
            tokens.fail("an operator")
        tokens.i += 1
        tokens.expect(")")

    # --- calls with words between their arguments ----------------------------------------------------

    def _extract(self, call: tree.Call) -> None:
        tokens = self.tokens
        if tokens.peek() == "from":
            tokens.i += 2
        elif tokens.peek() == "(" and tokens.peek(2) != ")" and tokens.peek(4) == "from":
            tokens.i += 5  # WEEK(MONDAY) FROM
        else:
            self._arguments(call)
            return
        call.arguments.append(self.grammar.expressions.expression())

    def _convert(self, call: tree.Call) -> None:
        tokens = self.tokens
        if tokens.keys[tokens.i] in _TYPE_WORDS and tokens.peek() in ("(", ","):
            self.type_name()
            tokens.expect(",")
            call.arguments = self.expression_list()
            return
        call.arguments.append(self.grammar.expressions.expression())
        if tokens.take("using"):
            tokens.name("a character set")
        elif tokens.take(","):
            if tokens.keys[tokens.i] in _TYPE_WORDS:
                self.type_name()
            else:
                call.arguments += self.expression_list()

    def _xml_element(self, call: tree.Call) -> None:
        """``XMLELEMENT(NAME port, XMLATTRIBUTES(…), content)``: the element's name is no column."""
        tokens = self.tokens
        if tokens.keys[tokens.i] == "name" and tokens.kinds[tokens.i + 1] in (WORD, QUOTED):
            tokens.i += 1
        tokens.name("the name of an element")
        if tokens.take(","):
            self._arguments(call)

    def _xml_parse(self, call: tree.Call) -> None:
        """``XMLPARSE(DOCUMENT x)``, ``XMLSERIALIZE(CONTENT x AS text)``, ``XMLEXISTS(path PASSING x)``."""
        grammar = self.grammar
        tokens = self.tokens
        if tokens.keys[tokens.i] in ("document", "content"):
            tokens.i += 1
        call.arguments.append(grammar.expressions.expression())
        if tokens.take("passing"):
            tokens.take_words("by", "ref")
            tokens.take_words("by", "value")
            call.arguments.append(grammar.expressions.expression())
        elif tokens.keys[tokens.i] == "," and tokens.peek() != "version":
            tokens.i += 1
            call.arguments.append(grammar.expressions.expression())
        self.skip_tail()

    def _position(self, call: tree.Call) -> None:
        call.arguments.append(self.grammar.expressions.expression(OTHER))
        if not self.tokens.take("in"):
            self.tokens.expect(",")
        call.arguments += self.expression_list()

    def _identity(self, call: tree.Call) -> None:
        """``IDENTITY(int, 1, 1)``: a counter, whose first argument is a type."""
        tokens = self.tokens
        if tokens.keys[tokens.i] in _TYPE_WORDS:
            self.type_name()
            tokens.expect(",")
        self._arguments(call)

    def _words_between(self, call: tree.Call) -> None:
        tokens = self.tokens
        call.arguments.append(self.grammar.expressions.expression(OTHER))
        if tokens.keys[tokens.i] not in ("from", "for", "placing", "similar", "escape", ",", ")"):
            tokens.fail("“)”")
        while tokens.keys[tokens.i] in ("from", "for", "placing", "similar", "escape", ","):
            tokens.i += 1
            call.arguments.append(self.grammar.expressions.expression())

    def _trim(self, call: tree.Call) -> None:
        tokens = self.tokens
        side = tokens.keys[tokens.i]
        if side in ("both", "leading", "trailing"):
            tokens.i += 1
            call.parts = (f"trim {side}",)
        if tokens.take("from"):
            call.arguments = self.expression_list()
            return
        call.arguments = self.expression_list()
        if tokens.take("from"):
            # What is trimmed comes first, as it does where the two are given as a list.
            call.arguments = self.expression_list() + call.arguments

    def _normalize(self, call: tree.Call) -> None:
        call.arguments.append(self.grammar.expressions.expression())
        if self.tokens.take(","):
            self.tokens.i += 1

    # --- types ---------------------------------------------------------------------------------------

    def type_name(self) -> str:
        """Read a type; returns its name without schema, modifiers and array bounds, in one spelling."""
        tokens = self.tokens
        tokens.take("setof")
        words = [tokens.name("a type")]
        while tokens.take("."):
            words = [tokens.name("a type")]
        first = str(words[0]).lower()
        if first in ANGLED_TYPES and tokens.keys[tokens.i][:1] == "<" and self.angles_end(tokens.i):
            self.skip_angles()
        if first == "national" and tokens.keys[tokens.i] in ("character", "char"):
            words.append(tokens.name())
        while tokens.keys[tokens.i] in _SECOND_WORDS:
            words.append(tokens.name())
        if first in _SIGNED and tokens.keys[tokens.i] in ("int", "integer"):
            tokens.i += 1
        if tokens.keys[tokens.i] == "(":
            tokens.skip_parentheses()
        while tokens.keys[tokens.i] in _SECOND_WORDS:
            words.append(tokens.name())
        if first in ("timestamp", "time") and tokens.keys[tokens.i] in ("with", "without"):
            local = 1 if tokens.peek() == "local" else 0
            if tokens.peek(1 + local) == "time" and tokens.peek(2 + local) == "zone":
                words += [tokens.keys[tokens.i], "time", "zone"]
                tokens.i += 3 + local
        if tokens.keys[tokens.i] == "character" and tokens.peek() == "set":
            tokens.i += 3
        if first == "interval":
            self.interval_fields()
        if tokens.keys[tokens.i] == "%" and tokens.keys[tokens.i + 1] in ("type", "rowtype"):
            tokens.i += 2
        while True:
            if tokens.keys[tokens.i] == "[":
                tokens.i += 1
                if tokens.kinds[tokens.i] == NUMBER:
                    tokens.i += 1
                tokens.expect("]")
            elif not tokens.take("array"):
                break
        return " ".join(words)

    def angles_end(self, i: int) -> int | None:
        """Return the token behind ``<STRING, ARRAY<INT64>>`` that opens at token ``i``, None if it is no such list.

        The lexer may have taken several closing marks for one operator.
        """
        tokens = self.tokens
        open_ = 0
        while True:
            key = tokens.keys[i]
            if tokens.kinds[i] == OPERATOR and key[0] in "<>":
                if key.strip("<>"):
                    return None
                open_ += key.count("<") - key.count(">")
            elif tokens.kinds[i] not in (WORD, QUOTED, NUMBER) and key not in (",", "(", ")", ":", ".", "'"):
                return None
            i += 1
            if open_ <= 0:
                return i

    def skip_angles(self) -> None:
        """Step over the angle brackets that open here; raises where they are not closed."""
        tokens = self.tokens
        end = self.angles_end(tokens.i)
        if end is None:
            tokens.fail("the arguments of a type")
        tokens.i = end

    def interval_fields(self) -> None:
        """Step over ``DAY TO SECOND(3)``."""
        tokens = self.tokens
        if tokens.keys[tokens.i] in _INTERVAL_FIELDS:
            tokens.i += 1
            if tokens.keys[tokens.i] == "to" and tokens.peek() in _INTERVAL_FIELDS:
                tokens.i += 2
            if tokens.keys[tokens.i] == "(" and tokens.kinds[tokens.i + 1] == NUMBER:
                tokens.skip_parentheses()


_SYNTAX: dict[str, Callable[[CallGrammar, tree.Call], None]] = {
    "extract": CallGrammar._extract,
    "position": CallGrammar._position,
    "substring": CallGrammar._words_between,
    "substr": CallGrammar._words_between,
    "overlay": CallGrammar._words_between,
    "trim": CallGrammar._trim,
    "normalize": CallGrammar._normalize,
    "xmlelement": CallGrammar._xml_element,
    "xmlpi": CallGrammar._xml_element,
    **dict.fromkeys(("xmlparse", "xmlserialize", "xmlroot", "xmlexists"), CallGrammar._xml_parse),
    "identity": CallGrammar._identity,
    "convert": CallGrammar._convert,
    "try_convert": CallGrammar._convert,
}
