"""Measures as formulas over what is summed from the records: sums and counts, maybe of part of the rows."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.exact import at_one_scale, divided, subtracted
from logochron.core.book.filters import Condition, conditions
from logochron.core.book.measures import Measure
from logochron.core.book.span_sums import Sums
from logochron.core.calendars.base import Bools
from logochron.core.errors import QuestionError

#: The column of the numbers of records: no column of a source is called like it.
RECORDS = "\0records"


class Leaf(NamedTuple):
    """What is summed from the records: a column, their number, or the distinct ids of a column; of some rows."""

    column: str
    counts: Literal["", "records", "ids"] = ""
    where: tuple[Condition, ...] = ()

    @property
    def key(self) -> str:
        """What its sums are kept under: the column itself where that says it all."""
        if self.where or self.counts == "ids":
            return "\0" + repr(tuple(self))
        return RECORDS if self.counts else self.column


@dataclass(frozen=True)
class Difference:
    """One formula less another."""

    of: Formula
    less: Formula


@dataclass(frozen=True)
class Quotient:
    """One formula per another, which is called `name`."""

    of: Formula
    per: Formula
    name: str


Formula = Leaf | Difference | Quotient


def formulas(measures: Sequence[Measure]) -> dict[str, Formula]:
    """The formula of each measure. A name that measures bear is theirs, any other a column.

    Raises
    ------
    QuestionError
        Where a measure is made of itself, or a name is borne twice.
    """
    known: dict[str, Measure] = {}
    for measure in measures:
        if known.setdefault(measure.name, measure) is not measure:
            raise QuestionError(f"two measures are called {measure.name!r}")

    def made(measure: Measure, above: tuple[str, ...], where: tuple[Condition, ...]) -> Formula:
        chain = (*above, measure.name)
        if measure.name in above:
            raise QuestionError(
                f"a measure cannot be made of itself, in a cycle: {' -> '.join(chain)}; give one of them another name"
            )
        held = tuple(sorted({*where, *conditions(measure.where or {})}))

        def part(name: str | None) -> Formula:
            assert name is not None
            return made(known[name], chain, held) if name in known else Leaf(name, "", held)

        if measure.kind == "difference":
            return Difference(part(measure.of), part(measure.less))
        if measure.kind == "quotient":
            return Quotient(part(measure.of), part(measure.per), str(measure.per))
        if measure.kind == "count":
            return Leaf("", "records", held) if measure.count else Leaf(str(measure.distinct), "ids", held)
        return Leaf(measure.column or measure.name, "", held)

    return {name: made(measure, (), ()) for name, measure in known.items()}


def leaves(formula: Formula) -> tuple[Leaf, ...]:
    """All that a formula sums from the records, each once."""
    if isinstance(formula, Leaf):
        return (formula,)
    other = formula.less if isinstance(formula, Difference) else formula.per
    return tuple(dict.fromkeys((*leaves(formula.of), *leaves(other))))


def all_leaves(formulas: Mapping[str, Formula], names: Sequence[str] | None = None) -> tuple[Leaf, ...]:
    """All that some formulas sum from the records, each once."""
    wanted = formulas if names is None else names
    return tuple(dict.fromkeys(leaf for name in wanted for leaf in leaves(formulas[name])))


def adds_up(formula: Formula) -> bool:
    """Whether the figure of all is the sum of those of its parts: not where anything is divided."""
    if isinstance(formula, Difference):
        return adds_up(formula.of) and adds_up(formula.less)
    return isinstance(formula, Leaf)


def counts_ids(formula: Formula) -> bool:
    """Whether distinct ids are counted in it, which may lie in two items."""
    return any(leaf.counts == "ids" for leaf in leaves(formula))


class LeafSums(NamedTuple):
    """Sums of one leaf: whole numbers at `scale`, or floats where that is None."""

    values: Sums
    scale: int | None


class Worked(NamedTuple):
    """A formula worked out. `lacking`: where it is unknown, since what is named there is not above 0."""

    values: NDArray[Any]
    scale: int | None
    lacking: tuple[tuple[Bools, str], ...] = ()

    @property
    def shown(self) -> NDArray[np.float64]:
        """The figures in whole units, NaN where they are unknown."""
        return np.where(self.known, self.values / 10 ** (self.scale or 0), np.nan)

    @property
    def known(self) -> Bools:
        """Where it is known, of a shape that fits."""
        whole = self.scale is not None  # whole numbers are always known
        known = np.ones((1, 1), dtype=bool) if whole and not self.lacking else np.isfinite(self.values)
        for rows, _ in self.lacking:
            known = known & ~rows
        return known


def work_out(formula: Formula, parts: Mapping[str, LeafSums], divisor: NDArray[Any] | None = None) -> Worked:
    """The figures of a formula from the sums of its leaves.

    Parameters
    ----------
    parts
        By the key of each leaf its sums, all of one shape.
    divisor
        What sums are divided by (days, the parts of a mean), of a shape that fits; quotients are left as they are.

    Notes
    -----
    A difference of whole numbers is one; a quotient is one division, unknown where the divisor is not above 0.
    """
    if isinstance(formula, Leaf):
        values, scale = parts[formula.key]
        if divisor is None:
            return Worked(values, scale)
        return Worked(values / 10 ** (scale or 0) / np.where(divisor > 0, divisor, 1), None)
    if isinstance(formula, Difference):
        of, less = (work_out(part, parts, divisor) for part in (formula.of, formula.less))
        values, scale = subtracted(of.values, of.scale, less.values, less.scale)
        return Worked(values, scale, of.lacking + less.lacking)
    of, per = (work_out(part, parts) for part in (formula.of, formula.per))
    values, other, _ = at_one_scale(of.values, of.scale, per.values, per.scale)
    known = per.known
    lacking = (*of.lacking, *per.lacking, (known & (other <= 0), formula.name))
    return Worked(divided(values, other, other > 0), None, lacking)
