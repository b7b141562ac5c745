"""The dialects that Jalan reads, by name."""

from jalan.sql.dialect import Dialect
from jalan.sql.dialects.postgresql import POSTGRESQL

DIALECTS: dict[str, Dialect] = {POSTGRESQL.name: POSTGRESQL}
