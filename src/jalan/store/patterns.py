"""Patterns of SQL's LIKE."""


def holding(word: str) -> str:
    """Return the pattern of what holds a word.

    >>> holding("half_fare")
    '%half\\\\_fare%'
    """
    escaped = word.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
    return f"%{escaped}%"


def holding_with_gaps(word: str) -> str:
    """Return the same in lower case, of a word in which ``*`` stands for anything.

    >>> holding_with_gaps("Tidy.*_x")
    '%tidy.%\\\\_x%'
    """
    return holding(word.lower()).replace("*", "%")
