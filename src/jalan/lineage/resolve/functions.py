"""Functions of which resolving knows more than their name."""

from functools import cache

from jalan.sql.dialects.dialect import Dialect

# Functions that in a select list make as many rows of one as their argument has parts.
ROW_FUNCTIONS = frozenset(
    """
    unnest explode explode_outer posexplode posexplode_outer inline inline_outer generate_series
    generate_subscripts jsonb_array_elements json_array_elements jsonb_array_elements_text json_array_elements_text
    jsonb_each json_each jsonb_each_text json_each_text jsonb_object_keys json_object_keys jsonb_path_query
    regexp_matches regexp_split_to_table string_to_table
    """.split()
)


@cache
def special_functions(dialect: Dialect) -> frozenset[str]:
    """Return the functions whose arguments are not just values."""
    columns = ("columns",) if dialect.columns_calls else ()
    return frozenset(
        {"grouping", "grouping_id", "values", *columns, *ROW_FUNCTIONS, *dialect.paths, *dialect.name_functions}
    )
