"""What a statement writes."""

from jalan.lineage.resolve.scope import Flow, Made
from jalan.lineage.tables import Table
from jalan.sql import tree


class Written:
    """What a statement writes: its target, and for each column and for the rows what flows in."""

    __slots__ = ("_by_name", "columns", "kind", "node", "rows", "target")

    def __init__(self, kind: str, node: tree.Node, target: Table | None, rows: Flow) -> None:
        self.kind = kind
        self.node = node
        self.target = target
        self.columns: list[Made] = []
        self.rows = rows
        self._by_name: dict[str, Made] = {}

    def column(self, name: str, node: tree.Node) -> Made:
        """Return the column of that name, made on first sight: several branches may write it."""
        if len(self._by_name) != len(self.columns):
            self._by_name = {made.name: made for made in reversed(self.columns)}
        made = self._by_name.get(name)
        if made is None:
            made = self._by_name[name] = Made(name, {}, {}, (node.start, node.end))
            self.columns.append(made)
        return made
