"""What several endpoints take."""

from datetime import datetime
from typing import Annotated

from fastapi import Path, Query

LARGEST_ID = 2_147_483_647  # of PostgreSQL's integer

Id = Annotated[int, Path(ge=1, le=LARGEST_ID)]
AsOf = Annotated[
    datetime | None,
    Query(description="Show the graph as it was at this time (ISO 8601 with zone); now by default."),
]
Conditions = Annotated[bool, Query(description="Whether links that only decide count too.")]
