"""Two texts line by line."""

from difflib import SequenceMatcher

from jalan.service.history.answers import TextLine

_MOST_LINES = 3_000  # comparing costs more than in proportion
_AROUND = 3


def compared(before: str, after: str, around: int = _AROUND) -> tuple[list[TextLine], bool]:
    """Return the lines of two texts with what is only in one of them, and whether any were cut off.

    around: how many lines that are the same are shown beside one that is not.

    >>> [(line.mark, line.text) for line in compared("a\\nb", "a\\nc")[0]]
    [(' ', 'a'), ('-', 'b'), ('+', 'c')]
    """
    old, new = before.splitlines(), after.splitlines()
    cut = len(old) > _MOST_LINES or len(new) > _MOST_LINES
    old, new = old[:_MOST_LINES], new[:_MOST_LINES]
    found: list[TextLine] = []
    if not before:
        groups = [[("insert", 0, 0, 0, len(new))]]
    elif not after:
        groups = [[("delete", 0, len(old), 0, 0)]]
    else:
        groups = list(SequenceMatcher(None, old, new, autojunk=False).get_grouped_opcodes(around))
    reached = 0
    for group in groups:
        if group[0][1] > reached:
            found.append(TextLine(mark="…", before=None, after=None, text=""))
        for tag, i1, i2, j1, j2 in group:
            if tag == "equal":
                found += [
                    TextLine(mark=" ", before=i + 1, after=j + 1, text=old[i])
                    for i, j in zip(range(i1, i2), range(j1, j2), strict=True)
                ]
                continue
            found += [TextLine(mark="-", before=i + 1, after=None, text=old[i]) for i in range(i1, i2)]
            found += [TextLine(mark="+", before=None, after=j + 1, text=new[j]) for j in range(j1, j2)]
        reached = group[-1][2]
    if found and before and after and reached < len(old):
        found.append(TextLine(mark="…", before=None, after=None, text=""))
    return found, cut
