"""Spark: the four-rule chain in Igual and in Spark's own functions, on a local Spark with two threads."""

from __future__ import annotations

from typing import Any

import pyarrow as pa

from benchmarks import chains
from benchmarks.figures import _at_least
from benchmarks.measure import best_times, times

ROWS = 20_000_000


def _session() -> Any:
    from pyspark.sql import SparkSession

    builder = SparkSession.builder.master("local[2]")
    for name, setting in {
        "spark.ui.enabled": "false",
        "spark.driver.bindAddress": "127.0.0.1",
        "spark.driver.host": "127.0.0.1",
        "spark.driver.memory": "6g",
        "spark.sql.shuffle.partitions": "8",
    }.items():
        builder = builder.config(name, setting)
    session = builder.getOrCreate()
    session.sparkContext.setLogLevel("OFF")
    return session


def _with_functions(frame: Any) -> Any:
    """Spark's own functions: the pairs one after another, as there is none for several at once."""
    from pyspark.sql import functions

    value = functions.lower(functions.regexp_replace(functions.trim("value"), r"\s+", " "))
    for sought, meant in chains.pairs().items():
        value = functions.replace(value, functions.lit(sought), functions.lit(meant))
    codes = functions.create_map([functions.lit(text) for pair in chains.labels().items() for text in pair])
    return frame.select(functions.coalesce(codes[value], value).alias("value"))


def spark(rows: int = ROWS) -> None:
    """Twenty million rows of 6,000 distinct values."""
    print(f"12. Spark, local[2]: {rows / 1e6:.0f} million rows, 6,000 distinct values, the four-rule chain")
    session = _session()
    column = chains.repeated(chains.messy_values(6_000), rows // 10)
    frame = session.createDataFrame(pa.table({"value": column})).repartition(4)
    for _ in range(1):
        frame = frame.crossJoin(session.range(10).select())
    frame = frame.persist()
    frame.count()

    def consume(table: Any) -> int:
        # Every row is made, and none is kept.
        from pyspark.sql import functions

        return int(table.agg(functions.sum(functions.hash("value").cast("long"))).collect()[0][0])

    best, results = best_times(
        {
            "igual": lambda: consume(chains.book().apply(frame).table),
            "Spark SQL functions": lambda: consume(_with_functions(frame)),
        },
        rounds=2,
    )
    if len(set(results.values())) > 1:
        raise AssertionError("the results differ")
    print("    the same result: igual, Spark SQL functions")
    times(best)
    _at_least("Spark SQL functions / igual", best["Spark SQL functions"] / best["igual"], 3)
    session.stop()
