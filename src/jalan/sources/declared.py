"""Reads what people declare in YAML: links that no text tells of, and consumers that nobody can scan."""

from dataclasses import dataclass, field
from typing import Any

from ruamel.yaml.comments import CommentedMap

from jalan.formats.schemas import schema
from jalan.sources.errors import FileError, SourceError
from jalan.sources.files import MOST_TEXT, Files, shown_name, text_of
from jalan.sources.yaml_file import check, line_of, load_yaml


@dataclass(frozen=True, slots=True)
class Reference:
    """A dataset or a column as somebody writes it.

    written: ``database.schema.table`` or with ``.column`` behind it, to be found among what is known; or else
    namespace, name and column are given, and it comes to be if nobody knows it yet.
    """

    written: str | None = None
    namespace: str | None = None
    name: str | None = None
    column: str | None = None
    kind: str | None = None

    def __str__(self) -> str:
        """Return it for people."""
        if self.written is not None:
            return self.written
        return f"{self.namespace} {self.name}{f'.{self.column}' if self.column else ''}"


@dataclass(frozen=True, slots=True)
class DeclaredLink:
    """A link with the reason for it, who declares it, and since when. line: where it stands."""

    source: Reference
    target: Reference
    kind: str
    because: str
    by: str
    on: str | None
    line: int


@dataclass(frozen=True, slots=True)
class Consumer:
    """Somebody or something that reads datasets, and that nobody can scan."""

    name: str
    owner: str
    description: str | None
    reads: tuple[Reference, ...]
    because: str
    by: str
    on: str | None
    line: int


@dataclass(slots=True)
class Declarations:
    """What one file declares. server: ``host:port`` for names without namespace."""

    path: str
    text: str
    server: str | None
    links: list[DeclaredLink] = field(default_factory=list)
    consumers: list[Consumer] = field(default_factory=list)


def parse_declarations(text: str, shown: str) -> Declarations:
    """Read the text of one file; raises FileError with the line of what is wrong."""
    return declarations_of(load_yaml(text, shown), text, shown)


def declarations_of(found: CommentedMap, text: str, shown: str) -> Declarations:
    """The same for a file that is loaded already."""
    check(found, shown, schema("declared"))
    made = Declarations(shown, text, found.get("server"))
    by = found.get("by")
    for i, link in enumerate(found.get("links", [])):
        line = line_of(found, ["links", i])
        who = link.get("by", by)
        if who is None:
            raise FileError(shown, line, "“by” is missing: who declares this?")
        made.links.append(
            DeclaredLink(
                _reference(link["from"]),
                _reference(link["to"]),
                link.get("kind", "value"),
                link["because"],
                who,
                _text(link.get("on")),
                line,
            )
        )
    for i, consumer in enumerate(found.get("consumers", [])):
        line = line_of(found, ["consumers", i])
        reads = tuple(_reference(one) for one in consumer["reads"])
        made.consumers.append(
            Consumer(
                consumer["name"],
                consumer["owner"],
                consumer.get("description"),
                reads,
                consumer.get("because", ""),
                consumer.get("by", by or consumer["owner"]),
                _text(consumer.get("on")),
                line,
            )
        )
    return made


def _reference(value: Any) -> Reference:
    return Reference(written=value) if isinstance(value, str) else Reference(**dict(value))


def _text(value: Any) -> str | None:
    return None if value is None else str(value)


def read_all_declarations(location: str, files: Files) -> tuple[list[Declarations], list[FileError]]:
    """Read a file, or all YAML files of a folder, and say which could not be read. Raises SourceError."""
    place = files.place(location)
    if place.is_dir():
        paths, base = files.below(location, (".yaml", ".yml")), place
        if not paths:
            raise SourceError(f"{location}: there is no YAML in this folder")
    else:
        paths, base = [place], place.parent
    found, problems = [], []
    for path in paths:
        shown = shown_name(path.relative_to(base).as_posix())
        try:
            found.append(parse_declarations(text_of(shown, files.read(path, MOST_TEXT)), shown))
        except FileError as error:
            problems.append(error)
    return found, problems
