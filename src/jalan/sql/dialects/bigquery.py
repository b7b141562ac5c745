"""BigQuery, GoogleSQL. Source: its reference, "Lexical structure and syntax", "Query syntax", "DML", "DDL"."""

from jalan.sql.dialects import common
from jalan.sql.dialects.common import words
from jalan.sql.dialects.dialect import Dialect, Folding, Naming, PivotNames

BIGQUERY = Dialect(
    name="bigquery",
    struct_aliases=True,
    pivot_names=PivotNames.AGGREGATE_FIRST,
    body_language="sql",
    title="BigQuery",
    folding=Folding.KEEP,
    identifier_quotes=(("`", "`"),),
    string_quotes="'\"",
    triple_quotes=True,
    backslash_escapes=True,
    string_prefixes=r"[rRbB]{1,2}",
    line_comments=("--", "#"),
    parameter_patterns=(r"@@?\w+(?:\.\w+)*", r"\?"),
    operators=common.OPERATORS | words("<< >> |> +="),
    operator_precedence=common.PRECEDENCE | {"~": 7},
    reserved=common.RESERVED | words("limit window qualify"),
    reserved_as_alias=common.ALIAS_STOPPERS | words("pivot unpivot qualify over ignore respect"),
    aggregates=common.AGGREGATES
    | words("approx_quantiles approx_top_count approx_top_sum array_concat_agg logical_and logical_or countif"
            " hll_count"),
    system_columns=words("_partitiontime _partitiondate _table_suffix _file_name"),
    date_parts={"date_trunc": 1, "datetime_trunc": 1, "timestamp_trunc": 1, "time_trunc": 1, "date_diff": 2,
                "datetime_diff": 2, "timestamp_diff": 2, "time_diff": 2, "last_day": 1,
                "generate_date_array": 4},
    deciding=common.DECIDING,
    paths=common.PATHS | {"json_query_array": 1, "json_value_array": 1, "json_extract_array": 1},
    naming=Naming.NUMBERED,
    unnamed="f{unnamed}_",
    backquoted_paths=True,
    dashed_names=True,
    struct_paths=True,
    trailing_commas=True,
    star_arguments=True,
    element_fields=True,
    scripting=True,
    single_declarations=True,
    tells=(
        (r"`[\w-]+\.[\w.$*-]+`", "a whole path in backquotes"),
        (r"\bselect\s+as\s+struct\b", "SELECT AS STRUCT"),
        (r"\bsafe_cast\s*\(", "SAFE_CAST"),
        (r"\bstruct\s*[(<]", "STRUCT"),
        (r"\*\s*except\s*\(", "* EXCEPT"),
        (r"\boptions\s*\(", "OPTIONS(…)"),
        (r"\bint64\b|\bfloat64\b", "INT64, FLOAT64"),
        (r"\bexport\s+data\b", "EXPORT DATA"),
        (r"\bwith\s+offset\b", "WITH OFFSET"),
        (r"\bin\s+unnest\s*\(", "IN UNNEST"),
        (r"\btimestamp_trunc\s*\(|\bdate_sub\s*\(", "its date functions"),
    ),
)  # fmt: skip
