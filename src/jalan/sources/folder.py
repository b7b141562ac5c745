"""Reads a folder: SQL files with a ``jalan.yaml``, and reports and declarations in YAML."""

import json
from collections.abc import Iterator
from dataclasses import dataclass, field
from fnmatch import fnmatch
from pathlib import Path, PurePosixPath
from typing import Any

from ruamel.yaml.comments import CommentedMap

from jalan.formats.schemas import schema
from jalan.sources.declared import Declarations, read_declarations
from jalan.sources.errors import FileError, SourceError
from jalan.sources.yaml_file import line_of, read_yaml

SETTINGS = "jalan.yaml"


@dataclass(slots=True)
class SqlFile:
    """One file of statements. path is relative to the folder that was loaded. template: the variables and calls
    that its text is filled in with, none where the folder names none. job: what runs it, below the pipeline."""

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
    """All that was found in a folder. owners: (database, schema) → owner."""

    files: list[SqlFile] = field(default_factory=list)
    pipelines: list[Pipeline] = field(default_factory=list)
    reports: list[Report] = field(default_factory=list)
    declarations: list[Declarations] = field(default_factory=list)
    owners: dict[tuple[str, str], str] = field(default_factory=dict)


def read_folder(folder: Path) -> Folder:
    """Read all SQL files, reports and declarations below a folder; raises SourceError with file and line."""
    if not folder.is_dir():
        raise SourceError(f"{folder} is no folder")
    found = Folder()
    settings_files = sorted(folder.rglob(SETTINGS))
    by_folder: dict[Path, list[Path]] = {path.parent: [] for path in settings_files}
    for path in sorted(folder.rglob("*.sql")):
        # Of several settings above a file the nearest ones hold.
        nearest = next((above for above in path.parents if above in by_folder), None)
        if nearest is None:
            raise SourceError(
                f"{path.relative_to(folder)}: no {SETTINGS} in its folder or above says which database it runs in"
            )
        by_folder[nearest].append(path)
    for settings_path in settings_files:
        _read_pipeline(folder, settings_path, by_folder[settings_path.parent], found)
    for path in sorted([*folder.rglob("*.yaml"), *folder.rglob("*.yml")]):
        if path.name == SETTINGS:
            continue
        shown = str(path.relative_to(folder))
        if is_declaration(path, shown):
            found.declarations.append(read_declarations(path, shown))
        else:
            found.reports.append(read_report(path, shown))
    _no_doubles(found.reports)
    if not found.files and not found.reports and not found.declarations:
        raise SourceError(f"{folder} holds no SQL files, no reports and no declarations")
    return found


def is_declaration(path: Path, shown: str) -> bool:
    """Whether a YAML file declares links or consumers; otherwise it is a report."""
    found = read_yaml(path, shown, {})
    return "report" not in found and ("links" in found or "consumers" in found)


def _read_pipeline(root: Path, settings_path: Path, files: list[Path], found: Folder) -> None:
    shown = str(settings_path.relative_to(root))
    settings = read_yaml(settings_path, shown, schema("folder"))
    base = settings_path.parent
    order = {name: i for i, name in enumerate(settings.get("order", []))}
    for i, name in enumerate(settings.get("order", [])):
        if not (base / name).is_file():
            line = line_of(settings, ["order", i])
            raise FileError(shown, line, f"there is no file “{name}” in this folder")
    if "pipeline" in settings:
        pipeline = Pipeline(settings["pipeline"], settings.get("schedule"), settings.get("owner"))
        found.pipelines.append(pipeline)
    patterns = settings.get("files", {})
    matched: set[str] = set()
    for path in sorted(files, key=lambda p: (order.get(str(p.relative_to(base)), len(order)), str(p))):
        inside = PurePosixPath(path.relative_to(base)).as_posix()
        special = dict(settings)
        for pattern, values in patterns.items():
            if fnmatch(inside, pattern):
                matched.add(pattern)
                variables = {**special.get("variables", {}), **values.get("variables", {})}
                special |= dict(values) | ({"variables": variables} if variables else {})
        found.files.append(_sql_file(root, path, special))
    for pattern in patterns:
        if pattern not in matched:
            line = line_of(settings, ["files"], pattern)
            raise FileError(shown, line, f"no file is named like “{pattern}” in this folder")
    for name, owner in settings.get("owners", {}).items():
        found.owners[settings["database"], name] = owner


def _sql_file(root: Path, path: Path, settings: dict[str, Any]) -> SqlFile:
    try:
        text = path.read_text(encoding="utf-8")
    except UnicodeDecodeError as error:
        raise FileError(path.relative_to(root), 1, "the file is not in UTF-8") from error
    # The schedule and owner of the pipeline are the pipeline's; a file has its own only where it says so.
    own = "job" in settings
    return SqlFile(
        path=str(path.relative_to(root)),
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


def read_report(path: Path, shown: str) -> Report:
    """Read one report; raises FileError with the line of what is wrong."""
    found = read_yaml(path, shown, schema("report"))
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


def _no_doubles(reports: list[Report]) -> None:
    seen: dict[str, str] = {}
    for report in reports:
        if report.slug in seen:
            raise FileError(report.path, 1, f"a report “{report.slug}” is already in {seen[report.slug]}")
        seen[report.slug] = report.path
