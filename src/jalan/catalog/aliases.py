"""Several names for one thing."""

from collections.abc import Iterable

Name = tuple[str, str]
"""A namespace and a name inside it; an empty name stands for the whole namespace."""


class AliasCircle(ValueError):
    """Two names would each stand for the other."""


class AliasMap:
    """Which name a name stands for.

    >>> known = AliasMap([(("postgres://tide:5432", ""), ("postgres://islands:5432", "")),
    ...                   (("postgres://islands:5432", "strait.old.fares"), ("lake", "fares"))])
    >>> known.resolve(("postgres://tide:5432", "strait.core.sailings"))
    ('postgres://islands:5432', 'strait.core.sailings')
    >>> known.resolve(("postgres://tide:5432", "strait.old.fares"))
    ('lake', 'fares')
    """

    def __init__(self, pairs: Iterable[tuple[Name, Name]] = ()) -> None:
        self._to: dict[Name, Name] = dict(pairs)

    def add(self, name: Name, stands_for: Name) -> None:
        """Say that a name stands for another. Raises AliasCircle."""
        if self.resolve(stands_for) == self.resolve(name):
            raise AliasCircle(f"{' '.join(stands_for)} already stands for {' '.join(name)}")
        self._to[name] = stands_for

    def resolve(self, name: Name) -> Name:
        """Return the name that a name stands for in the end; itself where nobody says otherwise."""
        seen = set()
        while name not in seen:
            seen.add(name)
            found = self._to.get(name)
            if found is None and name[1]:
                whole = self._to.get((name[0], ""))
                found = None if whole is None else (whole[0], name[1])
            if found is None:
                return name
            name = found
        return min(seen)

    def standing_for(self, name: Name) -> list[Name]:
        """Return the names that directly stand for this one, sorted."""
        return sorted(alias for alias, to in self._to.items() if to == name)

    def pairs(self) -> list[tuple[Name, Name]]:
        """Return every name with the one that it directly stands for."""
        return list(self._to.items())
