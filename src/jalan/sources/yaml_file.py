"""YAML files with places: what is wrong is said with file, line and what is allowed."""

import difflib
import re
from typing import Any

from jsonschema import Draft202012Validator
from jsonschema.exceptions import ValidationError
from ruamel.yaml import YAML
from ruamel.yaml.comments import CommentedMap, CommentedSeq
from ruamel.yaml.error import YAMLError
from ruamel.yaml.events import AliasEvent, CollectionEndEvent, CollectionStartEvent, NodeEvent, ScalarEvent

from jalan.sources.errors import FileError

_DEEPEST = 60
_MOST_NODES = 200_000
_UNKEPT = re.compile("[\x00\ud800-\udfff]")  # no database can keep these


def parse_yaml(text: str, shown: str, schema: dict[str, Any]) -> CommentedMap:
    """Read and check the text of a YAML file; raises FileError for the first thing that is wrong."""
    found = load_yaml(text, shown)
    check(found, shown, schema)
    return found


def load_yaml(text: str, shown: str) -> CommentedMap:
    """Read the text of a YAML file without checking what is in it; raises FileError."""
    try:
        _measure(text, shown)
        found = YAML().load(text)
    except YAMLError as error:
        mark = getattr(error, "problem_mark", None) or getattr(error, "context_mark", None)
        problem = getattr(error, "problem", None) or (str(error).splitlines() or ["it cannot be read"])[0]
        raise FileError(shown, mark.line + 1 if mark else 1, f"this is no YAML: {problem}") from error
    except RecursionError as error:
        raise FileError(shown, 1, "this is nested too deeply") from error
    except (ValueError, TypeError, AttributeError, LookupError, ArithmeticError) as error:
        # Values that the library takes for dates, numbers or keys and cannot make.
        raise FileError(shown, 1, f"this is no YAML that can be read: {error}") from error
    if not isinstance(found, CommentedMap):
        raise FileError(shown, 1, "expected keys with values")
    return found


def _measure(text: str, shown: str) -> None:
    """Refuse what is nested too deeply, or becomes too much once its aliases are written out.

    A few lines of aliases of aliases stand for billions of values. Raises FileError, YAMLError.
    """
    sizes: dict[str, int] = {}
    open_: list[tuple[str | None, int]] = []  # anchor, and how many values were counted before it
    count = 0
    for event in YAML().parse(text):
        if isinstance(event, AliasEvent):
            # An alias inside of what it names has no end.
            count += sizes.get(event.anchor, _MOST_NODES)
        elif isinstance(event, NodeEvent):
            if isinstance(event, CollectionStartEvent):
                open_.append((event.anchor, count))
            elif isinstance(event, ScalarEvent):
                if _UNKEPT.search(event.value):
                    raise FileError(shown, event.start_mark.line + 1, "there is a NUL, or half a character, in it")
                if event.anchor is not None:
                    sizes[event.anchor] = 1
            count += 1
        elif isinstance(event, CollectionEndEvent):
            anchor, before = open_.pop()
            if anchor is not None:
                sizes[anchor] = count - before
        if len(open_) > _DEEPEST:
            raise FileError(shown, event.start_mark.line + 1, f"this is nested more than {_DEEPEST} deep")
        if count >= _MOST_NODES:
            message = f"this has more than {_MOST_NODES:,} values, with its aliases written out"
            raise FileError(shown, event.start_mark.line + 1, message)


def check(found: CommentedMap, shown: str, schema: dict[str, Any]) -> None:
    """Hold what was read against a schema; raises FileError for the first thing that is wrong."""
    # A misspelt key is both unknown and missing: what is unknown names what may have been meant.
    errors = sorted(
        Draft202012Validator(schema).iter_errors(found),
        key=lambda e: (list(map(str, e.absolute_path)), e.validator != "additionalProperties"),
    )
    if errors:
        first = errors[0]
        raise FileError(shown, line_of(found, list(first.absolute_path), _extra_key(first)), explain(first))


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
