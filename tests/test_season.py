"""The usual share of each part of a period; plans and landings that go by it."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import logochron as lc

DAYS = pd.date_range("2022-01-01", "2026-05-20")


def sold(seed: int, items: str = "ab") -> pd.DataFrame:
    random = np.random.default_rng(seed)
    frames = [
        pd.DataFrame({"day": DAYS, "shop": shop, "revenue": random.integers(1, 9_999, len(DAYS)) / 100})
        for shop in items
    ]
    return pd.concat(frames, ignore_index=True)


SOLD = sold(1)
GRAINS: dict[tuple[str, str], Any] = {
    ("month", "year"): (lambda d: d.dt.year, lambda d: d.dt.month),
    ("quarter", "year"): (lambda d: d.dt.year, lambda d: d.dt.quarter),
    ("week", "year"): (lambda d: d.dt.isocalendar().year, lambda d: d.dt.isocalendar().week),
    ("day", "month"): (lambda d: d.dt.year * 12 + d.dt.month, lambda d: d.dt.day),
    ("day", "week"): (
        lambda d: d.dt.isocalendar().year * 100 + d.dt.isocalendar().week,
        lambda d: d.dt.day_of_week + 1,
    ),
}


@pytest.fixture(scope="module")
def book() -> lc.Daybook:
    return lc.read(SOLD, date="day", values="revenue", by="shop")


@pytest.mark.parametrize(("each", "within"), list(GRAINS))
def test_shares_are_those_that_pandas_finds(book: lc.Daybook, each: Any, within: Any) -> None:
    answer = lc.season(book, each=each, within=within, by="shop")
    parent, place = (
        of(SOLD.day).astype(int).rename(name) for of, name in zip(GRAINS[each, within], ("parent", "place"))
    )
    sums = SOLD.groupby([parent, place, SOLD.shop]).revenue.sum()
    days = SOLD.groupby(parent).day.agg(["min", "max", "nunique"])
    full = {"year": 364, "month": 28, "week": 7}[within]
    # the first and the last may be cut
    whole = [p for p in days.index if days.nunique_[p] >= full] if hasattr(days, "nunique_") else [
        p for p, n in days["nunique"].items() if n >= full and not (p == days.index[-1] and within != "week")
    ]  # fmt: skip
    if (each, within) == ("week", "year"):
        whole = [p for p in whole if p != 2021]
    kept = sums[sums.index.get_level_values("parent").isin(whole)]
    shares = kept / kept.groupby(level=["parent", "shop"]).transform("sum")
    expected = shares.groupby(level=["place", "shop"]).agg(["count", "mean", "min", "max"])
    table = answer.table.set_index(["place", "shop"])
    for key, row in expected.iterrows():
        if row["count"] < 2:
            assert np.isnan(table.usual[key])
            continue
        found = table.loc[key]
        assert found.parents == row["count"]
        assert (found.usual, found.low, found.high) == pytest.approx((row["mean"], row["min"], row["max"]))
    running = sums[sums.index.get_level_values("parent") == days.index[-1]]
    now = (running / running.groupby(level="shop").transform("sum")).droplevel("parent")
    assert table.now.dropna().to_dict() == pytest.approx(now.to_dict())


def test_usual_shares_add_up_and_words_and_figure_tell_them(book: lc.Daybook) -> None:
    year = lc.season(book)
    assert year.total.usual.sum() == pytest.approx(1) and year.parents == ("2022", "2023", "2024", "2025")
    most = year.total.label[year.total.usual.idxmax()]
    said = lc.words.sentences(year)
    assert said[0].startswith(f"{most} usually brings most of revenue in a year") and "in 4 years" in said[0]
    assert "May" not in said[2]  # which is not over
    assert year.unfinished == 5 and "to date, 20 May" in str(year)
    axes = lc.draw.season(year).axes[0]
    assert [text.get_text() for text in axes.get_xticklabels()][11] == "Dec"
    german = " ".join(lc.words.sentences(lc.season(book, each="day", within="week"), locale="de"))
    assert any(
        day in german for day in ("Montag", "Dienstag", "Mittwoch", "Donnerstag", "Freitag", "Samstag", "Sonntag")
    )


def test_years_that_tell_nothing(book: lc.Daybook) -> None:
    assert lc.season(book, exclude="2022", last=2).parents == ("2024", "2025")
    one = lc.season(book, last=1)
    assert one.total.usual.isna().all() and "told by fewer than two periods" in one.total.note[0]
    assert lc.words.sentences(one) == ["Revenue: too few whole years to tell what is usual."]
    refunds = SOLD.assign(revenue=SOLD.revenue.where(SOLD.day.dt.year != 2023, -1.0))
    answer = lc.season(lc.read(refunds, date="day", values="revenue"))
    assert answer.total.parents.tolist() == [3] * 12
    assert "revenue: left out, as the total is not above 0: 2023" in answer.notes
    fiscal = lc.season(book, calendar=lc.CivilCalendar(year_start=4))
    assert fiscal.total.label.tolist()[0] == "April" and fiscal.parents[0] == "FY2023"


@settings(max_examples=15)
@given(amount=st.integers(-(10**7), 10**7), grain=st.sampled_from(["year", "quarter", "month"]), split=st.booleans())
def test_a_plan_gives_each_part_its_usual_share(book: lc.Daybook, amount: int, grain: str, split: bool) -> None:
    label = {"year": "2026", "quarter": "2026-Q2", "month": "2026-04"}[grain]
    rows = pd.DataFrame({"when": [label] * (1 + split), "shop": list("ab")[: 1 + split], "revenue": amount})
    plan = lc.read_plan(rows, date="when", value="revenue", measure="revenue", by="shop" if split else (),
                        records_of=grain, spread="season")  # type: ignore[arg-type]  # fmt: skip
    at = {"year": "2026-01..2026-12", "quarter": "2026-04..2026-06", "month": "2026-04"}[grain]
    wide = book.covering(None, "2026-12-31")
    each = "day" if grain == "month" else "month"
    parts = lc.compare(wide, each, "plan", plan=plan, at=at, by="shop" if split else ()).table  # type: ignore[arg-type]
    usual = lc.season(
        wide, **({"each": "day", "within": "week"} if grain == "month" else {}), by="shop" if split else ()
    )  # type: ignore[arg-type]
    for shop, of in parts.groupby("shop") if split else [(None, parts)]:
        shares = usual.table[usual.table.shop == shop] if split else usual.table
        weights = shares.set_index("place").usual
        places = of.start.dt.day_of_week + 1 if grain == "month" else of.start.dt.month
        own = places.map(weights).to_numpy()
        assert of.base.sum() == amount
        assert np.abs(of.base.to_numpy() - amount * own / own.sum()).max() <= 1.0


def test_a_landing_by_the_season_is_what_its_shares_say(book: lc.Daybook) -> None:
    usual = lc.season(book).total.usual.to_numpy()
    year = lc.land(book, "year", profile="season").total
    share = usual[:4].sum() + usual[4] * 20 / 31
    assert year.expected_share[0] == pytest.approx(share)
    assert year.estimate[0] == pytest.approx(year.to_date[0] / share)
    quarter = lc.land(book, "quarter", profile="season").total
    assert quarter.expected_share[0] == pytest.approx((usual[3] + usual[4] * 20 / 31) / usual[3:6].sum())
    weekdays = lc.season(book, each="day", within="week").total.usual.to_numpy()
    month = lc.land(book, "month", profile="season", by="shop")
    days = [day.weekday() for day in pd.date_range("2026-05-01", "2026-05-31")]
    weights = weekdays[days]
    assert month.total.expected_share[0] == pytest.approx(weights[:20].sum() / weights.sum())
    assert "by the usual shares of what is over" in str(lc.land(book, "month", profile="season"))
    # a point of the past knows only the years before it
    early = lc.land(book.until("2024-05-20"), "year", profile="season").total
    before = lc.season(book.until("2024-05-20")).total.usual.to_numpy()
    assert early.expected_share[0] == pytest.approx(before[:4].sum() + before[4] * 20 / 31)


@pytest.mark.parametrize(
    ("options", "said"),
    [
        ({"each": "year"}, "does not divide a year"),
        ({"each": "month", "within": "week"}, "does not divide a week"),
        ({"last": 0}, "`last`"),
        ({"measures": "price"}, "is of what adds up, and price divides"),
        ({"exclude": "May"}, "May"),
    ],
)
def test_what_is_no_season_is_refused(options: dict[str, Any], said: str) -> None:
    price = lc.Measure("price", of="revenue", per="units")
    book = lc.read(SOLD.assign(units=1), date="day", measures=[lc.Measure("revenue"), lc.Measure("units"), price])
    with pytest.raises(lc.LogochronError, match=said):
        lc.season(book, **options)


def test_the_command_line_and_the_report(cli: Any, tmp_path: Path) -> None:
    sold(2, "a").to_csv(tmp_path / "s.csv", index=False)
    for words in ([], ["--each", "day", "--within", "week", "--by", "shop"], ["--as", "words"], ["--last", "2"]):
        assert cli("season", "s.csv", "--value", "revenue", *words, cwd=tmp_path).returncode == 0
    for ending in ("csv", "xlsx", "html", "md", "png", "pdf"):
        wrote = cli("season", "s.csv", "--value", "revenue", "--out", f"o.{ending}", cwd=tmp_path)
        assert wrote.returncode == 0 and (tmp_path / f"o.{ending}").stat().st_size > 100
    planned = cli("compare", "s.csv", "--value", "revenue", "--plan", "p.csv", "--plan-spread", "season", "--against",
                  "plan", cwd=tmp_path)  # fmt: skip
    assert planned.returncode == 2
    (tmp_path / "r.toml").write_text(
        '[sales]\nfile = "s.csv"\ndate = "day"\nvalues = ["revenue"]\n'
        '[report]\nfiles = ["page", "workbook", "summary"]\n'
        '[[section]]\nheading = "Now"\nquestion = "compare"\n'
        '[[section]]\nheading = "Season"\nquestion = "season"\n'
    )
    ran = cli("report", "r.toml", "--out", "out", cwd=tmp_path)
    assert ran.returncode == 0, ran.stderr
    assert lc.Report.load(tmp_path / "r.toml").run()["Season"].parents == ("2022", "2023", "2024", "2025")


def test_slides_carry_the_figure(book: lc.Daybook, tmp_path: Path) -> None:
    pptx = pytest.importorskip("pptx")
    lc.season(book).write(tmp_path / "s.pptx")
    shapes = pptx.Presentation(str(tmp_path / "s.pptx")).slides[1].shapes
    assert any(shape.shape_type == pptx.enum.shapes.MSO_SHAPE_TYPE.PICTURE for shape in shapes)
