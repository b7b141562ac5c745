"""MySQL 8 and MariaDB. Source: their reference manuals, "Language Structure", "Functions and Operators" and
"SQL Statements"."""

from jalan.sql.dialects import common
from jalan.sql.dialects.common import words
from jalan.sql.dialects.dialect import Dialect, Folding, Naming

MYSQL = Dialect(
    name="mysql",
    title="MySQL, MariaDB",
    folding=Folding.KEEP,
    identifier_quotes=(("`", "`"),),
    string_quotes="'\"",
    backslash_escapes=True,
    string_prefixes=r"[nNbBxX]",
    line_comments=("--", "#"),
    executed_comments=True,
    null_escape=True,
    match_against=True,
    charset_introducers=True,
    events=True,
    bare_bodies=True,
    do_evaluates=True,
    execute_prepared=True,
    parameter_patterns=(r"\?", r"@@?[\w.$]+", r"@`[^`]*`", r":[A-Za-z_]\w*"),
    operators=common.OPERATORS | words("->> << >> <=> && ^= +="),
    digit_names=True,
    operator_precedence=common.PRECEDENCE
    | {"||": 1, "xor": 1, "&&": 2, "rlike": 6, "regexp": 6, "sounds": 6, "member": 6, "div": 9, "mod": 9,
       "<=>": 5, ":=": 1},
    reserved=common.RESERVED | words("limit force ignore use straight_join xor rlike regexp div window"),
    reserved_as_alias=common.ALIAS_STOPPERS | words("partition lock mod set value values procedure"),
    aggregates=common.AGGREGATES | words("bit_or std json_arrayagg"),
    date_parts={"timestampadd": 0, "timestampdiff": 0, "get_format": 0},
    deciding=common.DECIDING,
    paths=common.PATHS,
    name_functions=words("nextval lastval setval"),
    naming=Naming.WRITTEN,
    string_aliases=True,
    scripting=True,
    value_names="column_{1}",
    single_declarations=True,
    values_calls=True,
    tells=(
        (r"`\w+`", "backquoted names"),
        (r"\bon\s+duplicate\s+key\b", "ON DUPLICATE KEY"),
        (r"\bengine\s*=", "ENGINE ="),
        (r"\bstraight_join\b", "STRAIGHT_JOIN"),
        (r"\bauto_increment\b", "AUTO_INCREMENT"),
        (r"\bgroup_concat\s*\(", "GROUP_CONCAT"),
        (r"/\*!\d", "executed comments"),
        (r"\bload\s+data\s+(local\s+)?infile\b", "LOAD DATA INFILE"),
    ),
)  # fmt: skip
