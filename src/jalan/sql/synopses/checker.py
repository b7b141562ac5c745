"""Commands held against the synopses of a manual.

The grammar reads of a command what moves data and steps over the rest; whether the rest is what the database would
read, the manual says.
"""

from collections.abc import Callable, Iterable

from jalan.sql.grammar.assembly import Grammar
from jalan.sql.grammar.token_stream import SqlSyntaxError
from jalan.sql.lexer import NUMBER, OPERATOR, PARAMETER, QUOTED, STRING, WORD
from jalan.sql.synopses.notation import Form, Heading, Synopses, parse_form

_EXPRESSIONS = frozenset(
    """
    expression condition predicate check_expression using_expression default_expr generation_expr
    partition_bound_expr
    """.split()
)
_TYPES = frozenset(
    """
    data_type argtype rettype column_type source_type target_type arg_type argument_type op_type left_type
    right_type
    """.split()
)
_QUERIES = frozenset({"query", "select", "values"})
_STATEMENTS = frozenset({"statement", "command", "insert", "update", "delete", "schema_element"})
_NUMBERS = frozenset(
    """
    number integer count connlimit execution_cost result_rows strategy_number support_number numeric_literal
    large_object_oid loid column_number uid restart
    """.split()
)
# Names of parts that are names of things: no reserved word stands for one.
_NAMES = frozenset(
    """
    collation opclass reftable refcolumn parent_table source_table method index_method handler_function
    attribute_option
    """.split()
)
_MOST_EXPECTED = 4
_MOST_WORDS = 8  # of a command, that are looked at for its heading
_NOWHERE: frozenset[int] = frozenset()
_PUNCTUATION = frozenset("()[]{},;.:")
# Words that stand between CREATE and what is created.
_FILLERS = frozenset(
    """
    or replace temp temporary unlogged global local unique trusted procedural constraint recursive default
    """.split()
)


class Checker:
    """Holds the tokens of one statement against the forms of its command.

    ``grammar`` reads the expressions, queries and types in it."""

    def __init__(self, grammar: Grammar, end: int, known: Synopses) -> None:
        self._grammar = grammar
        self._tokens = grammar.tokens
        self._end = end
        self._known = known
        self._heading: Heading = ()
        self._furthest = 0
        self._expected: dict[str, None] = {}
        self._seen: dict[tuple[int, int], frozenset[int]] = {}
        self._explaining = False

    def problem(self, first: int) -> tuple[str, int] | None:
        """Return what is wrong with the statement at token ``first``: what is expected, and the token that is there
        instead. None if nothing is, or if the manual does not know the command."""
        keys = self._tokens.keys
        words = tuple(keys[i] for i in range(first, min(first + _MOST_WORDS, self._end)))
        headings = self._known.by_word.get(words[0], [])
        rest = [word for word in words[1:] if word not in _FILLERS]
        near = (*words[1:2], *rest[:1])
        named = [
            heading
            for heading in headings
            if len(heading) == 1 or (heading[1] in near and _may_begin(heading[1:], words[1:], rest))
        ]
        candidates = [(heading, parse_form(form)) for heading in named for form in self._known.commands[heading]]
        if not headings or (named and not candidates):
            return None
        if not named:
            second = dict.fromkeys(f"“{heading[1].upper()}”" for heading in headings)
            return " or ".join(list(second)[:_MOST_EXPECTED]), min(first + 1, self._end)
        if self._is_one_of(candidates, first):
            return None
        # What was expected where is only noted where something is wrong: that takes longer.
        self._explaining = True
        self._furthest = first
        self._is_one_of(candidates, first)
        expected = [what for what in self._expected if what][:_MOST_EXPECTED]
        return (" or ".join(expected) or "the end of the statement"), self._furthest

    def _is_one_of(self, candidates: list[tuple[Heading, Form]], first: int) -> bool:
        for heading, form in candidates:
            self._heading = heading
            self._seen = {}
            if self._end in self._match(form, first):
                return True
        return False

    # --- matching: every place where a node that begins at a token may end ----------------------------

    def _match(self, node: Form, at: int) -> frozenset[int]:
        if not self._explaining and node.first is not None and self._tokens.keys[at] not in node.first:
            return frozenset((at,)) if node.empty else _NOWHERE
        key = (id(node), at)
        found = self._seen.get(key)
        if found is None:
            self._seen[key] = frozenset()  # a part that begins with itself
            found = self._seen[key] = frozenset(self._ends(node, at))
        return found

    def _ends(self, node: Form, at: int) -> Iterable[int]:
        kind = node.kind
        if kind == "sequence":
            places = {at}
            for inner in node.inner:
                places = {end for place in places for end in self._match(inner, place)}
                if not places:
                    break
            return places
        if kind == "choice":
            return {end for inner in node.inner for end in self._match(inner, at)}
        if kind == "optional":
            return {at, *self._match(node.inner[0], at)}
        if kind == "repeat":
            return self._repeated(node, at)
        end = self._part(node.text, at) if kind == "part" else self._leaf_end(node, at)
        if isinstance(end, frozenset):
            return end
        return () if end is None else (end,)

    def _repeated(self, node: Form, at: int) -> set[int]:
        once = node.inner[0]
        found: set[int] = set()
        places = set(self._match(once, at))
        while places - found:
            found |= places
            following: set[int] = set()
            for place in places:
                if not node.text:
                    following |= self._match(once, place)
                elif self._tokens.keys[place] == node.text and place < self._end:
                    following |= self._match(once, place + 1)
                else:
                    self._missed(place, f"“{node.text.upper()}”")
            places = following
        return found

    def _missed(self, at: int, expected: str) -> None:
        if not self._explaining:
            return
        if at > self._furthest:
            self._furthest, self._expected = at, {}
        if at == self._furthest:
            self._expected[expected] = None

    def _leaf_end(self, node: Form, at: int) -> int | None:
        if at >= self._end:
            self._missed(at, f"“{node.text.upper()}”" if node.kind != "string" else "a string")
            return None
        if node.kind == "string":
            if self._tokens.kinds[at] in (STRING, PARAMETER):
                at += 1
                while at < self._end and self._tokens.kinds[at] == STRING:
                    at += 1
                return at
            self._missed(at, "a string")
            return None
        if self._tokens.keys[at] == node.text and self._tokens.kinds[at] != QUOTED:
            return at + 1
        self._missed(at, f"“{node.text.upper()}”")
        return None

    def _part(self, name: str, at: int) -> int | frozenset[int] | None:
        defined = self._known.parts[self._heading].get(name)
        if defined is not None:
            return frozenset(end for form in defined for end in self._match(parse_form(form), at))
        if at >= self._end:
            self._missed(at, _called(name))
            return None
        end = self._undefined(name, at)
        if end is None:
            self._missed(at, _called(name))
        return end

    def _undefined(self, name: str, at: int) -> int | None:
        if name in _EXPRESSIONS:
            return self._read(self._grammar.expressions.expression, at)
        if name in _TYPES:
            return self._read(self._grammar.calls.type_name, at)
        if name in _QUERIES:
            return self._read(self._grammar.queries.query, at)
        if name in _STATEMENTS:
            return self._read(self._grammar.statements.statement, at)
        if name == "atomic_body":
            return self._end if self._tokens.keys[self._end - 1] == "end" else None
        if name in _NUMBERS:
            signed = at + (self._tokens.keys[at] in ("-", "+"))
            return signed + 1 if self._tokens.kinds[signed] in (NUMBER, PARAMETER) else None
        if name in _NAMES or name.endswith(("name", "table", "function", "schema")):
            return self._name(at, strict=True)
        if name in ("operator", "com_op", "neg_op", "sort_operator"):
            return self._name(at, strict=False)
        return self._loose(at)

    def _read(self, part: Callable[[], object], at: int) -> int | None:
        """Let a part of the grammar read something here."""
        tokens = self._tokens
        before = tokens.i
        tokens.i = at
        try:
            part()
            return tokens.i if tokens.i <= self._end else None
        except SqlSyntaxError as error:
            if error.code == "too_deep":
                raise
            self._missed(max(at, tokens.i), "")
            return None
        finally:
            tokens.i = before

    def _name(self, at: int, strict: bool) -> int | None:
        """A name of one or more parts; in commands about operators also one of signs."""
        tokens = self._tokens
        kinds, keys = tokens.kinds, tokens.keys
        signs = not strict or "operator" in self._heading
        while True:
            if kinds[at] == OPERATOR and signs and keys[at] not in _PUNCTUATION:
                return self._signs(at)
            if kinds[at] not in (WORD, QUOTED) or (strict and kinds[at] == WORD and keys[at] in tokens.reserved):
                return None
            at += 1
            if keys[at] != "." or at >= self._end:
                return at
            at += 1
            strict = False

    def _loose(self, at: int) -> int | None:
        """A value, a word or a name: more is not known of this part."""
        kinds, keys = self._tokens.kinds, self._tokens.keys
        if keys[at] in ("-", "+") and kinds[at + 1] == NUMBER:
            return at + 2
        if kinds[at] in (STRING, NUMBER, PARAMETER):
            return at + 1
        if kinds[at] == OPERATOR and keys[at] not in _PUNCTUATION:
            return self._signs(at)
        return self._name(at, strict=False)

    def _signs(self, at: int) -> int:
        """An operator of signs of which the last may be a placeholder's."""
        tokens = self._tokens
        at += 1
        while at < self._end and tokens.starts[at] == tokens.ends[at - 1] and tokens.keys[at] in ("?", "%", "@"):
            at += 1
        return at


def _may_begin(heading: Heading, words: tuple[str, ...], rest: list[str]) -> bool:
    """Whether a command may have this heading. rest: its words without those that only may stand between."""
    return tuple(rest[: len(heading)]) == heading or words[: len(heading)] == heading


def _called(name: str) -> str:
    words = name.replace("_", " ")
    return f"{'an' if words[0] in 'aeiou' else 'a'} {words}"
