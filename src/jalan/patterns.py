"""Regular expressions that somebody else has written, answered in time linear in the text.

Source of the engine: RE2 (https://github.com/google/re2/wiki/Syntax), which knows no look-around and no
back-references: such an expression is refused.
"""

from typing import Protocol

import re2

_MOST_CHARACTERS = 1_000


class BadPattern(ValueError):
    """An expression that is none, or that could take too long."""


class Found(Protocol):
    """What a pattern has found; number 0 is all of it."""

    def __getitem__(self, group: int) -> str | None: ...

    def groups(self) -> tuple[str | None, ...]:
        """What the groups matched."""


class Pattern(Protocol):
    """A compiled expression."""

    def search(self, text: str) -> Found | None:
        """Look for it anywhere in a text."""

    def fullmatch(self, text: str) -> Found | None:
        """Hold it against a whole text."""


def compile_pattern(expression: str, *, ignore_case: bool = False) -> Pattern:
    """Return a compiled expression. Raises BadPattern.

    >>> compile_pattern("mart.*").fullmatch("mart_daily") is not None
    True
    >>> compile_pattern("(a+)+b").search("a" * 100_000) is None
    True
    """
    if len(expression) > _MOST_CHARACTERS:
        raise BadPattern(f"a regular expression may have at most {_MOST_CHARACTERS} characters")
    options = re2.Options()
    options.log_errors = False
    options.case_sensitive = not ignore_case
    options.dot_nl = True
    try:
        found: Pattern = re2.compile(expression, options)
    except (re2.error, UnicodeError) as error:
        reason = error.args[0].decode(errors="replace") if isinstance(error, re2.error) else "not UTF-8"
        raise BadPattern(f"“{expression}” is no regular expression: {reason}") from error
    return found
