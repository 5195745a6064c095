"""The public holidays of a country or a region of one, from the package that keeps them."""

from __future__ import annotations

from logochron.core.days import as_date, day_number
from logochron.core.errors import QuestionError, brief
from logochron.core.said import Said


def public_holidays(code: str, first: int, last: int) -> dict[int, str]:
    """The public holidays of the days from `first` to `last`: day number -> name.

    Parameters
    ----------
    code
        A country, ``"PT"``, or a region of one, ``"DE-BY"``.

    Raises
    ------
    QuestionError
        Where the package is not installed, or knows no such country or region.
    """
    try:
        import holidays
    except ImportError:
        raise QuestionError(
            "`holidays` (--holidays) needs the package `holidays`: pip install 'logochron[holidays]'"
        ) from None
    country, _, region = code.strip().upper().partition("-")
    years = range(as_date(first).year, as_date(last).year + 1)
    try:
        calendar = holidays.country_holidays(country, subdiv=region or None, years=years, language="en_US")
    except NotImplementedError:
        known = holidays.list_supported_countries(include_aliases=False)
        regions = known.get(country)
        offered = (
            Said("regions of {0}: {1}", country, ", ".join(regions[:20]))
            if regions
            else Said("{0} countries are known by their two letters", len(known))
        )
        raise QuestionError(
            "`holidays` must be a country such as PT or a region of one such as DE-BY; got {0}; {1}",
            brief(code),
            offered,
        ) from None
    numbers = {day_number(day): str(name) for day, name in calendar.items()}
    return {day: name for day, name in sorted(numbers.items()) if first <= day <= last}
