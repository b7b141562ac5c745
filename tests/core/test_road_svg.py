"""Roads as SVG: well formed whatever names there are, nothing on another thing, what is cut in a tooltip."""

from itertools import combinations
from xml.etree import ElementTree

import pytest

from jalan.formats.road_svg import Road, RoadCard, RoadLane, RoadLine, RoadRow, road_svg

SVG = "{http://www.w3.org/2000/svg}"
HOSTILE = [
    "<img src=x onerror=alert(1)>",
    '"]]><script>alert(1)</script>',
    "\x00\x08 control \ud800",
    "ميناء الجزيرة",
    "n" * 300,
    "&amp; & ' \" >",
    "",
]


def road(name: str, does: str = "sum(fare - discount) / 100.0 over all that was sold on board") -> Road:
    lanes = [
        RoadLane(
            f"{n} downstream" if n else "here",
            [
                RoadCard(10 * n + c, f"{name}{n}{c}", "strait / core, table",
                         [RoadRow(1000 + 100 * n + 10 * c + r, f"{name}_{r}", does if r else "") for r in range(3)],
                         others=4, here=n == 0)
                for c in range(2)
            ],
            total=40,
        )
        for n in range(3)
    ]  # fmt: skip
    lines = [
        RoadLine(0, 1000, 10, 1101, True),
        RoadLine(0, 1001, 10, None, False),
        RoadLine(10, None, 20, None, True),
        RoadLine(10, 1100, 10, 1102, True),
        RoadLine(20, 1200, 10, 1101, True),
        RoadLine(0, 1000, 99, 9999, True),
    ]
    return Road(name, "as of now", lanes, lines)


def texts(root: ElementTree.Element) -> list[tuple[str, float, float]]:
    return [
        ("".join(one.itertext()), float(one.get("x", 0)), float(one.get("y", 0))) for one in root.iter(f"{SVG}text")
    ]


@pytest.mark.parametrize("name", HOSTILE)
def test_names_stay_text_whatever_is_in_them(name: str) -> None:
    root = ElementTree.fromstring(road_svg(road(name)))
    known = {f"{SVG}{tag}" for tag in ("svg", "rect", "text", "title", "path", "circle")}
    assert {one.tag for one in root.iter()} <= known
    assert not any(key.startswith("on") for one in root.iter() for key in one.attrib)


def test_nothing_stands_on_another_thing_and_what_is_cut_is_whole_in_a_tooltip() -> None:
    root = ElementTree.fromstring(road_svg(road("a_rather_long_name_of_a_dataset_that_does_not_fit_its_lane")))
    width, height = float(root.get("width", 0)), float(root.get("height", 0))
    placed = texts(root)
    assert all(0 <= x <= width and 0 <= y <= height for _, x, y in placed)
    # What stands in one lane, line by line, below its head and above the legend.
    inside = [(int((x - 24) // 284), y) for _, x, y in placed if 84 < y < height - 30]
    for (lane, y1), (other, y2) in combinations(inside, 2):
        assert lane != other or abs(y1 - y2) >= 12
    for one in root.iter(f"{SVG}text"):
        shown = one.text or "".join(child.tail or "" for child in one)
        if shown.endswith("…"):
            title = one.find(f"{SVG}title")
            assert title is not None
            assert len(title.text or "") > len(shown)


def test_lines_join_what_is_there_and_words_say_how_many_are_shown() -> None:
    found = road_svg(road("t"))
    assert found.count("<circle") == 4 + 1  # the lines that carry values, and the legend
    assert "2 of 40" in found
    assert "4 more" in found
    assert "carries the value" in found
    empty = ElementTree.fromstring(road_svg(Road("nothing", "", [])))
    assert float(empty.get("width", 0)) >= 500
