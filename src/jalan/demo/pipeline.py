"""The demo's nightly pipeline as steps: what each file of SQL reads and writes."""

from dataclasses import dataclass
from functools import cache

from jalan import extract
from jalan.demo.scenario import PIPELINES, WAREHOUSE, pipeline_files
from jalan.demo.sources import KNOWN_AS

NAMESPACE = "ferry"
PIPELINE = "nightly"
SERVER = f"postgres://{KNOWN_AS}"
PRODUCER = "https://ferry.example/runner"
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
    found = extract(text, search_path=["public"])
    between = found.intermediates
    written = (one.target for one in found.statements if one.target and one.outputs)
    writes = dict.fromkeys(name for name in written if name not in between)
    reads = dict.fromkeys(link.table for link in found.links if link.table not in writes)
    return Step(file, text, tuple(map(_whole, reads)), tuple(map(_whole, writes)))


def _whole(name: str) -> str:
    return name if name.count(".") > 1 else f"{WAREHOUSE}.{name}" if "." in name else f"{WAREHOUSE}.public.{name}"
