"""Cells of tables: each form lays out the same ones, and takes none apart."""

from __future__ import annotations

import io
import zipfile
from pathlib import Path

import numpy as np
import pandas as pd
import pytest
from conftest import run_here
from test_page import carried

import logochron as lc
from logochron.views.formats import Formats

#: Names and marks of several words, with both kinds of quotes.
ODD = 'so "so", isn\'t it'
BANDS = [lc.Band("fine", from_=0, mark="well done"), lc.Band(ODD, below=0, mark="oh dear, no")]


@pytest.fixture
def judged(demo_book):
    return lc.compare(
        demo_book, "month", by="harbor", at="2026-09", measures="revenue", judging=lc.Judging(bands=BANDS)
    )


def test_marks_of_several_words_stay_whole(judged, tmp_path):
    assert "<span>oh dear, no</span><span>\u221217.0 %</span>" in judged._repr_html_()
    assert "| oh dear, no \u221217.0 % |" in judged._repr_markdown_()
    (section,) = carried(lc.write_page(judged, tmp_path / "page.html", choices=[]))["sections"]
    marks = [cell[0] for row in section["pool"] if isinstance(row, dict) for cell in row.get("cells", ())
             if isinstance(cell, list)]  # fmt: skip
    # of what has no growth the plain signs
    assert {mark for mark in marks if len(mark) > 1} == {"well done", "oh dear, no"}
    drawn = [text.get_text() for text in lc.draw.table(judged).axes[0].texts]
    assert drawn.count("oh dear, no") == 2 and "\u221217.0 %" in drawn


def test_bands_of_a_report_file_are_taken_as_they_are(tmp_path):
    path = Path(lc.demo.write_report(tmp_path))
    told = path.read_text("utf-8").split("[[measure]]")[0]
    bands = f"""
[judging]
band = [{{ name = "fine", from = "0 %" }}, {{ name = '''{ODD}''', below = "0 %" }}]
"""
    section = '[[section]]\nheading = "H"\nquestion = "compare"\neach = "month"\n'
    path.write_text(told + '[[measure]]\nname = "revenue"\n' + bands + section, "utf-8")
    words = ["compare", tmp_path / "brinefold-sales.csv", "--settings", path, "--each", "month", "--by", "harbor"]
    done = run_here(*words, "--at", "2026-09", "--as", "csv")
    assert done.returncode == 0, done.stderr
    rows = pd.read_csv(io.StringIO(done.stdout))
    assert set(rows["band"]) == {"fine", ODD}


def test_single_amounts_are_grouped_as_columns_of_them():
    formats, amount = Formats(locale="de_CH", currency="CHF"), 1234567.5
    assert formats.number(amount, 2) == formats.numbers(np.array([amount]), 2)[0] != Formats().number(amount, 2)
    assert len(formats.number(amount, 2)) == len("1'234'567.50")


def test_items_that_are_only_planned_have_no_small_line(rows_file, tmp_path):
    days = pd.date_range("2025-01-01", "2025-06-30", freq="7D")
    book = lc.read(rows_file([[str(day.date()), "a", 10] for day in days]), date="day", values="amount", by="item")
    planned = [[f"2025-{month:02d}", item, 50] for month in range(1, 7) for item in "ab"]
    plan = lc.read_plan(rows_file(planned, "month,item,v", "plan.csv"), date="month", value="v", by="item",
                        measure="amount")  # fmt: skip
    answer = lc.compare(book, "month", against="plan", plan=plan, by="item", last=2)
    assert "b" in set(answer.table["item"])
    sheet = zipfile.ZipFile(answer.write(tmp_path / "planned.xlsx")).read("xl/worksheets/sheet1.xml").decode()
    assert sheet.count("<x14:sparkline>") == sheet.count("<xm:sqref>") > 0
