"""T-SQL of SQL Server. Source: its Transact-SQL reference."""

from jalan.sql.dialects import common
from jalan.sql.dialects.common import words
from jalan.sql.dialects.dialect import Dialect, Folding, Naming

TSQL = Dialect(
    name="tsql",
    title="T-SQL",
    folding=Folding.KEEP,
    identifier_quotes=(("[", "]"), ('"', '"')),
    string_prefixes=r"[nN]",
    nested_comments=True,
    name_starts="#@$",
    parameter_patterns=(r"\?",),
    operators=common.OPERATORS | words("!< !> += -= *= /= %= &= |= ^= << >>"),
    name_characters="$#@",
    operator_precedence=common.PRECEDENCE | {"+=": 1, "-=": 1},
    reserved=common.RESERVED
    | words("alter begin close declare deallocate delete drop exec execute goto if insert merge open print"
            " raiserror return truncate update use while waitfor pivot unpivot tablesample option rollback"
            " commit save revoke deny break continue"),
    reserved_as_alias=common.ALIAS_STOPPERS | words("apply output over go within throw option"),
    default_schemas=("dbo",),
    aggregates=common.AGGREGATES | words("count_big checksum_agg stdev stdevp var varp approx_count_distinct"),
    table_functions={
        "openjson": ("key", "value", "type"),
        "string_split": ("value", "ordinal"),
        "generate_series": ("value",),
        "containstable": ("key", "rank"),
        "freetexttable": ("key", "rank"),
    },
    name_functions=words("update columns_updated"),
    text_functions=words("containstable freetexttable"),
    pseudo_columns=words("$action $identity $rowguid"),
    date_parts={"dateadd": 0, "datediff": 0, "datediff_big": 0, "datepart": 0, "datename": 0, "datetrunc": 0,
                "date_bucket": 0},
    deciding=common.DECIDING,
    paths=common.PATHS,
    naming=Naming.EMPTY,
    unnamed="",
    equals_aliases=True,
    string_aliases=True,
    implicit_recursion=True,
    bare_statements=True,
    variables=True,
    star_arguments=True,
    methods=True,
    scripting=True,
    use_names_schema=False,
    file_functions=words("openrowset"),
    tells=(
        (r"(^|\n)\s*go\s*(\n|$)", "GO"),
        (r"\bselect\s+(distinct\s+)?top\b", "TOP"),
        (r"\[\w+\]\.\[\w+\]", "names in brackets"),
        (r"\bdeclare\s+@", "DECLARE @"),
        (r"\b(cross|outer)\s+apply\b", "APPLY"),
        (r"\bwith\s*\(\s*nolock\s*\)", "WITH (NOLOCK)"),
        (r"[\s,(]#\w+", "# names"),
        (r"\bnvarchar\b", "NVARCHAR"),
        (r"\bbegin\s+try\b", "BEGIN TRY"),
        (r"\bexec(ute)?\s+[\w.\[]", "EXEC"),
        (r"\bidentity\s*\(", "IDENTITY(…)"),
        (r"\binto\s+#", "INTO #"),
    ),
)  # fmt: skip
