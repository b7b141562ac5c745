"""What a command or a piece of background work says of what it could not do."""

import psycopg
from sqlalchemy.exc import DBAPIError, ProgrammingError

from jalan.service.errors import Conflict, Invalid, NotFound
from jalan.sources.errors import SourceError

FORESEEN = (SourceError, Invalid, Conflict, NotFound, DBAPIError, psycopg.Error)


def refusal(error: Exception) -> str:
    """Return what one of the ``FORESEEN`` errors means, and what to do where that is known."""
    if isinstance(error, ProgrammingError):
        return "the store is not at this version; run: jalan migrate"
    if isinstance(error, DBAPIError | psycopg.Error):
        reason = (str(getattr(error, "orig", None) or error).strip().splitlines() or ["no reason given"])[0]
        return f"the store does not answer ({reason}); is PostgreSQL running, and JALAN_STORE right?"
    return str(error)
