"""How a figure moved, as a sentence: from its amounts, directions and notes to a message with fields. No glue."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import NamedTuple

import numpy as np

from logochron.views.catalog import message
from logochron.views.formats import Formats
from logochron.views.words.apart import amounts_apart, listed

#: Of the figure the sentence is about.
ABOVE = message("{measure} {when} reached {value}, {part} above {base_period} ({base})")
BELOW = message("{measure} {when} reached {value}, {part} below {base_period} ({base})")
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
ITEM_NONE = message("{item} has none in both")
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
            "change": formats.amount(abs(self.change), self.unit),
            "part": formats.part(abs(self.growth)),
            "moved": self.moved(formats),
        }

    @property
    def by_part(self) -> bool:
        """Whether the growth tells it: it is known and does not round to nothing."""
        return bool(np.isfinite(self.growth)) and abs(self.growth) >= 0.0005

    def moved(self, formats: Formats) -> str:
        """The growth, or the change where there is none to be seen."""
        return formats.growth(self.growth) if self.by_part else formats.amount(self.change, self.unit, signed=True)

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
_MOST = {False: (ITEM_MOST_UP, ITEM_MOST_DOWN), True: (PLAN_MOST_UP, PLAN_MOST_DOWN)}
#: Of several that moved most alike.
_MOST_ALIKE = {False: (ITEMS_MOST_UP, ITEMS_MOST_DOWN), True: (PLANS_MOST_UP, PLANS_MOST_DOWN)}
#: So many of them are named.
_NAMED = 3


def headline_of(moved: Moved, measure: str, when: str, base_period: str, formats: Formats) -> str:
    """The sentence about a figure, without its full stop.

    >>> moved = Moved(44_412.0, 45_226.0, -814.0, -0.018, "falling", unit="EUR")
    >>> headline_of(moved, "Revenue", "in September 2026", "September 2025", Formats())
    'Revenue in September 2026 reached EUR 44.4K, 1.8 % below September 2025 (EUR 45.2K)'
    """
    text = _HEADLINES[moved._kind()]
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
        text = _MOST[moved.planned][kind.startswith("down")]
    said = formats.say(text, item=item, **moved.fields(formats))
    return formats.say(LED, sentence=said, leader=leader) if leader else said


def tied_words(moved: Moved, names: Sequence[str], formats: Formats) -> str:
    """What several items did that moved alike, and more than all others; those past `_NAMED` are counted."""
    text = _MOST_ALIKE[moved.planned][moved.change < 0]
    more = len(names) - _NAMED
    shown = list(names) if more <= 1 else [*names[:_NAMED], formats.say(_MORE, n=formats.number(more, 0))]
    return formats.say(text, items=listed(shown, formats), change=formats.amount(moved.change, moved.unit, signed=True))
