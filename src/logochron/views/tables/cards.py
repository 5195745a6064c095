"""Cards: the figures of one period, each with its mark, growth, change and the earlier value with its period."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

import numpy as np

from logochron.core.book.daybook import Daybook
from logochron.core.book.measures import Measure
from logochron.core.choices import DIRECTIONS, VERDICTS
from logochron.core.errors import QuestionError, brief
from logochron.core.questions.compare import Comparison
from logochron.core.questions.overview import Overview
from logochron.core.rows.answer import AlignedAnswer
from logochron.core.rows.result import Blocks
from logochron.views.catalog import message
from logochron.views.formats import Formats, capital, item_name
from logochron.views.marks import Marks, marks_of
from logochron.views.tables.item_rows import by_size, moved_text
from logochron.views.words.movement import amounts_apart
from logochron.views.words.overview_words import window_headings
from logochron.views.words.question_words import periods_of
from logochron.views.words.titles import measure_told, unit

_BASE = message("{value} {when}")
_NOTHING = message("nothing to compare with")
#: More cards than this are a table: so many are shown where nothing else limits them.
MOST = 60


class Card(NamedTuple):
    """One card: what it is of and when, its figure, mark, growth and change, what came before, and its verdict.

    `value` and `growth` are the figures themselves, NaN where they are not known; `moved` is mark and growth.
    """

    name: str
    item: str
    period: str
    figure: str
    moved: str
    change: str
    earlier: str
    verdict: str
    value: float
    growth: float


def cards_of(
    result: Comparison,
    formats: Formats,
    *,
    measure: str | None = None,
    at: str | None = None,
    drawable: Callable[[str], bool] | None = None,
    split: bool = True,
) -> list[Card]:
    """The cards of one period, the last unless `at`: of each measure the whole, then its items where it is `split`.

    Raises
    ------
    QuestionError
        Where a measure or period is not in the answer.
    """
    if not result.periods:
        return []
    wanted = [one for one in result.measures if measure in (None, one.name)]
    if not wanted:
        known = ", ".join(one.name for one in result.measures)
        raise QuestionError("`measure` must be one of {0}; got {1}", known, brief(measure))
    place = result.place(at)
    period, base = periods_of(result, place, formats)
    cards = []
    for one in wanted:
        signs = marks_of(result.judgings[one.name], formats, drawable)
        groupings = [result.total_columns, *([result.columns] if result.by and split else [])]
        for columns in groupings:
            cards += _cards(result, one, columns, place, capital(period.name), base.when, signs, formats)
    return cards


def measures_of_cards(answers: Sequence[AlignedAnswer], lead: Comparison) -> list[str]:
    """The measures of all answers about the same records."""
    alike = [answer for answer in answers if answer.selection.book is lead.selection.book]
    names = dict.fromkeys(measure.name for answer in alike for measure in answer.measures)
    return [name for name in names if name in lead.selection.book.formulas]


def whole_of(lead: Comparison, measures: Sequence[str], book: Daybook | None = None) -> Comparison:
    """A comparison of all periods and items together, of a book, of which cards tell."""
    answer: Comparison = lead.again(
        book=lead.selection.book if book is None else book,
        by=(), measures=list(measures), at=None, last=None, top=None, sort=None, items="all", ranked=False,
        unusual=False,
    )  # fmt: skip
    return answer


def overview_cards(result: Overview, formats: Formats) -> list[Card]:
    """The cards of all items together in each window, beside the first basis."""
    cards = []
    for one in result.measures:
        for window, heading in window_headings(result, formats).items():
            (card,) = cards_of(result.comparison(window), formats, measure=one.name, split=False)
            named = formats.dot.join([card.name, heading])
            cards.append(card._replace(name=named, item="", period=formats.long_day(result.book.coverage.last)))
    return cards


def shown_cards(cards: list[Card], formats: Formats) -> tuple[list[Card], tuple[str, ...]]:
    """As many cards as are shown at once, and a line that says so where there are more."""
    if len(cards) <= MOST:
        return cards, ()
    many = formats.number(len(cards), 0)
    return cards[:MOST], (formats.say("{n} of {many} cards shown: --as table shows all", n=MOST, many=many),)


def _cards(
    result: Comparison,
    measure: Measure,
    columns: Blocks,
    place: int,
    period: str,
    base_when: str,
    marks: Marks,
    formats: Formats,
) -> list[Card]:
    """The cards of a measure: of the whole, or of its items in the order of their rows."""
    block = result.of_measure(columns, measure).blocks[0]
    row, order = block.period(place), block.shown(place).tolist()
    if block.order is None and columns is result.columns and result.by:
        order = by_size(result, row, order)
    named, name = unit(measure, formats), measure_told(result, measure, formats)
    bands = result.words["band"]
    cards = []
    for i in order:
        value, base, change, growth = (float(row[name][i]) for name in ("value", "base", "change", "growth"))
        direction, verdict = DIRECTIONS[row["direction"][i]], VERDICTS[row["verdict"][i]]
        band = bands[row["band"][i]] if row["band"][i] >= 0 else None
        text = moved_text(measure, growth, change, direction, formats)
        labels = [row[name][i] for name in result.by]
        whole = not result.by or labels[0] is None
        item = item_name(labels) if not whole else ""
        if whole and result.by:
            item = formats.say("Total")
        now, before = amounts_apart([value, base], named, formats)
        earlier = formats.say(_BASE, value=before, when=base_when)
        cards.append(
            Card(
                name,
                item,
                period,
                now,
                marks.beside(marks.sign(direction, verdict, band), text),
                formats.amount(change, named, signed=True) if np.isfinite(change) and not measure.in_percent else "",
                earlier if np.isfinite(base) else formats.say(_NOTHING),
                verdict,
                value,
                growth,
            )
        )
    return cards
