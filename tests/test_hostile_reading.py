"""Records that would mislead, get lost or take the machine with them: read right, or refused with a reason."""

from __future__ import annotations

import contextlib
import inspect
import json
import os
import random
import subprocess
import sys
import threading
from pathlib import Path

import duckdb
import numpy as np
import openpyxl
import pandas as pd
import polars as pl
import pyarrow as pa
import pyarrow.parquet as pq
import pytest

import logochron as lc

H, GOOD = "d,h,v\n", "2026-01-01,a,1.5\n2026-01-02,b,2\n"


def written(folder: Path, data: str, name: str = "f.csv") -> Path:
    path = folder / name
    path.write_text(data, encoding="utf-8")
    return path


def read(folder: Path, data: str, name: str = "f.csv", **options) -> lc.Daybook:
    return lc.read(written(folder, data, name), **({"date": "d", "values": "v", "on_refused": "skip"} | options))


def account(book: lc.Daybook) -> tuple[int, ...]:
    intake = book.intake
    assert intake.read == intake.counted + intake.refused + intake.set_aside + intake.blank
    return intake.counted, intake.refused, intake.set_aside, intake.blank


@pytest.mark.parametrize("amount", ["EUR 1.234", "SEK 9,849", "1.234 kr.", "kr. 1.234", "CHF 1.234", "€ 1.234"])
def test_amounts_read_two_ways_whatever_code_stands_beside(tmp_path, amount):
    with pytest.raises(lc.IntakeError, match="read two ways"):
        read(tmp_path, f'd,h,v\n2026-01-01,a,"{amount}"\n')
    in_thousands = {"decimal": ",", "thousands": "."} if "1.234" in amount else {"decimal": ".", "thousands": ","}
    book = read(tmp_path, f'd,h,v\n2026-01-01,a,"{amount}"\n', **in_thousands)
    assert book.totals("month").value[0] in (1234, 9849)


def test_one_currency_over_all_files(tmp_path):
    for n, amount in enumerate(["€5", "3", "4 EUR", "1 kr", "2 kr."]):
        written(tmp_path, f"d,h,v\n2026-01-0{n + 1},a,{amount}\n", f"{n}.csv")
    some = [tmp_path / f"{n}.csv" for n in range(3)]
    assert lc.read(some, date="d", values="v").totals("month").value.tolist() == [12]
    assert lc.read([tmp_path / "3.csv", tmp_path / "4.csv"], date="d", values="v").totals("month").value.tolist() == [3]
    with pytest.raises(
        lc.IntakeError, match=r"several currencies: '€5' \(.*0.csv, line 2\) and '1 kr' \(.*3.csv, line 2"
    ):
        lc.read(str(tmp_path / "*.csv"), date="d", values="v")


def test_typing_errors_at_both_ends():
    days = ["2023-01-01", *pd.date_range("2024-01-01", periods=500).strftime("%Y-%m-%d"), "2062-03-01"]
    frame = pd.DataFrame({"d": days, "v": 1})
    book = lc.read(frame, date="d", values="v")
    proposed = (
        r"2023-01-01, 365 days .* and 2062-03-01, 13,440 days .*covering=\('2024-01-01', None\), until='2025-05-14' "
        r"\(--covering 2024-01-01.. --until 2025-05-14\)"
    )
    with pytest.raises(lc.QuestionError, match=proposed):
        lc.compare(book, "year")
    for half in (book.until("2025-05-14"), lc.read(frame, date="d", values="v", until="2025-05-14")):
        with pytest.raises(lc.QuestionError, match="2023-01-01, 365 days"):
            lc.compare(half, "year")
    for settled in (
        book.covering("2024-01-01").until("2025-05-14"),
        book.until("2025-05-14").covering("2024-01-01"),
        lc.read(frame, date="d", values="v", until="2025-05-14", covering=("2024-01-01", None)),
    ):
        assert lc.compare(settled, "year").table.value.tolist() == [366, 134]
    findings = lc.review(frame, date="d", values="v").table
    assert findings[findings.finding == "far-off days"]["first"].dt.year.tolist() == [2023, 2062]


@pytest.mark.parametrize("nothing", [[], (), lc.Not(), [lc.Not()], None, {}])
def test_a_filter_that_names_nothing(tmp_path, nothing):
    with pytest.raises(lc.QuestionError, match="'h' names no item to take"):
        read(tmp_path, H + GOOD, where={"h": nothing})
    with pytest.raises(lc.QuestionError, match="names no item"):
        read(tmp_path, H + GOOD, by="h").where({"h": nothing})
    with pytest.raises(lc.QuestionError, match="names no item"):
        lc.Measure("m", column="v", where={"h": nothing})


def test_the_zone_of_instants(tmp_path):
    """23:30 in London is half past eight the next morning in Tokyo."""
    times = pd.to_datetime(["2026-01-31 23:30"]).tz_localize("UTC")
    frame = pd.DataFrame({"d": times.tz_convert("Asia/Tokyo"), "v": [1]})
    frame.to_parquet(tmp_path / "pandas.parquet")
    pl.from_pandas(frame).write_parquet(tmp_path / "polars.parquet")
    table = pa.table({"x": [{"y": 1}], "d": pa.array(times.to_pydatetime(), pa.timestamp("us", "+09:00")), "v": [1]})
    pq.write_table(table, tmp_path / "offset.parquet")
    pq.write_table(table, tmp_path / "bare.parquet", store_schema=False)
    relation = duckdb.sql("SELECT d::TIMESTAMPTZ AS d, v FROM frame")
    for source, day, said in (
        *(
            (tmp_path / f"{name}.parquet", "2026-02-01", "days in Asia/Tokyo, as the file")
            for name in ("pandas", "polars")
        ),
        (tmp_path / "offset.parquet", "2026-02-01", "days in +09:00, as the file"),
        (tmp_path / "bare.parquet", "2026-01-31", "taken in UTC (tz=, --tz)"),
        (relation, "2026-01-31", "taken in UTC (tz=, --tz)"),
    ):
        book = lc.read(source, date="d", values="v")
        assert str(book.first_day) == day and said in " ".join(book.intake.guesses)
        assert lc.read(source, date="d", values="v", tz="Asia/Tokyo").intake.guesses == ()
    assert "DuckDB relations" in (inspect.getdoc(lc.read) or "")


@pytest.mark.parametrize("until", ["2025-03-31", "2025-03-10", "2025-04-20", "2025-06-01"])
def test_one_coverage_for_both_untils(until):
    frame = pd.DataFrame({"d": ["2025-02-20", "2025-04-01"], "v": 1})

    def told(make) -> object:
        try:
            answer = lc.compare(make(), "month", "prior")
        except lc.QuestionError as error:
            return str(error)
        return answer.table.note.tolist(), answer.book.report_day, answer.table.value.tolist()

    first = told(lambda: lc.read(frame, date="d", values="v", until=until))
    assert first == told(lambda: lc.read(frame, date="d", values="v").until(until))
    assert isinstance(first, str) == (until == "2025-06-01")
    assert ("taken as complete" in str(first)) == (until == "2025-04-20")


def test_days_of_a_listed_year_count_from_its_first_day_on():
    """A day that belongs nowhere has its place in the count: day 150 stands against day 150, of which 149 are held."""
    starts = [f"{year}-{month:02d}-01" for year in (2024, 2025) for month in range(1, 13)]
    ends = [str((pd.Timestamp(start) + pd.offsets.MonthEnd(0)).date()) for start in starts]
    ends[1] = "2024-02-28"  # 29 February is in no period
    calendar = lc.ListedCalendar(
        {"start": starts, "end": ends, "label": [start[:7] for start in starts], "year": [s[:4] for s in starts]},
        gaps="allowed",
    )
    frame = pd.DataFrame({"d": pd.date_range("2024-01-01", "2025-05-30"), "v": 1})
    book = lc.read(frame, date="d", values="v", calendar=calendar)
    for each, running in (("day", "year"), ("year", None)):
        row = lc.compare(book, each, running=running, calendar=calendar, last=1).table.iloc[0]
        assert (row.days, row.base_days, str(row.base_end.date())) == (150, 149, "2024-05-29")
        assert (row.value, row.base) == (150, 149)
    month = lc.compare(book, "month", running="year", calendar=calendar, last=1).table.iloc[0]
    assert (month.days, month.base_days, str(month.base_end.date())) == (150, 150, "2024-05-30")


@pytest.mark.parametrize(
    ("more", "place"),
    [(' [{"d":"2026-01-03","v":4}]', "line 2, column 27"), ("\n\n rubbish", "line 4, column 2"),
     ("]", "line 2, column 26"), ("\n[]", "line 3, column 1")],
)  # fmt: skip
@pytest.mark.parametrize("escape", ["", r"\ud800"])
def test_more_after_an_array(tmp_path, more, place, escape):
    array = f'[{{"d":"2026-01-01","v":1,"h":"{escape}"}},\n{{"d":"2026-01-02","v":2}}]'
    with pytest.raises(lc.IntakeError, match=f"{place}: .* - more after the array's end"):
        read(tmp_path, array + more, "f.json")
    assert sum(account(read(tmp_path, array + " \n\n", "f.json"))) == 2


SWALLOWS = [
    (H + '2026-01-01,"x,1\n2026-01-02,"a,b",2\n2026-01-03,c",3\n' + GOOD, {}, (3, 1, 0, 0), "line 3"),
    ((H + '2026-01-01,"x,1\n2026-01-02,b,2\n2026-01-03,c",3\n' + GOOD).replace(",", "→"), {"delimiter": "→"},
     (2, 1, 0, 0), "line 3: '2026-01-02→b→2'"),
    (H + GOOD + '2026-01-03,"note\nhello\n3 Jan 2026,c",4\n', {}, (2, 1, 0, 0), "line 6"),
    (H + GOOD + '2026-01-03,"note\nhello, you\nend, now, then",4\n', {}, (3, 0, 0, 0), ""),
    (H + GOOD + '2026-01-03,5" pipe,4\n\n\n', {}, (3, 0, 0, 2), ""),
    (H + GOOD + '2026-01-03,5" pipe,4\n\n\n' + GOOD + '2026-01-03,6" pipe,4\n\n', {}, (6, 0, 0, 3), ""),
    (H + "1 Feb 26,a,1\n2 Feb 26,\"b,2\n3 Feb 26,c,3\nx\",2\n", {"date_format": "%d %b %y"}, (1, 1, 0, 0), "line 4"),
]  # fmt: skip


@pytest.mark.parametrize(("data", "options", "counts", "said"), SWALLOWS)
def test_swallowed_lines_and_blank_ones(tmp_path, data, options, counts, said):
    book = read(tmp_path, data, **options)
    assert account(book) == counts
    assert said in " ".join(refusal.reason for refusal in book.intake.refused_rows)


def test_a_wide_table_with_a_swallowed_line(tmp_path):
    with pytest.raises(lc.IntakeError, match=r"line 2: .*swallow line 3: 'b,3,4'"):
        read(tmp_path, 'h,2026-01,2026-02\n"a,1,2\nb,3,4\nc",5,6\n', date=None, periods_in_columns="month")


def test_runs_of_blank_lines_lose_no_row(tmp_path):
    """The engine loses rows where many blank lines follow each other: then it reads the file in one piece."""
    row = "2026-01-01,abcdefgh,1\n"
    data = H + row * 400_000 + "\n" * 3_000_000 + row * 50_000
    assert account(read(tmp_path, data)) == (450_000, 0, 0, 3_000_000)


@pytest.mark.parametrize(
    ("data", "most"),
    [(H + "\n" * 20_000_000 + GOOD, 700), (H + GOOD + '2026-01-03,"' + "z\n" * 8_500_000 + '",4\n' + GOOD, 700)],
)
def test_memory_stays_bounded(tmp_path, data, most):
    """20 MB of blank lines, a quoted field of millions of lines: a few hundred MB, the libraries' own among them."""
    code = (
        "import re, sys, logochron as lc\n"
        "try: lc.read(sys.argv[1], date='d', values='v')\n"
        "except lc.LogochronError as error: assert 'line 4' in str(error)\n"
        "print(int(re.search(r'VmHWM:\\s+(\\d+)', open('/proc/self/status').read())[1]) // 1024)"
    )
    ran = subprocess.run([sys.executable, "-c", code, written(tmp_path, data)], capture_output=True, text=True)
    assert ran.returncode == 0, ran.stderr
    assert int(ran.stdout) < most


@pytest.mark.parametrize("cell", ["XFD1048576", "KTR6", "KTR1"])
def test_a_cell_far_off(tmp_path, cell):
    """The quick reader would lay out sixteen thousand million cells."""
    book = openpyxl.Workbook()
    sheet = book.active
    sheet.append(["d", "h", "v"])
    for day in range(1, 29):
        sheet.append([f"2026-01-{day:02d}", "a", day])
    if cell != "XFD1048576":
        sheet["A300000"] = "x"
    sheet["C2"] = "=1"  # written without a value
    sheet[cell] = "far"
    book.save(tmp_path / "far.xlsx")
    read_book = lc.read(tmp_path / "far.xlsx", date="d", values="v", on_refused="skip")
    assert read_book.intake.counted == 27 and read_book.totals("month").value[0] == 405
    assert read_book.intake.refused == 1 + (cell != "XFD1048576")
    assert "a formula whose value is not kept" in read_book.intake.refused_rows[0].reason
    assert "the first 1,024 columns are read" in " ".join(read_book.intake.guesses)


@pytest.mark.slow
def test_review_of_very_many_columns():
    columns = {f"m{i}": np.full(60, 1.25 + i) for i in range(1200)}
    frame = pd.DataFrame({"day": pd.date_range("2025-01-01", periods=60), **columns})
    frame.loc[5, ["m3", "m1100"]] = [-2.0, 0.123]
    told = lc.review(frame).table
    assert told[told.finding == "negative amounts"][["column", "example"]].values.tolist() == [["m3", "row 6: -2.0"]]
    assert "m1100" in told[told.finding == "decimals"].column.tolist()


def changes() -> list[tuple[str, object]]:
    def shrink(path: Path) -> None:
        os.truncate(path, 5_000)

    def grow(path: Path) -> None:
        with path.open("a") as file:
            file.write("2026-01-01,a,1\n")

    return [("shrinks", shrink), ("grows", grow), ("goes", Path.unlink)]


@pytest.mark.parametrize(("name", "change"), changes())
@pytest.mark.parametrize("kind", ["csv", "json"])
def test_a_file_that_changes_while_it_is_read(tmp_path, monkeypatch, kind, name, change):
    rows = [{"d": f"2026-01-{1 + n % 28:02d}", "h": "a", "v": n} for n in range(60_000)]
    data = json.dumps(rows) if kind == "json" else H + "".join(f"{r['d']},a,{r['v']}\n" for r in rows)
    path = written(tmp_path, data, f"f.{kind}")
    from logochron.sources.files import json_files, text_scan

    module, made = (json_files, "RowTable") if kind == "json" else (text_scan, "count_records")
    whole = getattr(module, made)

    def while_read(*given, **named):
        with contextlib.suppress(FileNotFoundError):
            change(path)
        return whole(*given, **named)

    monkeypatch.setattr(module, made, while_read)
    with pytest.raises(lc.IntakeError, match="changed while it was read"):
        lc.read(path, date="d", values="v")


def test_whole_numbers_of_any_size_and_far_days():
    wide = pl.DataFrame({"d": ["2026-01-01", "2026-01-02"], "v": pl.Series([10, 5], dtype=pl.Int128)})
    assert lc.read(wide, date="d", values="v").totals("month").value.tolist() == [15]
    far = duckdb.sql("SELECT DATE '12000-01-01' AS d, 5 AS v UNION ALL SELECT DATE '2026-01-01', 3")
    book = lc.read(far, date="d", values="v", on_refused="skip")
    assert account(book) == (1, 1, 0, 0)
    assert book.intake.refusals.reason.tolist() == ["not a date from year 1 to 9999"]


def test_pipes_and_standard_input(tmp_path, cli):
    sales = written(tmp_path, H + GOOD)
    with sales.open() as given:
        ran = subprocess.run([sys.executable, "-m", "logochron", "compare", "-", "--as", "json"], stdin=given,
                             capture_output=True, text=True)  # fmt: skip
    assert json.loads(ran.stdout)[0]["value"] == 3.5 and "standard input: dates from column 'd'" in ran.stderr
    pipe = tmp_path / "pipe.csv"
    os.mkfifo(pipe)
    feeder = threading.Thread(target=pipe.write_text, args=(H + GOOD,))
    feeder.start()
    assert lc.read(pipe, date="d", values="v").totals("month").value.tolist() == [3.5]
    feeder.join()
    for ending in (".parquet", ".xlsx", ".json", ".csv.gz"):
        os.mkfifo(tmp_path / f"other{ending}")
        ran = cli("compare", tmp_path / f"other{ending}")
        assert ran.returncode == 2 and "only text such as .csv" in ran.stderr


@pytest.mark.slow
def test_nasty_bytes(tmp_path):
    """Bytes at random of the kind that break readers: an answer whose account adds up, or an IntakeError."""
    drawn = random.Random(13)
    pieces = [
        '"',
        ",",
        "\n",
        "\r\n",
        "\r",
        " ",
        "2026-01-01",
        "1.5",
        "a",
        '""',
        "é",
        "\0",
        "x,1\n2026-01-02,b",
        ";",
        "\t",
    ]
    for _ in range(80):
        body = "".join(drawn.choices(pieces, k=drawn.randrange(60)))
        try:
            account(read(tmp_path, H + GOOD + body))
        except lc.IntakeError as error:
            assert "f.csv" in str(error) or "column" in str(error)
