"""Reads the file that says what the holes of templates stand for."""

from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from jalan.formats.schemas import schema
from jalan.sources.errors import SourceError
from jalan.sources.yaml_file import read_yaml


@dataclass(frozen=True, slots=True)
class TemplateValues:
    """variables: name → value. calls: function → the pattern that a call of it stands for (``core.{0}``)."""

    variables: dict[str, Any] = field(default_factory=dict)
    calls: dict[str, str] = field(default_factory=dict)


def read_template_values(path: Path) -> TemplateValues:
    """Read a file of variables and calls; raises SourceError with file and line."""
    try:
        found = read_yaml(path, str(path), schema("values"))
    except OSError as error:
        raise SourceError(f"cannot read {path}: {error.strerror}") from error
    return TemplateValues(dict(found.get("variables", {})), dict(found.get("calls", {})))
