"""What the words of a statement say, as the grammar compares them, where its tree keeps nothing of it."""

from collections.abc import Sequence

_BEFORE_STAR = frozenset({"select", "distinct", "all", "returning", ",", "."})
_BEHIND_STAR = frozenset({"from", "into", ",", ")", ";", "", "union", "except", "intersect", "order", "limit"})
_SHAPED = frozenset({"natural", '"'})
"""Words where columns count that are not named, or may be named in another way than by a plain word."""


def missing_column(written: str) -> str:
    """Return what the database says of a column that is not there, by how the text names it."""
    if "." in written:
        return f"column {written} does not exist"
    name = written[1:-1] if written.startswith('"') else written.lower()
    return f'column "{name}" does not exist'


def says(keys: Sequence[str], *words: str) -> bool:
    """Whether words stand side by side in a statement."""
    return any(tuple(keys[n : n + len(words)]) == words for n in range(len(keys)))


def name_at(keys: Sequence[str], at: int) -> tuple[str, ...]:
    """Return the parts of the name that begins at a word."""
    found = [keys[at]] if at < len(keys) else [""]
    while at + 2 < len(keys) and keys[at + 1] == ".":
        at += 2
        found.append(keys[at])
    return tuple(found)


def has_star(keys: Sequence[str]) -> bool:
    """Whether a star stands among words that means all columns: no product, and not that of count(*)."""
    if not _SHAPED.isdisjoint(keys):
        return True
    for n, key in enumerate(keys):
        before = keys[n - 1] if n else ""
        after = keys[n + 1] if n + 1 < len(keys) else ""
        # What is multiplied is followed by what it is multiplied with.
        if key == "*" and (before in _BEFORE_STAR or (after in _BEHIND_STAR and before != "(")):
            return True
        if key == "table" and before in ("", "(", "as"):
            return True  # TABLE name is SELECT * FROM name
    return False
