"""Calendars of unlike years: parts of a landing that meet their bases and add up, ranges, and reasons of no base."""

from __future__ import annotations

import numpy as np
import pandas as pd
import pytest

import logochron as lc

FIRST, LAST = pd.Timestamp("2020-02-03"), pd.Timestamp("2026-02-10")
STARTS = pd.date_range("2019-01-05", periods=118, freq="28D")
YEARS = np.repeat(np.arange(2019, 2028), [13, 13, 13, 12, 13, 14, 13, 13, 13])  # listed years may be of unlike length
LISTED = pd.DataFrame(
    {
        "start": STARTS[:-1],
        "end": STARTS[1:] - pd.Timedelta(days=1),
        "label": [f"{year}/{number}" for year, number in zip(YEARS, pd.Series(YEARS).groupby(YEARS).cumcount() + 1)],
        "year": YEARS,
    }
)
CALENDARS = {
    "civil": lc.CivilCalendar(),
    "fiscal": lc.CivilCalendar(year_start=2),
    "long first": lc.RetailCalendar(long_period=1),
    "thirteen": lc.RetailCalendar(pattern=(4,) * 13),
    "listed": lc.ListedCalendar(LISTED),
}


@pytest.fixture(scope="module")
def book():
    days = pd.date_range(FIRST, LAST)
    amounts = np.random.default_rng(3).integers(100, 9999, len(days)) / 100
    return lc.read(pd.DataFrame({"day": days, "amount": amounts}), date="day", values="amount")


@pytest.mark.parametrize("named", CALENDARS)
def test_parts_add_up_whatever_their_lengths(book, named):
    calendar, rng = CALENDARS[named], np.random.default_rng(sum(map(ord, named)))
    asked = 0
    while asked < 14:
        within, each = rng.choice(["week", "month", "quarter", "half", "year"]), rng.choice(["day", "week", "month"])
        against = rng.choice(["year-ago", "prior", "mean:2", "mean:3", "year-ago:2", "year-ago-mean:3"])
        until = (FIRST + pd.Timedelta(days=int(rng.integers(1200, (LAST - FIRST).days)))).date()
        options = {"against": against, "rest": rng.choice(["scaled", "as-was"]), "profile": "even"}
        try:
            answer = lc.land(book.until(until), within, each=each, calendar=calendar, **options)
        except lc.QuestionError:  # a grain that the calendar does not have, or that is not within
            continue
        asked += 1
        parts, whole = answer.total, answer.whole.total.estimate[0]
        assert np.isnan(whole) or parts.estimate.sum() == pytest.approx(whole, rel=1e-12)
        ahead = parts[parts.status == "estimated"]
        assert np.isnan(whole) or whole == parts.to_date.sum() or (ahead.estimate > 0).all()
        assert (parts.note[parts.base.isna()] != "").all()  # what is unknown says why


@pytest.mark.parametrize(
    "until, within, own, base",
    [
        ("2024-11-30", "year", "2024-03-01", "2023-03-01"),
        ("2024-11-30", "year", "2024-02-29", "2023-02-28"),
        ("2024-11-30", "year", "2024-12-31", "2023-12-31"),
        ("2025-02-28", "quarter", "2025-03-01", "2024-03-01"),
        ("2025-02-28", "quarter", "2025-03-31", "2024-03-31"),
        ("2025-02-10", "quarter prior", "2025-02-28", "2024-11-28"),
        ("2025-05-10", "quarter prior", "2025-05-31", None),
        ("2024-12-30", "half prior", "2024-08-29", "2024-02-29"),
        ("2025-05-10", "month prior", "2025-05-31", None),
    ],
)
def test_days_meet_by_month_and_day(book, until, within, own, base):
    within, against = [*within.split(), "year-ago"][:2]
    parts = lc.land(book.until(until), within, each="day", against=against, rest="as-was").total.set_index("period")
    if base is None:
        lacking = "2025-04" if within == "month" else "2025-02"
        assert np.isnan(parts.base[own]) and parts.note[own] == f"no base: no day 31 in {lacking}"
        assert parts.estimate[own] > 0
    else:
        days = lc.compare(book, each="day").table.set_index("period").value
        assert parts.base[own] == days[base]
    if against == "year-ago":  # the law of bases for days
        compared = lc.compare(book, each="day", at=f"{parts.index[0]}..{parts.index[-1]}").table.set_index("period")
        assert (
            np.allclose(parts.base, compared.base)
            and (parts.note == compared.note.str.extract("(leap day)")[0].fillna("")).all()
        )


def test_what_a_longer_base_has_more_goes_to_what_is_open(book):
    """A base year of 53 weeks, the 53rd in period 1, of which a week is left when period 1 of 52 weeks is over."""
    calendar = CALENDARS["long first"]
    starts = calendar.periods("month", FIRST, LAST)
    year = int(calendar.periods("year", FIRST, LAST).query("days == 371").year.iloc[0]) + 1
    first = starts[starts.year == year].iloc[0]
    answer = lc.land(book.until(first.end.date()), "year", each="month", rest="as-was", calendar=calendar)
    parts = answer.total
    assert parts.estimate.sum() == pytest.approx(answer.whole.total.estimate[0])
    more = parts.estimate[1:] / parts.base[1:]
    assert more.min() == pytest.approx(more.max()) and more.min() > 1 and parts.estimate[0] == parts.to_date[0]


def roads(frame, folder):
    """One frame by several roads, each with its own way of adding up."""
    import polars as pl
    import sqlalchemy as sa

    frame.to_csv(folder / "s.csv", index=False)
    frame.to_csv(folder / "odd.csv", index=False)
    (folder / "odd.csv").write_text((folder / "s.csv").read_text() + "2025-01-01,a,x,one\n")  # looked at with care
    frame.assign(day=pd.to_datetime(frame.day)).to_parquet(folder / "s.parquet")
    engine = sa.create_engine(f"sqlite:///{folder / 's.db'}")
    frame.to_sql("sales", engine, index=False, if_exists="replace")
    inexact = frame.assign(amount=frame.amount + 1e-7 * (frame.amount == 9.99))  # in floating point
    lazy = pl.from_pandas(frame).lazy()
    yield folder / "odd.csv", {"on_refused": "skip"}
    for source in (folder / "s.csv", folder / "s.parquet", frame, inexact, lazy, lazy.filter(pl.col("amount") < 99)):
        yield source, {}
    yield f"sqlite:///{folder / 's.db'}", {"table": "sales"}


def test_a_range_goes_below_what_is_sold_by_the_sources_own_amounts(tmp_path):
    rng = np.random.default_rng(5)
    days = pd.date_range("2024-08-01", "2025-03-12")
    frame = pd.DataFrame({"day": np.repeat(days, 4).strftime("%Y-%m-%d"), "item": list("aabb") * len(days)})
    frame["kind"] = np.resize(["x", "y"], len(frame))
    frame["amount"] = (rng.random(len(frame)) * 20 + 5).round(2)
    given = (frame["item"] == "a") & (frame["kind"] == "y") & (rng.random(len(frame)) < 0.05)
    frame.loc[given, "amount"] = -4.0  # never below 0 with the sales of its day
    expected = {}
    for source, options in roads(frame, tmp_path):
        for by in ((), ("item",), ("item", "kind")):
            landing = lc.land(lc.read(source, date="day", values="amount", by=by, **options), profile="even", by=by)
            falls = {(): [True], ("item",): [True, False], ("item", "kind"): [False, True, False, False]}[by]
            assert landing.cache.figures["amount", by].rows.may_fall().tolist() == falls
            found = [*landing.total.low, *landing.table.low]
            assert found[0] == pytest.approx(expected.setdefault("total", found[0])) and found[0] > 0
            assert found == pytest.approx(expected.setdefault(by, found))
    book = lc.read(frame, date="day", values="amount", by="item")
    for source, options in roads(frame[frame.day != "2025-03-09"], tmp_path):  # the report date is the last day
        for one in (lc.read(source, date="day", values="amount", until="2025-03-09", **options),
                    lc.read(source, date="day", values="amount", **options).until("2025-03-09")):  # fmt: skip
            assert str(one.last_day) == str(one.report_day) == "2025-03-09"
            assert lc.compare(one, "month", "prior", last=1).table.end[0] == pd.Timestamp("2025-03-09")
    for options in ({"until": "2025-03-12"}, {"where": {"item": "b"}}):
        landing = lc.land(lc.read(frame, date="day", values="amount", by="item", **options))
        assert landing.cache.figures["amount", ()].rows.may_fall()[0] == ("until" in options)
    assert not lc.land(book.where({"item": "b"})).cache.figures["amount", ()].rows.may_fall()[0]


@pytest.mark.parametrize("named", CALENDARS)
@pytest.mark.parametrize("partial", ["to-date", "as-is"])
def test_every_unknown_base_has_its_reason_and_no_known_one(book, named, partial):
    calendar = CALENDARS[named]
    plan = lc.read_plan(pd.DataFrame({"day": pd.date_range("2022-01-01", "2023-12-31"), "amount": 5}), date="day",
                        value="amount", measure="amount", records_of="day")  # fmt: skip
    for each in ("month", "quarter", "year") if named != "listed" else ("month", "year"):
        for against in ("prior", "prior:3", "year-ago", "mean:3", "year-ago-mean:2", "plan"):
            options = {"plan": plan} if against == "plan" else {}
            table = lc.compare(book, each, against, partial=partial, calendar=calendar, **options).table
            table = table[table.status != "partial"]
            reasons = table.note.str.extract("no base: (.*?)(?:;|$)")[0]
            assert (reasons.isna() == table.base.notna()).all(), (each, against)
            if not options:  # what is earlier lies before the records, or is not listed
                assert reasons.dropna().isin([f"the records start on {FIRST:%Y-%m-%d}"]).all() or named == "listed"
            early, late = (reasons == f"the plan {told}" for told in ("starts on 2022-01-01", "ends on 2023-12-31"))
            assert (table.start[early] < "2022-01-01").all() and (table.start[late] >= "2022-01-01").all()
            assert (table.end[late] > "2023-12-31").all()


def test_a_back_test_without_past_periods_is_empty_and_says_why(cli, tmp_path):
    days = pd.date_range("2025-01-01", "2025-01-20").strftime("%Y-%m-%d")
    frame = pd.DataFrame({"day": days, "item": "a", "amount": 3.5})
    frame.to_csv(tmp_path / "s.csv", index=False)
    landing = lc.land(lc.read(frame, date="day", values="amount", by="item"), by="item")
    said = ("no month before 2025-01 is recorded whole: there is nothing to hold estimates against",)
    assert landing.backtest.empty and landing.backtested.notes == said
    assert list(landing.backtest) == ["period", "elapsed", "profile", "estimate", "outcome", "error"]
    assert lc.draw.backtest(landing).texts and "Nothing" in str([t.get_text() for t in lc.draw.backtest(landing).texts])
    ran = cli("land", tmp_path / "s.csv", "--date", "day", "--value", "amount", "--backtest")
    assert ran.returncode == 0 and "nothing to test by" in ran.stdout
    # nothing above 0 came of the periods before: there are rows, and no error in them
    before = pd.DataFrame({"day": ["2024-11-01", "2024-12-31"], "item": "a", "amount": 0.0})
    later = lc.land(lc.read(pd.concat([before, frame]), date="day", values="amount"))
    assert later.backtest.error.isna().all() and "above 0" in later.backtested.notes[0]
    # what is reached needs nothing a day
    rich = pd.concat(
        [frame.assign(day=pd.date_range("2024-01-01", "2024-01-20").strftime("%Y-%m-%d"), amount=1.0), frame]
    )
    month = lc.land(lc.read(rich, date="day", values="amount"), profile="even").total
    assert (month.to_date > month.base).all() and month.needed_per_day.tolist() == [0.0]
