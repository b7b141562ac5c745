"""The grammar of expressions: precedence climbing over the operators of the dialect."""

from collections.abc import Callable
from functools import cache
from typing import TYPE_CHECKING

from jalan.sql import tree
from jalan.sql.dialects.dialect import Dialect, Folding
from jalan.sql.grammar.calls import OTHER
from jalan.sql.grammar.part import GrammarPart
from jalan.sql.grammar.token_stream import SqlSyntaxError
from jalan.sql.lexer import NUMBER, OPERATOR, PARAMETER, QUOTED, STRING, WORD

if TYPE_CHECKING:
    from jalan.sql.grammar.assembly import Grammar

# Binding powers that the special forms below share with the table of the dialect (PostgreSQL manual, 4.1.6).
_NOT, _IN, _OTHER, _AT, _UNARY = 3, 6, OTHER, 11, 13

_QUERY_STARTS = frozenset({"select", "with", "values", "table"})
_NO_PARENTHESES = frozenset(
    """
    current_date current_time current_timestamp localtime localtimestamp current_role current_user
    session_user user current_catalog current_schema system_user
    """.split()
)
_AGAINST_WORDS = frozenset({"in", "boolean", "natural", "language", "mode", "with", "query", "expansion"})
_CURSOR_ATTRIBUTES = frozenset({"found", "notfound", "isopen", "rowcount", "bulk_rowcount", "bulk_exceptions"})
_CONTINUES = frozenset({".", "(", "'", "::", "["})  # what makes more of a name than a column
# Reserved words that are functions before "(".
_FUNCTION_WORDS = frozenset(
    """
    left right like overlaps values if insert mod truncate replace update any some glob regexp default
    window
    """.split()
)
_TYPED = frozenset({"date", "time", "timestamp", "datetime", "n", "b", "x"})

_POSTFIXES = frozenset({"::", "[", "."})
_POSTFIXES_AND_PATHS = _POSTFIXES | {":"}


@cache
def _special_words(dialect: Dialect) -> frozenset[str]:
    """The words that are not plainly columns where an expression begins."""
    return dialect.reserved.union(_PRIMARY)


class ExpressionGrammar(GrammarPart):
    """Reads expressions."""

    def __init__(self, grammar: "Grammar") -> None:
        super().__init__(grammar)
        dialect = self.dialect
        self._special = _special_words(dialect)
        self._precedence = dialect.operator_precedence
        self._lower = dialect.folding is Folding.LOWER
        self._postfixes = _POSTFIXES_AND_PATHS if dialect.colon_paths else _POSTFIXES
        self._lambdas = dialect.lambdas
        self._document_steps = dialect.colon_paths and dialect.folding is Folding.UPPER

    def expression(self, power: int = 1) -> tree.Expression:
        """Read an expression whose operators bind at least as tightly as ``power``."""
        tokens = self.tokens
        keys, kinds = tokens.keys, tokens.kinds
        i = tokens.i
        if kinds[i] != WORD or keys[i] in self._special or not self._lower:
            left = self.prefix()
        elif keys[i + 1] not in _CONTINUES:  # ``a``, the commonest of all expressions
            tokens.i = i + 1
            left = tree.Column(tokens.starts[i], tokens.ends[i], (keys[i],))
        elif keys[i + 1] == "." and kinds[i + 2] == WORD and keys[i + 3] not in _CONTINUES:  # ``a.b``
            tokens.i = i + 3
            left = tree.Column(tokens.starts[i], tokens.ends[i + 2], (keys[i], keys[i + 2]))
        else:
            left = self.prefix()
        precedence = self._precedence
        while True:
            key = keys[tokens.i]
            binding = precedence.get(key)
            if binding is None:
                if kinds[tokens.i] != OPERATOR or key[0] not in "~!@#%^&|`?*/<>=+-" or key == "|>":
                    return left
                binding = _OTHER
            if binding < power:
                return left
            special = _INFIX.get(key)
            if special is None:
                tokens.i += 1
                right: tree.Expression
                if keys[tokens.i] in ("any", "some", "all") and keys[tokens.i + 1] == "(":
                    right = self._quantified(left)
                    left = right
                    continue
                if key == "->" and self._lambdas:
                    parameters = self._lambda_parameters(left)
                    if parameters is not None:
                        body = self.expression()
                        left = tree.Lambda(left.start, body.end, parameters, body)
                        continue
                right = self.expression(binding + 1)
                left = tree.Binary(left.start, right.end, key, left, right)
            else:
                found = special(self, left, power)
                if found is None:
                    return left
                left = found

    # --- infix ---------------------------------------------------------------------------------------

    def _lambda_parameters(self, left: tree.Expression) -> list[str] | None:
        """Return the names before ``->`` if it makes a lambda; before a string it is an operator on JSON."""
        if self.tokens.kinds[self.tokens.i] in (STRING, NUMBER):
            return None
        items = left.items if type(left) is tree.Row else [left]
        names = [item.parts[0] for item in items if type(item) is tree.Column and len(item.parts) == 1]
        return names if len(names) == len(items) else None

    def _quantified(self, left: tree.Expression) -> tree.Expression:
        tokens = self.tokens
        tokens.i += 1
        tokens.expect("(")
        if tokens.keys[tokens.i] in _QUERY_STARTS or (tokens.keys[tokens.i] == "(" and self.is_query(tokens.i)):
            query = self.grammar.queries.query()
            tokens.expect(")")
            return tree.InQuery(left.start, tokens.end_of_last(), left, query)
        items = self.grammar.calls.expression_list()
        tokens.expect(")")
        if len(items) == 1:
            return tree.Binary(left.start, tokens.end_of_last(), "any", left, items[0])
        return tree.InList(left.start, tokens.end_of_last(), left, items)

    def _is(self, left: tree.Expression, power: int) -> tree.Expression | None:
        tokens = self.tokens
        tokens.i += 1
        negated = tokens.take("not")
        if tokens.take_words("distinct", "from"):
            right = self.expression(_IN)
            return tree.Binary(left.start, right.end, "is distinct from", left, right)
        if tokens.keys[tokens.i] == "normalized" or tokens.peek() == "normalized":
            tokens.i += 1 if tokens.keys[tokens.i] == "normalized" else 2
            return tree.Unary(left.start, tokens.end_of_last(), "is normalized", left)
        word = tokens.keys[tokens.i]
        if word not in ("null", "true", "false", "unknown", "document", "json", "nan"):
            if tokens.kinds[tokens.i] == WORD and word in self._special:
                tokens.fail("NULL, TRUE, FALSE, UNKNOWN or DISTINCT FROM")
            right = self.expression(_IN)
            return tree.Binary(left.start, right.end, "is", left, right)
        tokens.i += 1
        if word == "json":
            while tokens.keys[tokens.i] in (
                "value",
                "scalar",
                "array",
                "object",
                "with",
                "without",
                "unique",
                "keys",
            ):
                tokens.i += 1
        operator = f"is not {word}" if negated else f"is {word}"
        return tree.Unary(left.start, tokens.end_of_last(), operator, left)

    def _is_null(self, left: tree.Expression, power: int) -> tree.Expression | None:
        self.tokens.i += 1
        return tree.Unary(left.start, self.tokens.end_of_last(), "is null", left)

    def _not(self, left: tree.Expression, power: int) -> tree.Expression | None:
        tokens = self.tokens
        if tokens.peek() == "null" and self.dialect.postfix_not_null:
            tokens.i += 2
            return tree.Unary(left.start, tokens.end_of_last(), "is not null", left)
        if tokens.peek() not in _INFIX or tokens.peek() == "not":
            return None
        tokens.i += 1
        return _INFIX[tokens.keys[tokens.i]](self, left, power)

    def _between(self, left: tree.Expression, power: int) -> tree.Expression | None:
        tokens = self.tokens
        tokens.i += 1
        if not tokens.take("symmetric"):
            tokens.take("asymmetric")
        low = self.expression(_OTHER)
        tokens.expect("and")
        high = self.expression(_OTHER)
        return tree.Between(left.start, high.end, left, low, high)

    def _in(self, left: tree.Expression, power: int) -> tree.Expression | None:
        tokens = self.tokens
        tokens.i += 1
        if tokens.keys[tokens.i] != "(":
            right = self.expression(_OTHER)
            return tree.Binary(left.start, right.end, "in", left, right)
        tokens.expect("(")
        if tokens.keys[tokens.i] in _QUERY_STARTS or (tokens.keys[tokens.i] == "(" and self.is_query(tokens.i)):
            at = tokens.i
            try:
                query = self.grammar.queries.query()
                tokens.expect(")")
                return tree.InQuery(left.start, tokens.end_of_last(), left, query)
            except SqlSyntaxError:
                if tokens.keys[at] != "(":
                    raise
                tokens.i = at
        items = [] if tokens.keys[tokens.i] == ")" else self.grammar.calls.expression_list()
        tokens.expect(")")
        return tree.InList(left.start, tokens.end_of_last(), left, items)

    def _like(self, left: tree.Expression, power: int) -> tree.Expression | None:
        tokens = self.tokens
        operator = tokens.keys[tokens.i]
        tokens.i += 1
        if operator == "similar":
            tokens.expect("to")
        elif operator == "sounds":
            tokens.expect("like")
        elif operator == "member":
            tokens.take("of")
        if tokens.keys[tokens.i] in ("any", "some", "all"):
            return self._quantified(left)
        right = self.expression(_OTHER)
        if tokens.take("escape"):
            escape = self.expression(_OTHER)
            right = tree.Binary(right.start, escape.end, "escape", right, escape)
        return tree.Binary(left.start, right.end, operator, left, right)

    def _at(self, left: tree.Expression, power: int) -> tree.Expression | None:
        tokens = self.tokens
        if tokens.peek() == "local" and self.dialect.at_local:
            tokens.i += 2
            return tree.Unary(left.start, tokens.end_of_last(), "at time zone", left)
        if not (tokens.peek() == "time" and tokens.peek(2) == "zone"):
            return None
        tokens.i += 3
        right = self.expression(_AT + 1)
        return tree.Binary(left.start, right.end, "at time zone", left, right)

    def _collate(self, left: tree.Expression, power: int) -> tree.Expression | None:
        tokens = self.tokens
        tokens.i += 1
        tokens.qualified("a collation")
        return tree.Unary(left.start, tokens.end_of_last(), "collate", left)

    def _operator(self, left: tree.Expression, power: int) -> tree.Expression | None:
        tokens = self.tokens
        if tokens.peek() != "(":
            return None
        tokens.i += 1
        self.grammar.calls.operator_name()
        if tokens.keys[tokens.i] in ("any", "some", "all"):
            return self._quantified(left)
        right = self.expression(_OTHER + 1)
        return tree.Binary(left.start, right.end, "operator", left, right)

    # --- prefix and primary --------------------------------------------------------------------------

    def prefix(self) -> tree.Expression:
        tokens = self.tokens
        i = tokens.i
        key = tokens.keys[i]
        handler = _PRIMARY.get(key)
        if handler is not None:
            found = handler(self)
            if found is None:
                found = self._named()
        else:
            kind = tokens.kinds[i]
            if kind == WORD or kind == QUOTED:
                found = self._named()
            elif key == "?":
                found = self.grammar.literals.parameter()
            elif key == "%" and tokens.starts[i + 1] == tokens.ends[i]:
                found = self.grammar.literals.driver_parameter() or self._unary()
            elif key == "#" and tokens.kinds[i + 1] == NUMBER and self.dialect.numbered_columns:
                tokens.i = i + 2  # the column of that number in FROM
                found = tree.Column(
                    tokens.starts[i], tokens.ends[i + 1], (tokens.folding.named("#" + tokens.written(i + 1)),)
                )
            elif kind == OPERATOR and key[0] in "~!@#%^&|`?+-/<>=":
                return self._unary()
            elif key == "\\" and tokens.keys[i + 1] == "n" and self.dialect.null_escape:
                tokens.i = i + 2
                found = tree.Literal(tokens.starts[i], tokens.ends[i + 1], "")
            else:
                tokens.fail("an expression")
        if tokens.keys[tokens.i] in self._postfixes and not self._at_range():
            found = self._postfix(found)
        return found

    def _at_range(self) -> bool:
        """Whether ``..`` stands here, between the ends of a loop's range."""
        tokens = self.tokens
        i = tokens.i
        return tokens.keys[i] == "." and (tokens.keys[i + 1] == "." or tokens.written(i + 1).startswith("."))

    def _unary(self) -> tree.Expression:
        tokens = self.tokens
        operators = []
        while tokens.kinds[tokens.i] == OPERATOR and tokens.keys[tokens.i][0] in "~!@#%^&|`?+-":
            operators.append(tokens.i)
            tokens.i += 1
        if not operators:
            tokens.fail("an expression")
        tight = all(tokens.keys[i] in "+-" for i in operators)
        argument = self.expression(_UNARY if tight else _OTHER + 1)
        for i in reversed(operators):
            argument = tree.Unary(tokens.starts[i], argument.end, tokens.keys[i], argument)
            if len(operators) > 50:  # a long run of signs is one sign to us
                break
        return argument

    def _postfix(self, base: tree.Expression) -> tree.Expression:
        tokens = self.tokens
        keys = tokens.keys
        while True:
            key = keys[tokens.i]
            if key == "::":
                tokens.i += 1
                name = self.grammar.calls.type_name()
                base = tree.Cast(base.start, tokens.end_of_last(), base, name)
            elif key == "[":
                base = self._subscript(base)
            elif key == "." and not isinstance(base, tree.Star):
                tokens.i += 1
                if tokens.take("*"):
                    base = tree.Field(base.start, tokens.end_of_last(), base, "*")
                elif tokens.peek() == "(":
                    method = tokens.i  # a method: its object is the first argument
                    name = tokens.name("a method")
                    call = self.grammar.calls.call(method, (name,))
                    assert isinstance(call, tree.Call)
                    call.start = base.start
                    call.arguments.insert(0, base)
                    base = call
                elif self._document_steps and isinstance(base, tree.Subscript | tree.Path):
                    step = self._step()  # a key of a document, as it is written
                    base = tree.Path(base.start, tokens.end_of_last(), base, step)
                else:
                    field = tokens.name("a field")
                    base = tree.Field(base.start, tokens.end_of_last(), base, field)
            elif key == ":" and self.dialect.colon_paths and not isinstance(base, tree.Literal):
                base = self._colon_path(base)
            else:
                return base

    def _colon_path(self, base: tree.Expression) -> tree.Expression:
        """Read ``:a.b[0]['c']`` behind a semi-structured value."""
        tokens = self.tokens
        tokens.i += 1
        steps = [] if tokens.keys[tokens.i] == "[" else [self._step()]
        while True:
            if tokens.keys[tokens.i] == ".":
                tokens.i += 1
                steps.append("." + self._step())
            elif (
                tokens.keys[tokens.i] == "["
                and tokens.kinds[tokens.i + 1] in (NUMBER, STRING)
                and tokens.peek(2) == "]"
            ):
                step = tokens.written(tokens.i + 1)
                steps.append(f"[{step}]" if tokens.kinds[tokens.i + 1] == NUMBER else "." + step[1:-1])
                tokens.i += 3
            elif tokens.keys[tokens.i] == ":" and tokens.kinds[tokens.i + 1] in (WORD, QUOTED):
                tokens.i += 1
                steps.append("." + self._step())
            else:
                if not steps:
                    tokens.fail("a field")
                return tree.Path(base.start, tokens.end_of_last(), base, "".join(steps).removeprefix("."))

    def _step(self) -> str:
        """Read a key of a document: its case matters and is that of the text."""
        tokens = self.tokens
        name = tokens.name("a field")
        return tokens.written(tokens.i - 1) if tokens.kinds[tokens.i - 1] == WORD else name

    def _subscript(self, base: tree.Expression) -> tree.Expression:
        tokens = self.tokens
        tokens.i += 1
        indexes: list[tree.Expression] = []
        while not tokens.take("]"):
            if tokens.take(":") or tokens.take(","):
                continue
            if tokens.keys[tokens.i] == "-" and tokens.peek() in (":", "]"):
                tokens.i += 1
                continue
            if tokens.kinds[tokens.i] == PARAMETER and tokens.written(tokens.i)[0] == ":":
                # `a[1:n]`: the lexer took `:n` for a placeholder
                folded = tokens.folding.apply(tokens.written(tokens.i)[1:])
                indexes.append(tree.Column(tokens.starts[tokens.i] + 1, tokens.ends[tokens.i], (folded,)))
                tokens.i += 1
                continue
            indexes.append(self.expression())
        return tree.Subscript(base.start, tokens.end_of_last(), base, indexes)

    def _star(self) -> tree.Expression:
        tokens = self.tokens
        i = tokens.i
        tokens.i = i + 1
        if tokens.keys[tokens.i] == "columns" and tokens.keys[tokens.i + 1] == "(" and self.dialect.columns_calls:
            argument = self._named()
            return tree.Unary(tokens.starts[i], argument.end, "*", argument)
        star = tree.Star(tokens.starts[i], tokens.ends[i], ())
        if tokens.keys[tokens.i] in ("ilike", "like", "not", "similar", "glob"):
            self.grammar.select_list.star_modifiers(star)
        return star

    def _parenthesis(self) -> tree.Expression:
        grammar = self.grammar
        tokens = self.tokens
        tokens.enter()
        start = tokens.starts[tokens.i]
        tokens.i += 1
        found: tree.Expression
        if self.is_query(tokens.i):
            at = tokens.i
            try:
                query = grammar.queries.query()
                tokens.expect(")")
                tokens.depth -= 1
                return tree.ScalarQuery(start, tokens.end_of_last(), query)
            except SqlSyntaxError as error:
                if tokens.keys[at] != "(" or error.code == "too_deep":
                    raise
                tokens.i = at
        if (
            tokens.keys[tokens.i] == "execute"
            and tokens.keys[tokens.i + 1] == "immediate"
            and self.dialect.scripting
        ):
            tokens.i += 2
            text = self.expression()
            if tokens.take("using"):
                grammar.calls.expression_list()
            tokens.expect(")")
            tokens.depth -= 1
            return tree.DynamicQuery(start, tokens.end_of_last(), text)
        items = [] if tokens.keys[tokens.i] == ")" else grammar.calls.expression_list()
        if tokens.keys[tokens.i] == "as" and self.dialect.struct_paths:
            tokens.i += 1  # (value AS name, …): a struct
            tokens.name("the name of a part")
            while tokens.take(","):
                items.append(self.expression())
                if tokens.take("as"):
                    tokens.name("the name of a part")
        tokens.expect(")")
        tokens.depth -= 1
        if len(items) == 1:
            found = items[0]
            if type(found) is tree.Column or type(found) is tree.ScalarQuery or type(found) is tree.Literal:
                return found
            found.start, found.end = start, tokens.end_of_last()
            return found
        return tree.Row(start, tokens.end_of_last(), items)

    def _match_against(self) -> tree.Expression | None:
        """``MATCH (columns) AGAINST (words IN BOOLEAN MODE)``."""
        tokens = self.tokens
        if not self.dialect.match_against or tokens.keys[tokens.i + 1] != "(":
            return None
        start = tokens.starts[tokens.i]
        tokens.i += 2
        found = tree.Call(start, 0, ("match",), self.grammar.calls.expression_list())
        tokens.expect(")")
        if tokens.take("against"):
            tokens.expect("(")
            found.arguments.append(self.expression(OTHER))
            while tokens.keys[tokens.i] in _AGAINST_WORDS:
                tokens.i += 1
            tokens.expect(")")
        found.end = tokens.end_of_last()
        return found

    def is_query(self, i: int) -> bool:
        """Whether a query starts here, behind any number of opening parentheses."""
        tokens = self.tokens
        keys = tokens.keys
        while keys[i] == "(":
            i += 1
        if keys[i] == "values" and self.dialect.values_calls and tokens.kinds[i + 2] in (WORD, QUOTED):
            return False  # VALUES(column) behind ON DUPLICATE KEY UPDATE
        if keys[i] == "from":
            return self.dialect.from_first
        if keys[i] == "values" or keys[i] == "table":
            return tokens.kinds[i + 1] != OPERATOR or keys[i + 1] == "("
        return keys[i] in _QUERY_STARTS

    def _not_prefix(self) -> tree.Expression:
        tokens = self.tokens
        start = tokens.starts[tokens.i]
        tokens.enter()
        tokens.i += 1
        argument = self.expression(_NOT)
        tokens.depth -= 1
        return tree.Unary(start, argument.end, "not", argument)

    def _exists(self) -> tree.Expression | None:
        tokens = self.tokens
        if tokens.peek() != "(" or (self.dialect.lambdas and not self.is_query(tokens.i + 2)):
            return None
        start = tokens.starts[tokens.i]
        tokens.i += 2
        query = self.grammar.queries.query()
        tokens.expect(")")
        return tree.Exists(start, tokens.end_of_last(), query)

    # --- names and calls -----------------------------------------------------------------------------

    def _named(self) -> tree.Expression:
        tokens = self.tokens
        i = tokens.i
        keys = tokens.keys
        kind = tokens.kinds[i]
        if kind == WORD and keys[i] in tokens.reserved:
            if not (keys[i] in _FUNCTION_WORDS and keys[i + 1] == "("):
                tokens.fail("an expression")
        if keys[i] == "{{" and keys[i + 1] not in (".", "("):
            tokens.i = i + 1
            return tree.Parameter(tokens.starts[i], tokens.ends[i])
        if kind == WORD and tokens.lower:
            first = keys[i]
            tokens.i = i + 1
        else:
            first = tokens.name()
        key = keys[tokens.i]
        if key == "0" and keys[i][0] == "_" and self.dialect.charset_introducers:
            tokens.i += 1  # _utf8mb4 0x41
            return tree.Literal(tokens.starts[i], tokens.end_of_last(), "")
        parts: tuple[str, ...]
        if key == "%" and keys[tokens.i + 1] in _CURSOR_ATTRIBUTES and self.dialect.cursor_attributes:
            tokens.i += 2
            if keys[tokens.i] == "(":
                tokens.skip_parentheses()
            return tree.Literal(tokens.starts[i], tokens.end_of_last(), "")
        if key != "." and key != "(" and key != "'":
            return tree.Column(tokens.starts[i], tokens.ends[i], (first,))
        if key == "'" and self.dialect.string_aliases and keys[i] not in _TYPED and keys[i][0] != "_":
            return tree.Column(tokens.starts[i], tokens.ends[i], (first,))
        if key == "." and not self._at_range():
            names = [first]
            while keys[tokens.i] == "." and not self._at_range():
                tokens.i += 1
                if keys[tokens.i] == "*":
                    tokens.i += 1
                    return tree.Star(tokens.starts[i], tokens.ends[tokens.i - 1], tuple(names))
                if tokens.kinds[tokens.i] == PARAMETER and self.dialect.positional_columns:
                    names.append(tokens.written(tokens.i))
                    tokens.i += 1
                    continue
                names.append(tokens.name("a name or “*”"))
            parts = tuple(names)
            key = keys[tokens.i]
        else:
            parts = (first,)
        if key == "(":
            if keys[tokens.i + 1] == "+" and keys[tokens.i + 2] == ")":
                end = tokens.end_of_last()
                tokens.i += 3  # Oracle's mark of an outer join
                return tree.Column(tokens.starts[i], end, parts)
            return self.grammar.calls.call(i, parts)
        if key == "'" and tokens.kinds[tokens.i] == STRING and len(parts) <= 2:
            tokens.i += 1
            return tree.Literal(tokens.starts[i], tokens.end_of_last(), parts[-1])
        if key == "'" and tokens.kinds[tokens.i] != STRING:
            tokens.fail("an expression")
        return tree.Column(tokens.starts[i], tokens.end_of_last(), parts)


_INFIX: dict[str, Callable[[ExpressionGrammar, tree.Expression, int], tree.Expression | None]] = {
    "is": ExpressionGrammar._is,
    "isnull": ExpressionGrammar._is_null,
    "notnull": ExpressionGrammar._is_null,
    "not": ExpressionGrammar._not,
    "between": ExpressionGrammar._between,
    "in": ExpressionGrammar._in,
    **dict.fromkeys(
        ("like", "ilike", "similar", "rlike", "regexp", "glob", "match", "sounds", "member"),
        ExpressionGrammar._like,
    ),
    "at": ExpressionGrammar._at,
    "collate": ExpressionGrammar._collate,
    "operator": ExpressionGrammar._operator,
}

_PRIMARY: dict[str, Callable[[ExpressionGrammar], tree.Expression | None]] = {
    "[": lambda part: part.grammar.constructors.bracket_list(),
    "{": lambda part: part.grammar.constructors.braces(),
    "@/": lambda part: part.grammar.constructors.location(),
    "map": lambda part: part.grammar.constructors.map_value(),
    **dict.fromkeys(("multiset", "cursor"), lambda part: part.grammar.constructors.multiset()),
    "identifier": lambda part: part.grammar.literals.identifier(),
    "default": lambda part: part.grammar.literals.default(),
    "match": ExpressionGrammar._match_against,
    "struct": lambda part: part.grammar.constructors.struct(),
    "struct_pack": lambda part: part.grammar.constructors.struct_pack(),
    **dict.fromkeys(("approximate", "final", "running"), lambda part: part.grammar.constructors.before_call()),
    "lambda": lambda part: part.grammar.constructors.lambda_word(),
    **dict.fromkeys(("prior", "binary", "connect_by_root"), lambda part: part.grammar.constructors.leading()),
    **dict.fromkeys(("next", "previous"), lambda part: part.grammar.constructors.next_value()),
    **dict.fromkeys(("try_cast", "safe_cast", "cast"), lambda part: part.grammar.constructors.cast()),
    "0": lambda part: part.grammar.literals.number(),
    "'": lambda part: part.grammar.literals.string(),
    "$": lambda part: part.grammar.literals.parameter(),
    "*": ExpressionGrammar._star,
    "(": ExpressionGrammar._parenthesis,
    "not": ExpressionGrammar._not_prefix,
    "case": lambda part: part.grammar.constructors.case(),
    "exists": ExpressionGrammar._exists,
    "array": lambda part: part.grammar.constructors.array(),
    "row": lambda part: part.grammar.constructors.row(),
    **dict.fromkeys(("null", "true", "false"), lambda part: part.grammar.literals.constant()),
    "interval": lambda part: part.grammar.constructors.interval(),
    "collation": lambda part: part.grammar.constructors.collation_for(),
    **dict.fromkeys(
        ("timestamp", "time", "double", "character", "bit", "varchar", "numeric"),
        lambda part: part.grammar.constructors.typed_literal(),
    ),
    **dict.fromkeys(_NO_PARENTHESES, lambda part: part.grammar.literals.current()),
}
