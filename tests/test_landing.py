"""Landing: a plain-Python twin, the laws of estimates, back-tests that know nothing of their future."""

from __future__ import annotations

import calendar
import datetime as dt
import re
import statistics
from functools import cache

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import logochron as lc

PROFILES = ("year-ago", "history", "weekday", "even")
Days = dict[dt.date, float]


def book_of(amounts: Days, **options: object) -> lc.Daybook:
    frame = pd.DataFrame({"day": list(amounts), "amount": list(amounts.values())})
    return lc.read(frame, date="day", values="amount", **options)


def drawn(seed: int, last: dt.date, kind: str = "steady", first: dt.date = dt.date(2023, 1, 1)) -> Days:
    """A shop of a kind: weekly rhythm and noise; seasons and growth; or a few large sales."""
    rng = np.random.default_rng(seed)
    days = pd.date_range(first, last)
    n = len(days)
    week = np.array([1, 1, 1.1, 1.2, 1.5, 2, 1.6])[days.day_of_week]
    amounts = 100 * week * rng.gamma(20, 1 / 20, n)
    if kind == "season":
        amounts *= (1 + 0.6 * np.sin(2 * np.pi * (days.day_of_year - 100) / 365)) * 1.0003 ** np.arange(n)
    if kind == "lumpy":
        amounts = 50 * week + np.where(rng.random(n) < 0.3, rng.lognormal(6, 0.8, n), 0)
    return dict(zip(days.date, amounts.round(2).tolist()))


class Twin:
    """The law of months in plain Python: one day, one period, one profile at a time."""

    def __init__(self, amounts: Days) -> None:
        self.amounts, self.first = amounts, min(amounts)
        self.share, self.choice = cache(self.share), cache(self.choice)
        self.running = {self.first - dt.timedelta(days=1): 0.0}
        for day, amount in sorted(amounts.items()):
            self.running[day] = self.running[day - dt.timedelta(days=1)] + amount

    def total(self, first: dt.date, last: dt.date) -> float:
        return self.running[last] - self.running[first - dt.timedelta(days=1)]

    @staticmethod
    def month(start: dt.date, back: int) -> tuple[dt.date, dt.date]:
        year, place = divmod(start.year * 12 + start.month - 1 - back, 12)
        return dt.date(year, place + 1, 1), dt.date(year, place + 1, calendar.monthrange(year, place + 1)[1])

    def share(self, profile: str, cut: dt.date) -> float | None:
        start, end = self.month(cut, 0)
        k, n = cut.day, end.day
        if cut == end:
            return 1.0
        if profile == "even":
            return k / n
        if profile == "year-ago":
            first, last = self.month(cut, 12)
            if first < self.first:
                return None
            return self.total(first, first.replace(day=min(k, last.day))) / self.total(first, last)
        if profile == "weekday":
            sunday = cut if cut.weekday() == 6 else cut - dt.timedelta(days=cut.weekday() + 1)
            monday = sunday - dt.timedelta(days=55)
            if monday < self.first:
                return None
            weight = [sum(self.amounts[monday + dt.timedelta(days=7 * w + d)] for w in range(8)) for d in range(7)]
            days = [weight[(start + dt.timedelta(days=d)).weekday()] for d in range(n)]
            return sum(days[:k]) / sum(days)
        shares = []
        for back in range(1, 13):
            first, last = self.month(cut, back)
            if first < self.first:
                continue
            at, whole = k / n * last.day, self.total(first, last)
            low = int(at + 1e-9)
            done = self.total(first, first + dt.timedelta(days=low - 1))
            if low < last.day:
                done += (at - low) * self.amounts[first + dt.timedelta(days=low)]
            shares.append(done / whole)
        return statistics.mean(shares) if shares else None

    def estimate(self, profile: str, cut: dt.date) -> float | None:
        if profile == "best":
            profile = self.choice(cut)
        share = self.share(profile, cut)
        return None if share is None else self.total(cut.replace(day=1), cut) / share

    def past(self, profile: str, cut: dt.date) -> list[float]:
        """estimate / outcome of each month before at the same point."""
        ratios, over = [], cut == self.month(cut, 0)[1]
        for back in range(1, 61):
            first, last = self.month(cut, back)
            if first < self.first:
                break
            at = last if over else first.replace(day=min(cut.day, last.day - 1))
            estimate = self.estimate(profile, at)
            if estimate is not None:
                ratios.append(estimate / self.total(first, last))
        return ratios

    def choice(self, cut: dt.date) -> str:
        known = [name for name in PROFILES if self.share(name, cut) is not None]
        errors = {name: [abs(ratio - 1) for ratio in self.past(name, cut)] for name in known}
        tested = [name for name in known if len(errors[name]) >= 3]
        return min(tested, key=lambda name: statistics.median(errors[name])) if tested else known[0]


@settings(max_examples=6)
@given(st.integers(0, 2**32 - 1), st.integers(0, 45), st.sampled_from(["steady", "lumpy"]))
def test_against_a_twin(seed, more, kind):
    last = dt.date(2024, 2, 14) + dt.timedelta(days=more)
    amounts = drawn(seed, last, kind, dt.date(2022, 12, 20))
    twin, book = Twin(amounts), book_of(amounts)
    for profile in ("best", *PROFILES):
        row = lc.land(book, "month", profile=profile).total.iloc[0]
        assert row.estimate == pytest.approx(twin.estimate(profile, last))
        ratios = twin.past(profile, last)
        assert row.typical_error == pytest.approx(statistics.median(abs(ratio - 1) for ratio in ratios))
        if len(ratios) < 3:
            assert np.isnan(row.low) and f"no range (past periods: {len(ratios)})" in row.note
        else:
            low, high = (max(row.estimate / np.quantile(ratios, part), row.to_date) for part in (0.9, 0.1))
            assert (row.low, row.high) == pytest.approx((low, high)) and ("rough" in row.note) == (len(ratios) < 6)
        assert row.profile == (twin.choice(last) if profile == "best" else profile)


@pytest.fixture(scope="module")
def shop() -> lc.Daybook:
    return book_of(drawn(7, dt.date(2025, 10, 18), "season", dt.date(2021, 1, 1)))


CALENDARS = [lc.CivilCalendar(), lc.CivilCalendar(year_start=4, week_start="sunday"), lc.RetailCalendar()]


@pytest.mark.parametrize("within", ["week", "month", "quarter", "half", "year"])
@pytest.mark.parametrize("numbered", CALENDARS, ids=["civil", "fiscal", "retail"])
def test_laws_of_estimates(shop, within, numbered):
    asked = {"within": within, "calendar": numbered}
    now = lc.land(shop, **asked).total.iloc[0]
    compared = lc.compare(shop, within, calendar=numbered, last=1).table.iloc[0]
    assert (now.to_date, now.until) == (compared.value, compared.end)
    even = lc.land(shop, profile="even", **asked).total.iloc[0]
    days, elapsed = (now.end - now.start).days + 1, (now.until - now.start).days + 1
    assert even.estimate == pytest.approx(now.to_date / (elapsed / days))
    ago = lc.land(shop, profile="year-ago", **asked).total.iloc[0]
    assert ago.estimate == pytest.approx(ago.base * (1 + compared.growth))
    as_was = lc.land(shop, rest="as-was", **asked).total.iloc[0]
    assert as_was.estimate == pytest.approx(now.to_date + as_was.base - compared.base) and as_was.profile == "as-was"
    left = days - elapsed
    if left:
        assert now.needed_per_day == pytest.approx(max(now.base - now.to_date, 0) / left)
    # the last day of the period before: the estimate is the total, whatever the method
    for options in [{"profile": name} for name in ("best", *PROFILES)] + [{"rest": "as-was"}]:
        over = lc.land(shop.until((now.start - pd.Timedelta(days=1)).date()), **asked, **options).total.iloc[0]
        assert over.estimate == over.to_date == over.low == over.high and over.typical_error == 0
        assert np.isnan(over.needed_per_day) and over.status == "complete"


@pytest.mark.parametrize("asked", ["year month", "year quarter", "quarter month", "month day", "half month"])
@pytest.mark.parametrize("options", [{}, {"rest": "as-was"}, {"profile": "even"}, {"against": "mean:2"}], ids=str)
def test_the_outlook_adds_up(shop, asked, options):
    within, each = asked.split()
    answer = lc.land(shop, within, each=each, **options)
    parts, whole = answer.total, answer.whole.total.iloc[0]
    assert parts.estimate.sum() == pytest.approx(whole.estimate, rel=1e-12)
    done, ahead = parts[parts.status == "complete"], parts[parts.status == "estimated"]
    assert (done.estimate == done.to_date).all() and ahead.to_date.isna().all() and len(done) + len(ahead) in (
        len(parts), len(parts) - 1)  # fmt: skip
    if options in ({}, {"rest": "as-was"}):  # like last year's same days, scaled or as they were
        factor = 1.0 if options else (ahead.estimate / ahead.base).mean()
        assert ahead.estimate.to_numpy() == pytest.approx(factor * ahead.base.to_numpy())
        assert parts.base.sum() == pytest.approx(whole.base)


def test_the_outlook_of_a_plan_and_of_unlike_years():
    days = pd.date_range("2022-01-30", "2025-01-15")
    book = lc.read(pd.DataFrame({"day": days, "amount": np.arange(len(days)) % 7 + 1}), date="day", values="amount")
    listed = pd.DataFrame({"month": [f"2025-{m:02d}" for m in range(1, 13)], "amount": 310})
    plan = lc.read_plan(listed, date="month", value="amount", measure="amount")
    parts = lc.land(book, "year", each="month", against="plan", plan=plan, rest="as-was").total
    assert parts.estimate[1:].tolist() == [310] * 11 and parts.base.tolist() == [310] * 12
    weeks = lc.land(book, "year", each="week", calendar=lc.RetailCalendar())  # 2024 has 52 weeks, 2023 had 53
    assert weeks.total.estimate.sum() == pytest.approx(weeks.whole.total.estimate[0]) and len(weeks.total) == 52
    with pytest.raises(lc.QuestionError, match="the weeks of 2025 run from 30 Dec 2024 to 28 Dec 2025"):
        lc.land(book, "year", each="week")
    for each in ("week", "year"):
        with pytest.raises(lc.QuestionError, match="with within='month' it may be day"):
            lc.land(book, "month", each=each)


@pytest.mark.slow
def test_back_tests_know_nothing_of_their_future():
    last = dt.date(2024, 6, 11)
    amounts = drawn(3, last, "season")
    sold = book_of(amounts)
    plain = lc.land(sold, "month").backtest
    # absurd records, another item and a longer coverage after the day that each was made on
    later = {day: amount if day <= dt.date(2024, 3, 31) else amount * 1e6 for day, amount in amounts.items()}
    frame = pd.DataFrame({"day": list(later), "item": "a", "amount": list(later.values())})
    strange = pd.DataFrame({"day": pd.date_range("2024-04-01", "2024-12-31"), "item": "b", "amount": 1e9})
    book = lc.read(pd.concat([frame, strange]), date="day", values="amount", by="item")
    until = plain.period <= "2024-03"
    moved = lc.land(book, "month", at="2024-06").backtest
    pd.testing.assert_frame_equal(
        plain[until].reset_index(drop=True), moved[moved.period <= "2024-03"].reset_index(drop=True)
    )
    # and each is what would have been told on that day
    for (period, elapsed), rows in plain[plain.period.isin(["2023-08", "2024-02"])].groupby(
        ["period", "elapsed"], observed=True
    ):
        month = pd.Period(str(period), "M")
        day = month.start_time + pd.Timedelta(days=max((month.days_in_month * round(elapsed * 10) + 5) // 10, 1) - 1)
        for row in rows.itertuples():
            then = lc.land(sold.until(day.date()), "month", profile=row.profile).total.iloc[0]
            assert then.estimate == pytest.approx(row.estimate, nan_ok=True)
            assert row.error == pytest.approx(row.estimate / row.outcome - 1, nan_ok=True)
    fixed = lc.land(sold, "month", against="fixed:2024-02", profile="year-ago").backtest
    assert fixed[(fixed.profile == "year-ago") & (fixed.elapsed < 1)].dropna().period.min() == "2024-03"
    plan = {"month": [f"2024-{m:02d}" for m in range(1, 13)], "amount": [1000] * 5 + [10**9] * 7}
    planned = [lc.read_plan(pd.DataFrame(plan | {"amount": column}), date="month", value="amount", measure="amount")
               for column in (plan["amount"], 1000)]  # fmt: skip
    tests = [lc.land(sold, "month", against="plan", plan=one).backtest for one in planned]
    pd.testing.assert_frame_equal(*tests)


@pytest.mark.slow
def test_most_outcomes_lie_in_the_range(demo_book):
    books = {"demo": demo_book, **{kind: book_of(drawn(0, dt.date(2025, 12, 31), kind, dt.date(2022, 1, 1)))
                                   for kind in ("steady", "season", "lumpy")}}  # fmt: skip
    for name, book in books.items():
        inside = []
        totals = book.totals("month").drop_duplicates("period").set_index("period").value
        months = pd.period_range(book.first_day, book.report_day, freq="M")[13:-1]
        for month, part in [(month, part) for month in months for part in (0.25, 0.6)]:
            day = (month.start_time + pd.Timedelta(days=int(month.days_in_month * part))).date()
            row = lc.land(book.until(day), "month", measures=[book.measures[0].name]).total.iloc[0]
            outcome = totals[str(month)]
            inside.append(row.low <= outcome <= row.high)
        assert 0.65 <= np.mean(inside) <= 0.95, (name, np.mean(inside))


def note_of(book: lc.Daybook, **asked: object) -> str:
    return str(lc.land(book, **asked).total.note[0])


def test_special_days_and_items():
    leap = drawn(1, dt.date(2024, 2, 29), first=dt.date(2022, 12, 1))
    over = lc.land(book_of(leap), "month").total.iloc[0]
    assert over.estimate == over.to_date and over.base == pytest.approx(sum(
        amount for day, amount in leap.items() if (day.year, day.month) == (2023, 2)))  # fmt: skip
    before = lc.land(book_of(leap).until("2024-02-28"), "month", profile="even").total.iloc[0]
    assert before.estimate == pytest.approx(before.to_date * 29 / 28)
    first = lc.land(book_of(leap).until("2024-02-01"), "month").total.iloc[0]
    assert first.expected_share < 0.1 and first.low < first.estimate < first.high
    year = lc.land(book_of(leap), "year", profile="year-ago").total.iloc[0]
    assert year.expected_share == pytest.approx(
        sum(a for d, a in leap.items() if d.year == 2023 and d.month < 3)
        / sum(a for d, a in leap.items() if d.year == 2023)
    )
    # an item that starts inside the period; another that only gives back; one that is over
    days = pd.date_range("2023-01-01", "2024-06-20")
    frame = pd.concat([pd.DataFrame({"day": days, "item": "steady", "amount": 10}),
                       pd.DataFrame({"day": days[-4:], "item": "starts", "amount": 8}),
                       pd.DataFrame({"day": days[-19:], "item": "refunds", "amount": -3}),
                       pd.DataFrame({"day": days[:200], "item": "ended", "amount": 1})])  # fmt: skip
    book = lc.read(frame, date="day", values="amount", by="item")
    answer = lc.land(book, "month", by="item")
    rows = answer.table.set_index("item")
    assert rows.estimate["starts"] == pytest.approx(32 / (20 / 30)) and rows.profile["starts"] == "even"
    assert rows.note["starts"] == "new; no range (past periods: 0)"
    pauses = {day.date(): 1 for day in [*days[:90], *days[-20:]]}
    assert "left out (past periods not above 0: 14)" in note_of(book_of(pauses))
    assert np.isnan(rows.estimate["refunds"]) and "no estimate: nothing above 0 to date" in rows.note["refunds"]
    assert np.isnan(rows.estimate["ended"]) and rows.to_date["ended"] == 0 and rows.base["ended"] == 30
    assert answer.summed_items["amount"] == pytest.approx(rows.estimate[["steady", "starts"]].sum())
    assert answer.total.estimate[0] == lc.land(book, "month").total.estimate[0]
    top = lc.land(book, "month", by="item", top=1)
    assert top.table.item.tolist() == ["steady", "all others"] and top.table.to_date.tolist() == [200, 32 - 57]
    one = lc.land(book.where({"item": "steady"}), "month").total.drop(columns="note")
    pd.testing.assert_frame_equal(answer.table[answer.table.item == "steady"][one.columns].reset_index(drop=True), one)


def test_what_the_notes_say(shop):
    days = pd.date_range("2025-01-01", "2025-03-10")
    young = lc.read(pd.DataFrame({"day": days, "v": 1}), date="day", values="v")
    assert "no range (past periods: 2)" in note_of(young)
    assert "rough range (past periods: 4)" in note_of(shop, within="year")
    whole = lc.land(young, at="2025-01").total.iloc[0]  # over, and none before it: no doubt all the same
    assert (whole.low, whole.high, whole.typical_error, whole.note) == (
        31,
        31,
        0,
        "no base: the records start on 2025-01-01",
    )
    lone = young.until("2025-01-20")
    assert "no estimate: no complete month before" in note_of(lone, profile="history")
    assert "no estimate: no base" in note_of(lone, profile="year-ago")
    assert "no estimate: no base" in note_of(lone, rest="as-was")
    assert "no estimate: no 8 whole weeks before" in note_of(lone, profile="weekday")
    assert lc.land(lone).total.profile[0] == "even"
    ends = lc.read(
        pd.DataFrame({"day": [*days, "2024-03-31"], "v": 1}), date="day", values="v", covering=("2024-01-01", None)
    )
    assert "no estimate: the usual share by now is 0" in note_of(ends, profile="year-ago")
    falls = {day.date(): 10 - 110 * day.is_month_end for day in pd.date_range("2023-01-01", "2024-06-28")}
    row = lc.land(book_of(falls), "month", profile="even").total.iloc[0]
    assert row.low < row.high < row.to_date  # refunds on the last day: the total may yet fall


BY_DAY = [2.0] * 10 + [4.0] * 20  # of 30 days, percent


@pytest.mark.parametrize(
    "profile",
    [
        BY_DAY,
        np.array(BY_DAY) / 100,
        dict(enumerate(BY_DAY, start=1)),
        {30: BY_DAY, 31: [100 / 31] * 31},
        pd.DataFrame({"day": range(1, 31), "share": BY_DAY}),
        {"day": list(range(1, 31)), "days": [30] * 30, "share": BY_DAY},
        {str(day.date()): share for day, share in zip(pd.date_range("2024-06-01", "2024-06-30"), BY_DAY)},
        pd.DataFrame({"date": pd.date_range("2024-06-01", "2024-06-30"), "share": BY_DAY}),
    ],
    ids=["list", "parts", "numbers", "lengths", "frame", "table", "dates", "frame of dates"],
)
def test_a_profile_of_the_users(profile):
    book = book_of(drawn(2, dt.date(2024, 6, 11)))
    answer = lc.land(book, "month", profile=profile)
    row = answer.total.iloc[0]
    assert row.expected_share == pytest.approx(0.24) and row.estimate == pytest.approx(row.to_date / 0.24)
    assert row.profile == "listed" and set(answer.backtest.profile) == {"best", *PROFILES, "listed"}
    assert answer.path(answer.measures[0]).expected[-1] == pytest.approx(row.estimate)


@pytest.mark.parametrize(
    ("asked", "said"),
    [
        ({"profile": [3.0] * 30}, r"the shares of 2024-06 must add up to 1 or 100 %; they add up to 90, 10 too little"),
        ({"profile": [0.04] * 30}, "they add up to 1.2, 0.2 too much"),
        ({"profile": [1.0] * 31}, "lists shares for periods of 31 days; 2024-06 has 30"),
        ({"profile": {"2024-06-01": 1.0}}, "must list every day of 2024-06; it lacks 29 days, the first 2 Jun 2024"),
        ({"profile": {30: [1.0]}}, "must list 30 shares for periods of 30 days; got 1"),
        ({"profile": {1: 0.5, 3: 0.5}}, "must list each day from 1 to 3 once"),
        ({"profile": []}, "must be shares of days"),
        ({"profile": ["much"]}, "must be shares of days"),
        ({"profile": "histry"}, "Did you mean 'history'"),
        ({"profile": "shares.csv"}, "pathlib.Path"),
        ({"profile": pd.DataFrame({"share": [1.0]})}, "a column `date` or a column `day`"),
        ({"profile": pd.DataFrame({"day": ["x"], "share": [1.0]})}, "row 1, column 'day': 'x' is no number"),
        ({"rest": "guessed"}, "`rest` must be one of scaled, as-was"),
        ({"within": "day"}, "`within` must be one of week, month"),
        ({"history": 0}, "`history` must be a whole number from 1"),
        ({"at": "2024"}, "must name one month that is to land"),
        ({"at": "2025-01"}, "2025-01 is not recorded"),
        ({"within": "year", "at": "2022"}, "has no running total: the records start on 20 Dec 2022"),
        ({"against": "plan"}, "needs `plan`"),
        ({"against": "span:2024-01-01..2024-01-31"}, "is no whole period|needs each='span'"),
        ({"items": "comparable", "by": "item"}, "here items land on their own|each item lands on its own"),
        ({"measures": "mean"}, "mean divides: land what it is made of"),
    ],
)
def test_refusals(asked, said):
    amounts = drawn(2, dt.date(2024, 6, 11), first=dt.date(2022, 12, 20))
    frame = pd.DataFrame({"day": list(amounts), "item": "a", "amount": list(amounts.values()), "n": 1})
    measures = [lc.Measure("amount"), lc.Measure("mean", of="amount", per="n")]
    book = lc.read(frame, date="day", measures=measures, by="item")
    with pytest.raises(lc.LogochronError, match=said):
        lc.land(book, **asked)


def test_plan_beside_the_base(shop):
    def plan(months: list[str], measure: str = "amount") -> lc.Daybook:
        return lc.read_plan(pd.DataFrame({"month": months, "v": 9000}), date="month", value="v", measure=measure)

    row = lc.land(shop, "month", plan=plan(["2025-10"])).total.iloc[0]
    assert (row.plan, row.plan_gap) == (9000, row.estimate - 9000)
    assert row.needed_per_day == pytest.approx((9000 - row.to_date) / 13)
    against = lc.land(shop, "month", against="plan", plan=plan(["2025-10"])).total.iloc[0]
    assert against.base == 9000 and against.change == against.estimate - 9000
    for one, said in [(plan(["2025-09"]), "no plan: it ends on 2025-09-30"),
                      (plan(["2025-11"]), "no plan: it starts on"),
                      (plan(["2025-09", "2025-11"]), "no plan: it has no 2025-10"),
                      (plan(["2025-10"], "units"), "no plan: it is of units")]:  # fmt: skip
        row = lc.land(shop, "month", plan=one).total.iloc[0]
        assert (
            said in row.note
            and np.isnan(row.plan)
            and row.needed_per_day == pytest.approx(max(row.base - row.to_date, 0) / 13)
        )


def test_records_of_months():
    months = pd.period_range("2020-01", "2026-08", freq="M")
    amounts = np.random.default_rng(0).integers(500, 1500, len(months))
    frame = pd.DataFrame({"month": months.astype(str), "v": amounts})
    book = lc.read(frame, date="month", values="v", records_of="month")
    to_date, rest, before = (amounts[months.year == 2026].sum(), amounts[-12:-8].sum(), amounts[-20:-8])
    year = lc.land(book, "year", profile="year-ago", each="month")
    assert year.total.estimate.sum() == pytest.approx(to_date / (before[:8].sum() / before.sum()))
    assert lc.land(book, "year", rest="as-was").total.estimate[0] == to_date + rest
    shares = [one[:8].sum() / one.sum() for one in amounts[:72].reshape(6, 12)]
    assert lc.land(book, "year", profile="history").total.expected_share[0] == pytest.approx(np.mean(shares))
    assert len(year.path(year.measures[0]).days) == 12 and len(year.backtest) == 6 * 10 * 5
    assert "no estimate: no 8 whole weeks" in note_of(book, within="year", profile="weekday")
    for asked in ({"within": "week"}, {"within": "year", "each": "day"}):
        with pytest.raises(lc.QuestionError, match="each record stands for a whole month"):
            lc.land(book, **asked)


def test_receipts(shop, demo_book):
    for options in ({}, {"rest": "as-was"}, {"profile": "even"}):
        text = lc.explain(lc.land(shop, "month", **options)).text
        assert "estimate = to date" in text and "the median of |estimate / outcome − 1|, past periods: " in text
    month = lc.land(demo_book, "month", measures="revenue", by="harbor")
    row = month.table[month.table.harbor == "Dunmarrow"].iloc[0]
    receipt = lc.explain(month, harbor="Dunmarrow")
    assert receipt.figures["estimate"] == row.estimate and receipt.table["sum"].tolist() == [row.to_date, row.base]
    assert re.search(rf"/ {row.expected_share:.4f}"[:-1] + rf"\d+ = {row.estimate:,.2f}\n", receipt.text)
    over = lc.explain(lc.land(demo_book, "month", measures="revenue", at="2026-09"))
    assert "the period is over, it is the total" in over.text
    with pytest.raises(lc.QuestionError, match="Did you mean 'harbor'"):
        lc.explain(month, harbour="Dunmarrow")


def test_command_line(tmp_path, cli):
    sales, plan = lc.demo.write(tmp_path)
    asked = [sales, "--value", "revenue", "--currency", "EUR"]
    ran = cli("land", *asked, "--plan", plan)
    assert ran.returncode == 0, ran.stderr
    for what, value in [("To date, 18 Oct", "24,216"), ("A year ago", "34,882"), ("Plan", "36,700")]:
        assert f"{what:<18}  {value:>7}" in ran.stdout, ran.stdout
    for said in ("in 80 % of past outcomes", "to reach plan in 13 days", "On day 18 of 31 estimates were off by"):
        assert said in ran.stdout, ran.stdout
    split = cli("land", *asked, "--by", "harbor", "--sort", "-estimate").stdout
    assert "sum of the harbors" in split and split.index("Alderquay") < split.index("Dunmarrow") < split.index(
        "Brackenmouth"
    )
    outlook = cli("land", *asked, "--within", "year", "--each", "month").stdout
    assert "2026-10   " in outlook and "partly estimated" in outlook and "2026-12" in outlook and "estimated" in outlook
    assert "typical error" in cli("land", *asked, "--backtest", "--within", "week").stdout
    shares = tmp_path / "shares.csv"
    shares.write_text("day,share\n" + "\n".join(f'{day},"{100 / 31:.4f} %"' for day in range(1, 32)))
    assert "by the list given (listed)" in cli("land", *asked, "--profile", shares).stdout
    for out in ("landing.png", "backtest.svg", "landing.csv"):
        words = ["--figure", "backtest"] if "backtest" in out else []
        assert cli("land", *asked, "--out", tmp_path / out, *words).returncode == 0
        assert (tmp_path / out).stat().st_size > 100
    shares.write_text("day,share\n1,2\n2,x\n")
    for words, code, said in [
        (["--profile", shares], 3, "shares.csv, line 3, column 'share': 'x' is no share"),
        (["--profile", "evn"], 2, "Did you mean 'even'"),
        (["--profile", "gone.csv"], 2, "gone.csv"),
        (["--backtest", "--item", "hire"], 2, "--item"),
        (["--each", "year"], 2, "with within='month' it may be day"),
        (["--against", "plan"], 2, "--against plan needs --plan FILE"),
        (["--alert", "growth > 5%"], 1, "growth +13.1 %"),
        (["--profile", sales, "--out", sales], 2, "would write over"),
    ]:
        ran = cli("land", *asked, *words)
        assert ran.returncode == code and said in ran.stderr, ran.stderr
