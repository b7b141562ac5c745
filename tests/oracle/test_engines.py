"""Engines that are not installed with Jalan, nightly and only where they are: what they read, we read.

Spark: ``pip install pyspark`` and a Java runtime. MariaDB: a server from Debian's packages, its socket named by
``JALAN_MARIADB_SOCKET``. The lists in ``tests/accepted`` and the corpora are what they are asked.
"""

import os
import re
import shutil
import subprocess
from pathlib import Path

import pytest

from jalan.sql.dialects import get_dialect
from jalan.sql.grammar.script import Unread, parse
from tests.core.corpus import cases

pytestmark = pytest.mark.skipif(not os.environ.get("JALAN_NIGHTLY"), reason="nightly")
ACCEPTED = Path(__file__).parents[1] / "accepted"
SOCKET = os.environ.get("JALAN_MARIADB_SOCKET", "")
_SYNTAX = {"1064", "1149"}  # MariaDB's numbers for what it could not parse


def statements(dialect: str) -> list[str]:
    """One statement each, from the list of accepted ones and the corpus."""
    listed = [line.removesuffix(";") for line in (ACCEPTED / f"{dialect}.sql").read_text().splitlines()]
    single = [case.sql.strip().removesuffix(";") for case in cases(dialect)]
    return [*listed, *(sql for sql in single if ";" not in sql and "{{" not in sql)]


def refused_here(dialect: str, accepted: list[str]) -> dict[str, str]:
    rules = get_dialect(dialect)
    return {sql: found.message for sql in accepted for found in parse(sql, rules) if isinstance(found, Unread)}


def test_what_spark_reads_is_read() -> None:
    session = pytest.importorskip("pyspark.sql")
    if shutil.which("java") is None:
        pytest.skip("no Java runtime")
    spark = session.SparkSession.builder.master("local[1]").config("spark.ui.enabled", "false").getOrCreate()
    parser = spark._jsparkSession.sessionState().sqlParser()
    accepted = []
    for sql in statements("spark"):
        try:
            parser.parsePlan(sql)
        except Exception:  # what py4j raises says no more than that Spark refuses it
            continue
        accepted.append(sql)
    spark.stop()
    assert len(accepted) > 200
    assert refused_here("spark", accepted) == {}


@pytest.mark.skipif(not SOCKET, reason="JALAN_MARIADB_SOCKET names no server")
def test_what_mariadb_reads_is_read() -> None:
    asked = [" ".join(sql.split()) for sql in statements("mysql")]
    script = "delimiter //\n" + "\n".join(f"{sql}\n//" for sql in asked)
    command = ["mariadb", f"--socket={SOCKET}", "--force", "--skip-column-names"]
    answer = subprocess.run(command, input=script, capture_output=True, text=True, timeout=600, check=False)
    problems = re.findall(r"ERROR (\d+) \(\w+\) at line (\d+)", answer.stderr)
    wrong = {(int(line) - 2) // 2 for number, line in problems if number in _SYNTAX}
    accepted = [sql for n, sql in enumerate(asked) if n not in wrong]
    assert len(accepted) > 200
    assert refused_here("mysql", accepted) == {}
