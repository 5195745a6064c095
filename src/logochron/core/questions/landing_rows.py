"""The items of a landing, and the sums of a measure over spans for each of them."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.coverage import Coverage
from logochron.core.book.daybook import Daybook
from logochron.core.book.formulas import Leaf, LeafSums, leaves, work_out
from logochron.core.book.items import places_of
from logochron.core.book.measures import Measure
from logochron.core.book.span_sums import Spans
from logochron.core.calendars.base import Bools
from logochron.core.days import Days, as_date
from logochron.core.notes import Note, Noted
from logochron.core.rows.figures import Floats
from logochron.core.rows.plan_side import at_places, not_planned, plan_side
from logochron.core.rows.tiers import Labels, Tier


class _Places(NamedTuple):
    """The places of items among those of a book, -1 where it has none; and of those that one more item gathers."""

    own: Days
    rest: Days | None

    @classmethod
    def among(cls, known: Labels, rows: LandingRows) -> _Places:
        """Those of some rows."""
        return cls(places_of(known, rows.labels), None if rows.rest is None else places_of(known, rows.rest))

    def of(self, sums: NDArray[Any]) -> NDArray[Any]:
        """Sums of all items of the book for those here; 0 where it does not have one."""
        found = at_places(sums, self.own)
        if self.rest is None:
            return found
        return np.append(found, at_places(sums, self.rest).sum(axis=1, keepdims=True), axis=1)


@dataclass(frozen=True, eq=False)
class LandingRows:
    """The items of a tier, of which one measure is summed.

    Attributes
    ----------
    book, measure, by
        Of which book, which measure, by which dimensions.
    labels, rest
        The labels of the items by dimension; and of those that one more item gathers, where there is one.
    """

    book: Daybook
    measure: Measure
    by: tuple[str, ...]
    labels: Labels
    rest: Labels | None = None

    @classmethod
    def of(cls, book: Daybook, measure: Measure, tier: Tier, gathered: Tier | None = None) -> LandingRows:
        """The items of a tier; where some are `gathered` the last one stands for those."""
        labels = tier.labels
        if gathered is not None:
            labels = tuple(label[:-1] for label in labels)
        return cls(book, measure, tier.by, labels, None if gathered is None else gathered.labels)

    @cached_property
    def _places(self) -> _Places:
        """Where the items stand among the book's own."""
        return _Places.among(self.book.day_sums(self.by).items.labels, self)

    def sums(self, spans: Spans) -> Floats:
        """The measure over spans, shape (spans, items)."""
        formula = self.book.formulas[self.measure.name]
        keys = [leaf.key for leaf in leaves(formula)]
        parts = {
            key: LeafSums(self._places.of(side), self.book.scale_of(key))
            for key, (side,) in self.book.sums(self.by, keys, spans).items()
        }
        return work_out(formula, parts).shown

    def may_fall(self) -> Bools:
        """Which items have a negative amount among the source's own by the report date: their total may fall."""
        formula = self.book.formulas[self.measure.name]
        n = len(self.labels[0]) if self.labels else 1
        if not isinstance(formula, Leaf):
            return np.ones(n + (self.rest is not None), dtype=bool)
        falls = self.book.falls.get(formula.key)
        if falls is None:
            return np.zeros(n + (self.rest is not None), dtype=bool)
        items = self.book.day_sums(self.by).items
        places, first, _ = falls.rows_of(self.by, items)
        fallen = np.bincount(places[first <= self.book.coverage.last], minlength=items.size)
        return np.asarray(self._places.of(fallen[None])[0] > 0)

    def planned(self, plan: Daybook, starts: Days, ends: Days) -> tuple[Floats, tuple[Noted, ...]]:
        """The plan over spans, shape (spans, items), NaN where it is not known, and why it is not."""
        cover: Coverage = plan.coverage
        known = (starts >= cover.first) & (ends <= cover.last)
        missing, named = not_planned(plan, starts, ends, known)
        side = plan_side(
            plan, self.book, self.by, [self.measure], (starts[None], np.where(known, ends, starts - 1)[None])
        )
        why = side.why[self.measure.name]
        if why is not None:
            nothing = np.full((len(starts), 1), np.nan)
            return nothing, (Noted(np.ones(len(starts), dtype=bool), *_of_plan(why)),)
        places = _Places.among(side.labels, self)
        parts = {key: LeafSums(places.of(part.values), part.scale) for key, part in side.parts.items()}
        sums = work_out(plan.formulas[self.measure.name], parts).shown
        early = ~known & (starts < cover.first)
        notes = (
            Noted(early, "no plan: plan starts", (as_date(cover.first),)),
            Noted(~known & ~early, "no plan: plan ends", (as_date(cover.last),)),
            Noted(missing, "no plan: not planned", (named,)),
        )
        return np.where((known & ~missing)[:, None], sums, np.nan), notes


def _of_plan(why: Note) -> tuple[str, tuple[Any, ...]]:
    """Why a plan gives no base, as it is said of the plan itself."""
    return why.code.replace("no base", "no plan"), why.args
