"""What all tests share: a PostgreSQL cluster of their own, and fresh databases in it."""

import os
import uuid
from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest

from jalan.demo.cluster import Cluster

ROOT = Path(__file__).resolve().parent.parent


@pytest.fixture(scope="session")
def cluster() -> Iterator[Cluster]:
    """A running cluster for tests; kept between runs, because making one takes seconds."""
    name = os.environ.get("PYTEST_XDIST_WORKER", "main")
    found = Cluster(ROOT / ".jalan" / "test" / name, durable=False)
    found.start()
    yield found
    found.stop()


def admin(cluster: Cluster, database: str = "postgres") -> psycopg.Connection:
    """Open a plain connection that commits each statement."""
    url = cluster.url(database).replace("+psycopg", "")
    return psycopg.connect(url, autocommit=True)


@pytest.fixture(scope="module")
def database(cluster: Cluster) -> Iterator[str]:
    """The name of an empty database that is dropped afterwards."""
    name = f"t_{uuid.uuid4().hex[:12]}"
    with admin(cluster) as connection:
        connection.execute(f'create database "{name}"')
    yield name
    with admin(cluster) as connection:
        connection.execute(f'drop database "{name}" with (force)')
