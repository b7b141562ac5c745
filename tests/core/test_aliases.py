"""Several names for one thing."""

import pytest

from jalan.catalog.aliases import AliasCircle, AliasMap
from jalan.catalog.names import normal_namespace, spellings


def test_names_are_followed_to_the_last() -> None:
    known = AliasMap()
    known.add(("a", "x"), ("a", "y"))
    known.add(("a", "y"), ("b", "z"))
    assert known.resolve(("a", "x")) == ("b", "z")
    assert known.resolve(("a", "other")) == ("a", "other")
    assert known.standing_for(("b", "z")) == [("a", "y")]


def test_a_circle_is_refused() -> None:
    known = AliasMap([(("a", "x"), ("a", "y")), (("a", "y"), ("a", "z"))])
    with pytest.raises(AliasCircle):
        known.add(("a", "z"), ("a", "x"))
    assert AliasMap([(("a", "x"), ("a", "y")), (("a", "y"), ("a", "x"))]).resolve(("a", "x")) == ("a", "x")


@pytest.mark.parametrize(
    ("written", "normal"),
    [
        ("postgres://Tide:5432", "postgres://tide:5432"),
        ("postgresql://reader@tide", "postgres://tide:5432"),
        ("postgres://localhost:6000/", "postgres://127.0.0.1:6000"),
        ("sqlserver://Quay", "mssql://quay:1433"),
        ("kafka://a:9092,b:9092", "kafka://a:9092,b:9092"),
        ("s3n://Tides", "s3://Tides"),
        ("  reports ", "reports"),
    ],
)
def test_a_namespace_has_one_spelling(written: str, normal: str) -> None:
    assert normal_namespace(written) == normal
    assert normal_namespace(normal) == normal


@pytest.mark.parametrize(
    ("namespace", "written", "likeliest", "possible"),
    [
        ("postgres://i:5432", "strait.core.fares", "strait.core.fares", "strait.core.fares"),
        ("postgres://i:5432", 'strait."Core"."Fa.res"', "strait.Core.Fa.res", "strait.Core.Fa.res"),
        ("postgres://i:5432", "STRAIT.Core.fares", "STRAIT.Core.fares", "strait.core.fares"),
        ("postgres://i:5432", "core.fares", "core.fares", "strait.core.fares"),
        ("snowflake://org", "strait.core.fares", "strait.core.fares", "STRAIT.CORE.FARES"),
        ("mssql://i:1433", "[strait].[dbo].fares", "strait.dbo.fares", "strait.dbo.fares"),
        ("file://office", "Tides/Checked.csv", "Tides/Checked.csv", "Tides/Checked.csv"),
    ],
)
def test_a_name_may_be_spelled_in_several_ways(namespace: str, written: str, likeliest: str, possible: str) -> None:
    found = spellings(namespace, written, ["strait"])
    assert found[0] == likeliest
    assert possible in found
