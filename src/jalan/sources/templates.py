"""Reads the file that says what the holes of templates stand for."""

from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from jalan.formats.schemas import schema
from jalan.sources.files import ANY_FILE, MOST_TEXT, text_of
from jalan.sources.yaml_file import parse_yaml


@dataclass(frozen=True, slots=True)
class TemplateValues:
    """variables: name → value.
    calls: function → the pattern that a call of it stands for (``core.{0}``).
    """

    variables: dict[str, Any] = field(default_factory=dict)
    calls: dict[str, str] = field(default_factory=dict)


def read_template_values(path: Path) -> TemplateValues:
    """Read a file of variables and calls; raises SourceError with file and line."""
    shown = str(path)
    found = parse_yaml(text_of(shown, ANY_FILE.read(path, MOST_TEXT)), shown, schema("values"))
    return TemplateValues(dict(found.get("variables", {})), dict(found.get("calls", {})))
