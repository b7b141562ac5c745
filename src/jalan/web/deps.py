"""What several endpoints take."""

from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Annotated

from fastapi import Depends, Path, Query, Request, Response

from jalan.service.context import Context
from jalan.service.graph_cache.cache import GraphCache

LARGEST_ID = 2_147_483_647  # of PostgreSQL's integer
WHO = "local user"
VERSION = "jalan-graph-version"
"""The header that says which version of the graph an answer is of; it grows with every change."""

Id = Annotated[int, Path(ge=1, le=LARGEST_ID)]
AsOf = Annotated[
    datetime | None,
    Query(description="Show the graph as it was at this time (ISO 8601, UTC without a zone); now by default."),
]
Conditions = Annotated[bool, Query(description="Whether links that only decide count too.")]
Hops = Annotated[int, Query(ge=0, le=50)]


def zoned(time: datetime | None) -> datetime | None:
    """Return a time that was given; without a zone it is UTC."""
    return time.replace(tzinfo=UTC) if time is not None and time.tzinfo is None else time


def _context(request: Request, as_of: datetime | None = None) -> Iterator[Context]:
    cache: GraphCache = request.app.state.cache
    with Context(cache.engine, WHO, as_of=zoned(as_of), cache=cache) as context:
        yield context


def _now(request: Request) -> Iterator[Context]:
    yield from _context(request)


def _at(request: Request, response: Response, as_of: AsOf = None) -> Iterator[Context]:
    for context in _context(request, as_of):
        response.headers[VERSION] = str(context.graph.version)
        yield context


Now = Annotated[Context, Depends(_now)]
"""Who asks, and the graph as it is."""

Then = Annotated[Context, Depends(_at)]
"""Who asks, and the graph at the time that is asked about."""
