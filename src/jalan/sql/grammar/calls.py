"""The grammar of function calls with all that may stand behind them, of windows and sort keys, and of types."""

from collections.abc import Callable

from jalan.sql import tree
from jalan.sql.grammar.token_stream import Cursor
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
_SIGNED = frozenset({"signed", "unsigned"})
# What may stand behind the arguments of a call, in the manuals of several dialects: it moves no column.
_CALL_TAILS = frozenset(
    """
    separator ignore respect on null absent returning error empty with without format default keep omit true
    false unknown using type pretty strict indent encoding
    """.split()
)


class CallParser(Cursor):
    """Reads calls, windows, sort keys and types. Expressions are read by the class below this one."""

    def expression(self, power: int = 1) -> tree.Expression:
        """Read an expression whose operators bind at least as tightly as ``power``."""
        raise NotImplementedError

    def query(self) -> tree.Query:
        """Read a query."""
        raise NotImplementedError

    def star_modifiers(self, star: tree.Star) -> None:
        """Read what may stand behind a star: what it leaves out, replaces or renames."""
        raise NotImplementedError

    def expression_list(self) -> list[tree.Expression]:
        """Read expressions with commas between them."""
        found = [self.expression()]
        while self.keys[self.i] == ",":
            self.i += 1
            found.append(self.expression())
        return found

    # --- calls ---------------------------------------------------------------------------------------

    def call(self, i: int, parts: tuple[str, ...]) -> tree.Expression:
        """Read a call whose name began at token ``i``; the cursor stands on its parenthesis."""
        self.enter()
        keys = self.keys
        self.i += 1
        call = tree.Call(self.starts[i], 0, parts, [])
        special = _SYNTAX.get(keys[i]) if len(parts) == 1 and keys[self.i] != ")" else None
        if special is not None:
            special(self, call)
        elif keys[self.i] == "*" and keys[self.i + 1] == ")":
            call.star = True
            self.i += 1
        elif keys[self.i] != ")":
            if keys[self.i] == "distinct":
                call.distinct = True
                self.i += 1
            elif keys[self.i] == "all":
                self.i += 1
            self._arguments(call)
            if keys[self.i] != ")":
                self._inside_tail(call)
        self.expect(")")
        call.end = self.ends[self.i - 1]
        self.depth -= 1
        if keys[self.i] in ("within", "filter", "over", "ignore", "respect", "keep", "from"):
            self._call_clauses(call)
        return call

    def _arguments(self, call: tree.Call) -> None:
        keys = self.keys
        date_part = self.dialect.date_parts.get(call.parts[-1].lower()) if self.dialect.date_parts else None
        while True:
            if not self.take("variadic"):
                self.take("bulk")
            if self.kinds[self.i] == WORD and keys[self.i + 1] in ("=>", ":="):
                self.i += 2
            i = self.i
            if self.dialect.lambdas and self.kinds[i + 1] == WORD and keys[i + 2] == "->":
                name = self.name("a parameter")  # x int -> …
                self.i += 2
                body = self.expression()
                call.arguments.append(tree.Lambda(self.starts[i], body.end, [name], body))
            elif len(call.arguments) == date_part and keys[i] in _DATE_WORDS and keys[i + 1] in (",", ")", "("):
                # A part of a date is a word of the function's own, not a column; so is week(monday).
                self.i += 1
                if keys[self.i] == "(":
                    self.skip_parentheses()
                call.arguments.append(tree.Literal(self.starts[i], self.end_of_last(), ""))
            elif keys[i] in ("select", "with") and self.kinds[i] == WORD and not call.arguments:
                query = self.query()  # JSON_ARRAY(SELECT …)
                call.arguments.append(tree.ArrayQuery(query.start, query.end, query))
            elif keys[i] == "table" and (keys[i + 1] == "(" or self.kinds[i + 1] in (WORD, QUOTED)):
                call.arguments.append(self._table_argument())
            elif keys[i] == "model" and self.kinds[i + 1] in (WORD, QUOTED):
                self.i += 1  # ML.PREDICT(MODEL m, …): the name of a model is no value
                self.table_name()
                call.arguments.append(tree.Literal(self.starts[i], self.end_of_last(), ""))
            elif keys[i] == "descriptor" and keys[i + 1] == "(":
                call.arguments.append(self._descriptor())
            else:
                argument = self.expression()
                if type(argument) is tree.Star:
                    self.star_modifiers(argument)
                call.arguments.append(argument)
            key = keys[self.i]
            if key == "as":
                self.i += 1
                self.name("the name of a part")
                key = keys[self.i]
            elif key in ("value", ":") and keys[self.i + 1] != ")":
                self.i += 1  # JSON_OBJECT('port' VALUE port, 'tide': tide)
                call.arguments.append(self.expression())
                key = keys[self.i]
            if key != ",":
                break
            self.i += 1
        if date_part == 0 and len(call.arguments) == 2 and call.parts[-1].lower() in _THREE_ARGUMENTS:
            first = call.arguments[0]  # datediff(day, sold_at): both are columns
            if type(first) is tree.Literal and not first.type and self.text[first.start].isalpha():
                name = self._spelled(self.text[first.start : first.end])
                call.arguments[0] = tree.Column(first.start, first.end, (name,))

    def _table_argument(self) -> tree.Expression:
        """``TABLE(t) [PARTITION BY …] [PRUNE|KEEP WHEN EMPTY] [ORDER BY …]``: the rows of a table."""
        start = self.starts[self.i]
        query = self.table_rows()
        while self.keys[self.i] not in (",", ")", ""):
            if self.take_words("partition", "by"):
                query.limit.append(self.expression())
                while self.keys[self.i] == "," and self.keys[self.i + 2] != "=>":
                    self.i += 1
                    query.limit.append(self.expression())
            elif self.keys[self.i] == "order":
                self.expect("order")
                self.expect("by")
                query.order += self.sort_keys(in_arguments=True)
            elif self.keys[self.i] == "(":
                self.skip_parentheses()
            else:
                self.i += 1  # COPARTITION, PRUNE WHEN EMPTY, an alias
        return tree.TableArgument(start, self.end_of_last(), query)

    def table_name(self) -> tree.TableName:
        """Read the name of a table, or of what is named like one."""
        raise NotImplementedError

    def table_rows(self) -> tree.Query:
        """Read ``TABLE(name)`` or ``TABLE(query)`` as a query."""
        raise NotImplementedError

    def _descriptor(self) -> tree.Expression:
        """``DESCRIPTOR(a, b bigint)``: names of columns, which are no values."""
        start = self.starts[self.i]
        self.i += 1
        self.expect("(")
        names: list[tree.Expression] = []
        while self.keys[self.i] != ")":
            at = self.i
            names.append(tree.Column(self.starts[at], self.ends[at], (self.name("a column"),)))
            if self.keys[self.i] not in (",", ")"):
                self.type_name()
            if not self.take(","):
                break
        self.expect(")")
        return tree.Descriptor(start, self.end_of_last(), names)

    def _inside_tail(self, call: tree.Call) -> None:
        """Read what stands between the last argument and the closing parenthesis."""
        keys = self.keys
        while keys[self.i] != ")":
            key = keys[self.i]
            if key == "order":
                call.order = self.order_by()
            elif key == "limit":
                self.i += 1
                self.expression()
            elif key == "having":
                self.i += 2  # MAX or MIN
                call.having = self.expression()
            elif key == "passing":
                self.i += 1
                self._arguments(call)
            elif key in _CALL_TAILS:
                self._skip_tail()
            else:
                return

    def _skip_tail(self) -> None:
        while self.keys[self.i] not in (")", "order") and self.kinds[self.i] != END:
            if self.keys[self.i] == "(":
                self.skip_parentheses()
            else:
                self.i += 1

    def _call_clauses(self, call: tree.Call) -> None:
        if self.keys[self.i] == "from":
            if self.peek() not in ("first", "last") or self.peek(2) not in ("ignore", "respect", "over"):
                return
            self.i += 2
        if self.keys[self.i] == "keep" and self.peek() == "(":
            self.i += 2
            self.i += 2  # DENSE_RANK FIRST, or LAST
            call.order = self.order_by()
            self.expect(")")
            call.end = self.end_of_last()
        if self.take_words("within", "group"):
            self.expect("(")
            call.order = self.order_by()
            call.within_group = True
            self.expect(")")
            call.end = self.end_of_last()
        if self.keys[self.i] == "filter" and self.peek() == "(":
            self.i += 2
            if not self.take("where") and self.dialect.joins_need_condition:
                self.expect("where")
            call.filter = self.expression()
            self.expect(")")
            call.end = self.end_of_last()
        if self.keys[self.i] in ("ignore", "respect") and self.peek() == "nulls":
            self.i += 2
        if self.keys[self.i] == "over":
            at = self.starts[self.i]
            self.i += 1
            if self.keys[self.i] == "(":
                call.window = self.window()
            else:
                base = self.name("a window")
                call.window = tree.Window(at, self.end_of_last(), base, [], [], [])
            call.end = self.end_of_last()

    def window(self) -> tree.Window:
        """Read ``([name] [PARTITION BY …] [ORDER BY …] [frame])``."""
        start = self.starts[self.i]
        self.expect("(")
        window = tree.Window(start, start, None, [], [], [])
        frames = ("range", "rows", "groups")
        if self.keys[self.i] not in _AFTER_WINDOW_NAME:
            window.base = self.name("a window")
        if self.take("partition"):
            self.expect("by")
            window.partition = self.expression_list()
        if self.keys[self.i] == "order":
            window.order = self.order_by()
        if self.keys[self.i] in frames:
            self.i += 1
            between = self.take("between")
            self._frame_bound(window)
            if between:
                self.expect("and")
                self._frame_bound(window)
            if self.take("exclude"):
                while self.keys[self.i] in ("current", "row", "group", "ties", "no", "others"):
                    self.i += 1
        self.expect(")")
        window.end = self.end_of_last()
        return window

    def _frame_bound(self, window: tree.Window) -> None:
        if self.take_words("current", "row"):
            return
        if self.keys[self.i + 1] in ("preceding", "following") and self.take("unbounded"):
            pass
        else:
            window.frame.append(self.expression(OTHER))
        if not (self.take("preceding") or self.take("following")):
            self.fail("PRECEDING or FOLLOWING")

    def order_by(self) -> list[tree.Sort]:
        """Read ``ORDER BY key [ASC|DESC|USING op] [NULLS FIRST|LAST], …``."""
        self.expect("order")
        self.expect("by")
        return self.sort_keys()

    def sort_keys(self, in_arguments: bool = False) -> list[tree.Sort]:
        """Read the keys behind ORDER BY. in_arguments: what follows may be a further argument with its name."""
        found = []
        while True:
            key = self.expression()
            if not (self.take("asc") or self.take("desc")) and self.take("using"):
                if self.keys[self.i] == "operator":
                    self.i += 1
                    self.operator_name()
                else:
                    self.i += 1
            if self.take("nulls") and not (self.take("first") or self.take("last")):
                self.fail("FIRST or LAST")
            found.append(tree.Sort(key.start, self.end_of_last(), key))
            if (in_arguments and self.keys[self.i + 2] == "=>") or not self.take(","):
                return found

    def operator_name(self) -> None:
        """Read ``(schema.+)`` behind OPERATOR."""
        self.expect("(")
        while self.kinds[self.i] == WORD or self.keys[self.i] == ".":
            self.i += 1
        if self.kinds[self.i] != OPERATOR:
            self.fail("an operator")
        self.i += 1
        self.expect(")")

    # --- calls with words between their arguments ----------------------------------------------------

    def _extract(self, call: tree.Call) -> None:
        if self.peek() == "from":
            self.i += 2
        elif self.peek() == "(" and self.peek(2) != ")" and self.peek(4) == "from":
            self.i += 5  # WEEK(MONDAY) FROM
        else:
            self._arguments(call)
            return
        call.arguments.append(self.expression())

    def _convert(self, call: tree.Call) -> None:
        if self.keys[self.i] in _TYPE_WORDS and self.peek() in ("(", ","):
            self.type_name()
            self.expect(",")
            call.arguments = self.expression_list()
            return
        call.arguments.append(self.expression())
        if self.take("using"):
            self.name("a character set")
        elif self.take(","):
            if self.keys[self.i] in _TYPE_WORDS:
                self.type_name()
            else:
                call.arguments += self.expression_list()

    def _xml_element(self, call: tree.Call) -> None:
        """``XMLELEMENT(NAME port, XMLATTRIBUTES(…), content)``: the element's name is no column."""
        if self.keys[self.i] == "name" and self.kinds[self.i + 1] in (WORD, QUOTED):
            self.i += 1
        self.name("the name of an element")
        if self.take(","):
            self._arguments(call)

    def _xml_parse(self, call: tree.Call) -> None:
        """``XMLPARSE(DOCUMENT x)``, ``XMLSERIALIZE(CONTENT x AS text)``, ``XMLEXISTS(path PASSING x)``."""
        if self.keys[self.i] in ("document", "content"):
            self.i += 1
        call.arguments.append(self.expression())
        if self.take("passing"):
            self.take_words("by", "ref")
            self.take_words("by", "value")
            call.arguments.append(self.expression())
        elif self.keys[self.i] == "," and self.peek() != "version":
            self.i += 1
            call.arguments.append(self.expression())
        self._skip_tail()

    def _position(self, call: tree.Call) -> None:
        call.arguments.append(self.expression(OTHER))
        if not self.take("in"):
            self.expect(",")
        call.arguments += self.expression_list()

    def _identity(self, call: tree.Call) -> None:
        """``IDENTITY(int, 1, 1)``: a counter, whose first argument is a type."""
        if self.keys[self.i] in _TYPE_WORDS:
            self.type_name()
            self.expect(",")
        self._arguments(call)

    def _words_between(self, call: tree.Call) -> None:
        call.arguments.append(self.expression(OTHER))
        if self.keys[self.i] not in ("from", "for", "placing", "similar", "escape", ",", ")"):
            self.fail("“)”")
        while self.keys[self.i] in ("from", "for", "placing", "similar", "escape", ","):
            self.i += 1
            call.arguments.append(self.expression())

    def _trim(self, call: tree.Call) -> None:
        side = self.keys[self.i]
        if side in ("both", "leading", "trailing"):
            self.i += 1
            call.parts = (f"trim {side}",)
        if self.take("from"):
            call.arguments = self.expression_list()
            return
        call.arguments = self.expression_list()
        if self.take("from"):
            # What is trimmed comes first, as it does where the two are given as a list.
            call.arguments = self.expression_list() + call.arguments

    def _normalize(self, call: tree.Call) -> None:
        call.arguments.append(self.expression())
        if self.take(","):
            self.i += 1

    # --- types ---------------------------------------------------------------------------------------

    def type_name(self) -> str:
        """Read a type; returns its name without schema, modifiers and array bounds, in one spelling."""
        self.take("setof")
        words = [self.name("a type")]
        while self.take("."):
            words = [self.name("a type")]
        first = str(words[0]).lower()
        if first in ANGLED_TYPES and self.keys[self.i][:1] == "<" and self.angles_end(self.i):
            self.skip_angles()
        if first == "national" and self.keys[self.i] in ("character", "char"):
            words.append(self.name())
        while self.keys[self.i] in _SECOND_WORDS:
            words.append(self.name())
        if first in _SIGNED and self.keys[self.i] in ("int", "integer"):
            self.i += 1
        if self.keys[self.i] == "(":
            self.skip_parentheses()
        while self.keys[self.i] in _SECOND_WORDS:
            words.append(self.name())
        if first in ("timestamp", "time") and self.keys[self.i] in ("with", "without"):
            local = 1 if self.peek() == "local" else 0
            if self.peek(1 + local) == "time" and self.peek(2 + local) == "zone":
                words += [self.keys[self.i], "time", "zone"]
                self.i += 3 + local
        if self.keys[self.i] == "character" and self.peek() == "set":
            self.i += 3
        if first == "interval":
            self.interval_fields()
        if self.keys[self.i] == "%" and self.keys[self.i + 1] in ("type", "rowtype"):
            self.i += 2
        while True:
            if self.keys[self.i] == "[":
                self.i += 1
                if self.kinds[self.i] == NUMBER:
                    self.i += 1
                self.expect("]")
            elif not self.take("array"):
                break
        return " ".join(words)

    def angles_end(self, i: int) -> int | None:
        """Return the token behind ``<STRING, ARRAY<INT64>>`` that opens at token ``i``, None if it is no such list.

        The lexer may have taken several closing marks for one operator.
        """
        open_ = 0
        while True:
            key = self.keys[i]
            if self.kinds[i] == OPERATOR and key[0] in "<>":
                if key.strip("<>"):
                    return None
                open_ += key.count("<") - key.count(">")
            elif self.kinds[i] not in (WORD, QUOTED, NUMBER) and key not in (",", "(", ")", ":", ".", "'"):
                return None
            i += 1
            if open_ <= 0:
                return i

    def skip_angles(self) -> None:
        """Step over the angle brackets that open here; raises where they are not closed."""
        end = self.angles_end(self.i)
        if end is None:
            self.fail("the arguments of a type")
        self.i = end

    def interval_fields(self) -> None:
        """Step over ``DAY TO SECOND(3)``."""
        if self.keys[self.i] in _INTERVAL_FIELDS:
            self.i += 1
            if self.keys[self.i] == "to" and self.peek() in _INTERVAL_FIELDS:
                self.i += 2
            if self.keys[self.i] == "(" and self.kinds[self.i + 1] == NUMBER:
                self.skip_parentheses()


_SYNTAX: dict[str, Callable[[CallParser, tree.Call], None]] = {
    "extract": CallParser._extract,
    "position": CallParser._position,
    "substring": CallParser._words_between,
    "substr": CallParser._words_between,
    "overlay": CallParser._words_between,
    "trim": CallParser._trim,
    "normalize": CallParser._normalize,
    "xmlelement": CallParser._xml_element,
    "xmlpi": CallParser._xml_element,
    **dict.fromkeys(("xmlparse", "xmlserialize", "xmlroot", "xmlexists"), CallParser._xml_parse),
    "identity": CallParser._identity,
    "convert": CallParser._convert,
    "try_convert": CallParser._convert,
}
