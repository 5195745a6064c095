"""The page: what it carries equals what Python says, and a real browser shows it."""

from __future__ import annotations

import base64
import contextlib
import csv
import gzip
import hashlib
import io
import itertools
import json
import math
import os
import random
import re
import shutil
from pathlib import Path

import pandas as pd
import pytest

import logochron as lc
from logochron.views.formats import Formats
from logochron.views.page import choices as page_choices
from logochron.views.page.build import DRAWING
from logochron.views.sections import Section

BROWSER = next(filter(None, map(shutil.which, ("chromium", "chromium-browser", "google-chrome"))), None)
#: The checker of accessibility, from its package (`npm pack axe-core`); `.ci/run` fetches it.
AXE = os.environ.get("LOGOCHRON_AXE")
needs_browser = pytest.mark.skipif(BROWSER is None, reason="needs Chromium, which is not installed here")
EUROS = Formats(currency="EUR")
NASTY = [
    "</script><script>window.hit=1</script>",
    '<img src=x onerror="window.hit=1">',
    "a \"b\" 'c' & d",
    "\u202eleft",
    "plain",
]
pytestmark = pytest.mark.slow
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
         "--disable-component-update", "--disable-sync"]  # fmt: skip


@pytest.fixture(scope="module")
def book():
    where = {"line": ["hire", "lessons"]}
    return lc.demo.book(by=["harbor", "line"], where=where, covering=("2024-01-01", None))


@pytest.fixture(scope="module")
def answers(book):
    asked = {"measures": "revenue", "judging": lc.demo.judging()}
    return {
        "Months": lc.compare(book, "month", last=13, **asked),
        "Harbors": lc.compare(book, "month", by="harbor", last=1, **asked),
        "Both": lc.compare(book, "month", by=["harbor", "line"], last=1, measures=["revenue", "cost"]),
        "Moved": lc.drivers(book, "month", by="harbor", measures="revenue"),
        "Pace": lc.pace(book, "year", measures="revenue"),
        "Land": lc.land(book, "month", measures="revenue"),
    }


@pytest.fixture(scope="module")
def written(answers, tmp_path_factory):
    place = tmp_path_factory.mktemp("page") / "index.html"
    return lc.write_page(answers, place, title="The week", currency="EUR")


def carried(path: Path) -> dict:
    """All data of a page."""
    told = json.loads(re.search(r'<script type="application/json" id="data">(.*)</script>', path.read_text("utf-8"))[1])
    data = base64.b85decode(told["packed"].translate(str.maketrans(".,:", "<>&")))
    return json.loads(gzip.decompress(data[: told["bytes"]]))


@pytest.fixture(scope="module")
def browser():
    sync_api = pytest.importorskip("playwright.sync_api")
    with sync_api.sync_playwright() as play:
        launched = play.chromium.launch(executable_path=BROWSER, args=FLAGS)
        yield launched
        launched.close()


@pytest.fixture
def opened(browser):
    """Opens a file with the network cut: the page, and what its console said."""
    pages = []

    def open_file(path: Path, address: str = "", **options):
        page = browser.new_page(**{"viewport": {"width": 1280, "height": 900}, **options})
        said, asked = [], []
        page.on("console", lambda line: said.append(line.text))
        page.on("pageerror", lambda error: said.append(str(error)))
        page.on("request", lambda request: asked.append(request.url))
        page.context.set_offline(True)
        page.goto(path.as_uri() + address)
        page.wait_for_function("document.documentElement.dataset.shown !== undefined")
        pages.append((page, said, asked, path))
        return page

    yield open_file
    for page, said, asked, path in pages:
        assert said == [] and {url.split("#")[0] for url in asked} <= {path.as_uri()}
        page.close()


def unfold(page):
    """Open the tables folded below the figures."""
    page.evaluate("for (const one of document.querySelectorAll('details.more')) one.open = true")


def rows(section) -> list[dict]:
    """The rows of a section as they are shown, with their figures in full."""
    return section.evaluate(
        """section => [...section.querySelectorAll("tbody tr")].map(row => {
            const cells = [...row.querySelectorAll("[data-value]")].map(({ dataset }) => dataset);
            const figures = cells.map(({ column, value }) => [column, value]);
            return {...row.dataset, ...Object.fromEntries(figures)};
        })"""
    )


def full(value) -> str:
    return repr(float(value)) if math.isfinite(value) else ""


def expected(answer, place, item=None):
    """The figures of one row of an answer, as the page writes them."""
    row = answer.iloc[place] if item is None else answer.loc[item]
    return {name: full(row[name]) for name in ("value", "base", "change", "growth")}


@needs_browser
def test_choices_equal_what_python_says(opened, written, answers, book):
    page = opened(written)
    draw = random.Random(16)
    periods = answers["Months"].again(last=None).periods
    harbors, lines = ["", *book.items("harbor")], ["", *book.items("line")]
    for _ in range(12):
        period, harbor, line = draw.choice(periods), draw.choice(harbors), draw.choice(lines)
        page.select_option("select[name=period]", period)
        page.select_option("select[name=harbor]", harbor)
        page.select_option("select[name=line]", line)
        picked = {name: label for name, label in (("harbor", harbor), ("line", line)) if label}
        of = book.where(picked) if picked else book
        months = lc.compare(of, "month", measures="revenue", at=period).total
        shown = {row["period"]: row for row in rows(page.locator("[data-section=Months]"))}
        assert shown[period].items() >= expected(months, 0).items() and shown[period]["item"] == ""
        by_line = book.where({"line": line}) if line else book
        harbor_answer = lc.compare(by_line, "month", by="harbor", measures="revenue", at=period)
        wanted = harbor_answer.table.set_index("harbor")
        found = {row["item"]: row for row in rows(page.locator("[data-section=Harbors]"))}
        assert set(found) == ({harbor} & set(wanted.index) if harbor else set(wanted.index)) | {""}
        for item in filter(None, found):
            assert found[item].items() >= expected(wanted, None, item).items()
            assert found[item]["share"] == full(wanted.loc[item, "share"])
        both = lc.compare(book, "month", by=["harbor", "line"], measures=["revenue", "cost"], at=period)
        tuples = {(r.measure, f"{r.harbor} / {r.line}"): full(r.value) for r in both.table.itertuples()
                  if harbor in ("", r.harbor) and line in ("", r.line)}  # fmt: skip
        listed = {(row["measure"], row["item"]): row["value"] for row in rows(page.locator("[data-section=Both]"))}
        assert tuples.items() <= listed.items()
        card = page.locator(f"article.card[data-period='{period}'][data-measure=revenue]")
        assert card.get_attribute("data-value") == full(months["value"][0])
        assert card.get_attribute("data-growth") == full(months["growth"][0])
        said = page.locator("[data-section=Months] .said").inner_text()
        told = lc.words.headline(lc.compare(of, "month", measures="revenue", at=period), formats=EUROS)
        assert said.replace("\u00a0", " ").startswith(told)
        end = lc.compare(of, "month", measures="revenue", at=period).total["end"][0].date()
        if period[:4] >= "2024":
            pace = lc.pace(of.until(end), "year", measures="revenue")
            last = rows(page.locator("[data-section=Pace]"))[-1]
            assert last["value"] == full(pace.standing["running"].iloc[-1])
        land = lc.land(of, "month", measures="revenue", at=period).total
        assert rows(page.locator("[data-section=Land]"))[0]["value"] == full(land["to_date"][0])
        if not harbor:
            moved = lc.drivers(by_line, "month", by="harbor", measures="revenue", at=period).table.set_index("harbor")
            listed = {row["item"]: row for row in rows(page.locator("[data-section=Moved]"))}
            assert {item: row["points"] for item, row in listed.items() if item} == {
                item: full(moved.loc[item, "contribution"]) for item in moved.index
            }


@needs_browser
def test_address_back_and_figures(opened, written):
    page = opened(written, "#period=2025-05&harbor=Cold+Pier")
    assert page.locator("select[name=period]").input_value() == "2025-05"
    first = page.locator("[data-section=Months] .drawing svg").inner_html()
    page.select_option("select[name=harbor]", "Alderquay")
    assert "harbor=Alderquay" in page.url and "period=2025-05" in page.url
    assert page.locator("[data-section=Months] .drawing svg").inner_html() != first
    page.go_back()
    page.wait_for_function("document.querySelector('select[name=harbor]').value === 'Cold Pier'")
    assert "Cold Pier" in page.locator("[data-section=Months] figcaption").inner_text()
    page.go_forward()
    page.wait_for_function("document.querySelector('select[name=harbor]').value === 'Alderquay'")
    texts = page.locator("[data-section=Months] svg text").all_text_contents()
    assert {"2024-05", "2025-05"} <= set(texts) and any("%" in text for text in texts)
    for section in ("Harbors", "Both", "Moved", "Pace", "Land"):
        assert page.locator(f"[data-section={section}] .drawing svg").count() == 1, section
        assert page.locator(f"[data-section={section}] .target").count() > 1, section


@needs_browser
def test_a_link_to_what_is_gone_says_so_and_is_put_right(opened, written):
    page = opened(written, "#period=2031-05&harbor=Nowhere&line=hire&color=blue")
    gone = page.locator("#gone")
    assert gone.inner_text() == "The link asks for 2031-05, Nowhere, blue, which is not there: the rest is shown."
    assert page.url.endswith("#period=2026-10&line=hire") and page.locator("#live").inner_text() == gone.inner_text()
    assert page.locator("select[name=line]").input_value() == "hire"
    page.select_option("select[name=harbor]", "Alderquay")
    page.wait_for_function("document.documentElement.dataset.shown.includes('Alderquay')")
    assert not gone.is_visible()


def small_book():
    """Four months of two harbors and three lines, with units; one line comes late, one is given back."""
    draw = random.Random(5)
    made = [
        (f"2025-{month:02}-{day:02}", harbor, line, draw.randint(-5 if line == "z" else 20, 90), draw.randint(1, 9))
        for month, day, harbor, line in itertools.product(range(1, 5), (1, 15, 28), "AB", "xyz")
        if (harbor, line) != ("B", "y") or month > 2
    ]
    frame = pd.DataFrame(made, columns=["day", "harbor", "line", "amount", "units"])
    return lc.read(frame, date="day", values=["amount", "units"], by=["harbor", "line"], until="2025-04-30")


def test_every_choice_of_every_question(tmp_path):
    """Each pick of pairs of dimensions, each period: rows out of the whole answer, and no refusal of Python's."""
    book, both = small_book(), ["harbor", "line"]
    asked = {"by": both, "measures": "amount"}
    prior = asked | {"against": "prior"}
    answers = {
        "within": lc.relate(book, "month", within="harbor", last=1, **prior),
        "within line": lc.relate(book, "month", within="line", beside="mean", last=1, **prior),
        "item": lc.relate(book, "month", within="harbor", beside="item:x", last=1, **prior),
        "largest": lc.relate(book, "month", beside="largest", last=1, **prior),
        "moved": lc.drivers(book, "month", quantity="units", **prior),
        "top": lc.compare(book, "month", top=2, last=1, **prior),
        "pace": lc.pace(book, "quarter", **prior),
        "land": lc.land(book, "month", **prior),
        "was": lc.land(book, "quarter", rest="as-was", each="month", **prior),
        "listed": lc.land(book, "month", profile={n: [1 / n] * n for n in (28, 30, 31)}, **prior),
    }
    data = carried(lc.write_page(answers, tmp_path / "p.html"))
    page, sections = data["page"], data["sections"]
    periods, told = [label for label, *_ in page["grains"][0]["periods"]], set()
    for section, (heading, answer) in zip(sections, answers.items()):
        pool = section["pool"]
        for place, shared in zip(section["taken"][::2], section["taken"][1::2]):
            pool[place] = data["shared"][shared]
        for pick, places in zip(page["picks"], section["views"][0]):
            picked = {name: label for name, label in zip(both, pick) if label}
            for period, label in enumerate(periods[1:], 1):
                view = pool[places[period]]
                text = json.dumps([view, [pool[n] for n in [view.get("words")] if n is not None]])
                assert "`" not in text and "--" not in text and "(by" not in text, (heading, picked, label, text)
                if "refused" not in view and heading in ("land", "was", "listed") and len(picked) < 2:
                    rest = [name for name in both if name not in picked]
                    until = book.where(picked).until(pd.Period(label).end_time.date())
                    total = answer.again(book=until, by=rest, at=None).total
                    table = view["tables"][0]
                    place = [name for name, *_ in pool[table["frame"]]["head"]].index("estimate")
                    sums = [pool[n] for n in pool[table["rows"]] if "total" in pool[n].get("looks", ())]
                    assert sums[-1]["figures"][place] == full(total.estimate.iloc[-1]), (heading, picked, label)
                if "refused" in view or heading not in ("within", "within line", "item", "largest", "moved", "top"):
                    continue
                options = {"top": None} if heading == "top" and picked else {}
                whole = answer.again(at=label, last=None, **options) if heading != "moved" else answer.again(at=label)
                figure = {"moved": "contribution", "top": "value"}.get(heading, "ratio")
                column = {"contribution": "points"}.get(figure, figure)
                wanted = {
                    f"{row.harbor} / {row.line}": full(getattr(row, figure))
                    for row in whole.table.itertuples()
                    if all(getattr(row, name) == item for name, item in picked.items())
                }
                (table, *_) = view["tables"]
                heads = [name for name, *_ in pool[table["frame"]]["head"]]
                shown = [pool[n] for n in pool[table["rows"]]]
                found = {row["item"]: row["figures"][heads.index(column)] for row in shown if " / " in row["item"]}
                assert found == wanted or (heading == "top" and not picked), (heading, picked, label)
                if heading == "moved" and len(picked) == 1:  # the figure tells the points of the rows
                    points = re.findall(r"([\d.]+) points", pool[view["figure"]["scene"]]["said"])
                    assert {EUROS.points(float(row["figures"][heads.index("points")]))[1:] for row in shown} >= {
                        *points
                    }
                    told.update(points)
                if heading == "within" and picked.keys() == {"harbor"}:
                    alone = answer.again(book=book.where(picked), at=label, last=None)
                    assert pool[view["words"]] == lc.words.sentences(alone, at=label)
    assert len(told) > 3


@needs_browser
def test_all_others_stand_last(opened, tmp_path):
    book = small_book()
    asked = {"by": "line", "against": "prior", "measures": "amount", "top": 1}
    answers = {"Top": lc.compare(book, "month", last=1, **asked), "Moved": lc.drivers(book, "month", **asked)}
    page = opened(lc.write_page(answers, tmp_path / "t.html", figures={"Top": "bars"}))
    unfold(page)
    for heading in answers:
        section = page.locator(f"[data-section={heading}]")
        for name in ("Amount", "Growth", "Amount"):
            section.locator("thead button", has_text=name).first.click()
            assert [row["item"] for row in rows(section)][1:] == ["all others", ""]
        texts = section.locator("svg text").all_text_contents()
        assert texts.index("all others") > texts.index(rows(section)[0]["item"])


@needs_browser
def test_each_cell_has_the_color_of_its_own_verdict(opened, rows_file, tmp_path):
    days = [("2025-03-01", "a", "1"), ("2025-03-05", "a", "9"), ("2026-02-03", "a", "5"), ("2026-03-05", "a", "4")]
    book = lc.read(rows_file(days), values="amount", by="item", until="2026-03-05")
    answers = {
        "Now": lc.overview(book, by="item", windows=["month", "year"]),  # no year ago of the year
        "Across": lc.compare(book, "month", by="item", last=1).across("growth"),
    }
    page = opened(lc.write_page(answers, tmp_path / "page.html"))
    told = """section => [...section.querySelectorAll("tbody tr:first-child td")].map(
        cell => [cell.innerText.replace(/\\s+/g, " ").trim(), cell.classList.contains("adverse")])"""
    of_month, of_year = page.locator("[data-section=Now]").evaluate(told)[1::2]
    assert of_month == ["▼ −60.0 %", True] and of_year == ["· –", False]
    assert [adverse for _, adverse in page.locator("[data-section=Across]").evaluate(told)] == [True]


@needs_browser
def test_sort_save_and_details(opened, written, answers, tmp_path):
    page = opened(written)
    unfold(page)
    section = page.locator("[data-section=Harbors]")
    button = section.locator("thead button", has_text="Growth")
    for order in ("descending", "ascending"):
        button.click()
        assert section.locator(f"th[aria-sort={order}]").count() == 1
        shown = rows(section)
        growths = [float(row["growth"]) for row in shown[:-1]]
        assert growths == sorted(growths, reverse=order == "descending") and shown[-1]["item"] == ""
    with page.expect_download() as told:
        section.locator("button.save").click()
    told.value.save_as(tmp_path / "saved.csv")
    saved = list(csv.DictReader(io.StringIO((tmp_path / "saved.csv").read_text(encoding="utf-8-sig"))))
    assert {row["harbor"]: row["growth"] for row in saved} == {row["item"]: row["growth"] for row in rows(section)}
    # the columns of a file of the answer, and its rows
    for heading in ("Harbors", "Both"):
        of_file = list(csv.DictReader(io.StringIO(answers[heading].write(tmp_path / "file.csv").read_text("utf-8"))))
        with page.expect_download() as told:
            page.locator(f"[data-section={heading}] button.save").first.click()
        of_page = list(csv.DictReader(io.StringIO(Path(told.value.path()).read_text("utf-8-sig"))))
        assert list(of_page[0]) == list(of_file[0])
        lines = [row for row in of_file if row["measure"] == "revenue"]
        assert all(row in of_page for row in lines) and len(of_page) >= len(lines)
    both = page.locator("[data-section=Both] .drawing")
    both.focus()
    page.keyboard.press("ArrowDown")
    assert page.locator("#detail dt").all_inner_texts()[:2] == ["Harbor", "Line"]
    page.keyboard.press("Escape")
    drawing = section.locator(".drawing")
    drawing.focus()
    page.keyboard.press("ArrowDown")
    detail = page.locator("#detail")
    assert detail.is_visible() and [t for t in detail.locator("dt").all_inner_texts()] == [
        *("Harbor", "Period", "Revenue", "Year ago", "Change", "Growth", "Status"),
    ]
    assert "1–18 Oct 2025" in detail.inner_text() and "Harbor: " in page.locator("#live").inner_text()
    page.keyboard.press("Escape")
    assert not detail.is_visible()
    section.locator(".target").first.hover()
    assert detail.is_visible()


@needs_browser
def test_nothing_in_a_label_is_carried_out(opened, rows_file, tmp_path):
    records = [
        (f"{year}-{month:02}-03", n, month + n) for year in (2024, 2025) for month in (1, 2, 3) for n in range(5)
    ]
    named = io.StringIO()
    csv.writer(named).writerows([("day", "item", "amount"), *((d, NASTY[n], v) for d, n, v in records)])
    (tmp_path / "nasty.csv").write_text(named.getvalue(), encoding="utf-8")
    book = lc.read(tmp_path / "nasty.csv", date="day", values="amount", by="item")
    heading = "</section><script>window.hit=1</script>"
    path = lc.write_page({heading: lc.compare(book, "month", by="item")}, tmp_path / "n.html", title="<b>&'\"")
    page = opened(path)
    for label in NASTY:
        page.select_option("select[name=item]", label)
        assert page.evaluate("window.hit") is None and page.locator("section[data-section] img").count() == 0
    assert page.locator("h1").inner_text() == "<b>&'\"" and page.locator("script").count() == 2
    assert page.locator("section[data-section]").get_attribute("data-section") == heading
    policy = page.locator("meta[http-equiv=Content-Security-Policy]").get_attribute("content")
    assert policy.startswith("default-src 'none'") and "unsafe" not in policy


#: Names that a script has itself, or that the page's own data and choices have.
KEYS = ["$", "__proto__", "constructor", "toString", "period", "pool", "hasOwnProperty", "1"]


@needs_browser
@pytest.mark.parametrize(
    "dimensions", [("period", "measures"), ("against", "dimension:period"), ("__proto__", "length")]
)
def test_names_that_the_page_has_itself(opened, tmp_path, dimensions):
    """Periods, labels, dimensions and measures called like keys: rows, choices and the address are as of any other."""
    first, second = dimensions
    named = io.StringIO()
    days = [f"2025-{n:02}-03" for n in range(1, len(KEYS) + 1)]
    rows_of = [(day, KEYS[k], KEYS[(k + n) % 3], k + n + 1) for n, day in enumerate(days) for k in range(8)]
    csv.writer(named).writerows([("day", first, second, "constructor"), *rows_of])
    (tmp_path / "s.csv").write_text(named.getvalue(), encoding="utf-8")
    listed = {
        "start": [d[:8] + "01" for d in days],
        "end": [d[:8] + "28" for d in days],
        "label": KEYS,
        "year": [2025] * 8,
    }
    calendar = lc.ListedCalendar(listed, gaps="allowed")
    book = lc.read(tmp_path / "s.csv", date="day", values="constructor", by=[first, second])
    answers = {key: lc.compare(book, "month", "prior", calendar=calendar, last=3) for key in ("toString", "$")}
    page = opened(lc.write_page(answers, tmp_path / "k.html"))
    unfold(page)
    selects = page.locator("form.choices select")
    names = selects.evaluate_all("all => all.map(one => one.name)")
    assert len(set(names)) == 3 and names[0] == "period"
    for period, labels in (("$", ["", "__proto__"]), ("__proto__", ["$"]), ("toString", [""]), ("period", ["$"])):
        selects.nth(0).select_option(period)
        for label in labels:
            selects.nth(1).select_option(label)
            chosen = book.where({first: label}) if label else book
            made = lc.compare(chosen, "month", "prior", calendar=calendar, at=period).total.iloc[0]
            page.reload()  # the address holds the choice
            page.wait_for_function("document.documentElement.dataset.shown !== undefined")
            unfold(page)
            for section in page.locator("section[data-section]").all():
                (row,) = [row for row in rows(section) if row["period"] == period]
                assert (row["value"], row["base"]) == (full(made["value"]), full(made["base"]))
                text = section.locator("tbody tr").last.inner_text()
                assert period in text and "function" not in text
            assert selects.evaluate_all("all => all.map(one => one.value)")[:2] == [period, label]


@needs_browser
@pytest.mark.parametrize("safe", [True, False])
def test_what_is_saved_and_copied_is_safe_for_spreadsheets(opened, rows_file, tmp_path, safe):
    path = rows_file([("2025-01-01", "=1+1", 3), ("2025-02-05", "@SUM(A1)", 4), ("2025-02-06", "plain", 5)])
    made = lc.compare(lc.read(path, date="day", values="amount", by="item"), "month", "prior", by="item")
    page = opened(lc.write_page(made, tmp_path / "p.html", formats=Formats(spreadsheet_safe=safe)))
    with page.expect_download() as download:
        page.locator("button.save").first.click()
    saved = list(csv.DictReader(io.StringIO(Path(download.value.path()).read_text("utf-8-sig"))))
    page.evaluate(
        "() => { window.copied = ''; navigator.clipboard.writeText = async (text) => { window.copied = text; }; }"
    )
    page.locator("button.copy").first.click()
    copied = list(csv.DictReader(io.StringIO(page.evaluate("window.copied")), delimiter="\t"))
    assert copied == saved and {"3.0", "-3.0"} <= {value for row in saved for value in row.values()}
    for row in saved:
        texts = [text for name, text in row.items() if name in ("item", "measure", "period")]
        assert any(text.startswith(("=", "@")) for text in texts) == (not safe and "1" in row["item"])
        assert any(text.startswith("'") for text in texts) == (safe and "1" in row["item"])


@needs_browser
@pytest.mark.skipif(AXE is None, reason="needs axe-core: set LOGOCHRON_AXE to its axe.min.js")
@pytest.mark.parametrize("scheme, width", [("light", 1280), ("dark", 1280), ("light", 390)])
def test_accessible(browser, written, scheme, width):
    page = browser.new_page(viewport={"width": width, "height": 900}, color_scheme=scheme, bypass_csp=True)
    page.goto(written.as_uri() + "#period=2026-05")
    page.wait_for_function("document.documentElement.dataset.shown !== undefined")
    page.add_script_tag(content=Path(AXE).read_text(encoding="utf-8"))
    found = page.evaluate("axe.run()")["violations"]
    assert [
        (one["id"], one["nodes"][0]["html"][:90]) for one in found if one["impact"] in ("serious", "critical")
    ] == []
    assert page.evaluate("document.documentElement.scrollWidth") <= width
    page.close()


def test_what_is_vendored_is_what_is_written_down():
    folder = Path(page_choices.__file__).parent / "drawing"
    listed = json.loads((folder / "versions.json").read_text())
    assert tuple(listed) == tuple(sorted(DRAWING, key=list(listed).index)) and len(listed) == len(DRAWING)
    for name, told in listed.items():
        assert (
            hashlib.sha256(gzip.decompress((folder / f"{name}.min.js.gz").read_bytes())).hexdigest() == told["sha256"]
        )
    assert "Permission to use" in (folder / "LICENSE").read_text()


def test_too_many_choices_are_left_out_and_told(monkeypatch, book, tmp_path, caplog):
    monkeypatch.setattr(page_choices, "MOST_VIEWS", 140)
    path = lc.write_page(lc.compare(book, "month", by="harbor", measures="revenue"), tmp_path / "p.html")
    data, text = carried(path), path.read_text(encoding="utf-8")
    assert len(data["page"]["picks"]) * len(data["page"]["grains"][0]["periods"]) <= 140
    assert "3 of 4 items of harbor can be chosen, the largest" in text and "Line cannot be chosen here" in text
    assert data["page"]["dimensions"][0]["items"] == ["Alderquay", "Brackenmouth", "Dunmarrow"]
    lc.write_page([lc.compare(book, "month", measures="revenue"), lc.compare(book, "week")], tmp_path / "q.html")
    assert "views in each of 2 sections, and gets" in caplog.text
    assert re.search(r"would have [\d,]+ views in each of 1 section, and gets \d+, so that it", caplog.text)


def test_answers_without_choices_and_refusals(book, tmp_path):
    months = lc.compare(book, "month", measures="revenue", last=2)
    span = lc.compare(
        book, "span", at="2026-05-01..2026-05-09", against="span:2025-05-01..2025-05-09", measures="revenue"
    )
    path = lc.write_page([lc.explain(months), lc.review(book), span], tmp_path / "p.html", locale="de")
    data = carried(path)
    pool = data["sections"][1]["pool"]
    findings = [row["cells"][0] for row in pool if isinstance(row, dict) and "cells" in row]
    assert findings and all(findings)
    assert len(data["sections"]) == 3 and "Stichtag" in path.read_text(encoding="utf-8")
    view = data["sections"][2]["pool"][data["sections"][2]["views"][0][0][0]]
    assert view["tables"] and data["page"]["dimensions"][0]["key"] == "harbor"
    for wrong, said in (([], "holds none"), ([3], "must be answers")):
        with pytest.raises(lc.QuestionError, match=said):
            lc.write_page(wrong, tmp_path / "q.html")
    assert Section(heading="x").answer is None and not (tmp_path / "q.html").exists()


@pytest.fixture(scope="module")
def chosen_from(tmp_path_factory):
    """A page on which measure, base, grain and window can be chosen, its answers, their book and the plan."""
    draw = random.Random(34)
    days = pd.date_range("2024-10-01", "2025-05-18", freq="3D")
    made = [(day, harbor, draw.randint(20, 90), draw.randint(1, 9)) for day in days for harbor in "AB"]
    frame = pd.DataFrame(made, columns=["day", "harbor", "revenue", "cost"])
    book = lc.read(frame, date="day", values=["revenue", "cost"], by="harbor", until="2025-05-18")
    planned = {"month": ["2025-01", "2025-02", "2025-03", "2025-04", "2025-05"], "revenue": range(900, 1400, 100)}
    plan = lc.read_plan(pd.DataFrame(planned), date="month", value="revenue", measure="revenue")
    asked = {"measures": "revenue", "against": "prior"}
    answers = {
        "Overview": lc.overview(book, by="harbor", windows=["month", "quarter"], **asked),
        "Months": lc.compare(book, "month", last=4, **asked),
        "Harbors": lc.compare(book, "month", by="harbor", last=1, **asked),
        "Moved": lc.drivers(book, "month", by="harbor", **asked),
        "Records": lc.review(book),
    }
    offered = {"measures": ["revenue", "cost"], "against": ["prior:2", "plan"], "grains": ["quarter"],
               "windows": ["year"]}  # fmt: skip
    place = tmp_path_factory.mktemp("chosen") / "index.html"
    path = lc.write_page(answers, place, title="Chosen", choices=offered, plan=plan, opens="last-whole")
    return path, answers, book, plan


@needs_browser
def test_all_that_is_chosen_equals_what_python_says(opened, chosen_from):
    path, answers, book, plan = chosen_from
    page = opened(path)
    assert page.locator("select[name=period]").input_value() == "2025-04"  # the last whole one
    draw, kinds = random.Random(34), {"measure": "measures", "against": "against", "grain": "each", "window": "running"}
    offered = {"measure": ["", "revenue", "cost"], "against": ["", "prior:2", "plan"],
               "grain": ["", "quarter"], "window": ["", "year"]}  # fmt: skip
    for _ in range(8):
        setting = {kind: draw.choice(names) for kind, names in offered.items()}
        for kind, name in setting.items():
            page.select_option(f"select[name={kind}]", name)
        grain = setting["grain"] or "month"
        labels = page.locator("select[name=period] option").evaluate_all("all => all.map(one => one.value)")
        assert re.fullmatch(r"\d{4}-Q\d" if grain == "quarter" else r"\d{4}-\d\d", labels[0])
        period, harbor = draw.choice(labels), draw.choice(["", *book.items("harbor")])
        page.select_option("select[name=period]", period)
        page.select_option("select[name=harbor]", harbor)
        of, changed = book.where({"harbor": harbor}) if harbor else book, {}
        for kind, name in setting.items():  # one after the other: what cannot be followed is left out
            more = changed | ({kinds[kind]: name} if name else {})
            options = more | ({"plan": plan} if more.get("against") == "plan" else {})
            with contextlib.suppress(lc.LogochronError):
                answers["Months"].again(last=None, at=None, **options)
                changed = more
        options = changed | ({"plan": plan} if changed.get("against") == "plan" else {})
        kept = [kind for kind, name in setting.items() if name and kinds[kind] not in changed]
        section = page.locator("[data-section=Months]")
        try:
            wanted = answers["Months"].again(book=of, at=period, last=None, **options).total
            shown = {row["period"]: row for row in rows(section)}
            assert shown[period].items() >= expected(wanted, 0).items(), (setting, period, harbor)
            card = page.locator(f"article.card[data-period='{period}']").first
            assert card.get_attribute("data-value") == full(wanted["value"][0])
            assert card.get_attribute("data-measure") == (setting["measure"] or "revenue")
        except lc.QuestionError:  # a plan of the total has no harbors
            assert harbor and setting["against"] == "plan"
        notes = section.locator(".keeps").all_inner_texts()
        assert len(notes) == bool(kept) and all(("base" in note) == ("against" in kept) for note in notes)
        held = {name: name in page.url for name in ("measure=", "against=", "grain=", "window=")}
        assert held == {f"{kind}=": bool(name) for kind, name in setting.items()}
        before = page.locator("main").text_content()
        page.reload()  # the address holds all of it
        page.wait_for_function("document.documentElement.dataset.shown !== undefined")
        assert page.locator("main").text_content() == before
    assert "the same whatever is chosen" in page.locator("[data-section=Records] .keeps").inner_text()


@needs_browser
def test_what_is_chosen_follows_the_grain_and_the_way_back(opened, chosen_from):
    page = opened(chosen_from[0], "#period=2025-02&measure=cost&against=prior%3A2")
    assert page.locator("select[name=measure]").input_value() == "cost"
    cells = page.locator("[data-section=Overview] tbody td[data-basis]")
    assert set(cells.evaluate_all("all => all.map(one => one.dataset.basis)")) == {"prior:2"}
    page.select_option("select[name=grain]", "quarter")
    assert page.locator("select[name=period]").input_value() == "2025-Q1"  # that which holds its last day
    assert page.locator("[data-section=Overview] .keeps").inner_text() == "This section keeps its own: periods."
    assert {row["period"] for row in rows(page.locator("[data-section=Months]"))} >= {"2025-Q1"}
    page.go_back()
    page.wait_for_selector("[data-section=Overview] caption:has-text('to 28 February 2025')")
    assert page.locator("[data-section=Overview] .keeps").count() == 0
    page.select_option("select[name=window]", "year")
    heads = page.locator("[data-section=Overview] th.group").all_inner_texts()
    assert heads == ["Year to 28 Feb"]
    page.locator("select[name=measure]").focus()
    page.keyboard.press("ArrowUp")  # by the keyboard alone
    page.wait_for_selector("[data-section=Overview] caption:has-text('Revenue')")


@needs_browser
@pytest.mark.parametrize("width", [1280, 1600, 390])
def test_the_first_screen(opened, tmp_path, width):
    """Choices, cards, the overview and its sentence without scrolling; tables folded, open by a click or a link."""
    answers = lc.Report.load(lc.demo.write_report(tmp_path)).run()
    some = {heading: answers[heading] for heading in ("Overview", "How the months stand", "By harbor", "The margin")}
    page = opened(lc.write_page(some, tmp_path / "p.html", choices=[], currency="EUR"),
                  viewport={"width": width, "height": 800})  # fmt: skip
    assert page.evaluate("document.documentElement.scrollWidth") <= width
    sentence = page.locator("[data-section=Overview] .said")
    assert width < 1000 or sentence.bounding_box()["y"] + sentence.bounding_box()["height"] < 800
    tables = page.locator("section[data-section] table")
    assert [one.is_visible() for one in tables.all()] == [True, False, False, False]
    assert page.locator("[data-section=Overview] td.spark svg").count() == 5
    contents, places = page.locator("nav.contents"), page.locator("nav.contents a")
    assert contents.is_visible() == (width >= 1100) and places.count() == 5
    if width >= 1100:
        for drawing in page.locator(".drawing").all():
            assert drawing.locator("svg").bounding_box()["width"] >= 0.9 * min(drawing.bounding_box()["width"], 1500)
        places.nth(2).click()
        assert tables.nth(2).is_visible() and "at=By+harbor" in page.url
        page.keyboard.press("End")
        page.wait_for_selector("nav a[aria-current]:has-text('The records')")
    page.locator("[data-section='How the months stand'] summary").click()
    assert tables.nth(1).is_visible()
    for scroll in page.locator(".scroll:visible").all():
        wider = scroll.evaluate("one => one.scrollWidth > one.clientWidth + 1")
        assert wider == ("goes-on" in scroll.get_attribute("class"))
    page.evaluate("dispatchEvent(new Event('beforeprint'))")
    assert all(one.is_visible() for one in tables.all())
    page.evaluate("dispatchEvent(new Event('afterprint'))")
    assert not tables.nth(3).is_visible() and tables.nth(1).is_visible()
    alone = opened(lc.write_page(answers["By harbor"], tmp_path / "one.html"), viewport={"width": width, "height": 800})
    # without a list of sections beside them they have all the width there is
    assert alone.locator("main").bounding_box()["width"] >= min(width, 1560) - 60


def test_more_than_a_page_carries_is_refused_before_any_work(book, tmp_path, monkeypatch):
    months = lc.compare(book, "month", measures="revenue")
    monkeypatch.setattr(page_choices, "MOST_IN_ALL", 500)
    choices = {"measures": ["units", "cost"], "against": ["prior", "year-ago:2"]}
    said = r"the page would have 4,590 views and take about [\d.]+ MB, and carries 500 and 6 MB at most; harbor costs"
    with pytest.raises(lc.QuestionError, match=said):
        lc.write_page(months, tmp_path / "p.html", choices=choices)
    for wrong, told in (
        ({"measure": []}, "there is no choice 'measure'. Did you mean 'measures'"),
        ({"measures": ["profit"]}, "the page has no measure 'profit'"),
        ({"grains": ["fortnight"]}, "`grains` must be one of"),
        ({"windows": "year"}, "`choices` must be a list of texts or a mapping"),
    ):
        with pytest.raises(lc.QuestionError, match=re.escape(told)):
            lc.write_page(months, tmp_path / "p.html", choices=wrong)
    assert not (tmp_path / "p.html").exists()


def test_no_hint_for_the_maker_stands_on_a_page(rows_file, tmp_path):
    days = [("2024-01-20", "Total", 5), *((f"2025-{m:02}-09", "ab"[m % 2], m) for m in range(1, 9))]
    book = lc.read(rows_file(days), values="amount", by="item")
    months = lc.compare(book, "month", by="item")
    assert any("--" in line for line in book.intake.warnings) and any("(--" in line for line in months.notes)
    for locale in ("en", "de"):
        path = lc.write_page([months, lc.overview(book, by="item")], tmp_path / "p.html", locale=locale)
        text = json.dumps(carried(path)) + re.sub(r"<(script|style).*?</\1>", "", path.read_text("utf-8"), flags=re.S)
        assert "--" not in text and "(by" not in text and "covering=" not in text and "`" not in text
        assert ("has an item" if locale == "en" else "hat ein Element") in text


@needs_browser
def test_notes_stand_once_and_records_without_a_dimension_say_so(opened, rows_file, tmp_path):
    days = [(f"2025-{m:02}-{d:02}", "ab"[m % 2], m) for m in range(1, 9) for d in (1, 9, 20)]
    book = lc.read(rows_file(days), values="amount", by="item")
    plain = lc.read(rows_file(days, name="plain.csv"), values="amount")
    answers = {"One": lc.compare(book, "month", last=3), "Two": lc.compare(book, "quarter", last=2),
               "Three": lc.compare(plain, "month", last=3)}  # fmt: skip
    page = opened(lc.write_page(answers, tmp_path / "p.html"))
    unfold(page)
    lines = page.locator(".lines li, .notes li").all_inner_texts()
    assert len(lines) == len(set(lines)) and "no month has a base: the records start on 1 Jan 2025" in lines
    assert page.locator(".keeps").count() == 0
    page.select_option("select[name=item]", "a")
    assert page.locator(".keeps").all_inner_texts() == [
        "The records of this section have no item: all of them are shown."
    ]
    assert page.locator("[data-section=Three] .keeps").count() == 1


def test_an_overview_tells_nothing_of_items_that_come_later(rows_file, tmp_path):
    days = [*((f"2025-{m:02}-05", "a", 9) for m in range(1, 7)), ("2025-04-09", "b", 4), ("2025-05-09", "b", 5)]
    book = lc.read(rows_file(days), values="amount", by="item", until="2025-06-30")
    now = lc.overview(book, by="item", windows=["month", "year"], against="prior")
    data = carried(lc.write_page({"Overview": now}, tmp_path / "p.html"))
    (section,), page = data["sections"], data["page"]
    views = dict(zip(map(tuple, page["picks"]), section["views"][0]))[("b",)]
    shown = [section["pool"][place] for place in views]
    refused = ["refused" in view for view in shown]
    assert refused == [True, True, True, False, False, False]
    told = section["pool"][shown[4]["words"]]
    assert told == ["Amount (item b) to 31 May 2025: 5 this month (+25.0 % on the month before), 9 this year."]
