"""Jinja's sandbox with a bound on what a template may cost while it is filled in: steps, sizes, and depth.

A template comes from a file of anybody's. What it computes is weighed before it is computed: a value weighs as much
as its characters and members, those of members included, and all that is weighed is paid from one purse.
"""

from collections.abc import Callable, Iterator, Mapping
from functools import wraps
from itertools import islice
from typing import Any

from jinja2 import Template, Undefined, nodes
from jinja2.sandbox import ImmutableSandboxedEnvironment
from jinja2.visitor import NodeTransformer

LARGEST = 10_000_000  # characters of one value, and of all that is put out
_STEPS = 200_000
_PER_STEP = 1_000  # characters that count as one step
_MEMBER = 50  # characters that a member of a list weighs as much as, besides what it weighs itself
_BITS = 2_000  # of a whole number
_LEFT_OUT = frozenset({"lipsum", "urlize", "pprint", "xmlattr", "filesizeformat"})
_GROWING = frozenset(
    "center ljust rjust zfill join replace indent wordwrap expandtabs format translate truncate batch slice".split()
)
_STEP, _CONCAT = "jalan_step", "jalan_concat"


class Sandbox(ImmutableSandboxedEnvironment):
    """An environment in which one template is filled in. Raises OverflowError for what costs too much."""

    intercepted_binops = frozenset({"+", "*", "**", "%"})

    def __init__(self, undefined: type[Undefined]) -> None:
        super().__init__(
            undefined=undefined, keep_trailing_newline=True, autoescape=False, optimized=False, finalize=self._shown
        )
        self._left = _STEPS
        self.filters = {n: self._weighed(n, f) for n, f in self.filters.items() if n not in _LEFT_OUT}
        self.globals = {n: value for n, value in self.globals.items() if n not in _LEFT_OUT}
        self.globals |= {_STEP: self._step, _CONCAT: self._concat}

    def spend(self, *values: object) -> int:
        """Pay for using these values; returns what they weigh together."""
        found = sum(_weight(value, LARGEST) for value in values)
        self._left -= 1 + found // _PER_STEP
        if found > LARGEST:
            raise OverflowError("a value would be too large")
        if self._left < 0:
            raise OverflowError("it takes too many steps")
        return found

    def fill(self, text: str, values: Mapping[str, Any]) -> str:
        """Return a template filled in."""
        tree = _Counted().visit(self.parse(text))
        template = self.template_class.from_code(self, self.compile(tree), self.make_globals(None))
        return self._put_out(template, values)

    def _put_out(self, template: Template, values: Mapping[str, Any]) -> str:
        parts, size = [], 0
        for part in template.generate(values):
            parts.append(part)
            size += len(part)
            if size > LARGEST:
                raise OverflowError("the result would be too large")
        return "".join(parts)

    def call_binop(self, context: Any, operator: str, left: Any, right: Any) -> Any:
        """Compute what may blow up, if it does not."""
        weight = self.spend(left, right)
        if isinstance(left, int) and isinstance(right, int):
            bits = left.bit_length() * max(right, 1) if operator == "**" else left.bit_length() + right.bit_length()
            if bits > _BITS:
                raise OverflowError("a number would be too large")
        elif operator == "*":
            for many, times in ((left, right), (right, left)):
                if isinstance(times, int) and _weight(many, LARGEST) * times > LARGEST:
                    raise OverflowError("a value would be too large")
        elif operator == "%" and isinstance(left, str):
            self._check_format(left, weight)
        return super().call_binop(context, operator, left, right)

    def call(self, context: Any, called: Any, /, *arguments: Any, **named: Any) -> Any:
        """Call something, if what it is given is not too large."""
        self.spend(*arguments, *named.values())
        owner = getattr(called, "__self__", None)
        if isinstance(owner, str):
            self._check_growth(getattr(called, "__name__", ""), (owner, *arguments, *named.values()))
        found = super().call(context, called, *arguments, **named)
        self.spend(found)
        return found

    def wrap_str_format(self, value: Any) -> Callable[..., str] | None:
        """Return what stands for a text's own ``format``."""
        found = super().wrap_str_format(value)
        if found is None:
            return None

        def wrapped(*arguments: Any, **named: Any) -> str:
            self._check_growth("format", (value.__self__, *arguments, *named.values()))
            return str(found(*arguments, **named))

        return wrapped

    def _weighed(self, name: str, function: Callable[..., Any]) -> Callable[..., Any]:
        @wraps(function)
        def weighed(*arguments: Any, **named: Any) -> Any:
            if name in _GROWING:  # how much it is can only be told of what is there
                arguments = tuple(list(islice(a, LARGEST)) if isinstance(a, Iterator) else a for a in arguments)
            given = (*arguments, *named.values())
            self.spend(*given)
            self._check_growth(name, given)
            found = function(*arguments, **named)
            self.spend(found)
            return found

        return weighed

    def _check_growth(self, name: str, given: tuple[Any, ...]) -> None:
        """Refuse what could make much of little: each argument may multiply the first."""
        if name not in _GROWING:
            return
        size = 1
        for value in given:
            times = abs(value) if isinstance(value, int) else _weight(value, LARGEST)
            size *= max(1, times)
        if size > LARGEST:
            raise OverflowError("a text would be too large")
        for value in given:
            if name == "format" and isinstance(value, str):
                self._check_format(value, size)

    @staticmethod
    def _check_format(pattern: str, weight: int) -> None:
        number = ""
        for character in f"{pattern} ":
            if character.isdigit():
                number += character
                if len(number) > 5:
                    raise OverflowError("a text would be too large")
            else:
                number = ""
        if weight * len(pattern) > LARGEST or "*" in pattern:
            raise OverflowError("a text would be too large")

    def _shown(self, value: Any) -> Any:
        self.spend(value)
        return value

    def _step(self) -> str:
        self.spend()
        return ""

    def _concat(self, *parts: Any) -> str:
        self.spend(*parts)
        return "".join(map(str, parts))


class _Counted(NodeTransformer):
    """Lets each turn of a loop count as a step, and each ``~`` be weighed."""

    def visit_For(self, node: nodes.For) -> nodes.For:  # noqa: N802  (the library's names)
        self.generic_visit(node)
        node.body.insert(0, nodes.Output([_call(_STEP, [], node.lineno)], lineno=node.lineno))
        return node

    def visit_Concat(self, node: nodes.Concat) -> nodes.Call:  # noqa: N802
        self.generic_visit(node)
        return _call(_CONCAT, node.nodes, node.lineno)


def _call(name: str, arguments: list[nodes.Expr], line: int) -> nodes.Call:
    return nodes.Call(nodes.Name(name, "load", lineno=line), arguments, [], None, None, lineno=line)


def _weight(value: object, most: int) -> int:
    """Return how many characters a value has, or as many as its members weigh; it stops beyond ``most``."""
    found = 0
    waiting = [value]
    while waiting and found <= most:
        one = waiting.pop()
        if isinstance(one, str | bytes | range):
            found += len(one)
        elif isinstance(one, bool | float) or one is None:
            found += 1
        elif isinstance(one, int):
            found += 1 + one.bit_length() // 4
        elif isinstance(one, list | tuple | set | frozenset):
            found += len(one) * _MEMBER
            waiting += one
        elif isinstance(one, dict):
            found += len(one) * _MEMBER
            waiting += one.keys()
            waiting += one.values()
        else:
            found += 1
    return found
