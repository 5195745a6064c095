"""All sources together: each row counted, refused, set aside or blank, and the counted ones as arrays."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.coverage import Ends
from logochron.core.days import Days, iso
from logochron.core.errors import IntakeError, QuestionError, no_such
from logochron.core.intake import LISTED, Intake, Refusal
from logochron.core.sums import Amounts
from logochron.sources.dates import Reading, read_dates
from logochron.sources.engine import Engine, Plan
from logochron.sources.scanned import Scanned, Wanted, malformed_rows, refused_rows

_SHOWN = 10
_READINGS = {
    "year first": "YYYY-MM-DD",
    "eight digits": "YYYYMMDD",
    "day first": "day first (31/12/2026)",
    "month first": "month first (12/31/2026)",
}


class Rows(NamedTuple):
    """The counted rows, one for each day and tuple of items."""

    days: Days
    records: Days
    codes: dict[str, Days]
    labels: dict[str, NDArray[np.object_]]
    amounts: dict[str, Amounts]
    recorded: Days


class Stated(NamedTuple):
    """What the user stated about dates, and the days wanted."""

    day_first: bool | None
    date_format: str | None
    keep: Ends  # rows outside are set aside


def account(
    engine: Engine, scans: Sequence[Scanned], wanted: Wanted, stated: Stated, on_refused: str
) -> tuple[Rows, Intake]:
    """Judge the dates, account for every row and gather what counts.

    Raises
    ------
    IntakeError
        Where rows are refused and `on_refused` is ``"stop"``, or no row is left to count.
    QuestionError
        Where `where` names an item that does not occur.
    """
    _check_items(engine, scans, wanted)
    reading = _dates(scans, wanted, stated)
    low, high = stated.keep
    inside = reading.readable.copy()
    if low is not None:
        inside &= reading.days >= low
    if high is not None:
        inside &= reading.days <= high
    refusals: list[Refusal] = []
    refused = set_aside = counted = 0
    offset, taken = 0, []
    for scanned in scans:
        groups, part = scanned.groups, slice(offset, offset + len(scanned.groups.dates))
        offset = part.stop
        dated, in_days = reading.readable[part][groups.date_codes], inside[part][groups.date_codes]
        question = in_days & groups.keep
        bad = int(groups.bad[question].sum())
        undated = int(groups.rows[~dated].sum()) - scanned.blank_rows
        counted += int(groups.rows[question].sum()) - bad
        refused += bad + undated + scanned.torn
        set_aside += int(groups.rows[dated & ~question].sum())
        if bad or undated or scanned.torn:
            shape = _READINGS.get(reading.name, reading.name)
            found = refused_rows(
                engine,
                scanned,
                groups.dates[inside[part]],
                groups.dates[~reading.readable[part]],
                f"not a date {shape}",
            )
            found += malformed_rows(scanned)
            refusals += sorted(found, key=lambda refusal: refusal.line)
        taken.append(question & (groups.rows > groups.bad))
    intake = Intake(
        read=sum(scanned.records for scanned in scans),
        counted=counted,
        refused=refused,
        set_aside=set_aside,
        blank=sum(scanned.blank for scanned in scans),
        refused_rows=tuple(refusals[:LISTED]),
        guesses=_guesses(scans, wanted, reading),
        sources=tuple(scanned.source.name for scanned in scans),
    )
    if intake.read != intake.counted + intake.refused + intake.set_aside + intake.blank:
        raise IntakeError(f"{', '.join(intake.sources)}: the account of its rows does not add up: {intake}")
    if refused and on_refused == "stop":
        raise IntakeError(_refusal_message(intake))
    recorded = np.unique(reading.days[inside])
    if not len(recorded):
        span = f"{iso(low) if low is not None else ''}..{iso(high) if high is not None else ''}"
        held = reading.days[reading.readable]
        raise QuestionError(
            f"no record lies in the days wanted ({span}): the records run from {iso(int(held.min()))} "
            f"to {iso(int(held.max()))}"
        )
    return _gathered(scans, wanted, reading, taken, recorded), intake


def _check_items(engine: Engine, scans: Sequence[Scanned], wanted: Wanted) -> None:
    pairs = scans[0].groups.named_rows
    for column, label in pairs:
        if not sum(scanned.groups.named_rows[column, label] for scanned in scans):
            known: set[str] = set()
            for scanned in scans:
                sql = (
                    f"SELECT DISTINCT {scanned.query.conditions[column]} AS v FROM {scanned.query.relation} LIMIT 10000"
                )
                known |= set(engine.arrays(sql)["v"])
            raise QuestionError(f"`where`: {no_such('item', label, sorted(known), where=f'column {column!r}')}")


def _dates(scans: Sequence[Scanned], wanted: Wanted, stated: Stated) -> Reading:
    """The days of all distinct dates, source after source."""
    dates = [scanned.groups.dates for scanned in scans]
    if not sum(len(part) for part in dates):
        names = ", ".join(scanned.source.name for scanned in scans)
        torn = [f"\n  {refusal}" for scanned in scans for refusal in malformed_rows(scanned)[:_SHOWN]]
        raise IntakeError(f"{names}: no rows below the header" + (" can be read:" + "".join(torn) if torn else ""))
    if all(part.dtype != object or not any(isinstance(text, str) for text in part) for part in dates):
        days = [np.array([np.iinfo(np.int64).min if d is None else d for d in part], dtype=np.int64) for part in dates]
        joined = np.concatenate(days)
        readable = joined != np.iinfo(np.int64).min
        if not readable.any():
            raise IntakeError(f"column {wanted.date!r} holds no usable date: all its fields are empty")
        return Reading(joined, readable, "dates", False)
    texts = [None if text is None else _text(text) for part in dates for text in part]
    counts = np.concatenate(
        [np.bincount(s.groups.date_codes, s.groups.rows, minlength=len(s.groups.dates)) for s in scans]
    )
    return read_dates(texts, counts, column=wanted.date, day_first=stated.day_first, date_format=stated.date_format)


def _text(date: object) -> str:
    """A date of a source that holds days beside sources that hold texts."""
    return date if isinstance(date, str) else iso(int(date))  # type: ignore[call-overload]


def _guesses(scans: Sequence[Scanned], wanted: Wanted, reading: Reading) -> tuple[str, ...]:
    said = [guess for scanned in scans for guess in scanned.guesses]
    if reading.guessed:
        said.append(f"column {wanted.date!r}: dates read with the {reading.name}, as some rows read no other way")
    for column in wanted.columns:
        empties = sum(scanned.groups.empties[column] for scanned in scans)
        if empties:
            said.append(f"column {column!r}: {empties:,} empty amounts taken as 0")
    return tuple(said)


def _refusal_message(intake: Intake) -> str:
    shown = [f"  {refusal}" for refusal in intake.refused_rows[:_SHOWN]]
    if intake.refused > len(shown):
        shown.append(f"  and {intake.refused - len(shown):,} more")
    return "\n".join(
        [
            f"{intake.refused:,} of {intake.read:,} rows are refused:",
            *shown,
            "Mend them, or leave them out by on_refused='skip' (--on-refused skip)",
        ]
    )


def _gathered(
    scans: Sequence[Scanned],
    wanted: Wanted,
    reading: Reading,
    taken: Sequence[NDArray[np.bool_]],
    recorded: Days,
) -> Rows:
    """The rows of all sources with one coding of items, one row a day and tuple."""
    offsets = np.cumsum([0, *(len(scanned.groups.dates) for scanned in scans)])
    days = np.concatenate([reading.days[s.groups.date_codes + o][t] for s, o, t in zip(scans, offsets, taken)])
    codes: dict[str, Days] = {}
    labels: dict[str, NDArray[np.object_]] = {}
    key = days - days.min() if len(days) else days
    for name in wanted.dimensions:
        known = sorted({label or "" for s in scans for label in s.groups.labels[name]})
        place = {label: i for i, label in enumerate(known)}
        parts = []
        for s, t in zip(scans, taken):
            recode = np.array([place[label or ""] for label in s.groups.labels[name]], dtype=np.int64)
            parts.append(recode[s.groups.label_codes[name][t]])
        codes[name] = np.concatenate(parts)
        labels[name] = np.array(known, dtype=object)
        key = key * max(len(known), 1) + codes[name]
    rows = np.concatenate([(s.groups.rows - s.groups.bad)[t] for s, t in zip(scans, taken)])
    amounts = {column: _joined(scans, column, taken) for column in wanted.columns}
    order = np.argsort(key, kind="stable")
    first = np.flatnonzero(np.diff(key[order], prepend=-1) != 0) if len(key) else order
    return Rows(
        days=days[order][first],
        records=np.add.reduceat(rows[order], first) if len(first) else rows,
        codes={name: values[order][first] for name, values in codes.items()},
        labels=labels,
        amounts={
            name: Amounts(np.add.reduceat(a.values[order], first) if len(first) else a.values, a.scale, a.size)
            for name, a in amounts.items()
        },
        recorded=recorded,
    )


def _joined(scans: Sequence[Scanned], column: str, taken: Sequence[NDArray[np.bool_]]) -> Amounts:
    """The sums of a column from all sources, at one scale; as floats where whole numbers do not reach."""
    plans: list[Plan] = [s.groups.plans[column] for s in scans]
    scale = max(plan.scale for plan in plans)
    size = sum(
        s.groups.sizes[column] * (10 ** (scale - plan.scale) if plan.way != "float" else 1)
        for s, plan in zip(scans, plans)
    )
    exact = all(plan.way != "float" for plan in plans) and size < 2.0**62
    parts = []
    for s, plan, t in zip(scans, plans, taken):
        values = s.groups.sums[column][t]
        if exact:
            parts.append(values.astype(np.int64) * 10 ** (scale - plan.scale))
        else:
            parts.append(values / 10**plan.scale if plan.way != "float" else values.astype(np.float64))
    joined = np.concatenate(parts)
    if not np.isfinite(joined).all():
        raise IntakeError(f"column {column!r}: a sum is too large to be a finite number")
    return Amounts(joined, scale if exact else None, size if exact else float(np.abs(joined).sum()))
