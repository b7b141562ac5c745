"""Builds OpenLineage run events, with the facets that whoever runs SQL or a command has to tell.

Source: OpenLineage specification 2-0-2 ("RunEvent") with the facets parent 1-1-0, environment variables 1-0-0,
error message 1-0-1, job type 2-0-3, SQL 1-1-0 and source code location 1-0-1.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

SPEC = "https://openlineage.io/spec/2-0-2/OpenLineage.json#/$defs"
FACETS = "https://openlineage.io/spec/facets"

Facet = dict[str, Any]
Job = tuple[str, str]
"""Namespace and name."""


@dataclass(frozen=True, slots=True)
class Teller:
    """Who tells of runs. producer: the URI that stands for it."""

    producer: str

    def facet(self, schema: str, **values: Any) -> Facet:
        """Return a facet. schema: its version and file, as ``1-1-0/SQLJobFacet.json``."""
        return {"_producer": self.producer, "_schemaURL": f"{FACETS}/{schema}", **values}

    def event(
        self,
        kind: str,
        at: datetime,
        run: str,
        job: Job,
        *,
        of_run: Mapping[str, Facet],
        of_job: Mapping[str, Facet],
        inputs: Iterable[Mapping[str, Any]] = (),
        outputs: Iterable[Mapping[str, Any]] = (),
    ) -> dict[str, Any]:
        """Return an event of a run."""
        return {
            "eventType": kind,
            "eventTime": at.isoformat(),
            "producer": self.producer,
            "schemaURL": f"{SPEC}/RunEvent",
            "run": {"runId": run, "facets": dict(of_run)},
            "job": {"namespace": job[0], "name": job[1], "facets": dict(of_job)},
            "inputs": list(inputs),
            "outputs": list(outputs),
        }

    def parent(self, run: str, job: Job, root: tuple[str, Job] | None = None) -> Facet:
        """Return who called a run; root: the run on top of all, with its job."""
        top = {} if root is None else {"root": {"run": {"runId": root[0]}, "job": _named(root[1])}}
        return self.facet("1-1-0/ParentRunFacet.json", run={"runId": run}, job=_named(job), **top)

    def variables(self, variables: Mapping[str, str]) -> Facet:
        """Return what a run found in its environment."""
        listed = [{"name": name, "value": value} for name, value in variables.items()]
        return self.facet("1-0-0/EnvironmentVariablesRunFacet.json", environmentVariables=listed)

    def error(self, message: str, trace: str, language: str) -> Facet:
        """Return what a run said when it failed."""
        return self.facet(
            "1-0-1/ErrorMessageRunFacet.json", message=message, programmingLanguage=language, stackTrace=trace
        )

    def job_type(self, integration: str, kind: str) -> Facet:
        """Return what kind of job it is, one that comes to an end."""
        return self.facet(
            "2-0-3/JobTypeJobFacet.json", processingType="BATCH", integration=integration, jobType=kind
        )

    def code(self, sql: str, dialect: str, *, kind: str, url: str, path: str) -> dict[str, Facet]:
        """Return the SQL of a job and where it stands, as facets by their names."""
        return {
            "sql": self.facet("1-1-0/SQLJobFacet.json", query=sql, dialect=dialect),
            "sourceCodeLocation": self.facet(
                "1-0-1/SourceCodeLocationJobFacet.json", type=kind, url=url, path=path
            ),
        }


def _named(job: Job) -> dict[str, str]:
    return {"namespace": job[0], "name": job[1]}
