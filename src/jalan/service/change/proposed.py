"""What would change, as a person puts it."""

from dataclasses import dataclass, field


@dataclass(frozen=True, slots=True)
class ProposedChange:
    """A change.

    sql: written as SQL. database: the one that is changed; by default that over which most texts are run. stopped:
    places of texts that are not run any more. edits: places of texts, with what they are instead; one that is not
    known is added. late: places of texts that are run after all others. delivers: relations into which other rows
    come from outside, or columns (``schema.table.column``) into which other values do. dialect: that the SQL is
    written in, by default that of most texts.
    """

    sql: str = ""
    database: str | None = None
    stopped: list[str] = field(default_factory=list)
    edits: dict[str, str] = field(default_factory=dict)
    late: list[str] = field(default_factory=list)
    delivers: list[str] = field(default_factory=list)
    dialect: str | None = None

    @property
    def is_only_sql(self) -> bool:
        """Whether nothing but SQL would change it."""
        return not (self.stopped or self.edits or self.late or self.delivers)
