"""How a running total stands, and how a period will end, in words: the same in every view."""

from __future__ import annotations

import numpy as np

from logochron.core.book.measures import Measure
from logochron.core.options import DIRECTIONS
from logochron.core.questions.backtest import Backtest
from logochron.core.questions.land import Landing
from logochron.core.questions.pace import Pace
from logochron.views.formats import Formats
from logochron.views.words.basis_words import several
from logochron.views.words.catalog import ordinal
from logochron.views.words.titles import against_words, short_day, subject, unit, within_a_title

#: An estimate that is off by no more can be believed.
_BELIEVED = 0.05


def amount_words(value: float, measure: Measure, formats: Formats) -> str:
    """A compact amount with its unit."""
    named = unit(measure, formats)
    return formats.compact(value) + (f" {named}" if named else "")


def pace_label(result: Pace, parent: int, formats: Formats) -> str:
    """The label of a period; a running one says to which day."""
    day = int(result.days[parent, result.positions.today])
    if day >= result.positions.edges[1][-1] or parent < len(result.periods) - 1:
        return result.periods[parent]
    return f"{result.periods[parent]} to {short_day(result, day, formats)}"


def standing_sentence(result: Pace, measure: Measure, labels: tuple[str, ...], formats: Formats) -> str:
    """Where the last period stands: amount, growth against its base, rank among the periods."""
    block, place = result.block_of(measure, labels)
    parent = len(result.periods) - 1
    row = block.row(result.place(), place)
    running, base, growth = (float(row[name]) for name in ("running", "base", "growth"))
    said = f"{pace_label(result, parent, formats)}: {amount_words(running, measure, formats)}"
    against = against_words(result)
    if np.isfinite(growth):
        moved = "level" if growth == 0 else formats.growth(growth)
        said += f", {moved} against {against} ({formats.compact(base)})"
    elif np.isfinite(base):
        said += f", {formats.compact(running - base, signed=True)} against {against} ({formats.compact(base)})"
    else:
        said += f", nothing to compare with ({against})"
    ranks = ranks_of(result, measure, labels)
    if len(ranks) > 1:
        said += f"{formats.dot}{ordinal(ranks[parent])} of {len(ranks)} {several(result.calendar.word(result.within))}"
    return said


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
        return f"No estimate: {amount_words(float(row['to_date']), measure, formats)} to date"
    over = bool(result.now.over[0])
    said = f"{'Ended at' if over else 'Lands at'} {amount_words(estimate, measure, formats)}"
    if np.isfinite(low) and not over:
        said += f" ({formats.compact(low)} to {formats.compact(high)})"
    if DIRECTIONS[row["direction"]] == "level":
        said += f", level with {against_words(whole)}"
    elif np.isfinite(growth):
        said += f", {formats.growth(growth)} against {against_words(whole)}"
    return said


def landing_subject(result: Landing, measure: Measure, formats: Formats, item: str | None = None) -> str:
    """What is shown: "Landing of revenue in 2026-10, all harbors"."""
    named = subject(result.whole, measure, split=False, item=item, period=result.period)
    return f"Landing of {within_a_title(named, measure)}"


def backtest_subject(result: Backtest, formats: Formats) -> str:
    """What is shown: "Errors of revenue estimates by month, all harbors"."""
    landing = result.landing
    named = subject(landing.whole, result.measure, split=False, told="estimates")
    return f"Errors of {within_a_title(named, result.measure)}"


def backtest_sentence(result: Backtest, formats: Formats) -> str:
    """From which day on estimates can be believed: when half of them were off by no more than a twentieth."""
    errors = result.typical_errors[:, 0]
    n = int(result.past[:, 0].max(initial=0))
    past = _past_words(result.landing, n)
    within = np.isfinite(errors) & (errors <= _BELIEVED)
    # from there to the end
    held = np.flatnonzero(~within)
    first = int(held[-1]) + 1 if len(held) else 0
    if not n or first >= len(errors) - 1:
        return f"Not before the last days were half of the estimates of {past} within {formats.part(_BELIEVED, 0)}"
    days = int(result.landing.now.days[0])
    reached = f"From day {result.day(first + 1)} of {days} on"
    return f"{reached} half of the estimates were within {formats.part(_BELIEVED, 0)} of what {past} came to"


def _past_words(result: Landing, n: int) -> str:
    """The past periods that estimates were held against."""
    word = result.calendar.word(result.within)
    return f"the {n} {several(word)} before" if n != 1 else f"the {word} before"


def unsure_sentence(result: Landing, measure: Measure, formats: Formats) -> str:
    """How far estimates were off at the same point of past periods; empty where none is known, or it is over."""
    error, n = result.tested(measure)
    if not np.isfinite(error) or result.now.over[0]:
        return ""
    past = ("half of " if n != 1 else "") + _past_words(result, n)
    at = f"On day {int(result.now.elapsed[0])} of {int(result.now.days[0])}"
    return f"{at} estimates were off by {formats.part(error)} or more in {past}"


#: What each profile goes by.
_PROFILES = {
    "history": "as in the last complete {words}, {n} in all",
    "year-ago": "as in the base, {against}",
    "weekday": "by the weekdays of the last 8 weeks",
    "even": "by the days elapsed",
    "listed": "by the list given",
}


def profile_words(result: Landing, profile: str) -> str:
    """What the share that is usually done goes by."""
    if profile not in _PROFILES:
        return ""
    named = _PROFILES[profile].format(
        n=result.method.history, words=several(result.calendar.word(result.within)), against=against_words(result)
    )
    return f"{named} ({profile}, the best so far)" if result.method.profile == "best" else f"{named} ({profile})"
