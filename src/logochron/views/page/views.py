"""The views of one section of a page: for every pick of items and every period what is said, listed and drawn.

Each is made from an ordinary answer: the question asked again of the records of the items picked. In a dimension that
the question is split by, rows are those of the whole answer, so that shares and totals stay those of all items.
"""

from __future__ import annotations

import inspect
from collections.abc import Mapping
from dataclasses import replace
from functools import cached_property
from typing import Any

import numpy as np

from logochron.core.book.daybook import Daybook
from logochron.core.days import as_date
from logochron.core.errors import LogochronError, visible
from logochron.core.rows.answer import AlignedAnswer
from logochron.views.figures.choose import Chosen, named_figure, suited
from logochron.views.figures.scene import Canvas
from logochron.views.formats import Formats
from logochron.views.page.choices import Choices, Pick
from logochron.views.page.pool import Pool
from logochron.views.page.scene_data import scene_data, seen_data
from logochron.views.page.table_data import KeptRow, KeptTable, items_of, kept_tables, table_data
from logochron.views.sections import Section
from logochron.views.tables.registry import TABLES
from logochron.views.tables.spec import ALL, Shown
from logochron.views.words.said import SAID
from logochron.views.words.sentences import sentences

#: So many periods stand side by side where a section does not say how many, and at most.
_SEEN, _MOST_SEEN = 13, 26


class Views:
    """The views of one section; what several share is made once and held in the pool."""

    def __init__(self, section: Section, choices: Choices | None, canvas: Canvas, pool: Pool) -> None:
        assert section.answer is not None
        self.section, self.choices, self.canvas, self.pool = section, choices, canvas, pool
        self.formats: Formats = canvas.formats
        self.answer: Any = section.answer
        self._told: dict[Pick, Any] = {}
        self._whole: dict[Pick, tuple[Any, list[KeptTable]]] = {}
        self._titles: dict[Pick, list[tuple[str, tuple[str, ...]]]] = {}
        self._strips: dict[Pick, Any] = {}
        self._figures: dict[tuple[str, ...], Chosen | None] = {}

    # --- what is asked of which records

    def _picked(self, pick: Pick) -> dict[str, str]:
        """The items picked, of the dimensions that the section's records have."""
        names = self.choices.dimensions if self.choices else ()
        book = self._book
        return {n: label for n, label in zip(names, pick) if label is not None and book and n in book.dimensions}

    @cached_property
    def _book(self) -> Daybook | None:
        return self.answer.asked.book if isinstance(self.answer, AlignedAnswer) and self.answer.put else None

    def _of(self, picked: Mapping[str, str]) -> Daybook:
        assert self._book is not None
        return self._book.where(picked) if picked else self._book

    @property
    def _moves(self) -> bool:
        """Whether the answer is asked of all periods at once."""
        return self.answer.kind in ("compare", "relate") and self.answer.question.each != "span"

    @property
    def _periods(self) -> dict[str, Any]:
        """What asks for all periods, of an answer that has rows of them."""
        return {"at": None, "last": None} if self._moves else {}

    def told(self, pick: Pick) -> Any:
        """The answer of what is picked alone, of all periods; None where it cannot be asked."""
        if pick not in self._told:
            picked = self._picked(pick)
            rest = [name for name in self.answer.by if name not in picked]
            alone = {} if rest or not self.answer.by else {"top": None, "sort": None, "items": "all"}
            if not rest and self.answer.kind == "relate":
                self._told[pick] = None
            else:
                changed = {"book": self._of(picked), "by": rest, **alone, **self._periods}
                self._told[pick] = self.answer.again(**changed)
        return self._told[pick]

    def whole(self, pick: Pick) -> tuple[Any, list[KeptTable]]:
        """The answer that the rows of a pick are taken from, and its tables: split as the section is."""
        picked = self._picked(pick)
        outside = {name: label for name, label in picked.items() if name not in self.answer.by}
        key = tuple(outside.get(name) for name in (self.choices.dimensions if self.choices else ()))
        if key not in self._whole:
            answer = self.told(key) if not (set(picked) - set(outside)) else None
            answer = answer or self.answer.again(book=self._of(outside), **self._periods)
            self._whole[key] = answer, kept_tables(answer, self.formats)
        return self._whole[key]

    # --- views

    def view(self, pick: Pick, period: int) -> int:
        """The place of the view of a pick and a period."""
        try:
            made = self._made(pick, period)
        except LogochronError as error:
            made = {"refused": visible(str(error))}
        return self.pool.add(made)

    def _made(self, pick: Pick, period: int) -> dict[str, Any]:
        if self._book is None:
            return self._still()
        if self._moves:
            return self._by_period(pick, period)
        return self._as_of(pick, period)

    def _still(self) -> dict[str, Any]:
        """The view of an answer that nothing can be chosen in."""
        tables = self._as_they_are(self.answer, Shown(rows=500), ())
        return {"tables": tables, "figure": self._drawn(self.answer, None), "words": self._words(self.answer, None)}

    def _by_period(self, pick: Pick, period: int) -> dict[str, Any]:
        whole, tables = self.whole(pick)
        told = self.told(pick)
        place = self._place(whole, period)
        if place is None:
            return {"refused": self.formats.say("Nothing is recorded of this period here.")}
        label = whole.periods[place]
        wanted = items_of(whole, self._picked(pick))
        first = max(place - self.listed + 1, 0)
        shown = []
        for n, table in enumerate(tables):
            rows = [row for at in range(first, place + 1) for row in table.periods.get(at, ())]
            rows = [row for row in rows if _belongs(row, wanted)]
            head = self._heads(pick)[n] if told is not None else (table.spec.title, table.spec.lines)
            shown.append(table_data(table, rows, whole, self.formats, self.pool, *head))
        figure = self._moving(pick, label) if told is not None and label in told.periods else None
        return {"tables": shown if self.section.table else [], "words": self._words(told, label), "figure": figure}

    def _heads(self, pick: Pick) -> list[tuple[str, tuple[str, ...]]]:
        """Title and lines of the table of each measure."""
        if pick not in self._titles:
            told = self.told(pick)
            made = TABLES[told.kind].made
            last = (made(told, measure, self.formats, Shown(periods=1)) for measure in told.measures)
            self._titles[pick] = [(spec.title, spec.lines) for spec in last]
        return self._titles[pick]

    def _as_of(self, pick: Pick, period: int) -> dict[str, Any]:
        """The view of an answer of one period, or as of a day: asked again for each."""
        answer = self._asked_at(pick, period)
        shown = self._as_they_are(answer, ALL, items_of(answer, self._picked(pick)))
        return {
            "tables": shown if self.section.table else [],
            "words": self._words(answer, None),
            "figure": self._drawn(answer, None),
        }

    def _as_they_are(self, answer: Any, shown: Shown, wanted: tuple[str | None, ...]) -> list[dict[str, Any]]:
        """The tables of an answer with the rows of what is picked, under their own titles."""
        made = []
        for table in kept_tables(answer, self.formats, shown):
            rows = [row for rows in table.periods.values() for row in rows if _belongs(row, wanted)]
            spec = table.spec
            made.append(table_data(table, rows, answer, self.formats, self.pool, spec.title, spec.lines))
        return made

    def _asked_at(self, pick: Pick, period: int) -> Any:
        picked = self._picked(pick)
        rest = [name for name in self.answer.by if name not in picked]
        changed: dict[str, Any] = {"by": rest}
        book = self._of(picked)
        if not rest and self.answer.by:
            changed |= {"top": None, "sort": None}
        assert self.choices is not None
        last = self.choices.lasts[period]
        if self.answer.kind == "drivers":
            changed |= {"at": as_date(last)}
            if not rest:  # what moved one item is not told by itself: its part in the whole is
                outside = {name: label for name, label in picked.items() if name not in self.answer.by}
                book, changed["by"] = self._of(outside), list(self.answer.by)
        elif self.answer.kind in ("pace", "land"):
            book = book.until(as_date(last)) if last < book.coverage.last else book
            changed |= {"at": None} if self.answer.kind == "land" else {}
        return self.answer.again(book=book, **changed)

    def _place(self, answer: Any, period: int) -> int | None:
        """The place of the period of an answer that holds the last day of a chosen one."""
        assert self.choices is not None
        question = answer.question
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

    # --- words and figures

    def _words(self, answer: Any, label: str | None) -> int:
        """The sentences of an answer."""
        if answer is None or not self.section.words or answer.kind not in SAID:
            return self.pool.add([])
        said = sentences(answer, at=label, formats=self.formats) if label else sentences(answer, formats=self.formats)
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
        options = dict(self.section.options)
        if options.get("panels") not in (None, *getattr(answer, "by", ())):
            del options["panels"]
        if self.section.figure is not None:
            chosen = named_figure(self.section.figure)
            if answer.kind in chosen.figure.answers and (answer.by or not chosen.figure.by_item):
                return chosen._replace(options=options)
        seen = answer
        if self._moves:
            last = max(len(answer.periods) - self.listed, 0)
            seen = answer.again(at=f"{answer.periods[last]}..{answer.periods[-1]}") if answer.periods else answer
        try:
            return suited(seen)
        except LogochronError:
            return None

    def _moving(self, pick: Pick, label: str) -> Any:
        """The figure of a period of an answer of all periods."""
        told = self.told(pick)
        chosen = self._chosen(told)
        if chosen is None:
            return None
        try:
            if chosen.figure.moves:
                return self._strip(pick, chosen, told.periods.index(label))
            if "at" in inspect.signature(chosen.figure.scene).parameters:
                return self._scene(told, chosen, {"at": label})
            place = told.periods.index(label)
            seen = self.listed if self.listed > 1 else _SEEN
            first = told.periods[max(place - seen + 1, 0)]
            return self._scene(told.again(at=f"{first}..{label}"), chosen, {})
        except LogochronError as error:
            return {"refused": visible(str(error))}

    def _strip(self, pick: Pick, chosen: Chosen, place: int) -> dict[str, Any]:
        """A scene of all periods, of which a part is seen."""
        if pick not in self._strips:
            seen = self.listed if self.listed > 1 else _SEEN
            scene = chosen.figure.scene(self.told(pick), replace(self.canvas, seen=seen), **chosen.options)
            parts = [self.pool.add(seen_data(part, self.pool)) for part in scene.seen]
            self._strips[pick] = self.pool.add(scene_data(scene, self.pool)), parts
        scene_place, parts = self._strips[pick]
        return {"scene": scene_place, "seen": parts[place]}

    def _scene(self, answer: Any, chosen: Chosen, more: Mapping[str, Any]) -> dict[str, Any]:
        scene = chosen.figure.scene(answer, self.canvas, **{**chosen.options, **more})
        return {"scene": self.pool.add(scene_data(scene, self.pool))}

    def _drawn(self, answer: Any, label: str | None) -> Any:
        chosen = self._chosen(answer) if isinstance(answer, AlignedAnswer) else None
        if chosen is None:
            return None
        try:
            return self._scene(answer, chosen, {})
        except LogochronError as error:
            return {"refused": visible(str(error))}


def _belongs(row: KeptRow, wanted: tuple[str | None, ...]) -> bool:
    """Whether a row is of what is picked: its items, their subtotals, and the total of all."""
    if row.row.total or not any(wanted):
        return True
    return all(want in (None, label) for want, label in zip(wanted, row.labels))
