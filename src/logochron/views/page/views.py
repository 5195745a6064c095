"""The views of one section of a page: for every pick of items and every period what is said, listed and drawn.

All are cut out of whole answers, of all items and periods together: the records are gone through once for each set of
dimensions. In a dimension that the question is split by, rows are those of the whole answer, so that shares and totals
stay those of all items.
"""

from __future__ import annotations

import inspect
import logging
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from functools import cache, cached_property
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.daybook import Daybook
from logochron.core.book.measures import Measure
from logochron.core.choices import STATUSES
from logochron.core.days import to_days
from logochron.core.errors import LogochronError, visible
from logochron.core.questions.overview import Overview
from logochron.core.rows.answer import AlignedAnswer, Answer
from logochron.core.rows.prepare import Prepared
from logochron.core.rows.question_types import PageWay, loaded
from logochron.core.rows.result import Result
from logochron.views.catalog import message
from logochron.views.figures.choose import Chosen, named_figure, suited
from logochron.views.figures.registry import Figure
from logochron.views.figures.scene import Canvas
from logochron.views.formats import Formats, noun
from logochron.views.page.choices import Choices, Pick
from logochron.views.page.view_data import KeptTable, Pool, items_of, kept_tables, scene_data, seen_data, table_data
from logochron.views.sections import Section
from logochron.views.tables.cells import Shown, TableSpec
from logochron.views.tables.comparison_table import SPARK_PERIODS, SparkLines
from logochron.views.tables.overview_table import overview_table, single_window
from logochron.views.words.movement import decimals_of
from logochron.views.words.sentences import sentences

_LOG = logging.getLogger("logochron")
#: What a reader is told where a choice cannot be followed.
_NOTHING = message("Nothing to show here for what is chosen.")
_NO_FIGURE = message("Nothing to draw here for what is chosen.")
_ALL = message("The records of this section have no {dimensions}: all of them are shown.")
_ROWS_ALONE = message("What is chosen is told by its rows alone here.")
#: So many periods stand side by side where a section does not say how many, and at most.
_SEEN, _MOST_SEEN = 13, 26
#: The rows of a table that nothing can be chosen in.
_MOST_ROWS = 500
#: A view, or a part of one, as plain data.
Data = dict[str, Any]


class SectionViews:
    """The views of one section; what several share is made once and held in the pool."""

    def __init__(self, section: Section, choices: Choices | None, canvas: Canvas, pool: Pool) -> None:
        assert section.answer is not None
        self.section, self.choices, self.canvas, self.pool = section, choices, canvas, pool
        self.formats: Formats = canvas.formats
        self._figures: dict[tuple[str, ...], Chosen | None] = {}

    def view(self, pick: Pick, period: int) -> int:
        """The place of the view of a pick and a period."""
        try:
            view = self.make(pick, period)
        except LogochronError as error:
            view = {"refused": self.no(_NOTHING, error)}
        if kept := self.not_followed(pick):
            view = view | {"keeps": self.formats.say(_ALL, dimensions=", ".join(kept))}
        return self.pool.add(view, refers=True)

    def not_followed(self, pick: Pick) -> list[str]:
        """The dimensions that something is picked of, and that the section knows nothing of."""
        return []

    def make(self, pick: Pick, period: int) -> Data:
        """The view of a pick and a period."""
        raise NotImplementedError

    def no(self, told: str, error: LogochronError) -> str:
        """What a reader is told where a choice cannot be followed; why is told to whoever made the page."""
        _LOG.debug("section %r: %s", self.section.heading, error)
        return self.formats.say(told)

    def data(self, tables: Sequence[Data], words: int, figure: Data | None) -> Data:
        """A view of these parts."""
        return {"tables": tables if self.section.table else [], "words": words, "figure": figure}

    def tables(
        self,
        answer: Result,
        tables: Sequence[KeptTable],
        wanted: tuple[str | None, ...] = (),
        heads: Sequence[KeptTable] | None = None,
    ) -> list[Data]:
        """The tables of an answer with the rows of what is picked, under their own titles or those of other tables."""
        data = []
        for table, head in zip(tables, tables if heads is None else heads):
            title, lines = head.spec.title, head.spec.lines
            data.append(table_data(table, table.of(wanted), answer, self.formats, self.pool, title, lines))
        return data

    def words(self, answer: Result | None, label: str | None) -> int:
        """The sentences of an answer."""
        answer = answer and answer.told
        if answer is None or not self.section.words or not answer.type.sentences:
            return self.pool.add([])
        if self._tells_itself(answer):
            return self.said(sentences(answer, at=label, formats=self.formats, items=1)[:1])
        return self.said(sentences(answer, at=label, formats=self.formats))

    def _tells_itself(self, answer: Result) -> bool:
        """Whether its table is its figure, and says of the items what sentences would."""
        return answer.type.figure_is_table and self.section.table

    def said(self, said: Sequence[str]) -> int:
        """Sentences in the pool."""
        return self.pool.add([visible(sentence) for sentence in said])

    def chosen(self, answer: Answer, seen: Callable[[], Answer]) -> Chosen | None:
        """The figure of an answer, the section's own where it shows such an answer; `seen`: as much as is drawn."""
        key = answer.by
        if key not in self._figures:
            drawn = self.section.drawn and not self._tells_itself(answer)
            self._figures[key] = self._choose(answer, seen) if drawn else None
        return self._figures[key]

    def _choose(self, answer: Answer, seen: Callable[[], Answer]) -> Chosen | None:
        if self.section.figure is not None:
            chosen = named_figure(self.section.figure, self.section.options)
            if chosen.options.get("panels") not in (None, *answer.by):
                del chosen.options["panels"]
            if chosen.figure.name in answer.type.figures and (answer.by or not chosen.figure.by_item):
                return chosen
        try:
            return suited(seen())
        except LogochronError:
            return None

    def drawn(self, answer: Result) -> Data | None:
        """The figure of an answer as it is."""
        chosen = self.chosen(answer, lambda: answer) if isinstance(answer, Answer) else None
        if chosen is None:
            return None
        try:
            return self.scene(answer, chosen)
        except LogochronError as error:
            return {"refused": self.no(_NO_FIGURE, error)}

    def scene(self, answer: Result, chosen: Chosen, **more: Any) -> Data:
        """A scene in the pool."""
        scene = chosen.figure.scene(answer, self.canvas, **{**chosen.options, **more})
        return {"scene": self.pool.add(scene_data(scene, self.pool), refers=True)}


class StillViews(SectionViews):
    """Of an answer that nothing can be chosen in: one view."""

    @cached_property
    def _view(self) -> Data:
        answer = self.section.answer
        assert answer is not None
        tables = self.tables(answer, kept_tables(answer, self.formats, Shown(rows=_MOST_ROWS)))
        return self.data(tables, self.words(answer, None), self.drawn(answer.told))

    def make(self, pick: Pick, period: int) -> Data:
        """The same view whatever is chosen."""
        return self._view


class ChosenViews(SectionViews):
    """Of an answer about items of a book, in some period that is chosen."""

    def __init__(self, section: Section, choices: Choices, canvas: Canvas, pool: Pool) -> None:
        super().__init__(section, choices, canvas, pool)
        assert isinstance(section.answer, AlignedAnswer)
        self.answer: AlignedAnswer = section.answer
        self.book = self.answer.selection.book
        self.last_days, self.names = choices.lasts, tuple(choices.dimensions)
        self._books: dict[tuple[tuple[str, str], ...], Daybook] = {(): self.book}

    def picked(self, pick: Pick) -> dict[str, str]:
        """The items picked, of the dimensions that the section's records have."""
        return {
            name: label for name, label in zip(self.names, pick) if label is not None and name in self.book.dimensions
        }

    def not_followed(self, pick: Pick) -> list[str]:
        """The dimensions that something is picked of, and that the section's records do not have."""
        picked = (name for name, label in zip(self.names, pick) if label is not None)
        return [noun(name, self.formats.language) for name in picked if name not in self.book.dimensions]

    def outside(self, picked: Mapping[str, str]) -> dict[str, str]:
        """Of what is picked that in dimensions the section is not split by."""
        return {name: label for name, label in picked.items() if name not in self.answer.by}

    def of(self, picked: Mapping[str, str]) -> Daybook:
        """The book of what is picked."""
        key = tuple(picked.items())
        if key not in self._books:
            self._books[key] = self.book.where(picked)
        return self._books[key]

    def all_items(self, picked: Mapping[str, str]) -> bool:
        """Whether all items are asked for where only the largest would be: one is picked that may not be among them."""
        return self.answer.top is not None and len(self.outside(picked)) < len(picked)


class ListedPeriods(NamedTuple):
    """An answer of some periods and its tables; `of`: the answer whose rows they are."""

    answer: AlignedAnswer
    tables: list[KeptTable]
    of: AlignedAnswer


class Course(NamedTuple):
    """An answer of all periods of what is picked together, and its tables.

    `shown` are these as data, `strip` its figure, once they are asked for.
    """

    answer: AlignedAnswer
    tables: list[KeptTable]
    shown: list[Data]
    strip: Data


def _holding(prepared: Prepared, days: Sequence[int]) -> list[int | None]:
    """The place of the period that holds each day; None where there is none."""
    known = {ordinal: n for n, ordinal in enumerate(prepared.aligned.ordinals.tolist())}
    ordinals = np.asarray(prepared.spec.calendar.ordinals(prepared.spec.grain, np.array(days)))
    return [known.get(ordinal) for ordinal in ordinals.tolist()]


@cache
def _shows_one(figure: Figure) -> bool:
    """Whether a figure shows one period, which is named to it."""
    return "at" in inspect.signature(figure.scene).parameters


def _leading_to(place: int, many: int) -> tuple[int, int]:
    """From which to before which period so many stand that lead to one."""
    return max(place - many + 1, 0), place + 1


class PeriodViews(ChosenViews):
    """Of an answer with rows of periods: each of them can be chosen."""

    def __init__(self, section: Section, choices: Choices, canvas: Canvas, pool: Pool) -> None:
        super().__init__(section, choices, canvas, pool)
        #: Of all items and periods.
        self.whole = self.answer.about(self.answer.prepared.every_period())
        self._wholes: dict[tuple[Any, ...], AlignedAnswer] = {}
        self._windows: dict[tuple[int, int], ListedPeriods] = {}
        self._all_rows: dict[tuple[int, int], list[KeptTable]] = {}
        self._courses: dict[Pick, Course] = {}
        self._alone: dict[Pick, AlignedAnswer] = {}
        alignment, spec = self.whole.alignment, self.whole.spec
        if spec.grain == choices.grain and spec.calendar == choices.calendar:
            places = {str(label): n for n, label in enumerate(alignment.labels)}
            self._places = [places.get(label) for label in choices.labels]
        else:
            self._places = _holding(self.whole.prepared, choices.lasts)

    @cached_property
    def listed(self) -> int:
        """How many periods a table lists: as many as asked for, else a year of them where nothing splits them."""
        call = self.answer.call
        if call is not None and (call.options.get("last") is not None or call.options.get("at") is not None):
            return min(max(len(self.answer.periods), 1), _MOST_SEEN)
        return 1 if self.answer.by else _SEEN

    @cached_property
    def _ends(self) -> tuple[int, ...]:
        """The places of all periods that can be chosen."""
        return tuple(sorted({place for place in self._places if place is not None}))

    @property
    def _seen(self) -> int:
        """How many periods a figure of several shows."""
        return self.listed if self.listed > 1 else _SEEN

    def make(self, pick: Pick, period: int) -> Data:
        """The view of a pick and a period."""
        place = self._places[period]
        if place is None:
            return {"refused": self.formats.say("Nothing is recorded of this period here.")}
        return self._of_items(pick, place) if self.answer.by else self._of_course(pick, place)

    # --- answers

    def _split(self, pick: Pick) -> AlignedAnswer:
        """All periods of what is picked outside, split as the section is."""
        picked = self.picked(pick)
        outside, all_items = self.outside(picked), self.all_items(picked)
        key = tuple(outside.items()), all_items
        if key not in self._wholes:
            split = self.whole
            if all_items:
                split = split.about(replace(split.prepared, selection=replace(split.selection, top=None)))
            self._wholes[key] = split.of_items(outside, self.of(outside), split.by) if outside else split
        return self._wholes[key]

    def _window(self, pick: Pick, place: int) -> ListedPeriods:
        """The periods of what is picked outside that a table lists: several picks share them."""
        split = self._split(pick)
        key = id(split), place
        if key not in self._windows:
            self._windows[key] = self._listed(split, place)
        return self._windows[key]

    def _listed(self, every: AlignedAnswer, place: int) -> ListedPeriods:
        """Of an answer of all periods those that a table lists, up to one."""
        low, high = _leading_to(place, self.listed)
        part = every.between(low, high)
        if not (every.rows_stand_alone and every.type.table_of_rows):
            return ListedPeriods(part, kept_tables(part, self.formats), part)
        tables = []
        for n, measure in enumerate(part.measures):
            decimals = decimals_of(part, measure, self.formats)
            tables.append(self._rows_of(every, decimals)[n].between(part, low, high, self.formats, decimals))
        return ListedPeriods(part, tables, every)

    def _rows_of(self, every: AlignedAnswer, decimals: int) -> list[KeptTable]:
        """The tables of all periods of an answer, with so many decimals."""
        key = id(every), decimals
        if key not in self._all_rows:
            self._all_rows[key] = kept_tables(every, replace(self.formats, decimals=decimals))
        return self._all_rows[key]

    def _course(self, pick: Pick) -> Course:
        """All periods of all that is picked together."""
        if pick not in self._courses:
            picked, whole = self.picked(pick), self.whole
            answer = whole if not picked and not whole.by else whole.of_items(picked, self.of(picked), ())
            self._courses[pick] = Course(answer, kept_tables(answer, self.formats), [], {})
        return self._courses[pick]

    def _alone_of(self, pick: Pick) -> AlignedAnswer:
        """All periods of what is picked, split by the dimensions in which nothing is picked."""
        if pick not in self._alone:
            picked = self.picked(pick)
            self._alone[pick] = self.whole.alone(picked, self.of(picked))
        return self._alone[pick]

    # --- views

    def _of_course(self, pick: Pick, place: int) -> Data:
        """The view of what is picked, period by period."""
        course = self._course(pick)
        if not course.shown:
            course.shown.extend(self.tables(course.answer, course.tables))
        # one row a period: all of them are held once, and each view shows a part
        part = list(_leading_to(place, self.listed))
        shown = [table | {"part": part} for table in course.shown]
        return self.data(shown, self.words(course.answer, self.whole.periods[place]), self._moving(course, place))

    def _of_items(self, pick: Pick, place: int) -> Data:
        """The view of a section that is split: the rows of what is picked in it, told and drawn alone."""
        picked, label = self.picked(pick), self.whole.periods[place]
        rest = [name for name in self.answer.by if name not in picked]
        window = self._window(pick, place)
        answer: AlignedAnswer | None = window.answer
        heads, figure = window.tables, None
        if not rest:
            answer = None
            if not self.answer.type.needs_items:  # one item alone has no relation
                course = self._course(pick)
                answer, heads, figure = course.answer, course.tables, self._moving(course, place)
        elif len(rest) == len(self.answer.by):
            figure = self._drawn_at(window.answer, self._split(pick), place)
        else:
            try:
                alone = self._alone_of(pick)
                answer, heads, _ = self._listed(alone, place)
                figure = self._drawn_at(answer, alone, place)
            except LogochronError as error:  # its rows stand there all the same
                answer, figure = None, {"refused": self.no(_ROWS_ALONE, error)}
        rows = self.tables(window.of, window.tables, items_of(window.of, picked), heads)
        return self.data(rows, self.words(answer, label), figure)

    # --- figures

    def _figure_of(self, answer: AlignedAnswer) -> Chosen | None:
        many, last = self.listed if answer.by else self._seen, len(answer.periods) - 1
        return self.chosen(answer, lambda: answer.between(*_leading_to(last, many)))

    def _moving(self, course: Course, place: int) -> Data | None:
        """The figure of a course as it is seen from one of its periods."""
        chosen = self._figure_of(course.answer)
        if chosen is None:
            return None
        if not chosen.figure.moves:
            return self._drawn_at(course.answer, course.answer, place)
        if not course.strip:
            try:
                canvas = replace(self.canvas, seen=self._seen, ends=self._ends)
                scene = chosen.figure.scene(course.answer, canvas, **chosen.options)
                parts = [self.pool.add(seen_data(part, self.pool), refers=True) for part in scene.seen]
                course.strip.update(
                    scene=self.pool.add(scene_data(scene, self.pool), refers=True), parts=dict(zip(self._ends, parts))
                )
            except LogochronError as error:
                course.strip.update(refused=self.no(_NO_FIGURE, error))
        if "refused" in course.strip:
            return course.strip
        return {"scene": course.strip["scene"], "seen": course.strip["parts"][place]}

    def _drawn_at(self, answer: AlignedAnswer, every: AlignedAnswer, place: int) -> Data | None:
        """The figure as of a period: of that alone, or of those that lead to it; `every`: the answer of all periods."""
        chosen = self._figure_of(answer)
        if chosen is None or not answer.periods:
            return None
        try:
            if _shows_one(chosen.figure):
                return self.scene(answer, chosen, at=self.whole.periods[place])
            return self.scene(every.between(*_leading_to(place, self._seen)), chosen)
        except LogochronError as error:
            return {"refused": self.no(_NO_FIGURE, error)}


class OnePeriodViews(ChosenViews):
    """Of an answer of one period: that which holds the last day of the chosen one."""

    def __init__(self, section: Section, choices: Choices, canvas: Canvas, pool: Pool) -> None:
        super().__init__(section, choices, canvas, pool)
        self.every = self.answer.prepared.every_period()
        self._places = _holding(self.every, choices.lasts)
        self._answers: dict[tuple[Any, ...], tuple[AlignedAnswer, list[KeptTable]]] = {}

    def _answer(self, picked: Mapping[str, str], place: int) -> tuple[AlignedAnswer, list[KeptTable]]:
        """The answer of a period for what is picked outside: what an item contributed is its part in the whole."""
        outside, all_items = self.outside(picked), self.all_items(picked)
        key = tuple(outside.items()), all_items, place
        if key not in self._answers:
            one = self.every.between(place, place + 1)
            if all_items:
                one = replace(one, selection=replace(one.selection, top=None))
            answer = self.answer.about(one)
            if outside:
                answer = answer.of_items(outside, self.of(outside), answer.by)
            self._answers[key] = answer, kept_tables(answer, self.formats)
        return self._answers[key]

    def make(self, pick: Pick, period: int) -> Data:
        """The view of a pick and a period."""
        place = self._places[period]
        if place is None:
            return {"refused": self.formats.say(_NOTHING)}
        picked = self.picked(pick)
        answer, tables = self._answer(picked, place)
        wanted = items_of(answer, picked)
        shown = self.tables(answer, tables, wanted)
        if not any(wanted):
            return self.data(shown, self.words(answer, None), self.drawn(answer))
        alone = None
        if not all(wanted):  # what moved what is picked is drawn alone; its points are those of the whole
            one = self.answer.about(self.every.between(place, place + 1))
            alone = one.alone(picked, self.of(picked)).part_of(answer)
        words = self.pool.add([])
        if self.section.words and answer.type.picked_words:
            named = {name: label for name, label in picked.items() if name in answer.by}
            words = self.said(loaded(answer.type.picked_words)(answer, named, alone, self.formats))
        return self.data(shown, words, self.drawn(alone or answer))


class DayViews(ChosenViews):
    """Of an answer as of a day: the last one that is recorded of the chosen period."""

    def __init__(self, section: Section, choices: Choices, canvas: Canvas, pool: Pool) -> None:
        super().__init__(section, choices, canvas, pool)
        self._on_days: dict[tuple[Any, ...], Callable[[int], AlignedAnswer]] = {}

    def _answer(self, picked: Mapping[str, str], period: int) -> AlignedAnswer:
        key = tuple(picked.items())
        if key not in self._on_days:
            rest = tuple(name for name in self.answer.by if name not in picked)
            self._on_days[key] = self.answer.on_days(self.of(picked), rest)
        return self._on_days[key](self.last_days[period])

    def make(self, pick: Pick, period: int) -> Data:
        """The view of a pick and a period."""
        picked = self.picked(pick)
        answer = self._answer(picked, period)
        tables = self.tables(answer, kept_tables(answer, self.formats), items_of(answer, picked))
        return self.data(tables, self.words(answer, None), self.drawn(answer))


class RowViews(DayViews):
    """Of an overview: one answer a day has the rows of all items, and small lines are those of all periods."""

    def __init__(self, section: Section, choices: Choices, canvas: Canvas, pool: Pool) -> None:
        super().__init__(section, choices, canvas, pool)
        self._shown: dict[tuple[Any, ...], tuple[Overview, list[KeptTable]]] = {}
        self._lines: dict[tuple[Any, ...], list[SparkLines]] = {}
        self._ordinals: dict[tuple[Any, ...], NDArray[np.int64]] = {}

    def make(self, pick: Pick, period: int) -> Data:
        """The view of a pick and a period."""
        picked = self.picked(pick)
        outside, within = self.outside(picked), {n: label for n, label in picked.items() if n in self.answer.by}
        if within and (len(within) < len(self.answer.by) or self.answer.top is not None):
            answer, kept = self._asked(picked, tuple(n for n in self.answer.by if n not in within), period)
            return self.data(self.tables(answer, kept), self.words(answer, None), None)
        answer, kept = self._asked(outside, self.answer.by, period)
        wanted = items_of(answer, picked)
        if within and not any(row.labels == wanted for table in kept for row in table.of(wanted)):
            return {"refused": self.formats.say(_NOTHING)}  # it had no records by then
        shown = self.tables(answer, kept, wanted)
        if not within or not self.section.words:
            return self.data(shown, self.words(answer, None), None)
        return self.data(shown, self.said(loaded(answer.type.picked_words)(answer, within, None, self.formats)), None)

    def _asked(self, picked: Mapping[str, str], by: tuple[str, ...], period: int) -> tuple[Overview, list[KeptTable]]:
        """The overview of what is picked as of a period, and its tables."""
        key = tuple(picked.items()), by
        if key not in self._on_days:
            self._on_days[key] = self.answer.on_days(self.of(picked), by)
        if (*key, period) not in self._shown:
            answer = self._on_days[key](self.last_days[period])
            assert isinstance(answer, Overview)
            specs = [self._table(answer, measure, key).setting_off() for measure in answer.measures]
            self._shown[*key, period] = answer, kept_tables(answer, self.formats, specs=specs)
        return self._shown[*key, period]

    def _table(self, answer: Overview, measure: Measure, key: tuple[Any, ...]) -> TableSpec:
        of_window = single_window(answer)
        grain = answer.specs[of_window].grain
        if key not in self._lines:
            last = self._on_days[key](self.last_days[-1])
            assert isinstance(last, Overview)
            whole = last.comparison(of_window)
            every = whole.with_earlier(len(self.last_days) + 2 * SPARK_PERIODS)
            self._lines[key] = [SparkLines(whole, one, every) for one in last.measures]
            self._ordinals[key] = every.alignment.ordinals
        sparks, ordinals = self._lines[key][answer.measures.index(measure)], self._ordinals[key]
        row = answer.span_in(of_window)
        ordinal = int(answer.calendar.ordinals(grain, np.array([to_days(row["end"])]))[0])
        end = int(np.searchsorted(ordinals, ordinal)) + (STATUSES[row["status"]] == "complete")
        return overview_table(
            answer, measure, self.formats, small_line=lambda line: sparks.up_to(line, end, plain=False)
        )


class SpanViews(DayViews):
    """Of an answer about one span of days: items can be picked in it."""

    def _answer(self, picked: Mapping[str, str], period: int) -> AlignedAnswer:
        return self.answer.alone(picked, self.of(picked)) if picked else self.answer


_WAYS: Mapping[PageWay, type[ChosenViews]] = {
    "periods": PeriodViews,
    "period": OnePeriodViews,
    "day": DayViews,
    "rows": RowViews,
}


def views_of(section: Section, choices: Choices | None, canvas: Canvas, pool: Pool) -> SectionViews:
    """The views of a section, made in the way that the row of its question names."""
    answer = section.answer
    way = _WAYS.get(answer.type.page) if answer is not None else None
    if choices is None or way is None or not isinstance(answer, AlignedAnswer) or answer.call is None:
        return StillViews(section, choices, canvas, pool)
    if answer.spec.each == "span" and not issubclass(way, DayViews):  # days of the user's own: they are as they are
        way = SpanViews
    return way(section, choices, canvas, pool)
