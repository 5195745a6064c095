"""The columns of all answers: one table of their kinds and headings. Which answer has which: `question_types`."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from pkgutil import resolve_name
from typing import Any, Literal, NamedTuple

from logochron.core import ports
from logochron.core.choices import DIRECTIONS, PROFILES, STATUSES, VERDICTS, check
from logochron.core.errors import QuestionError, no_such

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
        Column("window", "word", "Window"),
        Column("basis", "word", "Basis"),
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
        Column("base_rank", "days", "Rank before"),
        Column("cumulative_share", "part", "Cumulative share"),
        Column("growth_per_year", "change", "Growth a year"),
        Column("until", "day", "To date until"),
        Column("to_date", "amount", "To date"),
        Column("expected_share", "part", "Usual share by now"),
        Column("estimate", "amount", "Estimate"),
        Column("low", "amount", "Low"),
        Column("high", "amount", "High"),
        Column("typical_error", "part", "Typical error"),
        Column("profile", "word", "Profile", PROFILES),
        Column("plan", "amount", "Plan"),
        Column("plan_gap", "difference", "Variance"),
        Column("needed_per_day", "amount", "Required per day"),
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


#: Where the dimensions stand among an answer's columns.
DIMENSIONS = "*"
#: A function or class, or where it is: ``"module:name"``, loaded when it is first used.
Named = Callable[..., Any] | str
#: What a page does with an answer: ``periods``: a row a period, each of them can be chosen; ``period``: asked again of
#: the period that is chosen; ``day``: asked again as of its last day; ``rows``: so too, but for what
#: is picked by its rows; ``still``: the answer as it is.
PageWay = Literal["periods", "period", "day", "rows", "still"]
#: What can be chosen on a page besides period and items.
ChoiceKind = Literal["measure", "against", "grain", "window"]


class SheetFormulas(NamedTuple):
    """How the figures of a workbook follow from others.

    Attributes
    ----------
    rules
        By column what it follows from: ``("difference", of, less)``, ``("growth", change, base)``, ``("part", of,
        whole)``, ``("share", of)`` and ``("contribution", of, whole)`` of the total's, ``("effect",)``,
        ``("reference", value)``.
    added
        The columns whose subtotals and totals add up the items below them.
    locked
        Whether cells that figures rest on are locked where not all of those can follow.
    """

    rules: Mapping[str, tuple[str, ...]]
    added: tuple[str, ...] = ()
    locked: bool = False


@dataclass(frozen=True, kw_only=True, eq=False)
class QuestionType:
    """One question, and what is done with its answers.

    Attributes
    ----------
    name
        What it is called: the `kind` of its answers.
    function, answer
        What asks it, and the class of its answers.
    columns
        The columns of its answers, in order; `DIMENSIONS` stands for those of the user.
    at_will
        Those of `columns` that stand there only where they are asked for, each with the option that asks for it and
        what that is then.
    own
        Columns that no other question has.
    value
        The column that holds the figures of a measure.
    largest_first
        Whether the largest items that `top` takes stand first, whatever `sort` says.
    sorts
        By what rows may be sorted: columns, or ``label``.
    tables
        Gives the tables for people: takes an answer, formats and how much is shown.
    table_of_rows
        Gives the table of a measure of some periods from rows of a table of all: takes an answer, a measure, formats,
        the rows and their decimals. Where none is named, the rows of each part of an answer are made again.
    cards
        Gives the cards of its answers: takes an answer and formats.
    sparks
        Whether its answers can be shown with small lines of earlier periods.
    figures, suited
        The names of the figures that show it, the first one where none is named; or what chooses one.
    figure_is_table
        Whether its figure is its table, which a page does not show twice.
    sentences
        Gives the sentences of one measure: takes an answer, a measure, `at`, formats, how many items, `then`.
    led
        Whether an item may be told with what led it (`then`).
    picked_words
        Gives the sentences of some items of a whole; those of what is picked alone where there is none.
    fields
        The column of each amount of a template, where it is not the one of its name.
    needs_items
        Whether it is always split by items, so that one of them alone has no answer.
    page, weight
        What a page does with it, and how long one view takes beside one of a comparison.
    follows
        By what can be chosen on a page the option that it changes; what is not named there leaves the answer as it is.
    formulas
        Those of a workbook; values alone where None.
    restated
        The columns of value and base that are held against an earlier report; the base may be None.
    receipt, arithmetic
        Gives the receipt of a row of an aligned answer, and its lines of arithmetic.
    section
        The keys of a section of a report file, as a model; made from `function` where it is empty, none where None.
    of_answers
        Whether it is asked of answers, not of a book.
    targeted
        Whether a plan can be a target beside the base.
    """

    name: str
    columns: tuple[str, ...]
    function: Named = ""
    answer: Named = ""
    at_will: Mapping[str, tuple[str, Any]] = field(default_factory=dict)
    own: tuple[Column, ...] = ()
    value: str = "value"
    largest_first: bool = True
    sorts: tuple[str, ...] = ()
    tables: Named = "logochron.views.tables.answer_tables:plain_tables"
    table_of_rows: Named = ""
    cards: Named = ""
    sparks: bool = False
    figures: tuple[str, ...] = ()
    suited: Named = ""
    figure_is_table: bool = False
    sentences: Named = ""
    led: bool = False
    picked_words: Named = ""
    fields: Mapping[str, str] = field(default_factory=dict)
    needs_items: bool = False
    page: PageWay = "still"
    weight: int = 1
    follows: Mapping[ChoiceKind, str] = field(default_factory=dict)
    formulas: SheetFormulas | None = None
    restated: tuple[str, str | None] | None = None
    receipt: Named = "logochron.core.questions.explain:row_receipt"
    arithmetic: Named = "logochron.views.tables.receipt_table:plain_lines"
    section: Named | None = ""
    of_answers: bool = False
    targeted: bool = False

    def has_column(self, name: str) -> bool:
        """Whether its answers have a column by themselves; those that have not may have a dimension of that name.

        >>> question_type("compare").has_column("period"), question_type("drivers").has_column("period")
        (True, False)
        """
        return name != DIMENSIONS and name in self.columns

    def column(self, name: str) -> Column:
        """One of its columns; one that it does not have by itself is a dimension."""
        if not self.has_column(name):
            return Column(name, "label", name)
        return self._own.get(name) or COLUMNS[name]

    @property
    def of_book(self) -> bool:
        """Whether a book can be asked it: a function of this kind is a method of books too."""
        return bool(self.function) and not self.of_answers

    @cached_property
    def _own(self) -> Mapping[str, Column]:
        return {column.name: column for column in self.own}

    def holds(self, name: str) -> ColumnKind:
        """What a column of its answers holds."""
        return self.column(name).kind

    def named_columns(self, *, at_will: bool = True) -> tuple[str, ...]:
        """Its columns, but for the dimensions."""
        return tuple(n for n in self.columns if n != DIMENSIONS and (at_will or n not in self.at_will))

    def in_order(self, by: Iterable[str]) -> list[str]:
        """All columns of an answer that is split by some dimensions."""
        by = tuple(by)
        return [name for given in self.columns for name in (by if given == DIMENSIONS else (given,))]

    @property
    def sort_values(self) -> tuple[str, ...]:
        """What `sort` may be: each from the smallest up, and with a leading ``-`` from the largest down."""
        return tuple(sign + name for name in self.sorts for sign in ("", "-"))

    def column_named(self, text: str, also: Mapping[str, str] | None = None) -> str:
        """The column that a name or a heading means, whatever its case; the text itself where it means none.

        Parameters
        ----------
        also
            Further headings and the columns they stand for.

        >>> question_type("relate").column_named("Ratio change"), question_type("compare").column_named("variance %")
        ('ratio_change', 'growth')
        """
        known = [self.column(name) for name in self.named_columns()]
        names = {column.name for column in known}
        meant = {_folded(shown): n for shown, n in (also or {}).items() if n in names or n not in COLUMNS}
        meant |= {_folded(column.called(planned=True)): column.name for column in known}
        meant |= {_folded(column.heading): column.name for column in known}
        meant |= {_folded(column.name): column.name for column in known}
        return meant.get(_folded(text), text)

    def headings_of(self, by: Iterable[str], measures: Sequence[str]) -> dict[str, str]:
        """What headings of the user's own stand for: a dimension the labels of items, the only measure its figures."""
        own = measures if len(measures) == 1 else ()
        return {**dict.fromkeys(by, "label"), **dict.fromkeys(own, self.value), "value": self.value}

    def sort_named(self, text: str, also: Mapping[str, str]) -> str:
        """What `sort` is to be: a column or a heading, with a leading ``-`` from the largest down.

        Raises
        ------
        QuestionError
            Where the rows of the answer are not sorted by such.
        """
        if isinstance(text, str):
            named = "-" * text.startswith("-") + self.column_named(text.removeprefix("-"), also)
            text = named if named in self.sort_values else text  # what means nothing is told as it was written
        return check("sort", text, self.sort_values)

    def check_dimensions(self, by: Iterable[str], columns: Sequence[str] = ()) -> None:
        """Refuses dimensions that are called like a column of its answers.

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
            if self.has_column(name):
                column = columns[place] if columns else name
                raise QuestionError(
                    "`by`: a dimension may not be called {0!r} here, as the table has a column of that "
                    "name; read it under another: by={{'its_{0}': {1!r}}} (--by its_{0}={1})",
                    name,
                    column,
                )


_KNOWN: dict[str, QuestionType] = {}


def _known() -> dict[str, QuestionType]:
    """All rows, our own first."""
    ports.questions()
    return _KNOWN


def register(row: QuestionType) -> QuestionType:
    """Take a question in.

    Raises
    ------
    QuestionError
        Where another one is called so, or its answers are called otherwise.
    """
    if row.name in _known():
        raise QuestionError("there is a question {0!r} already: call yours otherwise", row.name)
    kind = getattr(row.answer, "kind", row.name)
    if kind != row.name:
        raise QuestionError("the answers of the question {0!r} must have kind = {0!r}; got {1!r}", row.name, kind)
    for name in row.named_columns():
        if name not in COLUMNS and name not in {column.name for column in row.own}:
            raise QuestionError(
                "question {0!r}: {1}; new ones are named in `own`", row.name, no_such("column", name, COLUMNS)
            )
    _KNOWN[row.name] = row
    return row


def question_type(name: str) -> QuestionType:
    """The row of a question."""
    return _KNOWN.get(name) or _known()[name]


def question_types() -> tuple[QuestionType, ...]:
    """All of them, in the order in which they were taken in."""
    return tuple(_known().values())


def loaded(what: Named) -> Callable[..., Any]:
    """What a row names."""
    thing: Callable[..., Any] = resolve_name(what) if isinstance(what, str) else what
    return thing


def _folded(text: str) -> str:
    return " ".join(re.split(r"[\s_-]+", text.casefold().strip()))
