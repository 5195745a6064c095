"""The overview: each of its figures is that of compare; what it is in every form."""

from __future__ import annotations

import datetime as dt
import zipfile
from io import StringIO

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from make_catalogs import compiled
from rich.console import Console
from twin_cases import CALENDARS

import logochron as lc
from logochron.views import catalog
from logochron.views.formats import Formats
from logochron.views.tables.answer_tables import tables_of
from logochron.views.tables.cards import cards_of
from logochron.views.tables.cells import Shown
from logochron.views.tables.plain_text import table_text
from logochron.views.tables.terminal import print_table

FIRST, DAYS = dt.date(2019, 3, 5), 1500
WINDOWS = (
    *("day", "week", "month", "quarter", "half", "year", "12-month", "5-week"),
    *("last-week", "last-month", "last-quarter", "last-half", "last-year"),
)
BASES = ("year-ago", "prior", "prior:2", "mean:3", "year-ago:2", "year-ago-mean:2", "plan:low", "plan:high")


def _records(rng: np.random.Generator, n: int) -> pd.DataFrame:
    days = pd.Timestamp(FIRST) + pd.to_timedelta(np.sort(rng.integers(0, DAYS, n)), unit="D")
    return pd.DataFrame(
        {
            "day": days,
            "place": rng.choice(["North", "South", "East", "West"], n, p=[0.4, 0.3, 0.2, 0.1]),
            "line": rng.choice(["a", "b"], n),
            "amount": rng.integers(-300, 2000, n) / 100,
            "units": rng.integers(0, 5, n),
        }
    )


@pytest.fixture(scope="module")
def book():
    price = lc.Measure("price", of="amount", per="units")
    records = _records(np.random.default_rng(33), 2500)
    # one place opens late, so that it is not comparable everywhere
    records = records[(records["place"] != "West") | (records["day"] > pd.Timestamp(2021, 6, 1))]
    read = {"date": "day", "values": ["amount", "units"], "by": ["place", "line"], "measures": [price]}
    return lc.read(records, **read)


@pytest.fixture(scope="module")
def plans():
    months = pd.date_range(FIRST, periods=60, freq="MS")
    of_places = [(m, place, k * 10.25) for k, m in enumerate(months) for place in ("North", "East", "Centre")]
    low = pd.DataFrame(of_places, columns=["month", "place", "amount"])
    high = pd.DataFrame({"month": months[10:], "amount": np.arange(50) * 37})
    read = {"date": "month", "value": "amount", "measure": "amount"}
    return {"low": lc.read_plan(low, by="place", **read), "high": lc.read_plan(high, **read)}


def _same_rows(mine: pd.DataFrame, theirs: pd.DataFrame, by: list[str]) -> None:
    """Rows of an overview of one window and basis, and those of compare; compare may lack items without a record."""
    keys = ["measure", *by]
    theirs = theirs.drop(columns="base_share")
    for one in (mine, theirs):
        one["period"] = one["period"].astype(str)
        one[by] = one[by].fillna("").astype(str)
    mine = mine.drop(columns=["window", "basis"]).set_index(keys)
    theirs = theirs.set_index(keys)
    assert set(theirs.index) <= set(mine.index)
    alone = mine.loc[~mine.index.isin(theirs.index)]
    assert ((alone["value"].fillna(0) == 0) & (alone["base"].fillna(0) == 0)).all()
    mine = mine.loc[theirs.index, theirs.columns]
    pd.testing.assert_frame_equal(mine, theirs, check_exact=True, check_dtype=False, check_index_type=False)


@settings(max_examples=12)
@given(data=st.data())
def test_each_figure_is_that_of_compare(book, plans, data):
    draw = data.draw
    calendar = CALENDARS[draw(st.sampled_from(sorted(CALENDARS)))][0]()
    windows = [w for w in WINDOWS if w.split("-")[-1] in calendar.grains]
    windows = draw(st.lists(st.sampled_from(windows), min_size=1, max_size=4, unique=True))
    against = draw(st.lists(st.sampled_from(BASES), min_size=1, max_size=3, unique=True))
    by = draw(st.sampled_from([[], ["place"], ["place", "line"]]))
    until = FIRST + dt.timedelta(days=draw(st.integers(5, DAYS - 1)))
    seen = book if draw(st.booleans()) else book.where({"place": lc.Not("South")})
    options = {
        "by": by, "calendar": calendar, "per": draw(st.sampled_from([None, "day", "trading-day"])),
        "items": draw(st.sampled_from(["all", "comparable"])) if by else "all",
        "judging": lc.Judging(level_within=0.1, bands=[lc.Band("low", below=0.0), lc.Band("high", from_=0.0)]),
    }  # fmt: skip
    plan = plans if any(basis.startswith("plan") for basis in against) else None
    answer = lc.overview(seen, windows=windows, against=against, plan=plan, at=until, **options)
    for window in windows:
        for basis in against:
            one = answer.comparison(window, basis)
            grain = window.split("-")[-1]
            running = int(window.split("-")[0]) if window[0].isdigit() else None
            asked = lc.compare(
                seen.until(until), grain, basis, at=one.periods[0], running=running,
                plan=plans if basis.startswith("plan") else None, **options,
            )  # fmt: skip
            if not window.startswith("last-"):
                assert asked.alignment.rows.own_starts[0] <= _number(until) <= asked.alignment.rows.ends[0]
            else:
                assert asked.alignment.rows.ends[0] <= _number(until) < asked.alignment.rows.ends[0] + 400
            for part in ("table", "subtotals", "total"):
                rows = getattr(answer, part)
                rows = rows[(rows["window"] == window) & (rows["basis"] == basis)].reset_index(drop=True)
                _same_rows(rows, getattr(asked, part).copy(), by)


def _number(day: dt.date) -> int:
    return (day - dt.date(1970, 1, 1)).days


def test_what_a_window_lacks_leaves_the_others_alone(plans):
    months = pd.date_range("2023-01-01", periods=24, freq="MS")
    monthly = lc.read(pd.DataFrame({"m": months, "v": range(24)}), date="m", values="v", records_of="month")
    told = lc.overview(monthly, windows=["week", "month", "year"], against=["year-ago", "fixed:2023"]).total
    assert told.value.isna().tolist() == [True, True, False, False, False, False]
    assert told.note.tolist()[:2] == ["not recorded"] * 2 and told.status.tolist()[2:] == ["complete"] * 4
    month, year = told[told.basis == "fixed:2023"].iloc[1:].to_dict("records")
    assert np.isnan(month["base"]) and month["note"] == "no base: fixed:2023 names no month"
    assert year["growth"] == sum(range(12, 24)) / sum(range(12)) - 1
    for options, said in (
        ({"windows": "week"}, "stands for a whole month"),
        ({"against": "fixed:1999-99"}, "`against`"),
        ({"windows": ["mounth"]}, "Did you mean 'month'"),
        ({"windows": "mtd"}, "is here: windows='month'"),
        ({"windows": ["month", "month"]}, "twice"),
        ({"windows": []}, "must name one window"),
        ({"against": ["prior", "prior"]}, "twice"),
        ({"against": "span:2023-01-01..2023-02-01"}, "an overview is of periods"),
        ({"against": "plan"}, "needs `plan`"),
        ({"lead": "day"}, "`lead`"),
        ({"at": "2031"}, "lies past the report date"),
        ({"plan": plans, "against": "plan"}, "must name one of the 2 plans: plan:low, plan:high"),
        ({"plan": plans, "against": "plan:hih"}, "Did you mean 'high'"),
    ):
        with pytest.raises(lc.QuestionError, match=said):
            lc.overview(monthly, **options)


def test_order_frames_and_moments(book):
    now = lc.overview(book, by="place", windows=["last-month", "month", "year"], at="2022-03", measures="amount")
    assert now.book.report_day == dt.date(2022, 3, 31)
    assert now.total.period.astype(str).tolist() == ["2022-03", "2022-03", "2022"]  # of a month that is over
    year = now.table[now.table.window == "year"]
    assert year.value.is_monotonic_decreasing and now.table.place.tolist() == year.place.tolist() * 3
    led = lc.overview(book, by="place", measures="amount", lead="month", top=2, sort="label")
    month = led.table[led.table.window == "month"]
    assert month.place.iloc[-1] == "all others" and month.value.iloc[0] >= month.value.iloc[1]
    assert month.value.sum() == pytest.approx(led.total.value.iloc[0], abs=1e-9)
    wide = lc.overview(book, by=["place", "line"], against=["year-ago", "prior"]).wide
    assert wide.index.names == ["measure", "place", "line"] and wide.columns.names == ["window", "figure"]
    assert wide["year"].columns.tolist() == [
        *("value", "year-ago", "year-ago change", "year-ago growth", "prior", "prior change", "prior growth"),
    ]
    assert now.again(at="2021-06").book.report_day == dt.date(2021, 6, 30)


@pytest.fixture(scope="module")
def demo_now(demo_book, tmp_path_factory):
    _, plan = lc.demo.write(tmp_path_factory.mktemp("demo"))
    planned = lc.read_plan(plan, date="month", value="revenue", by="harbor", measure="revenue")
    return lc.overview(demo_book, by="harbor", measures=["revenue", "units"], plan=planned)


def test_windows_stand_below_each_other_where_width_lacks(demo_now):
    spec = tables_of(demo_now, Formats(), Shown(sparks=True))[0]
    wide = table_text(spec, plain=False).splitlines()
    assert wide[1].split(" ─")[0].strip() == "Month to 18 Oct" and wide[2].split().count("Revenue") == 3
    for width in (60, 80, 120, 160):
        drawn = StringIO()
        print_table(Console(file=drawn, width=width, no_color=True), spec, plain=False)
        shown = drawn.getvalue()
        assert max(map(len, shown.splitlines())) <= max(width, 95)
        assert all(text in shown for text in ("8,585", "+5.0 %", "+2.0 %", "162,974", "+4.2 %", "−0.6 %"))
    below = spec.below()
    assert len(below.rows) == 3 * len(spec.rows) and below.rows[1].text("group") == "Quarter to 18 Oct"
    assert sum(row.total for row in below.rows) == 1 and all(row.strong for row in below.rows[-3:])


def test_windows_of_the_same_days_have_heads_of_their_own(demo_book):
    then = {"by": "harbor", "measures": "revenue", "at": "2026-09-30"}
    now = lc.overview(demo_book, windows=["month", "last-month", "quarter", "last-quarter"], **then)
    (spec,) = tables_of(now, Formats(), Shown())
    heads = ["Sep 2026, this month", "Sep 2026, last month", "Q3 2026, this quarter", "Q3 2026, last quarter"]
    assert list(spec.groups) == heads and spec.spans()[1:] == [(head, 2) for head in heads]
    assert [row.text("group") for row in spec.below().rows[:4]] == heads


def test_every_form_of_an_overview(demo_now, demo_book, tmp_path):
    html = demo_now._repr_html_()
    assert html.count('colspan="3"') == 3 and html.count('colspan="2"') == 3 and "Month to 18 Oct" in html
    assert "| Year to 18 Oct: Plan % |" in demo_now._repr_markdown_()
    assert str(demo_now).startswith("Revenue by harbor, to 18 October 2026")
    said = lc.words.sentences(demo_now, measure="revenue", items=1)
    assert said[1].startswith("Alderquay: EUR 8,585 this month (+5.0 % on a year ago, +2.0 % on plan)"), said
    receipt = lc.explain(demo_now, window="year", against="plan", harbor="Cold Pier")
    assert receipt.figures["value"] == demo_now.wide.loc[("revenue", "Cold Pier"), ("year", "value")]
    with pytest.raises(lc.QuestionError, match="has no window 'day'"):
        lc.explain(demo_now, window="day")
    with pytest.raises(lc.QuestionError, match="go with the answer of overview"):
        lc.explain(lc.compare(demo_book, "month"), window="year")
    demo_now.write(tmp_path / "now.xlsx")
    sheet = zipfile.ZipFile(tmp_path / "now.xlsx").read("xl/worksheets/sheet1.xml").decode()
    assert (
        sheet.count("<mergeCell ") == 6
        and "outlineLevel" not in sheet
        and '<f>IF(AND(N(C5)&gt;0,D5&lt;&gt;""),D5/C5,"")</f>' in sheet
    )
    lc.overview(demo_book, by="harbor", measures=["revenue", "units"]).write(tmp_path / "now.xlsx")
    sheet = zipfile.ZipFile(tmp_path / "now.xlsx").read("xl/worksheets/sheet1.xml").decode()
    assert sheet.count('outlineLevel="1"') == 6  # what only formulas need, below each head
    lc.overview(demo_book, measures="revenue").write(tmp_path / "now.html")
    assert 'data-section="Revenue, to 18 October 2026' in (tmp_path / "now.html").read_text()
    demo_now.write(tmp_path / "now.csv")
    assert len(pd.read_csv(tmp_path / "now.csv")) == demo_now.columns.rows == 2 * 3 * 2 * 4
    picture = lc.draw.overview(demo_now)
    texts = [text.get_text() for text in picture.axes[0].texts]
    assert {"Month to 18 Oct", "Year to 18 Oct", "Total", "162,974"} <= set(texts)
    many = lc.overview(demo_book, by="harbor", measures="revenue", windows=["day", "week", "month", "year"])
    assert "Window" in [text.get_text() for text in lc.draw.overview(many).axes[0].texts]


def test_alerts_cards_and_restated_figures(cli, tmp_path):
    sales, plan = lc.demo.write(tmp_path)
    asked = ["overview", sales, "--value", "revenue", "--by", "harbor", "--date", "sold_on"]
    told = cli(*asked, "--plan", plan, "--alert", "month plan growth < -5%", "--alert", "12-month growth > 1")
    assert told.returncode == 2 and "has no window '12-month'" in told.stderr
    told = cli(*asked, "--plan", plan, "--alert", "month plan growth < -5%", "--alert", "growth < -90%", "--plain")
    assert told.returncode == 1 and "revenue, Cold Pier, Month to 18 Oct, Plan: growth -7.8 %" in told.stderr
    assert "alert growth < -90% does not fire on 18 Oct 2026" in told.stderr
    cards = cli(*asked, "--as", "cards").stdout
    assert cards.count("Revenue · ") == 3 and "24.2K" in cards
    two = cli(
        *asked, "--plan", f"budget={plan}", "--plan", "hope=50000", "--against", "plan:hope,plan:budget", "--as", "csv"
    )
    table = pd.read_csv(StringIO(two.stdout))
    assert table.basis.unique().tolist() == ["plan:hope", "plan:budget"]
    assert cli(*asked, "--plan", plan, "--plan", plan).returncode == 2
    book = lc.read(sales, date="sold_on", values="revenue", by="harbor")
    windows = {"by": "harbor", "windows": ["last-month", "month"]}
    lines = sales.read_text().splitlines()
    late = next(n for n, line in enumerate(lines) if line.startswith("2026-09-10"))
    fields = lines[late].split(",")
    fields[lines[0].split(",").index("revenue")] = "99999"
    (tmp_path / "later.csv").write_text("\n".join([*lines[:late], ",".join(fields), *lines[late + 1 :]]) + "\n")
    later = lc.read(tmp_path / "later.csv", date="sold_on", values="revenue", by="harbor")
    changed = lc.restated(lc.overview(book, **windows), lc.overview(later, **windows)).table
    assert set(changed.window) == {"last-month"} and set(changed.column) == {"value"} and len(changed) == 2


def test_periods_across(demo_book, cli, tmp_path):
    months = lc.compare(demo_book, "month", by=["harbor", "line"], measures="revenue", last=5)
    across = months.across("growth")
    frame = across.table
    assert frame.columns.tolist() == ["measure", "harbor", "line", *months.periods]
    items = frame[frame.line.notna()].set_index(["harbor", "line"])[list(months.periods)].stack()
    whole = months.table.assign(period=months.table.period.astype(str)).set_index(["harbor", "line", "period"]).growth
    assert items.to_dict() == {key: value for key, value in whole.to_dict().items() if np.isfinite(value)}
    assert frame.iloc[0].harbor == "Alderquay" and pd.isna(frame.iloc[0].line)  # subtotals above their items
    assert across.total.iloc[0][list(months.periods)].tolist() == months.total.growth.tolist()
    assert across.by == ("harbor", "line") and len(across.table) == len(months.table) / 5 + 4 + 1
    with pytest.raises(lc.QuestionError, match="must be one of value, growth, change, share"):
        months.across("size")
    sales, _ = lc.demo.write(tmp_path)
    asked = ["compare", sales, "--value", "revenue", "--by", "harbor", "--last", "3"]
    shown = cli(*asked, "--across", "growth").stdout.splitlines()
    assert shown[1].split()[1:] == ["2026-08", "2026-09", "2026-10", "to", "18"] and shown[-3].startswith("Total")
    assert len(pd.read_csv(StringIO(cli(*asked, "--across", "--as", "csv").stdout))) == 5
    assert cli(*asked, "--across", "--out", "x.png", cwd=tmp_path).returncode == 2
    assert cli(*asked, "--across", "change", "--out", "x.xlsx", cwd=tmp_path).returncode == 0


def test_ranks_and_growth_a_year(book):
    ranked = lc.compare(book, "year", "year-ago:2", by="place", measures="units", ranked=True, per_year=True)
    table = ranked.table
    for side, rank in (("value", "rank"), ("base", "base_rank")):
        oracle = table.groupby("period", observed=True)[side].rank(method="min", ascending=False)
        assert table[rank].astype(float).fillna(0).tolist() == oracle.fillna(0).tolist()
    shares = table.groupby("period", observed=True).value
    assert np.allclose(table.cumulative_share, shares.cumsum() / shares.transform("sum"))
    known = table.ratio > 0
    assert np.allclose(table.growth_per_year[known], table.ratio[known] ** 0.5 - 1)
    assert table.growth_per_year[~known].isna().all() and ranked.total["rank"].isna().all()
    top = lc.compare(book, "year", by="place", measures="units", ranked=True, top=2, last=1).table
    assert top["rank"].tolist()[:2] == [1, 2] and pd.isna(top["rank"].iloc[2]) and top.cumulative_share.iloc[2] == 1
    for options, said in (({"ranked": True}, "about items"), ({"per_year": True, "against": "prior"}, "year-ago:N")):
        with pytest.raises(lc.QuestionError, match=said):
            lc.compare(book, "year", **options)
    last = lc.compare(book, "year", by="place", measures="units", ranked=True, last=1)
    assert any("leads" in line or ", was " in line for line in lc.words.sentences(last))
    assert [line.get_linewidth() for line in lc.draw.bars(last).axes[0].lines if len(line.get_xdata()) == 4]


def test_percent_and_points(tmp_path):
    sales, _ = lc.demo.write(tmp_path)
    profit = lc.Measure("profit", of="revenue", less="cost")
    rate = lc.Measure("margin", of="profit", per="revenue")
    book = lc.read(sales, date="sold_on", values=["revenue", "cost"], by="harbor", measures=[profit, rate])
    margin = lc.compare(book, "month", measures="margin", last=3)
    assert book.measures[-1].unit == "%" and margin.total.value.between(0.4, 0.6).all()
    shown = str(margin)
    moved = margin.total.change.iloc[-1] * 100
    assert "Growth" not in shown and "48.4 %" in shown and f"{moved:+.1f}".replace("-", "−") in shown
    assert "points below" in lc.words.headline(margin)
    bands = [lc.Band("down", below=-0.005), lc.Band("steady", from_=-0.005, below=0.004), lc.Band("up", from_=0.004)]
    in_points = lc.compare(book, "month", measures="margin", last=3, judging=lc.Judging(bands=bands, on="change"))
    cuts = pd.cut(in_points.total.change, [-1, -0.005, 0.004, 1], labels=["down", "steady", "up"], right=False)
    assert in_points.total.band.tolist() == cuts.tolist() == ["steady", "up", "down"]
    margin.write(tmp_path / "m.xlsx")
    assert "(B4-C4)*100" in zipfile.ZipFile(tmp_path / "m.xlsx").read("xl/worksheets/sheet1.xml").decode()
    figure = lc.draw.columns(margin)
    assert figure.axes[0].get_ylabel() == "Margin" and "%" in figure.axes[0].get_yticklabels()[-1].get_text()
    assert "▼ −1.0 pts" in [text.get_text() for text in figure.axes[0].texts]
    alert = cards_of(margin, Formats())[0]
    assert alert.figure == "48.4 %" and alert.moved == "▼ −1.0 points" and not alert.change


def test_a_third_language_is_one_file(demo_now, tmp_path, monkeypatch):
    folder = tmp_path / "nl" / "LC_MESSAGES"
    folder.mkdir(parents=True)
    (folder / "logochron.po").write_text(
        'msgid ""\nmsgstr "Content-Type: text/plain; charset=utf-8\\nLanguage: nl\\n"\n\n'
        'msgid "Total"\nmsgstr "Totaal"\n\nmsgid "{base} %"\nmsgstr "{base}, in %"\n', encoding="utf-8"
    )  # fmt: skip
    (folder / "logochron.mo").write_bytes(compiled(folder / "logochron.po"))
    monkeypatch.setattr(catalog, "FOLDER", tmp_path)
    for cached in (catalog.messages, catalog.translated):
        cached.cache_clear()
    try:
        text = table_text(tables_of(demo_now, Formats(locale="nl"))[0], plain=False)
    finally:
        monkeypatch.undo()
        for cached in (catalog.messages, catalog.translated):
            cached.cache_clear()
    assert "Totaal" in text and "Year ago, in %" in text and "162.974" in text and "18 oktober 2026" in text
