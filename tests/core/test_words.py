"""Expressions in words, expressions put into one another, and the order in which a trail is walked."""

import random

import pytest

from jalan.graph.road_order import walk_steps
from jalan.lineage.words import in_words, with_names


@pytest.mark.parametrize(
    ("expression", "words"),
    [
        ("(t.fare - t.discount) / 100.0", "(fare less discount) divided by 100"),
        ("a - (b - c)", "a less (b less c)"),
        ("coalesce(x.gross, 0)", "gross (or 0)"),
        ("count(*) filter (where kept)", "number of rows where kept"),
        ("count(distinct port)", "number of different port"),
        ("percentile_cont(0.5) within group (order by gross)", "median of gross"),
        ("case when a > 1 then b else 0 end", "b where a is above 1, else 0"),
        ("date_trunc('month', s.departs_at)::date", "month of departs_at"),
        ("extract(year from d)", "year of d"),
        ("sum(f) over (partition by route order by d)", "sum of f within each route"),
        ("x is not null and y in (1, 2)", "x is not null and y is one of 1, 2"),
        ("- a", "minus a"),
        ("ops.metres(height_cm)", "metres(height_cm)"),
        ("typed over on the first working day", "typed over on the first working day"),
        ("sum(", "sum("),
        ("", ""),
    ],
)
def test_an_expression_in_words(expression: str, words: str) -> None:
    assert in_words(expression) == words


def test_what_is_long_or_deep_is_cut_and_never_fails() -> None:
    assert len(in_words("a + " * 300 + "a")) <= 401
    assert in_words("(" * 60 + "a" + ")" * 60).strip("()") == "a"
    assert in_words("x", dialect="nothing like it") == "x"


def test_one_expression_is_put_into_another_so_that_it_means_the_same() -> None:
    assert with_names("x.gross / 100", {"gross": "a - b"}) == "(a - b) / 100"
    assert with_names("gross", {"gross": "a - b"}) == "a - b"
    assert with_names("round(gross, 2) + gross", {"gross": "sum(f)"}) == "round(sum(f), 2) + sum(f)"
    assert with_names("sum(", {"x": "y"}) == "sum("


def test_a_fork_is_walked_branch_by_branch() -> None:
    steps = [(3, [1, 2]), (1, [11]), (11, []), (2, [12]), (4, [3]), (5, [3]), (6, [5])]
    found = walk_steps(steps, [3])
    assert [(one.step, one.level) for one in found] == [
        (2, 0),
        (1, 0),
        (3, 1),
        (0, 0),
        (4, 1),
        (5, 1),
        (6, 1),
    ]
    assert [one.fed_by for one in found] == [(), (0,), (), (1, 2), (3,), (3,), (5,)]


@pytest.mark.parametrize("seed", range(20))
def test_every_step_is_walked_once_and_behind_what_it_is_made_of(seed: int) -> None:
    chance = random.Random(seed)
    size = chance.randrange(1, 60)
    steps = [(n, [chance.randrange(n) for _ in range(chance.randrange(3)) if n]) for n in range(size)]
    chance.shuffle(steps)
    found = walk_steps(steps, [chance.randrange(size)])
    assert sorted(one.step for one in found) == list(range(size))
    focus_last = {steps[one.step][0]: place for place, one in enumerate(found)}
    for place, one in enumerate(found):
        for source in steps[one.step][1]:
            assert focus_last[source] in one.fed_by or focus_last[source] > place


def test_a_circle_ends() -> None:
    assert sorted(one.step for one in walk_steps([(1, [2]), (2, [1]), (3, [3])], [1])) == [0, 1, 2]
