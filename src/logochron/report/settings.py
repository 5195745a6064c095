"""What a report file may say: one model for each of its tables, checked by Pydantic."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, StrictBool, StrictFloat, StrictInt, StrictStr, model_validator

from logochron.core.options import (
    BandOn,
    Better,
    Color,
    Each,
    Empty,
    Gaps,
    Grain,
    Kept,
    LevelAs,
    Marked,
    MarkPlace,
    MarkSet,
    MarksOf,
    OnRefused,
    Partial,
    Per,
    PlanSpread,
    Rest,
    Spread,
    Weekday,
    Weeks,
    Within,
    YearEnds,
    YearNamed,
)

#: A number; true and false are none.
Number = StrictInt | StrictFloat
#: A day, as TOML writes it or as a text.
Day = dt.date | StrictStr
Names = StrictStr | list[StrictStr]
#: Items wanted of a column: one, several, or ``{not = ...}``.
Items = StrictStr | StrictInt | list[StrictStr | StrictInt] | dict[Literal["not"], Names]


class Table(BaseModel):
    """A table of a report file: keys that it does not have are refused."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class Sales(Table):
    """Where the sales are and how they are read; the reading options have the names that `read` gives them."""

    file: StrictStr | None = Field(None, description="A file or a glob, relative to the report file.")
    files: list[StrictStr] | None = Field(None, description="Several of them.")
    date: StrictStr | None = Field(None, description="The column of dates; found where only one can be meant.")
    values: Names = Field((), description="Columns of amounts, each a measure, where no [[measure]] is needed.")  # type: ignore[assignment]
    by: Names | dict[StrictStr, StrictStr] = Field((), description="Columns to split by, or {name = column}.")  # type: ignore[assignment]
    where: dict[StrictStr, Items] = Field(
        default_factory=dict, description='Rows wanted: {harbor = "Alderquay", channel = {not = "online"}}.'
    )
    covering: StrictStr | list[Day] | None = Field(
        None, description='Days the records are complete for: "FIRST..LAST".'
    )
    until: Day | None = Field(None, description="The report date; the last day in the records where left out.")
    tz: StrictStr | None = Field(None, description="Zone of the days of zoned timestamps.")
    records_of: Grain = Field("day", description="What each record stands for.")
    spread: Spread | None = Field(None, description="Lay records of longer periods evenly on their days.")
    periods_in_columns: Grain | None = Field(None, description="A wide table: one column a period of this grain.")
    day_first: StrictBool | None = Field(None, description="Whether 03/04/2026 is 3 April.")
    date_format: StrictStr | None = Field(None, description="Form of the dates, such as '%d %b %y'.")
    decimal: StrictStr | None = Field(None, description="Decimal mark of amounts.")
    thousands: StrictStr | None = Field(None, description="What parts thousands.")
    delimiter: StrictStr | None = Field(None, description="What parts the fields.")
    encoding: StrictStr | None = Field(None, description="Encoding of the text.")
    header_row: StrictInt | None = Field(None, description="Line of the header; 0: there is none.")
    sheet: StrictStr | None = Field(None, description="Sheet of a workbook.")
    empty: Empty = Field("refused", description="Whether an empty amount refuses its row.")
    on_refused: OnRefused = Field("stop", description="What refused rows do.")

    @model_validator(mode="after")
    def _one_source(self) -> Sales:
        if (self.file is None) == (self.files is None):
            raise ValueError('name one of `file` = "sales.csv" and `files` = [...]')
        return self


class MeasureTable(Table):
    """A measure: a sum, a count, a difference or a quotient."""

    name: StrictStr = Field(description="What it is called.")
    column: StrictStr | None = Field(None, description="The column it sums; the one called like it where left out.")
    of: StrictStr | None = Field(None, description="What a difference or quotient is taken of.")
    less: StrictStr | None = Field(None, description="`of` less this.")
    per: StrictStr | None = Field(None, description="`of` per this.")
    count: StrictBool = Field(False, description="Counts the records.")
    distinct: StrictStr | None = Field(None, description="Counts the different ids of a column.")
    where: dict[StrictStr, Items] | None = Field(None, description="Takes only part of the rows.")
    better: Better = Field("higher", description="Which direction is favorable.")
    unit: StrictStr | None = Field(None, description="The unit of its figures.")


class CalendarTable(Table):
    """What numbers the periods."""

    kind: Literal["civil", "retail", "listed"] = Field("civil", description="Months; whole weeks; a table of periods.")
    year_start: StrictInt | None = Field(None, description="civil: first month of the year.")
    week_start: Weekday | None = Field(None, description="civil: first weekday.")
    year_named: YearNamed | None = Field(None, description="Which civil year names a year.")
    pattern: list[StrictInt] | None = Field(None, description="retail: weeks in the periods of a quarter.")
    year_ends_on: Weekday | None = Field(None, description="retail: day a year ends on.")
    year_ends_in: StrictInt | None = Field(None, description="retail: month a year ends in.")
    year_ends: YearEnds | None = Field(None, description="retail: on that day nearest to its end, or last.")
    long_period: StrictInt | None = Field(None, description="retail: period of week 53.")
    file: StrictStr | None = Field(None, description="listed: the table of periods: start, end, label, year.")
    gaps: Gaps | None = Field(None, description="listed: days between its periods.")

    @model_validator(mode="after")
    def _of_its_kind(self) -> CalendarTable:
        wrong = [name for name in self.model_fields_set - {"kind"} if name not in CALENDAR_KEYS[self.kind]]
        if wrong:
            raise ValueError(f'`{sorted(wrong)[0]}` does not go with kind = "{self.kind}"')
        if self.kind == "listed" and self.file is None:
            raise ValueError('kind = "listed" needs `file`, the table of periods')
        return self


#: The keys of each kind of calendar.
CALENDAR_KEYS = {
    "civil": ("year_start", "week_start", "year_named"),
    "retail": ("pattern", "year_ends_on", "year_ends_in", "year_ends", "year_named", "long_period"),
    "listed": ("file", "gaps"),
}


class BandTable(Table):
    """A named interval."""

    name: StrictStr = Field(description="What it is called.")
    from_: Number | StrictStr | None = Field(None, alias="from", description='Its lower limit: 0.08, or "8%".')
    below: Number | StrictStr | None = Field(None, description="Its upper limit, not held.")
    verdict: LevelAs | None = Field(None, description="Its verdict, instead of the direction's.")
    advice: StrictStr = Field("", description="What to do about it.")
    mark: StrictStr | None = Field(None, description="A sign instead of the direction's.")


class JudgingTable(Table):
    """How a change is judged."""

    level_within: Number | StrictStr = Field(0, description='A change this small is level: 0.02, or "2%".')
    level_as: LevelAs = Field("neutral", description="Verdict of level.")
    on: BandOn = Field("growth", description="The figure bands are of.")
    marks: MarkSet | list[StrictStr] = Field("triangles", description="A set of marks, or four signs of your own.")
    marks_place: MarkPlace = Field("before", description="Where marks stand beside their figures.")
    marks_of: MarksOf | None = Field(None, description="What four signs of your own tell.")
    band: list[BandTable] = Field(default_factory=list, description="The bands: they leave no gap.")


class PlanTable(Table):
    """The plan. What is left out is found by the names that it shares with the sales."""

    file: StrictStr = Field(description="Its file, relative to the report file.")
    date: StrictStr | None = Field(None, description="The column of periods or of days in them.")
    value: StrictStr | None = Field(None, description="The column of planned amounts.")
    measure: StrictStr | None = Field(None, description="The measure that is planned.")
    by: Names | dict[StrictStr, StrictStr] = Field((), description="Columns to split by.")  # type: ignore[assignment]
    records_of: Grain = Field("month", description="What each of its records stands for.")
    spread: PlanSpread = Field("even", description="How it is laid on days.")

    @model_validator(mode="after")
    def _whole(self) -> PlanTable:
        named = {"value", "measure"} & self.model_fields_set
        if len(named) == 1 or ({"date", "by"} & self.model_fields_set and not named):
            raise ValueError("name `value` and `measure` together, with `date` and `by` as needed; or none of them")
        return self


class PageTable(Table):
    """How the report is written."""

    title: StrictStr | None = Field(None, description="The title; the name of the report file where left out.")
    locale: StrictStr = Field("en", description="How numbers, days and words are written.")
    currency: StrictStr | None = Field(None, description="The currency of amounts of money.")
    decimals: StrictInt | None = Field(None, description="Decimals of amounts in tables.")
    palette: dict[StrictStr, StrictStr] = Field(default_factory=dict, description="Colors by role, as #RRGGBB.")
    until: Day | None = Field(None, description="The report date, instead of that of [sales].")
    choices: list[StrictStr] | None = Field(None, description="The dimensions that can be chosen; all where left out.")
    restated: StrictBool = Field(True, description="Whether figures that changed since the last run are named.")


class SectionTable(Table):
    """One question under a heading. The options of the question stand beside these keys, by their names."""

    heading: StrictStr = Field(description="What it is called; no two alike.")
    question: Literal["compare", "relate", "drivers", "pace", "land", "review"] = Field(description="What is asked.")
    figure: StrictStr | StrictBool | None = Field(None, description="The figure; the one that suits where left out.")
    table: StrictBool = Field(True, description="Whether its table is shown.")
    words: StrictBool = Field(True, description="Whether its sentences are shown.")
    alerts: list[StrictStr] = Field(default_factory=list, description='Conditions, such as "growth < -10%".')
    panels: StrictStr | None = Field(None, description="A panel of the figure for each item of a dimension.")
    marked: Marked | None = Field(None, description="Which items of a figure bear marks.")
    color: Color | None = Field(None, description="Verdicts as color of the text of a table, or as fill.")


class _Asked(SectionTable):
    """What several questions take."""

    by: Names = Field((), description="Dimensions to split by.")  # type: ignore[assignment]
    measures: Names | None = Field(None, description="The measures; all where left out.")
    items: Kept = Field("all", description="comparable: totals of items open on both sides.")
    top: StrictInt | None = Field(None, description="The largest items; the rest as all others.")
    sort: StrictStr | None = Field(None, description="Order of items.")
    against: StrictStr = Field("year-ago", description="What periods are held against.")


class _OfPeriods(_Asked):
    """What questions about rows of periods take."""

    each: Each = Field("month", description="The grain of the rows.")
    running: StrictStr | StrictInt | None = Field(None, description="Add up from the start of a longer period, or N.")
    partial: Partial = Field("to-date", description="What is done with unfinished periods.")
    weeks: Weeks = Field("same-number", description="year-ago: the same week number, or 364 days earlier.")
    at: Day | None = Field(None, description="The period, or FIRST..LAST.")


class CompareSection(_OfPeriods):
    """How does each period stand against an earlier one?"""

    question: Literal["compare"]
    last: StrictInt | None = Field(None, description="Only so many periods.")
    per: Per | None = Field(None, description="Divide both sides by their days.")
    skip_closed: StrictBool = Field(False, description="prior days: the last ones that have records.")
    unusual: StrictBool = Field(False, description="Whether a growth leaves the limits of ordinary variation.")


class RelateSection(_OfPeriods):
    """How does each item stand beside the total, the largest, the mean or a named item?"""

    question: Literal["relate"]
    by: Names = Field(description="Dimensions whose items are held beside each other.")
    beside: StrictStr = Field("total", description="What items are held beside.")
    within: StrictStr | None = Field(None, description="Hold each item beside those of the same item of a dimension.")
    last: StrictInt | None = Field(None, description="Only so many periods.")


class DriversSection(_OfPeriods):
    """Which items moved the total?"""

    question: Literal["drivers"]
    by: Names = Field(description="Dimensions whose items moved the total.")
    quantity: StrictStr | None = Field(None, description="The measure of quantities: volume, mix and price.")


class PaceSection(_Asked):
    """How does the running total stand at this place?"""

    question: Literal["pace"]
    within: Within = Field("year", description="The period that is run through.")
    last: StrictInt | None = Field(None, description="Only so many periods.")
    exclude: Names = Field((), description="Periods that get no line and no rank.")  # type: ignore[assignment]


class LandSection(_Asked):
    """Where will the running period end?"""

    question: Literal["land"]
    within: Within = Field("month", description="The period that is to land.")
    profile: StrictStr = Field("best", description="Which share is usually done by now.")
    rest: Rest = Field("scaled", description="The rest of the period: scaled, or as it was in the base.")
    history: StrictInt = Field(12, description="Over how many periods the profile history is averaged.")
    each: Grain | None = Field(None, description="A row for each part.")
    at: Day | None = Field(None, description="The period, or a day in it.")


class ReviewSection(SectionTable):
    """What is in the records?"""

    question: Literal["review"]


AnySection = Annotated[
    CompareSection | RelateSection | DriversSection | PaceSection | LandSection | ReviewSection,
    Field(discriminator="question"),
]
#: The model of each question.
SECTIONS: Mapping[str, type[SectionTable]] = {
    "compare": CompareSection,
    "relate": RelateSection,
    "drivers": DriversSection,
    "pace": PaceSection,
    "land": LandSection,
    "review": ReviewSection,
}
#: Keys of a section that are no options of its question.
OF_SECTIONS = frozenset(SectionTable.model_fields)


class Settings(Table):
    """A whole report file."""

    sales: Sales
    measure: list[MeasureTable] = Field(default_factory=list)
    calendar: CalendarTable = CalendarTable()
    judging: JudgingTable = JudgingTable()
    plan: PlanTable | None = None
    page: PageTable = PageTable()
    section: list[AnySection] = Field(default_factory=list)


def options_of(section: SectionTable) -> dict[str, Any]:
    """The options of a section's question that the file gives."""
    return {name: getattr(section, name) for name in section.model_fields_set if name not in OF_SECTIONS}
