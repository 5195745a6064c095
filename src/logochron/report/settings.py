"""What a report file may say: one model for each of its tables, checked by Pydantic."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from inspect import signature
from typing import Annotated, Any, Literal, Union

from pydantic import (
    BaseModel,
    ConfigDict,
    Field,
    StrictBool,
    StrictFloat,
    StrictInt,
    StrictStr,
    create_model,
    model_validator,
)

from logochron.core.options import (
    BandOn,
    Better,
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
from logochron.core.rows.question_types import QuestionType, loaded, question_types

#: A number; true and false are none.
Number = StrictInt | StrictFloat
#: A day, as TOML writes it or as a text.
Day = dt.date | StrictStr
Names = StrictStr | list[StrictStr]
#: Items wanted of a column: one, several, or ``{not = ...}``.
WantedItems = StrictStr | StrictInt | list[StrictStr | StrictInt] | dict[Literal["not"], Names]


def _key(default: Any, said: str, **more: Any) -> Any:
    """A key that may be left out, and what it says."""
    return Field(default=default, description=said, **more)


def _made(factory: Callable[[], Any], said: str) -> Any:
    """A key that is a table or a list of its own where it is left out."""
    return Field(default_factory=factory, description=said)


class KeyTable(BaseModel):
    """A table of a report file: keys that it does not have are refused."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class Sales(KeyTable):
    """Where the sales are and how they are read; the reading options have the names that `read` gives them."""

    file: StrictStr | None = _key(None, "A file or a glob, relative to the report file.")
    files: list[StrictStr] | None = _key(None, "Several of them.")
    address: StrictStr | None = _key(
        None, 'The address of a database; "$NAME": what this environment variable holds, so that no password lies here.'
    )
    date: StrictStr | None = _key(None, "The column of dates; found where only one can be meant.")
    values: Names = _key((), "Columns of amounts, each a measure, where no [[measure]] is needed.")
    by: Names | dict[StrictStr, StrictStr] = _key((), "Columns to split by, or {name = column}.")
    where: dict[StrictStr, WantedItems] = _made(
        dict, 'Rows wanted: {harbor = "Alderquay", channel = {not = "online"}}.'
    )
    covering: StrictStr | list[Day] | None = _key(None, 'Days the records are complete for: "FIRST..LAST".')
    until: Day | None = _key(None, "The report date; the last day in the records where left out.")
    tz: StrictStr | None = _key(None, "Zone of the days of zoned timestamps.")
    records_of: Grain = _key("day", "What each record stands for.")
    spread: Spread | None = _key(None, "Lay records of longer periods evenly on their days.")
    periods_in_columns: Grain | None = _key(None, "A wide table: one column a period of this grain.")
    day_first: StrictBool | None = _key(None, "Whether 03/04/2026 is 3 April.")
    date_format: StrictStr | None = _key(None, "Form of the dates, such as '%d %b %y'.")
    decimal: StrictStr | None = _key(None, "Decimal mark of amounts.")
    thousands: StrictStr | None = _key(None, "What parts thousands.")
    delimiter: StrictStr | None = _key(None, "What parts the fields.")
    encoding: StrictStr | None = _key(None, "Encoding of the text.")
    header_row: StrictInt | None = _key(None, "Line of the header; 0: there is none.")
    sheet: StrictStr | None = _key(None, "Sheet of a workbook.")
    table: StrictStr | None = _key(None, "Of a database: the table to read.")
    query: StrictStr | None = _key(None, "Of a database: a query of your own.")
    empty: Empty = _key("refused", "Whether an empty amount refuses its row.")
    on_refused: OnRefused = _key("stop", "What refused rows do.")

    @model_validator(mode="after")
    def _one_source(self) -> Sales:
        if [self.file, self.files, self.address].count(None) != 2:
            raise ValueError('name one of `file` = "sales.csv", `files` = [...] and `address` = "sqlite:///sales.db"')
        if self.address is not None and (self.table is None) == (self.query is None):
            raise ValueError("name one of `table` and `query` beside `address`")
        if self.address is None and (self.table is not None or self.query is not None):
            raise ValueError("`table` and `query` go with `address`")
        return self


class MeasureTable(KeyTable):
    """A measure: a sum, a count, a difference or a quotient."""

    name: StrictStr = Field(description="What it is called.")
    column: StrictStr | None = _key(None, "The column it sums; the one called like it where left out.")
    of: StrictStr | None = _key(None, "What a difference or quotient is taken of.")
    less: StrictStr | None = _key(None, "`of` less this.")
    per: StrictStr | None = _key(None, "`of` per this.")
    count: StrictBool = _key(False, "Counts the records.")
    distinct: StrictStr | None = _key(None, "Counts the different ids of a column.")
    where: dict[StrictStr, WantedItems] | None = _key(None, "Takes only part of the rows.")
    better: Better = _key("higher", "Which direction is favorable.")
    unit: StrictStr | None = _key(None, "The unit of its figures.")


class CalendarTable(KeyTable):
    """What numbers the periods."""

    kind: Literal["civil", "retail", "listed"] = _key("civil", "Months; whole weeks; a table of periods.")
    year_start: StrictInt | None = _key(None, "civil: first month of the year.")
    week_start: Weekday | None = _key(None, "civil: first weekday.")
    year_named: YearNamed | None = _key(None, "Which civil year names a year.")
    pattern: list[StrictInt] | None = _key(None, "retail: weeks in the periods of a quarter.")
    year_ends_on: Weekday | None = _key(None, "retail: day a year ends on.")
    year_ends_in: StrictInt | None = _key(None, "retail: month a year ends in.")
    year_ends: YearEnds | None = _key(None, "retail: on that day nearest to its end, or last.")
    long_period: StrictInt | None = _key(None, "retail: period of week 53.")
    file: StrictStr | None = _key(None, "listed: the table of periods: start, end, label, year.")
    gaps: Gaps | None = _key(None, "listed: days between its periods.")

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


class BandTable(KeyTable):
    """A named interval."""

    name: StrictStr = Field(description="What it is called.")
    from_: Number | StrictStr | None = _key(None, 'Its lower limit: 0.08, or "8%".', alias="from")
    below: Number | StrictStr | None = _key(None, "Its upper limit, not held.")
    verdict: LevelAs | None = _key(None, "Its verdict, instead of the direction's.")
    advice: StrictStr = _key("", "What to do about it.")
    mark: StrictStr | None = _key(None, "A sign instead of the direction's.")


class JudgingTable(KeyTable):
    """How a change is judged."""

    level_within: Number | StrictStr = _key(0, 'A change this small is level: 0.02, or "2%".')
    level_as: LevelAs = _key("neutral", "Verdict of level.")
    on: BandOn = _key("growth", "The figure bands are of.")
    marks: MarkSet | list[StrictStr] = _key("triangles", "A set of marks, or four signs of your own.")
    marks_place: MarkPlace = _key("before", "Where marks stand beside their figures.")
    marks_of: MarksOf | None = _key(None, "What four signs of your own tell.")
    band: list[BandTable] = _made(list, "The bands: they leave no gap.")


class PlanTable(KeyTable):
    """The plan. What is left out is found by the names that it shares with the sales."""

    file: StrictStr = Field(description="Its file, relative to the report file.")
    date: StrictStr | None = _key(None, "The column of periods or of days in them.")
    value: StrictStr | None = _key(None, "The column of planned amounts.")
    measure: StrictStr | None = _key(None, "The measure that is planned.")
    by: Names | dict[StrictStr, StrictStr] = _key((), "Columns to split by.")
    records_of: Grain = _key("month", "What each of its records stands for.")
    spread: PlanSpread = _key("even", "How it is laid on days.")

    @model_validator(mode="after")
    def _whole(self) -> PlanTable:
        named = {"value", "measure"} & self.model_fields_set
        if len(named) == 1 or ({"date", "by"} & self.model_fields_set and not named):
            raise ValueError("name `value` and `measure` together, with `date` and `by` as needed; or none of them")
        return self


class PageTable(KeyTable):
    """How the report is written."""

    title: StrictStr | None = _key(None, "The title; the name of the report file where left out.")
    locale: StrictStr = _key("en", "How numbers, days and words are written.")
    currency: StrictStr | None = _key(None, "The currency of amounts of money.")
    decimals: StrictInt | None = _key(None, "Decimals of amounts in tables.")
    palette: dict[StrictStr, StrictStr] = _made(dict, "Colors by role, as #RRGGBB.")
    until: Day | None = _key(None, "The report date, instead of that of [sales].")
    choices: list[StrictStr] | None = _key(None, "The dimensions that can be chosen; all where left out.")
    spreadsheet_safe: StrictBool = _key(False, "csv: an apostrophe before texts that a spreadsheet takes for formulas.")
    restated: StrictBool = _key(True, "Whether figures that changed since the last run are named.")


class SectionTable(KeyTable):
    """One question under a heading. The options of the question stand beside these keys, by their names."""

    heading: StrictStr = Field(description="What it is called; no two alike.")
    question: StrictStr = Field(description="What is asked: one of the questions below.")
    figure: StrictStr | StrictBool | None = _key(None, "The figure; the one that suits where left out.")
    table: StrictBool = _key(True, "Whether its table is shown.")
    words: StrictBool = _key(True, "Whether its sentences are shown.")
    alerts: list[StrictStr] = _made(list, 'Conditions, such as "growth < -10%".')
    panels: StrictStr | None = _key(None, "A panel of the figure for each item of a dimension.")
    marked: Marked | None = _key(None, "Which items of a figure bear marks.")


class _Asked(SectionTable):
    """What several questions take."""

    by: Names = _key((), "Dimensions to split by.")
    measures: Names | None = _key(None, "The measures; all where left out.")
    items: Kept = _key("all", "comparable: totals of items open on both sides.")
    top: StrictInt | None = _key(None, "The largest items; the rest as all others.")
    sort: StrictStr | None = _key(None, "Order of items.")
    against: StrictStr = _key("year-ago", "What periods are held against.")


class _OfPeriods(_Asked):
    """What questions about rows of periods take."""

    each: Each = _key("month", "The grain of the rows.")
    running: StrictStr | StrictInt | None = _key(None, "Add up from the start of a longer period, or N.")
    partial: Partial = _key("to-date", "What is done with unfinished periods.")
    weeks: Weeks = _key("same-number", "year-ago: the same week number, or 364 days earlier.")
    at: Day | None = _key(None, "The period, or FIRST..LAST.")


class CompareSection(_OfPeriods):
    """How does each period stand against an earlier one?"""

    question: Literal["compare"]
    last: StrictInt | None = _key(None, "Only so many periods.")
    per: Per | None = _key(None, "Divide both sides by their days.")
    skip_closed: StrictBool = _key(False, "prior days: the last ones that have records.")
    unusual: StrictBool = _key(False, "Whether a growth leaves the limits of ordinary variation.")


class RelateSection(_OfPeriods):
    """How does each item stand beside the total, the largest, the mean or a named item?"""

    question: Literal["relate"]
    by: Names = Field(description="Dimensions whose items are held beside each other.")
    beside: StrictStr = _key("total", "What items are held beside.")
    within: StrictStr | None = _key(None, "Hold each item beside those of the same item of a dimension.")
    last: StrictInt | None = _key(None, "Only so many periods.")


class DriversSection(_OfPeriods):
    """Which items moved the total?"""

    question: Literal["drivers"]
    by: Names = Field(description="Dimensions whose items moved the total.")
    quantity: StrictStr | None = _key(None, "The measure of quantities: volume, mix and price.")


class PaceSection(_Asked):
    """How does the running total stand at this place?"""

    question: Literal["pace"]
    within: Within = _key("year", "The period that is run through.")
    last: StrictInt | None = _key(None, "Only so many periods.")
    exclude: Names = _key((), "Periods that get no line and no rank.")


class LandSection(_Asked):
    """Where will the running period end?"""

    question: Literal["land"]
    within: Within = _key("month", "The period that is to land.")
    profile: StrictStr = _key("best", "Which share is usually done by now.")
    rest: Rest = _key("scaled", "The rest of the period: scaled, or as it was in the base.")
    history: StrictInt = _key(12, "Over how many periods the profile history is averaged.")
    each: Grain | None = _key(None, "A row for each part.")
    at: Day | None = _key(None, "The period, or a day in it.")


class ReviewSection(SectionTable):
    """What is in the records?"""

    question: Literal["review"]


def section_models() -> dict[str, type[SectionTable]]:
    """The model of each question that a section may ask: its own, or one made of the options of its function."""
    return {one.name: _section_model(one) for one in question_types() if one.function and one.section is not None}


def _section_model(of: QuestionType) -> type[SectionTable]:
    if of.section:
        model: Any = loaded(of.section)
    else:
        options: dict[str, Any] = {
            name: (Any, ... if parameter.default is parameter.empty else parameter.default)
            for name, parameter in list(signature(loaded(of.function)).parameters.items())[1:]
            if name not in _OF_REPORT
        }
        options["question"] = Literal.__getitem__(of.name), ...
        model = create_model(f"{of.name}Section", __base__=SectionTable, **options)
    made: type[SectionTable] = model
    return made


#: Options of questions that a report file says once for all of them.
_OF_REPORT = ("calendar", "judging", "plan")
#: Keys of a section that are no options of its question.
OF_SECTIONS = frozenset(SectionTable.model_fields)


class Settings(KeyTable):
    """A whole report file."""

    sales: Sales
    measure: list[MeasureTable] = _made(list, "The measures.")
    calendar: CalendarTable = CalendarTable()
    judging: JudgingTable = JudgingTable()
    plan: PlanTable | None = None
    page: PageTable = PageTable()
    section: list[SectionTable] = _made(list, "The sections, in their order.")


def settings_model() -> type[Settings]:
    """The model of a whole report file, with sections of the questions that there are."""
    section: Any = Annotated[Union.__getitem__(tuple(section_models().values())), Field(discriminator="question")]
    return create_model("Settings", __base__=Settings, section=(list[section], Field(default_factory=list)))


def options_of(section: SectionTable) -> dict[str, Any]:
    """The options of a section's question that the file gives."""
    return {name: getattr(section, name) for name in section.model_fields_set if name not in OF_SECTIONS}
