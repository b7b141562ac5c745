"""Redshift. Source: its developer guide, "SQL reference"."""

from dataclasses import replace

from jalan.sql.dialects import common
from jalan.sql.dialects.common import words
from jalan.sql.dialects.postgresql import POSTGRESQL

REDSHIFT = replace(
    POSTGRESQL,
    name="redshift",
    title="Redshift",
    escape_prefixes="eE",
    backslash_escapes=True,
    synopses=False,
    row_functions=False,
    commands=words("cancel use desc attach detach"),
    parameter_patterns=(r"\$\d+", r":[A-Za-z_]\w*", r"\?"),
    reserved=POSTGRESQL.reserved | words("minus top"),
    reserved_as_alias=POSTGRESQL.reserved_as_alias | words("qualify pivot unpivot connect start at exclude"),
    aggregates=POSTGRESQL.aggregates | words("listagg median approximate hll percentile_cont stddev_samp"),
    table_functions={},
    date_parts=common.DATE_PARTS | {"date_add": 0, "date_diff": 0, "date_part": 0, "date_part_year": -1},
    deciding=common.DECIDING | {"decode": "search"},
    struct_paths=True,
    lateral_aliases=True,
    name_starts="#",
    name_characters="$#@",
    pseudo_columns=words("level sysdate"),
    tells=(
        (r"\bdist(key|style)\b", "DISTKEY, DISTSTYLE"),
        (r"\bsortkey\b", "SORTKEY"),
        (r"\bunload\s*\(", "UNLOAD"),
        (r"\biam_role\b", "IAM_ROLE"),
        (r"\bencode\s+(zstd|lzo|az64|raw)\b", "ENCODE"),
        (r"\bcopy\s+[\w.\"]+\s+(\([^)]*\)\s*)?from\s+'s3:", "COPY from a bucket"),
        (r"\bgetdate\s*\(\s*\)", "GETDATE()"),
        (r"\bapproximate\s+count\b", "APPROXIMATE COUNT"),
        (r"\bcreate\s+external\s+schema\b", "CREATE EXTERNAL SCHEMA"),
        (r"\bcreate\s+temp\w*\s+table\s+#", "# names"),
    ),
)
