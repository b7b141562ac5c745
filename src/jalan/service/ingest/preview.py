"""What a source would bring, before it is added."""

from pydantic import BaseModel


class PreviewPart(BaseModel):
    """One kind of thing that it would bring. examples: the first few."""

    what: str
    count: int
    examples: list[str] = []


class PreviewTable(BaseModel):
    """Rows as they would be read."""

    title: str
    columns: list[str]
    rows: list[list[str]]


class Preview(BaseModel):
    """That a source can be reached, what may be read, and what an ingestion would bring.

    facts: such as the version of the server.
    warnings: what will be missing, and why.
    """

    facts: list[str] = []
    parts: list[PreviewPart] = []
    tables: list[PreviewTable] = []
    warnings: list[str] = []
