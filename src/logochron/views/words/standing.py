"""How a running total stands, and how a period will end, in words: the same in every view."""

from __future__ import annotations

import numpy as np

from logochron.core.align.bases import Prior
from logochron.core.book.measures import Measure
from logochron.core.options import DIRECTIONS
from logochron.core.questions.landing.answer import Landing
from logochron.core.questions.landing.backtest import Backtest
from logochron.core.questions.pace import Pace
from logochron.views.catalog import message, ordinal
from logochron.views.formats import Formats, capital
from logochron.views.words.apart import amounts_apart
from logochron.views.words.basis_words import in_words, several
from logochron.views.words.periods import PeriodWords, days_in_words, whole_period
from logochron.views.words.titles import against_words, short_day, subject, unit, within_a_title

#: An estimate that is off by no more can be believed.
_BELIEVED = 0.05
RUNNING_TOTAL = message("{measure} running total")
_ESTIMATES = message("{measure} estimates")
_UNSURE = message("On day {day} of {days} estimates were off by {error} or more in half of {past}")
_UNSURE_OF_ONE = message("On day {day} of {days} estimates were off by {error} or more in {past}")
_BELIEVED_LATE = message("Not before the last days were half of the estimates of {past} within {part}")
_BELIEVED_FROM = message("From day {day} of {days} on half of the estimates were within {part} of what {past} came to")


def amount_words(value: float, measure: Measure, formats: Formats, *, signed: bool = False) -> str:
    """A compact amount with its unit."""
    return formats.amount(value, unit(measure, formats), signed=signed)


def pace_label(result: Pace, parent: int, formats: Formats) -> str:
    """The label of a period; a running one says to which day."""
    day = int(result.days[parent, result.positions.today])
    if day >= result.positions.edges[1][-1] or parent < len(result.periods) - 1:
        return result.periods[parent]
    return formats.say("{label} to {day}", label=result.periods[parent], day=short_day(result, day, formats))


def pace_days(result: Pace, parent: int, formats: Formats) -> PeriodWords:
    """The days of a running total at today's position, in words."""
    first, last = (int(result.days[parent, place]) for place in (0, result.positions.today))
    if last == result.days[parent, -1]:
        return whole_period(result.calendar, result.within, first, formats)
    return days_in_words(first, last, formats)


def pace_when(result: Pace, parent: int, formats: Formats) -> str:
    """When a running total at today's position was, in words."""
    return pace_days(result, parent, formats).when


def standing_sentence(result: Pace, measure: Measure, labels: tuple[str, ...], formats: Formats) -> str:
    """Where the last period stands: amount, growth against its base, rank among the periods."""
    block, place = result.block_of(measure, labels)
    parent = len(result.periods) - 1
    row = block.row(result.place(), place)
    running, base, growth = (float(row[name]) for name in ("running", "base", "growth"))
    now, before = amounts_apart([running, base], unit(measure, formats), formats)
    said = f"{capital(pace_days(result, parent, formats).name)}: {now}"
    against = formats.say("against {base}", base=against_words(result, formats))
    held = f"{against} ({before})"
    if np.isfinite(growth):
        said += f", {formats.growth(growth)} {held}"
    elif np.isfinite(base):
        said += f", {amount_words(running - base, measure, formats, signed=True)} {held}"
    else:
        said += ", " + formats.say("nothing to compare with")
    return formats.dot.join(filter(None, (said, rank_words(result, measure, labels, formats))))


def rank_words(result: Pace, measure: Measure, labels: tuple[str, ...], formats: Formats) -> str:
    """The rank of the last period at today's position; empty where it is alone."""
    ranks = ranks_of(result, measure, labels)
    rank = ranks.get(len(result.periods) - 1)
    if rank is None or len(ranks) < 2:
        return ""
    periods = several(result.calendar.word(result.within), formats)
    return formats.say("{rank} of {n} {periods}", rank=ordinal(rank, formats.language), n=len(ranks), periods=periods)


def ranks_of(result: Pace, measure: Measure, labels: tuple[str, ...] = ()) -> dict[int, int]:
    """The rank of each period at today's position, by its place."""
    found = result.standing_columns(measure, labels)
    return dict(zip(found["period"].tolist(), found["rank"].tolist()))


def landing_sentence(result: Landing, measure: Measure, labels: tuple[str, ...], formats: Formats) -> str:
    """Where the period will end, with its range, beside the base."""
    whole = result.whole
    block, place = whole.block_of(measure, labels)
    row = block.row(0, place)
    estimate, low, high, growth = (float(row[name]) for name in ("estimate", "low", "high", "growth"))
    if not np.isfinite(estimate):
        to_date = amount_words(float(row["to_date"]), measure, formats)
        return formats.say("No estimate: {value} to date", value=to_date)
    over = bool(result.now.over[0])
    amount = amount_words(estimate, measure, formats)
    said = formats.say(message("Ended at {value}") if over else message("Lands at {value}"), value=amount)
    if np.isfinite(low) and not over:
        span = {"low": formats.compact(low), "high": formats.compact(high)}
        said += f" ({formats.say('{low} to {high}', **span)})"
    against = against_words(whole, formats)
    if DIRECTIONS[row["direction"]] == "level":
        said += ", " + formats.say("level with {base}", base=against)
    elif np.isfinite(growth):
        said += f", {formats.growth(growth)} " + formats.say("against {base}", base=against)
    return said


def landing_period(result: Landing, formats: Formats) -> PeriodWords:
    """The period that lands, in words."""
    return whole_period(result.calendar, result.within, int(result.now.starts[0]), formats)


def landing_when(result: Landing, formats: Formats) -> str:
    """When the period that lands is, in words."""
    return landing_period(result, formats).when


def landing_subject(result: Landing, measure: Measure, formats: Formats, item: str | None = None) -> str:
    """What is shown: "Landing of revenue in October 2026, all harbors"."""
    named = subject(result.whole, measure, formats, split=False, item=item, when=landing_when(result, formats))
    return formats.say("Landing of {subject}", subject=within_a_title(named, measure))


def backtest_subject(result: Backtest, formats: Formats) -> str:
    """What is shown: "Errors of revenue estimates by month, all harbors"."""
    named = subject(result.landing.whole, result.measure, formats, split=False, told=_ESTIMATES)
    return formats.say("Errors of {subject}", subject=within_a_title(named, result.measure))


def backtest_sentence(result: Backtest, formats: Formats) -> str:
    """From which day on estimates can be believed: when half of them were off by no more than a twentieth."""
    errors = result.typical_errors[:, 0]
    n = int(result.past[:, 0].max(initial=0))
    past = past_words(result.landing, n, formats)
    within = np.isfinite(errors) & (errors <= _BELIEVED)
    # from there to the end
    held = np.flatnonzero(~within)
    first = int(held[-1]) + 1 if len(held) else 0
    part = formats.part(_BELIEVED, 0)
    if not n or first >= len(errors) - 1:
        return formats.say(_BELIEVED_LATE, past=past, part=part)
    days = int(result.landing.now.days[0])
    return formats.say(_BELIEVED_FROM, day=result.day(first + 1), days=days, part=part, past=past)


def past_words(result: Landing, n: int, formats: Formats) -> str:
    """The past periods that estimates were held against."""
    word = result.calendar.word(result.within)
    if n == 1:
        return in_words(Prior(), word, formats)
    return formats.say("the {n} {periods} before", n=n, periods=several(word, formats))


def unsure_sentence(result: Landing, measure: Measure, formats: Formats) -> str:
    """How far estimates were off at the same point of past periods; empty where none is known, or it is over."""
    error, n = result.tested(measure)
    if not np.isfinite(error) or result.now.over[0]:
        return ""
    return formats.say(
        _UNSURE if n != 1 else _UNSURE_OF_ONE,
        day=int(result.now.elapsed[0]),
        days=int(result.now.days[0]),
        error=formats.part(error),
        past=past_words(result, n, formats),
    )


#: What each profile goes by.
_PROFILES = {
    "history": message("as in the last complete {periods}, {n} in all"),
    "year-ago": message("as in the base, {base}"),
    "weekday": message("by the weekdays of the last 8 weeks"),
    "even": message("by the days elapsed"),
    "listed": message("by the list given"),
}


def profile_words(result: Landing, profile: str, formats: Formats) -> str:
    """What the share that is usually done goes by."""
    if profile not in _PROFILES:
        return ""
    named = formats.say(
        _PROFILES[profile],
        n=result.method.history,
        periods=several(result.calendar.word(result.within), formats),
        base=against_words(result, formats),
    )
    best = formats.say("{profile}, the best so far", profile=profile)
    return f"{named} ({best if result.method.profile == 'best' else profile})"
