"""Receipts and lists of periods: in Python, on the command line, in every form."""

from __future__ import annotations

import csv
import io
import json
import re

import duckdb
import numpy as np
import pandas as pd
import pytest

import logochron as lc


def test_receipt_is_what_was_summed(demo_book, tmp_path):
    sales, _ = lc.demo.write(tmp_path)
    asked = [("month", "year-ago", None), ("week", "mean:3", None), ("month", "prior", "year"), ("quarter", "prior", 2)]
    for each, against, running in asked:
        result = lc.compare(demo_book, each, against, running=running, by=["harbor", "line"])
        receipt = lc.explain(result, measure="cost", harbor="Cold Pier", line="gear")
        row = result.table.query("measure == 'cost' and harbor == 'Cold Pier' and line == 'gear'").iloc[-1]
        spans = receipt.table
        assert spans.columns.tolist() == ["side", "start", "end", "days", "weekend_days", "records", "sum"]
        value, base = (spans[spans.side == side] for side in ("value", "base"))
        assert (value["sum"].sum(), base["sum"].mean()) == pytest.approx((row.value, row.base), abs=1e-9)
        assert (value.days.sum(), base.days.sum()) == (row.days, row.base_days)
        for span in spans.itertuples():
            found = duckdb.sql(
                f"SELECT count(*), sum(cost) FROM '{sales}' WHERE harbor = 'Cold Pier' AND line = 'gear' "
                f"AND sold_on BETWEEN '{span.start:%Y-%m-%d}' AND '{span.end:%Y-%m-%d}'"
            ).fetchall()[0]
            assert (span.records, span.sum) == pytest.approx(found, abs=1e-6)
            days = np.arange(span.start, span.end + np.timedelta64(1, "D"), dtype="datetime64[D]")
            assert span.weekend_days == (~np.is_busday(days)).sum()
        assert f"= {row.change:+,.2f}".replace("-", "−") in receipt.text


@pytest.mark.parametrize(
    ("asked", "at", "options", "said"),
    [
        ({"each": "month"}, None, {}, ["cut: the report date 2026-10-18 falls inside it: the base is cut at the same"]),
        ({"each": "month", "partial": "as-is"}, None, {}, ["partial='as-is' cuts nothing, so the base is whole"]),
        ({"each": "month"}, "2021-05", {}, ["the records start on 2021-05-17, within it"]),
        ({"each": "month", "at": "2027-01"}, None, {}, ["the records do not cover it", "note: not recorded"]),
        ({"each": "quarter"}, "2024-Q1", {}, ["29 February lies in the value only"]),
        ({"each": "month"}, "2026-03", {"holidays": "GB"}, ["the same public holidays of GB on both sides"]),
        ({"each": "month"}, "2025-04", {"holidays": "PT"}, ["in the value only: Good Friday (2025-04-18)"]),
        ({"each": "month", "per": "day"}, "2026-02", {}, ["/ 28 days = "]),
        ({"each": "month", "against": "mean:2"}, "2026-02", {}, [") / 2 = "]),
        ({"each": "month"}, "2026-05-07", {}, ["Revenue in May 2026 · against a year ago", "(more is better)"]),
        ({"each": "day"}, "2025-11-10", {}, ["weekdays: a Monday more, a Sunday less in the value than in the base"]),
        ({"each": "month"}, "2024-03", {"harbor": "Dunmarrow"}, ["growth: none, as the base is not above 0"]),
    ],
)  # fmt: skip
def test_what_a_receipt_says(demo_book, asked, at, options, said):
    by = "harbor" if "harbor" in options else ()
    receipt = lc.explain(lc.compare(demo_book, **asked, by=by, measures="revenue"), at, **options)
    assert all(part in receipt.text for part in said), receipt.text
    assert str(receipt) == repr(receipt) == receipt.text


@pytest.mark.parametrize(
    ("at", "options", "said"),
    [
        ("2019-01", {}, "`at` must name one period of the answer"),
        ("2025", {}, "`at` must name one period of the answer"),
        (None, {"harbour": "Alderquay"}, "Did you mean 'harbor'"),
        (None, {"harbor": "Aldequay"}, "Did you mean 'Alderquay'"),
        (None, {"measure": "revenu"}, "Did you mean 'revenue'"),
        (None, {"holidays": "XX"}, "must be a country such as PT"),
        (None, {"holidays": "DE-ZZ"}, "regions of DE: BB, BE"),
    ],
)
def test_receipts_that_cannot_be(demo_book, at, options, said):
    result = lc.compare(demo_book, "month", by="harbor")
    with pytest.raises(lc.QuestionError, match=said):
        lc.explain(result, at, **options)
    with pytest.raises(lc.QuestionError, match="must be an answer of compare"):
        lc.explain(demo_book)


def test_holidays_are_held_against_a_base_only(demo_book):
    first = lc.compare(demo_book, "month", measures="revenue", at="2021-12")
    assert lc.explain(first, holidays="PT").notes == ("no base: the records start on 2021-05-17",)


def test_without_the_package_of_holidays(demo_book, monkeypatch):
    monkeypatch.setitem(__import__("sys").modules, "holidays", None)
    with pytest.raises(lc.QuestionError, match=r"pip install 'logochron\[holidays\]'"):
        lc.explain(lc.compare(demo_book, "month"), holidays="PT")


@pytest.fixture(scope="module")
def sales(tmp_path_factory):
    return lc.demo.write(tmp_path_factory.mktemp("demo"))


COLUMNS = ["--date", "sold_on", "--value", "revenue"]


def test_explain_on_the_command_line(cli, sales, demo_book, tmp_path):
    ran = cli("explain", sales[0], *COLUMNS, "--at", "2026-05", "--where", "harbor=Alderquay", "--holidays", "PT")
    by = lc.compare(demo_book, "month", by="harbor", measures="revenue")
    told = lc.explain(by, "2026-05", harbor="Alderquay", holidays="PT")
    body = ran.stdout.splitlines()
    assert ran.returncode == 0 and body[0].startswith("Revenue in May 2026, harbor Alderquay · against a year ago")
    assert body[1:] == told.text.splitlines()[1:]
    rows = json.loads(
        cli("explain", sales[0], *COLUMNS, "--each", "week", "--against", "mean:2", "--as", "json").stdout
    )
    assert [row["side"] for row in rows] == ["value", "base", "base"] and rows[0]["start"] == "2026-10-12"
    out = tmp_path / "receipt.md"
    assert cli("explain", sales[0], *COLUMNS, "--at", "2026", "--each", "year", "--out", out).returncode == 0
    assert "growth = change / base" in out.read_text()
    assert cli("explain", sales[0], *COLUMNS, "--out", tmp_path / "x.png").returncode == 2


def test_calendar_on_the_command_line(cli, tmp_path):
    retail = cli("calendar", "--calendar", "retail", "--between", "2023-01-29..2025-02-01", "--as", "csv")
    rows = list(csv.DictReader(io.StringIO(retail.stdout)))
    frame = lc.RetailCalendar().periods("month", "2023-01-29", "2025-02-01")
    assert [row["period"] for row in rows] == frame.period.tolist() and list(rows[0]) == frame.columns.tolist()
    assert [int(row["days"]) for row in rows] == frame.days.tolist() and rows[11]["end"] == "2024-02-03"
    assert "2023 = 29 Jan 2023 to 3 Feb 2024, 53 weeks" in retail.stderr
    out = tmp_path / "periods.csv"
    ran = cli("calendar", "--calendar", "retail", "--between", "2023-01-29..2025-02-01", "--out", out)
    assert ran.returncode == 0 and out.exists()
    # what was written is a table of periods: with the heading it needs it comes back the same
    out.write_text(out.read_text().replace("period,", "label,"))
    listed = cli("calendar", "--calendar", out, "--each", "year").stdout
    assert "29 Jan 2023" in listed and "1 Feb 2025" in listed
    assert (
        "FY2026-Q1"
        in cli("calendar", "--year-start", "4", "--each", "quarter", "--between", "2025-04-01..2025-04-01").stdout
    )
    assert cli("calendar", "--plain").returncode == 0
    rows = "start,end,label,year\n2026-01-01,2026-01-07,a,2026\n2026-01-05,2026-01-09,b,2026\n"
    (tmp_path / "overlap.csv").write_text(rows)
    for words, said in (
        (["--between", "2026"], "must be FIRST..LAST"),
        (["--between", "2026-01-01.."], "must be FIRST..LAST"),
        (["--each", "day", "--between", "1000-01-01..2999-01-01"], "choose a shorter span"),
        (["--pattern", "4-5-4"], "--pattern goes with --calendar retail; this is --calendar civil"),
        (["--calendar", "retail", "--pattern", "4-4-4"], "13 together"),
        (["--calendar", "retail", "--pattern", "four"], "--pattern must be the weeks"),
        (["--calendar", "nofile.csv"], "no file nofile.csv"),
        (["--calendar", "overlap.csv"], "overlap.csv, line 3: 'b' (from 5 Jan 2026) starts before"),
        (["--calendar", "retail", "--calendar-gaps", "allowed"], "goes with --calendar FILE"),
    ):
        ran = cli("calendar", *words, cwd=tmp_path)
        code = 3 if "overlap.csv" in words else 2  # 3: what a file holds
        assert ran.returncode == code and said in ran.stderr and not ran.stdout, words


def test_every_option_reaches_the_question(cli, sales, demo_book):
    """The command line asks what the call asks: the same figures to the last digit."""
    plan = lc.read_plan(sales[1], date="month", value="revenue", measure="revenue", by="harbor")
    retail = lc.RetailCalendar(
        pattern=(4,) * 13, year_ends_on="sunday", year_ends_in=9, year_ends="last", long_period=3
    )
    asked = [
        (["--running", "year", "--last", "3"], {"running": "year", "last": 3}),
        (["--running", "12", "--against", "prior"], {"running": 12, "against": "prior"}),
        (["--per", "trading-day", "--partial", "as-is"], {"per": "trading-day", "partial": "as-is"}),
        (["--items", "comparable", "--by", "harbor"], {"items": "comparable", "by": "harbor"}),
        (["--each", "day", "--against", "prior", "--skip-closed", "--at", "2026-05"],
         {"each": "day", "against": "prior", "skip_closed": True, "at": "2026-05"}),
        (["--each", "week", "--weeks", "364-days"], {"each": "week", "weeks": "364-days"}),
        (["--each", "span", "--at", "2026-03-30..2026-04-12", "--against", "span:2025-04-14..2025-04-27"],
         {"each": "span", "at": "2026-03-30..2026-04-12", "against": "span:2025-04-14..2025-04-27"}),
        (["--against", "plan", "--plan", sales[1], "--by", "harbor"],
         {"against": "plan", "plan": plan, "by": "harbor"}),
        (["--against", "plan", "--plan", sales[1], "--where", "harbor=Dunmarrow"],
         {"against": "plan", "plan": plan, "where": {"harbor": "Dunmarrow"}}),
        (["--calendar", "retail", "--pattern", "13x4", "--year-ends-on", "sunday", "--year-ends-in", "9",
          "--year-ends", "last", "--long-period", "3"], {"calendar": retail}),
        (["--against", "fixed:2025-05"], {"against": "fixed:2025-05"}),
    ]  # fmt: skip
    for words, options in asked:
        rows = list(csv.DictReader(io.StringIO(cli("compare", sales[0], *COLUMNS, *words, "--as", "csv").stdout)))
        book = demo_book.where(options.pop("where", {}))
        table = lc.compare(book, **{"each": "month", **options}, measures="revenue").table
        assert len(rows) == len(table), words
        for column in ("period", "base_period", "note", "status"):
            assert [row[column] for row in rows] == table[column].astype(object).fillna("").astype(str).tolist(), words
        for column in ("value", "base", "growth"):
            got = [float(row[column] or "nan") for row in rows]
            np.testing.assert_allclose(got, table[column], rtol=1e-12, err_msg=str(words))


def test_legend_and_titles(cli, sales):
    said = cli("compare", sales[0], *COLUMNS, "--calendar", "retail", "--at", "2024-P12").stdout
    assert said.startswith("Revenue by period · against a year ago") and "4 weeks against 5" in said
    assert "2023 = 29 Jan 2023 to 3 Feb 2024, 53 weeks" in said and "2024 = 4 Feb 2024" in said
    for words, title in (
        (["--running", "year"], "Revenue by month, year to date · against a year ago"),
        (["--each", "week", "--running", "4", "--against", "mean:2"],
         "Revenue by week, running 4 weeks · against the mean of the 2 weeks before"),
        (["--each", "week", "--weeks", "364-days"], "Revenue by week · against 364 days earlier"),
        (["--per", "day", "--against", "fixed:2025-05"], "Revenue per day by month · against 2025-05"),
        (["--items", "comparable", "--by", "harbor"], "Revenue by month and harbor, comparable harbors ·"),
    ):  # fmt: skip
        assert cli("compare", sales[0], *COLUMNS, *words, "--last", "2").stdout.startswith(title)
    plan = cli("compare", sales[0], *COLUMNS, "--plan", sales[1], "--against", "prior")
    assert plan.returncode == 2 and "--plan FILE and --against plan go together" in plan.stderr


def test_receipts_of_measures_subtotals_and_the_rest():
    measures = [lc.Measure("revenue"), lc.Measure("units"), lc.Measure("price", of="revenue", per="units"),
                lc.Measure("margin", of="revenue", less="cost"), lc.Measure("n", count=True)]  # fmt: skip
    book = lc.demo.book(measures=measures, by=["harbor", "line"])
    split = lc.compare(book, "month", "mean:3", by=["harbor", "line"], last=2, per="day")
    price = lc.explain(split, measure="price", harbor="Alderquay")
    subtotal = split.subtotals.query("measure == 'price' and harbor == 'Alderquay'").iloc[-1]
    assert price.figures["value"] == subtotal.value == price.spans[0].sum
    parts = [dict(span.parts) for span in price.spans if span.side == "base"]
    assert subtotal.base == pytest.approx(sum(p["revenue"] for p in parts) / sum(p["units"] for p in parts))
    assert "base = revenue 38,903.19 / units 1,053.00 = 36.95" in price.text and "18 days" not in price.text
    margin = lc.explain(split, "2026-09", measure="margin", harbor="Alderquay", line="hire")
    assert margin.spans[0].sum / 30 == pytest.approx(margin.figures["value"]) and " / 30 days = " in margin.text
    for items in ("all", "comparable"):
        top = lc.compare(book, "month", by=["harbor", "line"], top=3, at="2025-04", items=items)
        rest = {"harbor": "all others", "line": "all others"}
        for name in ("revenue", "price", "n"):
            told = lc.explain(top, measure=name, **rest)
            sums = {span.side: span.sum for span in told.spans}
            assert sums == pytest.approx({side: told.figures[side] for side in ("value", "base")})
    with pytest.raises(lc.QuestionError, match="or for the first of them"):
        lc.explain(split, line="hire")


def comes_out(text: str) -> int:
    """Holds every line of arithmetic: what is shown gives what is shown; how many lines there are."""
    held = 0
    for line in text.splitlines():
        *_, sums, result = [part.strip() for part in line.split(" = ")] if line.count(" = ") else ("", "")
        numbers = [one.replace("\N{MINUS SIGN}", "-").replace(",", "").replace(" x ", " * ") for one in (sums, result)]
        sums, result = numbers[0].removesuffix(" days").removesuffix(" trading days"), numbers[1]
        whole = result.removesuffix(" points").removesuffix(" %")
        if not re.search(r"\d [-+*/] ", sums) or not re.fullmatch(r"[-+\d. ()*/]+", sums):
            continue
        size = 1 if whole == result else 100
        digits = len(whole.partition(".")[2])
        assert round(eval(sums) * size, digits) == pytest.approx(float(whole), abs=0.5001 * 10**-digits), line
        assert float(whole) or eval(sums) == 0, line  # nothing is rounded away
        held += 1
    return held


@pytest.fixture(scope="module")
def book():
    rng = np.random.default_rng(11)
    days = pd.date_range("2023-01-01", "2025-03-20")
    frame = pd.DataFrame({"day": days.repeat(4), "harbor": ["A", "A", "B", "C"] * len(days),
                          "line": ["x", "y", "x", "x"] * len(days)})  # fmt: skip
    frame["amount"] = rng.integers(-500, 9000, len(frame)) / 100
    frame["units"] = rng.integers(0, 4, len(frame))
    late = (frame["harbor"] == "C") & (frame["day"] < "2025-02-11")
    names = [lc.Measure("amount"), lc.Measure("units"), lc.Measure("price", of="amount", per="units"),
             lc.Measure("off", of="amount", less="units")]  # fmt: skip
    return lc.read(frame[~late], date="day", by=["harbor", "line"], measures=names)


BOTH = {"by": ["harbor", "line"]}
ANSWERS = {
    "means": lambda book: lc.compare(book, "month", "mean:3", **BOTH),
    "days": lambda book: lc.compare(book, "week", "mean:2", per="day", **BOTH),
    "trading days": lambda book: lc.compare(book, "month", per="trading-day", by="harbor"),
    "comparable": lambda book: lc.compare(book, "quarter", items="comparable", **BOTH),
    "top": lambda book: lc.compare(book, "month", top=1, **BOTH),
    "total": lambda book: lc.relate(book, "month", **BOTH),
    "mean": lambda book: lc.relate(book, "month", beside="mean", **BOTH),
    "largest": lambda book: lc.relate(book, "month", beside="largest", top=2, **BOTH),
    "within": lambda book: lc.relate(book, "month", beside="item:x", within="harbor", **BOTH),
    "drivers": lambda book: lc.drivers(book, "month", quantity="units", **BOTH),
    "drivers of the rest": lambda book: lc.drivers(book, "month", quantity="units", top=1, **BOTH),
    "pace": lambda book: lc.pace(book, "year", **BOTH),
    "pace of the rest": lambda book: lc.pace(book, "quarter", top=1, measures="amount", **BOTH),
    "land": lambda book: lc.land(book, "month", **BOTH),
    "land of the rest": lambda book: lc.land(book, "month", top=1, measures="amount", **BOTH),
    "as was": lambda book: lc.land(book, "quarter", rest="as-was", **BOTH),
}


@pytest.mark.parametrize("named", ANSWERS)
def test_every_row_has_a_receipt_of_its_own_figures_that_comes_out(book, named):
    """Each row that an answer holds can be explained, by its own figures, and its arithmetic comes out as shown."""
    answer, rng, lines = ANSWERS[named](book), np.random.default_rng(3), 0
    for table in (answer.table, answer.subtotals, answer.total):
        for n in rng.choice(len(table), min(len(table), 7), replace=False):
            row = table.iloc[n]
            item = {name: row[name] for name in answer.by if isinstance(row.get(name), str)}
            asked = {"measure": row.measure, **({"position": row.position} if "position" in row else {})}
            at = row.period if "period" in row else None
            receipt = lc.explain(answer, at, item, **asked)
            own = {"pace": {"running": "value", "base": "base", "gap": "change", "growth": "growth"}}.get(answer.kind)
            own = own or {name: name for name in table if name in receipt.figures and table[name].dtype == "float64"}
            for column, figure in own.items():
                assert receipt.figures[figure] == pytest.approx(row[column], rel=1e-9, abs=1e-9, nan_ok=True), column
            if answer.kind in ("relate", "drivers"):
                shown = {"relate": ("reference", "gap", "ratio", "ratio_before"), "drivers": ("contribution", "volume")}
                assert set(shown[answer.kind]) <= set(receipt.figures)
                assert answer.kind != "relate" or not {"change", "growth"} & set(receipt.figures)
                assert answer.kind != "relate" or "growth" not in receipt.text
            lines += comes_out(receipt.text)
    assert lines > 15


def test_back_tests_step_a_day_back_and_say_so(demo_book):
    near = lc.explain(lc.land(demo_book.until("2026-03-30"), "month", measures="revenue")).text
    assert "of them looked at a day earlier" in near
    assert "a day earlier" not in lc.explain(lc.land(demo_book.until("2026-03-20"), "month", measures="revenue")).text
