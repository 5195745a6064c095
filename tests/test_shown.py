"""What people look at beside figures: cards, small lines, colors, notebooks, the choice of a figure, the pages."""

from __future__ import annotations

import logging
import re
import runpy
import subprocess
import sys
from html.parser import HTMLParser
from pathlib import Path

import numpy as np
import pandas as pd
import pytest
from drawn_texts import crossing
from hypothesis import given
from hypothesis import strategies as st

import logochron as lc
from logochron.views import reading_progress
from logochron.views.figures import fonts
from logochron.views.figures.choose import suited
from logochron.views.figures.registry import FIGURES, NAMES
from logochron.views.formats import Formats
from logochron.views.palette import Palette, contrast
from logochron.views.tables.cards import cards_of
from logochron.views.tables.cells import Shown
from logochron.views.tables.comparison_table import comparison_table
from logochron.views.tables.html import html

ROOT = Path(__file__).parents[1]


@pytest.fixture(scope="module")
def months(demo_book) -> lc.Comparison:
    return lc.compare(demo_book, "month", by="harbor", last=13, measures=["revenue", "units"])


@given(
    st.lists(st.floats(allow_nan=True, allow_infinity=True) | st.integers(-(10**9), 10**9).map(lambda n: n / 1000)),
    st.sampled_from(["en", "de", "fr", "hi", "ja", "pl"]),
    st.integers(0, 4),
    st.booleans(),
)
def test_a_column_is_written_as_its_numbers(values, locale, decimals, plain):
    formats, column = Formats(locale=locale, plain=plain), np.array(values, dtype=float)
    for signed in (False, True):
        one_by_one = [formats.number(value, decimals, signed=signed) for value in values]
        written = [formats.amount(value, "EUR", signed=signed) for value in values]
        for times in (1, 40):  # few are written one by one
            column = np.array(values * times, dtype=float)
            assert formats.numbers(column, decimals, signed=signed) == one_by_one * times
            assert formats.amounts(column, "EUR", signed=signed) == written * times
            assert formats.growths(column) == [formats.growth(value) for value in values] * times


@pytest.mark.parametrize(
    ("value", "english", "german"),
    [(38437.86, "EUR 38.4K", "38.438 EUR"), (1.24e6, "EUR 1.24M", "1,24 Mio. EUR"), (-814, "EUR −814", "−814 EUR"),
     (0.0047, "EUR 0.0047", "0,0047 EUR"), (1e18, "EUR 1.00E18", "1,00E18 EUR"), (0, "EUR 0", "0 EUR")],
)  # fmt: skip
def test_amounts_with_their_unit(value, english, german):
    assert Formats().amount(value, "EUR").replace("\xa0", " ") == english
    assert Formats(locale="de").amount(value, "EUR").replace("\xa0", " ") == german
    assert Formats().amount(value, "boats").endswith(" boats")


def test_cards(months, demo_book):
    cards = cards_of(months, Formats(), at="2026-09")
    assert [card.item for card in cards[:5]] == ["Total", "Alderquay", "Dunmarrow", "Brackenmouth", "Cold Pier"]
    assert len(cards) == 10 and {card.name for card in cards} == {"Revenue", "Units"}
    pier = cards[4]
    row = months.table.query("harbor == 'Cold Pier' and period == '2026-09' and measure == 'revenue'").iloc[0]
    assert (pier.value, pier.growth, pier.verdict) == (row.value, row.growth, row.verdict)
    assert pier[3:7] == ("EUR 7.24K", "▼ −17.0 %", "EUR −1.48K", "EUR 8.72K in September 2025")
    alone = cards_of(lc.compare(demo_book, "year", at="2021", measures="units"), Formats())
    assert alone[0].period == "17 May to 31 December 2021" and alone[0].earlier == "nothing to compare with"
    assert cards_of(lc.compare(demo_book, "month", at="2030", partial="drop"), Formats()) == []
    selected = lc.compare(demo_book.where({"line": "hire"}), "month", at="2026-09", measures="units")
    assert cards_of(selected, Formats())[0].name == "Units (line hire)"
    with pytest.raises(lc.QuestionError, match="one of revenue, units"):
        cards_of(months, Formats(), measure="cost")


def test_small_lines_and_words_beside_labels(demo_book):
    one = lc.compare(demo_book, "month", by="harbor", last=1, measures="revenue")
    spec = comparison_table(one, one.measures[0], Formats(), Shown(sparks=True))
    longer = lc.compare(demo_book, "month", by="harbor", at="2025-09..2026-09", measures="revenue")
    for row in spec.rows:
        table = longer.total if row.total else longer.table[longer.table.harbor == row.text("dim:harbor")]
        assert list(row.cells["spark"].spark) == table.value.tolist()  # whole periods only: a running one is no fall
        assert len(row.text("spark")) == 13
    assert [row.text("when") for row in spec.rows] == ["Oct 2026", "", "", "", ""]
    for each, said in [("week", "12–18 Oct"), ("quarter", "Oct–Dec"), ("day", "Sun"), ("year", "")]:
        last = lc.compare(demo_book, each, last=1, measures="revenue")
        assert comparison_table(last, last.measures[0], Formats()).rows[0].text("when") == said
    fiscal = lc.compare(demo_book, "year", last=1, measures="revenue", calendar=lc.CivilCalendar(year_start=4))
    assert comparison_table(fiscal, fiscal.measures[0], Formats()).rows[0].text("when") == "Apr–Mar"
    planned = lc.compare(demo_book, "month", "prior", last=2, running=12, measures="units")
    assert (
        len(comparison_table(planned, planned.measures[0], Formats(), Shown(sparks=True)).rows[0].cells["spark"].spark)
        == 13
    )


def test_colors_can_be_read_on_their_ground():
    both, dark = Palette().on_any_ground(), Palette().on_dark()
    for role in ("favorable", "adverse", "level", "estimate"):
        assert min(contrast(both.role(role), ground) for ground in ("#FFFFFF", "#000000")) >= 4.5
        assert contrast(dark.role(role), dark.paper) >= 4.5 <= contrast(dark.ink, dark.paper)
        assert contrast(Palette().role(role), "#FFFFFF") >= 4.5
    assert Palette().on_terminal(None) == Palette().on_terminal("default") == both


class _Seen(HTMLParser):
    """Gathers tags and texts."""

    def __init__(self) -> None:
        super().__init__()
        self.tags: list[str] = []
        self.texts: list[str] = []

    def handle_starttag(self, tag: str, attrs: object) -> None:
        self.tags.append(tag)

    def handle_data(self, data: str) -> None:
        self.texts.append(data)


def test_notebooks(demo_book, months):
    label = '"><img src=x onerror=alert(1)></td><script>\u202e'
    frame = pd.DataFrame({"d": ["2025-01-31", "2026-01-31"], "h": [label] * 2, "v": [1, 2]})
    seen = _Seen()
    seen.feed(lc.compare(lc.read(frame, date="d", values="v", by="h"), "month", "prior", by="h")._repr_html_())
    assert {"img", "script"}.isdisjoint(seen.tags) and "\u202e" not in "".join(seen.texts)
    assert any("onerror" in text for text in seen.texts)
    one = lc.compare(demo_book, "month", at="2026-09", measures="revenue")
    assert one._repr_html_().count("<article") == 1 and "<article" not in months._repr_html_()
    assert "| 2026-09" in one._repr_markdown_() and "<" not in one._repr_markdown_().replace("&lt;", "")
    cards = _Seen()
    cards.feed(html(one, Formats(locale="de")))
    assert cards.tags.count("article") == 1 and "45.201 EUR im September 2025" in cards.texts
    many = lc.compare(demo_book, "day", measures="units")
    made = _Seen()
    made.feed(html(many))
    assert made.tags.count("tr") == 201 and any("200 of 1,981 rows shown" in text for text in made.texts)
    assert "position:sticky" in html(many) and "prefers-color-scheme:dark" in html(many)
    for answer in (
        lc.pace(demo_book, "year", measures="units"),
        lc.land(demo_book, "month", measures="units"),
        lc.relate(demo_book, "month", by="harbor", last=1, measures="units"),
        lc.drivers(demo_book, "month", by="harbor", measures="units"),
        lc.explain(one),
    ):
        assert answer._repr_html_().count("<table>") >= 1 and answer._repr_markdown_().count("|") > 10


def test_progress_in_notebooks(monkeypatch, demo_book, tmp_path):
    with reading_progress.notebook_progress() as told:
        assert told is None  # no notebook
    monkeypatch.setattr(reading_progress, "_PATIENCE", -1)
    from io import StringIO

    from rich.console import Console

    seen = StringIO()
    with reading_progress.progress_bar(lambda: Console(file=seen, force_terminal=True)) as told:
        told(0.5)
        told(1.0)
    assert "reading" in seen.getvalue()
    asked: list[float] = []
    sales, _ = lc.demo.write(tmp_path)
    lc.read(sales, date="sold_on", values="revenue", progress=asked.append)
    assert asked == sorted(asked)


@pytest.mark.parametrize(
    ("options", "drawn"),
    [
        ({"last": 1}, ("cards", {})),
        ({"last": 13}, ("columns", {})),
        ({"last": 27}, ("lines", {})),
        ({"last": 1, "by": "harbor"}, ("bars", {})),
        ({"last": 13, "by": "harbor"}, ("columns", {"panels": "harbor"})),
        ({"last": 18, "by": "harbor"}, ("heat", {})),
        ({"last": 30, "by": "harbor"}, ("lines", {"panels": "harbor"})),
        ({"last": 30, "by": ["harbor", "line"]}, ("lines", {})),
        ({"last": 6, "by": ["harbor", "line"]}, ("heat", {})),
    ],
)
def test_the_figure_that_suits(demo_book, options, drawn, caplog):
    result = lc.compare(demo_book, "month", measures="revenue", **options)
    chosen = suited(result)
    assert (chosen.figure.name, chosen.options) == drawn
    if options["last"] in (1, 27):
        with caplog.at_level(logging.WARNING, "logochron"):
            assert crossing(lc.draw.figure(result)) == []
        assert f"drawn as {drawn[0]}" in caplog.text


def test_other_answers_have_their_figures(demo_book):
    asked = {"measures": "revenue"}
    for result, name in [
        (lc.pace(demo_book, "year", **asked), "pace"),
        (lc.land(demo_book, "month", **asked), "landing"),
        (lc.land(demo_book, "month", **asked).backtested, "backtest"),
        (lc.drivers(demo_book, "month", by="harbor", **asked), "bridge"),
    ]:
        assert suited(result).figure.name == name
    with pytest.raises(lc.QuestionError, match="no figure shows the answer of relate"):
        lc.draw.figure(lc.relate(demo_book, "month", by="harbor", **asked))
    with pytest.raises(lc.QuestionError, match="must be an answer"):
        lc.draw.figure(demo_book)


@pytest.mark.filterwarnings("ignore:Glyph")
def test_descriptions_and_letters(months, tmp_path, caplog):
    figure = lc.draw.columns(months)
    assert figure.alt.startswith("Revenue by month, all harbors: September 2026: EUR 44.4K")
    for ending in ("png", "svg"):
        figure.savefig(tmp_path / f"f.{ending}")
        assert b"September 2026: EUR 44.4K" in (tmp_path / f"f.{ending}").read_bytes()
    monkey = "\U0001340f"  # a hieroglyph that no font at hand has
    frame = pd.DataFrame(
        {"d": ["2025-01-31", "2026-01-31"] * 2, "h": ["東京", "東京", monkey, monkey], "v": [1, 2, 3, 4]}
    )
    book = lc.read(frame, date="d", values="v", by="h")
    result = lc.compare(book, "month", by="h")
    fonts._warned.clear()
    with caplog.at_level(logging.WARNING, "logochron"):
        for _ in range(2):
            assert crossing(lc.draw.bars(result)) == []
    lacking = [record for record in caplog.records if "no installed font has" in record.getMessage()]
    known = fonts._fallbacks(frozenset(monkey))[0]
    assert len(lacking) == (0 if known else 1)  # said once


def test_scenes_of_new_figures(months, demo_book):
    from test_figures import layers, scene_of

    from logochron.views.figures.scene import Bars, Path, Tiles

    heat = scene_of("heat", months)
    grown = (
        months.table.query("measure == 'revenue'").growth.tolist()
        + months.total.query("measure == 'revenue'").growth.tolist()
    )
    tiles = layers(heat.panels[0], Tiles)[0].cells
    assert len(tiles) == len(grown) and {tile.role for tile in tiles} == {"favorable", "adverse"}
    said = [text.text for text in heat.panels[0].texts()]
    assert sorted(said) == sorted(Formats().growths(np.array(grown)))
    moved = lc.drivers(demo_book, "month", by="harbor", at="2026-09", measures="revenue")
    bridge = scene_of("bridge", moved)
    bars = layers(bridge.panels[0], Bars)
    assert sum(float((bar.high - bar.low).sum()) for bar in bars) == pytest.approx(float(moved.total.change[0]))
    assert (
        "the axis does not start at 0" in bridge.footnote and not bridge.panels[0].x.low <= 0 <= bridge.panels[0].x.high
    )
    whole = scene_of(
        "bridge", lc.drivers(demo_book, "month", against="prior", by="harbor", at="2026-09", measures="revenue")
    )
    assert whole.panels[0].x.low <= 0 and "axis" not in whole.footnote
    slope = scene_of("slope", months, at="2026-09")
    lines = [path for path in layers(slope.panels[0], Path) if path.role in ("favorable", "adverse")]
    september = months.table.query("measure == 'revenue' and period == '2026-09'")
    assert sorted(float(line.y[1] - line.y[0]) for line in lines) == pytest.approx(sorted(september.change))
    trend = scene_of("trend", months)
    turning = [text.text for text in trend.panels[0].texts() if len(text.text) == 1]
    assert set(turning) <= {"▲", "▼"} and len(turning) < 12
    small = scene_of("trend", months, small=True)
    assert small.bare and small.alt and len(small.panels[0].texts()) == 1
    with pytest.raises(lc.QuestionError, match="leave `panels` out"):
        scene_of("trend", months, small=True, panels="harbor")
    dotted = [path for path in layers(scene_of("lines", months).panels[0], Path) if path.dash == "dotted"]
    assert all(np.isfinite(path.y).sum() == 2 for path in dotted)  # the stretch to the running month


@pytest.mark.slow
def test_pages_are_not_stale(tmp_path):
    maker = runpy.run_path(str(ROOT / "scripts" / "make_docs.py"))
    shape = runpy.run_path(str(ROOT / "scripts" / "make_architecture.py"))
    made = maker["pages"](tmp_path) | {"architecture": shape["page"]()}
    named = {f"test_{name}.py" for names in shape["TESTED_BY"].values() for name in names.split()}
    assert named == {path.name for path in (ROOT / "tests").glob("test_*.py")}
    assert not runpy.run_path(str(ROOT / "scripts" / "api_page.py"))["missing"]()
    for name, text in made.items():
        assert (ROOT / "docs" / f"{name}.md").read_text(encoding="utf-8") == text, f"run scripts/make_docs.py: {name}"
    assert set(maker["GALLERY"]) == set(NAMES)
    assert {p.stem for p in tmp_path.iterdir()} == {p.stem for p in (ROOT / "docs" / "gallery").iterdir()} == set(NAMES)
    linked = (ROOT / "docs" / "README.md").read_text(encoding="utf-8")
    assert all(f"]({name}.md)" in linked for name in made)


@pytest.mark.parametrize(
    ("words", "code", "said"),
    [
        (["--as", "words"], 0, "Revenue over 1–18 October 2026 reached"),
        (["--as", "words", "--by", "harbor", "--then", "line", "--at", "2026-09"], 0, "led by hire"),
        (["--as", "words", "--template", "{measure} {growth}"], 0, "revenue +13.1 %"),
        (["--as", "words", "--locale", "de"], 0, "Revenue im Zeitraum 1.–18. Oktober 2026: 24.216"),
        (["--as", "cards", "--by", "harbor", "--currency", "EUR"], 0, "EUR 8.59K"),
        (["--sparks", "--last", "1"], 0, "▅▄▄▄▄▄▄▅▅▇█▇▅"),
        (["--template", "{item}"], 2, "--template goes with --as words"),
        (["--as", "words", "--template", "{item"], 2, "`template`"),
        (["--as", "words", "--then", "harbor"], 2, "compare by another dimension"),
        (["--figure", "trend", "--marked", "all", "--out", "x.png"], 2, "--marked goes with --figure bars or nested"),
        (["--small", "--marked", "all", "--out", "x.png"], 2, "no figure takes"),
        (["--by", "harbor", "--out", "x.png"], 0, "drawn as lines in panels of harbor (--figure lines)"),
        (["--small", "--out", "small.png"], 0, "drawn as trend"),
    ],
)
def test_command_line(cli, tmp_path, monkeypatch, words, code, said):
    monkeypatch.chdir(tmp_path)
    sales, _ = lc.demo.write(tmp_path)
    ran = cli("compare", sales, "--date", "sold_on", "--value", "revenue", *words)
    assert ran.returncode == code and said in ran.stdout + ran.stderr, ran.stdout + ran.stderr


def test_forms_of_other_answers(cli, tmp_path):
    sales, _ = lc.demo.write(tmp_path)
    for question, *words in (["relate", "--by", "harbor"], ["drivers", "--by", "line"], ["pace"], ["land"]):
        ran = cli(question, sales, "--value", "revenue", *words, "--as", "words")
        assert ran.returncode == 0 and ran.stdout.count(".\n") >= 1, ran.stderr
    for question, form in (("review", "words"), ("explain", "words"), ("pace", "cards")):
        ran = cli(question, sales, "--value", "revenue", "--as", form)
        assert ran.returncode == 2 and f"--as {form}" in ran.stderr
    picture = tmp_path / "bridge.png"
    assert cli("drivers", sales, "--value", "revenue", "--by", "line", "--out", picture).returncode == 0
    assert picture.stat().st_size > 1000


def test_figures_say_what_they_are():
    for figure in FIGURES:
        assert re.match(r"[A-Z].*\.$", getattr(lc.draw, figure.name).__doc__.splitlines()[0])
    loaded = "import sys, logochron as lc; dir(lc.draw); print('matplotlib' in sys.modules)"
    ran = subprocess.run([sys.executable, "-c", loaded], capture_output=True, text=True, check=True)
    assert ran.stdout == "False\n"
