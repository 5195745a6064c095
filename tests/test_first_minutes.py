"""The first five minutes: files of any shape, asked without a guide."""

from __future__ import annotations

import json
import subprocess
import sys

import numpy as np
import pandas as pd
import pytest

import logochron as lc


@pytest.mark.parametrize(
    ("text", "grain", "values"),
    [
        ("2020,2021\n100,110\n50,60\n", "year", [150, 170]),
        ("harbor,2025-Q4,Q1 2026\na,1,2\nb,3,\nTotal,4,2\n", "quarter", [4, 2]),
        ("harbor;Jan 2026;Feb 2026\na;1,5;2,5\n", "month", [1.5, 2.5]),
        ("2026-W01,2026-W02\n3,4\n", "week", [3, 4]),
        ("harbor,2026-01,2026-02,2026-03\na,1,2,\nb,3,4,\n", "month", [4, 6]),  # nothing yet in March
    ],
)
def test_a_wide_table_needs_no_word(cli, tmp_path, text, grain, values):
    path = tmp_path / "wide.csv"
    path.write_text(text)
    ran = cli("compare", path, "--as", "json")
    assert ran.returncode == 0 and f"a wide table, one column a {grain}" in ran.stderr
    assert [row["value"] for row in json.loads(ran.stdout)] == values
    book = lc.read(path, values="sales")
    assert [m.name for m in book.measures] == ["sales"] and lc.compare(book, grain).total.value.tolist() == values
    assert cli("review", path).returncode == 0


@pytest.mark.parametrize(
    "text",
    [
        "item,2026-01,note\na,1,x\n",  # one period makes no table of periods
        "day,2026-01,2026-02\n2026-03-01,1,2\n",  # there are dates
        "item,2026-01,2026-02\na,x,y\n",  # no amounts
        "item,2026-01,Q1 2026\na,1,2\n",  # of two grains
    ],
)
def test_what_is_no_wide_table_is_asked(cli, tmp_path, text):
    path = tmp_path / "asked.csv"
    path.write_text(text)
    ran = cli("compare", path)
    assert ran.returncode == 2 and "a wide table" not in ran.stderr


def test_the_grain_follows_the_records(cli, rows_file):
    path = rows_file([(f"20{y}", "a", y) for y in range(20, 27)])
    ran = cli("compare", path, "--records-of", "year", "--value", "amount", "--date", "day")
    assert ran.stdout.startswith("Amount by year") and "+4.0 %" in ran.stdout  # 26 after 25
    months = cli("compare", path, "--records-of", "year", "--spread", "even", "--value", "amount", "--date", "day")
    assert months.stdout.startswith("Amount by month")
    young = rows_file([(d.date(), "a", 1) for d in pd.date_range("2026-01-01", "2026-05-31")])
    told = "against='prior' (--against prior) holds each against the month before"
    assert told in cli("compare", young).stdout
    assert told not in cli("compare", young, "--against", "prior").stdout


def test_the_terminal_shows_the_latest(cli, tmp_path):
    sales, _ = lc.demo.write(tmp_path)
    for more, periods in (((), 13), (("--last", "15"), 15), (("--at", "2026-01..2026-04"), 4)):
        ran = cli("compare", sales, "--value", "revenue", *more)
        assert len([line for line in ran.stdout.splitlines() if line.startswith("20")]) == periods
        said = "53 earlier months: --last 66 shows all, and --out FILE.csv has them"
        assert (said in ran.stdout) is not bool(more)
    assert len(cli("compare", sales, "--value", "revenue", "--as", "csv").stdout.splitlines()) == 67
    assert cli("compare", sales, "--value", "revenue", "--out", tmp_path / "all.csv").returncode == 0
    assert len((tmp_path / "all.csv").read_text().splitlines()) == 67


def test_forms_that_read_one_way_are_read_together(rows_file):
    dates = ["2026-01-15", "3 Feb 2026", "2026/03/04", '"Jul 7, 2026"', "20260810", "2026-01-16"]
    path = rows_file([(date, "a", 1) for date in dates])
    book = lc.read(path, date="day", values="amount")
    starts = lc.compare(book, "day", "prior").table.query("value == 1").start.dt.strftime("%m-%d").tolist()
    assert starts == ["01-15", "01-16", "02-03", "03-04", "07-07", "08-10"]
    (told,) = book.intake.guesses
    assert "dates in 5 forms" in told and "2 such as 2026-01-15, " in told and "1 such as Jul 7, 2026" in told
    # what reads two ways is refused, settled by another row, or by the user
    doubtful = [*dates, "03/04/2026"]
    with pytest.raises(lc.IntakeError, match="(?s)1 of 7 rows.*'03/04/2026'.*day_first="):
        lc.read(rows_file([(date, "a", 1) for date in doubtful]), date="day", values="amount")
    for more, ask, month in (([], {"day_first": True}, 4), ([], {"day_first": False}, 3), (["13/05/2026"], {}, 4)):
        book = lc.read(rows_file([(date, "a", 1) for date in doubtful + more]), date="day", values="amount", **ask)
        rows = lc.compare(book, "month", "prior").table.set_index("period").value
        assert rows[f"2026-0{month}"] == (2 if month == 3 else 1)
        told = book.intake.guesses[-1]  # where the year stands is a form of its own
        assert "dates in 6 forms" in told and f"{1 + len(more)} such as 03/04/2026" in told
    with pytest.raises(lc.IntakeError, match="reads both ways"):
        rows = [("03/04/2026", "a", 1), ("05/06/2026", "a", 1), ("2026-01-15", "a", 1)]
        lc.read(rows_file(rows), date="day", values="amount")


def test_two_clusters_are_no_typing_errors(rows_file):
    days = [f"{year}-05-0{n}" for year in (2025, 2026) for n in (1, 2, 3)]
    book = lc.read(rows_file([(day, "a", 1) for day in days]), date="day", values="amount")
    assert lc.compare(book, "month", at="2026-05").table.base_days.tolist() == [3]


def test_python_says_what_it_guessed(caplog, capfd):
    frame = pd.DataFrame({"day": pd.date_range("2026-01-01", periods=40), "amount": np.arange(40) + 0.5})
    lc.read(frame, date="day", values="amount")
    assert not caplog.messages
    lc.read(frame)
    said = "the data frame: dates from column 'day' (date=, --date), amounts from column 'amount' (values=, --value)"
    assert caplog.messages == [said]
    # without any logging set up it stands on standard error
    script = "import pandas as pd, logochron as lc; lc.read(pd.DataFrame({2024: [1.0], 2025: [2.0]}))"
    ran = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, timeout=120)
    assert "the data frame: a wide table, one column a year" in ran.stderr and not ran.stdout


@pytest.mark.parametrize(
    ("amounts", "total", "scale"),
    [
        (["1e16", "1", "-1e16", "0.1", "0.2", "-0.3"], 1.0, 1),
        (["1e-3", "5e2", "1.50e1"], 515.001, 3),
        (["1.23456", "2"], 3.23456, 5),
        (["0.1234567", "1"], 1.1234567, None),
        (["1e32", "0.1"], 1e32, None),
    ],
)
def test_the_scale_is_the_least_that_is_needed(rows_file, amounts, total, scale):
    path = rows_file([(f"2026-01-{n:02d}", "a", amount) for n, amount in enumerate(amounts, 1)])
    frame = pd.read_csv(path, dtype={"amount": float})
    for source in (path, frame):
        book = lc.read(source, date="day", values="amount")
        assert book.totals("year").value.tolist() == [total] and book.exact == {"amount": scale is not None}
        assert book.amounts["amount"].scale == scale


def test_a_sum_that_is_no_number_is_refused(cli, rows_file):
    path = rows_file([(f"2026-01-0{n}", "a", "1e308") for n in (1, 2, 3)])
    with pytest.raises(lc.IntakeError, match="column 'amount': its amounts are so large"):
        lc.read(pd.read_csv(path), date="day", values="amount")
    ran = cli("compare", path)
    assert ran.returncode == 3 and "column 'amount'" in ran.stderr and "Warning" not in ran.stderr
