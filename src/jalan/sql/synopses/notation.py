"""The notation of manuals for what commands look like: ``DROP TABLE [ IF EXISTS ] name [, ...] [ CASCADE ]``.

Optional parts stand in brackets, alternatives in braces, ``[, ...]`` repeats what stands before it, words in
capitals are themselves, and the others are names of parts.
"""

import re
from dataclasses import dataclass, field
from functools import cache
from importlib.resources import files

_TOKENS = re.compile(r"'[^']*'|\.\.\.|[\[\]{}|(),=*;.:+-]|\w+")


@dataclass(slots=True, eq=False)
class Form:
    """A piece of a synopsis. kind: word, part, string, mark, sequence, choice, optional or repeat (with the word
    that separates, empty for none)."""

    kind: str
    text: str = ""
    inner: list["Form"] = field(default_factory=list)
    first: frozenset[str] | None = None  # the words and marks that it can begin with; None: others, too
    empty: bool = False  # whether nothing may stand for it


Heading = tuple[str, ...]
_EVERYWHERE = ("everywhere",)


@dataclass(slots=True, eq=False)
class Synopses:
    """The commands of a dialect: first words → forms, and the parts that they are made of, those under "everywhere"
    too. All as text for ``parse_form``: few of them are ever asked for."""

    commands: dict[Heading, list[str]]
    parts: dict[Heading, dict[str, list[str]]]
    by_word: dict[str, list[Heading]]  # the headings by their first word


@cache
def synopses(dialect: str) -> Synopses:
    """Return what the manual of a dialect shows. Raises FileNotFoundError where there is no such file."""
    commands: dict[Heading, list[str]] = {}
    parts: dict[Heading, dict[str, list[str]]] = {}
    by_word: dict[str, list[Heading]] = {}
    text = files("jalan.sql.dialects").joinpath(f"{dialect}_commands.txt").read_text()
    heading: Heading = ()
    for line in text.splitlines():
        name, assigned, form = line.partition(" := ")
        if line.startswith("## "):
            heading = tuple(line[3:].lower().split())
            parts[heading] = {}
            if heading != _EVERYWHERE:
                commands[heading] = []
                by_word.setdefault(heading[0], []).append(heading)
        elif assigned and heading:
            parts[heading].setdefault(name, []).append(form)
        elif line and heading:
            commands[heading].append(line)
    for heading in commands:
        parts[heading] = {**parts[_EVERYWHERE], **parts[heading]}
    return Synopses(commands, parts, by_word)


@cache
def parse_form(text: str) -> Form:
    """Read a synopsis; each once.

    >>> node = parse_form("DROP VIEW [ IF EXISTS ] name [, ...]")
    >>> [(part.kind, part.text) for part in node.inner]
    [('word', 'drop'), ('word', 'view'), ('optional', ''), ('repeat', ',')]
    """
    tokens = _TOKENS.findall(text)
    node, end = _choice(tokens, 0, "")
    assert end == len(tokens), text
    _settle(node)
    return node


def _settle(node: Form) -> None:
    """Note of a piece and all inside what it can begin with."""
    for inner in node.inner:
        _settle(inner)
    if node.kind in ("word", "mark"):
        node.first = frozenset((node.text,))
    elif node.kind == "sequence":
        leading: list[Form] = []
        for inner in node.inner:
            leading.append(inner)
            if not inner.empty:
                break
        node.first = _union(leading)
        node.empty = all(inner.empty for inner in node.inner)
    elif node.inner:
        node.first = _union(node.inner)
        node.empty = node.kind == "optional" or any(inner.empty for inner in node.inner)


def _union(nodes: list[Form]) -> frozenset[str] | None:
    sets = [node.first for node in nodes if node.first is not None]
    return frozenset().union(*sets) if len(sets) == len(nodes) else None


def _choice(tokens: list[str], i: int, closing: str) -> tuple[Form, int]:
    branches: list[list[Form]] = [[]]
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
            branch[start:] = [Form("repeat", separator, [Form("sequence", "", branch[start:])])]
        elif token == "...":
            branch[-1:] = [Form("repeat", "", branch[-1:])]
            i += 1
        elif token in "[{":
            inner, i = _choice(tokens, i + 1, "]" if token == "[" else "}")
            branch.append(Form("optional", "", [inner]) if token == "[" else inner)
            i += 1
        else:
            branch.append(_leaf(token))
            if token == "(":
                group.append(len(branch))
            elif token == ")" and len(group) > 1:
                group.pop()
            i += 1
    made = [Form("sequence", "", branch) for branch in branches]
    return (made[0] if len(made) == 1 else Form("choice", "", made)), i


def _repeats(tokens: list[str], i: int) -> bool:
    return tokens[i + 1] == "..." or (tokens[i + 2 : i + 4] == ["...", "]"])


def _unit(branch: list[Form], opened: int, closing: str) -> int:
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


def _opening(branch: list[Form], closing: int) -> int:
    depth = 0
    for i in range(closing, -1, -1):
        depth += (branch[i].text == ")") - (branch[i].text == "(")
        if depth == 0:
            return i
    return 0


def _begins_with_if(node: Form) -> bool:
    while node.inner:
        node = node.inner[0]
    return node.text == "if"


def _leaf(token: str) -> Form:
    if token[0] == "'":
        return Form("string", token)
    if token[0].isalpha() and token.upper() == token:
        return Form("word", token.lower())
    if token[0].isalpha() or token[0] == "_":
        return Form("part", token)
    return Form("mark", token)
