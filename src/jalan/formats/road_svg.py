"""A road as a picture: lanes of datasets from left to right, and the lines between their fields. SVG, without a
browser."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from xml.sax.saxutils import escape

_LANE, _GUTTER, _PAD = 210, 74, 24
_HEAD, _ROW, _LINE, _FOLD, _GAP = 40, 20, 13, 18, 14
_TOP, _BOTTOM = 84, 46
_CHARACTER = 6.6  # the width of one at 11 pixels
_MOST_LINES = 3
_PAPER, _INK, _SIGN, _COND, _HAIR, _MUTE = "#f6f5f0", "#1d2220", "#0b6b4f", "#6b5f8a", "#d9d5c7", "#5f625c"
_FONTS = "font-family=\"Overpass, 'Segoe UI', sans-serif\""
_MONO = "font-family=\"'Overpass Mono', ui-monospace, monospace\""


@dataclass(frozen=True, slots=True)
class RoadRow:
    """A field. does: what is done where it is made, empty where values pass unchanged."""

    key: int
    name: str
    does: str = ""


@dataclass(frozen=True, slots=True)
class RoadCard:
    """A dataset. about: its kind and place. others: how many of its fields are not shown."""

    key: int
    title: str
    about: str
    rows: Sequence[RoadRow] = ()
    others: int = 0
    here: bool = False


@dataclass(frozen=True, slots=True)
class RoadLane:
    """Datasets at the same number of hops. total: how many there are, those that are not shown too."""

    title: str
    cards: Sequence[RoadCard]
    total: int


@dataclass(frozen=True, slots=True)
class RoadLine:
    """A link between two fields, or from a field to the rows of a dataset, or summed between two datasets. Where a
    field is none, the line begins or ends at the title. value: it carries values; it only decides otherwise."""

    source: int
    source_field: int | None
    target: int
    target_field: int | None
    value: bool


@dataclass(frozen=True, slots=True)
class Road:
    """All that is drawn. subtitle: the time, and what else is to be said of the whole."""

    title: str
    subtitle: str
    lanes: Sequence[RoadLane]
    lines: Sequence[RoadLine] = field(default_factory=tuple)


def road_svg(road: Road) -> str:
    """Return a road as SVG, with title, time and legend. Names stay text, whatever is in them; what is too long for
    its place is cut, and whole in a tooltip."""
    return _Drawing(road).svg()


class _Drawing:
    def __init__(self, road: Road) -> None:
        self._road = road
        self._parts: list[str] = []
        self._titles: dict[int, tuple[int, float]] = {}  # dataset → lane, height
        self._fields: dict[int, tuple[int, float]] = {}
        self._bottom = float(_TOP)

    def svg(self) -> str:
        for number, lane in enumerate(self._road.lanes):
            self._lane(number, lane)
        cards, self._parts = self._parts, []
        for line in sorted(self._road.lines, key=lambda one: one.value):
            self._line(line)
        width = 2 * _PAD + len(self._road.lanes) * (_LANE + _GUTTER) - (_GUTTER if self._road.lanes else 0)
        width, height = max(width, 520), int(self._bottom + _BOTTOM)
        head = [
            self._text(_PAD, 30, self._road.title, 17, weight=600, room=width - 2 * _PAD),
            self._text(_PAD, 50, self._road.subtitle, 11, fill=_MUTE, room=width - 2 * _PAD),
        ]
        return "\n".join(
            [
                f'<svg xmlns="http://www.w3.org/2000/svg" width="{width}" height="{height}" '
                f'viewBox="0 0 {width} {height}" role="img" aria-label="{_attribute(self._road.title)}" {_FONTS}>',
                f'<rect width="{width}" height="{height}" fill="{_PAPER}"/>',
                *head,
                *self._parts,
                *cards,
                *self._legend(height),
                "</svg>",
                "",
            ]
        )

    def _lane(self, number: int, lane: RoadLane) -> None:
        x, y = self._left(number), _TOP
        shown = len(lane.cards)
        count = f"{shown} of {lane.total}" if shown < lane.total else str(lane.total)
        self._parts.append(self._text(x, y - 8, lane.title, 11, fill=_MUTE, weight=600))
        self._parts.append(self._text(x + _LANE, y - 8, count, 11, fill=_MUTE, anchor="end"))
        self._parts.append(f'<path d="M{x} {y}h{_LANE}" stroke="{_HAIR}" stroke-width="2"/>')
        top = y + 10.0
        for card in lane.cards:
            top = self._card(number, x, top, card)
        self._bottom = max(self._bottom, top)

    def _card(self, number: int, x: int, top: float, card: RoadCard) -> float:
        self._titles[card.key] = (number, top + 10)
        fill = _SIGN if card.here else _INK
        self._parts.append(self._text(x, top + 14, card.title, 13, fill=fill, weight=600, room=_LANE))
        self._parts.append(self._text(x, top + 30, card.about, 11, fill=_MUTE, room=_LANE))
        top += _HEAD
        for row in card.rows:
            self._fields[row.key] = (number, top + _ROW / 2)
            self._parts.append(f'<path d="M{x} {top:g}h{_LANE}" stroke="{_HAIR}"/>')
            self._parts.append(self._text(x + 8, top + 14, row.name, 11, mono=True, room=_LANE - 16))
            top += _ROW
            for line in _wrapped(row.does, int((_LANE - 24) / _CHARACTER)):
                self._parts.append(self._text(x + 16, top + 9, line, 11, fill=_SIGN, mono=True, whole=row.does))
                top += _LINE
            top += 3 if row.does else 0
        if card.others:
            self._parts.append(self._text(x + 8, top + 13, f"{card.others} more", 11, fill=_MUTE))
            top += _FOLD
        return top + _GAP

    def _line(self, line: RoadLine) -> None:
        source = self._fields.get(line.source_field or -1) or self._titles.get(line.source)
        target = self._fields.get(line.target_field or -1) or self._titles.get(line.target)
        if source is None or target is None:
            return
        (one, y1), (other, y2) = source, target
        x1, x2 = self._left(one) + _LANE + 4, self._left(other) - 4
        if other <= one:
            x2 = self._left(other) + _LANE + 4
            out = max(x1, x2) + 22
            path = f"M{x1} {y1:g}C{out} {y1:g} {out} {y2:g} {x2} {y2:g}"
        else:
            bend = min(60.0, (x2 - x1) / 2)
            path = f"M{x1} {y1:g}C{x1 + bend:g} {y1:g} {x2 - bend:g} {y2:g} {x2} {y2:g}"
        stroke = f'stroke="{_SIGN}" stroke-width="1.8"' if line.value else f'stroke="{_COND}" stroke-width="0.8"'
        self._parts.append(f'<path d="{path}" fill="none" {stroke}/>')
        if line.value:
            self._parts.append(f'<circle cx="{x2}" cy="{y2:g}" r="2.6" fill="{_SIGN}"/>')
        else:
            tip = x2 - 5 if other > one else x2 + 5
            self._parts.append(f'<path d="M{tip} {y2 - 3:g}v6L{x2} {y2:g}z" fill="{_COND}"/>')

    @staticmethod
    def _left(number: int) -> int:
        return _PAD + number * (_LANE + _GUTTER)

    def _legend(self, height: int) -> list[str]:
        y = height - 18
        return [
            f'<path d="M{_PAD} {y}h46" stroke="{_SIGN}" stroke-width="1.8"/>',
            f'<circle cx="{_PAD + 48}" cy="{y}" r="2.6" fill="{_SIGN}"/>',
            self._text(_PAD + 58, y + 4, "carries the value", 11, fill=_MUTE),
            f'<path d="M{_PAD + 190} {y}h46" stroke="{_COND}" stroke-width="0.8"/>',
            f'<path d="M{_PAD + 235} {y - 3}v6l5-3z" fill="{_COND}"/>',
            self._text(_PAD + 248, y + 4, "only decides which rows there are, or which value", 11, fill=_MUTE),
        ]

    @staticmethod
    def _text(
        x: float,
        y: float,
        text: str,
        size: int,
        *,
        fill: str = _INK,
        weight: int = 400,
        anchor: str = "start",
        mono: bool = False,
        room: float | None = None,
        whole: str = "",
    ) -> str:
        plain = _plain(text)
        most = len(plain) if room is None else int(room / (_CHARACTER * size / 11))
        cut = plain if len(plain) <= most else plain[: max(1, most - 1)] + "…"
        told = _plain(whole) or (plain if cut != plain else "")
        title = f"<title>{escape(told)}</title>" if told else ""
        end = f' text-anchor="{anchor}"' if anchor != "start" else ""
        bold = f' font-weight="{weight}"' if weight != 400 else ""
        return (
            f'<text x="{x:g}" y="{y:g}" font-size="{size}" fill="{fill}"{bold}{end}'
            f"{' ' + _MONO if mono else ''}>{title}{escape(cut)}</text>"
        )


def _plain(text: str) -> str:
    """A text without what XML cannot hold."""
    return "".join(one for one in " ".join(text.split()) if one >= " " and not 0xD800 <= ord(one) <= 0xDFFF)


def _attribute(text: str) -> str:
    return escape(_plain(text), {'"': "&quot;"})


def _wrapped(text: str, width: int) -> list[str]:
    """Lines of so many characters, some at most; the last one ends in dots where that is not all."""
    rest, lines = _plain(text), list[str]()
    while rest:
        if len(lines) == _MOST_LINES:
            lines[-1] = lines[-1][: width - 1] + "…"
            break
        space = rest.rfind(" ", 0, width + 1)
        cut = len(rest) if len(rest) <= width else space if space > width / 3 else width
        lines.append(rest[:cut].rstrip())
        rest = rest[cut:].lstrip()
    return lines
