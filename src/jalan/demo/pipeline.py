"""The demo's nightly pipeline as steps: what each file of SQL reads and writes."""

from dataclasses import dataclass
from functools import cache

from jalan import extract
from jalan.catalog.names import full_table_name
from jalan.demo.cluster import Cluster
from jalan.demo.scenario import PIPELINES, WAREHOUSE, Say, connect, pipeline_files, run_pipeline
from jalan.demo.sources import KNOWN_AS
from jalan.lineage.read_and_written import read_and_written

NAMESPACE = "ferry"
PIPELINE = "nightly"
SERVER = f"postgres://{KNOWN_AS}"
PRODUCER = "https://ferry.example/runner"
REPOSITORY = "https://git.ferry.example/data"
ROW_BYTES = 64  # of a row that is written, about
TOPIC = {"namespace": "kafka://quay:9092", "name": "gate-scans"}
SCANNED = {"ticket_id": "ticket_id", "seat_no": "seat", "used_at": "scanned_at"}
"""What the loaders of gate scans write → what of a scan it comes from."""


@dataclass(frozen=True, slots=True)
class Step:
    """One file of the pipeline. reads, writes: names of datasets of the warehouse, with their database."""

    file: str
    text: str
    reads: tuple[str, ...]
    writes: tuple[str, ...]

    @property
    def stage(self) -> str:
        """The stage that it belongs to: landing, tidy, core or mart."""
        return self.file.partition("/")[0]

    @property
    def job(self) -> str:
        """The name of its job, the same as the repository gives it."""
        return f"{PIPELINE}.{self.file.removesuffix('.sql').replace('/', '.')}"

    @property
    def stage_job(self) -> str:
        """The name of the job of its stage."""
        return f"{PIPELINE}.{self.stage}"


@cache
def steps() -> tuple[Step, ...]:
    """Return the steps in the order in which they run."""
    return tuple(_step(file, (PIPELINES / file).read_text()) for file in pipeline_files())


def _step(file: str, text: str) -> Step:
    reads, writes = read_and_written(extract(text, search_path=["public"]))
    return Step(file, text, tuple(map(_whole, reads)), tuple(map(_whole, writes)))


def _whole(name: str) -> str:
    return full_table_name(name, WAREHOUSE, ["public"])


def mend(cluster: Cluster, say: Say = print) -> None:
    """Run the pipeline once more where it was broken off: what one file drops, a later one makes again."""
    written = [name.removeprefix(f"{WAREHOUSE}.") for step in steps() for name in step.writes]
    with connect(cluster, WAREHOUSE) as warehouse:
        query = "select 1 from unnest(%s::text[]) name where to_regclass(name) is null"
        if warehouse.execute(query, (written,)).fetchone() is not None:
            run_pipeline(warehouse, say)
