"""Spark DataFrames, on a real local Spark."""

from __future__ import annotations

import os
import shutil
import sys
import warnings
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.parquet as pq
import pytest

import igual
from igual.rules import Case, Label, Match, Number, Replace, Spacing

pyspark = pytest.importorskip("pyspark", reason="Spark isn't installed (the extra spark)")
if shutil.which("java") is None:
    pytest.skip("Spark needs Java", allow_module_level=True)

ROWS = 5_000
BOOK = igual.Rulebook(
    [
        Spacing(column="t"),
        Label(column="code", codebook="state"),
        Replace(column="t", pairs={"x": "z"}, when={"column": "o.k", "equals": "k"}),
        Case(column="o.k", style="upper", into="O"),
        Number(column="h"),
        Match(column="m", list="trees"),
    ],
    codebooks={"state": igual.Codebook({1: "good", 2: "fair"})},
    lists={"trees": igual.ReferenceList(["Norway maple", "Common oak"])},
)


@pytest.fixture(scope="module")
def spark() -> Iterator[Any]:
    from pyspark.sql import SparkSession

    # The workers run the Python of the tests.
    os.environ["PYSPARK_PYTHON"] = sys.executable
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        settings = {
            "spark.ui.enabled": "false",
            "spark.driver.bindAddress": "127.0.0.1",
            "spark.driver.host": "127.0.0.1",
            "spark.sql.shuffle.partitions": "3",
            "spark.driver.memory": "1g",
            # A short life: what takes long to compile never pays.
            "spark.sql.codegen.wholeStage": "false",
            "spark.sql.codegen.factoryMode": "NO_CODEGEN",
            "spark.driver.extraJavaOptions": "-XX:TieredStopAtLevel=1 -XX:+UseSerialGC -Xverify:none",
        }
        builder = SparkSession.builder.master("local[2]")
        for name, setting in settings.items():
            builder = builder.config(name, setting)
        session = builder.getOrCreate()
        session.sparkContext.setLogLevel("OFF")
        yield session
        session.stop()


@pytest.fixture(scope="module")
def table() -> pa.Table:
    """Rows of which most have one value, some have none, and every column is of its own type."""
    spellings = [" x ", "x", None, "y  y", "NaN", "", "Norway mapel"]
    return pa.table(
        {
            "id": pa.array(range(ROWS)),
            "t": [spellings[0 if row % 10 else row // 10 % 7] for row in range(ROWS)],
            "code": pa.array([None if row % 7 == 0 else row % 4 for row in range(ROWS)], pa.int32()),
            "o.k": ["k" if row % 3 else None for row in range(ROWS)],
            "h": [str(row % 50 / 2) for row in range(ROWS)],
            "m": ["norway maple" if row % 5 else "Comon oak" for row in range(ROWS)],
        }
    )


def rows_of(frame: Any, names: list[str]) -> list[dict[str, Any]]:
    return frame.orderBy("id").toArrow().select(names).to_pylist()  # type: ignore[no-any-return]


@pytest.mark.filterwarnings("ignore")
def test_the_same_rows_as_in_memory(spark: Any, table: pa.Table) -> None:
    in_memory = BOOK.apply(table)
    names = in_memory.table.column_names
    frame = spark.createDataFrame(table).repartition(
        6, "t"
    )  # nine rows in ten in one partition, others empty
    outcome = BOOK.apply(frame)
    assert outcome.table.columns == [*names[:6], "O", "code_order"]
    order = {"good": 0, "fair": 1, "3": 3, "0": 2, None: None}
    wanted_rows = [{**row, "code_order": order[row["code"]]} for row in in_memory.table.to_pylist()]
    assert rows_of(outcome.table, [*names, "code_order"]) == wanted_rows
    effects, wanted = outcome.effects, in_memory.effects
    assert effects[["rule", "rows", "values"]].equals(wanted[["rule", "rows", "values"]])
    assert outcome.table.schema["h"].dataType.simpleString() == "double"


@pytest.mark.filterwarnings("ignore")
def test_looking_at_columns_of_a_cluster(spark: Any, table: pa.Table) -> None:
    frame = spark.createDataFrame(table)
    assert (
        igual.survey(frame).columns["distinct"].tolist() == igual.survey(table).columns["distinct"].tolist()
    )
    column = frame.select("m")
    assert igual.tally(column).table["rows"].tolist() == [4_000, 1_000]
    assert igual.match(column, BOOK.lists["trees"]).table["status"].tolist() == ["settled", "settled"]
    assert igual.lookalikes(column).pairs == {}
    with pytest.raises(igual.TableError, match="a table with 6: select one"):
        igual.tally(frame)


@pytest.mark.filterwarnings("ignore")
def test_a_large_crosswalk_is_joined_by_a_shuffle(
    spark: Any, table: pa.Table, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("igual.engines.spark.MOST_BROADCAST", 1)
    book = igual.Rulebook([Spacing(column="t"), Replace(column="code", pairs={"3": "1"})])
    made = book.apply(spark.createDataFrame(table)).table
    assert rows_of(made, table.column_names) == book.apply(table).table.to_pylist()
    assert made.schema["code"].dataType.simpleString() == "int"


@pytest.mark.filterwarnings("ignore")
def test_more_values_than_the_driver_takes(
    spark: Any, table: pa.Table, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("igual.engines.spark.MOST_COMBINATIONS", 3)
    book = igual.Rulebook(
        [Spacing(column="t"), Label(column="code", codebook="state")], codebooks=BOOK.codebooks
    )
    outcome = book.apply(spark.createDataFrame(table).repartition(4))
    assert outcome.ran_inside == ("t",)
    assert "more distinct values than the driver takes" in str(outcome)
    assert rows_of(outcome.table, table.column_names) == book.apply(table).table.to_pylist()


@pytest.mark.filterwarnings("ignore")
def test_what_is_refused(spark: Any) -> None:
    from pyspark.sql import functions

    nested = spark.createDataFrame(pa.table({"l": [[1], [2]], "t": ["a", "b"]}))
    with pytest.raises(igual.TableError, match=r"column 'l' is array<bigint>, which has no values"):
        igual.Rulebook([Spacing(column="l")]).apply(nested)
    assert igual.Rulebook([Spacing(column="t")]).apply(nested).table.count() == 2
    boom = functions.raise_error(functions.lit("out of reach"))
    text = functions.col("t")
    failing = nested.select(functions.when(text == "b", boom).otherwise(text).alias("t"))
    with pytest.raises(igual.TableError, match="the Spark job failed") as caught:
        igual.Rulebook([Spacing(column="t")]).apply(failing)
    assert "\n" not in str(caught.value)
    with pytest.raises(igual.RulebookError, match="did you mean 't'"):
        igual.Rulebook([Spacing(column="tt")]).apply(nested)


def test_a_row_that_comes_after_apply_fails_with_what_happened(spark: Any, tmp_path: Path) -> None:
    path = tmp_path / "crews.parquet"

    def write(*crews: str) -> None:
        pq.write_table(pa.table({"crew": crews, "size": [-0.0] * len(crews)}), path)

    write("North", "South")
    rules = [Replace(column="crew", pairs={"North": "north"}), Replace(column="size", pairs={"7": "8"})]
    outcome = igual.Rulebook(rules).apply(spark.read.parquet(str(path)))
    assert sorted(row["crew"] for row in outcome.table.collect()) == ["South", "north"]
    write("North", "East")
    with pytest.raises(Exception, match="values in 'crew' that were not there when the rulebook was applied"):
        outcome.table.collect()


def test_cells_that_no_rule_changed_keep_type_and_bits(spark: Any) -> None:
    frame = spark.createDataFrame([(0.5, 1), (-0.0, 2), (float("nan"), 3), (None, 4)], "size double, row int")
    clean = igual.Rulebook([Replace(column="size", pairs={"0.5": "7"})]).apply(frame).table
    assert dict(clean.dtypes) == {"size": "double", "row": "int"}
    sizes = {row["row"]: repr(row["size"]) for row in clean.collect()}
    assert sizes == {1: "7.0", 2: "-0.0", 3: "nan", 4: "None"}
