"""What is handed on in short, on one page or on slides: cards, the overview, figures with their sentences, notes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from logochron.core.errors import LogochronError, visible
from logochron.core.questions.compare import Comparison
from logochron.core.questions.explain import explain
from logochron.core.questions.overview import Overview
from logochron.core.rows.answer import AlignedAnswer
from logochron.core.rows.result import Result
from logochron.core.said import for_readers
from logochron.views.figures.choose import Chosen, figure_of
from logochron.views.formats import Formats
from logochron.views.sections import Section
from logochron.views.tables.cards import Card, cards_of, measures_of_cards, whole_of
from logochron.views.tables.receipt_table import receipt_tables
from logochron.views.words.sentences import sentences_of
from logochron.views.words.titles import about_lines, coverage_line
from logochron.views.words.told import all_told


@dataclass(frozen=True, kw_only=True)
class HandoutPart:
    """A section as it is handed on: its answer, its sentences, its figure where it has one, its notes for who reads."""

    section: Section
    answer: Result
    said: tuple[str, ...]
    chosen: Chosen | None
    notes: tuple[str, ...]


@dataclass(frozen=True, kw_only=True)
class Handout:
    """All that is handed on.

    Attributes
    ----------
    title, about
        What it is called; the report date and the records in words.
    cards
        Those of the running period.
    overview
        The first section that is an overview; None where there is none.
    parts
        The other sections that could be answered.
    notes
        What is to be known of all, each note once, for who reads.
    """

    title: str
    about: str
    cards: tuple[Card, ...]
    overview: HandoutPart | None
    parts: tuple[HandoutPart, ...]
    notes: tuple[str, ...]

    @property
    def main(self) -> tuple[HandoutPart, ...]:
        """The two parts that one page has room for: those marked, else the first that have a figure."""
        marked = [part for part in self.parts if part.section.summary]
        drawn = [part for part in self.parts if part.chosen is not None]
        return tuple((marked or drawn or self.parts)[:2])


def handout_of(sections: Sequence[Section], *, title: str, formats: Formats, notes: Sequence[str] = ()) -> Handout:
    """What is handed on of some sections."""
    parts = [_part(section, formats) for section in sections if section.answer is not None]
    first = next((part for part in parts if isinstance(part.answer, Overview)), None)
    aligned = [part.answer for part in parts if isinstance(part.answer, AlignedAnswer)]
    lines = [line for answer in aligned for line in map(for_readers, all_told(answer.book.intake.warnings, formats))]
    lines += [coverage_line(answer, formats) for answer in aligned]
    return Handout(
        title=visible(title),
        about=formats.dot.join(about_lines(aligned[:1], formats)),
        cards=tuple(_cards(aligned, formats)),
        overview=first,
        parts=tuple(part for part in parts if part is not first),
        notes=tuple(visible(line) for line in dict.fromkeys([*notes, *lines]) if line),
    )


def _part(section: Section, formats: Formats) -> HandoutPart:
    answer = section.answer
    assert answer is not None
    said = sentences_of(section, formats)
    if isinstance(answer, Overview):
        said = said[: len(answer.measures)]  # its rows say of the items what more would
    chosen = None if answer.told.type.figure_is_table else figure_of(section)
    notes = tuple(visible(line) for line in map(for_readers, all_told(answer.notes, formats)) if line)
    return HandoutPart(section=section, answer=answer, said=tuple(map(visible, said)), chosen=chosen, notes=notes)


def receipt_lines(part: HandoutPart, formats: Formats) -> list[str]:
    """Which days were summed on both sides of what a part tells first, each side a line."""
    try:
        receipt = explain(part.answer.told)  # type: ignore[arg-type]
    except LogochronError:  # a question without receipts
        return []
    (spec,) = receipt_tables(receipt, formats)
    lines = [visible(spec.title)]
    for row in spec.rows:
        days, records = (formats.number(row.value(name), 0) for name in ("days", "records"))
        said = formats.say("{side}: {span}, {days} days, {records} records, {sum}", side=row.text("side"),
                           span=row.text("span"), days=days, records=records, sum=row.text("sum"))  # fmt: skip
        lines.append(visible(said))
    return lines


def _cards(answers: Sequence[AlignedAnswer], formats: Formats) -> list[Card]:
    """The cards of the running period of the first comparison by period, of all measures of such."""
    leads = [a for a in answers if isinstance(a, Comparison) and a.running is None and a.each != "span"]
    if not leads or leads[0].call is None:
        return []
    lead = leads[0]
    try:
        return cards_of(whole_of(lead, measures_of_cards(answers, lead)), formats)
    except LogochronError:
        return []
