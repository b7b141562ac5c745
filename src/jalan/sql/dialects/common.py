"""What several dialects share: words, operators, functions. Source: ISO/IEC 9075-2, as far as its public
drafts go."""


def words(text: str) -> frozenset[str]:
    """Return the words of a text as a set."""
    return frozenset(text.split())


# Binding powers as in PostgreSQL's manual, 4.1.6; the other manuals agree as far as column lineage can tell.
PRECEDENCE = {
    "or": 1, "and": 2,
    "is": 4, "isnull": 4, "notnull": 4,
    "<": 5, ">": 5, "=": 5, "<=": 5, ">=": 5, "<>": 5, "!=": 5,
    "between": 6, "in": 6, "like": 6, "ilike": 6, "similar": 6, "overlaps": 6, "not": 6,
    "operator": 7,
    "+": 8, "-": 8, "*": 9, "/": 9, "%": 9, "^": 10, "at": 11, "collate": 12,
}  # fmt: skip

OPERATORS = words("|| -> => <= >= <> != := :: + - * / % < > = & | ^ ~ !")

RESERVED = words("""
    all and any as asc between by case check column constraint create cross default desc distinct else end
    except fetch for foreign from full grant group having in inner intersect into is join lateral left like
    natural not on or order outer primary references right select set some table then to union unique using
    when where with
""")

ALIAS_STOPPERS = words("limit offset window returning tablesample escape")

AGGREGATES = words("""
    any_value array_agg avg bit_and bit_or bit_xor bool_and bool_or corr count covar_pop covar_samp
    every max min mode percentile_cont percentile_disc regr_avgx regr_avgy regr_count
    regr_intercept regr_r2 regr_slope regr_sxx regr_sxy regr_syy stddev stddev_pop stddev_samp string_agg
    sum var_pop var_samp variance listagg median approx_count_distinct approx_distinct max_by min_by arg_max
    arg_min argmax argmin count_if countif group_concat collect_list collect_set array_concat_agg json_agg
    json_arrayagg json_objectagg json_object_agg jsonb_agg jsonb_object_agg xmlagg kurtosis skewness
""")

DATE_PARTS = {"dateadd": 0, "datediff": 0, "datepart": 0, "datename": 0, "timestampadd": 0, "timestampdiff": 0}

DECIDING = {"if": "0", "iff": "0", "iif": "0", "nvl2": "0"}

PATHS = {
    "json_extract": 1,
    "json_extract_scalar": 1,
    "json_extract_string": 1,
    "json_extract_path_text": 1,
    "json_query": 1,
    "json_value": 1,
    "get_json_object": 1,
    "get_path": 1,
    "jsonb_path_query": 1,
    "jsonb_extract_path": 1,
    "jsonb_extract_path_text": 1,
    "json_extract_path": 1,
}
