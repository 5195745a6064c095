"""A landing as tables for people: where the period will end, how sure that is, what it takes to reach base and plan."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from logochron.core.book.measures import Measure
from logochron.core.options import DIRECTIONS, PROFILES, VERDICTS
from logochron.core.questions.land import Landing
from logochron.views.catalog import message, plural
from logochron.views.formats import Formats, capital, words
from logochron.views.marks import Marks, marks_of
from logochron.views.tables.item_rows import Line, decimals_of, growth_of, item_cells, item_headings, lines_of
from logochron.views.tables.spec import ALL, Row, Shown, TableSpec
from logochron.views.words.basis_words import period_word
from logochron.views.words.standing import (
    landing_sentence,
    landing_subject,
    landing_when,
    profile_words,
    unsure_sentence,
)
from logochron.views.words.titles import (
    against_words,
    base_heading,
    column_words,
    coverage_line,
    subject,
    unit,
    within_a_title,
)

_FIGURES = ("to_date", "estimate", "low", "high", "base", "change", "plan", "plan_gap", "needed_per_day")
_RANGE = message("{low} to {high} in 80 % of past outcomes")
_ONE_DAY, _DAYS = message("to reach {what} in {n} day"), message("to reach {what} in {n} days")
_STATUS = {"complete": message("done"), "to-date": message("partly estimated"), "estimated": message("estimated")}
#: What a narrow terminal goes without, one after the other.
_DROPPED = (
    *("note", "typical_error", "needed_per_day", "change", "plan", "plan_gap", "expected_share", "to_date", "base"),
)


def landing_spec(result: Landing, measure: Measure, formats: Formats, shown: Shown = ALL) -> TableSpec:
    """The landing of one measure: line by line, or a row for each item or part of the period."""
    if result.by or result.parts is not None:
        return _by_row(result, measure, formats, shown)
    return _line_by_line(result, measure, formats)


def _decimals(result: Landing, measure: Measure, formats: Formats) -> int:
    return decimals_of(result, measure, formats, "base", "change", value="to_date")


def _lines(result: Landing, measure: Measure, formats: Formats) -> tuple[str, ...]:
    """What stands below every table of a landing."""
    said = [unsure_sentence(result, measure, formats)]
    if result.parts is not None:
        said.insert(0, landing_sentence(result, measure, (), formats))
    return (*filter(None, said), *result.notes, coverage_line(result, formats))


def _line_by_line(result: Landing, measure: Measure, formats: Formats) -> TableSpec:
    """One landing, a line for each thing to be known of it."""
    decimals = _decimals(result, measure, formats)
    block, place = result.block_of(measure)
    row = block.row(0, place)
    marks = marks_of(result.judgings[measure.name], formats)
    now = result.now
    elapsed, days = int(now.elapsed[0]), int(now.days[0])

    def amount(value: float, *, signed: bool = False) -> str:
        return formats.number(float(value), decimals, signed=signed)

    def line(
        what: str, value: str, note: str = "", growth: str = "", verdict: str = "", *, of: tuple[float, float]
    ) -> Row:
        """`of`: the figures of the cells of value and growth."""
        cells = {"what": what, "value": value, "growth": growth, "note": note}
        return Row(cells, verdict, figures=dict(zip(("value", "growth"), map(float, of))))

    rows = [
        line(
            formats.say("To date, {day}", day=formats.day(int(now.cuts[0]), year=False)),
            amount(row["to_date"]),
            formats.say("day {n} of {days}", n=elapsed, days=days),
            of=(row["to_date"], np.nan),
        )
    ]
    profile = PROFILES[row["profile"]] if row["profile"] >= 0 else ""
    if np.isfinite(row["expected_share"]):
        rows.append(
            line(
                formats.say("Usually done by now"),
                formats.part(row["expected_share"]),
                profile_words(result, profile, formats),
                of=(row["expected_share"], np.nan),
            )
        )
    note = str(result.texts(result.of_measure(result.total_columns, measure), "note")[0])
    ranged = np.isfinite(row["low"])
    between = formats.say(_RANGE, low=amount(row["low"]), high=amount(row["high"])) if ranged else ""
    if not ranged or row["low"] != row["high"]:
        rows.append(
            line(
                column_words("estimate", formats),
                amount(row["estimate"]),
                "; ".join(filter(None, (between, note))),
                of=(row["estimate"], np.nan),
            )
        )
    if np.isfinite(row["typical_error"]) and not now.over[0]:
        rows.append(
            line(
                column_words("typical_error", formats),
                formats.part(row["typical_error"]),
                formats.say("of past estimates at this point"),
                of=(row["typical_error"], np.nan),
            )
        )
    whole = amount(row["change"], signed=True) if np.isfinite(row["change"]) else ""
    sign = marks.sign(DIRECTIONS[row["direction"]], VERDICTS[row["verdict"]])
    growth = marks.beside(sign, formats.growth(row["growth"])) if np.isfinite(row["growth"]) else ""
    against = capital(against_words(result, formats))
    of = row["base"], row["growth"]
    rows.append(line(against, amount(row["base"]), whole, growth, VERDICTS[row["verdict"]], of=of))
    needed = [(against_words(result, formats), float(row["base"]))]
    planned = _plan_line(result, measure, row, marks, formats, amount)
    if planned is not None:
        rows.append(planned)
        needed.append((formats.say("plan"), float(row["plan"])))
    for what, target in needed:
        if result.days_left and target > 0:
            rest = target - float(row["to_date"])
            told = formats.count(result.days_left, _ONE_DAY, _DAYS, what=what)
            told = told if rest > 0 else formats.say("{what} is reached already", what=what)
            needed_a_day = result.needed(target, float(row["to_date"]))
            of = needed_a_day, np.nan
            rows.append(line(column_words("needed_per_day", formats), amount(needed_a_day), told, of=of))
    return TableSpec(
        title=landing_subject(result, measure, formats),
        unit=unit(measure, formats),
        headings={
            "what": "",
            "value": capital(words(measure.name)),
            "growth": column_words("growth", formats),
            "note": "",
        },
        numeric=frozenset({"value", "growth"}),
        rows=tuple(rows),
        marks_after=marks.after,
        lines=_lines(result, measure, formats),
        firm=frozenset({"what"}),
    )


def _plan_line(
    result: Landing, measure: Measure, row: Mapping[str, Any], marks: Marks, formats: Formats, amount: Any
) -> Row | None:
    """The plan of the period beside the estimate; None where it is the base, or there is none."""
    if result.target is None or result.plan is not None:
        return None
    plan, gap = float(row["plan"]), float(row["plan_gap"])
    if not np.isfinite(gap) or plan <= 0:
        cells = {"what": column_words("plan", formats), "value": amount(plan), "note": amount(gap, signed=True)}
        return Row(cells, "", figures={"value": plan})
    moved, judged = result.against_plan(measure, float(row["estimate"]), plan)
    growth = marks.beside(marks.sign(moved, judged), formats.growth(gap / plan))
    return Row(
        {
            "what": column_words("plan", formats),
            "value": amount(plan),
            "growth": growth,
            "note": amount(gap, signed=True),
        },
        judged,
        figures={"value": plan, "growth": gap / plan},
    )


def _by_row(result: Landing, measure: Measure, formats: Formats, shown: Shown) -> TableSpec:
    """A row for each item and part; the sum of the items' own estimates beside the total's."""
    decimals = _decimals(result, measure, formats)
    marks = marks_of(result.judgings[measure.name], formats)
    periods = list(lines_of(result, measure, formats, shown))
    width = max((len(growth_of(line, formats)) for period in periods for line in period), default=1)
    rows: list[Row] = []
    for period in periods:
        made = [_row(result, line, decimals, formats, marks, width, starts=n == 0) for n, line in enumerate(period)]
        if result.by and result.parts is None and np.isfinite(result.summed_items[measure.name]):
            made.insert(-1, _sum_row(result, measure, decimals, formats))
        rows += made
    if result.parts is not None:
        rows.append(_whole_row(result, measure, decimals, formats, marks, width))
    filled = {name for row in rows for name, cell in row.cells.items() if cell and cell != formats.dash}
    parted = result.parts is not None
    headings = {
        **({"period": column_words("period", formats)} if parted else {}),
        **item_headings(result),
        **(
            {}
            if parted
            else {
                "to_date": column_words("to_date", formats),
                "expected_share": column_words("expected_share", formats),
            }
        ),
        "estimate": capital(words(measure.name)) if parted else column_words("estimate", formats),
        **({"status": ""} if parted else {}),
        **({} if parted else {name: column_words(name, formats) for name in ("low", "high", "typical_error")}),
        "base": base_heading(result, formats),
        "change": column_words("change", formats, planned=result.plan is not None),
        "growth": column_words("growth", formats, planned=result.plan is not None),
        **(
            {"plan": column_words("plan", formats), "plan_gap": column_words("plan_gap", formats)}
            if result.plan is None
            else {}
        ),
        **({} if parted else {"needed_per_day": column_words("needed_per_day", formats)}),
        "note": "",
    }
    return TableSpec(
        title=f"{_title(result, measure, formats)}{formats.dot}against {against_words(result, formats)}",
        unit=unit(measure, formats),
        headings={name: text for name, text in headings.items() if name in filled},
        numeric=frozenset({*_FIGURES, "expected_share", "typical_error", "growth"}),
        rows=tuple(rows),
        marks_after=marks.after,
        lines=_lines(result, measure, formats),
        firm=frozenset({"period", "status"}),
        dropped=tuple((name,) for name in _DROPPED) + (("low", "high"),),
    )


def _title(result: Landing, measure: Measure, formats: Formats) -> str:
    if result.parts is None:
        named = subject(result, measure, formats, split=True, when=landing_when(result, formats))
    else:
        each = period_word(result.calendar.word(result.parts.each), formats)
        named = subject(result.whole, measure, formats, split=True, when=landing_when(result, formats))
        named = formats.say("{subject}, {period} by {period}", subject=named, period=each)
    return formats.say("Landing of {subject}", subject=within_a_title(named, measure))


def _row(
    result: Landing, line: Line, decimals: int, formats: Formats, marks: Marks, width: int, *, starts: bool
) -> Row:
    table, i = line.columns, line.i
    status = table["status"][i]
    label = result.periods[int(table["period"][i])]
    cells = {
        "period": label if starts or not result.by else "",
        **item_cells(result, line),
        **{name: formats.number(table[name][i], decimals, signed=name in ("change", "plan_gap")) for name in _FIGURES},
        "expected_share": formats.part(table["expected_share"][i]),
        "typical_error": formats.part(table["typical_error"][i]),
        "growth": marks.cell(marks.sign(table["direction"][i], table["verdict"][i]), growth_of(line, formats), width),
        **({"needed_per_day": formats.say("reached")} if table["needed_per_day"][i] <= 0 else {}),
        "status": formats.say(_STATUS.get(status, status)),
        "note": table["note"][i],
    }
    figures = line.figures(*_FIGURES, "expected_share", "typical_error", "growth")
    return Row(
        cells,
        table["verdict"][i],
        line.total,
        starts and bool(result.by),
        line.depth,
        line.subtotal,
        figures=figures,
        source=line.source,
    )


def _sum_row(result: Landing, measure: Measure, decimals: int, formats: Formats) -> Row:
    """What the items' own estimates come to together: not the total's, which lands on its own."""
    named = words(result.by[0]) if len(result.by) == 1 else "item"
    what = formats.say("sum of the {items}", items=plural(named, formats.language) or formats.say("items"))
    first = next(iter(item_headings(result)))
    summed = result.summed_items[measure.name]
    return Row({first: what, "estimate": formats.number(summed, decimals)}, "", figures={"estimate": summed})


def _whole_row(result: Landing, measure: Measure, decimals: int, formats: Formats, marks: Marks, width: int) -> Row:
    """The whole period under its parts."""
    (line,) = next(lines_of(result.whole, measure, formats))[-1:]
    row = _row(result.whole, line, decimals, formats, marks, width, starts=True)
    cells = dict(row.cells) | {"period": result.period, "status": formats.say("estimated")}
    return replace(row, cells=cells, total=True, starts=False)
