"""Oracle Database 19c and later. Source: its SQL Language Reference."""

from jalan.sql.dialects import common
from jalan.sql.dialects.common import words
from jalan.sql.dialects.dialect import Dialect, Folding, Naming

ORACLE = Dialect(
    name="oracle",
    title="Oracle",
    folding=Folding.UPPER,
    identifier_quotes=(('"', '"'),),
    string_prefixes=r"[nN]",
    bracket_strings=True,
    parameter_patterns=(r":\w+", r"&&?\w+\.?", r"\?"),
    operators=common.OPERATORS | words("^= ~= ** << >> @"),
    name_characters="$#",
    number_suffixes="[fFdD]",
    operator_precedence=common.PRECEDENCE,
    reserved=(common.RESERVED | words("minus connect start")) - words("limit lateral"),
    reserved_as_alias=common.ALIAS_STOPPERS
    | words("bulk pivot unpivot sample match_recognize model partition versions log siblings nowait over within"
            " keep nocycle subpartition"),
    default_schemas=(),
    aggregates=common.AGGREGATES | words("collect rank_agg wm_concat json_arrayagg stats_mode approx_median"),
    pseudo_columns=words("NEXTVAL CURRVAL LEVEL ROWNUM SYSDATE SYSTIMESTAMP USER UID CONNECT_BY_ISLEAF"
                         " CONNECT_BY_ISCYCLE MINVALUE MAXVALUE CURRENT_DATE ORA_ROWSCN DBTIMEZONE"
        " SESSIONTIMEZONE VERSIONS_STARTSCN VERSIONS_STARTTIME VERSIONS_ENDSCN VERSIONS_ENDTIME VERSIONS_XID"
        " VERSIONS_OPERATION"),
    system_columns=words("ROWID"),
    deciding=common.DECIDING | {"decode": "search"},
    paths=common.PATHS,
    naming=Naming.UPPER,
    struct_paths=True,
    implicit_recursion=True,
    star_arguments=True,
    cursor_attributes=True,
    bare_calls=True,
    execute_calls=True,
    bare_insert_aliases=True,
    collections=True,
    packages=True,
    batch_separator="/",
    methods=True,
    scripting=True,
    value_names="COLUMN{0}",
    element_name="COLUMN_VALUE",
    tells=(
        (r"\bfrom\s+dual\b", "DUAL"),
        (r"\(\+\)", "(+)"),
        (r"\bconnect\s+by\b", "CONNECT BY"),
        (r"\bvarchar2\b", "VARCHAR2"),
        (r"\bnvl\s*\(", "NVL"),
        (r"\brownum\b", "ROWNUM"),
        (r"\bsysdate\b", "SYSDATE"),
        (r"\binsert\s+(all|first)\b", "INSERT ALL"),
        (r"\bnumber\s*\(\d", "NUMBER(…)"),
        (r"\bq'[\[{(<!]", "q'[…]'"),
        (r"\bminus\b", "MINUS"),
    ),
)  # fmt: skip
