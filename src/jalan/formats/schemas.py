"""The JSON Schemas that ship with Jalan."""

import json
from functools import cache
from importlib.resources import files
from typing import Any


@cache
def schema(name: str) -> dict[str, Any]:
    """Return a schema by name: ``report``, ``folder`` or ``values``."""
    found: dict[str, Any] = json.loads((files("jalan.formats") / f"{name}.schema.json").read_text("utf-8"))
    return found
