"""The views of one section of a page: for every pick of items and every period what is said, listed and drawn.

Each is made from an ordinary answer: the question asked again of the records of the items picked. In a dimension that
the question is split by, rows are those of the whole answer, so that shares and totals stay those of all items.
"""

from __future__ import annotations

import inspect
import logging
from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np

from logochron.core.book.daybook import Daybook
from logochron.core.days import as_date
from logochron.core.errors import LogochronError, visible
from logochron.core.rows.answer import AlignedAnswer
from logochron.core.rows.question_types import loaded
from logochron.views.catalog import message
from logochron.views.figures.choose import Chosen, named_figure, suited
from logochron.views.figures.scene import Canvas
from logochron.views.formats import Formats
from logochron.views.page.choices import Choices, Pick
from logochron.views.page.pool import Pool
from logochron.views.page.scene_data import scene_data, seen_data
from logochron.views.page.table_data import KeptTable, items_of, kept_tables, table_data
from logochron.views.sections import Section
from logochron.views.tables.cells import Shown
from logochron.views.words.sentences import sentences

_LOG = logging.getLogger("logochron")
#: What a reader is told where a choice cannot be followed.
_NOTHING = message("Nothing to show here for what is chosen.")
_NO_FIGURE = message("Nothing to draw here for what is chosen.")
_ROWS_ALONE = message("What is chosen is told by its rows alone here.")
#: So many periods stand side by side where a section does not say how many, and at most.
_SEEN, _MOST_SEEN = 13, 26
#: What asks for nothing of items, as there are none.
_UNSPLIT: Mapping[str, Any] = {"top": None, "sort": None, "items": "all"}


class Course(NamedTuple):
    """An answer of all periods of what is picked together, and its tables.

    `shown` are these as data, `strip` its figure, once they are asked for.
    """

    answer: Any
    tables: list[KeptTable]
    shown: list[dict[str, Any]]
    strip: dict[str, Any]


class Views:
    """The views of one section; what several share is made once and held in the pool."""

    def __init__(self, section: Section, choices: Choices | None, canvas: Canvas, pool: Pool) -> None:
        assert section.answer is not None
        self.section, self.choices, self.canvas, self.pool = section, choices, canvas, pool
        self.formats: Formats = canvas.formats
        self.answer: Any = section.answer
        self._courses: dict[Pick, Course] = {}
        self._wholes: dict[tuple[Pick, int, bool], tuple[Any, list[KeptTable]]] = {}
        self._figures: dict[tuple[str, ...], Chosen | None] = {}

    # --- what is asked of which records

    def _picked(self, pick: Pick) -> dict[str, str]:
        """The items picked, of the dimensions that the section's records have."""
        names = self.choices.dimensions if self.choices else ()
        book = self._book
        return {n: label for n, label in zip(names, pick) if label is not None and book and n in book.dimensions}

    def _outside(self, picked: Mapping[str, str]) -> dict[str, str]:
        """Of what is picked that in dimensions the section is not split by."""
        return {name: label for name, label in picked.items() if name not in self.answer.by}

    @cached_property
    def _book(self) -> Daybook | None:
        return self.answer.asked.book if isinstance(self.answer, AlignedAnswer) and self.answer.put else None

    def _of(self, picked: Mapping[str, str]) -> Daybook:
        assert self._book is not None
        return self._book.where(picked) if picked else self._book

    @property
    def _by_periods(self) -> bool:
        """Whether the answer has rows of periods."""
        return self.answer.type.page == "periods" and self.answer.question.each != "span"

    @cached_property
    def _frame(self) -> Any:
        """The answer of all periods: what they are."""
        return self.answer.again(at=None, last=None, top=None, sort=None)

    def _course(self, pick: Pick) -> Course:
        """The answer of all that is picked together, of all periods."""
        if pick not in self._courses:
            alone = {"by": (), **_UNSPLIT} if self.answer.by else {}
            answer = self.answer.again(book=self._of(self._picked(pick)), at=None, last=None, **alone)
            self._courses[pick] = Course(answer, kept_tables(answer, self.formats), [], {})
        return self._courses[pick]

    def _whole(self, pick: Pick, place: int) -> tuple[Any, list[KeptTable]]:
        """The answer that the rows of a pick are taken from, split as the section is, up to a period."""
        picked = self._picked(pick)
        outside = self._outside(picked)
        names = self.choices.dimensions if self.choices else ()
        every = self._every(picked)
        key = tuple(outside.get(name) for name in names), place, bool(every)
        if key not in self._wholes:
            answer = self.answer.again(book=self._of(outside), **self._window(place, self.listed), **every)
            self._wholes[key] = answer, kept_tables(answer, self.formats)
        return self._wholes[key]

    def _every(self, picked: Mapping[str, str]) -> dict[str, Any]:
        """What asks for all items where one of them is picked, so that it is not among all others."""
        return {"top": None} if self.answer.top is not None and len(self._outside(picked)) < len(picked) else {}

    def _alone(self, picked: Mapping[str, str]) -> dict[str, Any]:
        """What asks for what is picked alone: split by the dimensions in which nothing is picked."""
        return dict(self.answer.without(picked))

    def _window(self, place: int, many: int) -> dict[str, Any]:
        """What asks for so many periods that end with one."""
        first, last = (self._frame.periods[n] for n in (max(place - many + 1, 0), place))
        return {"at": last if first == last else f"{first}..{last}", "last": None}

    # --- views

    def view(self, pick: Pick, period: int) -> int:
        """The place of the view of a pick and a period."""
        try:
            made = self._made(pick, period)
        except LogochronError as error:
            made = {"refused": self._no(_NOTHING, error)}
        return self.pool.add(made, refers=True)

    def _no(self, told: str, error: LogochronError) -> str:
        """What a reader is told where a choice cannot be followed; why is told to whoever made the page."""
        _LOG.debug("section %r: %s", self.section.heading, error)
        return self.formats.say(told)

    def _made(self, pick: Pick, period: int) -> dict[str, Any]:
        if self._book is None:
            return self._still()
        if not self._by_periods:
            return self._as_of(pick, period)
        place = self._place(period)
        if place is None:
            return {"refused": self.formats.say("Nothing is recorded of this period here.")}
        if not self.answer.by:
            return self._of_course(pick, place)
        return self._of_items(pick, place)

    def _still(self) -> dict[str, Any]:
        """The view of an answer that nothing can be chosen in."""
        tables = self._tables(self.answer, kept_tables(self.answer, self.formats, Shown(rows=500)))
        return self._view(tables, self.answer, None, self._drawn(self.answer))

    def _of_course(self, pick: Pick, place: int) -> dict[str, Any]:
        """The view of what is picked, period by period."""
        course = self._course(pick)
        if not course.shown:
            course.shown.extend(self._tables(course.answer, course.tables))
        # one row a period: all of them are held once, and each view shows a part
        part = [max(place - self.listed + 1, 0), place + 1]
        shown = [table | {"part": part} for table in course.shown]
        return self._view(shown, course.answer, self._frame.periods[place], self._moving(course, place))

    def _of_items(self, pick: Pick, place: int) -> dict[str, Any]:
        """The view of a section that is split: the rows of what is picked in it, told and drawn alone."""
        picked, label = self._picked(pick), self._frame.periods[place]
        rest = [name for name in self.answer.by if name not in picked]
        whole, tables = self._whole(pick, place)
        wanted = items_of(whole, picked)
        if not rest:
            told, heads, figure = self._one_item(pick, place, tables)
        elif len(rest) == len(self.answer.by):
            told, heads, figure = whole, tables, self._of_window(whole, place)
        else:
            try:
                asked = {**self._window(place, self.listed), **self._alone(picked)}
                told = self.answer.again(book=self._of(picked), **asked)
                heads, figure = kept_tables(told, self.formats), self._of_window(told, place)
            except LogochronError as error:  # its rows stand there all the same
                told, heads, figure = None, tables, {"refused": self._no(_ROWS_ALONE, error)}
        return self._view(self._tables(whole, tables, wanted, heads), told, label, figure)

    def _one_item(self, pick: Pick, place: int, tables: list[KeptTable]) -> tuple[Any, list[KeptTable], Any]:
        """Of an item that is left alone its course; of a relation, which one alone has not, nothing."""
        if self.answer.type.needs_items:
            return None, tables, None
        course = self._course(pick)
        return course.answer, course.tables, self._moving(course, place)

    def _view(self, tables: Any, told: Any, label: str | None, figure: Any) -> dict[str, Any]:
        return {"tables": tables if self.section.table else [], "words": self._words(told, label), "figure": figure}

    def _as_of(self, pick: Pick, period: int) -> dict[str, Any]:
        """The view of an answer of one period, or as of a day: asked again for each."""
        answer, picked = self._asked_at(pick, period), self._picked(pick)
        wanted = items_of(answer, picked)
        shown = self._tables(answer, kept_tables(answer, self.formats), wanted)
        if self.answer.type.page != "period" or not any(wanted):
            return self._view(shown, answer, None, self._drawn(answer))
        alone = None
        if not all(wanted):  # what moved what is picked is drawn alone; its points are those of the whole
            alone = self.answer.again(book=self._of(picked), at=answer.question.at, **self._alone(picked))
            alone = alone.part_of(answer)
        view = self._view(shown, None, None, self._drawn(alone or answer))
        if self.section.words:
            named = {name: label for name, label in picked.items() if name in answer.by}
            view["words"] = self._said(loaded(answer.type.picked_words)(answer, named, alone, self.formats))
        return view

    def _tables(
        self,
        answer: Any,
        tables: Sequence[KeptTable],
        wanted: tuple[str | None, ...] = (),
        heads: Sequence[KeptTable] | None = None,
    ) -> list[dict[str, Any]]:
        """The tables of an answer with the rows of what is picked, under their own titles or those of other tables."""
        made = []
        for table, head in zip(tables, tables if heads is None else heads):
            title, lines = head.spec.title, head.spec.lines
            made.append(table_data(table, table.of(wanted), answer, self.formats, self.pool, title, lines))
        return made

    def _asked_at(self, pick: Pick, period: int) -> Any:
        assert self.choices is not None
        picked, last = self._picked(pick), self.choices.lasts[period]
        if self.answer.type.page == "period":  # what an item contributed is its part in the whole
            return self.answer.again(book=self._of(self._outside(picked)), at=as_date(last), **self._every(picked))
        rest = [name for name in self.answer.by if name not in picked]
        changed: dict[str, Any] = {"by": rest}
        book = self._of(picked)
        if not rest and self.answer.by:
            changed |= _UNSPLIT
        if self.answer.type.page == "day":
            book = book.until(as_date(last)) if last < book.coverage.last else book
            changed |= {"at": None} if "at" in self.answer.put.options else {}
        return self.answer.again(book=book, **changed)

    def _place(self, period: int) -> int | None:
        """The place of the section's own period that holds the last day of a chosen one."""
        assert self.choices is not None
        answer, question = self._frame, self._frame.question
        if question.grain == self.choices.grain and question.calendar == self.choices.calendar:
            found = np.flatnonzero(answer.alignment.labels == self.choices.labels[period])
        else:
            ordinal = question.calendar.ordinals(question.grain, np.array([self.choices.lasts[period]]))[0]
            found = np.flatnonzero(answer.alignment.ordinals == ordinal)
        return int(found[0]) if len(found) else None

    @cached_property
    def listed(self) -> int:
        """How many periods a table lists: as many as asked for, else a year of them where nothing splits them."""
        options = self.answer.put.options
        if options.get("last") is not None or options.get("at") is not None:
            return min(max(len(self.answer.periods), 1), _MOST_SEEN)
        return 1 if self.answer.by else _SEEN

    @property
    def _seen(self) -> int:
        """How many periods a figure of several shows."""
        return self.listed if self.listed > 1 else _SEEN

    # --- words and figures

    def _words(self, answer: Any, label: str | None) -> int:
        """The sentences of an answer."""
        if answer is None or not self.section.words or not answer.type.sentences:
            return self.pool.add([])
        return self._said(sentences(answer, at=label, formats=self.formats))

    def _said(self, said: Sequence[str]) -> int:
        return self.pool.add([visible(sentence) for sentence in said])

    def _chosen(self, answer: Any) -> Chosen | None:
        """The figure of an answer, the section's own where it shows such an answer."""
        key = answer.by
        if key not in self._figures:
            self._figures[key] = self._choose(answer)
        return self._figures[key]

    def _choose(self, answer: Any) -> Chosen | None:
        if not self.section.drawn:
            return None
        if self.section.figure is not None:
            chosen = named_figure(self.section.figure, self.section.options)
            if chosen.options.get("panels") not in (None, *answer.by):
                del chosen.options["panels"]
            if chosen.figure.name in answer.type.figures and (answer.by or not chosen.figure.by_item):
                return chosen
        seen = answer
        many = self.listed if answer.by else self._seen
        if self._by_periods and len(answer.periods) > many:
            seen = answer.again(at=f"{answer.periods[-many]}..{answer.periods[-1]}")
        try:
            return suited(seen)
        except LogochronError:
            return None

    def _moving(self, course: Course, place: int) -> Any:
        """The figure of a course as it is seen from one of its periods."""
        chosen = self._chosen(course.answer)
        if chosen is None:
            return None
        if not chosen.figure.moves:
            return self._of_window(course.answer, place)
        if not course.strip:
            try:
                scene = chosen.figure.scene(course.answer, replace(self.canvas, seen=self._seen), **chosen.options)
                parts = [self.pool.add(seen_data(part, self.pool), refers=True) for part in scene.seen]
                course.strip.update(scene=self.pool.add(scene_data(scene, self.pool), refers=True), parts=parts)
            except LogochronError as error:
                course.strip.update(refused=self._no(_NO_FIGURE, error))
        if "refused" in course.strip:
            return course.strip
        return {"scene": course.strip["scene"], "seen": course.strip["parts"][place]}

    def _of_window(self, answer: Any, place: int) -> Any:
        """The figure of an answer as of one of the periods: of that alone, or of those that lead to it."""
        chosen = self._chosen(answer)
        if chosen is None or not answer.periods:
            return None
        try:
            if "at" in inspect.signature(chosen.figure.scene).parameters:
                return self._scene(answer, chosen, {"at": self._frame.periods[place]})
            window = self._window(place, self._seen)
            first = self._frame.periods[max(place - self._seen + 1, 0)]
            if answer.periods[0] != first or answer.periods[-1] != self._frame.periods[place]:
                answer = answer.again(**window)
            return self._scene(answer, chosen, {})
        except LogochronError as error:
            return {"refused": self._no(_NO_FIGURE, error)}

    def _scene(self, answer: Any, chosen: Chosen, more: Mapping[str, Any]) -> dict[str, Any]:
        scene = chosen.figure.scene(answer, self.canvas, **{**chosen.options, **more})
        return {"scene": self.pool.add(scene_data(scene, self.pool), refers=True)}

    def _drawn(self, answer: Any) -> Any:
        chosen = self._chosen(answer) if isinstance(answer, AlignedAnswer) else None
        if chosen is None:
            return None
        try:
            return self._scene(answer, chosen, {})
        except LogochronError as error:
            return {"refused": self._no(_NO_FIGURE, error)}
