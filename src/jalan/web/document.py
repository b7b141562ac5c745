"""The OpenAPI document: what FastAPI knows of the endpoints, and the problems that each of them may answer.

The problems stand once, among the components; an endpoint refers to them. Source: OpenAPI specification 3.1.
"""

from typing import Any

from fastapi import FastAPI

from jalan.web.problems import Problem

_PROBLEMS = {
    400: ("NotTaken", "The request is none that this server takes"),
    403: ("Foreign", "A page of another site may not do this"),
    404: ("NotFound", "Not found"),
    409: ("Conflict", "Conflict"),
    413: ("TooLarge", "The body is too large"),
    422: ("Invalid", "Invalid request"),
    429: ("TooBusy", "More is waiting than is taken on; try again after the seconds of Retry-After"),
    503: ("Unavailable", "Store unavailable"),
}
_SCHEMA = {"application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}}


def document(app: FastAPI) -> dict[str, Any]:
    """Return the document; it is made once."""
    if app.openapi_schema is None:
        found = FastAPI.openapi(app)
        components = found["components"]
        for name in ("HTTPValidationError", "ValidationError"):  # ours are problems
            components["schemas"].pop(name, None)
        components["schemas"]["Problem"] = Problem.model_json_schema()
        components["responses"] = {
            name: {"description": why, "content": _SCHEMA} for name, why in _PROBLEMS.values()
        }
        told = {str(status): {"$ref": f"#/components/responses/{name}"} for status, (name, _) in _PROBLEMS.items()}
        for operations in found["paths"].values():
            for operation in operations.values():
                operation["responses"].update(told)
        app.openapi_schema = found
    return app.openapi_schema or {}
