"""What statistics of a file and amounts in memory save the roll-up changes no figure; it is given up where it could."""

from __future__ import annotations

import struct

import duckdb
import numpy as np
import pandas as pd
import polars
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pyarrow import parquet

import logochron as lc
from logochron.sources.duckdb import rollup
from logochron.sources.files.source_reader import MANY
from logochron.sources.values.amounts import Reach, reach_of, sums_are_exact

DAY = "DATE '2024-01-01' + (hash(i, 1) % 700)::INT"
LABEL = "'r' || (i % 5)"
AMOUNT = "(hash(i, 2) % 50000)::INT / 100"
#: Which savings were made, in their order: sets of labels as bytes, counts folded into sums, the look at each row.
CASES = {
    "plain": (DAY, LABEL, AMOUNT, "sets fold"),
    "no labels": (DAY, "NULL::VARCHAR", AMOUNT, "sets fold"),
    "odd labels": (DAY, """['it''s', '', 'a"b', '=1+1', 'z', 'z+', NULL][1 + i % 7]""", AMOUNT, "sets fold"),
    "negatives": (DAY, LABEL, "((hash(i, 2) % 50000)::INT - 25000) / 100", "sets fold"),
    "decimals": (DAY, LABEL, f"({AMOUNT})::DECIMAL(12, 4)", "sets fold"),
    "short floats": (DAY, LABEL, "((hash(i, 2) % 500)::INT / 100)::FLOAT", "sets fold"),
    "moments": (f"({DAY})::TIMESTAMP + INTERVAL 86399 SECOND", LABEL, AMOUNT, "sets fold"),
    "texts as amounts": (DAY, LABEL, f"({AMOUNT})::VARCHAR", "sets look sets"),
    "many labels": (DAY, "'r' || (i % 300)", AMOUNT, "fold"),
    "many days": ("DATE '1900-01-01' + (i * 7)::INT", LABEL, AMOUNT, "sets fold"),
    "zoned": (f"({DAY})::TIMESTAMPTZ + INTERVAL 23 HOUR", LABEL, AMOUNT, "sets fold"),
    "one day with most rows": (
        f"CASE WHEN i < 199000 THEN DATE '2024-02-29' ELSE {DAY} END",
        "'r'",
        "1e5",
        "sets fold sets",
    ),
    "too fine": (DAY, LABEL, f"CASE WHEN i = 7777 THEN 0.001 ELSE {AMOUNT} END", "sets fold look look"),
    "four decimals": (DAY, LABEL, "(hash(i, 2) % 5000000)::INT / 10000", "sets fold"),
    "endless": (DAY, LABEL, "(i % 1000) / 3", "look"),
    "one a bit off": (DAY, LABEL, f"CASE WHEN i = 7777 THEN 12.340000000000002 ELSE {AMOUNT} END", "sets fold look"),
    "too large": (DAY, LABEL, f"CASE WHEN i = 77 THEN 1e12 ELSE {AMOUNT} END", "sets look"),
}


@pytest.fixture
def saved(monkeypatch) -> list[str]:
    """What is saved on the way."""
    made: list[str] = []

    def spied(name: str, function: str) -> None:
        real = getattr(rollup, function)

        def spy(*given, **more):
            answer = real(*given, **more)
            made.extend([name] if answer is not None else [])
            return answer

        monkeypatch.setattr(rollup, function, spy)

    spied("sets", "label_sets")
    spied("fold", "fold")
    spied("look", "_careful_pass")
    return made


def same_columns(book: lc.Book, other: lc.Book, each: str = "week") -> dict[str, np.ndarray]:
    """The columns of an answer, which both books have to give."""
    columns, others = (lc.compare(one, each=each, against="prior", by="h").columns for one in (book, other))
    for name in columns:
        np.testing.assert_array_equal(columns[name], others[name])
    return columns


@pytest.mark.slow
@pytest.mark.parametrize("case", CASES)
def test_a_file_with_statistics_gives_the_book_of_a_table_without(case, saved, tmp_path):
    day, label, amount, expected = CASES[case]
    many = 200_000 if "most rows" in case else 20_000
    path = tmp_path / "sales.parquet"
    found = duckdb.connect()
    found.execute("SET TimeZone = 'UTC'")
    found.execute(f"CREATE TABLE sales AS SELECT {day} AS d, {label} AS h, {amount} AS v FROM range({many}) r(i)")
    found.execute(f"COPY sales TO '{path}' (FORMAT parquet)")
    asked = {"date": "d", "values": "v", "by": "h", "tz": "Asia/Tokyo" if case == "zoned" else None}
    of_file = lc.read(path, **asked)
    assert " ".join(saved) == expected
    of_table = lc.read(found.table("sales"), **asked)  # about which nothing is known
    assert of_file.intake.counted == of_table.intake.counted == many and of_file.exact == of_table.exact
    each = "quarter" if case == "many days" else "week"
    columns = same_columns(of_file, of_table, each)
    arrow = parquet.read_table(path)
    for frame in (arrow, polars.from_arrow(arrow), arrow.to_pandas(), arrow.to_pandas(strings_to_categorical=True)):
        of_frame = lc.read(frame, **asked)
        assert of_frame.exact == of_table.exact
        same_columns(of_frame, of_table, each)
    ((total,),) = found.execute("SELECT sum(v::DECIMAL(38, 4)) FROM sales").fetchall()
    assert float(np.sum(columns["value"])) == pytest.approx(float(total), abs=1e-3)


@pytest.mark.parametrize("flaw", ["'nan'::DOUBLE", "'infinity'::DOUBLE", "NULL"])
def test_what_is_no_amount_is_told_all_the_same(flaw, tmp_path):
    path = tmp_path / "sales.parquet"
    amount = f"CASE WHEN i = 77 THEN {flaw} ELSE {AMOUNT} END"
    duckdb.connect().execute(f"COPY (SELECT {DAY} d, {LABEL} h, {amount} v FROM range(999) r(i)) TO '{path}'")
    with pytest.raises(lc.IntakeError, match="row 78, column 'v'"):
        lc.read(path, date="d", values="v", by="h")
    assert lc.read(path, date="d", values="v", by="h", on_refused="skip").intake.counted == 998


@pytest.mark.parametrize("form", ["parquet", "csv"])
@pytest.mark.parametrize("flaw", [1, None])
def test_rows_left_out_are_counted_and_not_looked_at(form, flaw, saved, tmp_path):
    path = tmp_path / f"sales.{form}"
    found = duckdb.connect()
    amount = f"CASE WHEN i % 5 = {flaw or 9} THEN 1e300 ELSE {AMOUNT} END"
    found.execute(f"CREATE TABLE sales AS SELECT {DAY} AS d, {LABEL} AS h, {amount} AS v FROM range(9999) r(i)")
    found.execute(f"COPY sales TO '{path}'")
    for where in ("r2", ["r0", "r4"]):
        kept = tuple(where) if isinstance(where, list) else (where, "")
        book = lc.read(path, date="d", values="v", by="h", where={"h": where})
        ((many, total),) = found.execute(f"SELECT count(*), sum(v) FROM sales WHERE h IN {kept}").fetchall()
        assert (book.intake.counted, book.intake.set_aside) == (many, 9999 - many) and book.exact["v"]
        assert lc.compare(book, each="year", against="prior").columns["value"].sum() == pytest.approx(total)
    assert not saved


@pytest.mark.parametrize("told", ["largest amount", "last day"])
def test_wrong_statistics_of_a_file_change_no_figure(told, saved, tmp_path):
    path = tmp_path / "sales.parquet"
    sql = "SELECT DATE '2024-01-01' + (i % 700)::INT d, 'r' || (i % 5) h, (i % 7)::DOUBLE * 3e6 v FROM range(9999) r(i)"
    duckdb.connect().execute(f"COPY ({sql}) TO '{path}'")
    content = path.read_bytes()
    start = len(content) - 8 - struct.unpack("<I", content[-8:-4])[0]  # of what ends the file
    true, false = (struct.pack("<d", 18e6), struct.pack("<d", 2.0))
    if told == "last day":
        true, false = (struct.pack("<i", 19723 + 699), struct.pack("<i", 19800))
    assert true in content[start:]
    path.write_bytes(content[:start] + content[start:].replace(true, false))
    book = lc.read(path, date="d", values="v", by="h")
    assert book.intake.counted == 9999 and saved[-1] == ("sets" if told == "largest amount" else "look")
    assert (
        lc.compare(book, each="year", against="prior").columns["value"].sum() == sum(i % 7 for i in range(9999)) * 3e6
    )


def test_files_scanned_as_one_have_no_statistics_together(saved, tmp_path):
    for i in range(MANY):
        sql = f"SELECT {DAY} d, {LABEL} h, {AMOUNT} v FROM range(99) r(i)"
        duckdb.connect().execute(f"COPY ({sql}) TO '{tmp_path}/{i}.parquet'")
    assert lc.read(tmp_path, date="d", values="v", by="h").intake.counted == 99 * MANY
    assert not saved


@pytest.mark.parametrize("unit", ["s", "ms", "us", "ns"])
@pytest.mark.parametrize("odd", ["2024-05-05 23:59:59", "1969-12-31 23:59:59", "1965-02-28 00:00:01", "NaT"])
def test_days_of_a_frame_are_those_of_its_texts(odd, unit):
    days = pd.Series(pd.date_range("1965-03-01", periods=5000, freq="5D").astype(f"datetime64[{unit}]"))
    days[777] = pd.Timestamp(odd)  # no day that is looked at beforehand
    frame = pd.DataFrame({"d": days, "v": np.arange(5000) / 100, "h": "r"})
    books = [lc.read(one, date="d", values="v", by="h", on_refused="skip") for one in (frame, frame.astype({"d": str}))]
    assert [book.intake.refused for book in books] == [odd == "NaT"] * 2 and books[0].first_day == books[1].first_day
    same_columns(*books)


@pytest.mark.parametrize(
    ("amounts", "per_unit", "largest"),
    [
        ([0.07, -1.1, 0.29], 100, 110),
        ([1, -7], 1, 7),
        ([0.125], 1000, 125),
        ([], 100, 0),
        *[([1.0] * 40_000 + [odd], 100, None) for odd in (0.001, np.nextafter(0.07, 1), np.nan, np.inf, 1e300 * 1e8)],
    ],
)
def test_reach_of_whole_numbers_of_units(amounts, per_unit, largest):
    found = None if largest is None else Reach(largest, any(amount < 0 for amount in amounts))
    assert reach_of([np.array(amounts, dtype=float), np.array([0])], per_unit) == found


@given(st.integers(1, 3000), st.randoms(use_true_random=False))
def test_sums_that_are_called_exact_are(many, random):
    largest = int(2.0**51 / (many * (many + 2)) * 0.999)
    units = [random.choice((-1, 1)) * random.randint(largest // 2, largest) for _ in range(many)]
    assert sums_are_exact(many, largest) and not sums_are_exact(many, largest * 1.01 + 1)
    one_by_one = 0.0
    for amount in (np.array(units, dtype=float) / 100).tolist():
        one_by_one += amount
    assert round(one_by_one * 100) == sum(units)


#: Amounts of rows numbered `i`: most of cents, some none.
HOLES = "CASE WHEN i % 97 = 5 THEN NULL WHEN i % 501 = 7 THEN 'NaN'::DOUBLE ELSE (hash(i, 6) % 50000)::INT / 100 END"


@pytest.mark.parametrize("road", ["parquet", "pyarrow", "relation", "csv"])
@pytest.mark.parametrize("empty", ["refused", "zero"])
@pytest.mark.parametrize("filtered", [False, True])
def test_rows_without_an_amount_are_counted_apart(road, empty, filtered, tmp_path):
    made = duckdb.connect()
    made.execute(
        f"CREATE TABLE sales AS SELECT DATE '2025-01-01' + (i % 200)::INT AS d, 'h' || (i % 3)::VARCHAR AS h, "
        f"'k' || (i % 2)::VARCHAR AS k, {HOLES} AS v FROM range(3000) r(i)"
    )
    path = tmp_path / f"sales.{'csv' if road == 'csv' else 'parquet'}"
    made.execute(f"COPY sales TO '{path}'")
    source = {"pyarrow": lambda: parquet.read_table(path), "relation": lambda: made.table("sales")}
    asked = {"date": "d", "by": "h", "empty": empty, "on_refused": "skip"}
    asked |= {
        "measures": [lc.Measure("v"), lc.Measure("odd", column="v", where={"k": "k1"}), lc.Measure("n", count=True)]
    }
    asked |= {"where": {"h": ["h0", "h2"]}} if filtered else {}
    book = lc.read(source.get(road, lambda: path)(), **asked)
    kept, sound = (
        "h <> 'h1'" if filtered else "true",
        "isfinite(v)" if empty == "refused" else "(v IS NULL OR isfinite(v))",
    )
    amount = "v" if empty == "refused" else "coalesce(v, 0)"  # nothing else is taken for 0
    expected = made.execute(
        f"SELECT month(d) AS m, h, sum({amount}::DECIMAL(18, 2))::DOUBLE, "
        f"sum({amount}::DECIMAL(18, 2)) FILTER (k = 'k1')::DOUBLE, count(*) FROM sales WHERE {kept} AND {sound} "
        "GROUP BY ALL ORDER BY ALL"
    ).fetchall()
    table = lc.compare(book, each="month", by="h").table
    told = {name: rows.sort_values(["period", "h"]).value.tolist() for name, rows in table.groupby("measure")}
    assert list(zip(told["v"], told["odd"], told["n"])) == [row[2:] for row in expected]
    bad = f"{kept} AND NOT coalesce({sound}, false)"
    ((counted, refused, first),) = made.execute(
        f"SELECT count(*) FILTER ({kept} AND NOT ({bad})), count(*) FILTER ({bad}), min(rowid) FILTER ({bad}) "
        "FROM sales"
    ).fetchall()
    assert (book.intake.counted, book.intake.refused) == (counted, refused) and book.exact["v"]
    # a row by its number from 1, a line below the header
    assert [row.line for row in book.intake.refused_rows[:1]] == ([first + 1 + (road == "csv")] if refused else [])


@pytest.mark.parametrize("asked", [{"empty": "zero"}, {"on_refused": "skip"}])
def test_columns_may_be_called_as_the_reading_calls_its_own(asked, tmp_path):
    drawn = np.random.default_rng(3)
    names = ["v1", "v0", "y0", "flawed", "keep", "n", "file_row_number"]
    frame = pd.DataFrame({name: drawn.integers(1, 1000, 300) / 100 for name in names})
    for name in names:
        frame.loc[drawn.integers(0, 300, 3), name] = None
    frame["d"] = pd.date_range("2025-01-01", periods=300)
    frame.to_parquet(tmp_path / "odd.parquet")
    counted = frame if "empty" in asked else frame.dropna()
    for source in (tmp_path / "odd.parquet", duckdb.sql(f"FROM '{tmp_path / 'odd.parquet'}'")):
        values = lc.compare(lc.read(source, date="d", values=names, **asked), each="year").columns["value"]
        assert values.tolist() == pytest.approx([counted[name].sum() for name in names])
