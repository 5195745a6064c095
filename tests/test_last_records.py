"""Records of whole months whose last one is not over; plans from anywhere; names of periods in every option."""

from __future__ import annotations

import csv
import io
import json

import pandas as pd
import pytest
from exports import MONTHS, NORTH, SOUTH

import logochron as lc

SALES = pd.DataFrame(
    [(month, area, sold[i]) for i, month in enumerate(MONTHS) for area, sold in (("N", NORTH), ("S", SOUTH))],
    columns=["month", "area", "sold"],
)
#: Of the 28 days of February 2025 so many are over on the report date.
OVER, ALL = 17, 28


def last_rows(book: lc.Daybook, **options):
    options = {"each": "month", "last": 1} | options
    return lc.compare(book, **options).total.iloc[-1]


@pytest.mark.parametrize("read_so", [{"until": "2026-02-17"}, {}])
def test_to_date_without_a_base(read_so):
    book = lc.read(SALES, date="month", values="sold", by="area", **read_so).until("2026-02-17")
    assert book.standing.records_of == "month" and str(book.report_day) == "2026-02-17"
    row = last_rows(book)
    assert (row.value, row.status) == (NORTH[13] + SOUTH[13], "to-date") and pd.isna(row.base) and pd.isna(row.change)
    assert row.note == "no base: records of months cannot be cut" and row.direction == "unknown"
    assert last_rows(book, running="year").note == row.note and pd.isna(last_rows(book, against="mean:3").base)
    whole = last_rows(book, partial="as-is")
    assert whole.base == NORTH[1] + SOUTH[1]  # nobody cuts it then
    assert last_rows(book, partial="drop").period == "2026-01"
    by_item = lc.compare(book, each="month", by="area", last=1).table.set_index("area").value
    assert by_item.to_dict() == {"N": NORTH[13], "S": SOUTH[13]}
    assert "2026-02-17" in " ".join(lc.compare(book, each="month").notes)
    if not read_so:  # once the month is over it is whole again
        assert last_rows(book.until("2026-02-28")).base == NORTH[1] + SOUTH[1]
    with pytest.raises(lc.QuestionError, match="lies within a month"):
        book.until("2026-01-17")


@pytest.mark.parametrize("read_so", [{"until": "2026-02-17"}, {}])
def test_laid_evenly_both_sides_are_cut_alike(read_so):
    options = {"date": "month", "values": "sold", "by": "area", "spread": "even"}
    book = lc.read(SALES, **options, **read_so).until("2026-02-17")
    row = last_rows(book)
    assert row.value == NORTH[13] + SOUTH[13]  # all of it on the days that are over
    base = sum(sold * OVER // ALL for sold in (NORTH[1], SOUTH[1]))
    assert base <= row.base <= base + 2 and row.status == "to-date"
    assert last_rows(book, running="year").value == sum(NORTH[12:]) + sum(SOUTH[12:])
    if not read_so:
        again = book.until("2026-02-10").until("2026-02-28")
        assert last_rows(again).value == row.value and last_rows(again).base == NORTH[1] + SOUTH[1]
    daily = lc.compare(book, each="day", at="2026-02-01..2026-02-17").total.value
    assert daily.sum() == row.value and daily.max() - daily.min() <= 2


def test_where_it_will_end():
    book = lc.read(SALES, date="month", values="sold").until("2026-02-17")
    landing = lc.land(book, profile="even").total.iloc[0]
    assert landing.to_date == NORTH[13] + SOUTH[13]
    assert landing.estimate == pytest.approx(landing.to_date / (OVER / ALL), rel=0.01)
    assert any("spread evenly over its days" in note for note in lc.land(book).notes)


def test_a_last_period_that_has_little():
    short = SALES.assign(sold=SALES.sold.where(SALES.month != MONTHS[-1], SALES.sold // 3))
    book = lc.read(short, date="month", values="sold")
    assert any(note.startswith("2026-02 has 4") and "--until DAY" in note for note in lc.compare(book, "month").notes)
    assert not any("is not over" in note for note in lc.compare(book.until("2026-02-28"), "month").notes)
    found = lc.review(book).table
    assert found[found.finding == "short last period"].example.tolist()[0].startswith("2026-02: ")


@pytest.mark.parametrize(
    ("at", "each", "period"),
    [
        *(("Jan 2026", "month", "2026-01"), ("202601", "month", "2026-01"), ("P01 FY26", "month", "2026-01")),
        *(("24Q1", "quarter", "2024-Q1"), ("1. Quartal 2024", "quarter", "2024-Q1"), ("KW 5/25", "week", "2025-W05")),
        *(
            ("202405", "week", "2024-W05"),
            ("FY25", "year", "2025"),
            ("H1 24", "half", "2024-H1"),
            ("1/24", "month", "2024-01"),
        ),
    ],
)
def test_names_of_periods_in_options(demo_book, at, each, period):
    assert lc.compare(demo_book, each=each, at=at).periods == (period,)
    assert set(lc.compare(demo_book, each=each, against=f"fixed:{at}", last=1).total.base_period) == {period}


def test_names_of_periods_for_days(demo_book):
    assert [str(demo_book.until(to).report_day) for to in ("Jan 2026", "KW 5/2026")] == ["2026-01-31", "2026-02-01"]
    whole, fewer = (lc.pace(demo_book, exclude=years).standing.period.tolist() for years in ((), "FY25"))
    assert set(whole) - set(fewer) == {"2025"}
    shares = {"date": [f"{name} 2026" for name in ("Jan", "Feb", "Mrz")], "share": [20, 30, 50]}
    landed = lc.land(demo_book.until("2026-02-28"), within="quarter", profile=shares).total
    assert landed.expected_share.tolist() == [pytest.approx(0.5)] * len(landed)


@pytest.mark.parametrize(
    ("plan", "words", "planned"),
    [
        ("Monat;Budget\nJan 2026;1.000,5\nFeb 2026;900\n", (), 900),
        ("when,x,y\n2026-01-31,9,1\n2026-02-28,8,2\n2026-03-31,8,2\n", ("--plan-value", "y"), 2),
        (
            'quarter,target\nQ1 2025,"9,000"\n',
            ("--plan-thousands", ",", "--each", "quarter", "--at", "24Q4..25Q1"),
            9000,
        ),
        ("Item,Jan 2026,Feb 2026\nall,7,8\n", (), 8),
        ("day,target\n" + "".join(f"2026-02-{day:02d},{day}\n" for day in range(1, 29)), (), sum(range(1, 29))),
        ("", ("--plan", "1,234.5"), 1234.5),
    ],
)
def test_a_plan_from_anywhere(tmp_path, cli, plan, words, planned):
    SALES.to_csv(tmp_path / "s.csv", index=False)
    (tmp_path / "p.csv").write_text(plan)
    named = ("--plan", tmp_path / "p.csv") if plan else ()
    ran = cli("compare", tmp_path / "s.csv", *named, *words, "--as", "json", "--until", "2026-02-28")
    assert ran.returncode == 0, ran.stderr
    assert json.loads(ran.stdout)[-1]["base"] == planned


def test_a_plan_beside_the_actuals(tmp_path, cli):
    frame = SALES.assign(target=SALES.sold + 5)
    frame.to_csv(tmp_path / "s.csv", index=False)
    ask = ("compare", tmp_path / "s.csv", "--value", "sold", "--by", "area", "--last", 1, "--as", "csv")
    ran = cli(*ask, "--plan", tmp_path / "s.csv")
    assert ran.returncode == 0 and "planned amounts from column 'target'" in ran.stderr
    rows = list(csv.DictReader(io.StringIO(ran.stdout)))
    assert {row["area"]: float(row["base"]) for row in rows if row["area"]} == {"N": NORTH[13] + 5, "S": SOUTH[13] + 5}
    (tmp_path / "r.toml").write_text(
        '[sales]\nfile = "s.csv"\nvalues = "sold"\n[plan]\nnumber = 100\n[[section]]\nheading = "x"\n'
        'question = "compare"\neach = "month"\nagainst = "plan"\nlast = 1\n'
    )
    assert cli("report", tmp_path / "r.toml").returncode == 0
    (written,) = (tmp_path / "r").glob("01-*.csv")
    assert ",100.0," in written.read_text()
