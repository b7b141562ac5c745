"""What several endpoints take, and how errors are documented."""

from datetime import datetime
from typing import Annotated, Any

from fastapi import Path, Query

LARGEST_ID = 2_147_483_647  # of PostgreSQL's integer

Id = Annotated[int, Path(ge=1, le=LARGEST_ID)]
AsOf = Annotated[
    datetime | None,
    Query(description="Show the graph as it was at this time (ISO 8601 with zone); now by default."),
]
Conditions = Annotated[bool, Query(description="Whether links that only decide count too.")]

PROBLEMS: dict[int | str, dict[str, Any]] = {
    status: {"description": why, "content": {"application/problem+json": {
        "schema": {"$ref": "#/components/schemas/Problem"}
    }}}
    for status, why in {
        400: "The request is none that this server takes", 403: "A page of another site may not do this",
        404: "Not found", 413: "The body is too large", 422: "Invalid request", 503: "Store unavailable",
    }.items()
}  # fmt: skip
"""Answers that are problem documents; source: RFC 9457."""

CONFLICT: dict[int | str, dict[str, Any]] = {409: {**PROBLEMS[404], "description": "Conflict"}}
