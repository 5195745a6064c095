"""A back-test as a table for people: the typical error at each tenth of the period, per profile."""

from __future__ import annotations

from logochron.core.questions.backtest import Backtest
from logochron.views.formats import Formats
from logochron.views.tables.spec import Row, TableSpec
from logochron.views.words.standing import backtest_sentence, backtest_subject
from logochron.views.words.titles import coverage_line


def backtest_spec(result: Backtest, formats: Formats) -> TableSpec:
    """A row for each tenth; the profile that `best` would have chosen is chosen anew at each."""
    days = int(result.landing.now.days[0])
    rows = []
    for tenth, (errors, past) in enumerate(zip(result.typical_errors, result.past), start=1):
        cells = {
            "elapsed": formats.part(float(result.elapsed[tenth - 1]), 0),
            "day": f"day {result.day(tenth)} of {days}",
            **{name: formats.part(float(error)) for name, error in zip(result.profiles, errors)},
            "past": formats.number(int(past[0]), 0),
        }
        rows.append(Row(cells, ""))
    word = result.landing.calendar.word(result.landing.within)
    return TableSpec(
        title=backtest_subject(result, formats),
        unit="typical error",
        headings={"elapsed": "Elapsed", "day": "", **{name: name for name in result.profiles}, "past": "Past periods"},
        numeric=frozenset({"elapsed", *result.profiles, "past"}),
        rows=tuple(rows) if result.past.any() else (),
        lines=(
            backtest_sentence(result, formats),
            "Typical error: half of the estimates were off by no more; best: chosen by the errors before",
            coverage_line(result.landing, formats),
        ),
        dropped=(("past",), ("day",)),
        empty=f"No complete {word} before this one is held: nothing to test by.",
    )
