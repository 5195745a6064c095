"""What can be chosen on a page: the periods of one grain back to the first, the items of each dimension."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import product
from typing import Any

import numpy as np

from logochron.core.align.period_spec import PeriodSpec
from logochron.core.book.daybook import Daybook
from logochron.core.calendars.base import Calendar
from logochron.core.choices import Grain
from logochron.core.days import iso
from logochron.core.questions.compare import Comparison, compare
from logochron.core.rows.answer import AlignedAnswer
from logochron.views.catalog import everything, message
from logochron.views.formats import Formats, capital, noun
from logochron.views.tables.answer_tables import MOST_OF_PAGE
from logochron.views.words.question_words import periods_of

#: So many views a page carries at most, of each choice of items and each period: of one section, of all together.
#: A view takes some 170 bytes, so that a page stays under 6 MB. Of all those of a comparison count, others for as many
#: as take as long: all are made in a minute by two processors.
MOST_VIEWS, MOST_OF_ALL = 13_500, 34_000
#: For what is picked the book's rows are gone through: so many of them in all, were each view a pick of its own.
_MOST_LOOKED_AT = 1_000_000_000
#: The choices that are of no dimension, those that a report file may allow among them; what parts one of a dimension
#: that is called like them.
_OWN_KEYS = ("period", "periods", "measure", "measures", "against", "grain", "grains", "window", "windows", "open")
_APART = "dimension:"
#: What is picked: an item of each dimension, or None for all of it.
Pick = tuple[str | None, ...]


@dataclass(frozen=True, kw_only=True)
class Choices:
    """The choices of a page.

    Attributes
    ----------
    grain, calendar
        The grain of its periods, and what numbers them.
    labels, words, lasts
        Of each period the label, the words and the last day that is recorded of it.
    dimensions
        The items of each dimension.
    picks
        What can be picked at once: only what has records.
    chosen
        The place of the period that is shown first.
    wanted
        How many views of a section all that was asked for would be.
    left_out
        What cannot be chosen, and how to choose less, in words.
    """

    grain: Grain
    calendar: Calendar
    labels: tuple[str, ...]
    words: tuple[str, ...]
    lasts: tuple[int, ...]
    dimensions: Mapping[str, tuple[str, ...]]
    picks: tuple[Pick, ...]
    chosen: int
    wanted: int = 0
    left_out: tuple[str, ...] = ()

    @property
    def views(self) -> int:
        """How many views a section has."""
        return len(self.picks) * len(self.labels)

    def names(self, formats: Formats) -> list[dict[str, Any]]:
        """The choices of items: key in the page and its address, label, what all are called, items."""
        return [
            {
                "key": _key(name),
                "label": capital(noun(name, formats.language)),
                "all": everything(noun(name, formats.language), formats.language),
                "items": items,
            }
            for name, items in self.dimensions.items()
        ]


def _key(name: str) -> str:
    """What the choice of a dimension is called in the page: its name, unless another choice may be called so.

    >>> _key("harbor"), _key("period"), _key("dimension:period")
    ('harbor', 'dimension:period', 'dimension:dimension:period')
    """
    return f"{_APART}{name}" if name in _OWN_KEYS or name.startswith(_APART) else name


def choices_of(
    answers: Sequence[AlignedAnswer], formats: Formats, names: Sequence[str] | None = None
) -> Choices | None:
    """The choices of a page of some answers; None where none of them has periods.

    Parameters
    ----------
    names
        The dimensions that can be chosen; all of the first answer's book where None.
    """
    if not answers:
        return None
    first = answers[0]
    question = _question(answers)
    book: Daybook = first.selection.book
    lead = _periods(book, question, first)
    wanted = [name for name in book.dimensions if names is None or name in names]
    weight = sum(answer.type.weight for answer in answers)
    most = max(min(MOST_VIEWS, MOST_OF_ALL // weight, _MOST_LOOKED_AT // max(len(book), 1)), 1)
    dimensions, left_out = _fitting(book, lead, wanted, most, formats)
    items = max(answer.rows // max(len(answer.periods), 1) for answer in answers)  # each period is shown with all
    kept, lines = _latest(len(lead.periods), max(min(most, MOST_OF_PAGE // max(items, 1)), 1), formats)
    picks = picks_of(book, dimensions)
    every = picks_of(book, {name: _items(book, name) for name in wanted}) if left_out else picks
    labels = lead.periods[-kept:]
    chosen = len(labels) - 1
    chosen = next((n for n, label in enumerate(labels) if label == first.opens_at), chosen)
    places = range(len(lead.periods) - len(labels), len(lead.periods))
    return Choices(
        grain=question.grain,
        calendar=question.calendar,
        labels=labels,
        words=tuple(capital(periods_of(lead, place, formats)[0].name) for place in places),
        lasts=tuple(lead.alignment.ends.tolist()[-kept:]),
        dimensions=dimensions,
        picks=picks,
        chosen=chosen,
        wanted=len(every) * len(lead.periods),
        left_out=(*left_out, *lines),
    )


def _question(answers: Sequence[AlignedAnswer]) -> PeriodSpec:
    """The question whose periods a page offers: the first that is asked of periods, not as of a day."""
    for answer in answers:
        if answer.type.page in ("periods", "period") and answer.spec.each != "span":
            return answer.spec
    return answers[0].spec


def _periods(book: Daybook, question: PeriodSpec, first: AlignedAnswer) -> Comparison:
    """All periods that the records touch."""
    measures = [measure.name for measure in first.measures[:1]]
    if question.each == "span":
        return compare(book, each="span", at=question.at, against=question.basis, measures=measures, plan=first.plan)
    return compare(book, each=question.grain, against="prior", measures=measures, calendar=question.calendar)


def picks_of(book: Daybook, dimensions: Mapping[str, Sequence[str]]) -> tuple[Pick, ...]:
    """What can be picked at once: all, each item alone, and items of several dimensions that are recorded together."""
    names = list(dimensions)
    if not names:
        return ((),)
    rows = list(zip(*(np.asarray(labels).astype(str).tolist() for labels in book.day_sums(names).items.labels)))
    offered = {name: set(items) for name, items in dimensions.items()}
    picks: dict[Pick, None] = {}
    for taken in sorted(product((False, True), repeat=len(names)), key=sum):
        for row in rows:
            if all(label in offered[name] for name, label, take in zip(names, row, taken) if take):
                picks[tuple(label if take else None for label, take in zip(row, taken))] = None
    return tuple(picks)


def _items(book: Daybook, name: str) -> tuple[str, ...]:
    """The items of a dimension that can be chosen: an empty one stands for all of them."""
    return tuple(label for label in book.items(name) if label)


def _fitting(
    book: Daybook, lead: Comparison, names: Sequence[str], views: int, formats: Formats
) -> tuple[dict[str, tuple[str, ...]], list[str]]:
    """Dimensions and items as far as a page carries them, the largest items first; and what is left out."""
    most = max(views // max(len(lead.periods), 1), 1)
    taken: dict[str, tuple[str, ...]] = {}
    left_out = []
    for name in names:
        items = _items(book, name)
        if len(picks_of(book, taken | {name: items})) <= most:
            taken[name] = items
            continue
        room = most // len(picks_of(book, taken)) - 1
        if room < 2:
            too_many = message(
                "{dimension} cannot be chosen here, as the page would carry too many views: keep fewer by `choices`"
            )
            left_out.append(formats.say(too_many, dimension=capital(noun(name, formats.language))))
            continue
        taken[name] = tuple(sorted(_largest(book, name, room)))
        left_out.append(
            formats.say(
                "{n} of {many} items of {dimension} can be chosen, the largest: keep fewer by `where`, or fewer "
                "dimensions in `choices`",
                n=formats.number(room, 0),
                many=formats.number(len(items), 0),
                dimension=noun(name, formats.language),
            )
        )
    return taken, left_out


def _largest(book: Daybook, name: str, n: int) -> list[str]:
    """The items that come to most, in all days, by the first measure."""
    span = f"{iso(book.coverage.first)}..{iso(book.coverage.last)}"
    measure = book.measures[0].name
    whole = compare(book, each="span", at=span, against="span:" + span, by=name, measures=measure)
    sizes = np.nan_to_num(np.asarray(whole.columns["value"], dtype=float))
    order = np.argsort(-sizes, kind="stable")[:n]
    return [str(label) for label in whole.texts(whole.columns, name)[order]]


def _latest(periods: int, most: int, formats: Formats) -> tuple[int, list[str]]:
    """How many periods a page carries, the latest, and what is said where it is not all."""
    kept = min(periods, most)
    if kept == periods:
        return kept, []
    n, many = formats.number(kept, 0), formats.number(periods, 0)
    return kept, [formats.say("{n} of {many} periods can be chosen, the latest", n=n, many=many)]
