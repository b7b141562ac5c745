"""Commands held against the synopses of the manual: what may stand where, and what is said otherwise."""

import pytest

from jalan import extract
from jalan.sql.dialects import get_dialect
from jalan.sql.grammar.script import Unread, parse
from jalan.sql.synopses.notation import Form, parse_form, synopses


def kinds(node: Form) -> object:
    """A synopsis as nested lists, to be looked at."""
    if not node.inner:
        return node.text
    return [node.kind + node.text, *(kinds(inner) for inner in node.inner)]


@pytest.mark.parametrize(
    ("form", "tree"),
    [
        ("DROP VIEW name", ["sequence", "drop", "view", "name"]),
        ("A [ B ]", ["sequence", "a", ["optional", ["sequence", "b"]]]),
        ("{ A | b }", ["sequence", ["choice", ["sequence", "a"], ["sequence", "b"]]]),
        ("A b [, ...]", ["sequence", "a", ["repeat,", ["sequence", "b"]]]),
        ("A ( b c [, ...] )", ["sequence", "a", "(", ["repeat,", ["sequence", "b", "c"]], ")"]),
        ("A b ( c ) [, ...]", ["sequence", "a", ["repeat,", ["sequence", "b", "(", "c", ")"]]]),
        ("A e [ OR ... ]", ["sequence", "a", ["repeator", ["sequence", "e"]]]),
        (
            "A [ IF x ] [ ONLY ] b [, ...]",
            [
                "sequence",
                "a",
                ["optional", ["sequence", "if", "x"]],
                ["repeat,", ["sequence", ["optional", ["sequence", "only"]], "b"]],
            ],
        ),
    ],
)
def test_notation(form: str, tree: object) -> None:
    assert kinds(parse_form(form)) == tree


def test_the_file_has_forms_and_parts_of_commands() -> None:
    known = synopses("postgresql")
    assert len(known.commands) > 150
    assert all(heading[0].isalpha() for heading in known.commands)
    assert set(known.parts) <= {*known.commands, ("everywhere",)}
    forms = [form for forms in known.commands.values() for form in forms]
    forms += [form for parts in known.parts.values() for forms in parts.values() for form in forms]
    assert all(parse_form(form).inner for form in forms)


def problem(sql: str) -> tuple[str, str] | None:
    """Message and the text that it points at."""
    for found in parse(sql, get_dialect("postgresql")):
        if isinstance(found, Unread):
            assert found.span is not None
            return found.message, sql[slice(*found.span)]
    return None


@pytest.mark.parametrize(
    ("sql", "message", "at"),
    [
        ("alter table ports rename colum name to title", "expected “TO”, met “name”", "name"),
        ("create index on ports (island desc last)", "expected “NULLS” or “,” or “)”, met “last”", "last"),
        ("drop ports", "expected “ACCESS” or “AGGREGATE” or “CAST” or “COLLATION”, met “ports”", "ports"),
        ("comment on table ports 'x'", "expected “IS”, met “'x'”", "'x'"),
        ("vacuum full ports verbose analyse now", None, "verbose"),
        ("create role clerk login valid until", "expected a string, met the end of the statement", ""),
    ],
)
def test_a_slip_is_shown_where_it_is(sql: str, message: str | None, at: str) -> None:
    found = problem(sql)
    assert found is not None
    assert found[1] == at
    assert message is None or found[0] == message


@pytest.mark.parametrize(
    "sql",
    [
        "alter table {{ table }} {{ action }}",
        "alter table ports {% if wide %} add column a int {% else %} drop column b {% endif %}",
        "drop table %s cascade",
        "grant select on :table to ${role}",
    ],
)
def test_a_text_with_gaps_is_not_held_against_the_manual(sql: str) -> None:
    assert problem(sql + "; select 1") is None or "name of a table" in (problem(sql) or ("", ""))[0]


def test_a_misspelled_command_is_reported_and_still_does_what_was_read() -> None:
    found = extract("create table a (x int) tablespce fast; insert into a select berths from sailings")
    assert [d.code for d in found.diagnostics if d.level == "error"] == ["syntax_error"]
    assert {(link.target, link.output, link.table, link.column) for link in found.links} == {
        ("a", "x", "sailings", "berths")
    }


def test_other_dialects_have_their_own_commands() -> None:
    assert not get_dialect("redshift").synopses
    assert extract("grant select on ports to role clerk", dialect="redshift").diagnostics == []


def test_a_definition_of_many_columns_costs_its_length() -> None:
    columns = ", ".join(f"c{i} numeric(10, 2) default 0 not null check (c{i} > 0)" for i in range(2000))
    assert problem(f"create table wide ({columns})") is None
    assert problem(f"create table wide ({columns}, d int nt null)") is not None
