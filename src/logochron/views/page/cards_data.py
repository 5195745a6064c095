"""The cards of a page: of each measure the chosen period, after the last whole one where the chosen one still runs."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from logochron.core.errors import LogochronError, visible
from logochron.core.options import STATUSES
from logochron.core.questions.compare import Comparison
from logochron.core.rows.answer import AlignedAnswer
from logochron.views.formats import Formats
from logochron.views.page.choices import Choices, Pick
from logochron.views.page.pool import Pool
from logochron.views.page.table_data import full_figure
from logochron.views.tables.cards import Card, cards_of


class Cards:
    """What cards show of each pick and period: the whole of what is picked."""

    def __init__(
        self, lead: Comparison, measures: Sequence[str], choices: Choices, formats: Formats, pool: Pool
    ) -> None:
        self.lead, self.measures, self.choices, self.formats, self.pool = lead, measures, choices, formats, pool
        self._asked: dict[Pick, Comparison] = {}

    @classmethod
    def of(
        cls, answers: Sequence[AlignedAnswer], choices: Choices | None, formats: Formats, pool: Pool
    ) -> Cards | None:
        """The cards of the first answer that compares the periods of the page; None where there is none."""
        fitting: list[Any] = [
            answer
            for answer in answers
            if answer.type.cards and choices is not None and answer.each == choices.grain
            and answer.calendar == choices.calendar and answer.running is None
        ]  # fmt: skip
        if not fitting or choices is None:
            return None
        lead = fitting[0]
        alike = [answer for answer in fitting if answer.asked.book is lead.asked.book]
        names = dict.fromkeys(measure.name for answer in alike for measure in answer.measures)
        return cls(lead, [name for name in names if name in lead.asked.book.formulas], choices, formats, pool)

    def of_view(self, pick: Pick, period: int) -> int:
        """The place of the cards of a pick and a period."""
        try:
            return self.pool.add(self._cards(pick, period))
        except LogochronError:
            return self.pool.add([])

    def _cards(self, pick: Pick, period: int) -> list[list[str | None]]:
        answer = self._answer(pick)
        label = self.choices.labels[period]
        if label not in answer.periods:
            return []
        place = answer.periods.index(label)
        places = [place]
        if STATUSES[answer.alignment.status[place]] == "to-date" and place:
            places.insert(0, place - 1)
        return [
            _card(card, measure, answer.periods[at])
            for at in places
            for card, measure in zip(cards_of(answer, self.formats, at=answer.periods[at]), self.measures)
        ]

    def _answer(self, pick: Pick) -> Comparison:
        if pick not in self._asked:
            picked = {name: label for name, label in zip(self.choices.dimensions, pick) if label is not None}
            book = self.lead.asked.book
            self._asked[pick] = self.lead.again(
                book=book.where(picked) if picked else book,
                by=(), measures=self.measures, at=None, last=None, top=None, sort=None, items="all", unusual=False,
            )  # fmt: skip
        return self._asked[pick]


def _card(card: Card, measure: str, period: str) -> list[str | None]:
    """A card as the script takes it apart."""
    told = [measure, period, visible(card.name), card.period, card.figure, card.moved, card.change, card.earlier]
    return [*told, card.verdict, full_figure(card.value), full_figure(card.growth)]
