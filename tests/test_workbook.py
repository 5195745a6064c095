"""The workbook: Python's figures stored, formulas that follow when one of them changes."""

from __future__ import annotations

import datetime as dt
import io
import math
import shutil
import subprocess

import pytest
from openpyxl import load_workbook

import logochron as lc
from logochron.views.formats import Formats
from logochron.views.sections import Section
from logochron.views.tables.workbook import write_workbook

#: The reader used here does not know small lines; the test of what is drawn looks for them itself.
pytestmark = pytest.mark.filterwarnings("ignore:Sparkline Group extension")
OFFICE = shutil.which("soffice") or shutil.which("libreoffice")


@pytest.fixture(scope="module")
def sections():
    book = lc.demo.book()
    plan_book = lc.demo.book(by=["harbor", "line"])
    judging = lc.demo.judging()
    asked = {"measures": "revenue", "judging": judging}
    return [
        Section(heading="Tree", answer=lc.compare(book, "month", by=["harbor", "line"], last=2, **asked)),
        Section(heading="Rates", answer=lc.compare(book, "quarter", by="harbor", last=2, measures=["units", "cost"])),
        Section(heading="Beside: [total]/*?", answer=lc.relate(book, "month", by="harbor", last=1, measures="revenue")),
        Section(heading="Moved", answer=lc.drivers(plan_book, "month", by=["harbor", "line"], quantity="units")),
        Section(heading="Pace", answer=lc.pace(book, "year", by="harbor", measures="revenue")),
        Section(heading="Land", answer=lc.land(book, "month", by="harbor", measures="revenue")),
        Section(heading="Line by line", answer=lc.land(book, "year", measures="revenue")),
        Section(heading="refused", refused="no such item"),
    ]


@pytest.fixture(scope="module")
def path(sections, tmp_path_factory):
    made = tmp_path_factory.mktemp("book") / "report.xlsx"
    write_workbook(sections, made, title="The week & more", formats=Formats(currency="EUR"), notes=["late records"])
    return made


def opened(path, **options):
    return load_workbook(io.BytesIO(path.read_bytes()), **options)


def recalculated(workbook, folder):
    """The figures that an office program reckons: none of those stored are left in what it reads."""
    workbook.save(folder / "changed.xlsx")
    run = [OFFICE, "--headless", f"-env:UserInstallation=file://{folder}/office", "--convert-to"]
    run += ["xlsx", "--outdir", str(folder / "out"), str(folder / "changed.xlsx")]
    subprocess.run(run, check=True, capture_output=True, timeout=180)
    return opened(folder / "out" / "changed.xlsx", data_only=True)


def columns(sheet, row):
    """The place of each column below a head, by its words."""
    return {cell.value: cell.column for cell in sheet[row] if cell.value}


def test_what_stands_in_it(path, sections):
    formulas, values = opened(path), opened(path, data_only=True)
    assert formulas.sheetnames == ["Tree", "Rates", "Beside total", "Moved", "Pace", "Land", "Line by line", "Notes"]
    sheet, shown = formulas["Tree"], values["Tree"]
    at = columns(sheet, 3)
    table = sections[0].answer
    rows = {}
    for row in range(4, sheet.max_row + 1):
        if sheet.cell(row, at["First day"]).value:
            rows.setdefault(str(shown.cell(row, at["Period"]).value)[:7], []).append(row)
    assert list(rows) == ["2026-09", "2026-10"] and [len(one) for one in rows.values()] == [20, 20]
    first = rows["2026-09"][0]
    assert isinstance(sheet.cell(first, at["First day"]).value, dt.datetime)
    found = {}
    for row in rows["2026-09"]:
        figures = [
            shown.cell(row, at[name]).value for name in ("Revenue (EUR)", "Year ago", "Change", "Growth", "Share")
        ]
        found.setdefault(shown.cell(row, at["Harbor / Line"]).value, []).append(figures)
    want = table.table[(table.table.period == "2026-09") & (table.table.harbor == "Cold Pier")].set_index("line")
    for line, row in want.iterrows():
        wanted = [None if math.isnan(row[c]) else row[c] for c in ("value", "base", "change", "growth", "share")]
        assert any([v or None if v == "" else v for v in one] == wanted for one in found[line]), line
    total = rows["2026-09"][-1]
    for name in ("Revenue (EUR)", "Change", "Growth", "Share"):
        assert str(sheet.cell(total, at[name]).value).startswith("="), name
    assert sheet.freeze_panes == "A4" and sheet.auto_filter.ref and sheet.print_title_rows == "$3:$3"
    assert "Report date 18 October 2026" in sheet.oddFooter.center.text and sheet.conditional_formatting
    notes = [cell.value for cell in values["Notes"]["A"]]
    assert "refused: no such item" in notes and "late records" in notes


def test_labels_stay_text_and_empty_growth_empty(tmp_path, rows_file):
    labels = ["=1+1", "+4", "-x", "@z", "http://x", "{=a}"]
    book = lc.read(
        rows_file([(f"{y}-01-01", name, n + y - 2024) for y in (2024, 2025) for n, name in enumerate(labels)]),
        date="day", values="amount", by="item",
    )  # fmt: skip
    lc.compare(book, "year", by="item", last=1).write(tmp_path / "x.xlsx")
    sheet = opened(tmp_path / "x.xlsx").active
    at = columns(sheet, 3)
    cells = [sheet.cell(row, at["Item"]) for row in range(4, 10)]
    assert sorted(cell.value for cell in cells) == sorted(labels) and {cell.data_type for cell in cells} == {"s"}
    values = opened(tmp_path / "x.xlsx", data_only=True).active
    (row,) = (row for row in range(4, 10) if sheet.cell(row, at["Item"]).value == "=1+1")
    assert values.cell(row, at["Growth"]).value in ("", None) and values.cell(row, at["Change"]).value == 1


@pytest.mark.skipif(OFFICE is None, reason="needs LibreOffice (soffice), which is not installed here")
def test_what_changes_is_followed(path, tmp_path):
    changed = opened(path)
    sheet = changed["Tree"]
    at = columns(sheet, 3)
    value, base, change, growth, share = (at[n] for n in ("Revenue (EUR)", "Year ago", "Change", "Growth", "Share"))
    rows = [row for row in range(4, sheet.max_row + 1) if sheet.cell(row, at["First day"]).value][:20]
    leaf = next(row for row in rows if not str(sheet.cell(row, value).value).startswith("="))
    lone = next(row for row in rows[2:] if not str(sheet.cell(row, value).value).startswith("=") and row != leaf)
    before = opened(path, data_only=True)["Tree"]
    sheet.cell(leaf, value).value += 1000
    sheet.cell(lone, base).value = 0
    after = recalculated(changed, tmp_path)["Tree"]
    one = after.cell(leaf, value).value
    assert after.cell(leaf, change).value == pytest.approx(one - after.cell(leaf, base).value)
    assert after.cell(leaf, growth).value == pytest.approx(
        after.cell(leaf, change).value / after.cell(leaf, base).value
    )
    subtotal, total = rows[0], rows[-1]
    for row in (subtotal, total):
        assert after.cell(row, value).value == pytest.approx(before.cell(row, value).value + 1000)
    assert after.cell(leaf, share).value == pytest.approx(one / after.cell(total, value).value)
    assert after.cell(lone, growth).value in ("", None)  # a base of 0
    assert after.cell(total, base).value == pytest.approx(
        before.cell(total, base).value - before.cell(lone, base).value
    )
    untouched = rows[-2]
    assert after.cell(untouched, value).value == before.cell(untouched, value).value


@pytest.mark.skipif(OFFICE is None, reason="needs LibreOffice (soffice), which is not installed here")
def test_recalculated_it_says_what_python_said(path, tmp_path):
    """Every formula of every sheet gives the figure that is stored beside it."""
    bare = opened(path)
    stored, reckoned = opened(path, data_only=True), recalculated(bare, tmp_path)
    many = 0
    for sheet in bare.worksheets:
        for row in sheet.iter_rows():
            for cell in row:
                if isinstance(cell.value, str) and cell.value.startswith("=") and cell.data_type == "f":
                    was, now = (book[sheet.title][cell.coordinate].value for book in (stored, reckoned))
                    assert (now or None) == (pytest.approx(was) if was else None) or was == now, (
                        sheet.title,
                        cell.coordinate,
                    )
                    many += 1
    assert many > 200
