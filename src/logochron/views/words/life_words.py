"""Who came, stayed and left, in words."""

from __future__ import annotations

from typing import TYPE_CHECKING

from logochron.core.book.measures import Measure
from logochron.views.catalog import message, plural
from logochron.views.formats import Formats, words
from logochron.views.words.titles import unit

if TYPE_CHECKING:
    from logochron.core.questions.drivers import Drivers

#: What each group is called; they stand in this order in sentences, those who came beside those who left.
GROUPS = {
    "new": message("new"),
    "ended": message("ended"),
    "back": message("back"),
    "paused": message("paused"),
    "up": message("up"),
    "down": message("down"),
    "same": message("same"),
}
_BROUGHT = {
    "new": message("{n} new {items} brought {amount}"),
    "back": message("{n} that came back brought {amount}"),
    "up": message("{n} that bought more brought {amount}"),
}
_TOOK = {
    "ended": message("{n} that left took {amount}"),
    "paused": message("{n} that paused took {amount}"),
    "down": message("{n} that bought less took {amount}"),
}
LEGEND = message(
    "New: first recorded after the base; back: none in the base, but before; paused: none now; ended: silent for "
    "longer than is usual for them"
)


def group_name(group: str, formats: Formats) -> str:
    """What a group of items is called."""
    return formats.say(GROUPS[group]) if group in GROUPS else group


def group_sizes(result: Drivers, measure: Measure) -> dict[str, tuple[int, float]]:
    """By group how many items are in it, and its change."""
    columns = result.of_measure(result.columns, measure)
    groups, many, changes = result.texts(columns, result.by[0]), columns["items"], columns["change"]
    return {group: (int(n), float(c)) for group, n, c in zip(groups.tolist(), many.tolist(), changes.tolist())}


def life_sentence(result: Drivers, measure: Measure, formats: Formats, n: int = len(GROUPS)) -> str:
    """What those brought who came, and took who left; of the first groups only."""
    groups = group_sizes(result, measure)
    named = words(result.by[0])
    items = plural(named, formats.language) or formats.say("items")
    texts = []
    for group in GROUPS:
        if group not in groups or group == "same":
            continue
        many, change = groups[group]
        text = _BROUGHT.get(group) or _TOOK[group]
        amount = formats.amount(change if group in _BROUGHT else -change, unit(measure, formats))
        texts.append(formats.say(text, n=formats.number(many, 0), items=items, amount=amount))
    return "; ".join(texts[:n])
