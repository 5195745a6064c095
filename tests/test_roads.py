"""The same book by every road: one odd table through each library, held against its Parquet file."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Callable
from decimal import Decimal
from pathlib import Path
from typing import Any

import duckdb
import numpy as np
import pandas as pd
import pyarrow as pa
import pytest
from pyarrow import dataset
from pyarrow import parquet as pq

import logochron as lc

pl, dd = pytest.importorskip("polars"), pytest.importorskip("dask.dataframe")
pytest.importorskip("narwhals")
#: What Dask still asks of pandas, and pandas of itself.
pytestmark = [
    pytest.mark.filterwarnings(f"ignore:{said}") for said in ("The inplace keyword", "invalid value encountered")
]

MOMENTS = [dt.datetime(2026, 1, 1), dt.datetime(2026, 2, 1, 5, 30), None, dt.datetime(2025, 1, 1, 0, 0, 0, 500_000)]
#: By column its values, and how each is spelled as a label.
ODD: dict[str, tuple[pa.Array, list[str]]] = {
    "truth": (pa.array([True, False, None, True]), ["true", "false", "", "true"]),
    "whole": (pa.array([1, 2, None, 30], pa.int64()), ["1", "2", "", "30"]),
    "double": (pa.array([1.0, 1.5, None, 1e20]), ["1", "1.5", "", "1e+20"]),
    "small": (pa.array([1e16, 123456789.125, 1e-5, 0.1]), ["1e+16", "123456789.125", "1e-05", "0.1"]),
    "short": (pa.array([0.1, 16777216.0, 1.0, 2.5], pa.float32()), ["0.1", "16777216", "1", "2.5"]),
    "decimal": (pa.array([Decimal("1.50"), Decimal("2.00"), None, Decimal("10.25")]), ["1.50", "2.00", "", "10.25"]),
    "day of": (pa.array([dt.date(2026, 1, 1), None, None, dt.date(2025, 1, 1)]), ["2026-01-01", "", "", "2025-01-01"]),
    "moment": (
        pa.array(MOMENTS, pa.timestamp("us")),
        ["2026-01-01 00:00:00", "2026-02-01 05:30:00", "", "2025-01-01 00:00:00.5"],
    ),
    "instant": (
        pa.array(MOMENTS, pa.timestamp("us", tz="UTC")),
        ["2026-01-01 00:00:00+00", "2026-02-01 05:30:00+00", "", "2025-01-01 00:00:00.5+00"],
    ),
}
TIMES = pa.array([dt.time(5), dt.time(12, 30, 15), None, dt.time(5, 0, 0, 250_000)], pa.time64("us"))
ODD_TIME = {"time": (TIMES, ["05:00:00", "12:30:15", "", "05:00:00.25"])}


def odd_table(odd: dict[str, tuple[pa.Array, list[str]]]) -> pa.Table:
    amounts = pa.array([0.1, 0.2, 0.3, 123456.78], pa.float32())  # the shortest decimals count
    day = pa.array([dt.date(2026, 1, n) for n in (1, 2, 3, 4)])
    return pa.table({"day": day, "v": amounts, **{name: values for name, (values, _) in odd.items()}})


def check_roads(source: Any, odd: dict[str, tuple[pa.Array, list[str]]]) -> None:
    """The labels, sums, filters and distinct ids of a source are those that are written down."""
    book = lc.read(source, date="day", values="v", by=list(odd))
    assert {name: list(book.items(name)) for name in odd} == {n: sorted(set(told)) for n, (_, told) in odd.items()}
    assert book.exact == {"v": True} and lc.compare(book, each="year").columns["value"].tolist() == [123457.38]
    where = {name: told[1] for name, (_, told) in odd.items()}  # the labels of one row
    ids = [lc.Measure(name, distinct=name) for name in odd]
    of_row = [lc.Measure(f"in {name}", count=True, where={name: label}) for name, label in where.items()]
    counts = lc.compare(lc.read(source, date="day", measures=[*ids, *of_row]), each="year").columns["value"].tolist()
    assert counts[: len(odd)] == [len({*told} - {""}) for _, told in odd.values()]
    assert counts[len(odd) :] == [told.count(where[name]) for name, (_, told) in odd.items()]
    assert lc.read(source, date="day", values="v", where=where).intake.counted == 1


def as_dataset(table: pa.Table, folder: Path) -> Any:
    pq.write_table(table, folder / "odd.parquet")
    return dataset.dataset(folder)


ROADS: dict[str, Callable[[pa.Table, Path], Any]] = {
    "parquet": lambda table, folder: as_dataset(table, folder).files[0],
    "pyarrow": lambda table, _: table,
    "dataset": as_dataset,
    "relation": lambda table, _: duckdb.from_arrow(table),
    "polars": lambda table, _: pl.from_arrow(table),
    "pandas": lambda table, _: table.to_pandas(),
    "pandas over pyarrow": lambda table, _: table.to_pandas(types_mapper=pd.ArrowDtype),
    "pandas, nullable": lambda table, _: table.to_pandas().convert_dtypes(),
    "lazy": lambda table, _: pl.from_arrow(table).lazy(),
    "dask": lambda table, _: dd.from_pandas(table.to_pandas(), npartitions=2),
}


@pytest.mark.parametrize("road", ROADS)
def test_every_road_gives_the_same_book(road, tmp_path):
    odd = ODD | ODD_TIME
    check_roads(ROADS[road](odd_table(odd), tmp_path), odd)


def test_a_reader_of_batches_and_columns_that_differ_in_case(tmp_path):
    table = pa.table({"day": ["2026-01-01", "2026-01-02"], "x": [1.0, 2.0], "X": [10.0, 20.0]})
    roads = (lambda: table, table.to_reader, lambda: as_dataset(table, tmp_path), lambda: pl.from_arrow(table),
             lambda: duckdb.sql("SELECT '2026-01-01' AS day, 3.0::DOUBLE AS x, 30.0::DOUBLE AS \"X\""))  # fmt: skip
    for made in roads:
        books = [lc.read(made(), date="day", values=name) for name in ("x", "X")]
        assert [lc.compare(book, each="month").columns["value"].tolist() for book in books] == [[3], [30]]


def test_nan_is_no_amount_and_what_is_missing_is_said_where_it_is_the_same():
    frame = pd.DataFrame({"day": pd.date_range("2026-01-01", periods=3), "v": [1.0, np.nan, 3.0], "who": list("abc")})
    asked: dict[str, Any] = {"date": "day", "values": "v", "empty": "zero"}
    for one in (frame, dd.from_pandas(frame, npartitions=2)):
        guesses = lc.read(one, **asked).intake.guesses
        assert any("'v': NaN and a missing amount are one there, and both taken as 0" in guess for guess in guesses)
    apart = pl.from_pandas(frame, nan_to_null=False)
    for one in (apart, apart.lazy(), apart.to_arrow()):
        with pytest.raises(lc.IntakeError, match=r"(?i)'nan' - not a finite number"):
            lc.read(one, **asked)
    missing = pl.from_pandas(frame)
    for one in (missing, missing.lazy(), missing.to_arrow()):
        assert lc.read(one, **asked).intake.guesses == ("column 'v': 1 empty amount taken as 0",)


@pytest.mark.parametrize("kind", ["pandas", "dask"])
@pytest.mark.parametrize("asked", [{"by": "id", "values": "v"}, {"measures": [lc.Measure("n", distinct="id")]}])
def test_ids_that_doubles_have_made_the_same_are_refused(kind, asked):
    frame = pd.DataFrame(
        {"day": pd.date_range("2026-01-01", periods=3), "v": [1, 2, 3], "id": [2**53 + 1, 2**53, None]}
    )
    one = frame if kind == "pandas" else dd.from_pandas(frame, npartitions=2)
    with pytest.raises(lc.IntakeError, match=r"column 'id': its whole numbers lie as doubles.*Int64"):
        lc.read(one, date="day", **asked)
    ids = pd.array([2**53 + 1, 2**53, None], dtype="Int64")
    assert len(lc.read(frame.assign(id=ids), date="day", values="v", by="id").items("id")) == 3


@pytest.mark.parametrize("text", [False, True])
def test_rows_without_a_number_are_told_by_what_they_hold(text):
    amounts: list[Any] = ["1,5", "", "3,5"] if text else [1.5, None, 3.5]
    frame = pl.DataFrame({"day": [dt.datetime(2026, 1, n) for n in (1, 2, 3)], "v": amounts, "who": list("abc")})
    told = r"the row of day '2026-01-02( 00:00:00.*)?'" + ("" if text else ", who 'b'") + ", column 'v': '' - an empty"
    with pytest.raises(lc.IntakeError) as caught:
        lc.read(frame.lazy(), date="day", values="v")
    assert re.search(told, str(caught.value))
