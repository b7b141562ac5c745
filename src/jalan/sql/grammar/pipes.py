"""The grammar of pipes: ``FROM t |> WHERE … |> AGGREGATE … GROUP BY …``. Source: the references of GoogleSQL and of
Spark on pipe syntax."""

from collections.abc import Callable

from jalan.sql import tree
from jalan.sql.grammar.part import GrammarPart
from jalan.sql.grammar.table_refs import JOIN_STARTS
from jalan.sql.lexer import QUOTED, WORD


class PipeGrammar(GrammarPart):
    """Reads pipes."""

    def pipeline(self, query: tree.Query) -> None:
        """Read ``|> step |> step``; what stands before is what goes in."""
        tokens = self.tokens
        body = query.body
        found = tree.Pipeline(body.start, 0, [], None, [])
        if isinstance(body, tree.Select) and _only_source(body) and not query.order and not query.limit:
            found.source = body.source
        else:
            found.first = tree.Query(body.start, tokens.end_of_last(), None, body, query.order, query.limit)
            query.order, query.limit = [], []
        while tokens.take("|>"):
            found.steps.append(self._pipe_step())
        found.end = tokens.end_of_last()
        query.body = found

    def _pipe_step(self) -> tree.PipeStep:
        tokens = self.tokens
        word = tokens.keys[tokens.i]
        step = tree.PipeStep(tokens.starts[tokens.i], 0, word, [], [])
        reader = _STEPS.get(word)
        if reader is not None:
            tokens.i += 1
            reader(self, step)
        elif word in JOIN_STARTS:
            step.operator = "join"
            joined = self.grammar.table_refs.join(self._input())
            if joined is None:
                tokens.fail("a join")
            step.source = joined
        else:
            tokens.fail("a step of a pipe")
        step.end = tokens.end_of_last()
        return step

    def _input(self) -> tree.PipeInput:
        at = self.tokens.starts[self.tokens.i]
        return tree.PipeInput(at, at, None, None)

    def _items_step(self, step: tree.PipeStep) -> None:
        tokens = self.tokens
        while tokens.keys[tokens.i] in ("distinct", "all"):
            step.all = step.all or tokens.keys[tokens.i] == "distinct"
            tokens.i += 1
        if tokens.take("as"):
            tokens.i += 1  # STRUCT or VALUE
        step.items = self.grammar.select_list.items()
        if tokens.keys[tokens.i] == "window":
            select = tree.Select(step.start, step.start, None, [], None, False, [], None, [], None, {})
            self.grammar.selects.clauses(select)
            step.windows = select.windows

    def _set_step(self, step: tree.PipeStep) -> None:
        tokens = self.tokens
        while True:
            start = tokens.starts[tokens.i]
            name = tokens.name("a column")
            tokens.expect("=")
            value = self.grammar.expressions.expression()
            step.items.append(tree.SelectItem(start, value.end, value, name))
            if not tokens.take(",") or tokens.keys[tokens.i] in ("|>", ")", ";", ""):
                return

    def _where_step(self, step: tree.PipeStep) -> None:
        step.condition = self.grammar.expressions.expression()

    def _assert_step(self, step: tree.PipeStep) -> None:
        step.condition = self.grammar.expressions.expression()
        if self.tokens.take(","):
            self.grammar.calls.expression_list()

    def _aggregate_step(self, step: tree.PipeStep) -> None:
        tokens = self.tokens
        if tokens.keys[tokens.i] not in ("group", "|>"):
            step.items = self._sorted_items()
        if tokens.take("group"):
            if tokens.take("and"):
                tokens.expect("order")
                step.all = True
            tokens.expect("by")
            if tokens.keys[tokens.i] == "all" and tokens.keys[tokens.i + 1] in ("|>", ")", ";", ""):
                tokens.i += 1
            else:
                step.group = self._sorted_items()

    def _sorted_items(self) -> list[tree.SelectItem]:
        """Read a list whose entries may say how they are sorted."""
        tokens = self.tokens
        found = []
        while True:
            if tokens.keys[tokens.i] in ("rollup", "cube", "grouping"):
                found += [tree.SelectItem(e.start, e.end, e, None) for e in self.grammar.selects.grouping()]
            else:
                found += self._one_item()
            if not tokens.take("asc"):
                tokens.take("desc")
            if tokens.take("nulls"):
                tokens.i += 1
            if not tokens.take(",") or tokens.keys[tokens.i] in ("group", "|>", ")", ";", ""):
                return found

    def _one_item(self) -> list[tree.SelectItem]:
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        expression = self.grammar.expressions.expression()
        alias = None
        if tokens.take("as"):
            alias = tokens.name("the name of a column")
        elif self.grammar.tables.at_alias() and tokens.keys[tokens.i] not in ("asc", "desc", "nulls"):
            alias = tokens.name()
        return [tree.SelectItem(start, tokens.end_of_last(), expression, alias)]

    def _order_step(self, step: tree.PipeStep) -> None:
        self.tokens.expect("by")
        step.order = self.grammar.calls.sort_keys()

    def _limit_step(self, step: tree.PipeStep) -> None:
        step.limit = [self.grammar.expressions.expression()]
        if self.tokens.take("offset"):
            step.limit.append(self.grammar.expressions.expression())

    def _offset_step(self, step: tree.PipeStep) -> None:
        step.operator = "limit"
        step.limit = [self.grammar.expressions.expression()]

    def _as_step(self, step: tree.PipeStep) -> None:
        step.names = [(self.tokens.name("an alias"),)]

    def _drop_step(self, step: tree.PipeStep) -> None:
        tokens = self.tokens
        if tokens.take("if"):
            tokens.expect("exists")
        step.names = [(tokens.name("a column"),)]
        while tokens.take(",") and tokens.kinds[tokens.i] in (WORD, QUOTED):
            step.names.append((tokens.name("a column"),))

    def _rename_step(self, step: tree.PipeStep) -> None:
        tokens = self.tokens
        step.names = []
        while True:
            old = tokens.name("a column")
            tokens.take("as")
            step.names.append((old, tokens.name("a column")))
            if not tokens.take(",") or tokens.keys[tokens.i] in ("|>", ")", ";", ""):
                return

    def _set_operation_step(self, step: tree.PipeStep) -> None:
        self.tokens.i -= 1
        step.operator, step.all, by_name = self.grammar.queries.set_operator()
        if by_name:
            step.names = []
        step.queries = [self._arm()]
        while self.tokens.take(","):
            step.queries.append(self._arm())

    def _arm(self) -> tree.Query:
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        body = self.grammar.queries.query_expression_body()
        return body if isinstance(body, tree.Query) else tree.Query(start, tokens.end_of_last(), None, body, [], [])

    def _recursive_step(self, step: tree.PipeStep) -> None:
        self.tokens.i += 1
        self._set_operation_step(step)

    def _reshape_step(self, step: tree.PipeStep) -> None:
        self.tokens.i -= 1
        step.source = self.grammar.table_operators.reshaping(self._input())

    def _sample_step(self, step: tree.PipeStep) -> None:
        self.tokens.i -= 1
        step.limit = self.grammar.table_operators.sample()

    def _lateral_step(self, step: tree.PipeStep) -> None:
        self.tokens.i -= 1
        step.operator, step.source = "join", self.grammar.table_refs.lateral_view(self._input())

    def _call_step(self, step: tree.PipeStep) -> None:
        step.condition = self.grammar.table_refs.function_call()
        if self.tokens.take("as"):
            step.names = [(self.tokens.name("an alias"),)]

    def _with_step(self, step: tree.PipeStep) -> None:
        self.tokens.i -= 1
        step.ctes = self.grammar.with_clauses.with_clause()


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


_STEPS: dict[str, Callable[[PipeGrammar, tree.PipeStep], None]] = {
    "select": PipeGrammar._items_step,
    "extend": PipeGrammar._items_step,
    "window": PipeGrammar._items_step,
    "set": PipeGrammar._set_step,
    "where": PipeGrammar._where_step,
    "assert": PipeGrammar._assert_step,
    "aggregate": PipeGrammar._aggregate_step,
    "order": PipeGrammar._order_step,
    "limit": PipeGrammar._limit_step,
    "offset": PipeGrammar._offset_step,
    "as": PipeGrammar._as_step,
    "drop": PipeGrammar._drop_step,
    "rename": PipeGrammar._rename_step,
    "distinct": lambda parser, step: None,
    "union": PipeGrammar._set_operation_step,
    "intersect": PipeGrammar._set_operation_step,
    "except": PipeGrammar._set_operation_step,
    "recursive": PipeGrammar._recursive_step,
    "pivot": PipeGrammar._reshape_step,
    "unpivot": PipeGrammar._reshape_step,
    "match_recognize": PipeGrammar._reshape_step,
    "tablesample": PipeGrammar._sample_step,
    "lateral": PipeGrammar._lateral_step,
    "call": PipeGrammar._call_step,
    "with": PipeGrammar._with_step,
}
