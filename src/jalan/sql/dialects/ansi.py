"""Standard SQL. Source: ISO/IEC 9075-2, as far as its public drafts go."""

from jalan.sql.dialects import common
from jalan.sql.dialects.common import words
from jalan.sql.dialects.dialect import Dialect, Folding

ANSI = Dialect(
    name="ansi",
    title="Standard SQL",
    folding=Folding.UPPER,
    identifier_quotes=(('"', '"'),),
    string_prefixes=r"[nNbBxX]|[uU]&",
    parameter_patterns=(r":[A-Za-z_]\w*", r"\?"),
    operators=common.OPERATORS,
    operator_precedence=common.PRECEDENCE,
    reserved=common.RESERVED | words("window limit corresponding"),
    reserved_as_alias=common.ALIAS_STOPPERS | words("match_recognize array filter over within"),
    aggregates=common.AGGREGATES,
    table_functions={"unnest": ("UNNEST",)},
    paths=common.PATHS,
    unnamed="",
    joins_need_condition=True,
    empty_rows=False,
    sorted_groups=False,
    postfix_not_null=False,
    from_first=False,
    bare_filters=False,
    comma_joins_on=False,
    cross_joins_on=False,
    other_commands=False,
    optional_into=False,
    optional_from=False,
    bare_cycles=False,
    aliases_in_having=False,
    at_local=True,
    value_names="COLUMN{0}",
    tells=((r"\bcorresponding\b", "CORRESPONDING"),),
)
