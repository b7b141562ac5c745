"""PostgreSQL 15. Source: its manual, chapters 4.1 (lexical structure), 9 (functions), appendix C (keywords)."""

from jalan.sql.dialects import common
from jalan.sql.dialects.common import words as _words
from jalan.sql.dialects.dialect import Dialect, Folding

# Appendix C, column "PostgreSQL: reserved", without the words that start an expression of their own.
_RESERVED = _words("""
    all analyse analyze and any as asc asymmetric both check collate column constraint create default
    deferrable desc distinct do else end except fetch for foreign from grant group having in initially
    intersect into lateral leading limit not offset on only or order placing primary references returning
    select some symmetric table then to trailing union unique using variadic when where window with
    cross full inner join left natural outer right is isnull notnull like ilike similar overlaps
    tablesample concurrently freeze verbose binary authorization
""")

# May name a column, but as an alias they need AS (appendix C, "requires AS"), or they start the next clause.
_RESERVED_AS_ALIAS = _words("""
    array char character day filter hour minute month over precision second varying within without year
    set between escape
""")

_AGGREGATES = _words("""
    any_value array_agg avg bit_and bit_or bit_xor bool_and bool_or corr count covar_pop covar_samp
    every json_agg json_object_agg jsonb_agg jsonb_object_agg max min mode percentile_cont percentile_disc
    range_agg range_intersect_agg regr_avgx regr_avgy regr_count regr_intercept regr_r2 regr_slope regr_sxx
    regr_sxy regr_syy stddev stddev_pop stddev_samp string_agg sum var_pop var_samp variance xmlagg
""")

POSTGRESQL = Dialect(
    name="postgresql",
    title="PostgreSQL",
    folding=Folding.LOWER,
    identifier_quotes=(('"', '"'),),
    nested_comments=True,
    dollar_strings=True,
    string_prefixes=r"[eEbBxXnN]|[uU]&",
    escape_prefixes="eE",
    parameter_patterns=(r"\$\d+", r":(?=[A-Za-z_'\"])(?:'\w+'|\"\w+\"|\w+)"),
    operator_precedence=common.PRECEDENCE,
    reserved=_RESERVED,
    reserved_as_alias=_RESERVED_AS_ALIAS,
    default_schemas=("public",),
    system_schema="pg_catalog",
    rules=True,
    row_functions=True,
    synopses=True,
    aggregates=_AGGREGATES,
    table_functions={
        "json_each": ("key", "value"),
        "jsonb_each": ("key", "value"),
        "json_each_text": ("key", "value"),
        "jsonb_each_text": ("key", "value"),
        "json_array_elements": ("value",),
        "jsonb_array_elements": ("value",),
        "json_array_elements_text": ("value",),
        "jsonb_array_elements_text": ("value",),
        "pg_options_to_table": ("option_name", "option_value"),
    },
    paths=common.PATHS,
    system_columns=_words("ctid xmin xmax cmin cmax tableoid"),
    type_names={
        "int": "int4",
        "integer": "int4",
        "smallint": "int2",
        "bigint": "int8",
        "real": "float4",
        "float": "float8",
        "double precision": "float8",
        "decimal": "numeric",
        "dec": "numeric",
        "boolean": "bool",
        "char": "bpchar",
        "character": "bpchar",
        "nchar": "bpchar",
        "national character": "bpchar",
        "character varying": "varchar",
        "char varying": "varchar",
        "national character varying": "varchar",
        "bit varying": "varbit",
        "timestamp without time zone": "timestamp",
        "timestamp with time zone": "timestamptz",
        "time without time zone": "time",
        "time with time zone": "timetz",
    },
    function_names={
        "at time zone": "timezone",
        "is normalized": "is_normalized",
        "collation for": "pg_collation_for",
        "trim": "btrim",
        "trim leading": "ltrim",
        "trim trailing": "rtrim",
        "trim both": "btrim",
    },
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
    tells=(
        (r"::\s*\w+", ":: casts"),
        (r"\bon\s+conflict\b", "ON CONFLICT"),
        (r"\bilike\b", "ILIKE"),
        (r"\bdistinct\s+on\b", "DISTINCT ON"),
        (r"\$\$|\$\w+\$", "dollar strings"),
        (r"\bplpgsql\b", "PL/pgSQL"),
        (r"->>|@>|#>>", "JSON operators"),
        (r"\bgenerate_series\s*\(", "generate_series"),
        (r"\bserial\b|\bbigserial\b", "SERIAL"),
        (r"\bmaterialized\s+view\b", "materialised views"),
    ),
)
