"""The columns of all answers: one table of their kinds and headings. Which answer has which: `question_types`."""

from __future__ import annotations

from typing import Literal, NamedTuple

from logochron.core.options import DIRECTIONS, PROFILES, STATUSES, VERDICTS

#: What a column holds. ``label``: a name of the user's or the calendar's; ``word``: one of a few words, or of the
#: answer's own (bands, notes); ``day``: a date; ``days``: a whole number that may be unknown; ``count``: one that is
#: known; ``amount``: a figure in the measure's unit; ``difference``: one that bears its sign; ``part``: of a whole;
#: ``change``: a signed part; ``points``: a difference of parts, in percentage points; ``truth``: True, False or
#: unknown; ``text``: anything else.
ColumnKind = Literal[
    "label",
    "period",
    "word",
    "day",
    "days",
    "count",
    "amount",
    "difference",
    "part",
    "change",
    "points",
    "truth",
    "text",
]
#: Kinds of figures that may be unknown.
FIGURES = ("days", "amount", "difference", "part", "change", "points")
#: How a change and a growth are called against a plan.
_PLANNED = {"change": "Variance", "gap": "Variance", "growth": "Variance %"}


class Column(NamedTuple):
    """One column: its name, what it holds, how people call it, its words if they are few."""

    name: str
    kind: ColumnKind
    heading: str
    words: tuple[str, ...] = ()

    @property
    def is_figure(self) -> bool:
        """Whether it holds numbers that may be unknown."""
        return self.kind in FIGURES

    def called(self, *, planned: bool = False) -> str:
        """How people call it; `planned`: in an answer against a plan.

        >>> COLUMNS["change"].called(), COLUMNS["change"].called(planned=True)
        ('Change', 'Variance')
        """
        return _PLANNED.get(self.name, self.heading) if planned else self.heading


COLUMNS: dict[str, Column] = {
    column.name: column
    for column in (
        Column("measure", "label", "Measure"),
        Column("period", "period", "Period"),
        Column("start", "day", "First day"),
        Column("end", "day", "Last day"),
        Column("days", "days", "Days"),
        Column("value", "amount", "Value"),
        Column("base_period", "label", "Base period"),
        Column("base_start", "day", "First day of the base"),
        Column("base_end", "day", "Last day of the base"),
        Column("base_days", "days", "Days of the base"),
        Column("base", "amount", "Base"),
        Column("change", "difference", "Change"),
        Column("growth", "change", "Growth"),
        Column("ratio", "part", "Ratio"),
        Column("share", "part", "Share"),
        Column("base_share", "part", "Share of the base"),
        Column("reference_item", "label", "Reference item"),
        Column("reference", "amount", "Reference"),
        Column("gap", "difference", "Gap"),
        Column("ratio_before", "part", "Ratio before"),
        Column("ratio_change", "points", "Ratio change"),
        Column("contribution", "points", "Contribution"),
        Column("quantity", "amount", "Quantity"),
        Column("base_quantity", "amount", "Quantity of the base"),
        Column("volume", "difference", "Volume"),
        Column("mix", "difference", "Mix"),
        Column("price", "difference", "Price"),
        Column("position", "count", "Position"),
        Column("day", "day", "Day"),
        Column("running", "amount", "Running total"),
        Column("base_day", "day", "Day of the base"),
        Column("rank", "count", "Rank"),
        Column("until", "day", "To date until"),
        Column("to_date", "amount", "To date"),
        Column("expected_share", "part", "Usually done"),
        Column("estimate", "amount", "Estimate"),
        Column("low", "amount", "Low"),
        Column("high", "amount", "High"),
        Column("typical_error", "part", "Typical error"),
        Column("profile", "word", "Profile", PROFILES),
        Column("plan", "amount", "Plan"),
        Column("plan_gap", "difference", "Variance"),
        Column("needed_per_day", "amount", "Needed a day"),
        Column("elapsed", "part", "Elapsed"),
        Column("outcome", "amount", "Outcome"),
        Column("error", "change", "Error"),
        Column("direction", "word", "Direction", DIRECTIONS),
        Column("verdict", "word", "Verdict", VERDICTS),
        Column("band", "word", "Band"),
        Column("status", "word", "Status", STATUSES),
        Column("note", "word", "Note"),
        Column("usual_low", "change", "Ordinary from"),
        Column("usual_high", "change", "Ordinary to"),
        Column("unusual", "truth", "Unusual", ("true", "false")),
        Column("level", "count", "Step"),
        Column("dimension", "text", "Dimension"),
        Column("item", "text", "Item"),
        Column("side", "text", "Side"),
        Column("weekend_days", "count", "Weekend days"),
        Column("records", "count", "Records"),
        Column("sum", "amount", "Sum"),
        Column("finding", "text", "Finding"),
        Column("column", "text", "Column"),
        Column("first", "day", "First"),
        Column("last", "day", "Last"),
        Column("count", "count", "Count"),
        Column("example", "text", "Example"),
        Column("effect", "text", "What it does"),
        Column("reported", "amount", "Reported"),
        Column("now", "amount", "Now"),
        Column("difference", "difference", "Difference"),
        Column("year", "count", "Year"),
        Column("number", "count", "Number"),
    )
}
