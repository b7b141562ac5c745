"""The answer of endpoints that make something."""

from pydantic import BaseModel


class Made(BaseModel):
    """What was made."""

    id: int
