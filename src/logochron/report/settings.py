"""What a report file may say: one model for each of its tables, checked by Pydantic."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace
from functools import cache
from typing import Annotated, Any, Literal, Union

from pydantic import BaseModel, ConfigDict, Field, create_model, field_validator, model_validator

from logochron.core.choices import AcrossFigure, Better, Grain, Layout, LevelAs, Paper, PlanSpread
from logochron.core.judge.judging import Judging
from logochron.core.rows.question_types import loaded, question_type, question_types
from logochron.core.said import Said
from logochron.options import (
    CALENDARS,
    COMMAND_OPTIONS,
    PLAN_READING,
    READING_OPTIONS,
    Day,
    Dimensions,
    Names,
    Number,
    Option,
    Wanted,
    calendar_options,
    options_of,
)
from logochron.views.formats import Formats
from logochron.views.page.offers import Opening


def _keys(options: Iterable[Option], **changed: Any) -> dict[str, Any]:
    """The keys that options are in a report file, as a model takes them."""
    keys: dict[str, Any] = {}
    for option in options:
        if option.key is None:
            continue
        default = option.default if option.key_default is ... else option.key_default
        says = option.key_says or option.says
        kind = option.kind if option.key is ... else option.key
        if option.needed and option.key_default is ...:
            keys[option.name] = kind, Field(description=says)
        else:
            keys[option.name] = kind, _table(default, says) if callable(default) else _key(default, says)
    return keys | changed


def _key(default: Any, said: str, **more: Any) -> Any:
    """A key that may be left out, and what it says."""
    return Field(default=default, description=said, **more)


def _table(factory: Callable[[], Any], said: str) -> Any:
    """A key that is a table or a list of its own where it is left out."""
    return Field(default_factory=factory, description=said)


class KeyTable(BaseModel):
    """A table of a report file: keys that it does not have are refused."""

    model_config = ConfigDict(extra="forbid", frozen=True, strict=True)


class _Source(KeyTable):
    file: str | None = _key(None, "A file or a glob, relative to the report file.")
    files: list[str] | None = _key(None, "Several of them.")
    address: str | None = _key(
        None, 'The address of a database; "$NAME": what this environment variable holds, so that no password lies here.'
    )


_SalesKeys: Any = create_model("_SalesKeys", __base__=_Source, **_keys(READING_OPTIONS.values()))


class Sales(_SalesKeys):  # type: ignore[misc]
    """Where the sales are and how they are read; the reading options have the names that `read` gives them."""

    @model_validator(mode="after")
    def _one_source(self) -> Sales:
        if [self.file, self.files, self.address].count(None) != 2:
            raise ValueError('name one of `file` = "sales.csv", `files` = [...] and `address` = "sqlite:///sales.db"')
        if self.address is not None and (self.table is None) == (self.query is None):
            raise ValueError("name one of `table` and `query` beside `address`")
        if self.address is None and (self.table is not None or self.query is not None):
            raise ValueError("`table` and `query` go with `address`")
        return self


class _Amounts(KeyTable):
    name: str = Field(description="What it is called.")
    column: str | None = _key(None, "The column it sums; the one called like it where left out.")
    of: str | None = _key(None, "What a difference or quotient is taken of.")
    less: str | None = _key(None, "`of` less this.")
    per: str | None = _key(None, "`of` per this.")
    count: bool = _key(False, "Counts the records.")
    distinct: str | None = _key(None, "Counts the different ids of a column.")


_MeasureKeys: Any = create_model(
    "_MeasureKeys", __base__=_Amounts, where=(Wanted | None, _key(None, "Takes only part of the rows."))
)


class MeasureTable(_MeasureKeys):  # type: ignore[misc]
    """A measure: a sum, a count, a difference or a quotient."""

    better: Better = _key("higher", "Which direction is favorable.")
    unit: str | None = _key(None, "The unit of its figures.")
    rates_at: Day | None = _key(None, "Converts it at constant rates: those of a day, or the mean ones of a period.")


#: The keys of each kind of calendar.
CALENDAR_KEYS = {
    kind: (*("file",) * (kind == "listed"), *(option.name for option in calendar_options(kind))) for kind in CALENDARS
}


class _Kind(KeyTable):
    kind: Literal["civil", "retail", "listed"] = _key("civil", "Months; whole weeks; a table of periods.")
    file: str | None = _key(None, "listed: the table of periods: start, end, label, year.")


_CalendarKeys: Any = create_model(
    "_CalendarKeys",
    __base__=_Kind,
    **_keys(replace(option, default=None) for kind in CALENDARS for option in calendar_options(kind)),
)


class CalendarTable(_CalendarKeys):  # type: ignore[misc]
    """What numbers the periods."""

    @model_validator(mode="after")
    def _of_its_kind(self) -> CalendarTable:
        wrong = [name for name in self.model_fields_set - {"kind"} if name not in CALENDAR_KEYS[self.kind]]
        if wrong:
            raise ValueError(Said('`{0}` does not go with kind = "{1}"', sorted(wrong)[0], self.kind))
        if self.kind == "listed" and self.file is None:
            raise ValueError('kind = "listed" needs `file`, the table of periods')
        return self


class SellingDaysTable(KeyTable):
    """On which days something can be sold."""

    weekdays: Names | None = _key(None, 'Weekdays, such as "mon-sat"; those that have records where left out.')
    closed: Names = _key(
        (), "Days on which nothing is sold: a day, a period, FIRST..LAST; or a table with a column date."
    )
    open: Names = _key((), "Days on which something is sold for all that, likewise.")
    holidays: str | None = _key(None, "A country (PT) or region (DE-BY) whose public holidays are no selling days.")


class BandTable(KeyTable):
    """A named interval."""

    name: str = Field(description="What it is called.")
    from_: Number | str | None = _key(None, 'Its lower limit: 0.08, or "8%".', alias="from")
    below: Number | str | None = _key(None, "Its upper limit, not held.")
    verdict: LevelAs | None = _key(None, "Its verdict, instead of the direction's.")
    advice: str = _key("", "What to do about it.")
    mark: str | None = _key(None, "A sign instead of the direction's.")


_JudgingKeys: Any = create_model("_JudgingKeys", __base__=KeyTable, **_keys(options_of(Judging)))


class JudgingTable(_JudgingKeys):  # type: ignore[misc]
    """How a change is judged."""

    band: list[BandTable] = _table(list, "The bands: they leave no gap.")


class _Plan(KeyTable):
    name: str | None = _key(None, "What it is called, where there are several: [[plan]].")
    file: str | None = _key(None, "Its file, relative to the report file.")
    number: Number | None = _key(None, "Instead of a file: so much each period.")
    value: str | None = _key(None, "The column of planned amounts; found where only one can be meant.")
    measure: str | None = _key(None, "The measure that is planned, where it is not the first.")
    by: Dimensions = _key((), "Columns to split by; those of the sales that it has where left out.")
    records_of: Grain | None = _key(None, "What each of its records stands for; what its dates tell where left out.")
    spread: PlanSpread = _key("even", "How it is spread over its days.")


_PlanKeys: Any = create_model("_PlanKeys", __base__=_Plan, **_keys(READING_OPTIONS[name] for name in PLAN_READING))


class PlanTable(_PlanKeys):  # type: ignore[misc]
    """The plan. What is left out is found by the names that it shares with the sales."""

    @model_validator(mode="after")
    def _whole(self) -> PlanTable:
        if (self.file is None) == (self.number is None):
            raise ValueError('name one of `file` = "plan.csv" and `number` = 100000')
        if self.measure is not None and self.value is None:
            raise ValueError("name `value`, the column of planned amounts, beside `measure`")
        return self


class _Title(KeyTable):
    title: str | None = _key(None, "The title; the name of the report file where left out.")


_PageKeys: Any = create_model("_PageKeys", __base__=_Title, **_keys(options_of(Formats)))


#: What the page prints of folded tables.
Printed = Literal["summary", "all"]


class ChoicesTable(KeyTable):
    """What can be chosen on the page besides the period."""

    dimensions: list[str] | None = _key(None, "The dimensions whose items can be chosen; all where left out.")
    measures: list[str] = _table(list, "Measures that can be chosen.")
    against: list[str] = _table(list, "Bases that can be chosen, such as year-ago, prior, plan.")
    grains: list[str] = _table(list, "Grains that can be chosen, such as week, month.")
    windows: list[str] = _table(list, "Windows that can be chosen, such as month, year.")


class PageTable(_PageKeys):  # type: ignore[misc]
    """How the report is written."""

    palette: dict[str, str] = _table(dict, "Colors by role, as #RRGGBB.")
    until: Day | None = _key(None, "The report date, instead of that of [sales].")
    choices: ChoicesTable | list[str] | None = _key(
        None, "What can be chosen, a table; or a list of dimensions, all where left out."
    )
    open: Opening = _key("running", "The period that the page opens with: the running one, or the last whole one.")
    print: Printed = _key("all", "What the page prints of folded tables: all of them, or none.")
    restated: bool = _key(True, "Whether figures that changed since the last run are named.")


#: What the figure of a section is drawn with.
DRAWN_WITH = ("panels", "panel_scale", "marked")


#: What a report can write.
FileKind = Literal["page", "workbook", "summary", "slides", "pictures", "tables"]
USUAL: tuple[FileKind, ...] = ("page", "workbook", "summary", "pictures", "tables")


class ReportTable(KeyTable):
    """What the report writes."""

    files: list[FileKind] = _table(
        lambda: list(USUAL),
        "What is written: page, workbook, summary (one sheet of paper), slides, pictures, tables (CSV).",
    )
    paper: Paper = _key("across", "How the sheet of paper lies.")
    template: str | None = _key(None, "Slides (.pptx) whose masters ours are laid on, relative to the report file.")

    @model_validator(mode="after")
    def _something(self) -> ReportTable:
        if not self.files:
            raise ValueError("`files` must name one kind of file or more")
        return self


class _Section(KeyTable):
    heading: str = Field(description="What it is called; no two alike.")
    question: str = Field(description="What is asked: one of the questions below.")
    figure: str | bool | None = _key(None, "The figure; the one that suits where left out.")
    table: bool = _key(True, "Whether its table is shown.")
    layout: Layout = _key("down", 'Of compare: "across" lays its periods across, a row an item.')
    across: AcrossFigure = _key("value", "The figure that is laid across.")
    words: bool = _key(True, "Whether its sentences are shown.")
    summary: bool = _key(False, "Whether it is one of the two figures of summary.pdf; the first two where none is.")
    alerts: list[str] = _table(list, 'Conditions, such as "growth < -10%".')


_SectionKeys: Any = create_model(
    "_SectionKeys", __base__=_Section, **_keys(COMMAND_OPTIONS[name] for name in DRAWN_WITH)
)


class SectionTable(_SectionKeys):  # type: ignore[misc]
    """One question under a heading. The options of the question stand beside these keys, by their names."""


class ReviewSection(SectionTable):
    """What is in the records?"""

    question: Literal["review"]


def section_models() -> dict[str, type[SectionTable]]:
    """The model of each question that a section may ask: its own, or one made of the options of its function."""
    return {one.name: _section_model(one.name) for one in question_types() if one.function and one.section is not None}


@cache
def _section_model(question: str) -> type[SectionTable]:
    of = question_type(question)
    if of.section:
        model: type[SectionTable] = loaded(of.section)  # type: ignore[assignment]
        return model
    function = loaded(of.function)
    options = [one for one in options_of(function, of.name)[1:] if one.name not in _OF_REPORT]
    section: type[SectionTable] = create_model(
        f"{of.name}Section",
        __base__=SectionTable,
        __doc__=(function.__doc__ or "").partition("\n")[0],
        **_keys(options, question=(Literal.__getitem__(of.name), ...)),
    )
    return section


#: Options of questions that a report file says once for all of them.
_OF_REPORT = ("calendar", "judging", "plan", "selling_days")
#: Keys of a section that are no options of its question.
OF_SECTIONS = frozenset(SectionTable.model_fields)


class Settings(KeyTable):
    """A whole report file."""

    sales: Sales
    measure: list[MeasureTable] = _table(list, "The measures.")
    calendar: CalendarTable = CalendarTable()
    selling_days: SellingDaysTable = SellingDaysTable()
    judging: JudgingTable = JudgingTable()
    plan: list[PlanTable] = _table(list, "The plan; several as [[plan]], each with its name.")
    page: PageTable = PageTable()
    report: ReportTable = ReportTable()
    section: list[SectionTable] = _table(list, "The sections, in their order.")

    @field_validator("plan", mode="before")
    @classmethod
    def _one_or_several(cls, given: Any) -> Any:
        return given if isinstance(given, list) else [given]

    @field_validator("plan", mode="after")
    @classmethod
    def _named_apart(cls, plans: list[PlanTable]) -> list[PlanTable]:
        names = [table.name for table in plans]
        if len(plans) > 1 and None in names:
            raise ValueError('each of several plans has a `name`, such as name = "budget"')
        if len(set(names)) < len(names):
            raise ValueError("two plans have the same `name`")
        return plans


def settings_model() -> type[Settings]:
    """The model of a whole report file, with sections of the questions that there are."""
    return _settings_of(tuple(section_models().values()))


@cache
def _settings_of(sections: tuple[type[SectionTable], ...]) -> type[Settings]:
    section: Any = Annotated[Union.__getitem__(sections), Field(discriminator="question")]
    return create_model("Settings", __base__=Settings, section=(list[section], Field(default_factory=list)))


def section_options(section: SectionTable) -> dict[str, Any]:
    """The options of a section's question that the file gives."""
    return {name: getattr(section, name) for name in section.model_fields_set if name not in OF_SECTIONS}
