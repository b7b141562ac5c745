"""Trino. Source: its documentation, "SQL language" and "SQL statement syntax"."""

from jalan.sql.dialects import common
from jalan.sql.dialects.common import words
from jalan.sql.dialects.dialect import Dialect, Folding, Naming

TRINO = Dialect(
    name="trino",
    title="Trino",
    folding=Folding.KEEP,
    identifier_quotes=(('"', '"'),),
    string_prefixes=r"[xX]|[uU]&",
    parameter_patterns=(r"\?",),
    operators=common.OPERATORS,
    operator_precedence=common.PRECEDENCE,
    reserved=common.RESERVED | words("limit offset window"),
    reserved_as_alias=common.ALIAS_STOPPERS | words("match_recognize filter over within array respect ignore"),
    aggregates=common.AGGREGATES
    | words("arbitrary approx_percentile array_agg checksum histogram map_agg map_union multimap_agg"
            " geometric_mean reduce_agg set_agg set_union numeric_histogram bitwise_and_agg bitwise_or_agg"),
    table_functions={"sequence": ("sequential_number",)},
    system_columns=words("$path $file_modified_time $partition"),
    deciding=common.DECIDING,
    paths=common.PATHS,
    naming=Naming.NUMBERED,
    unnamed="_col{column}",
    struct_paths=True,
    lambdas=True,
    value_names="_col{1}",
    tells=(
        (r"\bcross\s+join\s+unnest\b", "CROSS JOIN UNNEST"),
        (r"\bapprox_distinct\s*\(", "approx_distinct"),
        (r"\btry\s*\(", "TRY(…)"),
        (r"\bmatch_recognize\b", "MATCH_RECOGNIZE"),
        (r"\bfor\s+(version|timestamp)\s+as\s+of\b", "FOR VERSION AS OF"),
        (r"\brow\s*\(\s*\w+\s+(varchar|bigint|double|integer)", "ROW types"),
    ),
)  # fmt: skip
