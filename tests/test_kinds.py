"""Workbooks, JSON, Parquet, data frames and wide tables: the same records give the same answer."""

from __future__ import annotations

import datetime as dt
import json
import zipfile
from decimal import Decimal

import duckdb
import numpy as np
import pandas as pd
import polars as pl
import pyarrow as pa
import pytest
import xlsxwriter

import logochron as lc

ASK = {"date": "day", "values": "amount", "by": "item", "on_refused": "skip"}


def outcome(book):
    intake = book.intake
    assert intake.read == intake.counted + intake.refused + intake.set_aside + intake.blank
    return book.totals("year").value.sum(), (
        intake.read,
        intake.counted,
        intake.refused,
        intake.set_aside,
        intake.blank,
    )


def workbook(path, sheets):
    """Sheets by name, cells by row; dates as a spreadsheet keeps them, (formula, value) pairs as formulas."""
    with xlsxwriter.Workbook(path) as book:
        day = book.add_format({"num_format": "yyyy-mm-dd"})
        for name, rows in sheets.items():
            sheet = book.add_worksheet(name.strip("*"))
            if name.startswith("*"):
                sheet.hide()
            for i, row in enumerate(rows):
                for j, cell in enumerate(row):
                    if isinstance(cell, dt.date):
                        sheet.write_datetime(i, j, cell, day)
                    elif isinstance(cell, tuple):
                        sheet.write_formula(i, j, cell[0], None, cell[1])
                    elif cell is not None:
                        sheet.write(i, j, cell)
    return path


SALES = [
    ["Sales of May"],
    [],
    ["Day", "item", "amount"],
    [dt.datetime(2026, 5, 1), "007", 1234.5],
    [46143, 7, ("=1+1", 0.1 + 0.2)],
    [],
    ["2026-05-03", True, "2.5"],
    [dt.datetime(2026, 5, 4), "x", ("=1/0", "#DIV/0!")],
    [dt.datetime(2026, 5, 5), "x", ("=2+2", 0)],
]


def test_workbook(tmp_path):
    path = workbook(tmp_path / "a.xlsx", {"Notes": [["hello"]], "May": SALES, "*Old": SALES})
    emptied = tmp_path / "b.xlsx"  # as a program that calculates nothing leaves it
    with zipfile.ZipFile(path) as old, zipfile.ZipFile(emptied, "w") as new:
        for name in old.namelist():
            new.writestr(name, old.read(name).replace(b"<f>2+2</f><v>0</v>", b"<f>2+2</f><v></v>"))
    book = lc.read(emptied, **ASK, empty="zero")
    assert outcome(book) == (1237.3, (6, 3, 2, 0, 1)) and book.exact == {"amount": True}
    assert book.items("item") == ["007", "7", "TRUE"]
    assert (str(book.first_day), str(book.last_day)) == ("2026-05-01", "2026-05-05")
    assert [str(r).split("a.xlsx, ")[-1].split("b.xlsx, ")[-1] for r in book.intake.refused_rows] == [
        "row 8, column 'amount': '#DIV/0! (cell C8)' - not a number",
        "row 9, column 'amount': '=2+2 (cell C9)' - a formula whose value is not kept: open the workbook, calculate "
        "and save it",
    ]
    said = " / ".join(book.intake.guesses)
    for words in ("sheet 'May' read", "header taken from row 3", "46143 in column 'day'", "'Day' taken for 'day'"):
        assert words in said
    assert outcome(lc.read(path, **ASK, sheet="Old"))[1] == (6, 4, 1, 0, 1)


@pytest.mark.parametrize(
    ("sheets", "options", "said"),
    [
        ({"a": SALES, "b": SALES}, {}, "several sheets that may be meant: a, b"),
        ({"a": SALES}, {"sheet": "A"}, "no sheet 'A'. Did you mean 'a'"),
        ({"a": []}, {}, "no sheet with anything in it"),
        ({"a": SALES}, {"header_row": 99}, "no row 99"),
        ({"a": SALES[:1]}, {"header_row": (1, 2)}, "no row 2"),
        (None, {}, "no workbook"),
    ],
)
def test_workbooks_refused(tmp_path, sheets, options, said):
    path = tmp_path / "a.xlsx"
    path.write_text("day,item,amount\n")
    if sheets:
        workbook(path, sheets)
    with pytest.raises(lc.LogochronError, match=said):
        lc.read(path, **ASK, **options)


ROWS = [
    {"day": "2026-01-01", "item": "a", "amount": 1.50},
    {"day": "2026-01-02", "item": None, "amount": "2", "more": [1]},
    {"day": "2026-01-03", "amount": 0.1},
]
TORN = """

{bad
[1]
{"day": "2026-01-01", "day": 1}
{}
{"day": "x", "amount": 1}
{"day": "2026-01-01", "amount": NaN}
"""


@pytest.mark.parametrize(
    ("name", "text", "counts", "lines"),
    [
        ("a.json", json.dumps(ROWS, indent=1), (3, 3, 0, 0, 0), []),
        ("a.json", json.dumps(ROWS) + "\n", (3, 3, 0, 0, 0), []),
        ("a.json", "\n".join(map(json.dumps, ROWS)), (3, 3, 0, 0, 0), []),
        ("a.jsonl", "\n".join(map(json.dumps, ROWS)) + TORN, (10, 3, 5, 0, 2), [5, 6, 7, 9, 10]),
        ("a.json", json.dumps({"made": 1, "rows": ROWS}), (3, 3, 0, 0, 0), []),
        ("a.json", json.dumps({k: [r.get(k) for r in ROWS] for k in ASK.values() if k in ROWS[0]}), None, []),
        ("a.json", json.dumps({k: {str(i): r.get(k) for i, r in enumerate(ROWS)} for k in ROWS[0]}), None, []),
    ],
)
def test_json(tmp_path, name, text, counts, lines):
    (tmp_path / name).write_text(text)
    book = lc.read(tmp_path / name, **ASK)
    assert outcome(book) == (3.6, counts or (3, 3, 0, 0, 0)) and book.items("item") == ["", "a"]
    assert book.intake.refusals.line.tolist() == lines and book.exact == {"amount": True}


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "is empty"),
        ('"x"', "no records"),
        ("{}", "without a list of records"),
        ("[1, 2]", "no records: line 1: '1' - no JSON object"),
        (json.dumps(ROWS, indent=0)[:-30], "line 15: .* no JSON"),
        ("[" * 100_000, "no JSON"),
        ('{"a": ', "is no JSON"),
    ],
)
def test_json_refused(tmp_path, text, said):
    (tmp_path / "a.json").write_text(text)
    with pytest.raises(lc.IntakeError, match=said):
        lc.read(tmp_path / "a.json", **ASK)


def test_half_a_character_is_refused(tmp_path):
    (tmp_path / "a.jsonl").write_text('{"day": "2026-01-01", "item": "\\ud800x", "amount": 1}\n' + json.dumps(ROWS[0]))
    book = lc.read(tmp_path / "a.jsonl", **ASK)
    assert outcome(book) == (1.5, (2, 1, 1, 0, 0))
    assert "line 1: '2026-01-01 \\\\ud800x 1' - half a character" in str(book.intake.refused_rows[0])


def test_many_sources_of_many_kinds(tmp_path):
    paths = []
    for i in range(4):  # a file with refusals among them leaves tables of the engine behind
        paths += [tmp_path / f"{i}.csv", tmp_path / f"{i}.jsonl"]
        paths[-2].write_text("day,item,amount\n2026-01-01,a,1\n2026-01-01,a\n")
        paths[-1].write_text(json.dumps(ROWS[0]))
    assert outcome(lc.read(paths, **ASK)) == (10, (12, 8, 4, 0, 0))


def test_long_json_is_read_in_pieces(tmp_path):
    many = [{"day": "2026-01-01", "item": "x" * 300_000, "amount": i} for i in range(12)]
    (tmp_path / "a.json").write_text(json.dumps(many))
    assert outcome(lc.read(tmp_path / "a.json", **ASK))[0] == 66


def test_parquet_of_odd_types(tmp_path):
    table = pa.table(
        {
            "day": pa.array(["18.10.2026 09:30", "17.10.2026 10:00", None]).dictionary_encode(),
            "item": pa.array(["a", None, "c"]).dictionary_encode(),
            "amount": pa.array([Decimal("1.10"), Decimal("2.20"), Decimal("4.00")]),
            "text": pa.array(["1.234,50", "2,5", "x"]),
            "number": pa.array([20261018, 20261017, 0]),
        }
    )
    duckdb.register("odd", table)
    duckdb.execute(f"COPY odd TO '{tmp_path}/a.parquet'")
    for date, amount, total, counted in (
        ("day", "amount", 3.3, 2),
        ("day", "text", 1237, 2),
        ("number", "amount", 3.3, 2),
    ):
        book = lc.read(tmp_path / "a.parquet", **(ASK | {"date": date, "values": amount}))
        assert outcome(book) == (total, (3, counted, 1, 0, 0)) and str(book.first_day) == "2026-10-17"


def test_parquet_columns_that_differ_in_case_only(tmp_path):
    import pyarrow.parquet as pq

    names = ["day", "v", "V", "v_1"]
    pq.write_table(pa.table([["2026-01-01"], [1.5], [20.5], [300.5]], names=names), tmp_path / "a.parquet")
    for name, total in (("v", 1.5), ("V", 20.5), ("v_1", 300.5)):
        assert outcome(lc.read(tmp_path / "a.parquet", date="day", values=name))[0] == total


LEFT = pd.DataFrame({"day": ["2026-01-01", "2026-01-02", "2026-01-03", None], "item": ["a", None, "b", "c"]})
DAYS = pd.to_datetime(LEFT.day)
AMOUNTS = [1.25, 2, np.nan, 4]


def frames():
    plain = LEFT.assign(amount=AMOUNTS)
    yield "objects", plain.astype(object), {}
    yield "numpy", plain.assign(day=DAYS), {}
    yield "nullable", plain.convert_dtypes(), {}
    yield "arrow", plain.convert_dtypes(dtype_backend="pyarrow"), {}
    short = plain.assign(amount=np.array([1.25, 2, np.nan, 4], dtype="f4"))
    yield "short floats", short, {}
    yield "categories", plain.assign(item=LEFT.item.astype("category"), day=LEFT.day.astype("category")), {}
    yield "numbers in categories", plain.assign(amount=pd.Categorical(AMOUNTS)), {}
    yield "decimals", plain.assign(amount=[Decimal("1.25"), Decimal("2"), None, Decimal("4")]), {}
    mixed = [dt.date(2026, 1, 1), dt.datetime(2026, 1, 2, 5), pd.Timestamp("2026-01-03"), pd.NaT]
    yield "dates as objects", plain.assign(day=pd.Series(mixed, dtype=object)), {}
    late = (DAYS + pd.Timedelta("23h")).dt.tz_localize("America/New_York")
    yield "zoned", plain.assign(day=late), {}
    yield "zoned otherwise", plain.assign(day=late - pd.Timedelta("1D")), {"tz": "UTC"}
    yield "offset", plain.assign(day=DAYS.dt.tz_localize(dt.timezone(dt.timedelta(hours=-5)))), {}
    yield "index", plain.assign(day=DAYS).set_index("day"), {}
    yield "nameless index", plain.assign(day=DAYS).set_index("day").rename_axis(None), {"date": "index"}
    yield "like names", plain.assign(Day="x", AMOUNT=9), {}
    polars = pl.DataFrame({"day": [*DAYS.dt.date[:3], None], "item": ["a", None, "b", "c"], "amount": AMOUNTS})
    yield "polars", polars, {}
    yield "polars categories", polars.with_columns(pl.col("item").cast(pl.Categorical)), {}
    yield "pyarrow", polars.to_arrow(), {}
    yield "batch", polars.to_arrow().combine_chunks().to_batches()[0], {}
    yield "relation", duckdb.connect().from_arrow(polars.to_arrow()), {}


@pytest.mark.parametrize(
    ("kind", "frame", "options"), list(frames()), ids=lambda value: value if value is str else None
)
def test_frames(kind, frame, options):
    before = frame.copy() if isinstance(frame, pd.DataFrame) else None
    book = lc.read(frame, **(ASK | options))
    assert outcome(book) == (3.25, (4, 2, 2, 0, 0)), kind
    assert (str(book.first_day), str(book.last_day)) == ("2026-01-01", "2026-01-03")
    assert book.items("item") == ["", "a"] and book.intake.refusals.line.tolist() == [3, 4]
    assert "the data frame, row 3, column 'amount'" in str(book.intake.refused_rows[0])
    if before is not None:
        pd.testing.assert_frame_equal(frame, before)


@pytest.mark.parametrize(
    ("amounts", "total", "exact"),
    [
        (["36.861", "12.345", "1.234"], "50.44", True),  # as texts they would read in two ways
        (["36.861", None, "1.234"], "38.095", True),
        (["36.861", 2, 1.5], "40.361", True),
        (["36.861", np.float64(0.1), np.int64(3)], "39.961", True),
        (["36.861", "Infinity", "1.000"], "37.861", True),
        (["1E+3", "36.861", "0.001"], "1036.862", True),
        (["0.1234567", "36.861", "0.001"], "36.9854567", False),
    ],
)
def test_decimals_of_python_are_numbers(amounts, total, exact):
    values = pd.Series([Decimal(value) if isinstance(value, str) else value for value in amounts], dtype=object)
    frame = pd.DataFrame({"day": ["2026-01-01", "2026-01-02", "2026-01-03"], "amount": values})
    plain = all(isinstance(value, str | None) for value in amounts) and "Infinity" not in amounts
    asked = {"date": "day", "values": "amount", "empty": "zero", "on_refused": "skip"}
    for one in (frame, frame.set_index(pd.Index([7, 7, 7]))):
        book = lc.read(one, **asked)
        assert book.exact["amount"] == exact and book.intake.refused == amounts.count("Infinity")
        assert book.totals("year").value[0] == (float(total) if exact else pytest.approx(float(total)))
    if plain:
        dask = pytest.importorskip("dask")
        for as_texts in (True, False):  # Dask makes texts of them, unless it is told not to
            with dask.config.set({"dataframe.convert-string": as_texts}):
                lazy = pytest.importorskip("dask.dataframe").from_pandas(frame, npartitions=2)
                assert lc.read(lazy, **asked).totals("year").value[0] == pytest.approx(float(total), rel=1e-15)


@pytest.mark.parametrize(
    ("frame", "said"),
    [
        (LEFT.day, "call .to_frame"),
        (pd.concat({"x": LEFT}, axis=1), "columns of several levels"),
        (pl.Series("day", ["x"]), "collect"),
        (pa.array([1]), "read it to a Table"),
        (duckdb.connect(), "give a relation"),
        (pd.DataFrame(), "has no columns"),
        (LEFT.assign(amount=pd.Timedelta("1D")), "found the type INTERVAL"),
        (LEFT.assign(amount=[True, False, True, True]), "found the type BOOLEAN"),
        (pd.DataFrame([["2026-01-01", "a", 1, 2]], columns=["day", "item", "amount", "amount"]), "more than once"),
    ],
)
def test_frames_refused(frame, said):
    with pytest.raises(lc.LogochronError, match=said):
        lc.read(frame, **ASK)


def test_several_frames_and_large_ones():
    rng = np.random.default_rng(3)
    n = 200_000
    frame = pd.DataFrame(
        {
            "day": pd.Timestamp("2025-01-01") + pd.to_timedelta(rng.integers(0, 400, n), unit="D"),
            "item": pd.Categorical(rng.choice(["a", "b", "c"], n)),
            "amount": rng.integers(-500, 9000, n) / 100,
        }
    )
    book = lc.read([frame.iloc[:70_000], frame.iloc[70_000:]], **ASK)
    by_hand = frame.groupby([frame.day.dt.to_period("M").astype(str), "item"], observed=True).amount.sum()
    table = book.totals("month", by="item").set_index(["period", "item"]).value
    assert book.exact["amount"] and len(table) == len(by_hand)
    assert table.to_numpy() == pytest.approx(by_hand.reindex(table.index).to_numpy(), abs=1e-6)


WIDE = """Sales by month

item,region,2026-04,May 2026,Jun-26,Q2 2026,2026,Total,Note
a,N,1,2.5,,3.5,3.5,3.5,hi
b,S,"1,000.5",x,,1,1,1,
Total,,"1,001.5",2.5,,4.5,4.5,4.5,
,,,,,,,,
c,S,1
"""


def test_wide_table(tmp_path):
    path = tmp_path / "w.csv"
    path.write_text(WIDE)
    ask = {"values": "sales", "by": ["item", "region"], "on_refused": "skip"}
    book = lc.read(path, periods_in_columns="month", **ask)
    # 3 rows of 3 months and 3 totals, one blank line, one torn
    assert outcome(book) == (1004, (20, 3, 2, 14, 1)) and book.exact == {"sales": True}
    assert (str(book.first_day), str(book.last_day)) == ("2026-04-01", "2026-05-31")  # June is not recorded
    assert [(r.line, r.column) for r in book.intake.refused_rows] == [(5, "May 2026"), (8, "")]
    said = " / ".join(book.intake.guesses)
    for words in (
        "3 columns taken for months",
        "column 'Q2 2026', '2026', 'Total'",
        "totals of other rows: 2 rows",
        "from line 3",
    ):
        assert words in said
    assert lc.compare(book, "month", "prior").total.change.tolist()[1] == 2.5 - 1001.5
    assert outcome(lc.read(path, periods_in_columns="quarter", **ask))[0] == 4.5
    assert outcome(lc.read(path, periods_in_columns="year", **ask))[0] == 4.5
    frame = pd.read_csv(path, skiprows=2, nrows=2)
    assert outcome(lc.read(frame, periods_in_columns="month", **ask))[:1] == (1004,)
    sheet = [["item", *(dt.datetime(2026, m, 1) for m in (1, 2))], ["a", 1.5, 2], ["b", None, 4]]
    made = workbook(tmp_path / "w.xlsx", {"x": sheet})
    assert outcome(lc.read(made, values="sales", periods_in_columns="month")) == (7.5, (4, 3, 0, 1, 0))


def test_wide_tables_with_columns_called_as_ours(tmp_path):
    frame = pd.DataFrame({"place": ["x", "y", "Total"], "v": list("qrs"), "day": list("mno"), "p": list("abc")})
    frame["2026-01"], frame["2026-02"], frame["total"] = [1.0, 2.0, 3.0], [10.0, None, 10.0], [11.0, 2.0, 13.0]
    frame.to_parquet(tmp_path / "wide.parquet")
    for source in (frame, tmp_path / "wide.parquet"):
        book = lc.read(source, by=["place", "v", "day", "p"], periods_in_columns="month")
        assert book.items("place") == ["x", "y"] and book.items("day") == ["m", "n"]
        assert lc.compare(book, each="month").columns["value"].tolist() == [3, 10]


@pytest.mark.parametrize(
    ("text", "options", "said"),
    [
        (WIDE, {"periods_in_columns": "week"}, "no column of .* names a week"),
        (WIDE, {"date": "item"}, "leave `date` out"),
        (WIDE, {"values": ["a", "b"]}, "the cells one measure"),
        ("item,2026-01,Jan 2026\na,1,2\n", {}, "'2026-01' and 'Jan 2026' name the same month"),
        ('item,2026-01,x\na,1,2\nb,1,2\na,"1,2\nb,1,2\nc",1,2\n', {}, "swallow"),
    ],
)
def test_wide_tables_refused(tmp_path, text, options, said):
    (tmp_path / "w.csv").write_text(text)
    with pytest.raises(lc.LogochronError, match=said):
        lc.read(tmp_path / "w.csv", **({"values": "sales", "periods_in_columns": "month"} | options))


def test_labels_of_periods():
    from logochron.core.calendars.written_names import read_label

    for grain, year, number, texts in (
        ("month", 2026, 5, "2026-05|2026/5|05/2026|202605|May 2026|May-26|mai 2026|2026 May|MAYO 2026|2026-05-01"),
        ("quarter", 2026, 2, "Q2 2026|2026-Q2|2026Q2|2Q26|Q2-26|FY2026-Q2|Q2 FY 2026"),
        ("half", 2025, 1, "H1 2025|2025-H1"),
        ("week", 2026, 18, "2026-W18|W18 2026|week 18 2026|KW 18 2026"),
        ("year", 2026, 0, "2026|FY2026|FY 2026"),
    ):
        assert {tuple(read_label(text) or ())[:3] for text in texts.split("|")} == {(grain, year, number)}, grain
    assert not any(map(read_label, ["Notes", "13/2026", "Q5 2026", "18", "2026-13", "Marble 2026", ""]))
