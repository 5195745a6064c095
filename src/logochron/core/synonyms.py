"""Words that people bring along from elsewhere, and ours for them: one table for every place that meets one."""

from __future__ import annotations

import re


def _said(option: str, value: str, words: str) -> dict[str, str]:
    """Words that stand for one value of an option."""
    saying = f"{option}={value!r} (--{option} {value})"
    return dict.fromkeys(words.split(), saying)


def _options(synonym: str, words: str) -> dict[str, str]:
    """Options that stand for one of ours."""
    return {f"--{word}": synonym for word in words.split()}


_FISCAL = "year_start=4 (--year-start 4), where the year starts in April"

#: What each word or option is called here.
SYNONYMS: dict[str, str] = {
    **_said("against", "year-ago", "yoy yoy% ly py last-year prior-year previous-year year-over-year year-on-year"),
    **_said("against", "prior", "pp previous previous-period prior-period last-period last-month last-week"),
    **_said("against", "prior", "last-quarter previous-month prior-month mom qoq wow month-over-month"),
    **dict.fromkeys(
        ("budget", "target", "forecast", "goal"), "against='plan' with plan=read_plan(...) (--against plan --plan FILE)"
    ),
    **_said("running", "year", "ytd year-to-date"),
    **_said("running", "quarter", "qtd quarter-to-date"),
    **_said("running", "month", "mtd month-to-date"),
    **_said("running", "week", "wtd week-to-date"),
    **dict.fromkeys(("fiscal", "fy", "fiscal-year", "financial-year"), _FISCAL),
    **_options("--by COL", "group-by groupby split-by breakdown dimension dimensions"),
    **_options("--at FIRST..LAST", "from to start end start-date end-date since between"),
    **_options("--each (the grain of the rows) or --at (which of them)", "period periods"),
    **_options("--each", "grain granularity freq frequency interval every"),
    **_options("--against", "compare-to compare compared-to compare-with vs versus baseline base basis"),
    **_options("--year-start MONTH", "fiscal-year fiscal-start fiscal fy financial-year"),
    **_options("--against year-ago", "yoy ly last-year prior-year"),
    **_options("--against prior", "mom wow qoq previous"),
    **_options("--against plan --plan FILE", "budget target forecast goal"),
    **_options("--running year", "ytd"),
    **_options("--running quarter", "qtd"),
    **_options("--running month", "mtd"),
    **_options("--value COL", "metric metrics amount column values sum"),
    **_options("--date COL", "date-column date-col dates time"),
    **_options("--where COL=VALUE", "filter"),
    **_options("--until DAY", "as-of report-date asof today"),
    **_options("--out FILE", "output save export"),
    **_options("--as FORM", "format"),
    **_options("--records-of GRAIN", "rows"),
}


def synonym(word: object) -> str | None:
    """What a word is called here, whatever its case and its spaces; None where it is none of them.

    >>> synonym("Last year"), synonym("--group-by"), synonym("month")
    ("against='year-ago' (--against year-ago)", '--by COL', None)
    """
    return SYNONYMS.get(re.sub(r"[\s_]+", "-", word.strip().casefold())) if isinstance(word, str) else None
