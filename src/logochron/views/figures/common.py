"""What several figures say alike: the measure they are of, the sentence under the title."""

from __future__ import annotations

import numpy as np

from logochron.core.book.measures import Measure
from logochron.core.errors import QuestionError, brief, no_such
from logochron.core.notes import Note, note_of
from logochron.core.questions.compare import Comparison
from logochron.core.rows.answer import AlignedAnswer
from logochron.views.catalog import message
from logochron.views.figures.scene import Role
from logochron.views.formats import Formats, capital, shortened
from logochron.views.tables.item_rows import Table
from logochron.views.words.periods import base_period, row_period
from logochron.views.words.titles import against_words, cut_of

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


def measure_of(result: AlignedAnswer, name: str | None) -> Measure:
    """The measure a figure is of: the one named, or the first."""
    if name is None:
        return result.measures[0]
    for measure in result.measures:
        if measure.name == name:
            return measure
    raise QuestionError(f"`measure` must be one of {', '.join(m.name for m in result.measures)}; got {brief(name)}")


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
    moved = formats.growth(growth) if np.isfinite(growth) else formats.amount(columns["change"][i], unit, signed=True)
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
        raise QuestionError(f"`item` must name one label for each of by={list(result.by)}; got {brief(item)}")
    for name, label in zip(result.by, wanted):
        known = sorted(set(result.texts(result.columns, name).tolist()))
        if label not in known:
            raise QuestionError(f"`item`: {no_such('item', label, known, where=name)}")
    return wanted
