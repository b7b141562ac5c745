"""A dialect is data: what the lexer, the grammar and name resolution look up, never a fork of them."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import Enum

from jalan.sql.identifiers import Name


class Folding(Enum):
    """What the database does to the case of an identifier written without quotes.

    KEEP: the case is kept as written, and names are compared without it (quoted ones too).
    """

    LOWER = "lower"
    UPPER = "upper"
    KEEP = "keep"

    def apply(self, text: str) -> str:
        if self is Folding.LOWER:
            return text.lower()
        return text.upper() if self is Folding.UPPER else text

    def named(self, text: str) -> str:
        """Return text that is spelled as it stands, so that it compares with other names as the database does."""
        return Name(text) if self is Folding.KEEP else text


class Naming(Enum):
    """How the database names an output that has no alias and is no plain column.

    FIGURE: after what stands in it (PostgreSQL's rule, see ``lineage.naming``). WRITTEN: the text as written.
    UPPER: the text in upper case. PRINTED: the text as the database prints the expression. NUMBERED: by
    ``Dialect.unnamed`` with the number of the column, or of the unnamed column, put in. EMPTY: no name.
    """

    FIGURE = "figure"
    WRITTEN = "written"
    UPPER = "upper"
    PRINTED = "printed"
    NUMBERED = "numbered"
    EMPTY = "empty"


class PivotNames(Enum):
    """How PIVOT names the column of a value and an aggregate, by ``Dialect.folding``.

    VALUE_FIRST: ``value_aggregate``. AGGREGATE_FIRST: ``aggregate_value``. VALUE: the value alone.
    VALUE_IF_ONE: the
    value alone where there is one aggregate, else ``value_aggregate``.
    """

    VALUE_FIRST = "value first"
    AGGREGATE_FIRST = "aggregate first"
    VALUE = "value"
    VALUE_IF_ONE = "value if one"


@dataclass(frozen=True, slots=True, eq=False)
class Dialect:
    """Everything about one SQL dialect that reading and resolving it needs.

    name: what callers pass as ``dialect``. title: for people.
    folding: of unquoted identifiers.
    identifier_quotes: pairs of opening and closing characters.
    string_quotes: characters that open and close a string.
    triple_quotes: whether three of them do so too.
    backslash_escapes: whether ``\\'`` in a plain string is a quote.
    string_prefixes: regular expression of what may stand before a string's opening quote, empty for nothing.
    escape_prefixes: letters among these that make a backslash an escape.
    bracket_strings: whether ``q'[…]'`` exists.
    line_comments: what opens a comment that ends with the line.
    nested_comments: whether ``/* /* */ */`` is one comment.
    executed_comments: whether the text in ``/*!50001 … */`` is read.
    dollar_strings: whether ``$tag$…$tag$`` exists.
    name_starts: characters beyond letters and ``_`` that begin a name. name_characters: those beyond letters,
        digits and ``_`` that go on with it.
    digit_names: whether a name may begin with digits.
    number_suffixes: regular expression of the letters that may end a number, empty for none.
    parameter_patterns: regular expressions of placeholders for values.
    operators: the operators of more than one character, and any single one that is not punctuation; empty where
        new ones can be made and PostgreSQL's rule says where one ends.
    operator_precedence: binding power of each infix operator (see ``sql.expressions``).
    reserved: words that name no column, table or function.
    reserved_as_alias: further words that are no alias unless AS stands before them.
    default_schemas: where unqualified table names are looked up. system_schema: what is looked into before these,
        unless the path names it.
    aggregates: functions that fold many rows into one value.
    table_functions: names of the output columns of table functions that name their own.
    system_columns: columns that every table has and no catalogue lists.
    pseudo_columns: words that look like columns and are values of the database's own.
    date_parts: function → which of its arguments (from 0) is the word for a part of a date.
    deciding: function → its arguments that only decide which of the others is the value.
    paths: function → which argument (from 0) is a path into the first.
    type_names: the name the database gives a type written in SQL, where it differs
        (it decides the name of an output column that is a bare cast).
    function_names: the name of the function that stands behind special syntax or behind another name,
        for the same reason.
    naming, unnamed: how outputs are named that nothing names.
    value_names: how the columns of VALUES are named; {0} counts from 1, {1} from 0.
    element_name: the column of a collection in FROM, where it is not called after the collection.
    file_functions: table functions that read the files which their first argument names.
    text_functions: functions in FROM that search the columns of the table that they name first.
    windowing: functions in GROUP BY whose value is then a column of the same name.
    query_functions: functions in FROM whose argument is the text of a query.
    commands: further words that begin a statement without data flow.
    name_functions: functions whose arguments are names (of a sequence, of a column that was set), no values.
    table_names: functions in FROM whose argument is the name of a table.
    generators: functions that make rows of one in a select list → the names of their columns.
    tells: (regular expression, what it is) that speak for this dialect when a text's dialect is guessed.
    batch_separator: what ends a batch of statements, on a line of its own; empty for the semicolon alone.
    body_language: the language of a routine's body that is a string and names none; empty if it must name one.
    pivot_names: how PIVOT names its columns.

    The rest are forms that exist here and would be read otherwise elsewhere, or not at all.

    Names and values:
    backquoted_paths: ``` `a.b.c` ``` is three parts.
    dashed_names: ``my-project.a``.
    colon_paths: ``v:a.b``.
    struct_paths: ``column.field``.
    struct_aliases: ``struct(x as a)``, rather than ``row(x)``.
    element_fields: the fields of an unnested struct are columns.
    methods: ``column.f(x)`` is ``f(column, x)``. methods_of_unknown: also where the column is of an unknown table.
    row_functions: ``row.f`` is ``f(row)``.
    lambdas: ``x -> x + 1``.
    null_escape: ``\\N`` is NULL.
    charset_introducers: ``_utf8mb4 'text'``.
    match_against: ``MATCH (columns) AGAINST (text)``.
    at_local: ``x AT LOCAL``.
    postfix_not_null: ``x NOT NULL``.
    cursor_attributes: ``c%notfound``.
    collections: ``c(1)`` is an element of a variable.
    values_calls: ``VALUES(column)`` is a value.
    star_arguments: ``f(*)`` is called with all columns.
    columns_calls: ``COLUMNS(…)`` stands for several columns.
    positional_columns: ``$1`` is a column. numbered_columns: ``#1`` is one.
    bare_filters: ``FILTER (condition)``.

    Select lists:
    lateral_aliases: an output is visible to later ones and to WHERE. aliases_in_having: to HAVING.
    equals_aliases: ``alias = value``. prefix_aliases: ``alias: value``. string_aliases: ``value 'alias'``.
    trailing_commas: a list may end with one.

    FROM and what stands around it:
    from_first: ``FROM t SELECT c``.
    joins_need_condition: JOIN without ON is an error. comma_joins_on: ``a, b ON …``.
    cross_joins_on: ``a CROSS JOIN b ON …``.
    implicit_lateral: a query in FROM sees what stands before it.
    implicit_recursion: WITH may refer to itself without RECURSIVE.
    bare_cycles: CYCLE without USING.
    sorted_groups: ``GROUP BY a DESC``.
    empty_rows: ``VALUES ()``.
    stages: ``@stage`` is a place of files.
    table_hints: ``t WITH (nolock)``; behind a function in FROM, WITH gives its columns.
    changes_in_from: a change stands in FROM for what it puts out.

    Statements:
    bare_statements: no semicolon needed. batches: a routine's body goes on to the end of its batch.
    other_commands: the commands of all systems are known, not only those of the standard.
    optional_into: INSERT and MERGE without INTO. optional_from: DELETE without FROM, or with two.
    bare_insert_aliases: ``INSERT INTO t alias``.
    inserted_and_deleted: these stand for the rows that a change writes and takes away.
    synopses: there is a file of what the commands look like, and statements are held against it.
    use_names_schema: USE is followed by a schema rather than a database.
    rules: CREATE RULE. events: CREATE EVENT. packages: CREATE PACKAGE.

    Procedures:
    variables: ``@name`` is a variable or table variable.
    scripting: blocks and conditions stand outside procedures too.
    single_declarations: each DECLARE is a statement.
    tables_in_blocks: SELECT INTO makes a table inside a procedure, too.
    procedures_put_out: a query in a procedure is a result for its caller.
    bare_bodies: a routine's body is one statement without BEGIN.
    bare_calls: a procedure is called by its name alone. execute_calls: ``EXECUTE p`` calls it.
    execute_prepared: ``EXECUTE name`` runs what was prepared.
    do_evaluates: ``DO value`` only computes it.
    """

    name: str
    title: str
    folding: Folding
    identifier_quotes: tuple[tuple[str, str], ...]
    operator_precedence: Mapping[str, int]
    reserved: frozenset[str]
    reserved_as_alias: frozenset[str]
    aggregates: frozenset[str]
    string_quotes: str = "'"
    triple_quotes: bool = False
    backslash_escapes: bool = False
    string_prefixes: str = ""
    escape_prefixes: str = ""
    bracket_strings: bool = False
    line_comments: tuple[str, ...] = ("--",)
    nested_comments: bool = False
    executed_comments: bool = False
    dollar_strings: bool = False
    name_starts: str = ""
    name_characters: str = "$"
    digit_names: bool = False
    number_suffixes: str = ""
    parameter_patterns: tuple[str, ...] = ()
    operators: frozenset[str] = frozenset()
    default_schemas: tuple[str, ...] = ()
    system_schema: str = ""
    row_functions: bool = False
    synopses: bool = False
    table_functions: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    system_columns: frozenset[str] = frozenset()
    pseudo_columns: frozenset[str] = frozenset()
    date_parts: Mapping[str, int] = field(default_factory=dict)
    deciding: Mapping[str, str] = field(default_factory=dict)
    paths: Mapping[str, int] = field(default_factory=dict)
    type_names: Mapping[str, str] = field(default_factory=dict)
    function_names: Mapping[str, str] = field(default_factory=dict)
    value_names: str = "column{0}"
    naming: Naming = Naming.FIGURE
    unnamed: str = "?column?"
    tells: tuple[tuple[str, str], ...] = ()
    backquoted_paths: bool = False
    dashed_names: bool = False
    colon_paths: bool = False
    struct_paths: bool = False
    lambdas: bool = False
    lateral_aliases: bool = False
    equals_aliases: bool = False
    string_aliases: bool = False
    implicit_recursion: bool = False
    bare_statements: bool = False
    trailing_commas: bool = False
    joins_need_condition: bool = False
    positional_columns: bool = False
    stages: bool = False
    variables: bool = False
    scripting: bool = False
    columns_calls: bool = False
    star_arguments: bool = False
    cursor_attributes: bool = False
    methods: bool = False
    element_fields: bool = False
    generators: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    use_names_schema: bool = True
    single_declarations: bool = False
    values_calls: bool = False
    implicit_lateral: bool = False
    element_name: str = ""
    file_functions: frozenset[str] = frozenset()
    table_names: frozenset[str] = frozenset()
    commands: frozenset[str] = frozenset()
    name_functions: frozenset[str] = frozenset()
    windowing: frozenset[str] = frozenset()
    query_functions: frozenset[str] = frozenset()
    text_functions: frozenset[str] = frozenset()
    bare_calls: bool = False
    empty_rows: bool = True
    sorted_groups: bool = True
    postfix_not_null: bool = True
    from_first: bool = True
    bare_filters: bool = True
    comma_joins_on: bool = True
    cross_joins_on: bool = True
    other_commands: bool = True
    optional_into: bool = True
    optional_from: bool = True
    bare_cycles: bool = True
    aliases_in_having: bool = True
    at_local: bool = False
    rules: bool = False
    null_escape: bool = False
    match_against: bool = False
    charset_introducers: bool = False
    events: bool = False
    bare_bodies: bool = False
    do_evaluates: bool = False
    execute_prepared: bool = False
    numbered_columns: bool = False
    prefix_aliases: bool = False
    methods_of_unknown: bool = False
    execute_calls: bool = False
    bare_insert_aliases: bool = False
    collections: bool = False
    packages: bool = False
    batches: bool = False
    changes_in_from: bool = False
    table_hints: bool = False
    tables_in_blocks: bool = False
    inserted_and_deleted: bool = False
    procedures_put_out: bool = False
    struct_aliases: bool = False
    batch_separator: str = ""
    body_language: str = ""
    pivot_names: PivotNames = PivotNames.VALUE_FIRST
