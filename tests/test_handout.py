"""One sheet of paper and slides: what they hold equals the answers, whatever stands in labels, and nothing overlaps."""

from __future__ import annotations

import io
import shutil
import subprocess
import sys
from dataclasses import replace

import numpy as np
import pandas as pd
import pytest
from drawn_texts import crossing
from matplotlib.text import Text
from openpyxl import load_workbook

import logochron as lc
from logochron.views.figures.charts import chart_of
from logochron.views.figures.choose import named_figure
from logochron.views.figures.fonts import drawable, measure
from logochron.views.figures.scene import Canvas
from logochron.views.formats import Formats
from logochron.views.handout.handout import handout_of
from logochron.views.handout.one_page import drawn_page, one_page
from logochron.views.handout.slides import slides
from logochron.views.palette import Palette
from logochron.views.sections import Section

pptx = pytest.importorskip("pptx")
OFFICE = shutil.which("soffice") or shutil.which("libreoffice")
HOSTILE = ["=1+1", "</script>", "مرسى الدار", "$x^2$ {0} {harbor}", "A harbor whose name goes on and on without end"]
GERMAN = Formats(locale="de", currency="EUR")
pytestmark = pytest.mark.slow


@pytest.fixture(scope="module")
def sections():
    """Sixty months and forty items, some of them hostile: a section of each kind of figure."""
    rng, months = np.random.default_rng(3), pd.period_range("2020-01", "2026-03", freq="M")
    labels = [*HOSTILE, *(f"item {n:02d}" for n in range(35))]
    rows = [(f"{m}-{1 + n % 28:02d}", label, round(float(rng.normal(100 + 5 * n, 60)), 2), int(rng.integers(1, 9)))
            for m in months for n, label in enumerate(labels) if rng.random() < 0.7]  # fmt: skip
    frame = pd.DataFrame(rows, columns=["day", "item", "amount", "units"])
    book = lc.read(frame, date="day", values=["amount", "units"], by="item", until="2026-03-17")
    asked = {"measures": "amount"}
    many, few = {"by": "item", **asked}, {"by": "item", "top": 6, **asked}
    made = {
        "Overview": (lc.overview(book, **many), None),
        "Months": (lc.compare(book, "month", last=60, **asked), "lines"),
        "Columns": (lc.compare(book, "month", last=13, **asked), "columns"),
        "Bars": (lc.compare(book, "month", last=1, **many), "bars"),
        "Advice": (lc.compare(book, "month", last=1, judging=lc.demo.judging(), **few), "captioned"),
        "Heat": (lc.compare(book, "month", last=12, **many), "heat"),
        "Slope": (lc.compare(book, "month", last=1, **few), "slope"),
        "Trend": (lc.compare(book, "month", last=20, **asked), "trend"),
        "Moved": (lc.drivers(book, "month", **few), None),
        "Pace": (lc.pace(book, "year", **asked), None),
        "Land": (lc.land(book, "month", **asked), None),
        "Beside": (lc.relate(book, "month", last=1, **many), None),
        "=Records": (lc.review(book), None),
    }
    return [Section(heading=heading, answer=answer, figure=figure) for heading, (answer, figure) in made.items()]


@pytest.mark.parametrize("paper, formats", [("across", Formats()), ("upright", GERMAN)])
def test_one_sheet(sections, paper, formats):
    for first in (0, 3, 5, 9, 11):
        some = [sections[0], *sections[first or 1 : first + 2]] if first % 2 else sections[first : first + 1]
        handout = handout_of(some, title="The week & more", formats=formats, notes=["late records " * 30])
        figure = drawn_page(handout, formats=formats, palette=Palette(), paper=paper)
        assert crossing(figure) == []
        assert min(text.get_fontsize() for text in figure.findobj(Text) if text.get_text()) >= 6.99
    made = one_page(handout, formats=formats, palette=Palette(), paper=paper)
    assert made == one_page(handout, formats=formats, palette=Palette(), paper=paper)
    assert made.count(b"/Type /Page\n") + made.count(b"/Type /Page ") == 1 and b"/FontFile2" in made


def shapes(slide, kind):
    return [shape for shape in slide.shapes if getattr(shape, kind, False)]


def test_slides(sections, tmp_path):
    handout = handout_of(sections, title="=The week", formats=GERMAN)
    made = slides(handout, formats=GERMAN, palette=Palette())
    assert made == slides(handout, formats=GERMAN, palette=Palette())
    deck = pptx.Presentation(io.BytesIO(made))
    by_heading = dict(zip(["title", *(s.heading for s in sections)], deck.slides))
    assert len(deck.slides) == len(sections) + 1 and by_heading["title"].shapes.title.text == "=The week"
    for section in sections:
        slide = by_heading[section.heading]
        said = lc.words.sentences(section.answer, formats=GERMAN) if section.answer.type.sentences else []
        assert slide.shapes.title.text == (said[0] if said else section.heading)
        shown = [
            *shapes(slide, "has_chart"),
            *shapes(slide, "has_table"),
            *(s for s in slide.shapes if s.shape_type == 13),
        ]
        assert len(shown) == 1, section.heading
        descriptions = [shown[0]._element.xpath(".//p:cNvPr")[0].get("descr")]
        assert all(descriptions) and slide.notes_slide.notes_text_frame.text
        assert "to_date" not in slide.notes_slide.notes_text_frame.text
        assert any("17. März 2026" in shape.text_frame.text for shape in shapes(slide, "has_text_frame")), (
            section.heading
        )
    kinds = {h: shapes(by_heading[h], "has_chart") for h in by_heading}
    assert {heading for heading, charts in kinds.items() if charts} == {
        *("Months", "Columns", "Bars", "Advice", "Slope", "Trend", "Moved", "Pace", "Land"),
    }
    table = sections[2].answer.total
    plot = kinds["Columns"][0].chart.plots[0]
    value, base = plot.series
    assert list(value.values) == table["value"].tolist() and list(base.values) == table["base"].tolist()
    assert [str(one).split("\n")[0] for one in plot.categories] == table["period"].astype(str).tolist()
    # what is edited is the workbook behind a chart: labels stay labels there
    behind = kinds["Bars"][0].chart.part.chart_workbook.xlsx_part.blob
    cells = [c for row in load_workbook(io.BytesIO(behind)).active.iter_rows() for c in row]
    labels = [cell.value for cell in cells if cell.column == 1 and cell.row > 1]
    assert len(labels) == 20 and all(cell.data_type != "f" for cell in cells)
    overview = shapes(by_heading["Overview"], "has_table")[0].table
    assert [cell.text for cell in overview.rows[len(overview.rows) - 1].cells][0] == "Gesamt"


def test_slides_on_masters_of_the_users_own(sections, tmp_path):
    template = pptx.Presentation()
    template.slide_layouts[5].name = "Ours"
    template.slides.add_slide(template.slide_layouts[6])
    template.save(tmp_path / "company.pptx")
    handout = handout_of(sections[:3], title="T" * 300, formats=Formats())
    made = slides(handout, formats=Formats(), palette=Palette(), template=tmp_path / "company.pptx")
    deck = pptx.Presentation(io.BytesIO(made))
    assert [slide.slide_layout.name for slide in deck.slides] == ["Title Slide", "Ours", "Ours", "Ours"]
    for slide in deck.slides:
        for shape in slide.shapes:
            assert shape.left >= 0 and shape.left + shape.width <= deck.slide_width + 1
            assert shape.top >= 0 and shape.top + shape.height <= deck.slide_height + 1
    (tmp_path / "no.pptx").write_text("none")
    with pytest.raises(lc.QuestionError, match=r"`template` .*no\.pptx cannot be read as slides"):
        slides(handout, formats=Formats(), palette=Palette(), template=tmp_path / "no.pptx")


def test_the_extra_is_named_where_it_is_missing(sections, tmp_path, monkeypatch):
    monkeypatch.setitem(sys.modules, "pptx", None)
    with pytest.raises(lc.QuestionError, match=r"pip install 'logochron\[slides\]'"):
        sections[2].answer.write(tmp_path / "x.pptx")
    assert list(tmp_path.iterdir()) == []


def test_charts_are_those_of_the_figures(sections):
    canvas = Canvas(Formats(), measure, drawable)
    moved = sections[8].answer
    chart = chart_of(moved, named_figure("bridge"), canvas)
    unseen, shown = chart.series
    ends = unseen.values + shown.values
    assert shown.values[0] == moved.total["base"][0] and shown.values[-1] == moved.total["value"][0]
    steps = moved.table["change"].abs()
    assert np.allclose(sorted(shown.values[1:-1]), sorted(steps)) and ends.max() <= ends[[0, -1]].max() + steps.sum()
    below = lc.drivers(sections[1].answer.selection.book.where({"item": ["=1+1"]}), "month", by="item", at="2020-02")
    assert chart_of(replace(below), named_figure("bridge"), canvas) is None  # without a base there is no bridge
    panels = named_figure("lines", {"panels": "item"})
    assert chart_of(sections[1].answer, panels, canvas) is None


@pytest.mark.skipif(OFFICE is None, reason="needs an office program, which is not installed here")
def test_an_office_program_opens_them(sections, tmp_path):
    handout = handout_of(sections, title="The week", formats=Formats())
    (tmp_path / "s.pptx").write_bytes(slides(handout, formats=Formats(), palette=Palette()))
    run = [OFFICE, "--headless", f"-env:UserInstallation=file://{tmp_path}/office", "--convert-to", "pdf"]
    done = subprocess.run([*run, "--outdir", str(tmp_path), str(tmp_path / "s.pptx")], capture_output=True, timeout=180)
    if b"could not be loaded" in done.stderr + done.stdout:
        pytest.skip("the office program here has no part for slides")
    assert (tmp_path / "s.pdf").read_bytes().startswith(b"%PDF")


def test_what_an_answer_and_a_report_write(sections, tmp_path, demo_book):
    months = lc.compare(demo_book, "month", last=13, measures="revenue")
    for name in ("a.pdf", "a.pptx"):
        assert months.write(tmp_path / name).stat().st_size > 5_000
    sheet = (tmp_path / "a.pdf").read_bytes()
    drawn = lc.draw.columns(months)
    drawn.savefig(tmp_path / "b.pdf")
    assert sheet != (tmp_path / "b.pdf").read_bytes()
