"""The sources of the demo: every kind, from real servers and files."""

from dataclasses import dataclass
from pathlib import Path
from typing import Any

from sqlalchemy import Engine
from sqlalchemy.orm import Session

from jalan.demo import past, traffic
from jalan.demo.cluster import Cluster
from jalan.service.context import Context
from jalan.service.errors import NotFound
from jalan.service.ingest import sources

KNOWN_AS = "islands:5432"  # the server's name in the catalogue, whatever port it got today
DESK = "reports://desk"
DESK_TOKEN = "a-token-of-the-demo"
OFFICE = Path(__file__).parent / "office"
WHO = "demo"


@dataclass(frozen=True, slots=True)
class DemoSource:
    """A source as the demo adds it."""

    name: str
    config: dict[str, Any]
    schedule: str | None


def demo_sources(cluster: Cluster, databases: tuple[str, ...], desk: str) -> list[DemoSource]:
    """Return the sources. desk: the address of the stand-in for reports."""
    directory = cluster.directory
    found = [
        DemoSource(
            f"{database} database",
            {
                "kind": "postgresql",
                "host": "127.0.0.1",
                "port": cluster.port,
                "database": database,
                "user": "jalan",
                "password": cluster.password,
                "known_as": KNOWN_AS,
                "aliases": {f"127.0.0.1:{cluster.port}": KNOWN_AS},
                "samples": True,
            },
            "15 3 * * *",
        )
        for database in databases
    ]
    repository = past.make_repository(directory / "repository")
    month = traffic.write_month(directory / "gateway" / "queries.csv")
    found += [
        DemoSource(
            "ferry",
            {"kind": "repository", "location": str(repository), "revision": past.BRANCH, "known_as": "ferry"},
            "*/30 * * * *",
        ),
        DemoSource(
            "report desk",
            {"kind": "reports", "url": desk, "token": DESK_TOKEN, "known_as": DESK, "server": KNOWN_AS},
            "0 5 * * *",
        ),
        DemoSource(
            "server log",
            {
                "kind": "history",
                "format": "jsonlog",
                "files": f"{cluster.logs}/*.json",
                "server": KNOWN_AS,
                "databases": sorted(databases),
                "search_path": ["public"],
            },
            "*/15 * * * *",
        ),
        DemoSource(
            "query gateway",
            {
                "kind": "history",
                "format": "csv",
                "files": str(month),
                "server": KNOWN_AS,
                "mapping": {
                    "text": "sent",
                    "time": "at",
                    "user": "account",
                    "application": "tool",
                    "database": "db",
                    "duration": "seconds",
                    "duration_unit": "s",
                    "rows": "rows_out",
                },
            },
            None,
        ),
        DemoSource(
            "harbour register",
            {
                "kind": "tabular",
                "datasets": str(OFFICE / "register-datasets.csv"),
                "flows": str(OFFICE / "register-flows.csv"),
                "namespace": "file://harbour-office",
                "dataset_columns": {
                    "id": "id",
                    "name": "asset",
                    "namespace": "system",
                    "kind": "type",
                    "description": "about",
                    "owner": "steward",
                },
                "flow_columns": {
                    "flow": "flow",
                    "dataset": "dataset",
                    "side": "direction",
                    "input": "in",
                    "output": "out",
                    "type": "flow_type",
                    "name": "flow_name",
                },
                "rules": [
                    {"rule": "ignore", "where": {"column": "flow_type", "in": ["retired"]}},
                    {
                        "rule": "fill",
                        "column": "dataset",
                        "from": "target_hint",
                        "where": {"column": "direction", "in": ["out"]},
                    },
                    {"rule": "drop_duplicates", "by": ["flow", "direction", "dataset"]},
                    {"rule": "missing_side", "side": "output", "from": "target_hint"},
                    {
                        "rule": "missing_side",
                        "side": "output",
                        "from": "flow",
                        "where": {"column": "flow_type", "in": ["self_named"]},
                    },
                ],
            },
            None,
        ),
        DemoSource("gate loader", {"kind": "events", "file": str(OFFICE / "gate-events.jsonl")}, None),
        DemoSource("harbour office", {"kind": "declared", "location": str(OFFICE / "declared.yaml")}, None),
    ]
    return found


def add_all(engine: Engine, found: list[DemoSource]) -> list[int]:
    """Add the sources, or bring their configuration up to date; returns their ids in order."""
    ids = []
    for one in found:
        try:
            with Session(engine) as session:
                known = sources.find(session, one.name).id
            sources.change(Context(engine, WHO), known, one.config, schedule=one.schedule)
            ids.append(known)
        except NotFound:
            ids.append(sources.add(Context(engine, WHO), one.name, one.config, schedule=one.schedule))
    return ids
