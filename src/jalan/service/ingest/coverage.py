"""How much of a source was read: statements in full, in part, not at all, and columns resolved."""

from pydantic import BaseModel

from jalan.lineage.model import Extraction, Output

NOT_READ = frozenset({"syntax_error", "unterminated", "too_deep"})
"""Diagnostics that stand for a statement of which nothing was read."""


class Coverage(BaseModel):
    """Statements by how they were read, and the columns that they put out.

    part: something in it was guessed or is not followed.
    resolved: columns whose sources are known for sure.
    """

    full: int = 0
    part: int = 0
    none: int = 0
    columns: int = 0
    resolved: int = 0

    @property
    def statements(self) -> int:
        """All statements."""
        return self.full + self.part + self.none


def coverage_of(extraction: Extraction) -> dict[str, int]:
    """Return the coverage of one text."""
    found = Coverage()
    for statement in extraction.statements:
        if any(d.level != "info" for d in statement.diagnostics):
            found.part += 1
        else:
            found.full += 1
        found.columns += len(statement.outputs)
        found.resolved += sum(_is_resolved(output) for output in statement.outputs)
    found.none = sum(d.code in NOT_READ for d in extraction.diagnostics)
    return found.model_dump()


def _is_resolved(output: Output) -> bool:
    return output.name != "*" and not any(source.possible or source.column == "*" for source in output.values)
