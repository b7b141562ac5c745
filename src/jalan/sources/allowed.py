"""What a source may read and reach."""

from dataclasses import dataclass

from jalan.sources.files import ANY_FILE, Files
from jalan.sources.hosts import ANY_HOST, Hosts


@dataclass(frozen=True, slots=True)
class Allowed:
    """Files that may be read, and servers that may be reached."""

    files: Files = ANY_FILE
    hosts: Hosts = ANY_HOST


EVERYTHING = Allowed()
"""For a person at the command line, who may do the same without us."""
