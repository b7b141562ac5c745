"""States of all texts of a database that can be held against one another: as they are now, and baselines."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime

from sqlalchemy import Select, func, select
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.orm import Session

from jalan.catalog.kinds import DefinitionKind
from jalan.service.errors import NotFound
from jalan.store.schema import Baseline, BaselineText, Definition, Field
from jalan.store.validity import valid_at

ASKED_TEXTS = frozenset({DefinitionKind.ELEMENT, DefinitionKind.ELEMENT_COLUMNS, DefinitionKind.EXTRACT})
TEXTS = frozenset({DefinitionKind.FILE, DefinitionKind.STATEMENT, *ASKED_TEXTS})
"""Kinds of definitions that are run, or only asked."""


@dataclass(frozen=True, slots=True)
class TakenText:
    """A text that was taken over. text: none where it is not run any more."""

    place: str
    text: str | None


@dataclass(frozen=True, slots=True)
class Side:
    """A state of the texts of a database. baseline: its id, 0 for now. at: the time at which definitions had these
    texts, none for now. taken: key → what was taken over since. version: grows with each text that is taken over.
    """

    name: str = "as it is now"
    baseline: int = 0
    system: int = 0
    database: str = ""
    at: datetime | None = None
    taken: Mapping[str, TakenText] = field(default_factory=dict)
    version: int = 0


NOW = Side()


@dataclass(frozen=True, slots=True)
class DifferingText:
    """A text that two states have otherwise. key: of its definition. asked: it is only asked. left, right: none
    where a state has it not."""

    key: str
    place: str
    asked: bool
    left: str | None
    right: str | None


def side_of(session: Session, baseline: int | None) -> Side | None:
    """Return the state of a baseline; none where none is given. Raises NotFound."""
    if not baseline:
        return None
    row = session.get(Baseline, baseline)
    if row is None:
        raise NotFound(f"there is no baseline {baseline}")
    query = (
        select(BaselineText)
        .where(BaselineText.baseline_id == baseline)
        .ext(distinct_on(BaselineText.key))
        .order_by(BaselineText.key, BaselineText.id.desc())
    )
    rows = session.scalars(query).all()
    taken = {one.key: TakenText(one.place, one.text) for one in rows}
    version = max((one.id for one in rows), default=0)
    return Side(row.name, row.id, row.system_id, row.database, row.at, taken, version)


def differing(session: Session, left: Side, right: Side, most: int) -> tuple[list[DifferingText], int]:
    """Return the texts that two states of one database have otherwise, so many at most, and how many there are.

    Cost: what has changed between their times, and what was taken over.
    """
    keys = {*left.taken, *right.taken}
    for one, other in ((left, right), (right, left)):
        only = _held(one).except_(_held(other)).subquery()
        keys.update(session.scalars(select(Definition.key).where(Definition.id.in_(select(only.c.id)))).all())
    texts = {side.baseline: _texts(session, side, keys) for side in (left, right)}
    found = []
    for key in keys:
        was, now = texts[left.baseline].get(key), texts[right.baseline].get(key)
        before, after = (None if each is None else each[2] for each in (was, now))
        if before != after:
            place, asked, _ = was or now or ("", False, None)
            found.append(DifferingText(key, place, asked, before, after))
    found.sort(key=lambda each: each.place)
    return found[:most], len(found)


def _held(side: Side) -> Select[int]:
    """The ids of the definitions that a state has, without what was taken over."""
    return select(Definition.id).where(
        Definition.system_id == side.system,
        Definition.database == side.database,
        Definition.kind.in_(TEXTS),
        *valid_at(Definition, side.at),
    )


def _texts(session: Session, side: Side, keys: set[str]) -> dict[str, tuple[str, bool, str | None]]:
    """Key → place, whether it is only asked, and the text, of some definitions in a state."""
    query = (
        select(Definition.key, Definition.place, Field.name, Definition.kind, Definition.text)
        .outerjoin(Field, Field.id == Definition.field_id)
        .where(Definition.key == func.any(sorted(keys)), *valid_at(Definition, side.at))
    )
    found: dict[str, tuple[str, bool, str | None]] = {}
    for key, place, element, kind, text in session.execute(query):
        found[key] = (place if element is None else f"{place}: {element}", kind in ASKED_TEXTS, text)
    for key, taken in side.taken.items():
        if key in keys:
            asked = found[key][1] if key in found else False
            found[key] = (found[key][0] if key in found else taken.place, asked, taken.text)
    return found
