"""What several figures say alike: the measure they are of, the sentence under the title."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from logochron.core.book.measures import Measure
from logochron.core.days import Days, to_days
from logochron.core.errors import QuestionError, brief, no_such
from logochron.core.notes import Note, note_of
from logochron.core.questions.compare import Comparison
from logochron.core.rows.answer import AlignedAnswer, Answer
from logochron.core.rows.figures import Floats
from logochron.views.catalog import message
from logochron.views.figures.scene import Canvas, Details, Role
from logochron.views.formats import Formats, capital, shortened, words
from logochron.views.tables.item_rows import Table, growth_or_level
from logochron.views.words.movement import amounts_apart
from logochron.views.words.titles import (
    against_words,
    base_heading,
    base_period,
    column_words,
    cut_of,
    row_period,
    unit,
)

#: What a bar is called, by the status of its period.
STATUS_WORDS = {
    "complete": message("whole period"),
    "to-date": message("to date"),
    "partial": message("partly covered"),
}
#: What each verdict is called; what is neutral or unknown is neither.
VERDICT_WORDS: dict[Role, str] = {
    "favorable": message("favorable"),
    "adverse": message("adverse"),
    "level": message("neither"),
}
THE_LARGEST = message("the {n} largest of {many}")
#: The item of a figure: one label, or one for each dimension.
Item = str | tuple[str, ...] | None


def measure_of(result: Answer, name: str | None) -> Measure:
    """The measure a figure is of: the one named, or the first."""
    if name is None:
        return result.measures[0]
    for measure in result.measures:
        if measure.name == name:
            return measure
    raise QuestionError(
        "`measure` must be one of {0}; got {1}", ", ".join(m.name for m in result.measures), brief(name)
    )


def unlike_weeks(notes: tuple[Note, ...]) -> tuple[int, int] | None:
    """The weeks of a row and of its base, where they differ."""
    note = note_of(notes, "weeks")
    return (note.args[0], note.args[1]) if note else None


def sentence(
    result: Comparison,
    columns: Table,
    formats: Formats,
    unit: str,
    *,
    together: bool = False,
) -> str:
    """The answer in one sentence: the last whole period, and the running one with its cut.

    `together`: said of all items, beside a picture of each.
    """
    said = []
    for status in ("complete", "to-date"):
        rows = np.flatnonzero((columns["status"] == status) & np.isfinite(columns["value"]))
        if len(rows):
            said.append(_one(result, columns, int(rows[-1]), formats, unit))
    if not said and len(columns["value"]):
        said.append(_one(result, columns, len(columns["value"]) - 1, formats, unit))
    sentences = formats.dot.join(said)
    return formats.say("All together, {sentence}", sentence=sentences) if together and said else sentences


def _one(result: Comparison, columns: Table, i: int, formats: Formats, unit: str) -> str:
    row = {name: columns[name][i] for name in ("start", "end", "base_start", "base_end")}
    when = capital(row_period(result, row, formats, str(columns["status"][i])).name)
    said = f"{when}: {formats.amount(columns['value'][i], unit)}, "
    growth, direction = columns["growth"][i], columns["direction"][i]
    if not np.isfinite(columns["base"][i]) or not np.isfinite(columns["value"][i]):
        return said + formats.say("nothing to compare with")
    base = base_period(result, row, formats)
    if base is not None:
        against = formats.say("against {base}", base=base.name)
    elif columns["status"][i] == "to-date":
        against = cut_of(result, columns, i, formats)
    else:
        against = formats.say("against {base}", base=against_words(result, formats))
    unlike = unlike_weeks(columns["notes"][i])
    if unlike:
        against += ", " + formats.say("{n} weeks against {many}", n=unlike[0], many=unlike[1])
    if direction == "level":
        return f"{said}{formats.say('level')} ({against})"
    by_growth = np.isfinite(growth) and unit != "%"
    moved = formats.growth(growth) if by_growth else formats.amount(columns["change"][i], unit, signed=True)
    return f"{said}{moved} ({against})"


def role_of(verdict: str) -> Role:
    """The role that a verdict is drawn in."""
    return verdict if verdict in ("favorable", "adverse") else "level"  # type: ignore[return-value]


def item_words(item: Item) -> str | None:
    """An item as a title calls it."""
    return None if item is None else shortened(" / ".join((item,) if isinstance(item, str) else item))


def item_labels(result: AlignedAnswer, item: Item) -> tuple[str, ...]:
    """The labels of an item, one for each dimension of an answer; none where no item is named.

    Raises
    ------
    QuestionError
        Where the answer does not have it.
    """
    if item is None:
        return ()
    wanted = (item,) if isinstance(item, str) else tuple(item)
    if len(wanted) != len(result.by):
        raise QuestionError("`item` must name one label for each of by={0}; got {1}", list(result.by), brief(item))
    for name, label in zip(result.by, wanted):
        known = sorted(set(result.texts(result.columns, name).tolist()))
        if label not in known:
            raise QuestionError("`item`: {0}", no_such("item", label, known, where=name))
    return wanted


_MOVED, _DAYS = ("value", "base", "change", "growth"), ("start", "end", "base_start", "base_end")
#: The details of one place: names and texts.
DetailRows = tuple[tuple[str, str], ...]


class RowDetails:
    """What a pointer shows of the rows of one measure; what is known on a canvas of a row is not written again."""

    def __init__(self, result: Comparison, measure: Measure, canvas: Canvas) -> None:
        self.result, self.formats, self.known = result, canvas.formats, canvas.known
        self.unit, planned = unit(measure, canvas.formats), result.plan is not None
        self.names = {
            "value": capital(words(measure.name)),
            "base": base_heading(result, canvas.formats),
            **{name: column_words(name, canvas.formats, planned=planned) for name in ("change", "growth")},
            **{name: column_words(name, canvas.formats) for name in ("status", "period")},
        }
        self.of = measure.name, result.by, self.names["base"], planned

    def rows(self, table: Table) -> tuple[DetailRows, ...]:
        """The details of each row: its item by dimension, none of the whole."""
        if not len(table["value"]):
            return ()
        figures = np.stack([np.asarray(table[name], dtype=np.float64) for name in _MOVED], axis=1)
        days = np.stack([to_days(table[name]) for name in _DAYS], axis=1)
        texts = [table[name].tolist() for name in ("direction", "status", *self.result.by)]
        periods = [self.result.periods[place] for place in table["period"].tolist()]
        details = []
        for figure, day, period, *text in zip(figures, days, periods, *texts):
            key = self.of, period, figure.tobytes(), day.tobytes(), *text
            if key not in self.known:
                self.known[key] = self._row(figure.tolist(), day.tolist(), period, *text)
            details.append(self.known[key])
        return tuple(details)

    def _row(
        self, figures: list[float], days: list[int], period: str, direction: str, status: str, *labels: str | None
    ) -> DetailRows:
        formats, names = self.formats, self.names
        value, base, change, growth = figures
        start, end, first, last = days
        rows = [(capital(words(n)), shortened(label)) for n, label in zip(self.result.by, labels) if label is not None]
        rows.append((names["period"], formats.dot.join([period, formats.span(start, end)])))
        now, before = amounts_apart([value, base], self.unit, formats)
        rows.append((names["value"], now))
        if math.isfinite(base):
            rows.append((names["base"], f"{before} ({formats.span(first, last)})"))
            rows.append((names["change"], formats.amount(change, self.unit, signed=True)))
            if self.unit != "%":
                rows.append((names["growth"], growth_or_level(growth, direction, formats)))
        rows.append((names["status"], formats.say(STATUS_WORDS.get(status, status))))
        return tuple(rows)


class DayTexts(NamedTuple):
    """How the figures of a line by day are written: as amounts of a unit, signed or not; as growths where None."""

    unit: str | None
    signed: bool = False

    def written(self, values: Floats, canvas: Canvas) -> list[str]:
        """What stands for each figure; what is known on the canvas is not written again."""
        known: dict[float, str] = canvas.known.setdefault(self, {})
        new = np.array([value for value in values.tolist() if value not in known], dtype=np.float64)
        if self.unit is None:
            texts = canvas.formats.growths(new)
        else:
            texts = canvas.formats.amounts(new, self.unit, signed=self.signed)
        known.update(zip(new[np.isfinite(new)].tolist(), [t for t, there in zip(texts, np.isfinite(new)) if there]))
        return [known.get(value, canvas.formats.dash) for value in values.tolist()]


def day_details(
    days: Days, lines: Sequence[tuple[str, Floats, DayTexts]], canvas: Canvas, most: int = 62
) -> tuple[Details, ...]:
    """The details of a figure by day: of each day, or of as many as can be pointed at, what its lines say there."""
    if not canvas.detailed:
        return ()
    step = max(-(-len(days) // most), 1)
    places = np.arange(len(days) - 1, -1, -step)[::-1]
    middle = places.astype(np.float64)
    formats, named = canvas.formats, column_words("day", canvas.formats)
    texts = [[(name, text) for text in texts_of.written(line[places], canvas)] for name, line, texts_of in lines]
    nothing = ("", formats.dash)
    rows = tuple(
        ((named, formats.day(day)), *(pair for pair in pairs if pair[1] not in nothing))
        for day, *pairs in zip(days[places].tolist(), *texts)
    )
    return (Details(middle - step / 2, middle + step / 2, rows),)
