"""The grammar of pipes: ``FROM t |> WHERE … |> AGGREGATE … GROUP BY …``. Source: the references of GoogleSQL and of
Spark on pipe syntax."""

from collections.abc import Callable

from jalan.sql import tree
from jalan.sql.grammar.table_refs import JOIN_STARTS
from jalan.sql.lexer import QUOTED, WORD
from jalan.sql.grammar.queries import QueryParser


class PipeParser(QueryParser):
    """Reads pipes."""

    def _pipeline(self, query: tree.Query) -> None:
        """Read ``|> step |> step``; what stands before is what goes in."""
        body = query.body
        found = tree.Pipeline(body.start, 0, [], None, [])
        if isinstance(body, tree.Select) and _only_source(body) and not query.order and not query.limit:
            found.source = body.source
        else:
            found.first = tree.Query(body.start, self.end_of_last(), None, body, query.order, query.limit)
            query.order, query.limit = [], []
        while self.take("|>"):
            found.steps.append(self._pipe_step())
        found.end = self.end_of_last()
        query.body = found

    def _pipe_step(self) -> tree.PipeStep:
        word = self.keys[self.i]
        step = tree.PipeStep(self.starts[self.i], 0, word, [], [])
        reader = _STEPS.get(word)
        if reader is not None:
            self.i += 1
            reader(self, step)
        elif word in JOIN_STARTS:
            step.operator = "join"
            joined = self._join(self._input())
            if joined is None:
                self.fail("a join")
            step.source = joined
        else:
            self.fail("a step of a pipe")
        step.end = self.end_of_last()
        return step

    def _input(self) -> tree.PipeInput:
        at = self.starts[self.i]
        return tree.PipeInput(at, at, None, None)

    def _items_step(self, step: tree.PipeStep) -> None:
        while self.keys[self.i] in ("distinct", "all"):
            step.all = step.all or self.keys[self.i] == "distinct"
            self.i += 1
        if self.take("as"):
            self.i += 1  # STRUCT or VALUE
        step.items = self.items()
        if self.keys[self.i] == "window":
            select = tree.Select(step.start, step.start, None, [], None, False, [], None, [], None, {})
            self._clauses(select)
            step.windows = select.windows

    def _set_step(self, step: tree.PipeStep) -> None:
        while True:
            start = self.starts[self.i]
            name = self.name("a column")
            self.expect("=")
            value = self.expression()
            step.items.append(tree.Item(start, value.end, value, name))
            if not self.take(",") or self.keys[self.i] in ("|>", ")", ";", ""):
                return

    def _where_step(self, step: tree.PipeStep) -> None:
        step.condition = self.expression()

    def _assert_step(self, step: tree.PipeStep) -> None:
        step.condition = self.expression()
        if self.take(","):
            self.expression_list()

    def _aggregate_step(self, step: tree.PipeStep) -> None:
        if self.keys[self.i] not in ("group", "|>"):
            step.items = self._sorted_items()
        if self.take("group"):
            if self.take("and"):
                self.expect("order")
                step.all = True
            self.expect("by")
            if self.keys[self.i] == "all" and self.keys[self.i + 1] in ("|>", ")", ";", ""):
                self.i += 1
            else:
                step.group = self._sorted_items()

    def _sorted_items(self) -> list[tree.Item]:
        """Read a list whose entries may say how they are sorted."""
        found = []
        while True:
            if self.keys[self.i] in ("rollup", "cube", "grouping"):
                found += [tree.Item(e.start, e.end, e, None) for e in self._grouping()]
            else:
                found += self._one_item()
            if not self.take("asc"):
                self.take("desc")
            if self.take("nulls"):
                self.i += 1
            if not self.take(",") or self.keys[self.i] in ("group", "|>", ")", ";", ""):
                return found

    def _one_item(self) -> list[tree.Item]:
        start = self.starts[self.i]
        expression = self.expression()
        alias = None
        if self.take("as"):
            alias = self.name("the name of a column")
        elif self._at_alias() and self.keys[self.i] not in ("asc", "desc", "nulls"):
            alias = self.name()
        return [tree.Item(start, self.end_of_last(), expression, alias)]

    def _order_step(self, step: tree.PipeStep) -> None:
        self.expect("by")
        step.order = self.sort_keys()

    def _limit_step(self, step: tree.PipeStep) -> None:
        step.limit = [self.expression()]
        if self.take("offset"):
            step.limit.append(self.expression())

    def _offset_step(self, step: tree.PipeStep) -> None:
        step.operator = "limit"
        step.limit = [self.expression()]

    def _as_step(self, step: tree.PipeStep) -> None:
        step.names = [(self.name("an alias"),)]

    def _drop_step(self, step: tree.PipeStep) -> None:
        if self.take("if"):
            self.expect("exists")
        step.names = [(self.name("a column"),)]
        while self.take(",") and self.kinds[self.i] in (WORD, QUOTED):
            step.names.append((self.name("a column"),))

    def _rename_step(self, step: tree.PipeStep) -> None:
        step.names = []
        while True:
            old = self.name("a column")
            self.take("as")
            step.names.append((old, self.name("a column")))
            if not self.take(",") or self.keys[self.i] in ("|>", ")", ";", ""):
                return

    def _set_operation_step(self, step: tree.PipeStep) -> None:
        self.i -= 1
        step.operator, step.all, by_name = self._set_operator()
        if by_name:
            step.names = []
        step.queries = [self._arm()]
        while self.take(","):
            step.queries.append(self._arm())

    def _arm(self) -> tree.Query:
        start = self.starts[self.i]
        body = self._body()
        return body if isinstance(body, tree.Query) else tree.Query(start, self.end_of_last(), None, body, [], [])

    def _recursive_step(self, step: tree.PipeStep) -> None:
        self.i += 1
        self._set_operation_step(step)

    def _reshape_step(self, step: tree.PipeStep) -> None:
        self.i -= 1
        step.source = self.reshaping(self._input())

    def _sample_step(self, step: tree.PipeStep) -> None:
        self.i -= 1
        step.limit = self.sample()

    def _lateral_step(self, step: tree.PipeStep) -> None:
        self.i -= 1
        step.operator, step.source = "join", self._lateral_view(self._input())

    def _call_step(self, step: tree.PipeStep) -> None:
        step.condition = self._function_call()
        if self.take("as"):
            step.names = [(self.name("an alias"),)]

    def _with_step(self, step: tree.PipeStep) -> None:
        self.i -= 1
        step.ctes = self.with_clause()


def _only_source(body: tree.Select) -> bool:
    """Whether a query is no more than ``FROM source``."""
    only = body.items[0].expression if len(body.items) == 1 else None
    return (
        isinstance(only, tree.Star)
        and not only.parts
        and only.modifiers is None
        and body.distinct is None
        and body.where is None
        and body.having is None
        and body.qualify is None
        and body.top is None
        and not (body.group or body.group_all or body.connect or body.windows)
    )


_STEPS: dict[str, Callable[[PipeParser, tree.PipeStep], None]] = {
    "select": PipeParser._items_step,
    "extend": PipeParser._items_step,
    "window": PipeParser._items_step,
    "set": PipeParser._set_step,
    "where": PipeParser._where_step,
    "assert": PipeParser._assert_step,
    "aggregate": PipeParser._aggregate_step,
    "order": PipeParser._order_step,
    "limit": PipeParser._limit_step,
    "offset": PipeParser._offset_step,
    "as": PipeParser._as_step,
    "drop": PipeParser._drop_step,
    "rename": PipeParser._rename_step,
    "distinct": lambda parser, step: None,
    "union": PipeParser._set_operation_step,
    "intersect": PipeParser._set_operation_step,
    "except": PipeParser._set_operation_step,
    "recursive": PipeParser._recursive_step,
    "pivot": PipeParser._reshape_step,
    "unpivot": PipeParser._reshape_step,
    "match_recognize": PipeParser._reshape_step,
    "tablesample": PipeParser._sample_step,
    "lateral": PipeParser._lateral_step,
    "call": PipeParser._call_step,
    "with": PipeParser._with_step,
}
