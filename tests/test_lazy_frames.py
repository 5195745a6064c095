"""Lazy and cluster frames: rolled up where they lie, they give the book that the embedded engine gives."""

from __future__ import annotations

import _thread
import os
import shutil
import subprocess
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import closing
from decimal import Decimal
from pathlib import Path
from socket import create_connection, socket
from typing import Any

import numpy as np
import pandas as pd
import pytest
from test_databases import assert_same
from test_roads import ODD, check_roads, odd_table

import logochron as lc

pl, dd = pytest.importorskip("polars"), pytest.importorskip("dask.dataframe")
pytest.importorskip("narwhals")

#: What Dask itself still asks of pandas.
pytestmark = pytest.mark.filterwarnings("ignore:The inplace keyword")
N = 4000
ASKED: list[dict[str, Any]] = [
    {"date": "day", "values": ["amount", "units"]},
    {"date": "day", "values": ["amount", "price"], "by": {"thing": "item", "at": "place"}},
    {"date": "moment", "values": "units", "by": "item", "where": {"place": lc.Not("b", "")}},
    {"date": "zoned", "values": "amount", "tz": "America/New_York", "until": "2025-06-30"},
    {"date": "zoned", "values": "amount", "tz": "UTC"},
    {"date": "written", "values": "amount", "by": "item"},
    {"date": "day", "measures": [
        lc.Measure("x", column="amount", where={"item": "item 1"}), lc.Measure("n", count=True),
        lc.Measure("on", count=True, where={"place": ["a", "b"]})]},
    {"date": "day", "measures": [lc.Measure("tickets", distinct="ticket"), lc.Measure("units")], "by": "place"},
    {"date": "day", "values": "holes", "on_refused": "skip", "by": "item"},
    {"date": "day", "values": "holes", "empty": "zero", "on_refused": "skip"},
    {"date": "gaps", "values": "units", "on_refused": "skip", "by": "item"},
    {"date": "day", "values": "fine", "by": "item"},
    {"date": "day", "values": "text_amount", "by": "item"},
]  # fmt: skip


@pytest.fixture(scope="module")
def records() -> pd.DataFrame:
    drawn = np.random.default_rng(7)
    moments = pd.Timestamp("2024-01-01") + pd.to_timedelta(drawn.integers(0, 700 * 86400, N), unit="s")
    cents = drawn.integers(-5000, 100_000, N)
    holes = np.where(drawn.random(N) < 0.01, np.nan, cents / 100)
    holes[[5, 50]] = np.inf, -np.inf
    frame = pd.DataFrame({
        "day": moments.date, "moment": moments.astype("datetime64[us]"),
        "zoned": moments.astype("datetime64[us]").tz_localize("UTC"),
        "written": moments.strftime("%Y-%m-%d %H:%M:%S"), "gaps": moments.astype("datetime64[us]"),
        "item": [f"item {i}" for i in drawn.integers(0, 5, N)], "place": drawn.choice(["a", "b", "", None], N),
        "amount": cents / 100, "units": drawn.integers(1, 9, N), "price": [Decimal(int(c)) / 1000 for c in cents],
        "holes": holes, "fine": drawn.random(N), "text_amount": [f"{c},5 €" for c in cents],
        "ticket": [f"{m:%Y%m%d}-{i % 3}" for i, m in enumerate(moments)],
    })  # fmt: skip
    frame.loc[frame.index % 101 == 0, "gaps"] = pd.NaT
    return frame


@pytest.fixture(scope="module")
def parquet(records, tmp_path_factory) -> Path:
    import pyarrow as pa
    import pyarrow.parquet as pq

    path = tmp_path_factory.mktemp("lazy") / "sales.parquet"
    table = pa.Table.from_pandas(records, preserve_index=False)
    at = table.column_names.index("price")
    table = table.set_column(at, "price", table["price"].cast(pa.decimal128(12, 3)))
    pq.write_table(table, path, coerce_timestamps="us", row_group_size=N // 4)
    return path


MADE: dict[str, Callable[[Path], Any]] = {
    "polars": lambda path: pl.scan_parquet(path),
    "dask": lambda path: dd.read_parquet(path, split_row_groups=True),
}


def check(frame: Any, path: Path, asked: dict[str, Any]) -> None:
    expected = lc.read(path, **asked)
    assert_same(lc.read(frame, **asked), expected)


@pytest.mark.parametrize("library", MADE)
@pytest.mark.parametrize("asked", ASKED)
def test_a_lazy_frame_gives_the_book_of_its_file(library, asked, parquet):
    check(MADE[library](parquet), parquet, asked)


def test_decimals_that_are_objects_are_cast_before_they_are_summed(records):
    frame = dd.from_pandas(records[["day", "price"]], npartitions=3)
    book = lc.read(frame, date="day", values="price")
    assert book.exact == {"price": True}
    assert book.totals("year").value.sum() == pytest.approx(float(sum(records.price)), rel=1e-15)


@pytest.mark.parametrize("library", MADE)
def test_flaws_of_a_lazy_frame_are_told(library, parquet):
    with pytest.raises(lc.IntakeError, match=r"rows are refused:\n  the data frame, the row of .*, column 'holes'"):
        lc.read(MADE[library](parquet), date="day", values="holes")
    with pytest.raises(lc.QuestionError, match=r"has no column 'dya'. Did you mean 'day'"):
        lc.read(MADE[library](parquet), date="dya", values="units")
    with pytest.raises(lc.IntakeError, match="column 'moment': expected amounts, found the type Datetime"):
        lc.read(MADE[library](parquet), date="day", values="moment")
    found = lc.review(MADE[library](parquet), date="gaps", values="units", by="item")
    assert "refused rows" in found.table.finding.tolist()
    facts = [
        lc.review(frame, date="day", values=["amount", "units"]).table for frame in (MADE[library](parquet), parquet)
    ]
    kinds = ["zero amounts", "negative amounts", "duplicate rows"]
    assert len({str(t[t.finding.isin(kinds)][["finding", "column", "count"]].values.tolist()) for t in facts}) == 1


def test_what_goes_wrong_on_the_way_is_told(parquet):
    broken = pl.scan_parquet(parquet).with_columns(amount=pl.col("item").cast(pl.Float64))
    with pytest.raises(lc.IntakeError, match="the data frame cannot be read: .*conversion"):
        lc.read(broken, date="day", values="amount")


def free_port() -> int:
    with closing(socket()) as one:
        one.bind(("127.0.0.1", 0))
        return int(one.getsockname()[1])


@pytest.fixture(scope="module")
def cluster() -> Iterator[Any]:
    """Two processes of Dask's on this machine."""
    distributed = pytest.importorskip("distributed")
    with (
        distributed.LocalCluster(
            n_workers=2, threads_per_worker=1, processes=True, host="127.0.0.1", dashboard_address="127.0.0.1:0"
        ) as one,
        distributed.Client(one) as client,
    ):
        yield client


@pytest.fixture(scope="module")
def spark(tmp_path_factory) -> Iterator[Any]:
    """A session of a master and a worker of Spark's, processes of their own on the loopback."""
    pyspark = pytest.importorskip("pyspark")
    if shutil.which("java") is None:
        pytest.skip("no Java: Spark cannot be started")
    home, port = Path(pyspark.__file__).parent, free_port()
    env = os.environ | {"SPARK_HOME": str(home), "SPARK_LOCAL_IP": "127.0.0.1", "SPARK_NO_DAEMONIZE": "1"}
    folder = tmp_path_factory.mktemp("spark")
    started = []

    def start(*words: str) -> None:
        log = (folder / f"{len(started)}.log").open("w")
        started.append(
            subprocess.Popen([home / "bin" / "spark-class", *words], env=env, stdout=log, stderr=log, cwd=folder)
        )

    place = "org.apache.spark.deploy"
    start(f"{place}.master.Master", "--host", "127.0.0.1", "--port", str(port), "--webui-port", "0")
    try:
        for _ in range(600):
            try:
                create_connection(("127.0.0.1", port)).close()
                break
            except OSError:
                time.sleep(0.1)
        start(
            f"{place}.worker.Worker",
            f"spark://127.0.0.1:{port}",
            "--host",
            "127.0.0.1",
            "--cores",
            "2",
            "--memory",
            "1g",
            "--webui-port",
            "0",
        )
        from pyspark.sql import SparkSession

        os.environ["SPARK_LOCAL_IP"] = "127.0.0.1"
        made = SparkSession.builder.master(f"spark://127.0.0.1:{port}").config("spark.driver.host", "127.0.0.1")
        made = made.config("spark.ui.enabled", "false").config("spark.sql.session.timeZone", "Asia/Tokyo")
        session = made.config("spark.executor.memory", "512m").config("spark.sql.shuffle.partitions", "2").getOrCreate()
        yield session
        session.stop()
    finally:
        for process in reversed(started):
            process.terminate()
            process.wait()


@pytest.mark.services
@pytest.mark.parametrize("asked", ASKED)
def test_two_processes_of_dask_give_the_book_of_the_file(cluster, asked, parquet):
    check(MADE["dask"](parquet), parquet, asked)


@pytest.mark.services
@pytest.mark.filterwarnings("ignore")
@pytest.mark.parametrize("asked", ASKED)
def test_a_worker_of_spark_gives_the_book_of_the_file(spark, asked, parquet):
    check(spark.read.parquet(str(parquet)), parquet, asked)


@pytest.mark.services
@pytest.mark.filterwarnings("ignore")
def test_a_worker_that_dies_is_told(cluster, records):
    import dask

    frame = dd.from_delayed([dask.delayed(lambda: os._exit(1))()], meta=records[["day", "units"]].head(0))
    with pytest.raises(lc.IntakeError, match="cannot be read"):
        lc.read(frame, date="day", values="units")


def interrupted(frame: Any) -> None:
    """A reading that takes a minute is broken off after two seconds."""
    started = time.monotonic()
    timer = threading.Timer(2, _thread.interrupt_main)
    timer.start()
    with pytest.raises(KeyboardInterrupt):
        lc.read(frame, date="day", values="units")
    assert time.monotonic() - started < 30


@pytest.mark.services
@pytest.mark.filterwarnings("ignore")
def test_an_interrupted_dask_does_only_what_others_asked_for(cluster, records):
    import dask

    part = records[["day", "units"]]
    other = cluster.submit(lambda: time.sleep(4) or 7)
    frame = dd.from_delayed([dask.delayed(lambda: time.sleep(30) or part)()], meta=part.head(0))
    interrupted(frame)
    assert other.result() == 7 and list(cluster.futures) == [other.key]


@pytest.mark.services
@pytest.mark.filterwarnings("ignore")
def test_an_interrupted_spark_stops(spark, records):
    from pyspark.sql import functions, types

    slow = functions.udf(lambda day: time.sleep(60) or day, types.StringType())
    interrupted(spark.sql("select '2026-05-01' as day, 1 as units").withColumn("day", slow("day")))
    until = time.monotonic() + 20
    while (left := spark.sparkContext.statusTracker().getActiveJobsIds()) and time.monotonic() < until:
        time.sleep(0.2)
    assert not left


@pytest.mark.services
@pytest.mark.filterwarnings("ignore")
def test_spark_gives_the_same_book_of_odd_columns_and_names(spark, tmp_path):
    import pyarrow.parquet as pq

    pq.write_table(odd_table(ODD), tmp_path / "odd.parquet")
    check_roads(spark.read.parquet(str(tmp_path / "odd.parquet")), ODD)
    frame = spark.createDataFrame([("2026-05-01", 1.0, "a")], ["da`y", "v.x", "in `quotes`"])
    assert lc.read(frame, date="da`y", values="v.x", by="in `quotes`").items("in `quotes`") == ["a"]
