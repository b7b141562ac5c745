"""What the questions about usage answer. These models are the API's schemas."""

from datetime import date

from pydantic import BaseModel


class UseFact(BaseModel):
    """How often somebody used a dataset in the last 30 days, and through how many different queries."""

    person: str
    application: str
    writes: bool
    runs: int
    last: date
    queries: int
