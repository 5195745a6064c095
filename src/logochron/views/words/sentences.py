"""Sentences: what an answer says, which alerts fired, which figures changed since they were reported."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from string import Formatter
from typing import TYPE_CHECKING, Any, cast

import numpy as np
from numpy.typing import NDArray

from logochron.core.align.bases import parse_basis
from logochron.core.book.measures import Measure
from logochron.core.check_kinds import kinds_checked
from logochron.core.choices import DIRECTIONS, JOINED, OTHERS, VERDICTS, check_count
from logochron.core.errors import LogochronError, QuestionError, brief, no_such, visible
from logochron.core.questions.alerts import Alert, Fired
from logochron.core.questions.restated import Restatement
from logochron.core.rows.answer import AlignedAnswer, Answer
from logochron.core.rows.question_types import loaded, question_types
from logochron.core.rows.result import Result
from logochron.core.said import Said
from logochron.views.catalog import message
from logochron.views.decimals import decimals_that_show
from logochron.views.formats import Formats, capital, item_name, noun, words
from logochron.views.sections import Section
from logochron.views.words.movement import Leaders, check_then, movers, regrouped
from logochron.views.words.overview_words import window_headings
from logochron.views.words.question_words import periods_of
from logochron.views.words.titles import column_words, heading, unit

if TYPE_CHECKING:
    from logochron.core.questions.overview import Overview

FIELDS = (
    *("measure", "period", "base_period", "item", "value", "base", "change", "growth", "direction", "verdict", "band"),
    *("advice", "share", "leader", "leader_value"),
)


def template_rows(
    result: AlignedAnswer,
    measure: Measure,
    at: str | None,
    formats: Formats,
    items: int,
    then: str | None,
    used: frozenset[str],
) -> Iterator[dict[str, str]]:
    """The fields of each item of one period, those that moved most first; of the whole where it is not split."""
    if not result.periods:
        return
    place = min(result.place(at), len(result.alignment.labels) - 1)  # in parts, all of a landing is one period
    period, base = periods_of(result, place, formats)
    block = result.of_measure(result.columns if result.by else result.total_columns, measure).blocks[0]
    row = block.period(place)
    of = result.type.fields
    own = {name: column for name, column in row.items() if result.type.has_column(name)}  # those of dimensions are not
    amounts = {name: own.get(of.get(name, name)) for name in ("value", "base", "change", "growth", "share")}
    change = amounts["change"]
    assert change is not None
    labels = list(zip(*(row[name].tolist() for name in result.by))) if result.by else [()]
    named = np.array([OTHERS not in label for label in labels], dtype=bool)
    chosen = movers(np.where(named, np.nan_to_num(change), np.nan), items)
    texts = _written(amounts, chosen, unit(measure, formats), formats)
    judging = result.judgings[measure.name]
    leaders = None
    if then is not None and used & {"leader", "leader_value"}:
        leaders = Leaders(result, measure, place, then)
    for n, i in enumerate(chosen):
        band = judging.band(result.words["band"][own["band"][i]]) if "band" in own and own["band"][i] >= 0 else None
        direction = DIRECTIONS[own["direction"][i]] if "direction" in own else ""
        leader = leaders.of(labels[i], direction) if leaders else None
        yield {
            "measure": words(measure.name),
            "period": period.name,
            "base_period": base.name,
            "item": item_name(labels[i]) if labels[i] else _whole(result, formats),
            **{name: column[n] for name, column in texts.items()},
            "direction": formats.say(direction) if direction else "",
            "verdict": formats.say(VERDICTS[own["verdict"][i]]) if "verdict" in own else "",
            "band": band.name if band else "",
            "advice": band.advice if band else "",
            "leader": leader[0] if leader else "",
            "leader_value": formats.amount(leader[1], unit(measure, formats)) if leader else "",
        }


def _whole(result: AlignedAnswer, formats: Formats) -> str:
    """What the whole is called."""
    dimensions = result.book.dimensions
    return formats.say("Total") if dimensions else formats.say("all")


def _written(
    amounts: Mapping[str, NDArray[Any] | None], chosen: list[int], unit: str, formats: Formats
) -> dict[str, list[str]]:
    """The amounts of the items chosen, column by column."""
    texts = {}
    for name, values in amounts.items():
        if values is None:
            texts[name] = [""] * len(chosen)
            continue
        column = values[chosen]
        if name == "growth":
            texts[name] = formats.growths(column)
        elif name == "share":
            texts[name] = formats.parts(column)
        else:
            texts[name] = formats.amounts(column, unit, signed=name == "change")
    return texts


__all__ = ["headline", "sentences"]


def __dir__() -> list[str]:
    """What a notebook offers after ``lc.words.``."""
    return __all__


@kinds_checked
def headline(
    result: Result,
    *,
    measure: str | None = None,
    at: str | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> str:
    """The answer in one sentence: what the figure was, and how it stands against what it is held against.

    Parameters
    ----------
    result
        From `compare`, `relate`, `drivers`, `pace` or `land`.
    measure
        The measure it is of; the first where None.
    at
        The period; the last where None.
    locale, formats
        Language and form of numbers and dates (`formats` goes before `locale`). Where there is no catalog of a
        language, its numbers and dates stand in English sentences.

    Raises
    ------
    QuestionError
        Where the answer is none that can be said, or an option names nothing in it.

    Examples
    --------
    >>> import logochron as lc
    >>> months = lc.compare(lc.demo.book(), each="month", at="2026-09", measures="revenue")
    >>> lc.words.headline(months)
    'Revenue in September 2026 fell to EUR 44.4K, 1.8 % below September 2025 (EUR 45.2K).'
    """
    answer, wanted, formats = _checked(result, measure, locale, formats)
    return next(iter(_said(answer, wanted[0], at, formats, 1, None)), formats.say("No period to tell of."))


@kinds_checked
def sentences(
    result: Result,
    template: str | None = None,
    items: int = 3,
    then: str | None = None,
    *,
    measure: str | None = None,
    at: str | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> list[str]:
    """The answer in sentences: the headline, the items behind it, what their bands advise; or a template filled.

    Parameters
    ----------
    result
        From `compare`, `relate`, `drivers`, `pace` or `land`.
    template
        A sentence of your own with fields in braces, filled for each item (for the whole where it is not split):
        ``"{item}: {value}, {growth}"``. The fields are measure, period, base_period, item, value, base, change, growth,
        direction, verdict, band, advice, share, leader, leader_value; nothing else stands in braces.
    items
        How many items are named: the one that rose most, the one that fell most, then by the size of their change.
    then
        A second dimension of the book: the first item named is told with the item of it that led it.
    measure
        The measure they are of; all where None.
    at, locale, formats
        As in `headline`.

    Returns
    -------
    list of str
        Each a whole sentence, or the template filled once.

    Raises
    ------
    QuestionError
        As in `headline`; where a template holds a field that is none, which is named.

    Examples
    --------
    >>> import logochron as lc
    >>> months = lc.compare(lc.demo.book(), each="month", by="harbor", at="2026-09", measures="revenue")
    >>> lc.words.sentences(months, items=2, then="line")[1]
    'Dunmarrow gained most (+2.4 %), led by hire; Cold Pier fell 17.0 %.'
    >>> lc.words.sentences(months, "{item} {growth}", items=2)
    ['Dunmarrow +2.4 %', 'Cold Pier −17.0 %']
    """
    answer, wanted, formats = _checked(result, measure, locale, formats)
    check_count("items", items)
    check_then(answer, then)
    if then in answer.by:  # its items are those of the other dimensions
        answer = regrouped(answer, [name for name in answer.by if name != then])
    if template is not None:
        if not isinstance(answer, AlignedAnswer):
            raise QuestionError("`template` is of answers that hold a period against another, not of {0}", answer.kind)
        used = _fields_of(template)
        rows = (row for one in wanted for row in template_rows(answer, one, at, formats, items, then, used))
        return [template.format_map(row) for row in rows]
    return [said for one in wanted for said in _said(answer, one, at, formats, items, then)]


def sentences_of(section: Section, formats: Formats) -> list[str]:
    """What a section tells; nothing where it has no words, or there is nothing to tell."""
    answer = section.told
    if answer is None or not section.words or not answer.type.sentences:
        return []
    try:
        return sentences(answer, formats=formats)
    except LogochronError:
        return []


def _checked(
    result: Result, measure: str | None, locale: str, formats: Formats | None
) -> tuple[Any, list[Measure], Formats]:
    """The answer, the measures that are told of, and how figures are written."""
    if not isinstance(result, Answer) or not result.type.sentences:
        came = Said("the answer of {0}", result.kind) if isinstance(result, Result) else brief(result)
        raise QuestionError("the answers of {0} can be said in sentences; got {1}", ", ".join(said_of()), came)
    if formats is not None and not isinstance(formats, Formats):
        raise QuestionError("`formats` must be Formats; got {0}", brief(formats))
    wanted = [one for one in result.measures if measure in (None, one.name)]
    if not wanted:
        known = [one.name for one in result.measures]
        raise QuestionError("`measure`: {0}", no_such("measure", measure or "", known, where="the answer"))
    return result, wanted, formats or Formats(locale=locale)


def _said(
    result: AlignedAnswer, measure: Measure, at: str | None, formats: Formats, items: int, then: str | None
) -> Iterator[str]:
    """The sentences of one measure, each with its full stop."""
    for sentence in loaded(result.type.sentences)(result, measure, at, formats, items, then):
        if sentence:
            yield sentence if sentence[-1] in ".!?…" else formats.say("{sentence}.", sentence=sentence)


def said_of() -> list[str]:
    """The questions whose answers can be said in sentences."""
    return [one.name for one in question_types() if one.sentences]


def _fields_of(template: str) -> frozenset[str]:
    """The fields of a template; refused by name where they are none, or more than names."""
    try:
        parts = [
            (name, spec, conversion) for _, name, spec, conversion in Formatter().parse(template) if name is not None
        ]
    except ValueError as error:
        raise QuestionError("`template`: {0}; a brace that is no field is written twice: {{{{ or }}}}", error) from None
    for name, spec, conversion in parts:
        if name not in FIELDS:
            raise QuestionError("`template`: {0}", no_such("field", name, FIELDS, where="a template"))
        if spec or conversion:
            raise QuestionError("`template`: {{{0}}} stands alone in its braces; got {1}", name, brief(template))
    return frozenset(name for name, _, _ in parts)


def alert_lines(alert: Alert, found: list[Fired], answer: AlignedAnswer, formats: Formats) -> list[str]:
    """What one alert has to say; a line a row."""
    if not found:
        return [formats.say("alert {alert} does not fire: the answer has no rows", alert=alert)]
    fires: list[str] = []
    unknown: list[str] = []
    for grouping in found:
        row_words = _rows(grouping, alert, answer, formats)
        fires += map(row_words, grouping.rows.tolist())
        unknown += map(row_words, grouping.unknown.tolist())
    if answer.type.has_column("window"):
        said = "alert {alert} fires on {day}:" if fires else "alert {alert} does not fire on {day}"
    else:
        said = "alert {alert} fires in {period}:" if fires else "alert {alert} does not fire in {period}"
    day = formats.day(answer.book.coverage.last)
    lines = [formats.say(said, alert=alert, period=answer.periods[-1], day=day)]
    lines += [f"  {row}" for row in fires]
    if unknown:
        lines += ["  " + formats.say("not known, so not judged:"), *(f"  {row}" for row in unknown)]
    return lines


def _rows(grouping: Fired, alert: Alert, answer: AlignedAnswer, formats: Formats) -> Callable[[int], str]:
    """Tells a row of a grouping, whose columns are laid out once."""
    columns = grouping.columns
    texts = {name: answer.texts(columns, name) for name in ("measure", *answer.by)}
    own = answer.type.has_column
    notes = answer.texts(columns, "note") if own("note") else None
    growth = columns["growth"] if alert.column not in ("value", "growth") and own("growth") else None
    kind = answer.type.holds(alert.column)
    as_written = alert.column in answer.by or formats.language == "en"
    column = words(alert.column) if as_written else column_words(answer.type.column(alert.column), formats)

    where: list[str] = []
    if own("window"):  # one for all rows of a grouping
        window, basis = (answer.texts(columns, name)[0] for name in ("window", "basis"))
        where = [window_headings(cast("Overview", answer), formats)[window], heading(parse_basis(basis), formats)]

    def row_text(i: int) -> str:
        labels = [visible(str(label)) for name in answer.by if (label := texts[name][i]) is not None]
        rest = answer.by[len(labels) :]
        total = formats.say("Total")
        whole = [f"{total} {capital(noun(name, formats.language))}" if labels else total for name in rest[:1]]
        item = JOINED.join(labels + whole)
        named = ", ".join([words(texts["measure"][i]), *([item] if item else []), *where])
        line = f"{named}: {column} {_figure(kind, grouping.values[i], formats)}"
        if growth is not None and np.isfinite(growth[i]):
            line += f", {column_words('growth', formats).casefold()} {formats.growth(growth[i])}"
        return line + (f" ({notes[i]})" if notes is not None and notes[i] else "")

    return row_text


def _figure(kind: str, value: Any, formats: Formats) -> str:
    """A figure as its kind is written."""
    if kind == "truth":
        return {"true": "True", "false": "False"}.get(value, formats.dash)
    if value is None or (isinstance(value, float) and not np.isfinite(value)):
        return formats.dash
    if kind in ("change", "points"):
        return formats.growth(float(value))
    if kind == "part":
        return formats.part(float(value))
    return formats.number(float(value), 2) if kind in ("amount", "difference", "days") else str(value)


_CHANGED = (
    message("{n} figure of a complete period changed since it was reported:"),
    message("{n} figures of complete periods changed since they were reported:"),
)
_LINE = message("{heading}: {figure} was {reported}, is {now} ({difference})")
_MORE = message("and {n} more: {file} has all")


def restated_lines(restated: Mapping[str, Restatement], formats: Formats, most: int, file: str) -> list[str]:
    """What changed in each section, at most so many figures; all are in a file. Nothing where all stand."""
    many = sum(one.columns.rows for one in restated.values())
    if not many:
        return []
    lines = [formats.count(many, *_CHANGED)]
    for section, one in restated.items():
        columns = one.columns
        for i in range(min(columns.rows, most - len(lines) + 1)):
            labels = [columns[name][i] for name in one.by]
            item = item_name(label for label in labels if label is not None)
            figure = [words(str(columns["measure"][i])), str(columns["period"][i]), item]
            figure.append(column_words(str(columns["column"][i]), formats).casefold())
            then, now, moved = (float(columns[name][i]) for name in ("reported", "now", "difference"))
            note, decimals = str(columns["note"][i]), decimals_that_show(np.array([moved]))
            lines.append(
                formats.say(
                    _LINE,
                    heading=visible(section),
                    figure=", ".join(filter(None, figure)),
                    reported=formats.number(then, decimals),
                    now=formats.number(now, decimals),
                    difference=note or formats.number(moved, decimals, signed=True),
                )
            )
    if many > len(lines) - 1:
        lines.append(formats.say(_MORE, n=formats.number(many - len(lines) + 1, 0), file=file))
    return lines
