"""A small runner: it runs the pipeline's SQL in the warehouse again and again, and tells of it as runners do."""

import threading
import time
from datetime import UTC, datetime
from typing import Any

import psycopg
import structlog
from openlineage.client import OpenLineageClient
from openlineage.client.event_v2 import InputDataset, Job, OutputDataset, Run, RunEvent, RunState
from openlineage.client.facet_v2 import (
    base_subset_dataset,
    column_lineage_dataset,
    environment_variables_run,
    error_message_run,
    job_type_job,
    output_statistics_output_dataset,
    parent_run,
    source_code_location_job,
    sql_job,
)
from openlineage.client.transport.http import HttpCompression, HttpConfig, HttpTransport
from openlineage.client.uuid import generate_new_uuid

from jalan.demo.cluster import Cluster
from jalan.demo.pipeline import NAMESPACE, PRODUCER, REPOSITORY, ROW_BYTES, SCANNED, SERVER, TOPIC, Step, steps
from jalan.demo.scenario import WAREHOUSE, connect

_REFRESH = "refresh"  # the pipeline that runs the same steps as that of the night
_FIRST_AFTER = 5.0  # seconds
_EVERY = 240.0  # seconds from one cycle to the next
_GATES_EVERY = 45.0
_NEW_TOPIC_AFTER = 4  # rounds of the loader of gate scans
_FAILS_EACH = 4  # cycles
_LATE_EACH = 3
_LATE_BY = 25.0  # seconds
_FAILING = "mart/loyalty.sql"
_LATE = "mart/crew_load.sql"
log = structlog.get_logger("jalan.demo")


class Runner:
    """Runs the pipeline and the loader of gate scans until it is told to end."""

    def __init__(self, cluster: Cluster, address: str) -> None:
        self._cluster = cluster
        self._client = OpenLineageClient(
            transport=HttpTransport(HttpConfig(url=address, compression=HttpCompression.GZIP))
        )
        self._end = threading.Event()
        self._threads = [threading.Thread(target=work, daemon=True) for work in (self._pipelines, self._gates)]

    def open(self) -> None:
        """Begin."""
        for thread in self._threads:
            thread.start()

    def close(self) -> None:
        """End, after the step at work."""
        self._end.set()
        for thread in self._threads:
            thread.join(20)

    # --- the pipeline --------------------------------------------------------------------------------

    def _pipelines(self) -> None:
        cycle = 0
        while not self._end.wait(_EVERY if cycle else _FIRST_AFTER):
            cycle += 1
            try:
                self._cycle(cycle)
            except Exception as error:
                log.error("the demo's pipeline stopped", reason=type(error).__name__)

    def _cycle(self, cycle: int) -> None:
        parameters = {"SAILING_DAY": f"{datetime.now(UTC):%Y-%m-%d}", "CYCLE": str(cycle), "USER": "demo runner"}
        top = _Task(_REFRESH, "PIPELINE", parameters)
        self._emit(top, RunState.START)
        failed = False
        for stage in dict.fromkeys(step.stage for step in steps()):
            mine = _Task(f"{_REFRESH}.{stage}", "STAGE", parameters, top, top)
            self._emit(mine, RunState.START)
            wrong = False
            for step in steps():
                if step.stage == stage and not self._end.is_set():
                    wrong |= not self._step(step, mine, top, cycle)
            self._emit(mine, RunState.FAIL if wrong else RunState.COMPLETE)
            failed |= wrong
        self._emit(top, RunState.FAIL if failed else RunState.COMPLETE)

    def _step(self, step: Step, stage: "_Task", top: "_Task", cycle: int) -> bool:
        """Run one file; returns whether it went well."""
        task = _Task(step.job, "TASK", stage.parameters, stage, top, step)
        self._emit(task, RunState.START)
        text = step.text
        if step.file == _FAILING and cycle % _FAILS_EACH == 0:
            text = f"select lapsed_points from core.passenger_value;\n{text}"
        if step.file == _LATE and cycle % _LATE_EACH == 0:
            self._end.wait(_LATE_BY)
        try:
            with connect(self._cluster, WAREHOUSE) as warehouse, warehouse.transaction():
                warehouse.execute(text)
                counts = {name: count_rows(warehouse, name) for name in step.writes}
        except psycopg.Error as error:
            self._emit(task, RunState.FAIL, message=str(error).splitlines()[0])
            return False
        self._emit(task, RunState.COMPLETE, wrote=counts)
        return True

    # --- gate scans ----------------------------------------------------------------------------------

    def _gates(self) -> None:
        """The loader of gate scans: one run that goes on, and finds a new topic under way."""
        task = _Task("gate-stream", "JOB", {}, namespace="gates", processing="STREAMING")
        topics = ["gate-scans"]
        state, number = RunState.START, 0
        while True:
            try:
                self._emit(task, state, topics=topics)
            except Exception as error:
                log.error("the demo's gate scans stopped", reason=type(error).__name__)
            if self._end.wait(_GATES_EVERY):
                break
            state, number = RunState.RUNNING, number + 1
            if number == _NEW_TOPIC_AFTER:
                topics.append("gate-scans-north-quay")

    # --- events --------------------------------------------------------------------------------------

    def _emit(
        self,
        task: "_Task",
        state: RunState,
        *,
        message: str = "",
        wrote: dict[str, int] | None = None,
        topics: list[str] | None = None,
    ) -> None:
        event = RunEvent(
            eventType=state,
            eventTime=datetime.now(UTC).isoformat(),
            run=Run(runId=task.run, facets=task.of_run(message)),
            job=Job(namespace=task.namespace, name=task.job, facets=task.of_job()),
            producer=PRODUCER,
            inputs=[_topic(name) for name in topics or ()] + task.inputs(state),
            outputs=[_written(name, rows) for name, rows in (wrote or {}).items()],
        )
        if topics:
            event.outputs = [_loaded()]
        for attempt in range(5):
            try:
                self._client.emit(event)
                return
            except Exception:
                if attempt == 4 or self._end.is_set():
                    raise
                time.sleep(1.0)


class _Task:
    """A run of something: a pipeline, a stage or a step of it."""

    def __init__(
        self,
        job: str,
        kind: str,
        parameters: dict[str, str],
        parent: "_Task | None" = None,
        root: "_Task | None" = None,
        step: Step | None = None,
        *,
        namespace: str = NAMESPACE,
        processing: str = "BATCH",
    ) -> None:
        self.run = str(generate_new_uuid())
        self.job = job
        self.namespace = namespace
        self.parameters = parameters
        self._kind = kind
        self._processing = processing
        self._parent = parent
        self._root = root
        self._step = step

    def of_run(self, message: str) -> dict[str, Any]:
        """Its facets as a run."""
        found: dict[str, Any] = {}
        if self._parent is not None and self._root is not None:
            found["parent"] = parent_run.ParentRunFacet(
                run=parent_run.Run(runId=self._parent.run),
                job=parent_run.Job(namespace=NAMESPACE, name=self._parent.job),
                root=parent_run.Root(
                    run=parent_run.RootRun(runId=self._root.run),
                    job=parent_run.RootJob(namespace=NAMESPACE, name=self._root.job),
                ),
            )
        if self.parameters:
            found["environmentVariables"] = environment_variables_run.EnvironmentVariablesRunFacet(
                environmentVariables=[
                    environment_variables_run.EnvironmentVariable(name=name, value=value)
                    for name, value in self.parameters.items()
                ]
            )
        if message:
            found["errorMessage"] = error_message_run.ErrorMessageRunFacet(
                message=message, programmingLanguage="SQL"
            )
        return found

    def of_job(self) -> dict[str, Any]:
        """Its facets as a job."""
        found: dict[str, Any] = {
            "jobType": job_type_job.JobTypeJobFacet(
                processingType=self._processing, integration="RUNNER", jobType=self._kind
            )
        }
        if self._step is not None:
            found["sql"] = sql_job.SQLJobFacet(query=self._step.text, dialect="postgresql")
            found["sourceCodeLocation"] = source_code_location_job.SourceCodeLocationJobFacet(
                type="git", url=REPOSITORY, path=self._step.file
            )
        return found

    def inputs(self, state: RunState) -> list[InputDataset]:
        """What it reads, told at its end."""
        if self._step is None or state == RunState.START:
            return []
        return [InputDataset(namespace=SERVER, name=name) for name in self._step.reads]


def _topic(name: str) -> InputDataset:
    subset = base_subset_dataset.InputSubsetInputDatasetFacet(
        inputCondition=base_subset_dataset.LocationSubsetCondition(locations=["gate-scans*"])
    )
    return InputDataset(namespace=TOPIC["namespace"], name=name, inputFacets={"subset": subset})


def _scanned(field: str) -> column_lineage_dataset.InputField:
    return column_lineage_dataset.InputField(TOPIC["namespace"], TOPIC["name"], field)


def _loaded() -> OutputDataset:
    fields = {one: column_lineage_dataset.Fields(inputFields=[_scanned(other)]) for one, other in SCANNED.items()}
    lineage = column_lineage_dataset.ColumnLineageDatasetFacet(fields=fields)
    return OutputDataset(namespace=SERVER, name="ticketing.public.tickets", facets={"columnLineage": lineage})


def _written(name: str, rows: int) -> OutputDataset:
    statistics = output_statistics_output_dataset.OutputStatisticsOutputDatasetFacet(
        rowCount=rows, size=rows * ROW_BYTES
    )
    return OutputDataset(namespace=SERVER, name=name, outputFacets={"outputStatistics": statistics})


def all_counts(cluster: Cluster) -> dict[str, int]:
    """Return the rows of each table that the pipeline writes."""
    with connect(cluster, WAREHOUSE) as warehouse:
        return {name: count_rows(warehouse, name) for step in steps() for name in step.writes}


def count_rows(warehouse: psycopg.Connection, name: str) -> int:
    """Return the rows of a table of the warehouse."""
    _, schema, table = name.split(".")
    query = psycopg.sql.SQL("select count(*) from {}").format(psycopg.sql.Identifier(schema, table))
    row = warehouse.execute(query).fetchone()
    return row[0] if row else 0
