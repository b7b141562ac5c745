"""What each source says of a dataset's columns. Where two disagree both stand, and the system itself wins."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import func, select

from jalan.catalog.kinds import FieldKind
from jalan.store.bulk import OneByOne
from jalan.store.repositories.catalog import CatalogueWriter
from jalan.store.schema import Claim, Dataset


@dataclass(frozen=True, slots=True)
class ColumnClaim:
    """A column as a source describes it."""

    name: str
    type: str | None
    description: str | None = None
    facts: dict[str, Any] = field(default_factory=dict)


class ClaimWriter:
    """Keeps the claims of one source, and lets the winning ones decide about the fields."""

    def __init__(self, catalogue: CatalogueWriter, itself: bool) -> None:
        assert catalogue.source_id is not None
        self._catalogue = catalogue
        self._source_id = catalogue.source_id
        self._itself = itself
        self._mine: dict[int, Claim] = {}
        self._others: set[int] = set()
        self._looked: set[int] = set()
        self._whole = False
        self._one_by_one = OneByOne()

    def claim(self, dataset: Dataset, columns: Sequence[ColumnClaim]) -> bool:
        """Write what the source says of a dataset; returns whether the fields follow it."""
        self._look(dataset.id)
        said = [[column.name, column.type] for column in columns]
        before = self._mine.get(dataset.id)
        if before is None or before.columns != said:
            if before is not None:
                before.valid_to = self._catalogue.now
                self._catalogue.session.flush()
            new = Claim(
                id=self._catalogue.ids.next("claim"),
                dataset_id=dataset.id,
                source_id=self._source_id,
                itself=self._itself,
                columns=said,
                valid_from=self._catalogue.now,
            )
            self._catalogue.session.add(new)
            self._mine[dataset.id] = new
            self._catalogue.changes["claims"] += 1
        wins = self._itself or dataset.id not in self._others
        if wins:
            self._write_fields(dataset, columns)
        return wins

    def withdraw(self, dataset: Dataset) -> None:
        """Say that the source says nothing of a dataset any more."""
        self._look(dataset.id)
        before = self._mine.pop(dataset.id, None)
        if before is not None:
            before.valid_to = self._catalogue.now
            self._catalogue.changes["claims withdrawn"] += 1

    def _look(self, dataset: int) -> None:
        """Read what is said of a dataset; of very many, all that this source and the systems themselves say."""
        if self._whole or dataset in self._looked:
            return
        session = self._catalogue.session
        all_ = ((Claim.source_id == self._source_id) | Claim.itself, Claim.valid_to.is_(None))
        count = select(func.count()).select_from(Claim).where(*all_)
        query = select(Claim).where(Claim.valid_to.is_(None), Claim.dataset_id == dataset)
        with session.no_autoflush:
            if self._one_by_one.is_enough("claims", lambda: session.scalars(count).one()):
                self._whole = True
                query = select(Claim).where(*all_)
            self._looked.add(dataset)
            for claim in session.scalars(query):
                if claim.valid_to is not None:
                    continue  # it was withdrawn here
                if claim.source_id == self._source_id:
                    self._mine.setdefault(claim.dataset_id, claim)
                elif claim.itself:
                    self._others.add(claim.dataset_id)

    def _write_fields(self, dataset: Dataset, columns: Sequence[ColumnClaim]) -> None:
        catalogue = self._catalogue
        for ordinal, column in enumerate(columns, 1):
            field_ = catalogue.field(dataset, column.name)
            known = not field_.placeholder
            catalogue.update(
                field_,
                "fields changed" if known else "fields joined",
                kind=FieldKind.COLUMN,
                type=column.type,
                ordinal=ordinal,
                description=column.description,
                facts=column.facts,
                placeholder=False,
                gone_since=None,
            )
        names = {column.name for column in columns}
        for name, field_ in catalogue.fields(dataset).items():
            if name in names or field_.gone_since is not None or field_.kind == FieldKind.STAR:
                continue
            # The system itself knows all columns. Others may leave out what some text names.
            if self._itself or not field_.placeholder:
                catalogue.update(field_, "fields gone", gone_since=catalogue.now)
