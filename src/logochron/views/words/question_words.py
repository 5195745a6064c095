"""Where the running period stands and will end, in sentences; the sentences of each question."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

import numpy as np

from logochron.core.align.bases import Prior
from logochron.core.book.measures import Measure
from logochron.core.choices import DIRECTIONS, STATUSES
from logochron.core.judge.judging import Judging
from logochron.core.questions.compare import Comparison
from logochron.core.rows.answer import AlignedAnswer
from logochron.views.catalog import message, ordinal
from logochron.views.formats import Formats, capital, item_name, shortened, words
from logochron.views.words.currency_words import compared_effect, currency_sentence
from logochron.views.words.life_words import life_sentence
from logochron.views.words.movement import (
    MOVED,
    ItemMovements,
    Leaders,
    Moved,
    amounts_apart,
    headline_of,
    movers,
    movers_sentence,
    parts_apart,
)
from logochron.views.words.titles import (
    PeriodWords,
    against_words,
    base_period,
    beside_words,
    column_words,
    days_in_words,
    in_words,
    measure_told,
    row_period,
    several,
    short_day,
    subject,
    unit,
    whole_period,
    within_a_title,
)

if TYPE_CHECKING:  # a comparison is told without them
    from logochron.core.questions.drivers import Drivers
    from logochron.core.questions.landing.answer import Landing
    from logochron.core.questions.landing.backtest import Backtest
    from logochron.core.questions.pace import Pace
    from logochron.core.questions.relate import Relation

#: An estimate that is off by no more can be believed.
_BELIEVED = 0.05
RUNNING_TOTAL = message("{measure} running total")
_ESTIMATES = message("{measure} estimates")
_UNSURE = message("On day {day} of {days} estimates were off by {error} or more in half of {past}")
_UNSURE_OF_ONE = message("On day {day} of {days} estimates were off by {error} or more in {past}")
_BELIEVED_LATE = message("Not before the last days were half of the estimates of {past} within {part}")
_BELIEVED_FROM = message("From day {day} of {days} on half of the estimates were within {part} of what {past} came to")


def amount_words(value: float, measure: Measure, formats: Formats, *, signed: bool = False) -> str:
    """A compact amount with its unit."""
    return formats.amount(value, unit(measure, formats), signed=signed)


def pace_label(result: Pace, parent: int, formats: Formats) -> str:
    """The label of a period; a running one says to which day."""
    day = int(result.days[parent, result.positions.today])
    if day >= result.positions.edges[1][-1] or parent < len(result.periods) - 1:
        return result.periods[parent]
    return formats.say("{label} to {day}", label=result.periods[parent], day=short_day(result, day, formats))


def pace_days(result: Pace, parent: int, formats: Formats) -> PeriodWords:
    """The days of a running total at today's position, in words."""
    first = int(result.calendar.first_days(result.within, result.positions.parents[[parent]])[0])
    last = int(result.days[parent, result.positions.today])
    if last == result.calendar.last_days(result.within, result.positions.parents[[parent]])[0]:
        return whole_period(result.calendar, result.within, first, formats)
    return days_in_words(first, last, formats)


def pace_when(result: Pace, parent: int, formats: Formats) -> str:
    """When a running total at today's position was, in words."""
    return pace_days(result, parent, formats).when


def standing_sentence(result: Pace, measure: Measure, labels: tuple[str, ...], formats: Formats) -> str:
    """Where the last period stands: amount, growth against its base, rank among the periods."""
    block, place = result.block_of(measure, labels)
    parent = len(result.periods) - 1
    row = block.row(result.place(), place)
    running, base, growth = (float(row[name]) for name in ("running", "base", "growth"))
    now, before = amounts_apart([running, base], unit(measure, formats), formats)
    said = f"{capital(pace_days(result, parent, formats).name)}: {now}"
    against = formats.say("against {base}", base=against_words(result, formats))
    held = f"{against} ({before})"
    if np.isfinite(growth):
        said += f", {formats.growth(growth)} {held}"
    elif np.isfinite(base):
        said += f", {amount_words(running - base, measure, formats, signed=True)} {held}"
    else:
        said += ", " + formats.say("nothing to compare with")
    return formats.dot.join(filter(None, (said, rank_words(result, measure, labels, formats))))


def rank_words(result: Pace, measure: Measure, labels: tuple[str, ...], formats: Formats) -> str:
    """The rank of the last period at today's position; empty where it is alone."""
    ranks = ranks_of(result, measure, labels)
    rank = ranks.get(len(result.periods) - 1)
    if rank is None or len(ranks) < 2:
        return ""
    periods = several(result.calendar.word(result.within), formats)
    return formats.say("{rank} of {n} {periods}", rank=ordinal(rank, formats.language), n=len(ranks), periods=periods)


def ranks_of(result: Pace, measure: Measure, labels: tuple[str, ...] = ()) -> dict[int, int]:
    """The rank of each period at today's position, by its place."""
    standing = result.standing_columns(measure, labels)
    return dict(zip(standing["period"].tolist(), standing["rank"].tolist()))


def landing_sentence(result: Landing, measure: Measure, labels: tuple[str, ...], formats: Formats) -> str:
    """Where the period will end, with its range, beside the base."""
    whole = result.whole
    block, place = whole.block_of(measure, labels)
    row = block.row(0, place)
    estimate, low, high, growth = (float(row[name]) for name in ("estimate", "low", "high", "growth"))
    if not np.isfinite(estimate):
        to_date = amount_words(float(row["to_date"]), measure, formats)
        return formats.say("No estimate: {value} to date", value=to_date)
    over = bool(result.now.over[0])
    amount = amount_words(estimate, measure, formats)
    said = formats.say(message("Ended at {value}") if over else message("Lands at {value}"), value=amount)
    if np.isfinite(low) and not over:
        span = {"low": formats.compact(low), "high": formats.compact(high)}
        said += f" ({formats.say('{low} to {high}', **span)})"
    against = against_words(whole, formats)
    if DIRECTIONS[row["direction"]] == "level":
        said += ", " + formats.say("level with {base}", base=against)
    elif np.isfinite(growth):
        said += f", {formats.growth(growth)} " + formats.say("against {base}", base=against)
    return said


def landing_period(result: Landing, formats: Formats) -> PeriodWords:
    """The period that lands, in words."""
    return whole_period(result.calendar, result.within, int(result.now.starts[0]), formats)


def landing_when(result: Landing, formats: Formats) -> str:
    """When the period that lands is, in words."""
    return landing_period(result, formats).when


def landing_subject(result: Landing, measure: Measure, formats: Formats, item: str | None = None) -> str:
    """What is shown: "Landing of revenue in October 2026, all harbors"."""
    named = subject(result.whole, measure, formats, split=False, item=item, when=landing_when(result, formats))
    return formats.say("Landing of {subject}", subject=within_a_title(named, measure))


def backtest_subject(result: Backtest, formats: Formats) -> str:
    """What is shown: "Errors of revenue estimates by month, all harbors"."""
    named = subject(result.landing.whole, result.measure, formats, split=False, pattern=_ESTIMATES)
    return formats.say("Errors of {subject}", subject=within_a_title(named, result.measure))


def backtest_sentence(result: Backtest, formats: Formats) -> str:
    """From which day on estimates can be believed: when half of them were off by no more than a twentieth."""
    errors = result.typical_errors[:, 0]
    n = int(result.past[:, 0].max(initial=0))
    past = past_words(result.landing, n, formats)
    within = np.isfinite(errors) & (errors <= _BELIEVED)
    # from there to the end
    held = np.flatnonzero(~within)
    first = int(held[-1]) + 1 if len(held) else 0
    part = formats.part(_BELIEVED, 0)
    if not n or first >= len(errors) - 1:
        return formats.say(_BELIEVED_LATE, past=past, part=part)
    days = int(result.landing.now.days[0])
    return formats.say(_BELIEVED_FROM, day=result.day(first + 1), days=days, part=part, past=past)


def past_words(result: Landing, n: int, formats: Formats) -> str:
    """The past periods that estimates were held against."""
    word = result.calendar.word(result.within)
    if n == 1:
        return in_words(Prior(), word, formats)
    return formats.say("the {n} {periods} before", n=n, periods=several(word, formats))


def unsure_sentence(result: Landing, measure: Measure, formats: Formats) -> str:
    """How far estimates were off at the same point of past periods; empty where none is known, or it is over."""
    error, n = result.past_error(measure)
    if not np.isfinite(error) or result.now.over[0]:
        return ""
    return formats.say(
        _UNSURE if n != 1 else _UNSURE_OF_ONE,
        day=int(result.now.elapsed[0]),
        days=int(result.now.days[0]),
        error=formats.part(error),
        past=past_words(result, n, formats),
    )


#: What each profile goes by.
_PROFILES = {
    "history": message("as in the last complete {periods}, {n} in all"),
    "year-ago": message("as in the base, {base}"),
    "weekday": message("by the weekdays of the last 8 weeks"),
    "even": message("by the days elapsed"),
    "selling-days": message("by the selling days that are over"),
    "season": message("by the usual shares of what is over"),
    "listed": message("by the list given"),
}


def profile_words(result: Landing, profile: str, formats: Formats) -> str:
    """What the usual share goes by."""
    if profile not in _PROFILES:
        return ""
    named = formats.say(
        _PROFILES[profile],
        n=result.method.history,
        periods=several(result.calendar.word(result.within), formats),
        base=against_words(result, formats),
    )
    best = formats.say("{profile}, the best so far", profile=profile)
    return f"{named} ({best if result.method.profile == 'best' else profile})"


_PLACED = message("{item} is {rank}, was {before}")
_LEADS = message("{item} leads; no item changed its place")
_BANDED = message("{band} ({items}): {advice}")
_BANDED_ALONE = message("{band}: {advice}")
_RELATED = message("{measure} {when}: {item} came to {ratio} of {reference}")
_RELATED_MORE = message(
    "{measure} {when}: {item} came to {ratio} of {reference}, {points} points more than {base_period} ({before})"
)
_RELATED_LESS = message(
    "{measure} {when}: {item} came to {ratio} of {reference}, {points} points less than {base_period} ({before})"
)
_RELATED_LEVEL = message("{measure} {when}: {item} came to {ratio} of {reference}, level with {base_period}")
_ITEM_MORE = message("{item} {ratio}, {points} points more")
_ITEM_LESS = message("{item} {ratio}, {points} points less")
_ITEM_SAME = message("{item} {ratio}")
_NO_RATIO = message("{measure} {when}: {items}; no part of {reference}, as that is not above 0 ({amount})")
_NO_REFERENCE = message("{measure} {when}: {items}; no part of {reference}, as that is not known")
_ADDED = message("{item} added {points} points")
_TOOK = message("{item} took away {points} points")
_ADDED_CHANGE = message("{item} added {change}")
_TOOK_CHANGE = message("{item} took away {change}")
_COMES_FROM = message("Most of it comes from {steps}")
_OF_WHICH = message("{one}, and there from {other}")
_EFFECTS = message("By volume {volume}, by mix {mix}, by price {price}")
_HEADING = message("{measure} {when} is heading for {estimate}")
_HEADING_RANGE = message("{measure} {when} is heading for {estimate} ({low} to {high})")
_ENDED = message("{measure} {when} ended at {estimate}")
_NO_ESTIMATE = message("{measure} {when} has come to {value} so far; it cannot be estimated yet")
_AHEAD = message("{sentence}, {part} above {base_period} ({base})")
_BEHIND = message("{sentence}, {part} below {base_period} ({base})")
_SAME = message("{sentence}, level with {base_period} ({base})")
_NEEDED_LAST = message("To reach {target} ({amount}), {needed} are required on the one day left")
_NEEDED = message("To reach {target} ({amount}), {needed} per day are required in the {n} days left")
_NEEDED_SELLING_LAST = message("To reach {target} ({amount}), {needed} are required on the one selling day left")
_NEEDED_SELLING = message(
    "To reach {target} ({amount}), {needed} per selling day are required in the {n} selling days left"
)
_REACHED = message("{target} ({amount}) is reached already")


def periods_of(result: AlignedAnswer, place: int, formats: Formats) -> tuple[PeriodWords, PeriodWords]:
    """A period of an answer in words, and its base."""
    row, status = result.span_row(place), STATUSES[result.alignment.status[place]]
    return row_period(result, row, formats, status), _base_words(result, row, formats)


def _base_words(result: AlignedAnswer, row: Any, formats: Formats) -> PeriodWords:
    """What a row is held against, in words: the period it is, else how the basis is called."""
    base = base_period(result, row, formats)
    if base is not None:
        return base
    named = against_words(result, formats)
    return PeriodWords(named, f"({named})")


def moved_total(result: Any, measure: Measure, place: int, formats: Formats) -> Moved:
    """All items together beside their base."""
    row = result.of_measure(result.total_columns, measure).blocks[0].row(place, 0)
    value, base, change, growth = (float(row[name]) for name in MOVED)
    codes = [note.code for note in result.note_table[row["note"]]]
    planned = result.plan is not None
    return Moved(value, base, change, growth, DIRECTIONS[row["direction"]], codes, unit(measure, formats), planned)


def compare_headline(result: Comparison | Drivers, measure: Measure, place: int, formats: Formats) -> str:
    """How the total of a period stands against its base."""
    period, base = periods_of(result, place, formats)
    moved = moved_total(result, measure, place, formats)
    return headline_of(moved, measure_told(result, measure, formats), period.when, base.name, formats)


def compare_sentences(
    result: Comparison, measure: Measure, at: Any, formats: Formats, n: int, then: str | None
) -> list[str]:
    """The headline, the items that moved most, and what the bands of total and items advise."""
    if not result.periods:
        return []
    place = result.place(at)
    items = ItemMovements.of(result, measure, place, unit(measure, formats)) if result.by else None
    said = [compare_headline(result, measure, place, formats)]
    said.append(currency_sentence(compared_effect(result, measure, place), measure, result.book, formats))
    if items is not None:
        leader = ""
        first = movers(items.columns["change"], n)[:1]
        if then is not None and first:
            leaders = Leaders(result, measure, place, then).of(items.labels[first[0]], items.moved(first[0]).direction)
            leader = leaders[0] if leaders else ""
        said.append(movers_sentence(items, n, formats, leader))
        if result.ranked:
            said.append(_places_sentence(items, n, formats))
    return [*said, *_advice(result, measure, place, formats, items, n)]


def _places_sentence(items: ItemMovements, n: int, formats: Formats) -> str:
    """The items whose place among the others changed, those at the top first; who leads where none did."""
    rank, before = (np.asarray(items.columns[name], dtype=np.float64) for name in ("rank", "base_rank"))
    order = np.argsort(rank, kind="stable")
    moved = [i for i in order.tolist() if np.isfinite(rank[i]) and np.isfinite(before[i]) and rank[i] != before[i]]
    texts = [
        formats.say(
            _PLACED,
            item=items.name(i),
            rank=ordinal(int(rank[i]), formats.language),
            before=ordinal(int(before[i]), formats.language),
        )
        for i in moved[:n]
    ]
    if not texts and len(order) and np.isfinite(rank[order[0]]):
        texts = [formats.say(_LEADS, item=items.name(int(order[0])))]
    return "; ".join(texts)


def _advice(
    result: Comparison, measure: Measure, place: int, formats: Formats, items: ItemMovements | None, n: int
) -> list[str]:
    """What each band that an item falls in advises; of a whole that is not split, its own."""
    judging = result.judgings[measure.name]
    if not judging.bands:
        return []
    names = result.words["band"]
    if items is None:
        row: Mapping[str, Any] = result.of_measure(result.total_columns, measure).blocks[0].row(place, 0)
        bands, labels = [row["band"]], [""]
        moved = [(float(row["change"]), float(row["growth"]))]
    else:
        bands, labels = items.columns["band"].tolist(), [items.name(i) for i in range(len(items.labels))]
        moved = list(zip(items.columns["change"].tolist(), items.columns["growth"].tolist()))
    said = []
    for band in judging.bands:
        inside = [n for n, code in enumerate(bands) if code >= 0 and names[code] == band.name]
        if inside and band.advice:
            texts = (f"{labels[i]} {_judged_by(*moved[i], measure, judging, formats)}".strip() for i in inside[:n])
            shown = ", ".join(filter(None, texts)) + (", …" if len(inside) > n else "")
            text = _BANDED if shown else _BANDED_ALONE
            said.append(formats.say(text, band=capital(band.name), items=shown, advice=band.advice))
    return said


def _judged_by(change: float, growth: float, measure: Measure, judging: Judging, formats: Formats) -> str:
    """The figure that a band is told by; nothing where it is unknown."""
    if judging.on == "change" or measure.in_percent:
        return formats.amount(change, unit(measure, formats), signed=True) if np.isfinite(change) else ""
    return formats.growth(growth) if np.isfinite(growth) else ""


def relate_sentences(
    result: Relation, measure: Measure, at: Any, formats: Formats, n: int, then: str | None
) -> list[str]:
    """The item whose part moved most, then the others."""
    if not result.periods:
        return []
    place = result.place(at)
    period, base = periods_of(result, place, formats)
    result = result.ungathered
    row = result.of_measure(result.columns, measure).blocks[0].period(place)
    labels = list(map(item_name, zip(*(row[name].tolist() for name in result.by))))
    moved = row["ratio_change"]
    order = movers(moved, n) or np.flatnonzero(np.isfinite(row["ratio"]))[:n].tolist()
    if not order:
        return [_unrelated(result, measure, row, labels, period.when, formats, n)]

    def said(i: int, texts: tuple[str, str, str, str], **more: str) -> str:
        alone, more_text, less, level = texts
        points = formats.number(abs(float(moved[i])) * 100, 1) if np.isfinite(moved[i]) else ""
        direction = DIRECTIONS[row["direction"][i]]
        if points == formats.number(0.0, 1):  # of what is told nothing moved
            direction = "level"
        text = {"rising": more_text, "falling": less, "level": level}.get(direction, alone)
        ratios = [float(row[name][i]) for name in ("ratio", "ratio_before")]
        ratio, before = map(formats.part, ratios) if direction == "level" else parts_apart(ratios, formats)
        return formats.say(text, item=labels[i], ratio=ratio, before=before, points=points, **more)

    first = said(
        order[0],
        (_RELATED, _RELATED_MORE, _RELATED_LESS, _RELATED_LEVEL),
        measure=measure_told(result, measure, formats),
        when=period.when,
        reference=beside_words(result, formats),
        base_period=base.name,
    )
    others = [said(i, (_ITEM_SAME, _ITEM_MORE, _ITEM_LESS, _ITEM_SAME)) for i in order[1:]]
    return [first, "; ".join(others)]


def _unrelated(
    result: Relation, measure: Measure, row: Any, labels: list[str], when: str, formats: Formats, n: int
) -> str:
    """What is said where no item has a ratio: the largest amounts, and why they are no part."""
    values, named = row["value"], {"measure": measure_told(result, measure, formats), "when": when}
    known = np.flatnonzero(np.isfinite(values))
    if not len(known):
        return formats.say(message("{measure} {when}: not recorded"), **named)
    largest = known[np.argsort(-np.abs(values[known]), kind="stable")][:n]
    amounts = [f"{labels[i]} {amount_words(float(values[i]), measure, formats)}" for i in largest]
    reference = float(row["reference"][largest[0]])
    text = _NO_RATIO if np.isfinite(reference) else _NO_REFERENCE
    amount = amount_words(reference, measure, formats)
    return formats.say(text, items="; ".join(amounts), reference=beside_words(result, formats), amount=amount, **named)


def drivers_when(result: Drivers, formats: Formats) -> str:
    """When the one period was, in words."""
    return periods_of(result, 0, formats)[0].when


def contributions_sentence(
    result: Drivers, measure: Measure, formats: Formats, n: int, picked: Mapping[str, str] | None = None
) -> str:
    """What the items added or took away, in points of growth where they are known; of some of them only."""
    items = ItemMovements.of(result, measure, 0, unit(measure, formats))
    changes = items.columns["change"]
    for name, label in (picked or {}).items():
        changes = np.where([labels[result.by.index(name)] == label for labels in items.labels], changes, np.nan)
    texts = []
    for i in movers(changes, n):
        change, points = float(items.columns["change"][i]), float(items.columns["contribution"][i])
        if change == 0:
            continue
        text = (
            (_ADDED if change > 0 else _TOOK) if np.isfinite(points) else _ADDED_CHANGE if change > 0 else _TOOK_CHANGE
        )
        amount = formats.amount(abs(change), items.unit)
        texts.append(formats.say(text, item=items.name(i), points=formats.number(abs(points) * 100, 1), change=amount))
    return capital("; ".join(texts)) if texts else ""


def picked_drivers(
    result: Drivers, picked: Mapping[str, str], alone: Drivers | None, formats: Formats, n: int = 3
) -> list[str]:
    """What is told of some items of drivers: how they moved, where they are asked alone, and their part in all."""
    said = []
    for measure in result.measures:
        said += [compare_headline(alone, measure, 0, formats)] if alone is not None else []
        said.append(contributions_sentence(result, measure, formats, n, picked))
    return [f"{sentence}." for sentence in said if sentence]


def drivers_sentences(
    result: Drivers, measure: Measure, at: Any, formats: Formats, n: int, then: str | None
) -> list[str]:
    """The headline, which items moved it, the way down, and volume, mix and price."""
    moved = contributions_sentence(result, measure, formats, n)
    if result.gather is not None:
        moved = life_sentence(result, measure, formats)
    said = [compare_headline(result, measure, 0, formats), moved]
    path = result.path_columns
    if len(result.by) > 1 and measure == result.measures[0] and len(path["item"]):
        steps = ""
        for item in reversed(list(map(shortened, path["item"].tolist()))):
            steps = formats.say(_OF_WHICH, one=item, other=steps) if steps else item
        said.append(formats.say(_COMES_FROM, steps=steps))
    if result.quantity is not None:
        row = result.of_measure(result.total_columns, measure).blocks[0].row(0, 0)
        parts = {name: float(row[name]) for name in ("volume", "mix", "price")}
        if np.isfinite(list(parts.values())).all():
            amounts = {name: formats.amount(v, unit(measure, formats), signed=True) for name, v in parts.items()}
            said.append(formats.say(_EFFECTS, **amounts))
    return [*said, currency_sentence(result.currency.get(measure.name), measure, result.book, formats)]


def _pace_moved(result: Pace, measure: Measure, formats: Formats) -> Moved:
    """The running total of all items together at today's position, beside its base."""
    block, place = result.block_of(measure)
    row = block.row(result.place(), place)
    running, base, gap, growth = (float(row[name]) for name in ("running", "base", "gap", "growth"))
    moved, _ = result.directions(measure, np.array([running]), np.array([base]))
    return Moved(running, base, gap, growth, DIRECTIONS[moved[0]], (), unit(measure, formats))


def pace_sentences(result: Pace, measure: Measure, at: Any, formats: Formats, n: int, then: str | None) -> list[str]:
    """How the running total stands today, its rank, and the items that moved it."""
    last = len(result.periods) - 1
    period = pace_days(result, last, formats)
    _, base = periods_of(result, result.place(), formats)
    moved = _pace_moved(result, measure, formats)
    said = headline_of(moved, measure_told(result, measure, formats), period.when, base.name, formats)
    rank = rank_words(result, measure, (), formats)
    return ["; ".join(filter(None, (said, rank))), movers_sentence(_pace_items(result, measure, formats), n, formats)]


def _pace_items(result: Pace, measure: Measure, formats: Formats) -> ItemMovements:
    """The items of a pace at today's position, with the columns that sentences read."""
    if not result.by:
        return ItemMovements([], {}, [], "", False)
    result = result.ungathered
    row = result.of_measure(result.columns, measure).blocks[0].period(result.place())
    moved, _ = result.directions(measure, row["running"], row["base"])
    columns = {"value": row["running"], "base": row["base"], "change": row["gap"], "growth": row["growth"]}
    labels = list(zip(*(row[name].tolist() for name in result.by)))
    return ItemMovements(
        labels,
        columns | {"direction": moved},
        [frozenset()] * len(labels),
        unit(measure, formats),
        result.plan is not None,
    )


def land_sentences(result: Landing, measure: Measure, at: Any, formats: Formats, n: int, then: str | None) -> list[str]:
    """Where the period will end, beside its base; how sure that is; what it takes."""
    whole = result.whole
    block, place = whole.block_of(measure, ())
    row = block.row(0, place)
    named = {"measure": measure_told(whole, measure, formats), "when": landing_period(result, formats).when}
    estimate, low, high, base, growth = (float(row[c]) for c in ("estimate", "low", "high", "base", "growth"))
    if not np.isfinite(estimate):
        return [formats.say(_NO_ESTIMATE, value=amount_words(float(row["to_date"]), measure, formats), **named)]
    over = bool(result.now.over[0])
    amounts = {name: amount_words(v, measure, formats) for name, v in (("low", low), ("high", high))}
    amounts["estimate"], before = amounts_apart([estimate, base], unit(measure, formats), formats)
    text = _ENDED if over else _HEADING_RANGE if np.isfinite(low) else _HEADING
    said = formats.say(text, **named, **amounts)
    if np.isfinite(growth):
        way = {"rising": _AHEAD, "falling": _BEHIND}.get(DIRECTIONS[row["direction"]], _SAME)
        against = _base_words(whole, whole.span_row(), formats).name
        part = formats.part(abs(growth))
        said = formats.say(way, sentence=said, part=part, base_period=against, base=before)
    plans = {name: plan for name, plan in result.planned(measure).items() if np.isfinite(plan)}
    targets = {plan_words(name, formats): plan for name, plan in plans.items()}
    if not targets:
        targets = {_base_words(whole, whole.span_row(), formats).name: base}
    return [said, unsure_sentence(result, measure, formats), *needed_sentences(result, measure, targets, formats)]


def plan_words(name: str, formats: Formats) -> str:
    """How a sentence calls a plan."""
    return formats.say("the plan {name}", name=words(name)) if name else formats.say("the plan")


def plan_heading(name: str, formats: Formats) -> str:
    """What stands above or beside the figures of a plan."""
    return formats.say("Plan {name}", name=words(name)) if name else column_words("plan", formats)


def needed_sentences(result: Landing, measure: Measure, targets: Mapping[str, float], formats: Formats) -> list[str]:
    """What must still be sold a day to reach some targets, all items together."""
    block, place = result.whole.block_of(measure)
    row = block.row(0, place)
    said = []
    for name, target in targets.items():
        if not result.days_left or not target > 0:
            continue
        needed = result.needed(target, float(row["to_date"]))
        fields = {"target": name, "amount": amount_words(target, measure, formats)}
        if needed <= 0:
            said.append(capital(formats.say(_REACHED, **fields)))
            continue
        a_day = amount_words(needed, measure, formats)
        one, several_left = (_NEEDED_LAST, _NEEDED) if result.sold_daily else (_NEEDED_SELLING_LAST, _NEEDED_SELLING)
        said.append(formats.count(result.days_left, one, several_left, needed=a_day, **fields))
    return said
