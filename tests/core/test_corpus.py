"""Each dialect's corpus has the links that are written there, and the document's table is made of them."""

import pytest
from tools.sql_support import table

from jalan import extract
from jalan.sql.dialects import DIALECTS, get_dialect
from jalan.sql.lexer import STRING, Tokens, tokenize
from tests.conftest import ROOT
from tests.core.corpus import CORPUS, TABLES, Case, cases, read, rendered

CASES = [case for dialect in DIALECTS for case in cases(dialect)]


def test_every_dialect_has_a_corpus_of_sixty_statements() -> None:
    assert {path.stem for path in CORPUS.glob("*.sql")} == set(DIALECTS)
    assert {dialect: len(cases(dialect)) for dialect in DIALECTS if len(cases(dialect)) < 60} == {}


@pytest.mark.parametrize("case", CASES, ids=[f"{c.dialect}:{c.line}:{c.feature}" for c in CASES])
def test_a_statement_has_the_links_that_are_written_down(case: Case) -> None:
    assert rendered(read(case)) == case.expected


@pytest.mark.parametrize("case", CASES, ids=[f"{c.dialect}:{c.line}:{c.feature}" for c in CASES])
def test_without_known_tables_nothing_is_a_syntax_error_and_every_span_lies_in_the_text(case: Case) -> None:
    found = extract(case.sql, dialect=case.dialect)
    assert [d.message for d in found.diagnostics if d.code == "syntax_error"] == []
    for link in found.links:
        for start, end in link.spans:
            assert 0 <= start <= end <= len(case.sql)
    for source in (s for statement in found.statements for o in statement.outputs for s in o.values):
        start, end = source.span
        assert start < end


@pytest.mark.parametrize("case", CASES, ids=[f"{c.dialect}:{c.line}:{c.feature}" for c in CASES])
def test_whatever_has_a_place_begins_and_ends_with_a_token(case: Case) -> None:
    tokens = tokenize(case.sql, get_dialect(case.dialect))
    strings = [span for span, kind in zip(_spans_of(tokens), tokens.kinds, strict=True) if kind == STRING]
    starts, ends = set(tokens.starts), {*tokens.ends, len(case.sql)}

    def in_string(offset: int) -> bool:  # text that is put together has places inside constants
        return any(start < offset <= end for start, end in strings)

    found = read(case)
    places = [d.span for d in found.diagnostics] + [span for link in found.links for span in link.spans]
    for statement in found.statements:
        places.append(statement.span)
        places += [span for source in statement.row_conditions for span in source.spans]
        for output in statement.outputs:
            places.append(output.span)
            places += [span for source in (*output.values, *output.conditions) for span in source.spans]
    assert [
        case.sql[start:end]
        for start, end in places
        if not (in_string(start) and in_string(end)) and (start not in starts or (start != end and end not in ends))
    ] == []


def _spans_of(tokens: Tokens) -> list[tuple[int, int]]:
    return list(zip(tokens.starts, tokens.ends, strict=True))


def test_the_notation_tells_links_apart() -> None:
    sql = "select fare + 1 as f, sum(paid) as p, passenger from tickets where ticket_id = 1 group by passenger"
    assert rendered(extract(sql, tables=TABLES)) == [
        "=: select",
        "=> f: ~tickets.fare",
        "=> p: +tickets.paid",
        "=> passenger: tickets.passenger",
        "=> (rows): tickets.ticket_id/filter, tickets.passenger/group_by",
    ]


def test_the_table_of_the_document_is_made_from_the_corpora() -> None:
    assert table() in (ROOT / "docs" / "sql-support.md").read_text(), "run python -m tools.sql_support"
