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
_MEANING = {"unexpected end of data": "a quote is opened here that nothing closes"}
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


def records(
    text: str, *, delimiter: str = ",", width: int | None, likely: Likely | None = None
) -> Iterator[Record | BadRecord]:
    """Yield the records of a text. width: how many values a record has, none takes the first record's word.

    likely: whether values could be those of a record (default: there are as many as there should be).
    """
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
            message = _MEANING.get(str(error), str(error))
            patience -= feed.size
        single = _alone(lines[start], delimiter, width)
        yield BadRecord(start + 1, message) if single is None else Record(start + 1, single)
        at = start + 1


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
    if line.count('"') % 2:
        return None
    try:
        values = next(csv.reader([line], delimiter=delimiter, strict=strict), [])
    except csv.Error:
        return None
    return values if width is None or len(values) == width else None
