"""Statements held against the synopses of a manual: ``DROP TABLE [ IF EXISTS ] name [, ...] [ CASCADE ]``.

The grammar reads of a command what moves data and steps over the rest; whether the rest is what the database would
read, the manual's own notation says. Optional parts stand in brackets, alternatives in braces, ``[, ...]`` repeats
what stands before it, words in capitals are themselves, and the others are names of parts.
"""

import re
from collections.abc import Iterable
from dataclasses import dataclass, field
from functools import cache
from importlib.resources import files

from jalan.sql.cursor import Cursor, SqlSyntaxError
from jalan.sql.lexer import NUMBER, OPERATOR, PARAMETER, QUOTED, STRING, WORD

_TOKENS = re.compile(r"'[^']*'|\.\.\.|[\[\]{}|(),=*;.:+-]|\w+")
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


@dataclass(slots=True, eq=False)
class Node:
    """A piece of a synopsis. kind: word, part, string, mark, sequence, choice, optional or repeat (with the word
    that separates, empty for none)."""

    kind: str
    text: str = ""
    inner: list["Node"] = field(default_factory=list)
    first: frozenset[str] | None = None  # the words and marks that it can begin with; None: others, too
    empty: bool = False  # whether nothing may stand for it


@dataclass(slots=True, eq=False)
class Synopses:
    """The commands of a dialect: first words → forms, and the parts that they are made of."""

    commands: dict[tuple[str, ...], list[Node]]
    parts: dict[tuple[str, ...], dict[str, list[Node]]]
    by_word: dict[str, list[tuple[str, ...]]]  # the headings by their first word


@cache
def synopses(dialect: str) -> Synopses:
    """Return what the manual of a dialect shows; nothing where there is no such file."""
    found = Synopses({}, {}, {})
    text = files("jalan.sql.dialects").joinpath(f"{dialect}_commands.txt").read_text()
    heading: tuple[str, ...] = ()
    for line in text.splitlines():
        if line.startswith("## "):
            heading = tuple(line[3:].lower().split())
            if heading != ("everywhere",):
                found.commands.setdefault(heading, [])
                found.by_word.setdefault(heading[0], []).append(heading)
        elif line and not line.startswith("#"):
            name, assigned, form = line.partition(" := ")
            if assigned:
                found.parts.setdefault(heading, {}).setdefault(name, []).append(parse_form(form))
            else:
                found.commands[heading].append(parse_form(line))
    return found


def parse_form(text: str) -> Node:
    """Read a synopsis.

    >>> node = parse_form("DROP VIEW [ IF EXISTS ] name [, ...]")
    >>> [(part.kind, part.text) for part in node.inner]
    [('word', 'drop'), ('word', 'view'), ('optional', ''), ('repeat', ',')]
    """
    tokens = _TOKENS.findall(text)
    node, end = _choice(tokens, 0, "")
    assert end == len(tokens), text
    _settle(node)
    return node


def _settle(node: Node) -> None:
    """Note of a piece and all inside what it can begin with."""
    for inner in node.inner:
        _settle(inner)
    if node.kind in ("word", "mark"):
        node.first = frozenset((node.text,))
    elif node.kind == "sequence":
        leading: list[Node] = []
        for inner in node.inner:
            leading.append(inner)
            if not inner.empty:
                break
        node.first = _union(leading)
        node.empty = all(inner.empty for inner in node.inner)
    elif node.inner:
        node.first = _union(node.inner)
        node.empty = node.kind == "optional" or any(inner.empty for inner in node.inner)


def _union(nodes: list[Node]) -> frozenset[str] | None:
    sets = [node.first for node in nodes if node.first is not None]
    return frozenset().union(*sets) if len(sets) == len(nodes) else None


def _choice(tokens: list[str], i: int, closing: str) -> tuple[Node, int]:
    branches: list[list[Node]] = [[]]
    group = [0]  # where the innermost "(" of the branch was opened
    while i < len(tokens) and (tokens[i] != closing or not closing):
        token = tokens[i]
        branch = branches[-1]
        if token == "|":
            branches.append([])
            group = [0]
            i += 1
        elif token == "[" and _repeats(tokens, i):
            separator = tokens[i + 1].lower() if tokens[i + 1] != "..." else ""
            i = tokens.index("]", i) + 1
            start = _unit(branch, group[-1], closing)
            branch[start:] = [Node("repeat", separator, [Node("sequence", "", branch[start:])])]
        elif token == "...":
            branch[-1:] = [Node("repeat", "", branch[-1:])]
            i += 1
        elif token in "[{":
            inner, i = _choice(tokens, i + 1, "]" if token == "[" else "}")
            branch.append(Node("optional", "", [inner]) if token == "[" else inner)
            i += 1
        else:
            branch.append(_leaf(token))
            if token == "(":
                group.append(len(branch))
            elif token == ")" and len(group) > 1:
                group.pop()
            i += 1
    made = [Node("sequence", "", branch) for branch in branches]
    return (made[0] if len(made) == 1 else Node("choice", "", made)), i


def _repeats(tokens: list[str], i: int) -> bool:
    return tokens[i + 1] == "..." or (tokens[i + 2 : i + 4] == ["...", "]"])


def _unit(branch: list[Node], opened: int, closing: str) -> int:
    """Where what ``[, ...]`` repeats begins: all since the parenthesis or bracket, else the last thing that must be
    there with what may stand around it."""
    inside = opened > 0 or (closing == "]" and bool(branch) and branch[0].kind != "word")
    if inside:
        return opened
    i = len(branch) - 1
    while i > 0 and branch[i].kind == "optional":
        i -= 1
    if branch[i].text == ")":
        i = _opening(branch, i) - 1
    while i > 0 and branch[i - 1].kind == "optional" and not _begins_with_if(branch[i - 1]):
        i -= 1
    return max(i, 0)


def _opening(branch: list[Node], closing: int) -> int:
    depth = 0
    for i in range(closing, -1, -1):
        depth += (branch[i].text == ")") - (branch[i].text == "(")
        if depth == 0:
            return i
    return 0


def _begins_with_if(node: Node) -> bool:
    while node.inner:
        node = node.inner[0]
    return node.text == "if"


def _leaf(token: str) -> Node:
    if token[0] == "'":
        return Node("string", token)
    if token[0].isalpha() and token.upper() == token:
        return Node("word", token.lower())
    if token[0].isalpha() or token[0] == "_":
        return Node("part", token)
    return Node("mark", token)


class Checker:
    """Holds the tokens of one statement against the forms of its command. ``parser`` reads the expressions, queries
    and types in it."""

    def __init__(self, parser: Cursor, end: int, known: Synopses) -> None:
        self._parser = parser
        self._end = end
        self._known = known
        self._heading: tuple[str, ...] = ()
        self._furthest = 0
        self._expected: dict[str, None] = {}
        self._seen: dict[tuple[int, int], frozenset[int]] = {}
        self._explaining = False

    def problem(self, first: int) -> tuple[str, int] | None:
        """Return what is wrong with the statement at token ``first``: what is expected, and the token that is there
        instead. None if nothing is, or if the manual does not know the command."""
        keys = self._parser.keys
        words = tuple(keys[i] for i in range(first, min(first + _MOST_WORDS, self._end)))
        headings = self._known.by_word.get(words[0], [])
        rest = [word for word in words[1:] if word not in _FILLERS]
        near = (*words[1:2], *rest[:1])
        named = [
            heading
            for heading in headings
            if len(heading) == 1 or (heading[1] in near and _may_begin(heading[1:], words[1:], rest))
        ]
        candidates = [(heading, form) for heading in named for form in self._known.commands[heading]]
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

    def _is_one_of(self, candidates: list[tuple[tuple[str, ...], Node]], first: int) -> bool:
        for heading, form in candidates:
            self._heading = heading
            self._seen = {}
            if self._end in self._match(form, first):
                return True
        return False

    # --- matching: every place where a node that begins at a token may end ----------------------------

    def _match(self, node: Node, at: int) -> frozenset[int]:
        if not self._explaining and node.first is not None and self._parser.keys[at] not in node.first:
            return frozenset((at,)) if node.empty else _NOWHERE
        key = (id(node), at)
        found = self._seen.get(key)
        if found is None:
            self._seen[key] = frozenset()  # a part that begins with itself
            found = self._seen[key] = frozenset(self._ends(node, at))
        return found

    def _ends(self, node: Node, at: int) -> Iterable[int]:
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

    def _repeated(self, node: Node, at: int) -> set[int]:
        once = node.inner[0]
        found: set[int] = set()
        places = set(self._match(once, at))
        while places - found:
            found |= places
            following: set[int] = set()
            for place in places:
                if not node.text:
                    following |= self._match(once, place)
                elif self._parser.keys[place] == node.text and place < self._end:
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

    def _leaf_end(self, node: Node, at: int) -> int | None:
        if at >= self._end:
            self._missed(at, f"“{node.text.upper()}”" if node.kind != "string" else "a string")
            return None
        if node.kind == "string":
            if self._parser.kinds[at] in (STRING, PARAMETER):
                at += 1
                while at < self._end and self._parser.kinds[at] == STRING:
                    at += 1
                return at
            self._missed(at, "a string")
            return None
        if self._parser.keys[at] == node.text and self._parser.kinds[at] != QUOTED:
            return at + 1
        self._missed(at, f"“{node.text.upper()}”")
        return None

    def _part(self, name: str, at: int) -> int | frozenset[int] | None:
        defined = self._known.parts.get(self._heading, {}).get(name)
        if defined is None:
            defined = self._known.parts.get(("everywhere",), {}).get(name)
        if defined is not None:
            return frozenset(end for form in defined for end in self._match(form, at))
        if at >= self._end:
            self._missed(at, _called(name))
            return None
        end = self._undefined(name, at)
        if end is None:
            self._missed(at, _called(name))
        return end

    def _undefined(self, name: str, at: int) -> int | None:
        if name in _EXPRESSIONS:
            return self._read("expression", at)
        if name in _TYPES:
            return self._read("type_name", at)
        if name in _QUERIES:
            return self._read("query", at)
        if name in _STATEMENTS:
            return self._read("statement", at)
        if name == "atomic_body":
            return self._end if self._parser.keys[self._end - 1] == "end" else None
        if name in _NUMBERS:
            signed = at + (self._parser.keys[at] in ("-", "+"))
            return signed + 1 if self._parser.kinds[signed] in (NUMBER, PARAMETER) else None
        if name in _NAMES or name.endswith(("name", "table", "function", "schema")):
            return self._name(at, strict=True)
        if name in ("operator", "com_op", "neg_op", "sort_operator"):
            return self._name(at, strict=False)
        return self._loose(at)

    def _read(self, method: str, at: int) -> int | None:
        """Let the parser read something here."""
        parser = self._parser
        before = parser.i
        parser.i = at
        try:
            getattr(parser, method)()
            return parser.i if parser.i <= self._end else None
        except SqlSyntaxError as error:
            if error.code == "too_deep":
                raise
            self._missed(max(at, parser.i), "")
            return None
        finally:
            parser.i = before

    def _name(self, at: int, strict: bool) -> int | None:
        """A name of one or more parts; in commands about operators also one of signs."""
        parser = self._parser
        kinds, keys = parser.kinds, parser.keys
        signs = not strict or "operator" in self._heading
        while True:
            if kinds[at] == OPERATOR and signs and keys[at] not in _PUNCTUATION:
                return self._signs(at)
            if kinds[at] not in (WORD, QUOTED) or (
                strict and kinds[at] == WORD and keys[at] in parser.reserved_words
            ):
                return None
            at += 1
            if keys[at] != "." or at >= self._end:
                return at
            at += 1
            strict = False

    def _loose(self, at: int) -> int | None:
        """A value, a word or a name: more is not known of this part."""
        kinds, keys = self._parser.kinds, self._parser.keys
        if keys[at] in ("-", "+") and kinds[at + 1] == NUMBER:
            return at + 2
        if kinds[at] in (STRING, NUMBER, PARAMETER):
            return at + 1
        if kinds[at] == OPERATOR and keys[at] not in _PUNCTUATION:
            return self._signs(at)
        return self._name(at, strict=False)

    def _signs(self, at: int) -> int:
        """An operator of signs of which the last may be a placeholder's."""
        parser = self._parser
        at += 1
        while at < self._end and parser.starts[at] == parser.ends[at - 1] and parser.keys[at] in ("?", "%", "@"):
            at += 1
        return at


_NOWHERE: frozenset[int] = frozenset()
_PUNCTUATION = frozenset("()[]{},;.:")
# Words that stand between CREATE and what is created.
_FILLERS = frozenset(
    """
    or replace temp temporary unlogged global local unique trusted procedural constraint recursive default
    """.split()
)


def _may_begin(heading: tuple[str, ...], words: tuple[str, ...], rest: list[str]) -> bool:
    """Whether a command may have this heading. rest: its words without those that only may stand between."""
    return tuple(rest[: len(heading)]) == heading or words[: len(heading)] == heading


def _called(name: str) -> str:
    words = name.replace("_", " ")
    return f"{'an' if words[0] in 'aeiou' else 'a'} {words}"
