"""Reads a folder: SQL files with a ``jalan.yaml``, and reports and declarations in YAML."""

import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from fnmatch import fnmatch
from pathlib import Path, PurePosixPath
from typing import Any

from ruamel.yaml.comments import CommentedMap

from jalan.formats.schemas import schema
from jalan.sources.declared import Declarations, declarations_of
from jalan.sources.errors import FileError, SourceError
from jalan.sources.files import ANY_FILE, MOST_TEXT, Files, shown_name, text_of
from jalan.sources.yaml_file import check, line_of, load_yaml, parse_yaml

SETTINGS = "jalan.yaml"
SUFFIXES = (".sql", ".yaml", ".yml")
Tree = Mapping[str, bytes | FileError]
"""What a folder holds: path below it → content, or why there is none."""


@dataclass(slots=True)
class SqlFile:
    """One file of statements. path is relative to the folder that was loaded.

    template: the variables and calls that its text is filled in with, none where the folder names none.
    job: what runs it, below the pipeline.
    """

    path: str
    text: str
    server: str | None
    database: str
    dialect: str
    search_path: list[str]
    pipeline: str | None
    template: dict[str, Any] | None
    job: str | None
    schedule: str | None
    owner: str | None


@dataclass(slots=True)
class Pipeline:
    """What runs the files of a folder."""

    name: str
    schedule: str | None
    owner: str | None


@dataclass(slots=True)
class Element:
    """One element of a report as a query; line is where its query begins in the file.

    declared: the query was made from a dataset and expressions, so its text is not in the file as it stands.
    dataset: that dataset as it is written, none for a query.
    """

    name: str
    kind: str
    description: str | None
    sql: str
    line: int
    declared: bool
    dataset: str | None


@dataclass(slots=True)
class Report:
    """A report with its elements."""

    path: str
    slug: str
    title: str
    folder: str
    owner: str
    link: str | None
    description: str | None
    server: str | None
    database: str
    search_path: list[str]
    elements: list[Element]


@dataclass(slots=True)
class Folder:
    """All that was found in a folder. owners: (database, schema) → owner.

    problems: what could not be read.
    unread: the files that this concerns; what they said before may still hold.
    """

    files: list[SqlFile] = field(default_factory=list)
    pipelines: list[Pipeline] = field(default_factory=list)
    reports: list[Report] = field(default_factory=list)
    declarations: list[Declarations] = field(default_factory=list)
    owners: dict[tuple[str, str], str] = field(default_factory=dict)
    problems: list[FileError] = field(default_factory=list)
    unread: set[str] = field(default_factory=set)

    def cannot(self, error: FileError, *paths: str) -> None:
        """Note that files cannot be read."""
        self.problems.append(error)
        self.unread.update(paths)


def read_folder(folder: Path, files: Files = ANY_FILE) -> Folder:
    """Read all SQL files, reports and declarations below a folder. Raises SourceError."""
    place = files.place(folder)
    tree: dict[str, bytes | FileError] = {}
    for path in files.below(folder, SUFFIXES):
        name = path.relative_to(place).as_posix()
        shown = shown_name(name)
        if name != shown:
            tree[shown] = FileError(shown, 1, "a file of this name is not read: there are control characters in it")
            continue
        try:
            tree[name] = files.read(path, MOST_TEXT)
        except SourceError as error:
            tree[name] = FileError(name, 1, str(error))
    return read_tree(tree, str(folder))


def read_tree(tree: Tree, shown: str) -> Folder:
    """Read SQL files, reports and declarations; one that cannot be read is a problem, and the others are read.

    Raises SourceError where there is nothing, or nothing of it can be read.
    """
    found = Folder()
    for path, content in tree.items():
        if isinstance(content, FileError):
            found.cannot(content, path)
    texts = {path: content for path, content in tree.items() if isinstance(content, bytes)}
    _read_sql(tree, texts, found)
    slugs: dict[str, str] = {}
    for path in sorted(texts):
        if path.endswith((".yaml", ".yml")) and PurePosixPath(path).name != SETTINGS:
            try:
                _read_yaml_file(path, texts[path], found, slugs)
            except FileError as error:
                found.cannot(error, path)
    if not found.files and not found.reports and not found.declarations:
        if found.problems:
            raise found.problems[0]
        raise SourceError(f"{shown} holds no SQL files, no reports and no declarations")
    return found


def _read_sql(tree: Tree, texts: Mapping[str, bytes], found: Folder) -> None:
    """Read the SQL files, each by the settings that are nearest above it."""
    below: dict[PurePosixPath, list[str]] = {
        PurePosixPath(path).parent: [] for path in tree if PurePosixPath(path).name == SETTINGS
    }
    for path in sorted(path for path in texts if path.endswith(".sql")):
        nearest = next((above for above in PurePosixPath(path).parents if above in below), None)
        if nearest is None:
            message = f"no {SETTINGS} in its folder or above says which database it runs in"
            found.cannot(FileError(path, 1, message), path)
        else:
            below[nearest].append(path)
    for folder, paths in sorted(below.items()):
        settings_path = (folder / SETTINGS).as_posix()
        try:
            if settings_path not in texts:
                found.unread.update(paths)  # that it cannot be read is told already
                continue
            _read_pipeline(
                folder,
                parse_yaml(text_of(settings_path, texts[settings_path]), settings_path, schema("folder")),
                {path: texts[path] for path in paths},
                found,
            )
        except FileError as error:
            found.cannot(error, *paths)


def _read_yaml_file(path: str, data: bytes, found: Folder, slugs: dict[str, str]) -> None:
    """Read a report, or a file of declarations. slugs: report → the file that it is in. Raises FileError."""
    text = text_of(path, data)
    content = load_yaml(text, path)
    if "report" not in content and ("links" in content or "consumers" in content):
        found.declarations.append(declarations_of(content, text, path))
        return
    report = _report(content, path)
    if report.slug in slugs:
        raise FileError(path, 1, f"a report “{report.slug}” is already in {slugs[report.slug]}")
    slugs[report.slug] = path
    found.reports.append(report)


def _read_pipeline(base: PurePosixPath, settings: CommentedMap, files: Mapping[str, bytes], found: Folder) -> None:
    """Read the files of one folder of settings. Raises FileError where the settings are wrong."""
    shown = (base / SETTINGS).as_posix()
    inside = {PurePosixPath(path).relative_to(base).as_posix(): path for path in files}
    order = {name: i for i, name in enumerate(settings.get("order", []))}
    for i, name in enumerate(settings.get("order", [])):
        if name not in inside and (base / name).as_posix() not in found.unread:
            line = line_of(settings, ["order", i])
            raise FileError(shown, line, f"there is no file “{name}” in this folder")
    patterns = settings.get("files", {})
    for pattern in patterns:
        if not any(fnmatch(name, pattern) for name in inside):
            line = line_of(settings, ["files"], pattern)
            raise FileError(shown, line, f"no file is named like “{pattern}” in this folder")
    if "pipeline" in settings:
        pipeline = Pipeline(settings["pipeline"], settings.get("schedule"), settings.get("owner"))
        found.pipelines.append(pipeline)
    for name, path in sorted(inside.items(), key=lambda pair: (order.get(pair[0], len(order)), pair[1])):
        special = dict(settings)
        for pattern, values in patterns.items():
            if fnmatch(name, pattern):
                variables = {**special.get("variables", {}), **values.get("variables", {})}
                special |= dict(values) | ({"variables": variables} if variables else {})
        try:
            found.files.append(_sql_file(path, text_of(path, files[path]), special))
        except FileError as error:
            found.cannot(error, path)
    for name, owner in settings.get("owners", {}).items():
        found.owners[settings["database"], name] = owner


def _sql_file(path: str, text: str, settings: dict[str, Any]) -> SqlFile:
    # The schedule and owner of the pipeline are the pipeline's; a file has its own only where it says so.
    own = "job" in settings
    return SqlFile(
        path=path,
        text=text,
        server=settings.get("server"),
        database=settings["database"],
        dialect=settings.get("dialect", "postgresql"),
        search_path=list(settings.get("search_path", ["public"])),
        pipeline=settings.get("pipeline"),
        template=_template(settings),
        job=settings.get("job"),
        schedule=settings.get("schedule") if own else None,
        owner=settings.get("owner") if own else None,
    )


def _template(settings: dict[str, Any]) -> dict[str, Any] | None:
    """What the files of a folder are filled in with, in plain values."""
    found = {name: settings[name] for name in ("variables", "calls") if name in settings}
    return json.loads(json.dumps(found, default=str)) if found else None


def _report(found: CommentedMap, shown: str) -> Report:
    """Return a report; raises FileError with the line of what is wrong."""
    check(found, shown, schema("report"))
    elements = list(_elements(found["elements"], shown, _Above(), {}))
    return Report(
        path=shown,
        slug=found["report"],
        title=found["title"],
        folder=found.get("folder", "Reports"),
        owner=found["owner"],
        link=found.get("link"),
        description=found.get("description"),
        server=found.get("server"),
        database=found["database"],
        search_path=list(found.get("search_path", ["public"])),
        elements=elements,
    )


@dataclass(frozen=True, slots=True)
class _Above:
    """What an element takes over from those around it."""

    name: str = ""
    dataset: str | None = None
    filters: tuple[str, ...] = ()


def _elements(elements: list[Any], shown: str, above: _Above, seen: dict[str, int]) -> Iterator[Element]:
    """Yield elements with those inside them; what only holds others together is none itself."""
    for i, element in enumerate(elements):
        name = f"{above.name} / {element['name']}" if above.name else str(element["name"])
        line = elements.lc.item(i)[0] + 1 if hasattr(elements, "lc") else 1
        if name in seen:
            raise FileError(shown, line, f"an element “{name}” is already in line {seen[name]}")
        seen[name] = line
        dataset = element.get("dataset", above.dataset)
        filters = (*above.filters, *element.get("filters", []))
        expressions = any(key in element for key in ("columns", "dimensions", "measures"))
        if "sql" in element:
            if expressions or "dataset" in element:
                raise FileError(shown, line, "an element has either “sql”, or “dataset” with expressions")
            yield _query_element(element, name)
        elif expressions:
            if dataset is None:
                raise FileError(shown, line, "“dataset” is missing: what are the expressions over?")
            yield _declared_element(element, name, dataset, filters, line)
        elif "elements" not in element:
            raise FileError(shown, line, "an element has either “sql”, or “dataset” with “columns” or “measures”")
        yield from _elements(element.get("elements", []), shown, _Above(name, dataset, filters), seen)


def _query_element(element: CommentedMap, name: str) -> Element:
    line, _ = element.lc.value("sql")
    block = type(element["sql"]).__name__.startswith(("Literal", "Folded"))
    note = element.get("description")
    return Element(name, str(element["kind"]), note, str(element["sql"]), line + (2 if block else 1), False, None)


def _declared_element(
    element: CommentedMap, name: str, dataset: str, filters: tuple[str, ...], line: int
) -> Element:
    """The query that the expressions stand for: dimensions are grouped by once there are measures."""
    columns = {**element.get("columns", {}), **element.get("dimensions", {}), **element.get("measures", {})}
    items = ",\n".join(
        f'       {expression} as "{str(column).replace(chr(34), chr(34) * 2)}"'
        for column, expression in columns.items()
    )
    sql = f"select {items.lstrip()}\nfrom {dataset}"
    if filters:
        sql += "\nwhere " + "\n  and ".join(f"({condition})" for condition in filters)
    if "measures" in element and element.get("dimensions"):
        sql += "\ngroup by " + ", ".join(f"({expression})" for expression in element["dimensions"].values())
    return Element(name, str(element["kind"]), element.get("description"), sql + "\n", line, True, dataset)
