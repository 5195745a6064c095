"""The workbook: Python's figures stored, formulas that follow when one of them changes."""

from __future__ import annotations

import datetime as dt
import io
import itertools
import math
import re
import shutil
import subprocess
import zipfile

import numpy as np
import pandas as pd
import pytest
from openpyxl import load_workbook
from openpyxl.utils import get_column_letter

import logochron as lc
from logochron.views.figures.workbook_charts import add_chart
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
        *drawn_sections(),
        Section(heading="refused", refused="no such item"),
    ]


def drawn_sections():
    """Answers with what the demo has not: unknown bases, items that come, go and give back, plans of a part."""
    rng, days = np.random.default_rng(7), pd.date_range("2023-03-10", "2025-09-18")
    rows = [pd.DataFrame({"day": days[[0, -1]], "harbor": "A", "line": "x", "amount": 1.0, "units": 1})]
    for n, (harbor, line) in enumerate(itertools.product("ABC", "xyz")):
        own = days[rng.random(len(days)) < (0.05, 0.4, 0.9)[n % 3]][(n == 4) * 300 :][: 200 if n == 6 else None]
        amounts = rng.normal((10, 100, -2, 1000)[n % 4], 30, len(own)).round(2)
        rows.append(pd.DataFrame({"day": own, "harbor": harbor, "line": line, "amount": amounts,
                                  "units": rng.integers(-1, 6, len(own))}))  # fmt: skip
    by, months = ["harbor", "line"], [f"2025-{m:02d}" for m in range(1, 13)]
    book = lc.read(pd.concat(rows), date="day", values=["amount", "units"], by=by)
    planned = pd.DataFrame({"month": np.repeat(months, 2), "harbor": list("AB") * 12, "v": 500})
    plan = lc.read_plan(planned, date="month", value="v", by="harbor", measure="amount")
    asked = {"by": by, "measures": "amount"}
    answers = {
        "unknown": lc.compare(book, "month", at="2023-03..2024-04", **asked),
        "running": lc.compare(book, "month", running=12, at="2024-01..2024-05", **asked),
        "comparable": lc.compare(book, "quarter", items="comparable", last=6, **asked),
        "plan": lc.compare(book, "month", "plan", plan=plan, last=4, **asked),
        "top": lc.compare(book, "month", top=2, last=3, **asked),
        "drivers": lc.drivers(book, "month", quantity="units", at="2025-08", **asked),
        "drivers of some": lc.drivers(book, "month", quantity="units", at="2025-08", top=3, **asked),
        "drivers alike": lc.drivers(book, "quarter", quantity="units", items="comparable", at="2025-Q2", **asked),
        "no base": lc.drivers(book, "month", quantity="units", at="2023-05", **asked),
        **{f"beside {beside} {within}": lc.relate(book, "month", beside=beside, within=within, last=2, **asked)
           for beside, within in (("total", None), ("total", "harbor"), ("total", "line"), ("mean", None),
                                  ("mean", "harbor"), ("largest", None), ("item:x", "harbor"), ("item:B / y", None))},
        "landing": lc.land(book, "quarter", **asked),
        "parts": lc.land(book, "year", each="month", plan=plan, by="harbor", measures="amount"),
    }  # fmt: skip
    return [Section(heading=f"drawn {name}"[:31], answer=answer) for name, answer in answers.items()]


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
    assert formulas.sheetnames[:8] == [
        "Contents",
        "Tree",
        "Rates",
        "Beside total",
        "Moved",
        "Pace",
        "Land",
        "Line by line",
    ]
    locked = {"drawn drivers of some", "drawn drivers alike", "drawn beside total line", "drawn beside largest None"}
    assert {sheet.title for sheet in formulas if sheet.protection.sheet} == locked
    assert {
        line.split(":")[0] for line in (c.value or "" for c in formulas["Notes"]["A"]) if "locked" in line
    } == locked
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


#: Relations whose sheets follow a change of an item.
EDITED = ("total None", "total harbor", "mean None", "mean harbor", "item x harbor", "item B y None")


def check_followed(sheet, held):
    """The arithmetic of drivers and of relations holds in every row that has figures."""
    seen = 0
    for row in range(4, sheet.max_row + 1):
        of = {name: sheet.cell(row, place).value for name, place in held.items()}
        if "Volume" in of and isinstance(of["Volume"], float | int) and isinstance(of["Change"], float | int):
            assert of["Volume"] + of["Mix"] + of["Price"] == pytest.approx(of["Change"], abs=1e-6)
            seen += 1
        if "Reference" in of and isinstance(of["Ratio"], float | int):
            assert of["Ratio"] == pytest.approx(of["Amount (EUR)"] / of["Reference"])
            if "Gap" in of:
                assert of["Gap"] == pytest.approx(of["Amount (EUR)"] - of["Reference"], abs=1e-6)
            seen += 1
    assert seen > 8


@pytest.mark.slow
@pytest.mark.skipif(OFFICE is None, reason="needs LibreOffice (soffice), which is not installed here")
def test_what_changes_is_followed(path, tmp_path):
    changed = opened(path)
    sheet = changed["Tree"]
    at = columns(sheet, 3)
    value, base, change, growth, share = (at[n] for n in ("Revenue (EUR)", "Year ago", "Change", "Growth", "Share"))
    rows = [row for row in range(4, sheet.max_row + 1) if sheet.cell(row, at["First day"]).value][:20]
    aggregate = next(row for row in rows if not str(sheet.cell(row, value).value).startswith("="))
    lone = next(row for row in rows[2:] if not str(sheet.cell(row, value).value).startswith("=") and row != aggregate)
    before = opened(path, data_only=True)["Tree"]
    sheet.cell(aggregate, value).value += 1000
    sheet.cell(lone, base).value = 0
    moved = {}
    for title in ("drawn drivers", *(f"drawn beside {name}" for name in EDITED)):
        other = changed[title]
        held = columns(other, 3)
        shut = other.protection.sheet
        items = [row for row in range(4, other.max_row + 1) if other.cell(row, held["Amount (EUR)"]).data_type == "n"
                 and other.cell(row, held["Amount (EUR)"]).value is not None]  # fmt: skip
        other.cell(items[1], held["Amount (EUR)"]).value += 1000
        assert not shut and not other.cell(items[1], held["Amount (EUR)"]).protection.locked
        moved[title] = held
    book = recalculated(changed, tmp_path)
    for title, held in moved.items():
        check_followed(book[title], held)
    after = book["Tree"]
    one = after.cell(aggregate, value).value
    assert after.cell(aggregate, change).value == pytest.approx(one - after.cell(aggregate, base).value)
    assert after.cell(aggregate, growth).value == pytest.approx(
        after.cell(aggregate, change).value / after.cell(aggregate, base).value
    )
    subtotal, total = rows[0], rows[-1]
    for row in (subtotal, total):
        assert after.cell(row, value).value == pytest.approx(before.cell(row, value).value + 1000)
    assert after.cell(aggregate, share).value == pytest.approx(one / after.cell(total, value).value)
    assert after.cell(lone, growth).value in ("", None)  # a base of 0
    assert after.cell(total, base).value == pytest.approx(
        before.cell(total, base).value - before.cell(lone, base).value
    )
    untouched = rows[-2]
    assert after.cell(untouched, value).value == before.cell(untouched, value).value


@pytest.mark.slow
@pytest.mark.skipif(OFFICE is None, reason="needs LibreOffice (soffice), which is not installed here")
def test_recalculated_it_says_what_python_said(path, tmp_path):
    """Every formula of every sheet gives the figure that is stored beside it."""
    bare = opened(path)
    stored, reckoned = opened(path, data_only=True), recalculated(bare, tmp_path)
    many = empty = 0
    for sheet in bare.worksheets:
        for row in sheet.iter_rows():
            for cell in row:
                if isinstance(cell.value, str) and cell.value.startswith("=") and cell.data_type == "f":
                    was, now = (book[sheet.title][cell.coordinate].value for book in (stored, reckoned))
                    was, now = (None if one == "" else one for one in (was, now))  # what is empty is no 0
                    assert now == (None if was is None else pytest.approx(was)), (sheet.title, cell.coordinate)
                    many += 1
                    empty += was is None
    assert many > 2000 and empty > 500


def test_first_sheet_charts_and_bands(tmp_path):
    """Links to the sheets, charts of a table's own cells, days folded behind what is read, bands of any figure."""
    book = lc.demo.book()
    judging = {on: lc.Judging(on=on, bands=[lc.Band("small", below=limit, verdict="adverse"),
                                            lc.Band("large", from_=limit, verdict="favorable")])
               for on, limit in (("value", 10_000), ("share", 0.3))}  # fmt: skip
    asked = {"by": "harbor", "last": 1, "measures": "revenue"}
    sections = [
        Section(heading="It's", answer=lc.compare(book, "month", last=13, measures="revenue"), figure="columns"),
        Section(heading="By value", answer=lc.compare(book, "month", judging=judging["value"], **asked)),
        Section(heading="By share", answer=lc.compare(book, "month", judging=judging["share"], **asked)),
        Section(heading="Tree", answer=lc.compare(book, "month", **asked | {"by": ["harbor", "line"]})),
        Section(heading="Pace", answer=lc.pace(book, "year", measures="revenue")),
    ]
    made = tmp_path / "b.xlsx"
    write_workbook(sections, made, title="The week", formats=Formats(currency="EUR"), chart=add_chart)
    workbook, parts = opened(made), zipfile.ZipFile(made)
    first = workbook.worksheets[0]
    assert workbook.sheetnames == ["Contents", "It's", "By value", "By share", "Tree", "Pace", "Notes"]
    for row, section in enumerate(sections, start=4):
        assert first.cell(row, 1).value == section.heading
        assert first.cell(row, 1).hyperlink.location.startswith("'" + section.heading.replace("'", "''"))
        assert first.cell(row, 2).value == lc.words.sentences(section.answer, formats=Formats(currency="EUR"))[0]
    charts = [parts.read(name).decode() for name in sorted(parts.namelist()) if name.startswith("xl/charts/chart")]
    assert len(charts) == 4  # none of the one with subtotals
    places = re.findall(r"<c:f>([^<]*)</c:f>", charts[0])
    assert places == ["'It''s'!$A$4:$A$16", "'It''s'!$B$4:$B$16", "'It''s'!$A$4:$A$16", "'It''s'!$C$4:$C$16"]
    sheet, at = workbook["It's"], columns(workbook["It's"], 3)
    assert [sheet.cell(3, n).value for n in (1, 2)] == ["Period", "Revenue (EUR)"] and at["First day"] > at["Growth"]
    folded = sheet.column_dimensions[get_column_letter(at["First day"])]
    assert folded.hidden and folded.max == at["Last day"]
    bars = re.findall(r"<c:f>([^<]*)</c:f>", charts[1])
    assert bars[:2] == ["'By value'!$B$4:$B$7", "'By value'!$C$4:$C$7"]
    for heading, figure, letter in (("By value", "Revenue (EUR)", "C"), ("By share", "Share", "G")):
        rules = {str(one.sqref): [r.formula[0] for r in one.rules] for one in workbook[heading].conditional_formatting}
        assert columns(workbook[heading], 3)[figure] == ord(letter) - 64
        colored = rules[f"{letter}4:{letter}8"]
        assert len(colored) == 2 and all(f"${letter}4" in rule for rule in colored)
        growth = next(rules[where] for where in rules if where.startswith("F"))
        assert sum(f"${letter}4" in rule for rule in growth) == 6  # of each band in each direction
    pace = sections[4].answer
    drawn = np.array([[cell.value for cell in row] for row in workbook["Pace"].iter_rows()], dtype=object)
    last = [float(v) for v in drawn.T[-1] if isinstance(v, (int, float))]
    assert last == [v for v in pace.lines("running", pace.measures[0], ())[-1].tolist() if np.isfinite(v)]
