"""Records of CSV in which a broken quote loses one line, not all that follow.

A quote that nobody closes would make one value of the rest of the file. So a record that takes several lines is
believed only if it ends as it should and no line inside of it looks like a record by itself; otherwise its first
line is bad, and reading goes on with the second. Source of the form: RFC 4180.
"""

import csv
import io
from collections.abc import Callable, Iterator
from dataclasses import dataclass

csv.field_size_limit(64_000_000)

LONGEST = 1_000_000  # characters of a record that takes several lines
_PATIENCE = 10_000_000  # characters that are read in vain behind such quotes; after them each line stands alone
_NOT_CLOSED = "a quote is opened here that is not closed, or not where the value ends"
Likely = Callable[[list[str]], bool]


@dataclass(frozen=True, slots=True)
class Record:
    """The values of a record, and its first line, counted from 1."""

    line: int
    values: list[str]


@dataclass(frozen=True, slots=True)
class BadRecord:
    """A line that is no record."""

    line: int
    message: str


@dataclass(frozen=True, slots=True)
class Shape:
    """What records look like.

    width: how many values one has, none takes the first record's word.
    likely: whether values could be those of one (default: there are as many as there should be).
    """

    width: int | None = None
    likely: Likely | None = None
    delimiter: str = ","

    def fits(self, values: list[str]) -> bool:
        """Whether values look like those of a record."""
        return (self.width in (None, len(values))) and (self.likely is None or self.likely(values))


def records(text: str, shape: Shape) -> Iterator[Record | BadRecord]:
    """Yield the records of a text, and the lines that are none."""
    delimiter, width, likely = shape.delimiter, shape.width, shape.likely
    lines = io.StringIO(text, newline="").readlines()
    patience = _PATIENCE
    at = 0
    while at < len(lines):
        feed = _Feed(lines, at, LONGEST if patience > 0 else 1)
        reader = csv.reader(feed, delimiter=delimiter, strict=True)
        start = at
        try:
            for values in reader:
                end = at + reader.line_num
                if width is None and values:
                    width = len(values)
                if end - start > 1 and _swallowed(lines, start, end, delimiter, width, likely):
                    break
                yield Record(start + 1, values)
                start = feed.begin = end
            else:
                return
            message = "a quote is opened here that closes in another record"
        except csv.Error as error:
            message = (
                _NOT_CLOSED if "unexpected end" in str(error) or "expected after" in str(error) else str(error)
            )
            patience -= feed.size
        single = _alone(lines[start], delimiter, width)
        yield BadRecord(start + 1, message) if single is None else Record(start + 1, single)
        at = start + 1


def complete(data: bytes, shape: Shape) -> int:
    """Return how much of the beginning of a text is whole records; a last one may go on in what follows.

    What would be longer than a record can be is taken to be whole.
    """
    whole = data.rfind(b"\n") + 1
    # A character for each byte: the marks of CSV are the same in both.
    text = data[:whole].decode("latin-1")
    lines = io.StringIO(text, newline="").readlines()
    rest = _unclosed(lines, shape) or _doubtful(text, shape)
    cut = sum(map(len, lines[: rest - 1])) if rest else whole
    return cut if whole - cut <= LONGEST else whole


def _unclosed(lines: list[str], shape: Shape) -> int:
    """Return the line of a record that the end cuts off, the number behind the last where all are whole; 0 where a
    broken quote has to be looked for."""
    reader = csv.reader(lines, delimiter=shape.delimiter, strict=True)
    end = 0
    try:
        for _ in reader:
            end = reader.line_num
    except csv.Error as error:
        return end + 1 if "unexpected end" in str(error) else 0
    return len(lines) + 1


def _doubtful(text: str, shape: Shape) -> int:
    """Return the line from which on nothing is a record, 0 where the last one is."""
    rest = 0
    for record in reversed(list(records(text, shape))):
        if isinstance(record, BadRecord):
            rest = record.line
        elif shape.fits(record.values):
            break
        elif record.values:  # an empty line says nothing
            rest = record.line
    return rest


class _Feed:
    """Lines for a reader; where one record has had too many characters, it sees no more.

    begin: the line of the record; size: its characters so far.
    """

    def __init__(self, lines: list[str], at: int, longest: int) -> None:
        self.at = self.begin = at
        self._lines = lines
        self._longest = longest
        self.size = 0

    def __iter__(self) -> Iterator[str]:
        return self

    def __next__(self) -> str:
        if self.at >= len(self._lines):
            raise StopIteration
        if self.at == self.begin:
            self.size = 0
        elif self.size > self._longest:
            raise StopIteration
        line = self._lines[self.at]
        self.size += len(line)
        self.at += 1
        return line


def _swallowed(
    lines: list[str], start: int, end: int, delimiter: str, width: int | None, likely: Likely | None
) -> bool:
    """Whether a record that takes several lines is rather several, of which the first lacks a quote."""
    for line in lines[start + 1 : end]:
        values = _alone(line, delimiter, width, strict=True)
        if values is not None and len(values) > 1 and (likely is None or likely(values)):
            return True
    return False


def _alone(line: str, delimiter: str, width: int | None, strict: bool = False) -> list[str] | None:
    """The values of a line by itself, if it has as many as it should and its quotes are closed.

    strict: nothing stands behind a quote that closes; otherwise it is taken to be part of the value.
    """
    if line.count('"') % 2 or line.count(delimiter) < (width or 1) - 1:
        return None
    try:
        values = next(csv.reader([line], delimiter=delimiter, strict=strict), [])
    except csv.Error:
        return None
    return values if width is None or len(values) == width else None
