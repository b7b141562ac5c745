"""The grammar of function calls with all that may stand behind them, of windows and sort keys, and of types."""

from collections.abc import Callable
from typing import ClassVar

from jalan.sql import tree
from jalan.sql.cursor import Cursor
from jalan.sql.lexer import NUMBER, OPERATOR, WORD

OTHER = 7
"""How tightly "any other operator" binds; what must stop before BETWEEN, IN or LIKE is read from here up."""

_INTERVAL_FIELDS = frozenset({"year", "month", "day", "hour", "minute", "second"})


class CallParser(Cursor):
    """Reads calls, windows, sort keys and types. Expressions are read by the class below this one."""

    def expression(self, power: int = 1) -> tree.Expression:
        """Read an expression whose operators bind at least as tightly as ``power``."""
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
        special = self._SYNTAX.get(parts[-1]) if len(parts) == 1 and keys[self.i] != ")" else None
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
            if keys[self.i] == "order":
                call.order = self.order_by()
        self.expect(")")
        call.end = self.ends[self.i - 1]
        self.depth -= 1
        if keys[self.i] in ("within", "filter", "over", "ignore", "respect"):
            self._call_clauses(call)
        return call

    def _arguments(self, call: tree.Call) -> None:
        keys = self.keys
        while True:
            self.take("variadic")
            if self.kinds[self.i] == WORD and keys[self.i + 1] in ("=>", ":="):
                self.i += 2
            call.arguments.append(self.expression())
            if keys[self.i] != ",":
                return
            self.i += 1

    def _call_clauses(self, call: tree.Call) -> None:
        if self.take_words("within", "group"):
            self.expect("(")
            call.order = self.order_by()
            call.within_group = True
            self.expect(")")
            call.end = self.end_of_last()
        if self.keys[self.i] == "filter" and self.peek() == "(":
            self.i += 2
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
        if self.keys[self.i] not in (")", "partition", "order", *frames):
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
        if not self.take("unbounded"):
            window.frame.append(self.expression(OTHER))
        if not (self.take("preceding") or self.take("following")):
            self.fail("PRECEDING or FOLLOWING")

    def order_by(self) -> list[tree.Sort]:
        """Read ``ORDER BY key [ASC|DESC|USING op] [NULLS FIRST|LAST], …``."""
        self.expect("order")
        self.expect("by")
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
            if not self.take(","):
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
        self.i += 1
        self.expect("from")
        call.arguments.append(self.expression())

    def _position(self, call: tree.Call) -> None:
        call.arguments.append(self.expression(OTHER))
        if not self.take("in"):
            self.expect(",")
        call.arguments.append(self.expression())

    def _words_between(self, call: tree.Call) -> None:
        call.arguments.append(self.expression())
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
            call.arguments += self.expression_list()

    def _normalize(self, call: tree.Call) -> None:
        call.arguments.append(self.expression())
        if self.take(","):
            self.i += 1

    _SYNTAX: ClassVar[dict[str, Callable[["CallParser", tree.Call], None]]] = {
        "extract": _extract,
        "position": _position,
        "substring": _words_between,
        "overlay": _words_between,
        "trim": _trim,
        "normalize": _normalize,
    }

    # --- types ---------------------------------------------------------------------------------------

    def type_name(self) -> str:
        """Read a type; returns its name without schema, modifiers and array bounds, in one spelling."""
        self.take("setof")
        words = [self.name("a type")]
        while self.take("."):
            words = [self.name("a type")]
        first = words[0]
        if first == "national" and self.keys[self.i] in ("character", "char"):
            words.append(self.name())
        if self.keys[self.i] == "precision" or self.keys[self.i] == "varying":
            words.append(self.name())
        if self.keys[self.i] == "(":
            self.skip_parentheses()
        if first in ("timestamp", "time") and self.keys[self.i] in ("with", "without"):
            if self.peek() == "time" and self.peek(2) == "zone":
                words += [self.keys[self.i], "time", "zone"]
                self.i += 3
        if first == "interval":
            self.interval_fields()
        if self.keys[self.i] == "%":
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

    def interval_fields(self) -> None:
        """Step over ``DAY TO SECOND(3)``."""
        if self.keys[self.i] in _INTERVAL_FIELDS:
            self.i += 1
            if self.keys[self.i] == "to" and self.peek() in _INTERVAL_FIELDS:
                self.i += 2
            if self.keys[self.i] == "(" and self.kinds[self.i + 1] == NUMBER:
                self.skip_parentheses()
