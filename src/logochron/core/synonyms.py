"""Words that people bring along from elsewhere, and ours for them: one table for every place that meets one."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from typing import Any, Literal, NamedTuple

from logochron.core.said import Said

#: Where a word is typed: as a command, an option, the value of one, the name of a figure, or a name in Python.
SynonymKind = Literal["command", "option", "value", "figure", "name", "keyword"]
#: In a change: the command that is meant, and in a value what followed the option that was typed.
COMMAND, GIVEN = "command", "{}"


class Synonym(NamedTuple):
    """Ours for some words.

    Attributes
    ----------
    kind
        Where they are typed.
    words
        What people type, apart by blanks; in whatever case, with hyphens or without.
    change
        What a command is to have instead: options by their names in Python (None: left out, True: a flag), and under
        `COMMAND` another command.
    says
        Ours, where the change does not say it all.
    of
        The options whose values these are; of any where empty.
    takes
        Of an option: whether what follows it goes to ours.
    """

    kind: SynonymKind
    words: str
    change: Mapping[str, Any]
    says: str = ""
    of: tuple[str, ...] = ()
    takes: bool = False

    @property
    def ours(self) -> str:
        """What it is called here."""
        return Said(self.says) if self.says else " ".join(_typed(self.change))

    def changed(self, given: str | None) -> dict[str, Any]:
        """The change, with what was given in its place; options that lack it are left out."""
        return {
            name: value.replace(GIVEN, given or "") if isinstance(value, str) else value
            for name, value in self.change.items()
            if given or not (isinstance(value, str) and GIVEN in value)
        }


_PLAN = {"against": "plan", "plan": "plan.csv"}
_GRAINS = ("each", "within", "running", "records_of", "plan_records_of", "periods_in_columns", "windows")
_FISCAL = {"year_start": "4"}


def _value(words: str, *of: str, says: str = "", **change: Any) -> Synonym:
    return Synonym("value", words, change, says, of)


def _grain(words: str, grain: str) -> Iterator[Synonym]:
    options = (option for option in _GRAINS if grain != "day" or option not in ("within", "running"))
    for option in options:
        more = {"each": "day"} if (option, grain) == ("running", "week") else {}  # months do not make up weeks
        yield Synonym("value", words, {option: grain, **more}, of=(option,))


def _command(words: str, command: str, says: str = "", **change: Any) -> Synonym:
    return Synonym("command", words, {COMMAND: command, **change}, says)


def _option(words: str, says: str = "", *, takes: bool = False, **change: Any) -> Synonym:
    return Synonym("option", words, change, says, takes=takes)


#: The table. The first row that has a word, and is of the option where it names some, is meant.
SYNONYMS: tuple[Synonym, ...] = (
    _command("forecast project projection predict prediction estimate outlook run-rate runrate", "land"),
    _command("waterfall bridge driver attribution price-volume-mix pvm", "drivers"),
    _command("variance budget target plan actual-vs-plan", "compare", **_PLAN),
    _command("ytd year-to-date", "compare", running="year"),
    _command("qtd quarter-to-date", "compare", running="quarter"),
    _command("mtd month-to-date", "compare", running="month"),
    _command("trend growth yoy comparison analyze analyse analysis", "compare"),
    _command("scorecard summary dashboard kpi kpis snapshot status", "overview"),
    _command("pivot crosstab matrix", "compare", across=True),
    _command("rank ranking pareto abc leaderboard top", "compare", ranked=True),
    _command("check validate profile describe info inspect", "review"),
    _command("receipt audit trace why", "explain"),
    # what periods are held against
    _value("yoy yoy% ly py last-year prior-year previous-year year-over-year year-on-year sply spyl samedaylastyear "
           "same-period-last-year", "against", against="year-ago"),
    _value("pp pop previous previous-period prior-period last-period period-over-period last-month last-week "
           "last-quarter previous-month prior-month mom qoq wow dod month-over-month sequential", "against",
           against="prior"),
    _value("budget target goal aop fc forecast latest-estimate le quota", "against", "profile", **_PLAN),
    _value("moving-average rolling-average running-average average avg mean avg:4 ma", "against", against="mean:4"),
    _value("index rebase base-year indexed base-100 fixed-base", "against", against="fixed:2025-01",
           says="against='fixed:2025-01' (--against fixed:2025-01), a named period: ratio is the index"),
    # to date and rolling
    _value("ytd year-to-date cumulative cumul", "against", against=None, running="year"),
    _value("qtd quarter-to-date", "against", against=None, running="quarter"),
    _value("mtd month-to-date", "against", against=None, running="month"),
    _value("wtd week-to-date", "against", against=None, running="week", each="day"),
    _value("ytd year-to-date cumulative cumul", "running", running="year"),
    _value("qtd quarter-to-date", "running", running="quarter"),
    _value("mtd month-to-date", "running", running="month"),
    _value("wtd week-to-date", "running", running="week", each="day"),
    _value("rolling-12 trailing-12 ttm ltm mat 12m r12 rolling12 last-12-months moving-annual-total", "running",
           running=12),
    _value("rolling-12 trailing-12 ttm ltm mat 12m r12 rolling12 last-12-months", "against", against=None,
           running=12),
    _value("rolling-12 trailing-12 ttm ltm mat 12m r12 rolling12 last-12-months", "windows", windows="12-month"),
    _value("moving-average rolling-average average avg avg:4", "running", running=None, against="mean:4"),
    _value("ytd year-to-date", "windows", windows="year"),
    _value("qtd quarter-to-date", "windows", windows="quarter"),
    _value("mtd month-to-date", "windows", windows="month"),
    _value("wtd week-to-date", "windows", windows="week"),
    *_grain("daily day d", "day"),
    *_grain("weekly week w wk wkly", "week"),
    *_grain("monthly month m mon mth mo mly", "month"),
    *_grain("quarterly quarter q qtr", "quarter"),
    *_grain("half-yearly half h hy semester biannual semiannual", "half"),
    *_grain("yearly year y yr annual annually", "year"),
    _value("same-store like-for-like lfl comp comps same-stores", "items", items="comparable"),
    _value("fiscal fy fiscal-year financial-year", "calendar", calendar=None, **_FISCAL,
           says="year_start=4 (--year-start 4), where the year starts in April"),
    _value("fiscal fy fiscal-year financial-year", "each", each="year", **_FISCAL,
           says="each='year' with year_start=4 (--each year --year-start 4), where the year starts in April"),
    _value("fiscal fy fiscal-year financial-year", "against", against=None, **_FISCAL,
           says="year_start=4 (--year-start 4), where the year starts in April"),
    _value("445 454 544 4-5-4 4-4-5 5-4-4", "calendar", calendar="retail"),
    _value("linear straight-line run-rate flat pro-rata", "profile", profile="even"),
    _value("last-year ly seasonal seasonality", "profile", profile="year-ago"),
    _value("xlsx html pdf png", "form", form="table", says="--out FILE.xlsx (or another ending)"),
    _value("ndjson", "form", form="jsonl"),
    _value("markdown", "form", form="md"),
    _value("text sentence narrative", "form", form="words"),
    # figures
    Synonym("figure", "waterfall", {COMMAND: "drivers", "figure": "bridge", "out": "bridge.png"}),
    Synonym("figure", "sparkline sparklines spark", {"figure": "trend", "small": True}),
    Synonym("figure", "heatmap heat-map", {"figure": "heat"}),
    Synonym("figure", "bar barchart bar-chart hbar pareto", {"figure": "bars"}),
    Synonym("figure", "line linechart line-chart", {"figure": "lines"}),
    Synonym("figure", "column columnchart", {"figure": "columns"}),
    Synonym("figure", "bullet gauge", {"figure": "nested"}),
    Synonym("figure", "slopegraph slope-chart", {"figure": "slope"}),
    Synonym("figure", "kpi kpis card scorecard", {"figure": "cards"}),
    Synonym("figure", "dumbbell", {"figure": "slope"}),
    # options
    _option("forecast projection", command="land"),
    _option("run-rate runrate", command="land", profile="even"),
    _option("rows group-by groupby group split-by split breakdown dimension dims dimensions segment", takes=True,
            by=GIVEN),
    _option("columns cols pivot", takes=True, each=GIVEN, across=True),
    _option("cagr", per_year=True, against="year-ago:3"),
    _option("heatmap", figure="heat", out="heat.png"),
    _option("waterfall bridge", command="drivers", figure="bridge", out="bridge.png"),
    _option("sparkline sparklines spark", sparks=True),
    _option("variance vs-plan", against="plan", plan="plan.csv"),
    _option("exclude except without", takes=True, where_not=GIVEN, says="--where COL!=VALUE"),
    _option("limit n head largest first-n", takes=True, top=GIVEN),
    _option("same-store like-for-like lfl comp comps", items="comparable"),
    _option("target budget goal quota aop", takes=True, plan=GIVEN),
    _option("quarter", takes=True, each="quarter", at=GIVEN),
    _option("month", takes=True, each="month", at=GIVEN),
    _option("week", takes=True, each="week", at=GIVEN),
    _option("year", takes=True, each="year", at=GIVEN),
    _option("title subtitle", takes=True,
            says="a title says what is asked; that of a page is `title` under [page] of a report file"),
    _option("xlsx spreadsheet", out="answer.xlsx"),
    _option("pdf", out="answer.pdf"),
    _option("png image plot chart", out="answer.png"),
    _option("html page", out="answer.html"),
    _option("csv", form="csv"),
    _option("json", form="json"),
    _option("working-days workdays business-days trading-days", per="trading-day"),
    _option("from start start-date since begin", takes=True, at=GIVEN, says="--at FIRST..LAST"),
    _option("end end-date between date-range range", takes=True, at=GIVEN, says="--at FIRST..LAST"),
    _option("period periods grain granularity freq frequency interval every level", takes=True, each=GIVEN,
            says="--each (the grain of the rows) or --at (which of them)"),
    _option("compare-to compare compared-to compare-with vs versus baseline base basis reference", takes=True,
            against=GIVEN),
    _option("fiscal-year fiscal-start fiscal fy financial-year fiscal-year-start", takes=True, year_start=GIVEN),
    _option("yoy ly last-year prior-year", against="year-ago"),
    _option("mom wow qoq pop previous prior", against="prior"),
    _option("ytd year-to-date cumulative", running="year"),
    _option("qtd quarter-to-date", running="quarter"),
    _option("mtd month-to-date", running="month"),
    _option("wtd week-to-date", running="week", each="day"),
    _option("rolling trailing window moving", takes=True, running=GIVEN),
    _option("ttm ltm mat", running=12),
    _option("metric metrics amount column sum measure-column val", takes=True, values=GIVEN),
    _option("date-column date-col dates time timestamp", takes=True, date=GIVEN),
    _option("filter query-filter only include", takes=True, where=GIVEN),
    _option("as-of report-date asof today cutoff", takes=True, until=GIVEN),
    _option("output save export o file", takes=True, out=GIVEN),
    _option("format", takes=True, form=GIVEN),
    _option("order order-by sort-by", takes=True, sort=GIVEN),
    _option("ranking rank ranks", ranked=True),
    _option("tz-name timezone", takes=True, tz=GIVEN),
    _option("sep separator", takes=True, delimiter=GIVEN),
    _option("chart-type kind type", takes=True, figure=GIVEN, out="answer.png"),
    # names in Python
    Synonym("name", "forecast project predict estimate", {"name": "land"}),
    Synonym("name", "waterfall bridge variance", {"name": "drivers"}),
    Synonym("name", "ytd trend growth yoy", {"name": "compare"}),
    Synonym("name", "summary scorecard dashboard kpi kpis", {"name": "overview"}),
    Synonym("name", "load read_csv open", {"name": "read"}),
    Synonym("name", "budget plan target", {"name": "read_plan"}),
    Synonym("name", "plot chart figure", {"name": "draw"}),
    Synonym("name", "check validate profile", {"name": "review"}),
    Synonym("keyword", "group_by groupby split_by rows dimensions", {"name": "by"}),
    Synonym("keyword", "freq frequency grain granularity period interval", {"name": "each"}),
    Synonym("keyword", "compare_to compared_to vs baseline basis base", {"name": "against"}),
    Synonym("keyword", "limit n head largest", {"name": "top"}),
    Synonym("keyword", "sort_by order_by order", {"name": "sort"}),
    Synonym("keyword", "metric metrics value values measure", {"name": "measures"}),
    Synonym("keyword", "budget target goal", {"name": "plan"}),
    Synonym("keyword", "date_column date_col dates", {"name": "date"}),
    Synonym("keyword", "filter filters", {"name": "where"}),
    Synonym("keyword", "as_of report_date", {"name": "until"}),
    Synonym("keyword", "window rolling", {"name": "running"}),
)  # fmt: skip


#: The bases that count back by a number.
_COUNTED = ("prior", "year-ago", "mean")


def synonym(word: object, kind: SynonymKind, of: str = "") -> Synonym | None:
    """Ours for a word, in whatever case, with hyphens, blanks or underscores, in the plural too; None where none is.

    Parameters
    ----------
    of
        The option whose value it is.

    >>> synonym("Last Year", "value", "against").ours, synonym("--group-by", "option").ours
    ("against='year-ago' (--against year-ago)", '--by COL')
    >>> synonym("avg:6", "value", "against").ours
    "against='mean:6' (--against mean:6)"
    >>> synonym("Forecasts", "command").ours, synonym("month", "command")
    ('logochron land', None)
    """
    if not isinstance(word, str):
        return None
    stem, colon, count = word.partition(":")
    if colon and count.isdigit() and (row := synonym(stem, kind, of)) is not None:
        basis, *_ = str(row.change.get("against")).split(":")
        return row._replace(change={**row.change, "against": f"{basis}:{count}"}) if basis in _COUNTED else None
    wanted = _folded(word)
    for form in dict.fromkeys((wanted, wanted.removesuffix("s"))):
        for row in SYNONYMS:
            if row.kind == kind and (not row.of or of in row.of) and form in map(_folded, row.words.split()):
                return row
    return None


def _folded(word: str) -> str:
    return re.sub(r"[\s_-]+", "", word.strip().casefold())


def _typed(change: Mapping[str, Any]) -> Iterator[str]:
    """A change as it is typed."""
    if "name" in change:
        yield change["name"]
        return
    in_python = [f"{name}={value!r}" for name, value in change.items() if _is_plain(name, value)]
    flags = list(_flags(change))
    if COMMAND in change:
        yield " ".join(["logochron", change[COMMAND], *flags])
    elif in_python and len(in_python) == len([name for name, value in change.items() if value is not None]):
        yield f"{', '.join(in_python)} ({' '.join(flags)})"
    else:
        yield " ".join(flags)


def _is_plain(name: str, value: Any) -> bool:
    """Whether Python and the command line have the same option with the same value."""
    known = isinstance(value, int) and value is not True or (isinstance(value, str) and GIVEN not in value)
    return known and name not in ("plan", "out", "form", "figure", COMMAND)


#: What stands for the value of an option, where it is not its name.
_STANDS_FOR = {
    **{"by": "COL", "where": "COL=VALUE", "each": "GRAIN", "at": "PERIOD", "top": "N", "values": "COL", "date": "COL"},
    **{"out": "FILE", "until": "DAY", "against": "BASIS", "year_start": "MONTH", "form": "FORM", "plan": "FILE|NUMBER"},
    **{"sort": "FIGURE", "running": "GRAIN|N", "delimiter": "CHAR", "tz": "ZONE", "figure": "KIND"},
}


def _flags(change: Mapping[str, Any]) -> Iterator[str]:
    for name, value in change.items():
        if name == COMMAND or value is None:
            continue
        flag = {"values": "--value", "form": "--as"}.get(name, "--" + name.replace("_", "-"))
        given = _STANDS_FOR.get(name, flag[2:].upper())
        yield flag if value is True else f"{flag} {given if value == GIVEN else value}"
