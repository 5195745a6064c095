"""Records of whole periods laid evenly on their days, the last one up to the report date."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.record_spans import Standing, even_parts
from logochron.core.book.sums import Amounts
from logochron.core.days import Days


def laid_evenly(
    days: Days,
    records: Days,
    codes: Mapping[str, Days],
    amounts: Mapping[str, Amounts],
    *,
    counts: Collection[str],
    standing: Standing,
    last: int,
    until: int | None,
) -> dict[str, Any]:
    """The rows of a book with the amount of each period on all its days.

    Of the last recorded period up to the report date. Exact over any whole period, and over the last one as far as it
    goes. Records and counts stay on the first day.

    Parameters
    ----------
    counts
        The keys of amounts that are counts.
    standing
        What each record stands for; where it is laid already, only the rows of the last period are laid anew.
    last, until
        The first day of the last recorded period, and the report date.

    Returns
    -------
    dict
        `days, records, codes, amounts`, as a `Daybook` has them.
    """
    start, end = (int(side[0]) for side in standing.spans(np.array([last])))
    whole = standing.spread != "even"
    anew = np.ones(len(days), dtype=bool) if whole else (days >= start) & (days <= end)
    firsts, lasts = standing.spans(days[anew])
    if until is not None and start <= until < end:
        lasts = np.where(firsts == start, until, lasts)
    of, at = _tuples(firsts, [values[anew] for values in codes.values()])
    starts, ends = firsts[at], lasts[at]
    parts, place, _ = even_parts(np.zeros_like(starts), ends - starts + 1)
    laid = {}
    for key, column in amounts.items():
        summed = _added(column.values[anew], of, len(at))
        if key in counts:
            values = np.where(place == 0, summed[parts], 0)
        elif column.scale is None:
            values = summed[parts] / (ends - starts + 1)[parts]
        else:
            values = even_parts(summed, ends - starts + 1)[2]
        laid[key] = Amounts(_beside(column.values, anew, values), column.scale, column.size)
    on_first = np.where(place == 0, _added(records[anew], of, len(at))[parts], 0)
    on_days = _beside(days, anew, starts[parts] + place)
    order = np.argsort(on_days, kind="stable")
    labels = {name: _beside(values, anew, values[anew][at][parts]) for name, values in codes.items()}
    return {
        "days": on_days[order],
        "records": _beside(records, anew, on_first)[order],
        "codes": {name: values[order] for name, values in labels.items()},
        "amounts": {key: column.take(order) for key, column in laid.items()},
    }


def _tuples(firsts: Days, codes: list[Days]) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """The number of the period and tuple of items of each row, and a row of each."""
    keys = np.stack([firsts, *codes]) if codes else firsts[None]
    _, at, of = np.unique(keys, axis=1, return_index=True, return_inverse=True)
    return of.ravel(), at


def _added(values: NDArray[Any], of: NDArray[np.intp], many: int) -> NDArray[Any]:
    summed = np.zeros(many, dtype=values.dtype)
    np.add.at(summed, of, values)
    return summed


def _beside(values: NDArray[Any], anew: NDArray[np.bool_], laid: NDArray[Any]) -> NDArray[Any]:
    """The rows that stay, and those laid anew."""
    return np.concatenate([values[~anew], laid.astype(values.dtype, copy=False)])
