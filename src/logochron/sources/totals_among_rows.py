"""Rows that are totals of others: told by their labels, proved by their amounts, and left out."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.filters import Condition, Not
from logochron.core.book.intake import Fact
from logochron.core.choices import how_many
from logochron.core.days import Days, iso
from logochron.core.errors import IntakeError, Remedy
from logochron.core.said import Joined, Said
from logochron.core.total_labels import is_total as is_total_label
from logochron.core.total_labels import item_totalled
from logochron.sources.rolled_source import LabelRows, ReadingSpec, RolledSource
from logochron.sources.values.labels import CodedTexts, coded

#: Sums of doubles differ by no more than this part of them.
_SLACK = 1e-9
_Sums = NDArray[np.float64]
_ORDINARY, _ANY = -2, -1
_DAY_NUMBER = r"-?\d{1,6}"
#: So many labels are named.
_NAMED = 6


class TotalsAside(NamedTuple):
    """The conditions that leave totals out, what is said of them, and how many have no date, by the source's name.

    `facts`: the same for a review, and what of them does not add up.
    """

    conditions: tuple[Condition, ...] = ()
    said: tuple[str, ...] = ()
    undated: Mapping[str, int] = {}
    facts: tuple[Fact, ...] = ()


def totals_aside(scans: Sequence[RolledSource], spec: ReadingSpec) -> TotalsAside:
    """The totals among the rows of some sources.

    Raises
    ------
    IntakeError
        Where a label calls its row a total, and its amounts are not those of the rows it names.
    """
    if spec.stated.keep_totals:
        return TotalsAside()
    labels: dict[str, dict[str, None]] = {}
    said: list[str] = []
    facts: list[Fact] = []
    undated: dict[str, int] = {}
    for scanned in scans:
        try:
            rows = scanned.label_rows()
        except IntakeError:
            if not spec.reviewed:
                raise
            continue
        if rows is None:
            continue
        try:
            proved, many, undated[scanned.name] = _proved(rows, spec.date, scanned.name)
        except _NoTotal as error:
            if not spec.reviewed:
                raise
            facts.append(error.fact)
            continue
        facts += [
            Fact("totals among rows", column, many, _listed(texts), Said("left out, as the rows they name are counted; "
                 "keep_totals=True (--keep-totals) counts them"))
            for column, texts in proved.items()
        ]  # fmt: skip
        for column, texts in proved.items():
            labels.setdefault(column, {}).update(dict.fromkeys(texts))
        if proved:
            named = [Said("{0} in column {1!r}", _listed(texts), column) for column, texts in proved.items()]
            said.append(
                Said(
                    "{0}: left out as totals of other rows: {1}, {2} (keep_totals=, --keep-totals counts them)",
                    scanned.name,
                    how_many(many, "row"),
                    Joined(named, "; "),
                )
            )
    conditions = tuple(Condition(column, (), tuple(texts)) for column, texts in labels.items())
    return TotalsAside(conditions, tuple(said), undated, tuple(facts))


def _listed(texts: Sequence[str]) -> str:
    more = len(texts) - _NAMED
    named = ", ".join(map(repr, texts[:_NAMED]))
    return Said("{0} and {1:,} more", named, more) if more > 0 else named


class _NoTotal(IntakeError):
    """Rows that call themselves totals and are none."""

    fact: Fact


class _Column(NamedTuple):
    """A column of labels: its texts, the code of each row, and of each text whether it calls its row a total.

    `of`: `_ORDINARY`; `_ANY` where it names no item; else the code of the item in the column `where`.
    """

    texts: NDArray[np.object_]
    codes: Days
    of: Days
    where: list[str]


def _proved(rows: LabelRows, date: str, name: str) -> tuple[dict[str, list[str]], int, int]:
    """By column the labels of rows that are totals of others, how many rows bear them, and how many of no date.

    Raises
    ------
    IntakeError
        Where a label says so and its rows do not add up.
    """
    columns = _columns(rows)
    is_total = np.zeros(len(rows.rows), dtype=bool)
    for column in columns.values():
        is_total |= column.of[column.codes] != _ORDINARY
    dates, date_codes = coded(rows.dates)
    of_all_dates = np.array([is_total_label(text) and not any(map(str.isdigit, text)) for text in dates])
    is_total |= of_all_dates[date_codes]
    if not (is_total & rows.keep).any() or is_total.all():
        return {}, 0, 0
    bound = _bound(columns, is_total)
    dated = ~of_all_dates[date_codes] & CodedTexts(dates, date_codes).filled
    found = np.zeros(len(rows.rows), dtype=bool)
    adds_up = np.zeros(len(rows.rows), dtype=bool)
    base_sums = [np.zeros(len(rows.rows)) for _ in rows.sums]
    totals = np.flatnonzero(is_total)
    patterns = np.stack([*(codes != _ANY for codes in bound.values()), dated], axis=1)
    for pattern in np.unique(patterns[totals], axis=0):
        members = totals[(patterns[totals] == pattern).all(axis=1)]
        parts = [(columns[c].codes, bound[c]) for c, is_bound in zip(bound, pattern) if is_bound]
        if pattern[-1]:
            parts.append((date_codes, date_codes))
        ordinary, sought = _keys(parts, np.flatnonzero(~is_total), members)
        known, place = np.unique(ordinary, return_inverse=True)
        at = np.minimum(np.searchsorted(known, sought), len(known) - 1)
        found[members] = known[at] == sought
        close = found[members].copy()
        for sums, base in zip(rows.sums, base_sums):
            base[members] = np.bincount(place, weights=sums[~is_total], minlength=len(known))[at]
            close &= _is_close(sums[members], base[members])
        adds_up[members] = close
    proved: dict[str, list[str]] = {}
    aside = np.zeros(len(rows.rows), dtype=bool)
    told = [(of, c.texts, c.codes, code) for of, c in columns.items() for code in np.flatnonzero(c.of != _ORDINARY)]
    told += [(date, dates, date_codes, code) for code in np.flatnonzero(of_all_dates)]
    for of, texts, codes, code in told:
        text, bearing = str(texts[code]), codes == code
        kept = bearing & rows.keep
        if not kept.any() or not found[kept].any():
            continue  # what it would add up is not there: an item of its own
        if not adds_up[kept].all():
            labels = [str(known[label]) for other, known, _, label in told if other == of]
            _ask(rows, (of, text, labels), kept & ~adds_up, base_sums, name)
        proved.setdefault(of, []).append(text)
        aside |= bearing
    return proved, int(rows.rows[aside & rows.keep].sum()), int(rows.rows[aside & ~dated].sum())


def _is_close(sums: _Sums | np.float64, others: _Sums | np.float64) -> Any:
    """Whether sums of doubles are equal but for what adding them up in another order makes of them."""
    size = np.maximum(np.abs(sums), np.abs(others))
    return np.abs(sums - others) <= _SLACK * np.maximum(size, 1)


def _columns(rows: LabelRows) -> dict[str, _Column]:
    """The columns of labels, and which of their texts call a row a total of which item."""
    texts_of = {}
    for name, texts in rows.labels.items():
        known, codes = coded(texts)
        texts_of[name] = known.astype(object), codes.astype(np.int64)
    items = {
        name: {text.strip().casefold(): i for i, text in enumerate(known) if text and item_totalled(text) is None}
        for name, (known, _) in texts_of.items()
    }
    columns = {}
    for name, (known, codes) in texts_of.items():
        of = np.full(len(known), _ORDINARY, dtype=np.int64)
        where = [name] * len(known)
        for i, text in enumerate(known):
            item = item_totalled(text)
            if item == "":
                of[i] = _ANY
            elif item is not None:
                meant = next((n for n in (name, *texts_of) if item.casefold() in items[n]), None)
                if meant is not None:
                    of[i], where[i] = items[meant][item.casefold()], meant
        columns[name] = _Column(known, codes, of, where)
    return columns


def _bound(columns: Mapping[str, _Column], is_total: NDArray[np.bool_]) -> dict[str, Days]:
    """For each column the item that each row's total is of; `_ANY` where it is of all of them."""
    bound = {name: np.full(len(is_total), _ANY, dtype=np.int64) for name in columns}
    # what stands in totals only, such as a dash, names no rows
    for name, column in columns.items():
        of = column.of[column.codes]
        known = np.zeros(len(column.texts), dtype=bool)
        known[column.codes[~is_total]] = True
        filled = known & np.array([bool(text.strip()) for text in column.texts], dtype=bool)
        plain = (of == _ORDINARY) & filled[column.codes]
        bound[name][plain] = column.codes[plain]
    for column in columns.values():
        for code in np.flatnonzero(column.of >= 0):
            bound[column.where[code]][column.codes == code] = column.of[code]
    return bound


def _keys(parts: Sequence[tuple[Days, Days]], ordinary: Days, members: Days) -> tuple[Days, Days]:
    """One number for the codes of each ordinary row, and for those that each total is of."""
    low = np.zeros(len(ordinary), dtype=np.int64)
    high = np.zeros(len(members), dtype=np.int64)
    for codes, wanted in parts:
        size = int(max(codes.max(initial=0), wanted.max(initial=0))) + 1
        low, high = low * size + codes[ordinary], high * size + wanted[members]
        both = np.unique(np.concatenate([low, high]), return_inverse=True)[1]  # so that no product grows too large
        low, high = both[: len(low)], both[len(low) :]
    return low, high


def _ask(
    rows: LabelRows,
    told: tuple[str, str, list[str]],
    wrong: NDArray[np.bool_],
    base_sums: Sequence[_Sums],
    name: str,
) -> None:
    """Refuse totals that are none: the column, the label, and all labels of totals there."""
    column, label, labels = told
    first = int(wrong.argmax())
    pairs = [(sums[first], base[first]) for sums, base in zip(rows.sums, base_sums)]
    value, base = next((value, base) for value, base in pairs if not _is_close(value, base))
    date = str(rows.dates[first])
    when = f" ({iso(int(date)) if re.fullmatch(_DAY_NUMBER, date) else date})" if date else ""
    left_out = " ".join(f"--where '{column}!={one}'" for one in labels[:_NAMED])
    what = Said("{0:,.15g} against {1:,.15g}{2}", value, base, when)
    settles = Said(
        "leave it out by where= ({0}), or count it as any other row by keep_totals=True (--keep-totals)", left_out
    )
    remedy: Remedy = {"where": {column: Not(*labels)}}
    refusal = _NoTotal(
        Said(
            "{0}, column {1!r}: {2!r} calls its row a total, and its amounts are not those of "
            "the rows it names: {3}; {4}",
            name,
            column,
            label,
            what,
            settles,
        ),
        remedies=[remedy, {"keep_totals": True}],
    )
    kind, many = "total that does not add up", int(rows.rows[wrong].sum())
    refusal.fact = Fact(
        kind, column, many, Said("{0!r}: {1}", label, what), Said("a comparison stops: {0}", settles), remedy
    )
    raise refusal
