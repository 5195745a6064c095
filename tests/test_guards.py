"""Limits and guards that a change of one number or one line would break in silence."""

from __future__ import annotations

import json
import os
import pty
import re
import shutil
import subprocess
import sys
from functools import partial
from pathlib import Path

import numpy as np
import pandas as pd
import pytest

import logochron as lc
from logochron.core.book.sums import at_one_scale, subtracted
from logochron.core.rows.question_types import question_type

DAYS = pd.date_range("2024-01-01", "2025-12-31")


def book_of(frame: pd.DataFrame, **options: object) -> lc.Daybook:
    return lc.read(frame, date="day", **({"values": "amount", "by": "item"} | options))


def open_for(first: str, last: str) -> lc.Daybook:
    """An item that is always open, and one from `first` to `last`."""
    always = pd.DataFrame({"day": DAYS, "item": "always", "amount": 1})
    days = pd.date_range(first, last)
    return book_of(pd.concat([always, pd.DataFrame({"day": days, "item": "other", "amount": 1})]))


@pytest.mark.parametrize(
    ("first", "last", "compared"),
    [("2024-01-29", "2025-12-31", True), ("2024-01-30", "2025-12-31", False),
     ("2024-01-01", "2025-12-03", True), ("2024-01-01", "2025-12-02", False)],
)  # fmt: skip
def test_open_within_28_days_of_an_edge(first, last, compared):
    at = "2025-01" if last == "2025-12-31" else "2025-12"
    table = lc.compare(open_for(first, last), "month", by="item", at=at, items="comparable").table
    assert table.note.str.contains("not comparable").tolist() == [False, not compared]


def test_comparable_items_have_their_others():
    asked = {"by": "item", "at": "2025-01", "items": "comparable", "top": 1}
    table = lc.compare(open_for("2024-01-10", "2025-12-31"), "month", **asked).table
    assert table.item.tolist() == ["always", "all others"] and table.value.tolist() == [31, 31]


@pytest.mark.parametrize(("closed", "offered"), [(7, True), (8, False)])
def test_seven_closed_days_at_an_edge(closed, offered):
    days = pd.date_range("2025-01-01", periods=120)
    days = days[days <= days[-1].to_period("M").end_time.normalize() - pd.Timedelta(days=closed)]
    month_end = (days[-1] + pd.Timedelta(days=closed)).date()
    notes = lc.compare(book_of(pd.DataFrame({"day": days, "item": "a", "amount": 1})), "month").notes
    assert any(f"until='{month_end}'" in note for note in notes) is offered


def test_level_of_a_relation_is_a_part_of_the_ratio_before():
    frame = pd.DataFrame({"day": ["2024-01-31", "2024-01-31", "2025-01-31", "2025-01-31"], "item": ["a", "b"] * 2,
                          "amount": [60, 40, 50, 50]})  # fmt: skip
    book = book_of(frame, covering=("2024-01-01", None))

    def direction(within: float) -> str:
        asked = {"by": "item", "at": "2025-01", "judging": lc.Judging(level_within=within)}
        return lc.relate(book, "month", **asked).table.direction[0]

    # 0.6 before, 0.5 now: 0.1 is 0.1667 of what it was, 0.2 of what it is
    assert (direction(0.17), direction(0.16)) == ("level", "falling")


def test_negative_items_are_said():
    frame = pd.DataFrame({"day": ["2025-01-01"] * 2 + ["2025-01-31"] * 2, "item": ["a", "b"] * 2,
                          "amount": [10, -4, 1, 0]})  # fmt: skip
    table = lc.compare(book_of(frame), "month", by="item").table
    assert table.share.tolist() == [11 / 7, -4 / 7] and table.note.str.contains("negative items").all()


def test_a_plan_that_lacks_a_month_of_a_span(tmp_path):
    plan = pd.DataFrame({"month": ["2025-01", "2025-03", "2025-04", "2025-05", "2025-06"], "amount": 1000})
    planned = lc.read_plan(plan, date="month", value="amount", measure="amount")
    book = book_of(pd.DataFrame({"day": DAYS, "item": "a", "amount": 1}))
    table = lc.compare(book, "quarter", "plan", plan=planned, at="2025-Q1..2025-Q2").table
    assert table.note.tolist() == ["no base: the plan has no 2025-02", ""]
    assert np.isnan(table.base[0]) and table.base[1] == 3000


def test_only_complete_rows_say_what_is_usual():
    months = pd.period_range("2023-01", "2025-06", freq="M")
    frame = pd.DataFrame({"day": months.start_time, "item": "a", "amount": 100 + np.arange(len(months)) % 3})
    running = pd.DataFrame({"day": ["2025-07-01"], "item": "a", "amount": 90_000})
    before, after = (
        lc.compare(book_of(pd.concat(f), until=day), "month", last=13, unusual=True).table
        for f, day in (([frame], "2025-06-30"), ([frame, running], "2025-07-01"))
    )
    joined = before.merge(after, on="period", suffixes=("", "_then"))
    assert len(joined) == 12 and (joined.usual_high == joined.usual_high_then).all()
    assert after.status.iloc[-1] == "to-date" and after.unusual.iloc[-1]


def test_three_mistyped_days():
    days = [*DAYS, pd.Timestamp("2062-03-01"), pd.Timestamp("2062-03-02"), pd.Timestamp("2062-03-03")]
    frame = pd.DataFrame({"day": days, "item": "a", "amount": 1})
    with pytest.raises(lc.QuestionError, match="2062-03-01, 2062-03-02, 2062-03-03, .*until='2025-12-31'"):
        lc.compare(book_of(frame), "month")
    four = pd.concat([frame, pd.DataFrame({"day": [pd.Timestamp("2062-03-04")], "item": "a", "amount": 1})])
    assert len(lc.compare(book_of(four), "year").table) > 30


def test_whole_numbers_that_would_not_fit_become_floats():
    large = 4_500_000_000_000_000_000
    frame = pd.DataFrame({"day": ["2024-01-31", "2025-01-31"], "plus": [-large, large], "minus": [large, -large],
                          "cents": [0.01, 0.01]})  # fmt: skip
    measures = [lc.Measure("gap", of="plus", less="minus"), lc.Measure("mixed", of="plus", less="cents")]
    book = lc.read(frame, date="day", measures=measures, covering=("2024-01-01", None))
    table = lc.compare(book, "month", at="2025-01").table
    assert table.change.tolist() == pytest.approx([4.0 * large, 2.0 * large])
    assert table.value.tolist() == pytest.approx([2.0 * large, float(large)])
    assert subtracted(np.array([2**61]), 0, np.array([-(2**61)]), 0)[1] is None
    assert at_one_scale(np.array([2**61]), 0, np.array([1]), 2)[2] is None


def test_sums_of_files_that_would_not_fit_become_floats(tmp_path):
    for n in range(4):
        (tmp_path / f"{n}.csv").write_text("day,amount\n2025-01-31,4000000000000000000\n")
    book = lc.read(str(tmp_path / "*.csv"), date="day", values="amount", covering=("2025-01-01", None))
    assert book.exact == {"amount": False} and lc.compare(book, "month").total.value[0] == 1.6e19


@pytest.mark.parametrize("ending", [".png", ".xlsx"])
def test_a_file_is_written_whole_or_not_at_all(tmp_path, monkeypatch, ending):
    months = lc.compare(lc.demo.book(), "month", last=3)
    target = tmp_path / f"months{ending}"
    target.write_text("as it was")

    def half(self, data):
        self.write_text("half")
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(Path, "write_bytes", half)
    with pytest.raises(lc.OutputError, match="cannot be written: No space left"):
        months.write(target)
    assert list(tmp_path.iterdir()) == [target] and target.read_text() == "as it was"


def test_a_workbook_that_has_no_room_to_be_put_together(tmp_path, monkeypatch):
    def full(*args, **options):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("xlsxwriter.workbook.ZipFile", full)
    with pytest.raises(lc.OutputError, match="cannot be written: No space left"):
        lc.compare(lc.demo.book(), "month", last=3).write(tmp_path / "months.xlsx")
    assert not list(tmp_path.iterdir())


@pytest.fixture(scope="module")
def many_records(tmp_path_factory):
    path = tmp_path_factory.mktemp("many") / "many.json"
    path.write_text(json.dumps([{"day": f"2025-01-{1 + i % 31:02d}", "amount": i} for i in range(120_000)]))
    return path


@pytest.mark.parametrize("ending", [".csv", ".parquet", ".md", ".png", ".html", ".xlsx"])
def test_a_folder_that_vanishes_is_told(tmp_path, monkeypatch, demo_book, ending):
    folder, made = tmp_path / "gone", Path.replace
    folder.mkdir()

    def vanished(self, target):
        if self.parent == folder:
            shutil.rmtree(folder)
        return made(self, target)

    monkeypatch.setattr(Path, "replace", vanished)
    with pytest.raises(lc.QuestionError, match=r"gone/x\..* cannot be written: No such file"):
        lc.compare(demo_book, each="year", measures="revenue").write(folder / f"x{ending}")
    assert list(tmp_path.iterdir()) == []


def test_progress_is_told(many_records):
    told: list[float] = []
    lc.read(many_records, date="day", values="amount", progress=told.append)
    assert len(told) >= 2 and told == sorted(told) and told[0] > 0 and told[-1] <= 1


def test_progress_is_shown_on_a_terminal(many_records):
    master, slave = pty.openpty()
    code = "import logochron.cli.speaking as p, logochron.cli.main as m; p._PATIENCE = -1; m.run()"
    words = ["compare", str(many_records), "--date", "day", "--value", "amount"]
    ran = subprocess.Popen([sys.executable, "-c", code, *words], stdout=subprocess.DEVNULL, stderr=slave)
    os.close(slave)
    said = b""
    while True:
        try:
            said += (chunk := os.read(master, 65536))
        except OSError:
            break
        if not chunk:
            break
    os.close(master)
    assert ran.wait(timeout=60) == 0 and b"reading" in said and re.search(rb"[1-9][0-9]*%", said)


def test_results_are_equal_where_they_are_one(demo_book):
    first, second = (lc.compare(demo_book, "month", last=3) for _ in range(2))
    assert first == first and first != second and len({first, second, first}) == 2 and demo_book == demo_book


def test_dimensions_may_be_called_like_columns_of_other_answers(tmp_path):
    frame = pd.DataFrame({"day": ["2025-01-31", "2025-01-31"], "price": ["low", "high"], "at": ["x", "y"],
                          "holidays": ["no", "yes"], "result": ["r", "s"], "amount": [1, 2]})  # fmt: skip
    book = lc.read(frame, date="day", values="amount", by=["price", "at", "holidays", "result"])
    answer = lc.compare(book, "month", by=["price", "at", "holidays", "result"])
    assert answer.table.price.tolist() == ["high", "low"]
    item = {"price": "low", "at": "x", "holidays": "no", "result": "r"}
    assert lc.explain(answer, items=item).figures["value"] == 1
    assert lc.explain(answer, None, {"at": "x", "price": "low", "holidays": "no"}, result="r").figures["value"] == 1
    with pytest.raises(lc.QuestionError, match=r"may not be called 'price' here.*its_price"):
        lc.drivers(book, "month", by="price")
    shares = lc.read(frame.rename(columns={"price": "share"}), date="day", values="amount", by="share")
    assert lc.drivers(shares, "month", by="share").table.share.tolist() == ["high", "low"]
    based = lc.read(frame.rename(columns={"price": "base"}), date="day", values="amount", by="base")
    related = lc.relate(based, "month", by="base")
    assert related.table.base.tolist() == ["high", "low"] and "high" in related._repr_html_()
    with pytest.raises(lc.QuestionError, match=r"may not be called 'base' here"):
        lc.explain(related, base="high")
    named = lc.read(frame.rename(columns={"price": "value"}), date="day", values="amount", by="value")
    for ask in (lambda: lc.compare(named, "month", by="value"), lambda: named.totals("month", by="value")):
        with pytest.raises(lc.QuestionError, match=r"may not be called 'value' here"):
            ask()


@pytest.mark.parametrize("kind", ["relate", "drivers", "pace", "land"])
def test_a_dimension_called_like_another_answers_column_is_shown_as_one(kind, tmp_path):
    shown = 0
    options = {"within": "year"} if kind in ("pace", "land") else {"each": "month"}
    for name in {"period", "note", "band", "share", "verdict", "position", "growth", "start"} - {
        *question_type(kind).columns
    }:
        frame = pd.DataFrame({"day": ["2024-01-31", "2024-01-31", "2025-01-31", "2025-01-31"],
                              name: ["low", "9", "low", "9"], "amount": [1, 2, 4, 3]})  # fmt: skip
        read = partial(lc.read, date="day", values="amount", by=name)
        earlier, now = (
            getattr(lc, kind)(read(held), by=name, **options) for held in (frame.replace({"amount": {4: 5}}), frame)
        )
        assert "low" in now._repr_html_() and now.write(tmp_path / "it.xlsx")
        assert lc.write_page(now, tmp_path / "it.html")
        if kind != "pace":
            filled = lc.words.sentences(now, "{item}:{band}:{verdict}")
            assert sorted(line.split(":")[0] for line in filled) == ["9", "low"]
        if kind in ("relate", "drivers") and name not in question_type("restated").columns:
            changed = lc.restated(earlier, now).table
            assert changed[name].dropna().tolist() == ["low"] and (changed.difference < 0).all()
        shown += 1
    assert shown


def test_notes_and_titles_are_not_read_back():
    frame = pd.DataFrame({"day": ["2024-01-31", "2025-01-31"] * 2, "line": ["hire", "hire", "gear", "gear"],
                          "line of goods": "boats", "amount": [1, 2, 3, 4], "items; new": [0, 0, 0, 0]})  # fmt: skip
    price = lc.Measure("price", of="amount", per="items; new")
    book = lc.read(frame, date="day", measures=[price], by=["line", "line of goods"], covering=("2024-01-01", None))
    whole = lc.compare(book.where({"line of goods": "boats"}), "month", last=1)
    assert "<caption>Price by month, all lines, line of goods boats" in whole._repr_html_()
    split = lc.compare(book, "month", by="line", last=1)
    assert split.table.note.tolist() == ["no items; new; no base: no items; new"] * 2
    lane = [text.get_text() for text in lc.draw.bars(split).axes[0].texts]
    assert "new" not in lane
    assert "Total" in lc.compare(book, "month", by="line of goods", last=1)._repr_html_()


def test_notebooks_show_the_latest_rows(demo_book):
    days = lc.compare(demo_book, "day", measures="revenue")
    html = days._repr_html_()
    assert html.count("<tr") == 201 and f"200 of {len(days.table):,} rows shown" in html and "2026-10-18" in html
    assert "2021-05-17<" not in html
