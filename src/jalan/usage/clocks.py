"""Times of histories in UTC, whatever zone they were written in.

Source of zones and their rules: the IANA time zone database, through ``zoneinfo``.
"""

from datetime import UTC, datetime
from typing import Any
from zoneinfo import ZoneInfo

_SECONDS = frozenset(f":{second:02}" for second in range(60))
_WRITTEN_AS_UTC = (None, "UTC", "GMT")


class Clock:
    """Turns times into UTC. zone: where those that do not say it were written, as ``Europe/Lisbon``.

    >>> Clock("Europe/Lisbon").stamp("2026-07-01 13:00:00.123 WEST")
    '2026-07-01T12:00:00'
    >>> Clock().stamp("2026-07-01 13:00:00.123 UTC")
    '2026-07-01T13:00:00'
    """

    def __init__(self, zone: str = "UTC") -> None:
        self.name = zone
        self._zone = ZoneInfo(zone)
        self._is_utc = zone == "UTC"
        self._minutes: dict[tuple[str, str], str] = {}

    def stamp(self, written: str) -> str:
        """Return a time as PostgreSQL's logs have it, ``2026-11-23 13:00:00.123 CET``, in ISO 8601 and UTC.

        The word at its end tells the two hours apart that are one when clocks are put back. Raises ValueError.
        """
        key = written[:16], written[19:].rpartition(" ")[2]
        found = self._minutes.get(key)
        if found is None:
            found = self._minutes[key] = self._minute(*key)
        seconds = written[16:19]
        if seconds not in _SECONDS:
            raise ValueError(f"“{written[:40]}” is no time")
        return found + seconds

    def _minute(self, minute: str, word: str) -> str:
        try:
            local = datetime.fromisoformat(minute).replace(tzinfo=self._zone)
        except ValueError as error:
            raise ValueError(f"“{minute}” is no time") from error
        again = local.replace(fold=1)
        meant = again if again.tzname() == word != local.tzname() else local
        return meant.astimezone(UTC).strftime("%Y-%m-%dT%H:%M")

    def read(self, value: Any) -> str:
        """Return a time of a table in ISO 8601 and UTC. Raises ValueError for what is none."""
        if isinstance(value, datetime):
            found = value
        elif isinstance(value, int | float) or str(value).replace(".", "", 1).isdigit():
            seconds = float(value)
            found = datetime.fromtimestamp(seconds / 1000 if seconds > 1e11 else seconds, UTC)
        else:
            text = str(value).strip()
            try:
                found = datetime.fromisoformat(text.removesuffix(" UTC"))
            except ValueError as error:
                raise ValueError(f"“{text[:40]}” is no time; expected ISO 8601, or seconds since 1970") from error
            if text.endswith(" UTC"):
                found = found.replace(tzinfo=UTC)
        if found.tzinfo is None:
            found = found.replace(tzinfo=self._zone)
        return found.astimezone(UTC).strftime("%Y-%m-%dT%H:%M:%S")

    def doubt(self, word: str | None, minute: str) -> str | None:
        """Say what is odd about a log whose times, as the one given, end in a word; none where nothing is.

        >>> Clock().doubt("CET", "2026-11-23 13:00")
        'the log is written in CET: its times are taken as if they were UTC; set the time zone'
        """
        if self._is_utc:
            wrong = word not in _WRITTEN_AS_UTC
            taken = "its times are taken as if they were UTC; set the time zone"
        else:
            local = datetime.fromisoformat(minute).replace(tzinfo=self._zone)
            wrong = word not in (local.tzname(), local.replace(fold=1).tzname())
            taken = f"its times are taken as those of {self.name}, where it is {local.tzname()}"
        return f"the log is written in {word}: {taken}" if wrong else None
