"""Dates that are names of periods: what each record stands for then."""

from __future__ import annotations

from collections.abc import Sequence

from logochron.core.book.record_spans import Standing
from logochron.core.calendars.named_in import fiscal_years_said, ordinal_named
from logochron.core.calendars.written_names import grains_of
from logochron.core.errors import IntakeError
from logochron.core.said import Joined, Said, either
from logochron.sources.rolled_source import ReadingSpec

#: So many texts tell whether a column may hold names of periods at all.
_FEW = 20
#: The part of the different texts that must be such names; rows with others are refused.
_MOST = 0.5


def standing_named(texts: Sequence[str | None], spec: ReadingSpec) -> tuple[Standing, tuple[str, ...]]:
    """What each record stands for, taken from the names of periods where it is not stated; and what was taken.

    Parameters
    ----------
    texts
        The distinct dates.

    Raises
    ------
    IntakeError
        Where they may be months or weeks.
    """
    standing = spec.standing
    filled = [text for text in texts if text and text.strip()]
    if standing.records_of != "day" or spec.stated.date_format or spec.seconds or not filled:
        return standing, ()
    if not any(map(grains_of, ([text] for text in filled[:_FEW]))):
        return standing, ()
    named = [text for text in filled if grains_of([text])]
    grains = grains_of(named, spec.date)
    if len(named) < _MOST * len(filled) or not grains:
        return standing, ()
    if len(grains) > 1:
        raise IntakeError(
            "column {0!r} holds six digits such as {1!r}, which may name a {2}: say {3}",
            spec.date,
            named[0],
            Joined(grains, Said(" or a ")),
            either(f"records_of={grain!r} (--records-of {grain})" for grain in grains),
            remedies=[{"records_of": grain} for grain in grains],
        )
    grain = grains[0]
    if ordinal_named(named[0], grain, standing.calendar) is None:
        return standing, ()  # the calendar has none: told where the dates are read
    said: list[str] = [
        Said(
            "column {0!r} holds names of periods such as {1!r}: each record stands for a whole "
            "{2} (records_of={2!r}, --records-of {2})",
            spec.date,
            named[0],
            grain,
        )
    ]
    said += fiscal_years_said(named[0], standing.calendar)
    return standing._replace(records_of=grain), tuple(said)
