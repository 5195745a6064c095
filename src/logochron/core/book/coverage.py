"""Which days the records are taken as complete for, and where the report stands."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.days import Days, iso, weekday
from logochron.core.errors import QuestionError, Remedy
from logochron.core.said import Joined, Said

Ends = tuple[int | None, int | None]

#: How far past the last record a report date is believed without `covering`.
BY_WORD_DAYS = 31
#: How far from the records `covering` may reach, in days, where they span less, and where they span more.
_LEAST_REACH, _MOST_REACH = 3_653, 73_050
#: So many far-off days are taken for typing errors, beside at least so many others.
_MISTYPED, _THE_REST = 3, 20
#: A gap at an edge of at most this many days may be closed days.
CLOSED_DAYS = 7


class Coverage(NamedTuple):
    """The days from `first` to `last`, the report date, for which the records are complete.

    `recorded_last` is the last day with records up to the report date; where `by_word`, the report date
    lies past it because the user said so. `uncut`: the grain of the records where the report date lies within the last
    of them, which is to date then, and those before cannot be cut; empty where all are known whole.
    """

    first: int
    last: int
    recorded_last: int
    by_word: bool
    uncut: str = ""


def typing_errors(recorded: Days) -> tuple[int, int]:
    """How many recorded days at the start and at the end stand so far off that they look mistyped.

    Up to three at either end, parted from the rest of at least 20 by more than 92 days, more than 20 median gaps and
    more than any other gap.

    Parameters
    ----------
    recorded
        Sorted, distinct day numbers.

    >>> import numpy as np
    >>> typing_errors(np.append(np.arange(20), 20_000))
    (0, 1)
    """
    before, after = _parted(recorded)
    # with those of the one end put away, those of the other
    if after:
        before = _parted(recorded[:-after])[0]
    elif before:
        after = _parted(recorded[before:])[1]
    return before, after


def _parted(recorded: Days) -> tuple[int, int]:
    """How many days the widest gap parts from the rest, at the start or at the end, where they look mistyped."""
    gaps = np.diff(recorded)
    if len(gaps) < 2:
        return 0, 0
    widest = int(gaps.argmax())
    others = np.delete(gaps, widest)
    if gaps[widest] <= max(92, 20 * float(np.median(gaps)), int(others.max())):
        return 0, 0
    before, after = widest + 1, len(recorded) - widest - 1
    if min(before, after) > _MISTYPED or max(before, after) < _THE_REST:
        return 0, 0
    return (0, after) if after <= _MISTYPED else (before, 0)


def touches(starts: Days, ends: Days, wanted: Ends) -> NDArray[np.bool_]:
    """Whether what records stand for touches the days wanted; where an end is None they go on.

    >>> touches(np.array([1, 5]), np.array([3, 9]), (4, None)).tolist()
    [False, True]
    """
    low, high = wanted
    inside = np.ones(starts.shape, dtype=bool)
    if low is not None:
        inside &= ends >= low
    if high is not None:
        inside &= starts <= high
    return inside


def settle(recorded: Days, ends: Days, covering: Ends, until: int | None, *, asked: bool = True) -> Coverage:
    """The coverage that the recorded days, `covering` and `until` give together.

    Parameters
    ----------
    recorded, ends
        The days with records, and the last day that the records of each stand for.
    asked
        Whether a question is asked: days that look mistyped are then refused.

    Raises
    ------
    QuestionError
        Where days look mistyped and nothing settles it, where `until` lies before the first day or too far
        past the last, or where no recorded day is left.
    """
    low, high = covering
    inside = touches(recorded, ends, covering)
    held, last_days = recorded[inside], ends[inside]
    sound = held
    early, late = typing_errors(sound)
    if until is not None and high is None:
        while late and until < sound[-late]:
            sound = sound[:-late]
            early, late = typing_errors(sound)
    early, late = early if low is None else 0, late if high is None and until is None else 0
    if asked and (early or late):
        raise _mistyped(held, early, late)
    if not len(sound) and (low is None or high is None):
        raise QuestionError(
            "no record lies in the days of `covering`: the records run from {0} to {1}",
            iso(int(recorded[0])),
            iso(int(recorded[-1])),
        )
    _check_reach(recorded, ends, covering)
    first = int(sound[0]) if low is None else low
    last_days = last_days[: len(sound)]
    end = int(last_days[-1]) if high is None else high
    if until is None:
        return Coverage(first, end, int(last_days[-1]) if len(sound) else end, False)
    if until < first:
        raise QuestionError("`until` {0} lies before the first day of the records, {1}", iso(until), iso(first))
    if high is None and until - end > BY_WORD_DAYS:
        raise QuestionError(
            "`until` {0} is {1:,} days past the last record, {2}; at most {3} are believed: say "
            "covering=({4!r}, {0!r}) (--covering {4}..{0}) if the records are complete to that "
            "day",
            iso(until),
            until - end,
            iso(end),
            BY_WORD_DAYS,
            iso(first),
            remedies=[{"covering": f"{iso(first)}..{iso(until)}"}],
        )
    up_to = last_days[sound <= until]
    recorded_last = min(int(up_to[-1]), until) if len(up_to) else first - 1
    return Coverage(first, until, recorded_last, until > end)


def _check_reach(recorded: Days, ends: Days, covering: Ends) -> None:
    """Refuse a coverage that reaches farther from the records than they span: a slip, and days without end."""
    first, last = int(recorded[0]), int(ends[-1])
    most = min(max(last - first + 1, _LEAST_REACH), _MOST_REACH)
    low, high = covering
    for end, record, beyond, side in (
        (low, first, -1, Said("before the first")),
        (high, last, 1, Said("after the last")),
    ):
        if end is not None and (end - record) * beyond > most:
            raise QuestionError(
                "`covering` {0} lies {1:,} days {2} record, {3}: at most {4:,} are believed, as many "
                "as the records span (ten years where they span less, 200 where they span more)",
                iso(end),
                abs(end - record),
                side,
                iso(record),
                most,
            )


def _mistyped(days: Days, early: int, late: int) -> QuestionError:
    """What is said of so many days at the start and at the end, and what settles them."""
    first, last = int(days[early]), int(days[len(days) - late - 1])
    held, python, command = [], [], []
    if early:
        held.append(_far_off(days[:early], first))
        python.append(f"covering=({iso(first)!r}, None)")
        command.append(f"--covering {iso(first)}..")
    if late:
        held.append(_far_off(days[-late:], last))
        python.append(f"until={iso(last)!r}")
        command.append(f"--until {iso(last)}")
    ends = [repr(iso(int(day))) if odd else "None" for day, odd in ((days[0], early), (days[-1], late))]
    many = bool(early and late)
    leaving: Remedy = {**({"covering": f"{iso(first)}.."} if early else {}), **({"until": iso(last)} if late else {})}
    keeping = {"covering": "..".join(iso(int(day)) if odd else "" for day, odd in ((days[0], early), (days[-1], late)))}
    return QuestionError(
        "the records hold {0}: probably {1}. {2} ({3}) leaves {4} out, covering=({5}) keeps {4}",
        Joined(held, Said(", and ")),
        Said("typing errors") if many else Said("a typing error"),
        ", ".join(python),
        " ".join(command),
        "them" if many else "it",
        ", ".join(ends),
        remedies=[leaving, keeping],
    )


def _far_off(days: Days, sound: int) -> str:
    named = ", ".join(iso(int(day)) for day in days)
    apart = int(min(abs(days[0] - sound), abs(days[-1] - sound)))
    return Said("{0}, {1:,} days from their neighbor {2}", named, apart, iso(sound))


def closable(recorded: Days, first: int, last: int) -> bool:
    """Whether the days from `first` to `last` may simply have been closed days.

    At most seven, or only weekdays on which nothing was ever recorded.
    """
    if first > last:
        return False
    if last - first < CLOSED_DAYS:
        return True
    return not np.isin(weekday(np.arange(first, last + 1)), np.unique(weekday(recorded))).any()
