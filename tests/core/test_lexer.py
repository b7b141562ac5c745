"""Text to tokens."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jalan.sql.dialects import DIALECTS, UnknownDialect, get_dialect
from jalan.sql.dialects.dialect import Folding
from jalan.sql.lexer import INVALID, NUMBER, OPERATOR, PARAMETER, QUOTED, STRING, WORD, Lexer, identifier
from tests.core.spaces import needed

LEXER = Lexer(get_dialect("postgresql"))


@pytest.mark.parametrize(
    ("text", "kinds"),
    [
        ("fare", [WORD]),
        ('"Port Id"', [QUOTED]),
        ("'it''s'", [STRING]),
        (r"E'a\'b'", [STRING]),
        ("U&'d\\0061'", [STRING]),
        ("b'101'", [STRING]),
        ("$$ a; b $$", [STRING]),
        ("$fog$ $$ $fog$", [STRING]),
        ("1.5e-3", [NUMBER]),
        (".5", [NUMBER]),
        ("0xFF", [NUMBER]),
        ("$1", [PARAMETER]),
        (":port", [PARAMETER]),
        ("a::int", [WORD, OPERATOR, WORD]),
        ("a->>'b'", [WORD, OPERATOR, STRING]),
        ("a[1:2]", [WORD, OPERATOR, NUMBER, OPERATOR, NUMBER, OPERATOR]),
        ("x.y", [WORD, OPERATOR, WORD]),
        ("größe", [WORD]),
        ("''''", [STRING]),
        ("'''a'''", [STRING]),
        ("'''", [INVALID]),
        ("'''a''", [INVALID]),
        (r"E'\'", [INVALID]),
        ("'open", [INVALID]),
        ('"open', [INVALID]),
        ("$q$ open", [STRING]),
    ],
)
def test_a_text_has_these_tokens(text: str, kinds: list[int]) -> None:
    assert list(LEXER.read(text).kinds[:-1]) == kinds


@pytest.mark.parametrize(
    ("text", "operators"),
    [("a=-1", ["=", "-"]), ("a*-1", ["*", "-"]), ("a@-1", ["@-"]), ("a<>-b", ["<>", "-"]), ("a=>b", ["=>"])],
)
def test_an_operator_ends_where_postgresql_ends_it(text: str, operators: list[str]) -> None:
    tokens = LEXER.read(text)
    assert [key for key, kind in zip(tokens.keys, tokens.kinds, strict=True) if kind == OPERATOR] == operators


@pytest.mark.parametrize("comment", ["-- to the end", "/* a /* nested */ one */", "/* never closed"])
def test_comments_are_left_out(comment: str) -> None:
    assert LEXER.read(f"fare {comment}").keys == ["fare", ""]


def test_offsets_are_those_of_the_text() -> None:
    text = "select  /* x */ fare\n from\ttickets "
    tokens = LEXER.read(text)
    assert [tokens.written(i) for i in range(4)] == ["select", "fare", "from", "tickets"]
    assert (tokens.starts[-1], tokens.ends[-1], len(tokens.keys)) == (len(text), len(text), 5)


@given(st.text(alphabet="ab1'\"$;/*-+<=>@:.()[]\\\n {}%éé\x00"))
def test_any_text_is_read_without_loss(text: str) -> None:
    tokens = LEXER.read(text)
    assert tokens.starts == sorted(tokens.starts)
    assert tokens.starts[-1] == tokens.ends[-1] == len(text)
    assert len(tokens.kinds) == len(tokens.keys) == len(tokens.starts) == len(tokens.ends)
    for i in range(len(tokens.kinds) - 1):
        assert tokens.starts[i] < tokens.ends[i] <= tokens.starts[i + 1]
        assert tokens.written(i).strip()


@pytest.mark.parametrize(
    ("text", "kind", "name"),
    [("Fare", WORD, "fare"), ('"Fa""re"', QUOTED, 'Fa"re'), ('U&"f\\0061re"', QUOTED, "fare")],
)
def test_an_identifier_is_folded_and_unquoted(text: str, kind: int, name: str) -> None:
    assert identifier(text, kind, Folding.LOWER) == name


def test_an_unknown_dialect_is_named_with_the_known_ones() -> None:
    with pytest.raises(UnknownDialect, match=r"'fog'.*postgresql"):
        get_dialect("fog")


@pytest.mark.parametrize(
    ("name", "text", "kinds"),
    [
        ("bigquery", '"""a "b" c"""', [STRING]),
        ("bigquery", r"r'a\\d'", [STRING]),
        ("bigquery", "''''''", [STRING]),
        ("bigquery", "'''a", [INVALID]),
        ("mysql", r"'a\'b'", [STRING]),
        ("mysql", r"'a\'", [INVALID]),
        ("mysql", "a -- b\n# c\n+ d", [WORD, OPERATOR, WORD]),
        ("mysql", "a /*!50001 b */ c", [WORD, WORD, WORD]),
        ("oracle", "q'[it's]' q'!a'b!'", [STRING, STRING]),
        ("tsql", "[a b] #t @v N'x'", [QUOTED, WORD, WORD, STRING]),
        ("sqlite", "[a] `b` ?1 :c @d $e", [QUOTED, QUOTED, PARAMETER, PARAMETER, PARAMETER, PARAMETER]),
        ("snowflake", "a // b\n, $1, v:x", [WORD, OPERATOR, PARAMETER, OPERATOR, WORD, OPERATOR, WORD]),
        ("postgresql", "{{ a }} ${b} x_{{ c }}_y {% d %} {# e #}", [QUOTED, QUOTED, QUOTED]),
        ("duckdb", "{'a': 1}", [OPERATOR, STRING, OPERATOR, NUMBER, OPERATOR]),
    ],
)
def test_each_dialect_has_tokens_of_its_own(name: str, text: str, kinds: list[int]) -> None:
    assert list(Lexer(get_dialect(name)).read(text).kinds[:-1]) == kinds


_POSTGRES_OPERATORS = """
    + - * / % < > = <= >= <> != || -> ->> #> #>> @> <@ ? ?| ?& ?# && &< &> << >> <-> ~ ~* !~ @@ @? ^ | & # ! <<% %>
""".split()
_PARAMETERS = {
    "ansi": ":p ?", "postgresql": "$1 :p", "mysql": "? @v @@v :p", "sqlite": "? ?1 :p @v $v", "duckdb": "$1 ?",
    "spark": "? :p", "trino": "?", "bigquery": "@p @@p ?", "snowflake": "$1 $v ? :p", "redshift": "$1 :p ?",
    "tsql": "? @v @@v #t", "oracle": ":p &p &&p ?",
}  # fmt: skip


def _samples(name: str) -> list[str]:
    dialect = get_dialect(name)
    quoted = [f"{opening}a b{closing}" for opening, closing in dialect.identifier_quotes]
    strings = ["'a'", "''", *(['"a"'] if '"' in dialect.string_quotes else [])]
    numbers = ["12", "1.5", ".5", "1e3", "1e-3", *(["10L", "2.5D"] if name == "spark" else [])]
    brackets = [] if ("[", "]") in dialect.identifier_quotes else ["[", "]"]
    operators = sorted(dialect.operators) or [
        o for o in _POSTGRES_OPERATORS if name == "postgresql" or o[0] not in "#?@"
    ]
    if name == "oracle":
        operators.remove("&")  # it begins a substitution variable
    words = ["port", "e", "x1", "in", "größe", *(["2x"] if dialect.digit_names else [])]
    return [
        *words,
        *quoted,
        *strings,
        *numbers,
        *"(),;.",
        *brackets,
        *operators,
        *_PARAMETERS.get(name, "").split(),
    ]


@pytest.mark.parametrize("name", DIALECTS)
def test_neighbours_are_read_apart_with_and_without_space(name: str) -> None:
    lexer = Lexer(get_dialect(name))
    samples = _samples(name)
    kinds = {sample: lexer.read(sample).kinds[0] for sample in samples}
    wrong = []
    for first in samples:
        for second in samples:
            least = needed(first, second, kinds[first], kinds[second])
            if second == "." and (name, first[0]) in (("mysql", "@"), ("oracle", "&")):
                continue  # a variable's name may have dots, or end with one
            between = [" ", "\n", " /* ' */ ", " -- '\n", least]
            for space in between:
                tokens = lexer.read(first + space + second)
                written = [tokens.written(i) for i in range(len(tokens.kinds) - 1)]
                if written != [first, second] or tokens.kinds[0] != kinds[first]:
                    wrong.append((first + space + second, written))
    assert wrong == []
