"""Spark SQL 3.5 with Hive's forms. Source: Spark's SQL reference and Hive's language manual."""

from jalan.sql.dialects import common
from jalan.sql.dialects.common import words
from jalan.sql.dialects.dialect import Dialect, Folding, Naming, PivotNames

SPARK = Dialect(
    name="spark",
    struct_aliases=True,
    pivot_names=PivotNames.VALUE_IF_ONE,
    title="Spark, Hive",
    folding=Folding.KEEP,
    identifier_quotes=(("`", "`"),),
    string_quotes="'\"",
    backslash_escapes=True,
    string_prefixes=r"[rRxX]",
    parameter_patterns=(r"\?", r"(?<![\w\])'\"`]):[A-Za-z_]\w*"),
    operators=common.OPERATORS | words("<< >> >>> <=> == && |>"),
    digit_names=True,
    number_suffixes="[bB][dD]|[lLsSyYdDfF]",
    operator_precedence=common.PRECEDENCE | {"rlike": 6, "regexp": 6, "div": 9, "<=>": 5, "==": 5},
    reserved=(common.RESERVED | words("limit offset")) - words("default"),
    reserved_as_alias=common.ALIAS_STOPPERS
    | words("anti semi cluster distribute sort pivot unpivot qualify minus rlike regexp div insert"
            " version timestamp overwrite partition transform reduce map"),
    default_schemas=("default",),
    aggregates=common.AGGREGATES
    | words("first last collect_list collect_set percentile percentile_approx approx_percentile sum_distinct"
            " histogram_numeric try_sum try_avg bool_or some max_by"),
    table_functions={"range": ("id",), "variant_explode": ("pos", "key", "value")},
    windowing=words("window session_window"),
    generators={"explode": ("col",), "explode_outer": ("col",), "posexplode": ("pos", "col"),
                "posexplode_outer": ("pos", "col"), "inline": (), "inline_outer": (), "json_tuple": (), "stack": (),
                "variant_explode": ("pos", "key", "value"), "parse_url_tuple": ()},
    date_parts=common.DATE_PARTS | {"date_diff": 0, "date_add": 0},
    deciding=common.DECIDING | {"decode": "search"},
    paths=common.PATHS,
    naming=Naming.PRINTED,
    backquoted_paths=False,
    colon_paths=True,
    struct_paths=True,
    lambdas=True,
    star_arguments=True,
    table_names=words("identifier stream"),
    lateral_aliases=True,
    value_names="col{0}",
    scripting=True,
    single_declarations=True,
    file_functions=words("read_files cloud_files"),
    tells=(
        (r"\blateral\s+view\b", "LATERAL VIEW"),
        (r"\binsert\s+overwrite\b", "INSERT OVERWRITE"),
        (r"\bstored\s+as\b", "STORED AS"),
        (r"\bpartitioned\s+by\b", "PARTITIONED BY"),
        (r"\busing\s+(delta|parquet|orc|iceberg)\b", "USING a file format"),
        (r"\b(distribute|cluster|sort)\s+by\b", "DISTRIBUTE BY"),
        (r"\b(delta|parquet|csv|json|orc)\.`", "a path in backquotes"),
        (r"\btblproperties\b", "TBLPROPERTIES"),
        (r"\bcache\s+(lazy\s+)?table\b", "CACHE TABLE"),
        (r"`\w+`", "backquoted names"),
    ),
)  # fmt: skip
