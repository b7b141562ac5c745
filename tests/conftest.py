"""What all tests share: a PostgreSQL cluster of their own, fresh databases in it, and the demo loaded once."""

import logging
import os
import shutil
import tempfile
import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import psycopg
import pytest
from hypothesis import settings
from sqlalchemy import Engine
from xdist.scheduler import LoadScopeScheduling

from jalan.demo import scenario, traffic
from jalan.demo.cluster import Cluster
from jalan.demo.nights import write_past
from jalan.demo.pipeline import mend
from jalan.demo.report_desk import create_desk, read_content, served
from jalan.demo.runner import all_counts
from jalan.demo.sources import DESK_TOKEN
from jalan.demo.start import fill_store
from jalan.service.logs import configure
from jalan.service.runs.worker import work_through
from jalan.store.database import migrate, open_store

# How long an example takes says something about the machine, nothing about the code. `make test` tries the same
# examples each time; `make nightly` tries new ones, and again those that have failed before.
settings.register_profile("jalan", deadline=None, derandomize=True)
settings.register_profile("nightly", deadline=None, print_blob=True)
NIGHTLY = bool(os.environ.get("JALAN_NIGHTLY"))
settings.load_profile("nightly" if NIGHTLY else "jalan")

ROOT = Path(__file__).resolve().parent.parent
# Tests read files of their own folders and reach servers of their own, all of them on this machine.
os.environ["JALAN_FILES"] = tempfile.gettempdir() + os.pathsep + str(ROOT)
os.environ["JALAN_REACH"] = "* 127.0.0.1 localhost"
configure(logging.CRITICAL)
# Two processes share the files: those that take longest come first, so that both end at about the same time.
LONGEST = (
    "store/test_sources.py",
    "oracle/test_random_queries.py",
    "web/test_fuzz.py",
    "web/test_sources_api.py",
    "web/test_bounded.py",
    "core/test_graph.py",
    "cli/test_wrapped.py",
    "store/test_past.py",
    "web/test_kill.py",
    "store/test_relinking.py",
    "store/test_reports.py",
    "oracle/test_changed_values.py",
)
# These share the demo, which takes a while to make: one process has them all.
WITH_DEMO = (
    "browser/test_change.py",
    "browser/test_road.py",
    "browser/test_runs.py",
    "browser/test_sources.py",
    "browser/test_story.py",
    "cli/test_commands.py",
    "oracle/test_pipeline.py",
    "store/test_difference.py",
    "store/test_exchange.py",
    "store/test_suspects.py",
    "web/test_api.py",
    "web/test_change_api.py",
    "web/test_demo_runner.py",
    "web/test_baselines.py",
    "web/test_kept_changes.py",
    "oracle/test_change.py",
    "oracle/test_plan.py",
    "web/test_guard.py",
)
SMALL = 0.03  # a thirtieth of the demo's rows: every case is in it, and the pipeline runs in a second


class _ByFile(LoadScopeScheduling):
    """Gives the tests of a file to one process, and all files that share the demo to the same one."""

    def _split_scope(self, nodeid: str) -> str:
        file = nodeid.partition("::")[0]
        return "with the demo" if file.removeprefix("tests/") in WITH_DEMO else file


def pytest_xdist_make_scheduler(config: pytest.Config, log: Any) -> LoadScopeScheduling:
    """Say who hands the tests out."""
    return _ByFile(config, log)


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Put those that take longest first."""
    order = {str(ROOT / "tests" / name): place for place, name in enumerate((*WITH_DEMO, *LONGEST))}
    items.sort(key=lambda item: order.get(str(item.path), len(order)))


@pytest.fixture(scope="session")
def cluster() -> Iterator[Cluster]:
    """A running cluster for tests; kept between runs, because making one takes seconds."""
    name = os.environ.get("PYTEST_XDIST_WORKER", "main")
    found = Cluster(ROOT / ".jalan" / "test" / name, durable=False)
    # What earlier runs of the tests have asked is no part of this one's history.
    shutil.rmtree(found.logs, ignore_errors=True)
    found.start()
    yield found
    found.stop()


def admin(cluster: Cluster, database: str = "postgres") -> psycopg.Connection:
    """Open a plain connection that commits each statement."""
    return scenario.connect(cluster, database)


@contextmanager
def fresh_database(cluster: Cluster) -> Iterator[str]:
    """Make an empty database, dropped at the end."""
    name = f"t_{uuid.uuid4().hex[:12]}"
    with admin(cluster) as connection:
        connection.execute(f'create database "{name}"')
    try:
        yield name
    finally:
        with admin(cluster) as connection:
            connection.execute(f'drop database "{name}" with (force)')


@pytest.fixture(scope="module")
def database(cluster: Cluster) -> Iterator[str]:
    """The name of an empty database."""
    with fresh_database(cluster) as name:
        yield name


@pytest.fixture
def store(cluster: Cluster) -> Iterator[Engine]:
    """An empty store at the newest version."""
    with fresh_database(cluster) as name:
        engine = open_store(cluster.url(name))
        migrate(engine)
        yield engine
        engine.dispose()


@dataclass(frozen=True)
class Demo:
    """The demo, small, and a store with all of it."""

    cluster: Cluster
    engine: Engine


@pytest.fixture(scope="session")
def demo(cluster: Cluster) -> Iterator[Demo]:
    """The demo with few rows, scanned and loaded."""
    names = scenario.build(cluster, scale=SMALL, say=lambda message: None)
    mend(cluster, lambda message: None)
    traffic.make_readers(cluster)
    traffic.ask(cluster)
    with fresh_database(cluster) as name, served(create_desk(read_content(), DESK_TOKEN)) as desk:
        engine = fill_store(cluster, names, cluster.url(name), desk)
        write_past(engine, all_counts(cluster))
        work_through(engine)
        yield Demo(cluster, engine)
        engine.dispose()
