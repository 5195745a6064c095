"""What is said of rows that hardly belong into one sum: amounts of several currencies, orders that do not count."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.filters import Not
from logochron.core.book.intake import Fact
from logochron.core.choices import how_many
from logochron.core.errors import IntakeError
from logochron.core.said import Hinted, Joined, Said
from logochron.sources.files.watched_columns import NOT_COUNTING, state_of
from logochron.sources.rolled_source import SIGNED, WATCHED, ReadingSpec, RolledSource

RowsTaken = Sequence[NDArray[np.bool_]]


def mixed_facts(scans: Sequence[RolledSource], taken: RowsTaken, spec: ReadingSpec) -> list[Fact]:
    """The currencies and the states of the rows that count, where those hardly belong into one sum.

    Raises
    ------
    IntakeError
        Where they are amounts of several currencies; told as a fact where the records are only reviewed.
    """
    columns = {key: None for scanned in scans for key in scanned.groups.labels if key.startswith(WATCHED)}
    facts: list[Fact] = []
    for key in columns:
        column = key.removeprefix(WATCHED)
        if key.startswith(SIGNED) or (spec.conversion and column == spec.currency):
            continue
        rows, amounts = _by_label(scans, taken, key, spec)
        if all(state_of(label) for label in rows if label.strip()):
            facts += _states(column, rows, amounts)
        elif len(rows) > 1 and any(measure.is_money for measure in spec.measures):
            fact = _currencies(column, rows)
            if not spec.reviewed:
                said = Said(
                    "column {0!r} says that the amounts are in {1}: {2}; {3}",
                    column,
                    fact.kind,
                    fact.example,
                    fact.effect,
                )
                raise IntakeError(said, remedies=[{"by": [column]}, *([fact.remedy] if fact.remedy else [])])
            facts.append(fact)
    return facts


def _by_label(
    scans: Sequence[RolledSource], taken: RowsTaken, key: str, spec: ReadingSpec
) -> tuple[dict[str, int], dict[str, float]]:
    """How many rows that count have each label, and what their first amounts come to."""
    rows: dict[str, int] = {}
    sums: dict[str, float] = {}
    amounts: NDArray[np.float64]
    first = next((aggregate.key for aggregate in spec.summed if aggregate.column), None)
    for scanned, of in zip(scans, taken):
        groups = scanned.groups
        if key not in groups.labels:
            continue
        codes, size = groups.label_codes[key][of], len(groups.labels[key])
        many = np.bincount(codes, groups.rows[of] - groups.bad[of], minlength=size)
        amounts = np.zeros(size)
        if first is not None:
            leaf = groups.aggregates[first]
            amounts = np.bincount(codes, leaf.sums[of] / 10 ** (leaf.scale or 0), minlength=size).astype(np.float64)
        for label, n, amount in zip(groups.labels[key], many, amounts):
            if n:
                rows[label or ""] = rows.get(label or "", 0) + int(n)
                sums[label or ""] = sums.get(label or "", 0.0) + float(amount)
    return rows, sums


def _states(column: str, rows: dict[str, int], amounts: dict[str, float]) -> list[Fact]:
    aside = [label for label in rows if state_of(label) in NOT_COUNTING]
    if not aside or len(aside) == len(rows):
        return []
    part = sum(rows[label] for label in aside) / sum(rows.values())
    left, whole = sum(amounts[label] for label in aside), sum(amounts.values())
    of_amounts = Said(" and {0:.1f} % of the amounts", 100 * left / whole) if whole > 0 else ""
    options = " ".join(f"--where '{column}!={label}'" for label in aside)
    example = Said("{0}: {1:.1f} % of the rows{2}", ", ".join(map(repr, aside)), 100 * part, of_amounts)
    effect = Said(
        "they usually do not count, and do here; where={{{0!r}: {1!r}}} ({2}) leaves them out",
        column,
        Not(*aside),
        options,
    )
    return [Fact("states of orders", column, sum(rows[label] for label in aside), example, effect,
                 {"where": {column: Not(*aside)}})]  # fmt: skip


def _currencies(column: str, rows: dict[str, int]) -> Fact:
    most = sorted(rows, key=lambda label: -rows[label])
    every = sum(rows.values())
    example = Joined(
        Said("{0} ({1}, {2:.1f} %)", label or Said("(empty)"), how_many(rows[label], "row"), 100 * rows[label] / every)
        for label in most
    )
    effect = Said(
        "they are not added up as they stand: split by it (by=, --by {0}), choose one by where= (--where {0}={1}), or "
        "bring them to one by rates= (--rates FILE --to {1})",
        column,
        most[0],
    )
    return Fact("several currencies", column, sum(rows.values()), example, effect, {"where": {column: most[0]}})


def said_of(fact: Fact) -> str:
    """A fact as a line below an answer."""
    said = Said("column {0!r}, {1}: {2}", fact.column, Said(fact.kind), fact.example)
    return Hinted(said, Said("; {0}", fact.effect))
