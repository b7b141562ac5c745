"""The place in the tokens: what the grammar asks there, and what is said where something else stands."""

import threading
from collections.abc import Callable

import pytest

from jalan.sql import tree
from jalan.sql.dialects import get_dialect
from jalan.sql.grammar.assembly import Grammar, grammar_of
from jalan.sql.grammar.script import Unread, parse, statements_of
from jalan.sql.grammar.statements.registry import reader_of, register
from jalan.sql.grammar.token_stream import MAX_DEPTH, SqlSyntaxError, TokenStream
from jalan.sql.lexer import END, tokenize


def stream(text: str, dialect: str = "postgresql") -> TokenStream:
    """Stand on the first token of a text."""
    known = get_dialect(dialect)
    found = TokenStream(known)
    found.load(tokenize(text, known))
    return found


def test_a_token_is_stepped_over_only_if_it_is_the_one() -> None:
    tokens = stream("select port")
    assert not tokens.take("from")
    assert tokens.i == 0
    assert tokens.take("select")
    assert tokens.i == 1


def test_words_are_taken_all_or_none() -> None:
    tokens = stream("if not exists ports")
    assert not tokens.take_words("if", "exists")
    assert tokens.i == 0
    assert not tokens.take_words("not", "exists")
    assert tokens.take_words("if", "not", "exists")
    assert tokens.keys[tokens.i] == "ports"


def test_what_lies_beyond_the_end_is_nothing() -> None:
    tokens = stream("port")
    tokens.i = 1
    assert tokens.kinds[tokens.i] == END
    assert [tokens.peek(n) for n in (1, 5, 500)] == ["", "", ""]
    assert not tokens.take("port")
    assert tokens.written(99) == ""


@pytest.mark.parametrize(
    ("text", "read", "message", "span"),
    [
        ("from", lambda t: t.expect("("), "expected “(”, met “from”", (0, 4)),
        ("(", lambda t: t.expect("select"), "expected “SELECT”, met “(”", (0, 1)),
        ("", lambda t: t.expect(")"), "expected “)”, met the end of the text", (0, 0)),
        ("'tide", lambda t: t.name(), "this string is never closed", (0, 5)),
        ('"tide', lambda t: t.name(), "this quoted name is never closed", (0, 5)),
        ("12", lambda t: t.name("a port"), "expected a port, met “12”", (0, 2)),
        ("select", lambda t: t.qualified("a table"), "expected a table, met “select”", (0, 6)),
        ("a.", lambda t: t.qualified(), "expected a name, met the end of the text", (2, 2)),
        ("(a b)", lambda t: t.names_in_parentheses(), "expected “)”, met “b”", (3, 4)),
        ("(a, (b)", lambda t: t.skip_parentheses(), "expected “)”, met the end of the text", (7, 7)),
        ("x" * 50 + "(", lambda t: t.expect("("), "expected “(”, met “" + "x" * 37 + "…”", (0, 50)),
    ],
)
def test_it_is_said_what_was_expected_and_what_stands_there(
    text: str, read: Callable[[TokenStream], object], message: str, span: tuple[int, int]
) -> None:
    with pytest.raises(SqlSyntaxError) as caught:
        read(stream(text))
    assert (str(caught.value), (caught.value.start, caught.value.end)) == (message, span)


@pytest.mark.parametrize(
    ("dialect", "text", "expected"),
    [
        ("postgresql", "Core.Fares", ("core", "fares")),
        ("postgresql", '"Core".Fares', ("Core", "fares")),
        ("snowflake", "Core.Fares", ("CORE", "FARES")),
        ("snowflake", '"Core".Fares', ("Core", "FARES")),
        ("tsql", "[Core Fares].Port", ("Core Fares", "Port")),
        ("postgresql", 'U&"d\\0061ta"', ("data",)),
        ("postgresql", "U&\"d!0061ta\" uescape '!'", ("data",)),
    ],
)
def test_names_are_folded_as_the_dialect_does(dialect: str, text: str, expected: tuple[str, ...]) -> None:
    tokens = stream(text, dialect)
    assert tokens.qualified() == expected
    assert tokens.kinds[tokens.i] == END


def test_names_stand_between_parentheses_and_pairs_are_stepped_over() -> None:
    tokens = stream("(a, B, c) (x (y) z) end")
    assert tokens.names_in_parentheses() == ["a", "b", "c"]
    tokens.skip_parentheses()
    assert tokens.keys[tokens.i] == "end"
    assert tokens.end_of_last() == len("(a, B, c) (x (y) z)")


@pytest.mark.parametrize(
    ("text", "rest"),
    [
        ("grant select on ports to crew; select 1", ";"),
        ("create function f() begin atomic select 1; select case when a then b end; end; select 2", ";"),
        ("grant", ""),
    ],
)
def test_the_end_of_a_statement_is_that_of_its_body(text: str, rest: str) -> None:
    tokens = stream(text)
    tokens.to_end()
    assert tokens.keys[tokens.i] == rest
    if "atomic" in text:
        assert text[tokens.starts[tokens.i] :] == "; select 2"


def test_nesting_is_bounded() -> None:
    tokens = stream("port")
    for _ in range(MAX_DEPTH):
        tokens.enter()
    with pytest.raises(SqlSyntaxError) as caught:
        tokens.enter()
    assert (caught.value.code, caught.value.start) == ("too_deep", 0)


@pytest.mark.parametrize(
    ("dialect", "text"),
    [
        ("postgresql", "do $$select port from ports$$"),
        ("postgresql", "do $body$select port from ports$body$"),
        ("postgresql", "do 'select ''Brim'' from ports'"),
        ("mysql", r"do 'select \'Brim\' from ports'"),
    ],
)
def test_the_tokens_inside_a_string_have_their_places_in_the_whole(dialect: str, text: str) -> None:
    tokens = stream(text, dialect)
    inside = tokens.inside(1)
    named = [n for n, key in enumerate(inside.keys) if key == "ports"]
    assert [text[inside.starts[n] : inside.ends[n]] for n in named] == ["ports"]
    assert inside.text == text
    strings = [n for n, key in enumerate(inside.keys) if key == "'"]
    assert all("Brim" in text[inside.starts[n] : inside.ends[n]] for n in strings)


def test_a_mark_ends_statements_until_another_one_does() -> None:
    text = "delimiter //\nselect name from crew//\nselect port from ports//\ndelimiter ;\nselect 1;"
    found = list(parse(text, get_dialect("mysql")))
    assert not [node for node in found if isinstance(node, Unread)]
    assert [type(node).__name__ for node in found] == [
        "Recognised",
        "QueryStatement",
        "QueryStatement",
        "Recognised",
        "QueryStatement",
    ]


# --- the grammar is lent and lent again ------------------------------------------------------------------


def test_a_grammar_is_lent_again_as_if_it_were_new() -> None:
    dialect = get_dialect("postgresql")
    with grammar_of(tokenize("begin x := 1", dialect), dialect) as first:
        first.tokens.i, first.tokens.depth, first.tokens.mark = 2, 7, "//"
        first.blocks.enter_block()
        aliases = first.tokens.no_alias
    with grammar_of(tokenize("select 1", dialect), dialect) as again:
        assert again is first
        tokens = again.tokens
        assert (tokens.i, tokens.depth, tokens.in_block, tokens.mark) == (0, 0, 0, "")
        assert tokens.no_alias < aliases
        assert tokens.text == "select 1"


def test_a_grammar_that_was_given_back_holds_no_text() -> None:
    dialect = get_dialect("trino")
    with grammar_of(tokenize("select 1", dialect), dialect) as grammar:
        pass
    assert grammar.tokens.text == ""
    assert grammar.tokens.kinds[0] == END


def test_two_texts_are_read_side_by_side() -> None:
    dialect = get_dialect("postgresql")
    first = statements_of(tokenize("select port from ports; select name from crew", dialect), dialect)
    second = statements_of(tokenize("delete from tides; delete from refunds", dialect), dialect)
    kinds = [type(node) for pair in zip(first, second, strict=True) for node in pair]
    assert kinds == [tree.QueryStatement, tree.Delete] * 2


def test_a_reading_that_is_given_up_in_the_middle_disturbs_no_other() -> None:
    dialect = get_dialect("postgresql")
    for _ in range(10):
        next(parse("select 1; select 2; select 3", dialect))
    assert len(list(parse("select 1; select 2; select 3", dialect))) == 3


def test_threads_read_at_the_same_time() -> None:
    dialect = get_dialect("postgresql")
    text = ";".join(f"select a{n}, b{n} from t{n} where c{n} = {n}" for n in range(200))
    found: list[list[int]] = []

    def read() -> None:
        found.append([node.end for node in parse(text, dialect)])

    threads = [threading.Thread(target=read) for _ in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(found) == 4
    assert all(ends == found[0] and len(ends) == 200 for ends in found)


def test_a_string_is_read_by_a_grammar_of_its_own() -> None:
    grammar = Grammar(get_dialect("postgresql"))
    text = "do $$ select port from ports $$"
    grammar.tokens.load(tokenize(text, grammar.dialect))
    inner = grammar.of_string(1)
    query = inner.queries.query()
    assert text[query.start : query.end] == "select port from ports"
    assert grammar.tokens.i == 0


# --- statements are registered ---------------------------------------------------------------------------


def test_a_word_is_read_by_one_part_alone() -> None:
    with pytest.raises(ValueError, match="more than one part of the grammar reads copy, truncate"):
        register({"truncate": lambda grammar: None, "copy": lambda grammar: None})


@pytest.mark.parametrize(
    "word", ["create", "drop", "copy", "cache", "call", "from", "delimiter", "prepare", "export"]
)
def test_a_word_leads_to_what_reads_it(word: str) -> None:
    assert reader_of(word) is not None


def test_a_word_that_nobody_has_registered_leads_nowhere() -> None:
    assert reader_of("sail") is None


@pytest.mark.parametrize(
    "text", ["copy grants", "load lib", "unload x", "export nothing", "bulk x", "cache x", "prepare p"]
)
def test_a_reader_leaves_the_place_as_it_was_where_another_statement_stands(text: str) -> None:
    dialect = get_dialect("spark")
    with grammar_of(tokenize(text, dialect), dialect) as grammar:
        reader = reader_of(text.split()[0])
        assert reader is not None
        try:
            found = reader(grammar)
        except SqlSyntaxError:
            return
        assert found is not None or grammar.tokens.i == 0
