"""Made-up people who ask the demo's warehouse: queries that PostgreSQL logs, and a month of them in a table."""

import csv
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np
import psycopg

from jalan.demo.cluster import Cluster

_READERS = {
    "revenue_desk": "ledger sheets",
    "quay_desk": "quay screens",
    "crew_planning": "roster tool",
    "harbour_office": "notebook",
}
_QUERIES: tuple[tuple[str, str, str], ...] = (
    (
        "strait",
        "revenue_desk",
        "select route_name, sum(gross) from mart.route_month where month >= '{day}' group by 1",
    ),
    ("strait", "revenue_desk", "select channel, refund_rate from mart.refund_watch where week = '{day}'"),
    (
        "strait",
        "revenue_desk",
        "select t.channel, sum(t.fare_paid) from core.ticket_facts t where t.sold_on between '{day}' and '2026-12-31' "
        "group by t.channel order by 2 desc limit {n}",
    ),
    (
        "strait",
        "quay_desk",
        "select vessel_name, departs_at, load_factor from mart.sailing_board where sailing_id = {n}",
    ),
    ("strait", "quay_desk", "select * from mart.sailing_board where route_name = 'R{n}' and revenue > {n}"),
    (
        "strait",
        "crew_planning",
        "select crew_id, hours_4_weeks from mart.crew_load where over_limit and hours > {n}",
    ),
    (
        "strait",
        "crew_planning",
        "select h.crew_id, h.week, s.seats from core.crew_hours h join core.sailing_revenue s on s.sailing_id = {n} "
        "where h.cost > {n}",
    ),
    (
        "harbour",
        "harbour_office",
        "select port, max(height_m) from ops.tide_table where measured_at > '{day}' group by port",
    ),
    (
        "harbour",
        "harbour_office",
        "select wind_knots from ops.weather where port_id in ({n}, 2, 3) and visibility_km < 1",
    ),
    ("ticketing", "revenue_desk", "select topic, count(*) from complaints where closed_at is null group by topic"),
)
_WRITING = (
    "create table if not exists mart.desk_notes as select sailing_id, revenue from mart.sailing_board where revenue < {n}",
    "insert into mart.desk_notes select sailing_id, earned from mart.sailing_board where sailing_id = {n}",
)


def make_readers(cluster: Cluster) -> None:
    """Make the people's accounts, which may only read, and let what they ask be logged."""
    with psycopg.connect(cluster.url("postgres").replace("+psycopg", ""), autocommit=True) as connection:
        known = {row[0] for row in connection.execute("select rolname from pg_roles")}
        for name in _READERS:
            if name not in known:
                connection.execute(
                    f"create role {name} login password '{cluster.password}' in role pg_read_all_data"
                )
        for database in ("harbour", "ticketing", "strait"):
            connection.execute(f"alter database {database} set log_min_duration_statement = 0")


def ask(cluster: Cluster, times: int = 3, seed: int = 7) -> None:
    """Let everyone ask everything some times, with other constants each time."""
    random = np.random.default_rng(seed)
    for database, person, query in _QUERIES:
        address = {
            "host": "127.0.0.1",
            "port": cluster.port,
            "dbname": database,
            "user": person,
            "password": cluster.password,
            "application_name": _READERS[person],
        }
        with psycopg.connect(**address, autocommit=True) as connection:  # type: ignore[arg-type]
            for _ in range(times):
                connection.execute(_filled(query, random))
    with psycopg.connect(cluster.url("strait").replace("+psycopg", ""), autocommit=True) as connection:
        connection.execute("set application_name = 'desk notes'")
        for query in _WRITING:
            connection.execute(_filled(query, random))


def _filled(query: str, random: np.random.Generator) -> str:
    day = datetime(2026, 1, 5) + timedelta(days=int(random.integers(0, 200)))
    return query.replace("{day}", day.strftime("%Y-%m-%d")).replace("{n}", str(int(random.integers(1, 400))))


def write_month(path: Path, seed: int = 11) -> Path:
    """Write what a gateway noted of the last month, as a table; once, so that it stays the same."""
    if path.exists():
        return path
    random = np.random.default_rng(seed)
    start = datetime.now(UTC).replace(hour=0, minute=0, second=0, microsecond=0) - timedelta(days=30)
    path.parent.mkdir(parents=True, exist_ok=True)
    with path.open("w", newline="") as file:
        writer = csv.writer(file)
        writer.writerow(["at", "account", "tool", "db", "seconds", "rows_out", "sent"])
        for day in range(30):
            for database, person, query in _QUERIES:
                for _ in range(int(random.integers(0, 12))):
                    at = start + timedelta(days=day, minutes=int(random.integers(360, 1200)))
                    writer.writerow(
                        [
                            at.isoformat(),
                            person,
                            _READERS[person],
                            database,
                            round(float(random.gamma(2, 0.2)), 3),
                            int(random.integers(1, 5000)),
                            _filled(query, random),
                        ]
                    )
            if day % 10 == 3:
                writer.writerow(
                    [
                        (start + timedelta(days=day)).isoformat(),
                        "revenue_desk",
                        "ledger sheets",
                        "strait",
                        0.1,
                        0,
                        "select route_name from mart.route_month where (month = '2026-05-01'",
                    ]
                )
    return path
