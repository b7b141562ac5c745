"""Made-up data for the ferry operator, the same for the same seed.

Every name is put together from syllables; nobody and no place is real.
"""

from collections.abc import Iterable, Sequence
from datetime import UTC, date, datetime, timedelta
from typing import Any

import numpy as np
import psycopg

SEED = 20_260_901
_START = datetime(2026, 1, 5, tzinfo=UTC)
_DAYS = 240
_ISLANDS = ("Norrey", "Selm", "Tavick", "Orran", "Little Selm")
_CAUSES = ("swell", "fog", "engine", "late crew", "tide too low")

Row = Sequence[Any]


class Generator:
    """Draws all tables of the two source systems. ``scale`` 1 makes about 230 000 rows."""

    def __init__(self, scale: float = 1.0, seed: int = SEED) -> None:
        self._random = np.random.default_rng(seed)
        self._scale = scale

    def fill(self, harbour: psycopg.Connection, ticketing: psycopg.Connection) -> int:
        """Fill both databases; returns how many rows were made."""
        made = 0
        sailings = 0
        for table, rows in self._harbour():
            found = copy_rows(harbour, table, rows)
            made += found
            sailings = found if table == "ops.sailings" else sailings
        for table, rows in self._ticketing(sailings):
            made += copy_rows(ticketing, table, rows)
        return made

    # --- harbour -------------------------------------------------------------------------------------

    def _harbour(self) -> Iterable[tuple[str, list[Row]]]:
        r = self._random
        ports = 12
        yield (
            "ops.ports",
            [
                (i, self._name(), _ISLANDS[i % 5], 51 + r.random(), -6 - r.random(), date(1950 + 5 * i, 3, 1))
                for i in range(1, ports + 1)
            ],
        )
        yield (
            "ops.berths",
            [(i, 1 + i % ports, f"B{i}", 60 + 5 * (i % 9), 4 + i % 5, bool(i % 3)) for i in range(1, 31)],
        )
        seats = [int(s) for s in r.integers(80, 420, 18)]
        yield (
            "ops.vessels",
            [
                (
                    i + 1,
                    f"MV {self._name()}",
                    ("small", "mid", "large")[i % 3],
                    seats[i],
                    int(r.integers(0, 300)),
                    date(1988 + 2 * i, 5, 1),
                    1 + i % ports,
                    date(2026, 3, 1) if i == 3 else None,
                )
                for i in range(18)
            ],
        )
        routes = [(f"R{i:02d}", 1 + i % ports, 1 + (i * 5 + 1) % ports) for i in range(1, 25)]
        minutes = {name: int(m) for (name, _, _), m in zip(routes, r.integers(20, 160, 24), strict=True)}
        yield (
            "ops.routes",
            [
                (name, a, b, round(minutes[name] * 0.27, 1), minutes[name], "summer" if i % 4 == 0 else "all year")
                for i, (name, a, b) in enumerate(routes)
            ],
        )
        yield (
            "ops.timetable",
            [(i, routes[i % 24][0], i % 7, f"{6 + i % 15}:{(i * 7) % 60:02d}", "mid") for i in range(1, 337)],
        )
        sailings = self._count(7_000)
        yield "ops.sailings", list(self._sailings(sailings, routes, minutes, seats))
        yield (
            "ops.incidents",
            [
                (
                    i,
                    int(r.integers(1, sailings + 1)),
                    _CAUSES[i % 5],
                    int(r.integers(1, 5)),
                    int(r.integers(0, 90)),
                    self._moment(),
                    None,
                )
                for i in range(1, self._count(900))
            ],
        )
        crew = 160
        yield (
            "ops.crew",
            [
                (
                    i,
                    f"{self._name()} {self._name()}",
                    ("master", "mate", "engineer", "deckhand")[i % 4],
                    date(2005 + i % 20, 1 + i % 12, 1),
                    1 + i % ports,
                    140 + 20 * (i % 7),
                )
                for i in range(1, crew + 1)
            ],
        )
        yield (
            "ops.crew_rosters",
            [
                (
                    i,
                    1 + i % sailings,
                    int(r.integers(1, crew + 1)),
                    ("bridge", "engine", "deck")[i % 3],
                    round(float(r.uniform(2, 11)), 1),
                )
                for i in range(1, self._count(21_000))
            ],
        )
        yield (
            "ops.tides",
            [
                (port, _START + timedelta(hours=6 * k), int(220 + 180 * np.sin(k / 2.07 + port)))
                for port in range(1, ports + 1)
                for k in range(self._count(960))
            ],
        )
        yield (
            "ops.weather",
            [
                (port, _START + timedelta(hours=12 * k), int(r.gamma(3, 5)), round(float(r.gamma(2, 0.6)), 1), 12)
                for port in range(1, ports + 1)
                for k in range(self._count(480))
            ],
        )
        yield (
            "ops.fuel_fills",
            [
                (i, 1 + i % 18, 1 + i % ports, self._moment(), int(r.integers(500, 9_000)), 1.21 + (i % 40) / 100)
                for i in range(1, self._count(2_000))
            ],
        )

    def _sailings(
        self, count: int, routes: list[tuple[str, int, int]], minutes: dict[str, int], seats: list[int]
    ) -> Iterable[Row]:
        r = self._random
        for i in range(1, count + 1):
            route = routes[int(r.integers(0, 24))][0]
            vessel = int(r.integers(0, 18))
            planned = _START + timedelta(minutes=int(i * _DAYS * 1440 / count))
            delay = timedelta(minutes=int(max(-3, r.normal(6, 12))))
            cancelled = r.random() < 0.03
            yield (
                i,
                route,
                vessel + 1,
                int(r.integers(1, 31)),
                planned,
                None if cancelled else planned + delay,
                None if cancelled else planned + delay + timedelta(minutes=minutes[route]),
                planned - timedelta(hours=3) if cancelled else None,
                _CAUSES[i % 5] if cancelled else None,
                seats[vessel] - int(r.integers(0, 20)),
                "cancelled" if cancelled else "draft" if r.random() < 0.01 else "sailed",
            )

    # --- ticketing -----------------------------------------------------------------------------------

    def _ticketing(self, sailings: int) -> Iterable[tuple[str, list[Row]]]:
        r = self._random
        people = self._count(11_000)
        yield (
            "passengers",
            [
                (
                    i,
                    f"{self._name()} {self._name()}",
                    f"p{i}@mail.example",
                    None,
                    date(1940 + i % 75, 1 + i % 12, 1),
                    _ISLANDS[i % 5] if i % 4 else None,
                    self._moment(),
                    bool(i % 3),
                )
                for i in range(1, people + 1)
            ],
        )
        channels = ("  web", "app", "quay desk", "agents", "phone ")
        yield "channels", [(i + 1, name, (0, 0, 2.5, 9, 4)[i]) for i, name in enumerate(channels)]
        classes = [("basic", 1_200), ("flex", 2_100), ("child", 600), ("car", 4_900)]
        yield (
            "fare_classes",
            [(name, name.title(), cents, name == "flex", name == "flex") for name, cents in classes],
        )
        bookings = self._count(42_000)
        yield (
            "bookings",
            [
                (
                    i,
                    int(r.integers(1, people + 1)),
                    self._moment(),
                    int(r.integers(1, 6)),
                    "SHL" if r.random() < 0.97 else "PRL",
                    "SPRING" if i % 11 == 0 else None,
                )
                for i in range(1, bookings + 1)
            ],
        )
        tickets = self._count(80_000)
        states = ("sold", "used", "used", "used", "void", "refunded")
        status = [states[int(s)] for s in r.choice(6, tickets, p=(0.2, 0.25, 0.25, 0.2, 0.04, 0.06))]
        fares = []
        rows: list[Row] = []
        for i in range(tickets):
            name, base = classes[int(r.integers(0, 4))]
            fare = int(base * r.uniform(0.8, 1.6))
            fares.append(fare)
            at = self._moment()
            used = at + timedelta(days=3) if status[i] == "used" else None
            rows.append(
                (
                    i + 1,
                    int(r.integers(1, bookings + 1)),
                    int(r.integers(1, sailings + 1)),
                    name,
                    fare,
                    int(fare * 0.1) if i % 7 == 0 else 0,
                    f"{i % 40}{'ABCD'[i % 4]}",
                    status[i],
                    at,
                    used,
                )
            )
        yield "tickets", rows
        returned = [i for i in range(tickets) if status[i] == "refunded"]
        yield (
            "refunds",
            [
                (
                    n,
                    i + 1,
                    int(fares[i] * r.uniform(0.3, 1)),
                    ("cancelled", "illness", "double booking")[n % 3],
                    self._moment(),
                    self._moment() if n % 8 else None,
                )
                for n, i in enumerate(returned, 1)
            ],
        )
        vouchers = self._count(1_500)
        yield (
            "vouchers",
            [
                (
                    i,
                    f"V{i:06d}",
                    int(r.integers(1, people + 1)),
                    500 * (1 + i % 6),
                    self._moment(),
                    date(2027, 1, 31),
                )
                for i in range(1, vouchers + 1)
            ],
        )
        yield (
            "voucher_uses",
            [(i, 1 + i * 7 % bookings, 500 * (1 + i % 6), self._moment()) for i in range(1, vouchers, 2)],
        )
        yield (
            "payments",
            [
                (
                    i,
                    i,
                    ("card", "card", "cash", "voucher")[i % 4],
                    int(r.integers(600, 22_000)),
                    self._moment(),
                    i % 23 == 0,
                )
                for i in range(1, bookings + 1)
            ],
        )
        yield (
            "complaints",
            [
                (
                    i,
                    int(r.integers(1, bookings + 1)),
                    ("delay", "refund", "staff")[i % 3],
                    self._moment(),
                    self._moment() if i % 3 else None,
                    "made-up text",
                )
                for i in range(1, self._count(700))
            ],
        )

    def _count(self, full: int) -> int:
        return max(4, int(full * self._scale))

    def _moment(self) -> datetime:
        return _START + timedelta(minutes=int(self._random.integers(0, _DAYS * 1440)))

    def _name(self) -> str:
        starts = ("Bar", "Cul", "Dun", "Fen", "Gal", "Hol", "Kel", "Lor", "Mar", "Nes", "Pol", "Ros", "Tor", "Ulv")
        ends = ("den", "wick", "sey", "more", "lin", "ham", "ness", "by", "rick", "ovan")
        r = self._random
        return starts[int(r.integers(0, len(starts)))] + ends[int(r.integers(0, len(ends)))]


def copy_rows(connection: psycopg.Connection, table: str, rows: list[Row]) -> int:
    """Write rows with COPY; returns how many."""
    with connection.cursor() as cursor, cursor.copy(f"copy {table} from stdin") as copy:
        for row in rows:
            copy.write_row(row)
    return len(rows)
