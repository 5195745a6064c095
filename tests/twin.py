"""A second making of calendars and alignment in plain Python, by the words of the definitions: days walked one by one.

Nothing here is taken from the package. Days are `datetime.date`; a period is a run of days.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field

DAY = dt.timedelta(days=1)
FIRST, LAST = dt.date(2010, 1, 1), dt.date(2029, 12, 31)
Span = tuple[dt.date, dt.date]


@dataclass
class Period:
    """A run of days with its place: year and number in it."""

    first: dt.date
    last: dt.date
    year: int
    number: int


@dataclass
class Walked:
    """The periods of each grain in order of time, and the place of the one that holds each day."""

    kind: str
    periods: dict[str, list[Period]]
    named_after: int = 0  # what turns the number of a year into its name
    prefix: str = ""
    holding: dict[str, dict[dt.date, int]] = field(default_factory=dict)
    places: dict[str, dict[tuple[int, int], int]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        for grain, periods in self.periods.items():
            self.holding[grain] = {d: i for i, p in enumerate(periods) for d in walk(p.first, p.last)}
            self.places[grain] = {(p.year, p.number): i for i, p in enumerate(periods)}


def walk(first: dt.date, last: dt.date) -> Iterator[dt.date]:
    while first <= last:
        yield first
        first += DAY


def runs(key: Callable[[dt.date], tuple[int, int]], first: dt.date = FIRST, last: dt.date = LAST) -> list[Period]:
    """The days gathered into runs of one (year, number)."""
    periods: list[Period] = []
    for day in walk(first, last):
        year, number = key(day)
        if periods and (periods[-1].year, periods[-1].number) == (year, number):
            periods[-1].last = day
        else:
            periods.append(Period(day, day, year, number))
    return periods[1:-1]  # both ends may be cut


def days_of(years: list[Period]) -> list[Period]:
    return [Period(d, d, y.year, i + 1) for y in years for i, d in enumerate(walk(y.first, y.last))]


def civil(year_start: int = 1, week_start: int = 0) -> Walked:
    """Years are numbered by the civil year they start in."""

    def year(day: dt.date) -> int:
        return day.year if day.month >= year_start else day.year - 1

    def of_months(size: int) -> Callable[[dt.date], tuple[int, int]]:
        return lambda day: (year(day), (day.month - year_start) % 12 // size + 1)

    years = runs(of_months(12))
    weeks, day = [], FIRST
    while day.weekday() != week_start:
        day += DAY
    while day + 6 * DAY <= LAST:
        in_year = [year(day + k * DAY) for k in range(7)]
        home = max(set(in_year), key=in_year.count)  # four or more of seven
        number = weeks[-1].number + 1 if weeks and weeks[-1].year == home else 1
        weeks.append(Period(day, day + 6 * DAY, home, number))
        day += 7 * DAY
    weeks = [week for week in weeks if week.year > weeks[0].year]
    sizes = {"month": 1, "quarter": 3, "half": 6}
    return Walked(
        "civil",
        {"day": days_of(years), "week": weeks, "year": years} | {g: runs(of_months(n)) for g, n in sizes.items()},
        int(year_start > 1),
        "FY" if year_start > 1 else "",
    )


def retail(pattern: tuple[int, ...], weekday: int, ends_in: int, ends: str, long_period: int | None = None) -> Walked:
    """Years are numbered by the civil year of the month they end in."""
    year_ends = []
    for year in range(FIRST.year, LAST.year):
        anchor = (dt.date(year, ends_in, 28) + 4 * DAY).replace(day=1) - DAY
        around = range(-6, 1) if ends == "last" else range(-3, 4)
        year_ends += [(year, anchor + k * DAY) for k in around if (anchor + k * DAY).weekday() == weekday]
    periods: dict[str, list[Period]] = {grain: [] for grain in ("week", "month", "quarter", "half", "year")}
    weeks_in = list(pattern * 4 if len(pattern) == 3 else pattern)
    for (_, before), (year, end) in zip(year_ends, year_ends[1:]):
        starts = list(walk(before + DAY, end))[::7]
        lengths = list(weeks_in)
        if len(starts) == 53:
            lengths[(long_period or len(lengths)) - 1] += 1
        assert len(starts) == sum(lengths)
        periods["year"].append(Period(starts[0], end, year, 1))
        periods["week"] += [Period(s, s + 6 * DAY, year, i + 1) for i, s in enumerate(starts)]
        done, months = 0, []
        for i, n in enumerate(lengths):
            months.append(Period(starts[done], starts[done + n - 1] + 6 * DAY, year, i + 1))
            done += n
        quarters = [months[3 * q : 3 * q + 3] if q < 3 else months[9:] for q in range(4)]
        periods["month"] += months
        periods["quarter"] += [Period(q[0].first, q[-1].last, year, i + 1) for i, q in enumerate(quarters)]
        periods["half"] += [Period(quarters[2 * h][0].first, quarters[2 * h + 1][-1].last, year, h + 1) for h in (0, 1)]
    return Walked("retail", {"day": days_of(periods["year"])} | periods, -1 if ends_in < 12 else 0)


def listed(rows: list[tuple[dt.date, dt.date, int, int]]) -> Walked:
    """Rows of first and last day, year and quarter."""
    periods: dict[str, list[Period]] = {"month": [], "quarter": [], "year": []}
    for first, last, year, quarter in rows:
        for grain, number in (("quarter", quarter), ("year", 1)):
            own = periods[grain]
            if own and (own[-1].year, own[-1].number) == (year, number):
                own[-1].last = last
            else:
                own.append(Period(first, last, year, number))
        of_year = [p for p in periods["month"] if p.year == year]
        periods["month"].append(Period(first, last, year, len(of_year) + 1))
    return Walked("listed", {"day": days_of(periods["year"])} | periods)


def year_name(calendar: Walked, year: int) -> str:
    return f"{calendar.prefix}{year + calendar.named_after:04d}"


def label(calendar: Walked, grain: str, i: int) -> str:
    """What the period at a place is called."""
    period = calendar.periods[grain][i]
    if grain == "day":
        return period.first.isoformat()
    if grain == "month" and calendar.kind == "civil":
        return period.first.isoformat()[:7]
    if grain == "month" and calendar.kind == "listed":
        return f"run {i}"
    forms = {"year": "", "half": "-H%d", "quarter": "-Q%d", "month": "-P%02d", "week": "-W%02d"}
    return year_name(calendar, period.year) + (forms[grain] % period.number if forms[grain] else "")


def month_end(day: dt.date) -> dt.date:
    return (day.replace(day=28) + 4 * DAY).replace(day=1) - DAY


def add_months(day: dt.date, n: int) -> dt.date:
    years, month = divmod(day.year * 12 + day.month - 1 + n, 12)
    return dt.date(years, month + 1, 1)


def cut(kind: str, grain: str, first: dt.date, base_first: dt.date, report: dt.date) -> dt.date:
    """The day of the base at the same point as the report date."""
    if kind != "civil" or grain in ("day", "week"):
        return base_first + (report - first)
    months = (report.year - first.year) * 12 + report.month - first.month
    target = add_months(base_first, months)
    if report == month_end(report):
        return month_end(target)
    return min(target + (report.day - 1) * DAY, month_end(target))


def year_ago(calendar: Walked, grain: str, i: int, n: int) -> int | None:
    period = calendar.periods[grain][i]
    if grain == "day" and calendar.kind == "civil":
        day = period.first
        leap = (day.month, day.day) == (2, 29)
        try:
            back = day.replace(year=day.year - n)
        except ValueError:
            assert leap
            back = dt.date(day.year - n, 2, 28)
        return calendar.holding["day"].get(back)
    return calendar.places[grain].get((period.year - n, period.number))


def earlier(calendar: Walked, basis: str, grain: str, i: int, fixed: int | None) -> list[int | None]:
    """The periods that a basis names, oldest first."""
    name, _, n = basis.partition(":")
    count = int(n) if n.isdigit() else 1
    if name == "prior":
        return [i - count]
    if name == "mean":
        return [i - k for k in range(count, 0, -1)]
    if name == "year-ago":
        return [year_ago(calendar, grain, i, count)]
    if name == "year-ago-mean":
        return [year_ago(calendar, grain, i, k) for k in range(count, 0, -1)]
    return [fixed]


def children(calendar: Walked, grain: str, parent: str, at: int) -> list[int]:
    """The periods of a grain that make up a longer one; civil weeks those of the week-year."""
    longer = calendar.periods[parent][at]
    if calendar.kind == "civil" and grain == "week" and parent == "year":
        return [i for i, p in enumerate(calendar.periods["week"]) if p.year == longer.year]
    held = calendar.holding[grain]
    return list(range(held[longer.first], held[longer.last] + 1))


def parent_of(calendar: Walked, grain: str, parent: str, i: int) -> int:
    period = calendar.periods[grain][i]
    if calendar.kind == "civil" and grain == "week" and parent == "year":
        return calendar.places["year"][period.year, 1]
    return calendar.holding[parent][period.first]


def spans(
    calendar: Walked,
    grain: str,
    basis: str,
    running: str | int | None,
    weeks: str,
    i: int,
    report: dt.date,
    first_day: dt.date,
    fixed: int | None = None,
    as_is: bool = False,
) -> tuple[Span | None, list[Span] | None, set[str]]:
    """The value's span and the base's of the period at place `i`, None where unknown, and the codes of its notes.

    Records from `first_day` on. `as_is`: nothing is cut, and a base that is partly covered is taken so.
    """
    value, base, notes = _spans(calendar, grain, basis, running, weeks, i, report, first_day, fixed, as_is)
    if value is None:
        return None, None, {"not recorded", *notes}
    if base is None or basis == "plan":
        return value, base, notes
    length = lambda span: (span[1] - span[0]).days // 7 + ((span[1] - span[0]).days % 7 >= 0)  # noqa: E731  weeks begun
    if (grain == "week" or calendar.kind == "retail") and any(length(span) != length(value) for span in base):
        notes.add("weeks")
    if any(a <= value[1] and b >= value[0] for a, b in base):
        notes.add("shared days")
    return value, base, notes


def _spans(
    calendar: Walked,
    grain: str,
    basis: str,
    running: str | int | None,
    weeks: str,
    i: int,
    report: dt.date,
    first_day: dt.date,
    fixed: int | None,
    as_is: bool,
) -> tuple[Span | None, list[Span] | None, set[str]]:
    own = calendar.periods[grain][i]
    running_now = own.last > report and not as_is
    parent = running if isinstance(running, str) else None
    back = running - 1 if isinstance(running, int) else 0
    if parent:
        at = parent_of(calendar, grain, parent, i)
        inside = children(calendar, grain, parent, at)
        start = calendar.periods[grain][inside[0]].first
    else:
        start = calendar.periods[grain][i - back].first if i >= back else dt.date.min
    value = (max(start, first_day), min(own.last, report))
    fragment = start < first_day
    notes: set[str] = {"no base: records start"} if fragment else set()
    if fragment and back:
        value = None
    if basis == "plan":
        end = own.last if as_is else min(own.last, report)
        planned = (max(start, first_day), min(end, report))
        return value, None if fragment else [planned], {"no base: plan starts"} if fragment else set()
    moved = 364 * int(basis.partition(":")[2] or 1) * DAY if weeks == "364-days" else None
    base: list[Span | None] = []
    if moved:
        end = own.last if as_is else min(own.last, report)
        base = [(start - moved if start > dt.date.min else start, end - moved)]
    else:
        if parent and basis.startswith("fixed"):
            assert fixed is not None
            other = parent_of(calendar, grain, parent, fixed)
            same = inside.index(i) == children(calendar, grain, parent, other).index(fixed)
            others: list[int | None] = [other if same else None]
        elif parent:
            others = earlier(calendar, basis, parent, at, None)
        else:
            others = earlier(calendar, basis, grain, i, fixed)
        for j in others:
            if j is None:
                notes.add("no such place")
                base.append(None)
                continue
            if j < back:  # before all that was walked
                base.append((dt.date.min, dt.date.min))
                continue
            span, beyond = of_base(calendar, grain, parent, i, j, back, running_now, report)
            leap = calendar.kind == "civil" and grain == "day" and (own.first.month, own.first.day) == (2, 29)
            short = (span[1].month, span[1].day) == (2, 28) and month_end(span[1]) == span[1]
            if leap and short and (parent or basis.startswith("year-ago")):
                notes.add("leap day")
            if beyond and parent == "year":
                notes.add("against the whole year")
            base.append(span)
    named = calendar.periods[grain][fixed or 0].last if basis.startswith("fixed") else dt.date.min
    if as_is:
        held = [(max(s[0], first_day), min(s[1], report)) for s in base if s and s[0] <= report and s[1] >= first_day]
    else:
        held = [s for s in base if s and s[0] >= first_day and max(s[1], named) <= report]
    enough = bool(held) if as_is else len(held) == len(base)
    if value is None or fragment or not enough:
        if None in base:  # why there is none is said, not what the records lack
            notes.discard("no base: records start")
        elif any(s and s[0] < first_day for s in base) or fragment:
            notes.add("no base: records start")
        else:
            notes.add("no base: records end")
        return value, None, notes - {"against the whole year"}
    return value, held, notes


def of_base(
    calendar: Walked, grain: str, parent: str | None, i: int, j: int, back: int, running_now: bool, report: dt.date
) -> tuple[Span, bool]:
    """The base span, `j` is the base period, or the base parent; and whether the row lies beyond the base's end."""
    own = calendar.periods[grain][i]
    if not parent:
        base = calendar.periods[grain][j]
        end = min(cut(calendar.kind, grain, own.first, base.first, report), base.last) if running_now else base.last
        return (calendar.periods[grain][j - back].first, end), False
    longer, base_longer = calendar.periods[parent][parent_of(calendar, grain, parent, i)], calendar.periods[parent][j]
    if grain == "day":
        end = cut(calendar.kind, parent, longer.first, base_longer.first, own.first)
        return (base_longer.first, min(end, base_longer.last)), end > base_longer.last
    place = children(calendar, grain, parent, parent_of(calendar, grain, parent, i)).index(i)
    others = children(calendar, grain, parent, j)
    start = calendar.periods[grain][others[0]].first
    if place >= len(others):
        return (start, calendar.periods[grain][others[-1]].last), True
    base = calendar.periods[grain][others[place]]
    end = min(cut(calendar.kind, grain, own.first, base.first, report), base.last) if running_now else base.last
    return (start, end), False
