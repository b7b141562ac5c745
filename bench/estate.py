"""Made-up estates of any size, for benches and for a demo of size: layers of tables, hubs, reports on top.

Every definition is real SQL, whose extraction gives the very links that are written with it (``--check`` reads a
sample). The same seed gives the same estate. One dataset has 2 000 columns, one has 200 neighbours on each side.

    python bench/estate.py [--size small|medium|large] [--seed 7] [--check]
"""

import argparse
import random
from collections.abc import Iterator
from dataclasses import dataclass
from hashlib import blake2b
from pathlib import Path
from typing import Any

import orjson
import psycopg
from sqlalchemy import Engine

from jalan.lineage.script import extract
from jalan.service.ingest.stored_texts import reader_word

LAYERS = 9
SERVER = "postgres://islands:5432"
DATABASE = "strait"
DESKS = [f"{place} desk" for place in ("Quay", "Tide", "Ticket", "Crew", "Refund", "Harbour", "Pier", "Night")]
WORDS = "sailing ticket refund tide crew port fare berth vessel booking delay ramp buoy lamp pier rope".split()
_NOW = "2026-11-01 06:00:00+00"
_WIDE = 2_000
_NEIGHBOURS = 200
_HUBS = 24  # datasets of the first layer that very many read


@dataclass(frozen=True)
class Size:
    """How large an estate is: datasets, columns of each, columns that each column is made of."""

    datasets: int
    columns: int
    origins: int


SIZES = {"small": Size(1_000, 20, 2), "medium": Size(10_003, 29, 4), "large": Size(25_003, 39, 7)}


SEED = 7
DIGEST = blake2b(Path(__file__).read_bytes(), digest_size=4).hexdigest()
"""A word for how estates are made: stores of another one are not used again."""


@dataclass(slots=True)
class Asset:
    """One dataset. reads: the assets it is made of, by position."""

    layer: int
    name: str
    columns: int
    reads: list[int]
    first_field: int = 0


def assets(size: Size, seed: int) -> list[Asset]:
    """Return the datasets of an estate, those that are read before those that read them."""
    chance = random.Random(seed)
    found: list[Asset] = []
    by_layer: list[list[int]] = [[] for _ in range(LAYERS)]
    bounds = [round(size.datasets * x) for x in (0.18, 0.34, 0.48, 0.6, 0.7, 0.78, 0.85, 0.92, 1)]
    for n in range(size.datasets):
        layer = next(k for k, bound in enumerate(bounds) if n < bound)
        spread = max(2, size.columns // 3)
        columns = chance.randint(size.columns - spread, size.columns + spread)
        word = f"{WORDS[n % len(WORDS)]}_{WORDS[n // 16 % len(WORDS)]}"
        reads: list[int] = []
        if layer:
            for _ in range(chance.choice((1, 2, 2, 3, 3, 4))):
                below = by_layer[0][:_HUBS] if chance.random() < 0.12 else by_layer[_below(chance, layer)]
                reads.append(chance.choice(below))
        found.append(Asset(layer, f"{word}_{n}", columns, list(dict.fromkeys(reads))))
        by_layer[layer].append(n)
    crossroads, wide = by_layer[4][1], by_layer[2][0]
    found[wide].columns = _WIDE
    wanted = min(_NEIGHBOURS, len(by_layer[3]) // 2)
    found[crossroads].reads = by_layer[3][:wanted]
    found[crossroads].columns = max(size.columns, wanted)
    for n in by_layer[5][:wanted]:
        found[n].reads = [crossroads, *found[n].reads[:1]]
    first = 1
    for asset in found:
        asset.first_field = first
        first += asset.columns
    return found


def _below(chance: random.Random, layer: int) -> int:
    return layer - 1 if chance.random() < 0.8 else chance.randrange(layer)


@dataclass(slots=True)
class Text:
    """The SQL of one dataset with its links: (source field, target field or None, kind, how, span, expression)."""

    sql: str
    links: list[tuple[int, int | None, str, str, tuple[int, int], tuple[int, int] | None]]


def text_of(estate: list[Asset], n: int, size: Size, seed: int) -> Text:
    """Return how a dataset is made."""
    asset = estate[n]
    chance = random.Random(seed * 1_000_003 + n)
    links: list[tuple[int, int | None, str, str, tuple[int, int], tuple[int, int] | None]] = []
    parts: list[str] = []
    at = 0

    def write(word: str) -> tuple[int, int]:
        nonlocal at
        parts.append(word)
        at += len(word)
        return at - len(word), at

    names = ", ".join(f"c{c}" for c in range(asset.columns))
    write(f"insert into {schema_of(asset)}.{asset.name} ({names})\nselect\n")
    for column in range(asset.columns):
        write("    ")
        count = 1 if size.origins == 1 else chance.randint(1, size.origins * 2 - 1)
        begin = at
        used: list[tuple[int, tuple[int, int]]] = []
        for k in range(count):
            if k:
                write(" + ")
            which = column % len(asset.reads) if k == 0 else chance.randrange(len(asset.reads))
            origin = estate[asset.reads[which]]
            number = chance.randrange(origin.columns)
            field = origin.first_field + number
            used.append((field, write(f"t{which}.c{number}")))
        expression = (begin, at)
        how = "identity" if count == 1 else "transformation"
        spans: dict[int, tuple[int, int]] = {}
        for field, span in used:
            spans.setdefault(field, span)
        links += [
            (field, asset.first_field + column, "value", how, span, expression) for field, span in spans.items()
        ]
        write(f" as c{column}" + (",\n" if column + 1 < asset.columns else "\n"))
    rows: dict[tuple[int, str], tuple[int, int]] = {}
    for which, read in enumerate(asset.reads):
        origin = estate[read]
        if which == 0:
            write(f"from {schema_of(origin)}.{origin.name} t0\n")
            continue
        write(f"join {schema_of(origin)}.{origin.name} t{which} on ")
        span = write(f"t{which}.c0")
        rows.setdefault((origin.first_field, "join"), span)
        write(" = ")
        span = write("t0.c0")
        rows.setdefault((estate[asset.reads[0]].first_field, "join"), span)
        write("\n")
    first = estate[asset.reads[0]]
    write("where ")
    span = write("t0.c1")
    rows.setdefault((first.first_field + 1, "filter"), span)
    write(" > 0\n")
    links += [(field, None, "condition", how, span, None) for (field, how), span in rows.items()]
    return Text("".join(parts), links)


def schema_of(asset: Asset) -> str:
    """Return the schema in which a dataset stands."""
    return f"layer{asset.layer}_{len(asset.name) % 4}"


def is_report(asset: Asset) -> bool:
    """Whether a dataset is a report: half of the last layer."""
    return asset.layer == LAYERS - 1 and len(asset.name) % 2 == 0


def write_estate(engine: Engine, size: Size, seed: int = SEED) -> list[Asset]:
    """Write an estate into an empty store, by COPY. The store's user must be allowed to leave out its checks."""
    estate = assets(size, seed)
    url = engine.url.render_as_string(hide_password=False).replace("+psycopg", "")
    with psycopg.connect(url) as connection:
        connection.execute("set session_replication_role = replica")
        _write_systems(connection, estate)
        places = {name: n + 1 for n, name in enumerate(sorted({schema_of(a) for a in estate}))}
        _copy(
            connection,
            "dataset (id, system_id, container_id, name, title, kind, description, owner, placeholder, first_seen)",
            (
                (n + 1, 1, places[schema_of(a)], f"{DATABASE}.{schema_of(a)}.{a.name}", None,
                 "report" if is_report(a) else "table",
                 f"what the {DESKS[n % len(DESKS)]} knows of {a.name.replace('_', ' ')}" if n % 3 == 0 else None,
                 DESKS[n % len(DESKS)] if n % 5 else None, "f", _NOW)
                for n, a in enumerate(estate)
            ),
        )  # fmt: skip
        _copy(
            connection,
            "field (id, dataset_id, name, kind, type, ordinal, placeholder, first_seen)",
            (
                (a.first_field + c, n + 1, f"c{c}", "column", "integer", c, "f", _NOW)
                for n, a in enumerate(estate)
                for c in range(a.columns)
            ),
        )
        made = [n for n, a in enumerate(estate) if a.reads]
        texts = (text_of(estate, n, size, seed) for n in made)
        _write_definitions(connection, estate, made, texts)
        for table in ("source", "system", "container", "dataset", "field", "definition", "statement", "link"):
            connection.execute(f"select setval('{table}_id_seq', (select max(id) from {table}))")
        connection.execute(
            "insert into relinked values "
            "(1, %s, %s, pg_current_snapshot()::text, pg_current_xact_id()::text, true)",
            (DATABASE, _NOW),
        )
        connection.execute("insert into graph_version values (pg_current_xact_id()) on conflict do nothing")
    with psycopg.connect(url, autocommit=True) as connection:
        connection.execute("vacuum analyze")
    return estate


def _write_systems(connection: psycopg.Connection, estate: list[Asset]) -> None:
    connection.execute(
        "insert into source (id, kind, name, config, state, created_at, created_by) "
        "values (1, 'repository', 'estate', '{}', '{}', %s, 'bench')",
        (_NOW,),
    )
    connection.execute(
        "insert into system (id, namespace, kind, first_seen, scanned_at) values (1, %s, 'postgresql', %s, %s)",
        (SERVER, _NOW, _NOW),
    )
    for n, name in enumerate(sorted({schema_of(a) for a in estate})):
        connection.execute(
            "insert into container (id, system_id, path, kind) values (%s, 1, %s, 'schema')",
            (n + 1, f"{DATABASE}.{name}"),
        )


def _write_definitions(
    connection: psycopg.Connection, estate: list[Asset], made: list[int], texts: Iterator[Text]
) -> None:
    chunk: list[tuple[int, Text]] = []
    for number, (n, text) in enumerate(zip(made, texts, strict=True), 1):
        chunk.append((n, text))
        if len(chunk) == 500 or number == len(made):
            _write_chunk(connection, estate, chunk)
            chunk = []


def _write_chunk(connection: psycopg.Connection, estate: list[Asset], chunk: list[tuple[int, Text]]) -> None:
    _copy(
        connection,
        "definition (id, key, version, kind, place, first_line, dialect, search_path, text, system_id, database, "
        "source_id, valid_from, reader, asked, names)",
        (
            (n + 1, f"repository:estate:{estate[n].name}.sql", 1, "file", f"{estate[n].name}.sql", 1, "postgresql",
             "[]", text.sql.replace("\n", "\\n"), 1, DATABASE, 1, _NOW, reader_word(), *_read_as(estate, n))
            for n, text in chunk
        ),
    )  # fmt: skip
    _copy(
        connection,
        'statement (id, definition_id, ordinal, kind, start, "end")',
        ((n + 1, n + 1, 0, "insert", 0, len(text.sql)) for n, text in chunk),
    )
    _copy(
        connection,
        "link (source_field_id, target_dataset_id, target_field_id, kind, how, origin, definition_id, "
        "statement_id, spans, expression, valid_from)",
        (
            (source, n + 1, target, kind, how, "parsed", n + 1, n + 1, f"[[{span[0]}, {span[1]}]]",
             None if expression is None else f"[{expression[0]}, {expression[1]}]", _NOW)
            for n, text in chunk
            for source, target, kind, how, span, expression in text.links
        ),
    )  # fmt: skip


def _read_as(estate: list[Asset], n: int) -> tuple[str, str]:
    """What the store keeps of the reading of a text: what it asked for, and the names in it."""
    asked = []
    for k in sorted({n, *estate[n].reads}):
        key = f"{schema_of(estate[k])}.{estate[k].name}"
        columns = [f"c{c}" for c in range(estate[k].columns)]
        asked.append([key.split("."), blake2b("\x1f".join((key, *columns)).encode(), digest_size=6).hexdigest()])
    called = estate[n].name  # its columns stand in parentheses behind it
    kept = {"asked": sorted(asked), "makes": {}, "called": {called: None}, "routines": {}}
    names = sorted([*(f"a:{'.'.join(parts)}" for parts, _ in asked), f"c:{called}"])
    return orjson.dumps(kept).decode(), "{" + ",".join(names) + "}"


def _copy(connection: psycopg.Connection, into: str, rows: Iterator[tuple[Any, ...]]) -> None:
    """Write rows whose texts need no escaping but for ends of lines, which are escaped already."""
    with connection.cursor() as cursor, cursor.copy(f"copy {into} from stdin") as copy:
        lines: list[str] = []
        for row in rows:
            lines.append("\t".join("\\N" if value is None else str(value) for value in row))
            if len(lines) == 20_000:
                copy.write("\n".join(lines) + "\n")
                lines.clear()
        if lines:
            copy.write("\n".join(lines) + "\n")


def check(size: Size, seed: int, sample: int = 40) -> int:
    """Read a sample of the texts; return how many links were compared. Raises AssertionError where one differs."""
    estate = assets(size, seed)
    made = [n for n, asset in enumerate(estate) if asset.reads]
    compared = 0
    names = {}
    for asset in estate:
        for column in range(asset.columns):
            names[asset.first_field + column] = (f"{schema_of(asset)}.{asset.name}", f"c{column}")
    for n in random.Random(seed).sample(made, min(sample, len(made))):
        text = text_of(estate, n, size, seed)
        tables = {
            f"{schema_of(estate[k])}.{estate[k].name}": [f"c{c}" for c in range(estate[k].columns)]
            for k in (n, *estate[n].reads)
        }
        found = {
            (link.table, link.column, link.output, link.kind, link.how, link.span)
            for link in extract(text.sql, tables=tables).links
        }
        expected = {
            (*names[source], None if target is None else names[target][1], kind, how, span)
            for source, target, kind, how, span, _ in text.links
        }
        assert found == expected, (n, sorted(map(str, found ^ expected))[:6])
        compared += len(found)
    return compared


def main() -> None:
    """Say how large an estate is, and whether its texts are read as they were written."""
    arguments = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    arguments.add_argument("--size", choices=SIZES, default="small")
    arguments.add_argument("--seed", type=int, default=SEED)
    arguments.add_argument("--check", action="store_true", help="read a sample of the texts and compare the links")
    given = arguments.parse_args()
    size = SIZES[given.size]
    estate = assets(size, given.seed)
    made = [n for n, asset in enumerate(estate) if asset.reads]
    links = (
        sum(len(text_of(estate, n, size, given.seed).links) for n in made[:200]) / min(200, len(made)) * len(made)
    )
    print(
        f"{len(estate):,} datasets, {sum(a.columns for a in estate):,} columns, about {round(links, -3):,.0f} links"
    )
    if given.check:
        print(f"{check(size, given.seed):,} links are read as they were written")


if __name__ == "__main__":
    main()
