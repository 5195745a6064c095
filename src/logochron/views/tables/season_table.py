"""A season as a table for people: what each part usually brings, its range, and this period's so far."""

from __future__ import annotations

import numpy as np

from logochron.core.book.measures import Measure
from logochron.core.questions.season import Season
from logochron.views.catalog import message
from logochron.views.formats import Formats, noun
from logochron.views.tables.cells import ALL, Cell, Row, Shown, TableColumn, TableSpec
from logochron.views.words.season_words import part_names, season_subject
from logochron.views.words.titles import column_words, coverage_line, period_word
from logochron.views.words.told import all_told

_LEGEND = message("Usual share: the mean over {periods}; so far: of what {running} has brought to date")
_SHARES = ("usual", "low", "high", "now")


def season_tables(result: Season, formats: Formats, shown: Shown = ALL) -> list[TableSpec]:
    """A table for each measure: a row a place, of each item where it is split."""
    return [_table(result, measure, formats) for measure in result.measures]


def _table(result: Season, measure: Measure, formats: Formats) -> TableSpec:
    columns = result.of_measure(result.columns, measure)
    of, names = result.type, part_names(result, formats)
    places = columns["place"].astype(np.int64)
    largest = float(np.nanmax(columns["usual"])) if np.isfinite(columns["usual"]).any() else 1.0
    notes, rows = result.texts(columns, "note"), []
    for i, place in enumerate(places.tolist()):
        first = i == 0 or places[i - 1] != place
        cells = {"label": Cell("text", names[place - 1] if first else "")}
        cells |= {f"dim:{name}": Cell("item", str(columns[name][i])) for name in result.by}
        for name in _SHARES:
            share = float(columns[name][i])
            cells[name] = Cell("part", formats.part(share), share)
        cells["usual"] = cells["usual"]._replace(bar=float(columns["usual"][i]) / largest)
        note = str(notes[i])
        said = formats.say(note) if note else ""
        if place == result.unfinished:
            said = formats.say("to date, {day}", day=formats.day(result.book.coverage.last, year=False))
        cells["note"] = Cell("note", said)
        rows.append(Row(cells, starts=first and bool(result.by)))
    noted = [TableColumn("note", "", "note")] if any(row.text("note") for row in rows) else []
    part = TableColumn("label", period_word(result.calendar.word(result.each), formats).capitalize(), "text", firm=True)
    periods = ", ".join(result.parents) if len(result.parents) <= 6 else f"{result.parents[0]}–{result.parents[-1]}"
    return TableSpec(
        title=season_subject(result, measure, formats),
        unit="",
        columns=(
            part,
            *(TableColumn(f"dim:{name}", noun(name, formats.language).capitalize(), "item") for name in result.by),
            *(TableColumn(name, column_words(of.column(name), formats), "part") for name in _SHARES),
            *noted,
        ),
        rows=tuple(rows),
        lines=(
            *([formats.say(_LEGEND, periods=periods, running=result.running or formats.dash)] if periods else []),
            *all_told(result.notes, formats),
            coverage_line(result, formats),
        ),
        dropped=(("low", "high"), ("now",)),
        empty=message("The records hold no whole period."),
    )
