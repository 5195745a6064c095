"""What can be chosen on a page: the periods of one grain back to the first, the items of each dimension."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import product
from typing import Any, NamedTuple

import numpy as np

from logochron.core.align.period_spec import PeriodSpec
from logochron.core.book.daybook import Daybook
from logochron.core.calendars.base import Calendar
from logochron.core.choices import STATUSES, Grain
from logochron.core.days import iso
from logochron.core.errors import QuestionError
from logochron.core.questions.compare import Comparison, compare
from logochron.core.questions.overview import Overview
from logochron.core.rows.answer import AlignedAnswer
from logochron.core.said import Hinted, Said
from logochron.views.catalog import everything
from logochron.views.formats import Formats, capital, noun
from logochron.views.page.offers import KINDS, LISTS, USUAL, Offers, Setting, check_measures, without
from logochron.views.tables.answer_tables import MOST_OF_PAGE
from logochron.views.tables.overview_table import single_window
from logochron.views.words.question_words import periods_of

#: So many views a page carries at most, of each choice of items and each period: of one section, of all together.
#: A view takes some 170 bytes, so that a page stays under 6 MB. Of all those of a comparison count, others for as many
#: as take as long: all are made in a minute by two processors.
MOST_VIEWS, MOST_OF_ALL = 13_500, 34_000
#: What was asked for is refused where it comes to more views than this, or to more bytes: a view of a comparison takes
#: about so many.
MOST_IN_ALL, MOST_BYTES, _BYTES = 60_000, 6_000_000, 70
#: For what is picked the book's rows are gone through: so many of them in all, were each view a pick of its own.
_MOST_LOOKED_AT = 1_000_000_000
#: The choices that are of no dimension, those that a report file may allow among them; what parts one of a dimension
#: that is called like them.
_OWN_KEYS = ("period", "periods", *KINDS, *LISTS.values(), "open", "at")
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


@dataclass(frozen=True, kw_only=True)
class PageChoices:
    """All that can be chosen on a page: what it offers, and periods and items by the grain that is chosen."""

    offers: Offers
    by_grain: Mapping[str | None, Choices]

    @property
    def own(self) -> Choices:
        """The choices where no grain is chosen."""
        return self.by_grain[None]

    def under(self, setting: Setting) -> Choices:
        """The choices of periods and items under a setting."""
        return self.by_grain[setting[KINDS.index("grain")]]


def choices_of(answers: Sequence[AlignedAnswer], formats: Formats, offers: Offers = USUAL) -> PageChoices | None:
    """The choices of a page of some answers; None where none of them has periods.

    What nobody asked for is fitted to what a page carries, and told; what was asked for is refused where it is more.

    Raises
    ------
    QuestionError
        Where a name means nothing here, or the page would carry too much: with how much, and what costs most.
    """
    if not answers:
        return None
    check_measures(offers, [answer.selection.book for answer in answers])
    asked = offers.dimensions is not None or bool(offers.kinds)
    own = _choices(answers, formats, offers, _question(answers), fitted=not asked)
    by_grain: dict[str | None, Choices] = {None: own}
    for grain in offers.grains:
        own.calendar.check_grain(grain, "grains")  # type: ignore[arg-type]
        question = PeriodSpec(each=grain, calendar=own.calendar)  # type: ignore[arg-type]
        by_grain[grain] = _choices(answers, formats, offers, question, fitted=False)
    choices = PageChoices(offers=offers, by_grain=by_grain)
    if asked:
        _check_size(answers, choices)
    return choices


def _choices(
    answers: Sequence[AlignedAnswer], formats: Formats, offers: Offers, question: PeriodSpec, *, fitted: bool
) -> Choices:
    """The choices of periods of one grain, and of items; `fitted`: as many as a page carries."""
    first = answers[0]
    book: Daybook = first.selection.book
    lead = _periods(book, question, first)
    gathered = {name for answer in answers if answer.in_own_order for name in answer.by}  # too many to be chosen among
    named = set(book.dimensions) - gathered if offers.dimensions is None else set(offers.dimensions)
    wanted = [name for name in book.dimensions if name in named]
    weight = sum(answer.type.weight for answer in answers)
    most = max(min(MOST_VIEWS, MOST_OF_ALL // weight, _MOST_LOOKED_AT // max(len(book), 1)), 1)
    dimensions, left_out = {name: _items(book, name) for name in wanted}, list[str]()
    kept, lines = len(lead.periods), list[str]()
    if fitted:
        dimensions, left_out = _fitting(book, lead, wanted, most, formats)
        items = max(answer.rows // max(len(answer.periods), 1) for answer in answers)  # each period is shown with all
        kept, lines = _latest(len(lead.periods), max(min(most, MOST_OF_PAGE // max(items, 1)), 1), formats)
    picks = picks_of(book, dimensions)
    every = picks_of(book, {name: _items(book, name) for name in wanted}) if left_out else picks
    labels = lead.periods[-kept:]
    places = range(len(lead.periods) - len(labels), len(lead.periods))
    return Choices(
        grain=question.grain,
        calendar=question.calendar,
        labels=labels,
        words=tuple(capital(periods_of(lead, place, formats)[0].name) for place in places),
        lasts=tuple(lead.alignment.ends.tolist()[-kept:]),
        dimensions=dimensions,
        picks=picks,
        chosen=_opening(lead, labels, first, offers),
        wanted=len(every) * len(lead.periods),
        left_out=(*left_out, *lines),
    )


def _opening(lead: Comparison, labels: Sequence[str], first: AlignedAnswer, offers: Offers) -> int:
    """The place of the period that a page opens with."""
    last = len(labels) - 1
    if offers.opens == "last-whole":
        whole = np.flatnonzero(lead.alignment.status[-len(labels) :] == STATUSES.index("complete"))
        return int(whole[-1]) if len(whole) else last
    return next((n for n, label in enumerate(labels) if label == first.opens_at), last)


class _Size(NamedTuple):
    """How many views a page has, and about how many bytes."""

    views: int
    size: int

    @property
    def too_much(self) -> bool:
        return self.views > MOST_IN_ALL or self.size > MOST_BYTES


def _check_size(answers: Sequence[AlignedAnswer], choices: PageChoices) -> None:
    """Refuses a page that would carry more than it can, before any view is made.

    Raises
    ------
    QuestionError
        With the numbers, and the choice that costs most.
    """
    offers, dimensions = choices.offers, choices.own.dimensions
    whole = _size(answers, choices, offers, dimensions)
    if not whole.too_much:
        return
    less_of = {LISTS[kind]: _size(answers, choices, without(offers, kind), dimensions) for kind in offers.kinds}
    for name in dimensions:
        rest = {other: items for other, items in dimensions.items() if other != name}
        less_of[name] = _size(answers, choices, offers, rest)
    costly = min(less_of, key=lambda name: less_of[name].views, default="")
    advice: str = Said("")
    if costly:
        less = less_of[costly]
        advice = Said(
            "; {0} costs most: without it there are {1:,} views and {2:.1f} MB (`choices`)", costly, less.views,
            less.size / 1e6,
        )  # fmt: skip
    raise QuestionError(
        "the page would have {0:,} views and take about {1:.1f} MB, and carries {2:,} and {3} MB at most{4}",
        whole.views,
        whole.size / 1e6,
        MOST_IN_ALL,
        MOST_BYTES // 1_000_000,
        advice,
    )


def _size(
    answers: Sequence[AlignedAnswer], choices: PageChoices, offers: Offers, dimensions: Mapping[str, Sequence[str]]
) -> _Size:
    """How much a page carries that offers this: each section as often as what it follows differs."""
    book = answers[0].selection.book
    picks = len(choices.own.picks) if dimensions == choices.own.dimensions else len(picks_of(book, dimensions))
    periods = [len(choices.by_grain[grain].labels) for grain in (None, *offers.grains)]
    views = size = 0
    for answer in answers:
        settings = math.prod(
            len(offers.names(kind)) + 1 for kind in offers.kinds if kind in answer.type.follows and kind != "grain"
        )
        of_section = settings * picks * sum(periods)
        views += of_section
        size += of_section * _BYTES * answer.type.weight
    return _Size(views, size)


def _question(answers: Sequence[AlignedAnswer]) -> PeriodSpec:
    """The question whose periods a page offers: the first that is asked of periods, not as of a day."""
    for answer in answers:
        if answer.type.page in ("periods", "period") and answer.spec.each != "span":
            return answer.spec
    first = answers[0]
    if isinstance(first, Overview):  # alone it offers the periods of its first window
        shortest = first.specs[single_window(first)]
        return PeriodSpec(each=shortest.grain, calendar=shortest.calendar)
    return first.spec


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
    left_out: list[str] = []
    for name in names:
        items = _items(book, name)
        if len(picks_of(book, taken | {name: items})) <= most:
            taken[name] = items
            continue
        room = most // len(picks_of(book, taken)) - 1
        if room < 2:
            said = formats.say("{dimension} cannot be chosen here", dimension=capital(noun(name, formats.language)))
            too_many = formats.say(", as the page would carry too many views: keep fewer by `choices`")
            left_out.append(Hinted(said, too_many))
            continue
        taken[name] = tuple(sorted(_largest(book, name, room)))
        said = formats.say(
            "{n} of {many} items of {dimension} can be chosen, the largest",
            n=formats.number(room, 0),
            many=formats.number(len(items), 0),
            dimension=noun(name, formats.language),
        )
        left_out.append(Hinted(said, formats.say(": keep fewer by `where`, or fewer dimensions in `choices`")))
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
