"""Reads a folder: SQL files with a ``jalan.yaml``, and reports in YAML."""

import json
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from ruamel.yaml.comments import CommentedMap

from jalan.formats.schemas import schema
from jalan.sources.errors import FileError, SourceError
from jalan.sources.yaml_file import line_of, read_yaml

SETTINGS = "jalan.yaml"


@dataclass(slots=True)
class SqlFile:
    """One file of statements. path is relative to the folder that was loaded. template: the variables and calls
    that its text is filled in with, none where the folder names none."""

    path: str
    text: str
    server: str | None
    database: str
    dialect: str
    search_path: list[str]
    pipeline: str | None
    template: dict[str, Any] | None


@dataclass(slots=True)
class Element:
    """One element of a report as a query; line is where its query begins in the file.

    declared: the query was made from a dataset and expressions, so its text is not in the file as it stands.
    """

    name: str
    kind: str
    description: str | None
    sql: str
    line: int
    declared: bool


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
    reports: list[Report] = field(default_factory=list)
    owners: dict[tuple[str, str], str] = field(default_factory=dict)


def read_folder(folder: Path) -> Folder:
    """Read all SQL files and reports below a folder; raises SourceError with file and line."""
    if not folder.is_dir():
        raise SourceError(f"{folder} is no folder")
    found = Folder()
    settings_files = sorted(folder.rglob(SETTINGS))
    for settings_path in settings_files:
        _read_pipeline(folder, settings_path, found)
    covered = {path.parent for path in settings_files}
    for path in sorted(folder.rglob("*.sql")):
        if not covered & {path.parent, *path.parents}:
            shown = path.relative_to(folder)
            raise SourceError(f"{shown}: no {SETTINGS} in its folder or above says which database it runs in")
    for path in sorted([*folder.rglob("*.yaml"), *folder.rglob("*.yml")]):
        if path.name != SETTINGS:
            found.reports.append(read_report(path, str(path.relative_to(folder))))
    _no_doubles(found.reports)
    if not found.files and not found.reports:
        raise SourceError(f"{folder} holds no SQL files and no reports")
    return found


def _read_pipeline(root: Path, settings_path: Path, found: Folder) -> None:
    shown = str(settings_path.relative_to(root))
    settings = read_yaml(settings_path, shown, schema("folder"))
    base = settings_path.parent
    order = {name: i for i, name in enumerate(settings.get("order", []))}
    for i, name in enumerate(settings.get("order", [])):
        if not (base / name).is_file():
            line = line_of(settings, ["order", i])
            raise FileError(shown, line, f"there is no file “{name}” in this folder")
    paths = sorted(base.rglob("*.sql"), key=lambda p: (order.get(str(p.relative_to(base)), len(order)), str(p)))
    for path in paths:
        try:
            text = path.read_text(encoding="utf-8")
        except UnicodeDecodeError as error:
            raise FileError(path.relative_to(root), 1, "the file is not in UTF-8") from error
        found.files.append(
            SqlFile(
                path=str(path.relative_to(root)),
                text=text,
                server=settings.get("server"),
                database=settings["database"],
                dialect=settings.get("dialect", "postgresql"),
                search_path=list(settings.get("search_path", ["public"])),
                pipeline=settings.get("pipeline"),
                template=_template(settings),
            )
        )
    for name, owner in settings.get("owners", {}).items():
        found.owners[settings["database"], name] = owner


def _template(settings: CommentedMap) -> dict[str, Any] | None:
    """What the files of a folder are filled in with, in plain values."""
    found = {name: settings[name] for name in ("variables", "calls") if name in settings}
    return json.loads(json.dumps(found, default=str)) if found else None


def read_report(path: Path, shown: str) -> Report:
    """Read one report; raises FileError with the line of what is wrong."""
    found = read_yaml(path, shown, schema("report"))
    seen: dict[str, int] = {}
    elements = []
    for i, element in enumerate(found["elements"]):
        line = line_of(found, ["elements", i])
        name = str(element["name"])
        if name in seen:
            raise FileError(shown, line, f"an element “{name}” is already in line {seen[name]}")
        seen[name] = line
        elements.append(_element(element))
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


def _element(element: CommentedMap) -> Element:
    name, kind = str(element["name"]), str(element["kind"])
    note = element.get("description")
    if "sql" in element:
        line, _ = element.lc.value("sql")
        block = type(element["sql"]).__name__.startswith(("Literal", "Folded"))
        return Element(name, kind, note, str(element["sql"]), line + (2 if block else 1), False)
    items = ",\n".join(
        f'       {expression} as "{str(column).replace(chr(34), chr(34) * 2)}"'
        for column, expression in element["columns"].items()
    )
    sql = f"select {items.lstrip()}\nfrom {element['dataset']}"
    filters = [f"({condition})" for condition in element.get("filters", [])]
    if filters:
        sql += "\nwhere " + "\n  and ".join(filters)
    return Element(name, kind, note, sql + "\n", element.lc.key("dataset")[0] + 1, True)


def _no_doubles(reports: list[Report]) -> None:
    seen: dict[str, str] = {}
    for report in reports:
        if report.slug in seen:
            raise FileError(report.path, 1, f"a report “{report.slug}” is already in {seen[report.slug]}")
        seen[report.slug] = report.path
