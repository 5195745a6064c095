"""The columns of all answers: one table of their kinds and headings, and the order in which each answer has them."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from typing import Literal, NamedTuple

from logochron.core.errors import QuestionError
from logochron.core.options import DIRECTIONS, PROFILES, STATUSES, VERDICTS, check

#: What a column holds. ``label``: a name of the user's or the calendar's; ``word``: one of a few words, or of the
#: answer's own (bands, notes); ``day``: a date; ``days``: a whole number that may be unknown; ``count``: one that is
#: known; ``amount``: a figure in the measure's unit; ``part``: of a whole; ``change``: a signed part; ``truth``: True,
#: False or unknown; ``text``: anything else.
ColumnKind = Literal["label", "period", "word", "day", "days", "count", "amount", "part", "change", "truth", "text"]
#: Where the dimensions stand among an answer's columns.
DIMENSIONS = "*"


class Column(NamedTuple):
    """One column: its name, what it holds, how people call it, the answers that have it, its words if they are few."""

    name: str
    kind: ColumnKind
    heading: str
    answers: frozenset[str]
    words: tuple[str, ...] = ()

    @property
    def is_figure(self) -> bool:
        """Whether it holds numbers that may be unknown."""
        return self.kind in ("days", "amount", "part", "change")


_COMPARE = (
    *("measure", "period", "start", "end", "days", DIMENSIONS),
    *("value", "base_period", "base_start", "base_end", "base_days", "base", "change", "growth", "ratio"),
    *("share", "base_share", "direction", "verdict", "band", "status", "note"),
)
#: The columns of `unusual=True`.
UNUSUAL = ("usual_low", "usual_high", "unusual")
#: The columns of each answer, in order.
ORDER: dict[str, tuple[str, ...]] = {
    "compare": (*_COMPARE, *UNUSUAL),
    "relate": (
        *("measure", "period", "start", "end", "days", DIMENSIONS),
        *("value", "reference_item", "reference", "gap", "ratio", "ratio_before", "ratio_change", "direction"),
        *("status", "note"),
    ),
    "drivers": (
        *("measure", DIMENSIONS),
        *("value", "base", "change", "growth", "contribution", "quantity", "base_quantity", "volume", "mix", "price"),
        *("direction", "verdict", "note"),
    ),
    "pace": (
        *("measure", "period", DIMENSIONS, "position", "day", "running", "base_day", "base", "gap", "growth", "status"),
    ),
    "standing": ("period", "position", "running", "rank"),
    "land": (
        *("measure", "period", DIMENSIONS, "start", "end", "until", "to_date", "expected_share", "estimate"),
        *("low", "high", "typical_error", "profile", "base", "change", "growth", "direction", "verdict"),
        *("plan", "plan_gap", "needed_per_day", "status", "note"),
    ),
    "backtest": ("period", "elapsed", "profile", "estimate", "outcome", "error"),
    "path": ("level", "dimension", "item", "change", "contribution"),
    "totals": ("measure", "period", "start", "end", DIMENSIONS, "value"),
    "explain": ("side", "start", "end", "days", "weekend_days", "records", "sum"),
    "review": ("finding", "column", "first", "last", "count", "example", "effect"),
    "calendar": ("period", "start", "end", "year", "number", "days"),
    "restated": ("measure", "period", DIMENSIONS, "column", "reported", "now", "difference", "note"),
}
#: By what the rows of each answer may be sorted: a column, or the labels of items.
_SORTS = {
    "compare": ("value", "growth", "change", "label"),
    "relate": ("value", "label", "ratio", "gap", "ratio_change"),
    "drivers": ("value", "growth", "change", "label"),
    "pace": ("running", "growth", "gap", "label"),
    "land": ("estimate", "growth", "change", "to_date", "label"),
}
#: The column of an answer that holds the figures of a measure.
_VALUE = {"pace": "running", "land": "estimate"}
#: How a change and a growth are called against a plan.
_PLANNED = {"change": "Variance", "gap": "Variance", "growth": "Variance %"}
_HELD = {name: frozenset(answer for answer, names in ORDER.items() if name in names) for name in
         dict.fromkeys(name for names in ORDER.values() for name in names)}  # fmt: skip


def _column(name: str, kind: ColumnKind, heading: str, words: tuple[str, ...] = ()) -> Column:
    return Column(name, kind, heading, _HELD[name], words)


COLUMNS: dict[str, Column] = {
    column.name: column
    for column in (
        _column("measure", "label", "Measure"),
        _column("period", "period", "Period"),
        _column("start", "day", "First day"),
        _column("end", "day", "Last day"),
        _column("days", "days", "Days"),
        _column("value", "amount", "Value"),
        _column("base_period", "label", "Base period"),
        _column("base_start", "day", "First day of the base"),
        _column("base_end", "day", "Last day of the base"),
        _column("base_days", "days", "Days of the base"),
        _column("base", "amount", "Base"),
        _column("change", "amount", "Change"),
        _column("growth", "change", "Growth"),
        _column("ratio", "part", "Ratio"),
        _column("share", "part", "Share"),
        _column("base_share", "part", "Share of the base"),
        _column("reference_item", "label", "Reference item"),
        _column("reference", "amount", "Reference"),
        _column("gap", "amount", "Gap"),
        _column("ratio_before", "part", "Ratio before"),
        _column("ratio_change", "change", "Ratio change"),
        _column("contribution", "change", "Contribution"),
        _column("quantity", "amount", "Quantity"),
        _column("base_quantity", "amount", "Quantity of the base"),
        _column("volume", "amount", "Volume"),
        _column("mix", "amount", "Mix"),
        _column("price", "amount", "Price"),
        _column("position", "count", "Position"),
        _column("day", "day", "Day"),
        _column("running", "amount", "Running total"),
        _column("base_day", "day", "Day of the base"),
        _column("rank", "count", "Rank"),
        _column("until", "day", "To date until"),
        _column("to_date", "amount", "To date"),
        _column("expected_share", "part", "Usually done"),
        _column("estimate", "amount", "Estimate"),
        _column("low", "amount", "Low"),
        _column("high", "amount", "High"),
        _column("typical_error", "part", "Typical error"),
        _column("profile", "word", "Profile", PROFILES),
        _column("plan", "amount", "Plan"),
        _column("plan_gap", "amount", "Variance"),
        _column("needed_per_day", "amount", "Needed a day"),
        _column("elapsed", "part", "Elapsed"),
        _column("outcome", "amount", "Outcome"),
        _column("error", "change", "Error"),
        _column("direction", "word", "Direction", DIRECTIONS),
        _column("verdict", "word", "Verdict", VERDICTS),
        _column("band", "word", "Band"),
        _column("status", "word", "Status", STATUSES),
        _column("note", "word", "Note"),
        _column("usual_low", "change", "Ordinary from"),
        _column("usual_high", "change", "Ordinary to"),
        _column("unusual", "truth", "Unusual", ("true", "false")),
        _column("level", "count", "Step"),
        _column("dimension", "text", "Dimension"),
        _column("item", "text", "Item"),
        _column("side", "text", "Side"),
        _column("weekend_days", "count", "Weekend days"),
        _column("records", "count", "Records"),
        _column("sum", "amount", "Sum"),
        _column("finding", "text", "Finding"),
        _column("column", "text", "Column"),
        _column("first", "day", "First"),
        _column("last", "day", "Last"),
        _column("count", "count", "Count"),
        _column("example", "text", "Example"),
        _column("effect", "text", "What it does"),
        _column("reported", "amount", "Reported"),
        _column("now", "amount", "Now"),
        _column("difference", "amount", "Difference"),
        _column("year", "count", "Year"),
        _column("number", "count", "Number"),
    )
}


def columns_of(answer: str, *, unusual: bool = True) -> tuple[str, ...]:
    """The columns of an answer, but for its dimensions."""
    return tuple(name for name in ORDER[answer] if name != DIMENSIONS and (unusual or name not in UNUSUAL))


def sorts_of(answer: str) -> tuple[str, ...]:
    """What `sort` may be for an answer: each from the smallest up, and with a leading ``-`` from the largest down."""
    return tuple(sign + name for name in _SORTS[answer] for sign in ("", "-"))


def heading(name: str, *, planned: bool = False) -> str:
    """How people call a column; `planned`: in an answer against a plan.

    >>> heading("change"), heading("change", planned=True)
    ('Change', 'Variance')
    """
    return _PLANNED[name] if planned and name in _PLANNED else COLUMNS[name].heading


def column_named(answer: str, text: str, also: Mapping[str, str] | None = None) -> str:
    """The column of an answer that a name or a heading means, whatever its case; the text itself where it means none.

    Parameters
    ----------
    also
        Further headings and the columns they stand for.

    >>> column_named("relate", "Ratio change"), column_named("compare", "variance %"), column_named("compare", "size")
    ('ratio_change', 'growth', 'size')
    """
    known = [name for name in ORDER[answer] if name != DIMENSIONS]
    meant = {_folded(shown): name for shown, name in (also or {}).items() if name in known or name not in COLUMNS}
    meant |= {_folded(shown): name for name, shown in _PLANNED.items() if name in known}
    meant |= {_folded(COLUMNS[name].heading): name for name in known} | {_folded(name): name for name in known}
    return meant.get(_folded(text), text)


def _folded(text: str) -> str:
    return " ".join(re.split(r"[\s_-]+", text.casefold().strip()))


def headings_of(answer: str, by: Iterable[str], measures: Sequence[str]) -> dict[str, str]:
    """What headings of the user's own stand for: a dimension the labels of items, the only measure its figures."""
    value = _VALUE.get(answer, "value")
    own = measures if len(measures) == 1 else ()
    return {**dict.fromkeys(by, "label"), **dict.fromkeys(own, value), "value": value}


def sort_named(answer: str, text: str, also: Mapping[str, str]) -> str:
    """What `sort` is to be: a column or a heading, with a leading ``-`` from the largest down.

    Raises
    ------
    QuestionError
        Where the rows of the answer are not sorted by such.
    """
    allowed = sorts_of(answer)
    if isinstance(text, str):
        named = "-" * text.startswith("-") + column_named(answer, text.removeprefix("-"), also)
        text = named if named in allowed else text  # what means nothing is told as it was written
    return check("sort", text, allowed)


def has_column(answer: str, name: str) -> bool:
    """Whether an answer has a column by itself; one that has not may have a dimension of that name.

    >>> has_column("compare", "period"), has_column("drivers", "period")
    (True, False)
    """
    return name in ORDER.get(answer, ())


def kind_of(answer: str, name: str) -> ColumnKind:
    """What a column of an answer holds; one that the answer does not have by itself is a dimension."""
    return COLUMNS[name].kind if has_column(answer, name) else "label"


def check_dimensions(answer: str, by: Iterable[str], columns: Sequence[str] = ()) -> None:
    """Refuses dimensions that are called like a column of the answer.

    Parameters
    ----------
    columns
        The columns of the source that the dimensions are of, where they are known.

    Raises
    ------
    QuestionError
        With the new name to give.
    """
    for place, name in enumerate(by):
        if name in ORDER[answer]:
            column = columns[place] if columns else name
            raise QuestionError(
                f"`by`: a dimension may not be called {name!r} here, as the table has a column of that name; read it "
                f"under another: by={{'its_{name}': {column!r}}} (--by its_{name}={column})"
            )
