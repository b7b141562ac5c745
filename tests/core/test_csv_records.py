"""Records of CSV: a broken quote loses the line it stands on, and no other."""

import csv
import io

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jalan.usage.csv_records import BadRecord, Record, Shape, complete, records

WORDS = st.lists(st.lists(st.text(alphabet='ab ,"\n;', max_size=6), min_size=3, max_size=3), min_size=1, max_size=8)


def _read(text: str, width: int | None = None) -> tuple[list[list[str]], list[int]]:
    found = list(records(text, Shape(width)))
    good = [one.values for one in found if isinstance(one, Record)]
    return good, [one.line for one in found if isinstance(one, BadRecord)]


def _no_line_looks_like_a_record(rows: list[list[str]]) -> bool:
    return not any("\n" in value and value.count(",") for row in rows for value in row)


@given(WORDS.filter(_no_line_looks_like_a_record))
def test_what_is_written_as_it_should_be_is_read_as_it_was(rows: list[list[str]]) -> None:
    out = io.StringIO()
    csv.writer(out, quoting=csv.QUOTE_ALL, lineterminator="\n").writerows(rows)
    assert _read(out.getvalue(), 3) == (rows, [])


@pytest.mark.parametrize("broken", ['2,"open', '"2,open', '2,"a" b,c"'])
@pytest.mark.parametrize("quoted", [False, True])
def test_a_broken_quote_loses_one_line(broken: str, quoted: bool) -> None:
    others = [f'{n},"word {n}"' if quoted else f"{n},word {n}" for n in range(3, 40)]
    good, bad = _read("\n".join(["a,b", "1,first", broken, *others]) + "\n")
    assert bad == [3]
    assert len(good) == 2 + len(others)
    assert good[-1] == ["39", "word 39"]


def test_two_broken_quotes_do_not_swallow_what_is_between_them() -> None:
    lines = ["a,b", '1,"open', "2,x", "3,y", '4,close"', "5,z"]
    good, bad = _read("\n".join(lines))
    assert bad == [2]
    assert [values[0] for values in good] == ["a", "2", "3", "4", "5"]


def test_a_quote_that_ends_too_early_is_part_of_the_value() -> None:
    assert _read('a,b\n1,"open"x\n2,y\n') == ([["a", "b"], ["1", "openx"], ["2", "y"]], [])


def test_a_value_of_several_lines_is_one() -> None:
    assert _read('a,b\n1,"select x\nfrom ""T""\n\nwhere y"\n2,z\n') == (
        [["a", "b"], ["1", 'select x\nfrom "T"\n\nwhere y'], ["2", "z"]], [],
    )  # fmt: skip


def test_quotes_without_end_are_followed_only_so_far() -> None:
    text = 'a","\n' * 50_000
    assert sum(1 for _ in records(text, Shape(2))) == 50_000


@given(WORDS.filter(_no_line_looks_like_a_record), st.integers(0, 400))
def test_what_is_whole_of_a_part_is_whole_records(rows: list[list[str]], length: int) -> None:
    out = io.StringIO()
    csv.writer(out, quoting=csv.QUOTE_ALL, lineterminator="\n").writerows(rows)
    part = out.getvalue().encode()[:length]
    cut = complete(part, Shape(3))
    good, bad = _read(part[:cut].decode(), 3)
    assert (good, bad) == (rows[: len(good)], [])
