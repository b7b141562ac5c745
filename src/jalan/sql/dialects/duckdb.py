"""DuckDB 1. Source: its documentation, "SQL Introduction" and "Statements"."""

from jalan.sql.dialects import common
from jalan.sql.dialects.common import words
from jalan.sql.dialects.dialect import Dialect, Folding, Naming

DUCKDB = Dialect(
    name="duckdb",
    title="DuckDB",
    folding=Folding.KEEP,
    identifier_quotes=(('"', '"'),),
    string_prefixes=r"[eExXbB]",
    escape_prefixes="eE",
    dollar_strings=True,
    parameter_patterns=(r"\$\w+", r"\?\d*"),
    operators=common.OPERATORS
    | words("->> << >> == // ** ^@ @> <@ && |> <-> <=> ~* !~ !~* ~~ ~~* !~~ !~~* ~~~ @ # <<= >>="),
    operator_precedence=common.PRECEDENCE | {"glob": 6, "//": 9, "**": 10},
    reserved=common.RESERVED | words("limit offset qualify window pivot unpivot returning"),
    reserved_as_alias=common.ALIAS_STOPPERS
    | words("semi anti asof positional sample glob filter over within array set"),
    default_schemas=("main",),
    aggregates=common.AGGREGATES
    | words("list first last any_value histogram quantile_cont quantile_disc quantile product fsum sumkahan"
            " favg approx_quantile mad entropy bitstring_agg group_concat max_by geomean"),
    table_functions={"range": ("range",), "generate_series": ("generate_series",), "glob": ("file",)},
    system_columns=words("rowid filename"),
    date_parts={},
    deciding=common.DECIDING,
    paths=common.PATHS | {"struct_extract": 1, "array_extract": 1, "map_extract": 1, "element_at": 1},
    naming=Naming.PRINTED,
    struct_paths=True,
    lambdas=True,
    lateral_aliases=True,
    trailing_commas=True,
    columns_calls=True,
    numbered_columns=True,
    prefix_aliases=True,
    methods_of_unknown=True,
    methods=True,
    table_names=words("query_table"),
    query_functions=words("query"),
    value_names="col{1}",
    implicit_lateral=True,
    file_functions=words("read_csv read_csv_auto read_parquet parquet_scan read_json read_json_auto read_ndjson"
                         " read_text read_blob sniff_csv read_xlsx"),
    tells=(
        (r"\bread_(csv|parquet|json)\w*\s*\(", "read_… functions"),
        (r"\bfrom\s+'[^']+\.(parquet|csv|json)\w*'", "a file in FROM"),
        (r"\bby\s+name\b", "BY NAME"),
        (r"\bcolumns\s*\(", "COLUMNS(…)"),
        (r"\basof\s+(left\s+)?join\b", "ASOF JOIN"),
        (r"\bpositional\s+join\b", "POSITIONAL JOIN"),
        (r"(^|;)\s*from\s+\w", "FROM first"),
        (r"\*\s*exclude\b", "EXCLUDE"),
        (r"(^|;)\s*(un)?pivot\s", "PIVOT as a statement"),
    ),
)  # fmt: skip
