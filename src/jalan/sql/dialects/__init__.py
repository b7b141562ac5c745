"""The dialects that Jalan reads, by name."""

from jalan.sql.dialect import Dialect
from jalan.sql.dialects.postgresql import POSTGRESQL

DIALECTS: dict[str, Dialect] = {POSTGRESQL.name: POSTGRESQL}


class UnknownDialect(ValueError):
    """The asked-for dialect is not one that Jalan reads."""

    def __init__(self, name: str, known: list[str]) -> None:
        super().__init__(f"unknown dialect {name!r}; known: {', '.join(known)}")


def get_dialect(name: str) -> Dialect:
    """Return the dialect of that name; raises UnknownDialect, which lists the known ones."""
    try:
        return DIALECTS[name]
    except KeyError:
        raise UnknownDialect(name, sorted(DIALECTS)) from None
