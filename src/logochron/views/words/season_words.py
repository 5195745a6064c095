"""What each part of a period usually brings, in words."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.measures import Measure
from logochron.core.calendars.civil import CivilCalendar
from logochron.views.catalog import message
from logochron.views.formats import Formats, capital, words
from logochron.views.locale_texts import dated
from logochron.views.words.titles import period_word, several

if TYPE_CHECKING:
    from logochron.core.questions.season import Season

_TITLE = message("The usual share of each {part} in its {period}: {measure}")
_MOST = message("{part} usually brings most of {measure} in a {period}: {share} ({low} to {high} in {n} {periods})")
_LEAST = message("{part} least: {share} ({low} to {high})")
_NOW = message("In {running} so far {part} stands out most: {now}, usually {usual} of the same parts")
_TOO_FEW = message("{measure}: too few whole {periods} to tell what is usual")


def season_subject(result: Season, measure: Measure, formats: Formats) -> str:
    """What a table or a figure of a season shows."""
    part = period_word(result.calendar.word(result.each), formats)
    period = period_word(result.calendar.word(result.within), formats)
    selected = "".join(f", {words(one)}" for one in result.book.selected)
    return formats.say(_TITLE, part=part, period=period, measure=words(measure.name)) + selected


def part_names(result: Season, formats: Formats, *, short: bool = False) -> list[str]:
    """What the places are called, in the reader's language; the short form for an axis."""
    labels = result.total_columns["label"].tolist()[: len(result.first_days)]
    days = result.first_days.tolist()
    if result.each == "month" and isinstance(result.calendar, CivilCalendar):
        return [formats.month(day) if short else capital(dated(day, "LLLL", formats.locale)) for day in days]
    if result.each == "day" and result.within == "week":
        return [formats.weekday(day) if short else capital(dated(day, "EEEE", formats.locale)) for day in days]
    return [str(label) for label in labels]


def shares_at(result: Season, measure: Measure) -> dict[str, NDArray[np.float64]]:
    """The shares of a measure by place, all items together; `beside`: those so far as parts of the usual of theirs.

    Only of places that are over: what is not has yet to come to its share.
    """
    block = result.of_measure(result.total_columns, measure).blocks[0]
    shares = {name: np.asarray(block.flat(block.columns[name]), dtype=np.float64) for name in _FIGURES}
    over = np.isfinite(shares["now"]) & np.isfinite(shares["usual"])
    over &= np.arange(1, len(over) + 1) != result.unfinished
    # a share of what is sold to date is held against one of the whole: both of the same places
    sold, usual = shares["now"][over].sum(), shares["usual"][over].sum()
    return shares | {"beside": np.where(over & (sold > 0), shares["now"] * usual / max(sold, 1e-12), np.nan)}


_FIGURES = ("parents", "usual", "low", "high", "now")


def season_sentences(
    result: Season, measure: Measure, at: Any, formats: Formats, n: int, then: str | None
) -> list[str]:
    """Which part brings most and which least, and which stands out in the running period."""
    shares, names = shares_at(result, measure), part_names(result, formats)
    periods = several(result.calendar.word(result.within), formats)
    usual = shares["usual"]
    if not np.isfinite(usual).any():
        return [formats.say(_TOO_FEW, measure=capital(words(measure.name)), periods=periods)]

    def told(place: int) -> dict[str, str]:
        figures = {"share": usual[place], "low": shares["low"][place], "high": shares["high"][place]}
        return {name: formats.part(float(figure)) for name, figure in figures.items()} | {"part": names[place]}

    most = int(np.nanargmax(usual))
    period = period_word(result.calendar.word(result.within), formats)
    many = formats.number(float(shares["parents"][most]), 0)
    said = [formats.say(_MOST, measure=words(measure.name), period=period, n=many, periods=periods, **told(most))]
    said.append(formats.say(_LEAST, **told(int(np.nanargmin(usual)))))
    off = np.abs(shares["beside"] - usual)
    if np.isfinite(off).any() and len(result.running):
        place = int(np.nanargmax(off))
        now, before = (formats.part(float(shares[name][place])) for name in ("beside", "usual"))
        said.append(formats.say(_NOW, running=result.running, part=names[place], now=now, usual=before))
    return said
