"""Snowflake. Source: its documentation, "SQL command reference" and "Query syntax"."""

from jalan.sql.dialects import common
from jalan.sql.dialects.common import words
from jalan.sql.dialects.dialect import Dialect, Folding, Naming

SNOWFLAKE = Dialect(
    name="snowflake",
    body_language="sql",
    title="Snowflake",
    folding=Folding.UPPER,
    identifier_quotes=(('"', '"'),),
    backslash_escapes=True,
    string_prefixes=r"[xX]",
    line_comments=("--", "//"),
    dollar_strings=True,
    parameter_patterns=(r"\$\w+", r"\?", r"(?<![\w\])'\"]):[A-Za-z_]\w*"),
    operators=common.OPERATORS | words("<< >> |> ->> **"),
    operator_precedence=common.PRECEDENCE | {"rlike": 6, "regexp": 6},
    reserved=common.RESERVED | words("limit qualify minus rlike regexp ilike tablesample sample start connect"),
    reserved_as_alias=common.ALIAS_STOPPERS
    | words("pivot unpivot match_recognize asof match_condition at before changes over within file_format"
            " pattern resample"),
    default_schemas=("PUBLIC",),
    aggregates=common.AGGREGATES
    | words("approx_percentile approximate_similarity array_unique_agg array_union_agg object_agg hll"
            " hash_agg skew hll_accumulate hll_combine bitmap_construct_agg booland_agg boolor_agg boolxor_agg"
        " bitand_agg bitor_agg minhash ratio_to_report"),
    table_functions={
        "flatten": ("SEQ", "KEY", "PATH", "INDEX", "VALUE", "THIS"),
        "split_to_table": ("SEQ", "INDEX", "VALUE"),
        "strtok_split_to_table": ("SEQ", "INDEX", "VALUE"),
        "generator": (),
    },
    pseudo_columns=words("NEXTVAL CURRVAL LEVEL"),
    name_functions=words("getnextval"),
    system_columns=words(
        "METADATA$FILENAME METADATA$FILE_ROW_NUMBER METADATA$ACTION METADATA$ISUPDATE METADATA$ROW_ID"
    ),
    date_parts=common.DATE_PARTS | {"date_trunc": 0, "date_part": 0, "last_day": 1, "timediff": 0, "timeadd": 0,
                                    "trunc": 1, "time_slice": 2},
    deciding=common.DECIDING | {"decode": "search"},
    paths=common.PATHS,
    naming=Naming.UPPER,
    colon_paths=True,
    lambdas=True,
    lateral_aliases=True,
    implicit_recursion=True,
    positional_columns=True,
    stages=True,
    star_arguments=True,
    table_names=words("identifier"),
    trailing_commas=True,
    scripting=True,
    value_names="COLUMN{0}",
    use_names_schema=False,
    tells=(
        (r"\blateral\s+flatten\s*\(", "LATERAL FLATTEN"),
        (r"\w:\w[\w.]*\s*::", "a path behind a colon"),
        (r"\bcopy\s+into\b", "COPY INTO"),
        (r"\bfile_format\b", "FILE_FORMAT"),
        (r"(from|into)\s+@[\w~%]", "a stage"),
        (r"\bcreate\s+(or\s+replace\s+)?(transient|dynamic|stream|task|pipe|stage|warehouse)\b", "its own objects"),
        (r"\bvariant\b", "VARIANT"),
        (r"\bswap\s+with\b", "SWAP WITH"),
        (r"\biff\s*\(", "IFF"),
        (r"\buse\s+warehouse\b", "USE WAREHOUSE"),
        (r"\bclone\s+\w", "CLONE"),
        (r"\bmatch_condition\b", "MATCH_CONDITION"),
    ),
)  # fmt: skip
