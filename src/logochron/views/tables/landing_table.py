"""A landing as tables for people: where the period will end, how sure that is, what it takes to reach base and plan."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from logochron.core.book.measures import Measure
from logochron.core.choices import DIRECTIONS, PROFILES, VERDICTS
from logochron.core.questions.landing.answer import Landing
from logochron.views.catalog import message, plural
from logochron.views.formats import Formats, capital, words
from logochron.views.marks import Marks, marks_of
from logochron.views.tables.cells import ALL, Cell, CellKind, Row, Shown, TableColumn, TableSpec
from logochron.views.tables.item_rows import (
    FigureCells,
    Line,
    item_cells,
    item_columns,
    lines_of,
)
from logochron.views.words.movement import decimals_of
from logochron.views.words.question_words import (
    landing_sentence,
    landing_subject,
    landing_when,
    needed_sentences,
    plan_heading,
    plan_words,
    profile_words,
    unsure_sentence,
)
from logochron.views.words.titles import (
    against_words,
    base_heading,
    column_words,
    coverage_line,
    period_word,
    subject,
    unit,
    within_a_title,
)
from logochron.views.words.told import all_told, notes_told

_FIGURES = ("to_date", "expected_share", "estimate", "low", "high", "typical_error")
_BESIDE = ("base", "change", "plan", "plan_gap", "needed_per_day")
_RANGE = message("{low} to {high} in 80 % of past outcomes")
_ONE_DAY, _DAYS = message("to reach {what} in {n} day"), message("to reach {what} in {n} days")
_ONE_SELLING_DAY = message("to reach {what} in {n} selling day")
_SELLING_DAYS = message("to reach {what} in {n} selling days")
_STATUS = {"complete": message("done"), "to-date": message("partly estimated"), "estimated": message("estimated")}
#: What a narrow terminal goes without, one after the other.
_DROPPED = (
    *("note", "typical_error", "needed_per_day", "change", "plan", "plan_gap", "expected_share", "to_date", "base"),
)


def landing_tables(result: Landing, formats: Formats, shown: Shown = ALL) -> list[TableSpec]:
    """The landing of each measure: line by line, or a row for each item or part of the period."""
    if result.by or result.parts is not None:
        return [_by_row(result, measure, formats, shown) for measure in result.measures]
    return [_line_by_line(result, measure, formats) for measure in result.measures]


def _decimals(result: Landing, measure: Measure, formats: Formats) -> int:
    return decimals_of(result, measure, formats, ("to_date", "base"))


def _lines(result: Landing, measure: Measure, formats: Formats) -> tuple[str, ...]:
    """What stands below every table of a landing."""
    said = [unsure_sentence(result, measure, formats)]
    if result.parts is not None:
        said.insert(0, landing_sentence(result, measure, (), formats))
    return (*filter(None, said), *all_told(result.notes, formats), coverage_line(result, formats))


class _Lines:
    """The lines of one landing: each something that is to be known of it."""

    def __init__(self, formats: Formats, decimals: int, marks: Marks) -> None:
        self.formats, self.decimals, self.marks = formats, decimals, marks
        self.rows: list[Row] = []

    def amount(self, value: float, *, signed: bool = False) -> str:
        """An amount as people read it."""
        return self.formats.number(float(value), self.decimals, signed=signed)

    def add(
        self,
        what: str,
        value: float,
        note: str = "",
        *,
        kind: CellKind = "amount",
        growth: float | None = None,
        judged: tuple[str, str] = ("", ""),
    ) -> None:
        """One line; `judged`: direction and verdict of a growth."""
        text = self.formats.part(float(value)) if kind == "part" else self.amount(value)
        cells = {
            "what": Cell("text", what),
            "value": Cell(kind, text, float(value)),
            "growth": Cell("change", value=float("nan")),
            "note": Cell("note", note),
        }
        if growth is not None and np.isfinite(growth):
            mark = self.marks.sign(*judged)
            cells["growth"] = Cell("change", self.formats.growth(growth), float(growth), mark, judged[1])
        self.rows.append(Row(cells))


def _line_by_line(result: Landing, measure: Measure, formats: Formats) -> TableSpec:
    """One landing, a line for each thing to be known of it."""
    decimals = _decimals(result, measure, formats)
    block, place = result.block_of(measure)
    row = block.row(0, place)
    marks = marks_of(result.judgings[measure.name], formats)
    now, lines = result.now, _Lines(formats, decimals, marks)
    elapsed, days = int(now.elapsed[0]), int(now.days[0])
    until = formats.say("To date, {day}", day=formats.day(int(now.cuts[0]), year=False))
    lines.add(until, row["to_date"], formats.say("day {n} of {days}", n=elapsed, days=days))
    profile = PROFILES[row["profile"]] if row["profile"] >= 0 else ""
    if np.isfinite(row["expected_share"]):
        note_words = profile_words(result, profile, formats)
        lines.add(formats.say("Usual share by now"), row["expected_share"], note_words, kind="part")
    note = str(result.texts(result.of_measure(result.total_columns, measure), "note")[0])
    ranged = np.isfinite(row["low"])
    between = formats.say(_RANGE, low=lines.amount(row["low"]), high=lines.amount(row["high"])) if ranged else ""
    if not ranged or row["low"] != row["high"]:
        lines.add(column_words("estimate", formats), row["estimate"], "; ".join(filter(None, (between, note))))
    if np.isfinite(row["typical_error"]) and not now.over[0]:
        note_words = formats.say("of past estimates at this point")
        lines.add(column_words("typical_error", formats), row["typical_error"], note_words, kind="part")
    against = against_words(result, formats)
    judged = DIRECTIONS[row["direction"]], VERDICTS[row["verdict"]]
    whole = lines.amount(row["change"], signed=True) if np.isfinite(row["change"]) else ""
    lines.add(capital(against), row["base"], whole, growth=float(row["growth"]), judged=judged)
    needed = [(against, float(row["base"]))]
    if result.target is not None and result.plan is None:
        for name, plan in result.planned(measure).items():
            _add_plan(lines, result, measure, plan_heading(name, formats), plan, float(row["estimate"]))
            needed.append((plan_words(name, formats) if name else formats.say("plan"), plan))
    for what, target in needed:
        if result.days_left and target > 0:
            rest = target - float(row["to_date"])
            texts = (_ONE_DAY, _DAYS) if result.sold_daily else (_ONE_SELLING_DAY, _SELLING_DAYS)
            note_words = formats.count(result.days_left, *texts, what=what)
            note_words = note_words if rest > 0 else formats.say("{what} is reached already", what=what)
            lines.add(column_words("needed_per_day", formats), result.needed(target, float(row["to_date"])), note_words)
    return TableSpec(
        title=landing_subject(result, measure, formats),
        unit=unit(measure, formats),
        columns=(
            TableColumn("what", "", "text", firm=True),
            TableColumn("value", capital(words(measure.name)), "amount", decimals=decimals),
            TableColumn("growth", column_words("growth", formats), "change", marked=True),
            TableColumn("note", "", "note"),
        ),
        rows=tuple(lines.rows),
        marks_after=marks.after,
        marks_width=marks.width,
        lines=_lines(result, measure, formats),
    )


def _add_plan(lines: _Lines, result: Landing, measure: Measure, what: str, plan: float, estimate: float) -> None:
    """A plan of the period beside the estimate."""
    gap = estimate - plan
    text = lines.amount(gap, signed=True)
    if not np.isfinite(gap) or plan <= 0:
        lines.add(what, plan, text)
        return
    judged = result.against_plan(measure, estimate, plan)
    lines.add(what, plan, text, growth=gap / plan, judged=judged)


def _by_row(result: Landing, measure: Measure, formats: Formats, shown: Shown) -> TableSpec:
    """A row for each item and part; the sum of the items' own estimates beside the total's."""
    marks = marks_of(result.judgings[measure.name], formats)
    figures, items = FigureCells(result, formats, _decimals(result, measure, formats)), item_columns(result, formats)
    parted = result.parts is not None

    def row(of: Landing, line: Line, *, starts: bool) -> Row:
        return _row(of, line, figures, items, marks, starts=starts)

    rows: list[Row] = []
    for period in lines_of(result, measure, formats, shown):
        of_period = [row(result, line, starts=n == 0) for n, line in enumerate(period)]
        if result.by and not parted and np.isfinite(result.summed_items[measure.name]):
            of_period.insert(-1, _sum_row(result, measure, figures, items))
        rows += of_period
    if parted:
        rows.append(_whole_row(result, measure, formats, row))
    filled = {
        name for row in rows for name, cell in row.cells.items() if cell.mark or cell.text not in ("", formats.dash)
    }
    columns = _columns(result, measure, figures, items, parted=parted)
    return TableSpec(
        title=f"{_title(result, measure, formats)}{formats.dot}against {against_words(result, formats)}",
        unit=unit(measure, formats),
        columns=tuple(column for column in columns if column.name in filled),
        rows=tuple(rows),
        marks_after=marks.after,
        marks_width=marks.width,
        lines=(*_further_plans(result, measure, formats), *_lines(result, measure, formats)),
        dropped=tuple((name,) for name in _DROPPED) + (("low", "high"),),
    )


def _columns(
    result: Landing, measure: Measure, figures: FigureCells, items: list[TableColumn], *, parted: bool
) -> list[TableColumn]:
    formats = figures.formats
    days = [TableColumn(name, column_words(name, formats), "day", form="sheet") for name in ("start", "end")]
    first: list[TableColumn] = []
    estimate = [figures.column(name) for name in _FIGURES]
    if parted:
        first = [TableColumn("period", column_words("period", formats), "period", firm=True), *days]
        estimate = [
            figures.column("estimate", capital(words(measure.name))), TableColumn("status", "", "text", firm=True)
        ]  # fmt: skip
    return [
        *first,
        *items,
        *estimate,
        figures.column("base", base_heading(result, formats)),
        figures.column("change"),
        figures.column("growth", marked=True),
        *([_plan_column(result, figures), figures.column("plan_gap")] if result.plan is None else []),
        *([] if parted else [figures.column("needed_per_day")]),
        TableColumn("note", "", "note"),
    ]


def _further_plans(result: Landing, measure: Measure, formats: Formats) -> list[str]:
    """What plans but the first take, which has a column."""
    plans = list(result.planned(measure).items())[1:]
    targets = {plan_words(name, formats): plan for name, plan in plans if np.isfinite(plan)}
    return needed_sentences(result, measure, targets, formats)


def _plan_column(result: Landing, figures: FigureCells) -> TableColumn:
    """The column of the plan, the first of several."""
    name = result.first_target
    return figures.column("plan", plan_heading(name, figures.formats) if name else None)


def _title(result: Landing, measure: Measure, formats: Formats) -> str:
    if result.parts is None:
        named = subject(result, measure, formats, split=True, when=landing_when(result, formats))
    else:
        each = period_word(result.calendar.word(result.parts.each), formats)
        named = subject(result.whole, measure, formats, split=True, when=landing_when(result, formats))
        named = formats.say("{subject}, {period} by {period}", subject=named, period=each)
    return formats.say("Landing of {subject}", subject=within_a_title(named, measure))


def _row(
    result: Landing, line: Line, figures: FigureCells, items: list[TableColumn], marks: Marks, *, starts: bool
) -> Row:
    formats, status = figures.formats, line.of("status")
    label = result.periods[int(line.of("period"))]
    cells = {
        "period": Cell("period", label if starts or not result.by else ""),
        **{name: Cell("day", str(line.of(name)), _day(line.of(name))) for name in ("start", "end")},
        **item_cells(items, line),
        **figures.cells(line, (*_FIGURES, *_BESIDE)),
        "growth": figures.judged(line, marks),
        "status": Cell("text", formats.say(_STATUS.get(status, status))),
        "note": Cell("note", notes_told(line.of("notes"), formats)),
    }
    if line.of("needed_per_day") <= 0:
        cells["needed_per_day"] = cells["needed_per_day"]._replace(text=formats.say("reached"))
    return line.row(cells, starts=starts and bool(result.by))


def _day(day: np.datetime64) -> float:
    return float(day.astype("datetime64[D]").astype(np.int64))


def _sum_row(result: Landing, measure: Measure, figures: FigureCells, items: list[TableColumn]) -> Row:
    """What the items' own estimates come to together: not the total's, which lands on its own."""
    formats = figures.formats
    named = words(result.by[0]) if len(result.by) == 1 else "item"
    what = formats.say("sum of the {items}", items=plural(named, formats.language) or formats.say("items"))
    summed = result.summed_items[measure.name]
    estimate = Cell("amount", formats.number(summed, figures.decimals), summed)
    return Row({items[0].name: Cell("item", what), "estimate": estimate})


def _whole_row(result: Landing, measure: Measure, formats: Formats, row: Callable[..., Row]) -> Row:
    """The whole period under its parts."""
    (line,) = next(lines_of(result.whole, measure, formats))[-1:]
    first = row(result.whole, line, starts=True)
    cells = {
        **first.cells,
        "period": Cell("period", result.period),
        "status": Cell("text", formats.say("estimated")),
    }
    return replace(first, cells=cells, total=True, starts=False)
