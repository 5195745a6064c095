"""What changed, in sentences: how far totals moved, which items moved them most, told apart."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from dataclasses import replace
from typing import Any, NamedTuple

import numpy as np
from babel.lists import format_list
from numpy.typing import NDArray

from logochron.core.book.measures import Measure
from logochron.core.choices import DIRECTIONS, JOINED
from logochron.core.errors import QuestionError, no_such, visible
from logochron.core.judge.judging import SLACK
from logochron.core.rows.answer import AlignedAnswer
from logochron.core.rows.figures import Floats
from logochron.views.catalog import message
from logochron.views.decimals import decimals_that_show, fitting_decimals
from logochron.views.formats import Formats, item_name, shortened
from logochron.views.locale_texts import locale_of

#: The letters of a label that is cut, and those of its end.
_LONG, _END = 28, 12


def amounts_apart(values: Sequence[float], unit: str, formats: Formats) -> list[str]:
    """Amounts with their unit: of one size, in as many digits as tell them apart.

    >>> amounts_apart([31_640.0, 31_609.0], "", Formats()), amounts_apart([31_640.0, 30_000.0], "", Formats())
    (['31,640', '31,609'], ['31.6K', '30.0K'])
    """
    texts = formats.compacts(values, unit)
    return texts if unit == "%" else [formats.with_unit(text, value, unit) for text, value in zip(texts, values)]


def parts_apart(values: Sequence[float], formats: Formats) -> list[str]:
    """Shares as percentages.

    >>> parts_apart([0.5004, 0.4996], Formats())
    ['50.04 %', '49.96 %']
    """
    return formats.compacts(values, "%")


#: More rows than this have the decimals that their total needs.
_FEW = 60
#: Percent has so many decimals at most.
_MOST_OF_PERCENT = 3


def decimals_of(
    result: AlignedAnswer,
    measure: Measure,
    formats: Formats,
    shown: Sequence[str] = ("value", "base"),
    change: str = "change",
    *,
    of_total: bool = True,
) -> int:
    """How many decimals the amounts of a measure need, in its rows and totals alike.

    Parameters
    ----------
    shown
        The columns whose figures are shown.
    change, of_total
        The column whose differences shall be seen: of the total, or else of all rows.
    """
    if formats.decimals is not None:
        return formats.decimals
    table, total = (result.of_measure(c, measure) for c in (result.columns, result.total_columns))
    if measure.in_percent:
        return min(decimals_that_show((total if of_total else table)[change] * 100, 1), _MOST_OF_PERCENT)
    figures = np.concatenate([part[name] for part in (total, table) for name in shown])
    few = table.rows <= _FEW  # in so many rows each change shall be seen
    changes = np.concatenate([total[change], table[change]]) if few else (total if of_total else table)[change]
    divided = result.per is not None or len(result.alignment.part_known) > 1
    return fitting_decimals(figures, changes, None if divided else result.book.decimals(measure.name))


def names_apart(items: Sequence[Sequence[str]]) -> list[str]:
    """What items are called side by side: each label cut where it is too long, in its middle where two would be alike.

    >>> names_apart([("Cold Pier", "hire"), ("all others", "all others")])
    ['Cold Pier / hire', 'all others']
    """
    names = list(map(item_name, items))
    met = Counter(names)
    for n, labels in enumerate(items):
        if met[names[n]] > 1:
            names[n] = JOINED.join(_cut_inside(" ".join(visible(label).split())) for label in labels)
    seen: Counter[str] = Counter()
    for n, name in enumerate(names):  # alike in both ends as well
        seen[name] += 1
        names[n] = name if seen[name] == 1 else f"{name} ({seen[name]})"
    return names


def _cut_inside(label: str) -> str:
    return label if len(label) <= _LONG else f"{label[: _LONG - _END - 1].rstrip()}…{label[-_END:].lstrip()}"


def listed(names: Sequence[str], formats: Formats) -> str:
    """Names in a row.

    >>> listed(["a", "b", "c"], Formats())
    'a, b and c'
    """
    text = str(format_list(list(names), style="standard", locale=locale_of(formats.locale)))
    return text.replace(", and ", " and ")  # as all our sentences have it


class ItemMovements(NamedTuple):
    """The items of one period: their labels, and the columns of their rows."""

    labels: list[tuple[str, ...]]
    columns: Mapping[str, NDArray[Any]]
    codes: list[frozenset[str]]
    unit: str
    planned: bool

    @classmethod
    def of(cls, result: AlignedAnswer, measure: Measure, place: int, unit: str) -> ItemMovements:
        """All those of an answer, those that `top` gathers too."""
        result = result.ungathered
        columns = result.of_measure(result.columns, measure).blocks[0].period(place)
        labels = list(zip(*(columns[name].tolist() for name in result.by)))
        known = [frozenset(note.code for note in notes) for notes in result.note_table]
        codes = [known[place] for place in columns["note"].tolist()] if result.type.has_column("note") else []
        return cls(labels, columns, codes, unit, result.plan is not None)

    def moved(self, i: int) -> Moved:
        """One of them beside its base."""
        value, base, change, growth = (float(self.columns[name][i]) for name in MOVED)
        return Moved(
            value,
            base,
            change,
            growth,
            DIRECTIONS[self.columns["direction"][i]],
            self.codes[i],
            self.unit,
            self.planned,
        )

    def tied(self, i: int) -> list[int]:
        """Those whose change is that of one of them: to the last digit of inexact sums."""
        changes = self.columns["change"]
        return np.flatnonzero(np.isclose(changes, changes[i], rtol=SLACK, atol=0.0)).tolist()

    def name(self, i: int) -> str:
        """What one of them is called."""
        return item_name(self.labels[i])


def movers(changes: Floats, n: int) -> list[int]:
    """The places of the items to name: the one that rose most, the one that fell most, then by the size of the change.

    >>> movers(np.array([1.0, 5.0, -2.0, 4.0, np.nan]), 3)
    [1, 2, 3]
    """
    known = np.flatnonzero(np.isfinite(changes))
    order = known[np.argsort(-np.abs(changes[known]), kind="stable")]
    up, down = order[changes[order] > 0][:1], order[changes[order] < 0][:1]
    first = np.concatenate([up, down])
    if n == 1:
        return order[:1].tolist()
    return list(dict.fromkeys([*first.tolist(), *order.tolist()]))[:n]


def regrouped(result: AlignedAnswer, by: Sequence[str]) -> AlignedAnswer:
    """The same answer split by other dimensions of its book."""
    if tuple(by) == result.by and result.top is None:
        return result
    return result.ask_anew(
        replace(result.prepared, selection=replace(result.selection, by=tuple(by), top=None, sort=None))
    )


class Leaders:
    """Which item of another dimension moved each item most; the finer comparison is made once for all of them."""

    def __init__(self, result: AlignedAnswer, measure: Measure, place: int, then: str) -> None:
        self._finer = ItemMovements.of(regrouped(result, [*result.by, then]), measure, place, "")
        self._under: dict[tuple[str, ...], list[int]] = {}
        for i, label in enumerate(self._finer.labels):
            self._under.setdefault(label[:-1], []).append(i)

    def of(self, label: tuple[str, ...], direction: str) -> tuple[str, float] | None:
        """Label and value of the one that moved most in the direction in which an item moved; None where none did."""
        if direction not in ("rising", "falling"):  # what stays level is led by nothing
            return None
        places = self._under.get(label, [])
        changes = np.nan_to_num(self._finer.columns["change"][places]) * (-1 if direction == "falling" else 1)
        if not len(changes) or changes.max() <= 0:
            return None
        best = places[int(changes.argmax())]
        return shortened(self._finer.labels[best][-1]), float(self._finer.columns["value"][best])


def check_then(result: AlignedAnswer, then: str | None) -> None:
    """Refuse a second dimension that the records are not split by, or that leaves no item to lead."""
    if then is None:
        return
    if not result.type.led:
        raise QuestionError("`then` goes with the answer of compare")
    if then not in result.book.dimensions:
        raise QuestionError("`then`: {0}", no_such("dimension", then, result.book.dimensions, where="the book"))
    if not [name for name in result.by if name != then]:
        raise QuestionError("`then` names what leads an item: compare by another dimension as well (by=, --by)")


def movers_sentence(items: ItemMovements, n: int, formats: Formats, leader: str = "") -> str:
    """What the items that moved most did, as one sentence; empty where there is nothing to tell of several."""
    if len(items.labels) < 2:
        return ""
    texts: list[str] = []
    tied: list[int] = []
    for i in movers(items.columns["change"], n):
        moved = items.moved(i)
        alike = items.tied(i) if not texts and moved.gained_or_lost else []
        if len(alike) > 1:
            texts.append(tied_words(moved, [items.name(one) for one in alike], formats))
            tied = alike
        elif i not in tied:
            most, led = not texts, "" if texts else leader
            texts.append(item_words(moved, items.name(i), formats, most=most, leader=led))
    return "; ".join(texts)


#: Of the figure the sentence is about.
ABOVE = message("{measure} {when} reached {value}, {part} above {base_period} ({base})")
BELOW = message("{measure} {when} fell to {value}, {part} below {base_period} ({base})")
PLAN_ABOVE = message("{measure} {when} came to {value}, {part} above {base_period} ({base})")
PLAN_BELOW = message("{measure} {when} came to {value}, {part} below {base_period} ({base})")
MORE = message("{measure} {when} came to {value}, {change} more than {base_period} ({base})")
LESS = message("{measure} {when} came to {value}, {change} less than {base_period} ({base})")
LEVEL = message("{measure} {when} came to {value}, level with {base_period}")
NEARLY_LEVEL = message("{measure} {when} came to {value}, level with {base_period} ({base})")
AFTER_NONE = message("{measure} {when} reached {value}, after none in the base ({base_period})")
NEW = message("{measure} {when} reached {value}; nothing was recorded before")
NONE_NOW = message("No {measure_inside} {when}, after {base} ({base_period})")
ENDED = message("No {measure_inside} {when}, after {base} ({base_period}); nothing is recorded any more")
NONE = message("No {measure_inside} {when}, and none in the base ({base_period})")
ALONE = message("{measure} {when} came to {value}; there is nothing to compare it with")
NOT_RECORDED = message("{measure} {when}: not recorded")
#: Of an item in a list.
ITEM_MOST_UP = message("{item} gained most ({moved})")
ITEM_MOST_DOWN = message("{item} lost most ({moved})")
ITEMS_MOST_UP = message("{items} gained most ({change} each)")
ITEMS_MOST_DOWN = message("{items} lost most ({change} each)")
ITEM_UP = message("{item} rose {part}")
ITEM_DOWN = message("{item} fell {part}")
ITEM_MORE = message("{item} rose by {change}")
ITEM_LESS = message("{item} fell by {change}")
ITEM_LEVEL = message("{item} stayed level ({value})")
ITEM_NEW = message("{item} is new ({value})")
ITEM_AFTER_NONE = message("{item} came to {value} after none")
ITEM_ENDED = message("{item} ended (before: {base})")
ITEM_NONE_NOW = message("{item} has none now (before: {base})")
ITEM_NONE = message("{item} has none in either period")
ITEM_ALONE = message("{item} came to {value}, with nothing to compare")
ITEM_NOT_RECORDED = message("{item} is not recorded")
#: Of an item beside a plan, which it does not come from: it lies above or below.
PLAN_MOST_UP = message("{item} is furthest above ({moved})")
PLAN_MOST_DOWN = message("{item} is furthest below ({moved})")
PLANS_MOST_UP = message("{items} are furthest above ({change} each)")
PLANS_MOST_DOWN = message("{items} are furthest below ({change} each)")
PLAN_UP = message("{item} is {part} above")
PLAN_DOWN = message("{item} is {part} below")
PLAN_MORE = message("{item} is {change} above")
PLAN_LESS = message("{item} is {change} below")
PLAN_LEVEL = message("{item} is level ({value})")
PLAN_NONE = message("{item} came to {value}, with none planned")
PLAN_NONE_NOW = message("{item} has none (planned: {base})")
_MORE = message("{n} others")
LED = message("{sentence}, led by {leader}")


#: The columns of an answer that tell how a figure moved.
MOVED = ("value", "base", "change", "growth")


class Moved(NamedTuple):
    """A figure beside its base: amounts, the direction by name, the codes of its notes, the unit.

    `planned`: the base is a plan, which nothing rises or falls from.
    """

    value: float
    base: float
    change: float
    growth: float
    direction: str
    codes: Collection[str] = ()
    unit: str = ""
    planned: bool = False

    def fields(self, formats: Formats) -> dict[str, str]:
        """The amounts as messages have them."""
        value, base = amounts_apart([self.value, self.base], self.unit, formats)
        return {
            "value": value,
            "base": base,
            "change": self._change(formats),
            "part": self._change(formats) if self.unit == "%" else formats.part(abs(self.growth)),
            "moved": self.moved(formats),
        }

    def _change(self, formats: Formats) -> str:
        """The size of the change."""
        if self.unit == "%":
            return formats.points_told(abs(self.change))
        return formats.amount(abs(self.change), self.unit)

    @property
    def by_part(self) -> bool:
        """Whether the growth tells it: it is known and does not round to nothing; of percent the points do."""
        if self.unit == "%":
            return bool(np.isfinite(self.change))
        return bool(np.isfinite(self.growth)) and abs(self.growth) >= 0.0005

    def moved(self, formats: Formats) -> str:
        """The growth, or the change where there is none to be seen."""
        if self.by_part and self.unit != "%":
            return formats.growth(self.growth)
        return formats.amount(self.change, self.unit, signed=True)

    @property
    def gained_or_lost(self) -> bool:
        """Whether it rose or fell from something to something."""
        return self._kind() in ("up", "up by change", "down", "down by change")

    def _kind(self) -> str:
        """What there is to be said."""
        if not np.isfinite(self.value):
            return "not recorded"
        if self.direction == "unknown" or not np.isfinite(self.base):
            return "alone"
        for code in ("none in both", "new", "none in base", "ended", "none now"):
            if code in self.codes:
                return code
        if self.direction == "level":
            return "level" if self.change == 0 else "nearly level"
        way = "up" if self.direction == "rising" else "down"
        return way if self.by_part else f"{way} by change"


_HEADLINES = {
    **{"not recorded": NOT_RECORDED, "alone": ALONE, "none in both": NONE, "new": NEW, "none in base": AFTER_NONE},
    **{"ended": ENDED, "none now": NONE_NOW, "level": LEVEL, "nearly level": NEARLY_LEVEL},
    **{"up": ABOVE, "down": BELOW, "up by change": MORE, "down by change": LESS},
}
_ITEMS = {
    **{"not recorded": ITEM_NOT_RECORDED, "alone": ITEM_ALONE, "none in both": ITEM_NONE, "new": ITEM_NEW},
    **{"none in base": ITEM_AFTER_NONE, "ended": ITEM_ENDED, "none now": ITEM_NONE_NOW},
    **{"level": ITEM_LEVEL, "nearly level": ITEM_LEVEL},
    **{"up": ITEM_UP, "down": ITEM_DOWN, "up by change": ITEM_MORE, "down by change": ITEM_LESS},
}


_PLANNED = _ITEMS | {
    **{"new": PLAN_NONE, "none in base": PLAN_NONE, "ended": PLAN_NONE_NOW, "none now": PLAN_NONE_NOW},
    **{"level": PLAN_LEVEL, "nearly level": PLAN_LEVEL},
    **{"up": PLAN_UP, "down": PLAN_DOWN, "up by change": PLAN_MORE, "down by change": PLAN_LESS},
}
#: Of the one that moved most: by whether the base is a plan, rising and falling.
_MOVEMENT_MOST = {False: (ITEM_MOST_UP, ITEM_MOST_DOWN), True: (PLAN_MOST_UP, PLAN_MOST_DOWN)}
#: Of several that moved most alike.
_MOST_ALIKE = {False: (ITEMS_MOST_UP, ITEMS_MOST_DOWN), True: (PLANS_MOST_UP, PLANS_MOST_DOWN)}
#: So many of them are named.
_NAMED = 3


def headline_of(moved: Moved, measure: str, when: str, base_period: str, formats: Formats) -> str:
    """The sentence about a figure, without its full stop.

    >>> moved = Moved(44_412.0, 45_226.0, -814.0, -0.018, "falling", unit="EUR")
    >>> headline_of(moved, "Revenue", "in September 2026", "September 2025", Formats())
    'Revenue in September 2026 fell to EUR 44.4K, 1.8 % below September 2025 (EUR 45.2K)'
    """
    text = _HEADLINES[moved._kind()]
    if moved.planned:  # nothing rises or falls from a plan
        text = {ABOVE: PLAN_ABOVE, BELOW: PLAN_BELOW}.get(text, text)
    if moved.value <= 0 and text in (ABOVE, BELOW):
        text = MORE if text == ABOVE else LESS
    first = measure.split()[0]
    inside = measure if first[1:] != first[1:].lower() else measure[:1].lower() + measure[1:]
    fields = {"measure": measure, "measure_inside": inside, "when": when, "base_period": base_period}
    return formats.say(text, **fields, **moved.fields(formats))


def item_words(moved: Moved, item: str, formats: Formats, *, most: bool = False, leader: str = "") -> str:
    """What an item did, as a part of a sentence; `most`: more than all others."""
    kind = moved._kind()
    text = (_PLANNED if moved.planned else _ITEMS)[kind]
    if most and moved.gained_or_lost:
        text = _MOVEMENT_MOST[moved.planned][kind.startswith("down")]
    said = formats.say(text, item=item, **moved.fields(formats))
    return formats.say(LED, sentence=said, leader=leader) if leader else said


def tied_words(moved: Moved, names: Sequence[str], formats: Formats) -> str:
    """What several items did that moved alike, and more than all others; those past `_NAMED` are counted."""
    text = _MOST_ALIKE[moved.planned][moved.change < 0]
    more = len(names) - _NAMED
    shown = list(names) if more <= 1 else [*names[:_NAMED], formats.say(_MORE, n=formats.number(more, 0))]
    return formats.say(text, items=listed(shown, formats), change=formats.amount(moved.change, moved.unit, signed=True))
