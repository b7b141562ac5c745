"""YAML files with places: what is wrong is said with file, line and what is allowed."""

import difflib
from pathlib import Path
from typing import Any

from jsonschema import Draft202012Validator
from jsonschema.exceptions import ValidationError
from ruamel.yaml import YAML
from ruamel.yaml.comments import CommentedMap, CommentedSeq
from ruamel.yaml.error import MarkedYAMLError

from jalan.sources.errors import FileError


def read_yaml(path: Path, shown: str, schema: dict[str, Any]) -> CommentedMap:
    """Read and check a YAML file; raises FileError for the first thing that is wrong."""
    try:
        text = path.read_text(encoding="utf-8")
    except UnicodeDecodeError as error:
        raise FileError(shown, 1, "the file is not in UTF-8") from error
    return parse_yaml(text, shown, schema)


def parse_yaml(text: str, shown: str, schema: dict[str, Any]) -> CommentedMap:
    """The same for the text of a file."""
    try:
        found = YAML().load(text)
    except MarkedYAMLError as error:
        mark = error.problem_mark or error.context_mark
        raise FileError(shown, mark.line + 1 if mark else 1, f"this is no YAML: {error.problem}") from error
    if not isinstance(found, CommentedMap):
        raise FileError(shown, 1, "expected keys with values")
    # A misspelt key is both unknown and missing: what is unknown names what may have been meant.
    errors = sorted(
        Draft202012Validator(schema).iter_errors(found),
        key=lambda e: (list(map(str, e.absolute_path)), e.validator != "additionalProperties"),
    )
    if errors:
        first = errors[0]
        raise FileError(shown, line_of(found, list(first.absolute_path), _extra_key(first)), explain(first))
    return found


def explain(error: ValidationError) -> str:
    """Say what was met, what is allowed, and what may have been meant."""
    # The rule's own value and the schema around it are plain JSON; the library types them more widely.
    rule: Any = error.validator_value
    instance: Any = error.instance
    if error.validator == "additionalProperties":
        extra = _extra_key(error)
        allowed = sorted(_properties(error))
        return f"“{extra}” is not known here; allowed are {', '.join(allowed)}{_nearest(str(extra), allowed)}"
    if error.validator == "required":
        missing = [key for key in rule if key not in instance]
        return f"“{missing[0]}” is missing"
    if error.validator == "enum":
        allowed = [str(value) for value in rule]
        return f"“{instance}” is not one of {', '.join(allowed)}{_nearest(str(instance), allowed)}"
    if error.validator == "oneOf":
        return "an element has either “sql”, or “dataset” with “columns”"
    if error.validator == "type":
        path = ".".join(str(part) for part in error.absolute_path)
        return f"“{path}” must be of type {rule}"
    return error.message


def _properties(error: ValidationError) -> dict[str, Any]:
    schema: Any = error.schema
    found: dict[str, Any] = schema.get("properties", {})
    return found


def _nearest(word: str, allowed: list[str]) -> str:
    near = difflib.get_close_matches(word, allowed, 1)
    return f" (did you mean “{near[0]}”?)" if near else ""


def _extra_key(error: ValidationError) -> str | None:
    if error.validator != "additionalProperties":
        return None
    instance: Any = error.instance
    known = _properties(error)
    return next((key for key in instance if key not in known), None)


def line_of(root: CommentedMap, path: list[Any], key: str | None = None) -> int:
    """Return the line (from 1) of the value at a path, or of one of its keys."""
    node: Any = root
    line = 0
    for part in path:
        if isinstance(node, CommentedMap) and part in node:
            line = node.lc.key(part)[0]
        elif isinstance(node, CommentedSeq):
            line = node.lc.item(part)[0]
        node = node[part]
    if key is not None and isinstance(node, CommentedMap):
        line = node.lc.key(key)[0]
    return int(line) + 1
