"""Text that is put together from pieces of another one, and its tokens with their places there."""

from bisect import bisect_right
from dataclasses import dataclass
from itertools import accumulate

from jalan.sql.dialects.dialect import Dialect
from jalan.sql.lexer import Tokens, tokenize


@dataclass(frozen=True, slots=True)
class Piece:
    """A stretch of text, and the place in the original that it stands for (end exclusive).

    Where the place is as long as the text each character has its own; otherwise all of it stands for all of it.
    """

    text: str
    start: int
    end: int


def tokens_of(pieces: list[Piece], original: str, dialect: Dialect) -> Tokens:
    """Return the tokens of the pieces put together; their offsets are those in the original."""
    kept = [piece for piece in pieces if piece.text]
    joined = "".join(piece.text for piece in kept)
    found = tokenize(joined, dialect)
    if not kept:
        return Tokens(original, found.kinds, found.keys, [len(original)], [len(original)], [""])
    firsts = list(accumulate((len(piece.text) for piece in kept), initial=0))

    def place(offset: int, is_end: bool) -> int:
        n = min(bisect_right(firsts, offset - is_end) - 1, len(kept) - 1)
        piece = kept[max(n, 0)]
        if piece.end - piece.start == len(piece.text):
            return piece.start + offset - firsts[max(n, 0)]
        return piece.end if is_end else piece.start

    starts = [place(start, False) for start in found.starts]
    ends = [max(place(end, True), start) for start, end in zip(starts, found.ends, strict=True)]
    spellings = [found.written(i) for i in range(len(found.kinds))]
    return Tokens(original, found.kinds, found.keys, starts, ends, spellings)
