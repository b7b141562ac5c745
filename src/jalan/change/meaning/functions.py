"""Functions that give one value for each row: a select list in which others stand may make several rows of one."""

from jalan.sql import tree
from jalan.sql.dialects.dialect import Dialect
from jalan.sql.walk import walk

# Source: PostgreSQL 15 documentation, chapter 9 "Functions and Operators".
_ONE_VALUE = frozenset(
    "abs ceil ceiling floor round trunc sign sqrt cbrt exp ln log log10 power pow mod div gcd lcm random "
    "greatest least coalesce nullif width_bucket degrees radians sin cos tan asin acos atan atan2 pi "
    "lower upper initcap length char_length character_length octet_length bit_length trim btrim ltrim rtrim "
    "lpad rpad left right substr substring position strpos overlay replace translate reverse repeat concat "
    "concat_ws format split_part starts_with ascii chr md5 sha256 encode decode quote_ident quote_literal "
    "regexp_replace regexp_match regexp_like regexp_count regexp_substr regexp_instr to_char to_date to_number "
    "to_timestamp to_hex date_trunc date_part extract age make_date make_time make_timestamp make_timestamptz "
    "make_interval justify_days justify_hours justify_interval now current_date current_timestamp current_time "
    "localtime localtimestamp statement_timestamp transaction_timestamp clock_timestamp date_bin isfinite "
    "array_length cardinality array_append array_prepend array_cat array_position array_remove array_replace "
    "array_to_string string_to_array array_ndims array_upper array_lower row_to_json to_json to_jsonb "
    "json_build_object jsonb_build_object json_build_array jsonb_build_array json_array_length jsonb_array_length "
    "json_typeof jsonb_typeof jsonb_set jsonb_insert jsonb_strip_nulls jsonb_pretty json_extract_path "
    "json_extract_path_text jsonb_extract_path jsonb_extract_path_text num_nulls num_nonnulls "
    "row_number rank dense_rank percent_rank cume_dist ntile lag lead first_value last_value nth_value grouping "
    "current_user session_user user current_schema version gen_random_uuid nextval currval lastval".split()
)


def gives_one_value(expression: tree.Expression, dialect: Dialect) -> bool:
    """Whether an expression certainly gives one value for each row, or group of rows."""
    calls = (node for node in walk(expression) if isinstance(node, tree.Call) and node.window is None)
    names = (call.parts[0].lower() if len(call.parts) == 1 else "" for call in calls)
    return all(name in _ONE_VALUE or name in dialect.aggregates for name in names)
