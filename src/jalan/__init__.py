"""Jalan: lineage from SQL and job runs. These are the names that other programs may rely on."""

from jalan.lineage.batch import Item, extract_many
from jalan.lineage.extraction import Diagnostic, Extraction, Link, Output, Source, Statement
from jalan.lineage.script import extract
from jalan.lineage.tables import KnownTables

__version__ = "0.1.0"

__all__ = [
    "Diagnostic",
    "Extraction",
    "Item",
    "KnownTables",
    "Link",
    "Output",
    "Source",
    "Statement",
    "extract",
    "extract_many",
]
