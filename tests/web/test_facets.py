"""Every facet of the standard that Jalan understands comes back as it was sent, and stands where a person looks."""

import json
from typing import Any

import pytest
from openlineage.client import OpenLineageClient
from openlineage.client.event_v2 import (
    DatasetEvent,
    InputDataset,
    Job,
    JobEvent,
    OutputDataset,
    Run,
    RunEvent,
    RunState,
    StaticDataset,
)
from openlineage.client.facet_v2 import (
    base_subset_dataset,
    catalog_dataset,
    data_quality_metrics_input_dataset,
    datasource_dataset,
    documentation_dataset,
    documentation_job,
    external_query_run,
    hierarchy_dataset,
    job_type_job,
    lifecycle_state_change_dataset,
    nominal_time_run,
    ownership_dataset,
    ownership_job,
    processing_engine_run,
    schema_dataset,
    source_code_job,
    source_code_location_job,
    storage_dataset,
    symlinks_dataset,
    tags_dataset,
    tags_job,
    tags_run,
)
from openlineage.client.serde import Serde
from openlineage.client.transport.http import HttpConfig, HttpTransport
from sqlalchemy import Engine, text

from jalan.service.runs.worker import work_through
from jalan.web.app import create_app
from tests.events import SERVER, event, run_id, send
from tests.web.serving import serving
from tests.web.test_api import Client

PRODUCER = "https://ferry.example/runner"
AT = "2026-11-27T02:05:00Z"
subset = base_subset_dataset
metrics = data_quality_metrics_input_dataset


@pytest.fixture
def client(store: Engine) -> Client:
    return Client(create_app(store))


def emit(store: Engine, *sent: RunEvent | JobEvent | DatasetEvent) -> None:
    """Send events over HTTP and take them in; each has to be kept to its last field."""
    with serving(store) as address:
        sender = OpenLineageClient(transport=HttpTransport(HttpConfig(url=address)))
        for one in sent:
            sender.emit(one)
    with store.connect() as connection:
        kept = [json.loads(raw) for raw in connection.execute(text("select raw from event")).scalars()]
    for one in sent:
        assert json.loads(Serde.to_json(one)) in kept
    work_through(store)


def of_job() -> dict[str, Any]:
    """The facets of a job."""
    return {
        "sourceCode": source_code_job.SourceCodeJobFacet(language="python", sourceCode="count(gates)"),
        "sourceCodeLocation": source_code_location_job.SourceCodeLocationJobFacet(
            type="git", url="https://git.ferry.example/jobs", path="gates.py", version="a1b2"
        ),
        "documentation": documentation_job.DocumentationJobFacet(description="Counts who went aboard."),
        "ownership": ownership_job.OwnershipJobFacet(
            owners=[ownership_job.Owner(name="team:quay"), ownership_job.Owner(name="team:tickets")]
        ),
        "jobType": job_type_job.JobTypeJobFacet(processingType="BATCH", integration="RUNNER", jobType="TASK"),
        "tags": tags_job.TagsJobFacet(
            tags=[
                tags_job.TagsJobFacetFields(key="tier", value="gold"),
                tags_job.TagsJobFacetFields(key="night", value="yes"),
            ]
        ),
    }


def of_run() -> dict[str, Any]:
    """The facets of a run."""
    return {
        "processing_engine": processing_engine_run.ProcessingEngineRunFacet(name="Weaver", version="4.1"),
        "externalQuery": external_query_run.ExternalQueryRunFacet(externalQueryId="q-77", source="warehouse"),
        "nominalTime": nominal_time_run.NominalTimeRunFacet(
            nominalStartTime="2026-11-27T02:00:00Z", nominalEndTime="2026-11-27T03:00:00Z"
        ),
        "tags": tags_run.TagsRunFacet(tags=[tags_run.TagsRunFacetFields(key="rerun", value="2")]),
    }


def of_dataset() -> dict[str, Any]:
    """The facets of a dataset."""
    field = schema_dataset.SchemaDatasetFacetFields
    return {
        "schema": schema_dataset.SchemaDatasetFacet(
            fields=[
                field(name="gate", type="struct", fields=[field(name="pier", type="int", description="number")])
            ]
        ),
        "dataSource": datasource_dataset.DatasourceDatasetFacet(name="islands", uri="postgres://islands"),
        "symlinks": symlinks_dataset.SymlinksDatasetFacet(
            identifiers=[symlinks_dataset.Identifier(namespace="files://quay", name="/gates", type="TABLE")]
        ),
        "ownership": ownership_dataset.OwnershipDatasetFacet(owners=[ownership_dataset.Owner(name="team:quay")]),
        "documentation": documentation_dataset.DocumentationDatasetFacet(description="Who went aboard."),
        "lifecycleStateChange": lifecycle_state_change_dataset.LifecycleStateChangeDatasetFacet(
            lifecycleStateChange=lifecycle_state_change_dataset.LifecycleStateChange.OVERWRITE
        ),
        "storage": storage_dataset.StorageDatasetFacet(storageLayer="files", fileFormat="parquet"),
        "catalog": catalog_dataset.CatalogDatasetFacet(framework="hive", type="metastore", name="quay"),
        "hierarchy": hierarchy_dataset.HierarchyDatasetFacet(
            hierarchy=[hierarchy_dataset.HierarchyDatasetFacetLevel(type="DATABASE", name="strait")]
        ),
        "tags": tags_dataset.TagsDatasetFacet(
            tags=[tags_dataset.TagsDatasetFacetFields(key="personal", value="yes", field="gate")]
        ),
    }


def ran(inputs: dict[str, Any] | None = None, outputs: dict[str, Any] | None = None, **facets: Any) -> RunEvent:
    """A run that has read one table and written another."""
    return RunEvent(
        eventType=RunState.COMPLETE,
        eventTime=AT,
        run=Run(runId=run_id(5), facets=facets.get("run", {})),
        job=Job(namespace="ferry", name="gates", facets=facets.get("job", {})),
        producer=PRODUCER,
        inputs=[
            InputDataset(
                namespace=SERVER,
                name="strait.landing.gates",
                facets=facets.get("dataset", {}),
                inputFacets=inputs or {},
            )
        ],
        outputs=[OutputDataset(namespace=SERVER, name="strait.core.boarded", outputFacets=outputs or {})],
    )


def about_run(client: Client) -> dict[str, Any]:
    return dict(client.json(f"/api/v1/runs/{run_id(5)}"))


def dataset_named(client: Client, name: str) -> dict[str, Any]:
    (row,) = (one for one in client.json("/api/v1/catalog", limit=50)["items"] if one["name"] == name)
    return dict(client.json(f"/api/v1/datasets/{row['id']}"))


def test_what_is_told_of_a_job_stands_with_its_runs_and_with_it(store: Engine, client: Client) -> None:
    emit(store, ran(job=of_job()))
    run = about_run(client)
    assert (run["code"], run["code_dialect"], run["place"], run["revision"]) == (
        "count(gates)",
        "python",
        "gates.py",
        "a1b2",
    )
    job = client.json(f"/api/v1/jobs/{run['row']['job']['id']}")
    for found in (run, job):
        assert found["description"] == "Counts who went aboard."
        assert found["owner"] == "team:quay, team:tickets"
        assert found["job_type"] == "BATCH, RUNNER, TASK"
        assert found["tags"] == ["tier: gold", "night: yes"]
    (version,) = job["versions"]
    assert (version["kind"], version["text"], version["place"]) == ("source", "count(gates)", "gates.py")


def test_a_job_that_tells_of_itself_needs_no_run(store: Engine, client: Client) -> None:
    alone = JobEvent(eventTime=AT, job=Job(namespace="ferry", name="gates", facets=of_job()), producer=PRODUCER)
    emit(store, alone, ran())
    run = about_run(client)
    assert run["description"] == "Counts who went aboard."
    assert run["tags"] == ["tier: gold", "night: yes"]


def test_what_is_told_of_a_run_stands_with_it(store: Engine, client: Client) -> None:
    emit(store, ran(run=of_run()))
    run = about_run(client)
    assert run["engine"] == "Weaver 4.1"
    assert run["query"] == "q-77"
    assert run["nominal_at"] == "2026-11-27T02:00:00Z"
    assert run["parameters"]["rerun"] == "2"


def test_a_plan_that_an_engine_attaches_is_a_tree(store: Engine, client: Client) -> None:
    plan = {"plan": [{"class": "Scan", "children": [{"class": "Filter", "condition": "not fog"}]}]}
    send(
        store,
        [event("COMPLETE", 5, "gates", 1, facets={"weaver_logicalPlan": plan, "physicalPlan": {"text": "x"}})],
    )
    work_through(store)
    assert about_run(client)["plans"] == {"physicalPlan": {"text": "x"}, "weaver_logicalPlan": plan}


@pytest.mark.parametrize("alone", [False, True])
def test_what_is_told_of_a_dataset_stands_with_it(store: Engine, client: Client, alone: bool) -> None:
    if alone:
        static = StaticDataset(namespace=SERVER, name="strait.landing.gates", facets=of_dataset())
        emit(store, DatasetEvent(eventTime=AT, dataset=static, producer=PRODUCER))
    else:
        emit(store, ran(dataset=of_dataset()))
    found = dataset_named(client, "strait.landing.gates")
    assert (found["description"], found["owner"]) == ("Who went aboard.", "team:quay")
    assert found["details"] == {
        "storage": ["files", "parquet"],
        "catalog": ["hive", "metastore", "quay"],
        "data source": ["islands", "postgres://islands"],
        "lies in": ["database strait"],
        "tags": ["personal: yes: gate"],
        "last": ["overwrite"],
    }
    assert {one["name"]: (one["type"], one["description"]) for one in found["columns"] if one["type"]} == {
        "gate": ("struct", None),
        "gate.pier": ("int", "number"),
    }


def test_another_name_of_a_dataset_is_the_same_dataset(store: Engine, client: Client) -> None:
    emit(store, ran(dataset={"symlinks": of_dataset()["symlinks"]}))
    other = event("COMPLETE", 6, "tidy", 9, inputs=[{"namespace": "files://quay", "name": "/gates"}])
    send(store, [other])
    work_through(store)
    (mine,) = (one for one in about_run(client)["sides"] if one["side"] == "in")
    (theirs,) = client.json(f"/api/v1/runs/{run_id(6)}")["sides"]
    shown = [client.json(f"/api/v1/datasets/{one['dataset']}") for one in (mine, theirs)]
    assert shown[0] == shown[1]


def column(**numbers: Any) -> metrics.ColumnMetrics:
    return metrics.ColumnMetrics(**numbers)


def test_what_was_measured_of_an_input_stands_with_it(store: Engine, client: Client) -> None:
    measured = metrics.DataQualityMetricsInputDatasetFacet(
        rowCount=812,
        bytes=9_000,
        columnMetrics={
            "fare": column(nullCount=3, distinctCount=40, sum=8140.5, min=-2.5, max=90.0, quantiles={"0.5": 11.0}),
            "gate": column(),
        },
    )
    emit(store, ran({"dataQualityMetrics": measured}))
    (side,) = (one for one in about_run(client)["sides"] if one["side"] == "in")
    assert (side["rows"], side["bytes"], side["measured"]) == (812, 9_000, 1)
    assert side["measures"] == {
        "fare": {"null": 3, "distinct": 40, "sum": 8140.5, "min": -2.5, "max": 90.0, "quantile 0.5": 11.0}
    }


def is_(field: str, comparison: str, value: str) -> subset.CompareSubsetCondition:
    return subset.CompareSubsetCondition(
        subset.FieldBaseCompareExpression(field), subset.LiteralCompareExpression(value), comparison
    )


@pytest.mark.parametrize(
    ("condition", "words"),
    [
        (is_("fare", "GREATER_EQUAL_THAN", "10"), "fare >= '10'"),
        (
            subset.BinarySubsetCondition(is_("port", "EQUAL", "north"), is_("fare", "LESS_THAN", "5"), "OR"),
            "(port = 'north' or fare < '5')",
        ),
        (
            subset.PartitionSubsetCondition(
                [subset.Partition({"day": "2026-11-26", "port": "north"}), subset.Partition({}, "day-27")]
            ),
            "day = 2026-11-26 and port = north or day-27",
        ),
    ],
)
def test_which_part_was_read_and_written_stands_with_it(
    store: Engine, client: Client, condition: Any, words: str
) -> None:
    read = subset.InputSubsetInputDatasetFacet(inputCondition=condition)
    written = subset.OutputSubsetOutputDatasetFacet(outputCondition=condition)
    emit(store, ran({"subset": read}, {"subset": written}))
    assert [(one["side"], one["subset"], one["pattern"]) for one in about_run(client)["sides"]] == [
        ("in", words, []),
        ("out", words, []),
    ]


def test_facets_that_are_anything_cost_only_what_they_would_have_said(store: Engine, client: Client) -> None:
    deep: dict[str, Any] = {"type": "location", "locations": ["deepest"]}
    for _ in range(100):
        deep = {"type": "binary", "left": deep, "right": 7, "operator": ["or"]}
    broken = {
        "subset": {"inputCondition": deep},
        "dataQualityMetrics": {
            "rowCount": "many",
            "columnMetrics": {"fare": [1], "gate": {"sum": 1e308, "min": True}},
        },
    }
    facets = {
        "tags": {"tags": {"key": "x"}},
        "documentation": {"description": 7},
        "ownership": {"owners": ["x", {"name": 3}]},
    }
    one = {"namespace": SERVER, "name": "strait.landing.gates", "inputFacets": broken}
    send(store, [event("COMPLETE", 5, "gates", 1, inputs=[one], job_facets=facets, facets=facets)])
    work_through(store)
    run = about_run(client)
    assert (run["tags"], run["description"], run["owner"], run["parameters"]) == ([], "", "", {})
    (side,) = run["sides"]
    assert (side["rows"], side["measures"], side["measured"]) == (None, {}, 0)
    assert client.json(f"/api/v1/jobs/{run['row']['job']['id']}")["tags"] == []
