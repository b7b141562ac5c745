"""The tables of the store."""

from jalan.store.schema.base import Base
from jalan.store.schema.catalog import Container, Dataset, Field, System
from jalan.store.schema.changes import Baseline, BaselineText, KeptChange
from jalan.store.schema.definitions import Definition, Diagnostic, Job, Link, Relinked, Revision, Statement
from jalan.store.schema.graph import GraphVersion
from jalan.store.schema.identity import Alias
from jalan.store.schema.ingestion import Claim, Declaration, Ingestion, Source
from jalan.store.schema.past import Past
from jalan.store.schema.runs import (
    DatasetName,
    EventRefused,
    EventRow,
    EventWaiting,
    JobVersion,
    KeptSearch,
    Run,
    RunDataset,
    RunVersion,
)
from jalan.store.schema.usage import Query, QueryField, ReportView, Use

__all__ = [
    "Alias",
    "Base",
    "Baseline",
    "BaselineText",
    "Claim",
    "Container",
    "Dataset",
    "DatasetName",
    "Declaration",
    "Definition",
    "Diagnostic",
    "EventRefused",
    "EventRow",
    "EventWaiting",
    "Field",
    "GraphVersion",
    "Ingestion",
    "Job",
    "JobVersion",
    "KeptChange",
    "KeptSearch",
    "Link",
    "Past",
    "Query",
    "QueryField",
    "Relinked",
    "ReportView",
    "Revision",
    "Run",
    "RunDataset",
    "RunVersion",
    "Source",
    "Statement",
    "System",
    "Use",
]
