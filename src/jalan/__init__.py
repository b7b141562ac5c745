"""Jalan: lineage from SQL and job runs. These are the names that other programs may rely on."""

from jalan.lineage.batch import Item, extract_many
from jalan.lineage.model import Detail, Diagnostic, Extraction, Link, Output, Source, Statement, Step
from jalan.lineage.script import extract
from jalan.lineage.tables import KnownTables
from jalan.sql.fingerprint import fingerprint, redact

__version__ = "0.1.0"

__all__ = [
    "Detail",
    "Diagnostic",
    "Extraction",
    "Item",
    "KnownTables",
    "Link",
    "Output",
    "Source",
    "Statement",
    "Step",
    "extract",
    "extract_many",
    "fingerprint",
    "redact",
]
