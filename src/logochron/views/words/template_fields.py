"""The fields of a user's own sentence, filled for each item of an answer."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.measures import Measure
from logochron.core.options import DIRECTIONS, OTHERS, VERDICTS
from logochron.core.rows.answer import AlignedAnswer
from logochron.views.catalog import everything
from logochron.views.formats import Formats, item_name, words
from logochron.views.words.question_words import periods_of
from logochron.views.words.titles import unit
from logochron.views.words.told_items import Leaders, told_order

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
    chosen = told_order(np.where(named, np.nan_to_num(change), np.nan), items)
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
    return everything(words(dimensions[0]), formats.language) if dimensions else formats.say("all")


def _written(
    amounts: Mapping[str, NDArray[Any] | None], chosen: list[int], unit: str, formats: Formats
) -> dict[str, list[str]]:
    """The amounts of the items chosen, column by column."""
    made = {}
    for name, values in amounts.items():
        if values is None:
            made[name] = [""] * len(chosen)
            continue
        column = values[chosen]
        if name == "growth":
            made[name] = formats.growths(column)
        elif name == "share":
            made[name] = formats.parts(column)
        else:
            made[name] = formats.amounts(column, unit, signed=name == "change")
    return made
