"""Records of whole periods laid evenly on their days, the last one up to the report date."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.measures import all_aggregates
from logochron.core.book.record_spans import even_parts
from logochron.core.book.sums import Amounts
from logochron.core.days import Days

if TYPE_CHECKING:
    from logochron.core.book.daybook import Daybook


def laid_evenly(book: Daybook, *, last_only: bool = False) -> dict[str, Any]:
    """The rows of a book with the amount of each period on all its days.

    Of the last recorded period up to the report date. Exact over any whole period, and over the last one as far as it
    goes. Records and counts stay on the first day.

    Parameters
    ----------
    last_only
        Whether only the rows of the last recorded period are laid anew: the others are laid already.

    Returns
    -------
    dict
        `days, records, codes, amounts`, as a `Daybook` has them.
    """
    start, end = (int(side[0]) for side in book.standing.spans(book.recorded[-1:]))
    anew = (book.days >= start) & (book.days <= end) if last_only else np.ones(len(book.days), dtype=bool)
    firsts, lasts = book.standing.spans(book.days[anew])
    if book.asked_until is not None and start <= book.asked_until < end:
        lasts = np.where(firsts == start, book.asked_until, lasts)
    of, at = _tuples(firsts, [codes[anew] for codes in book.codes.values()])
    starts, ends = firsts[at], lasts[at]
    parts, place, _ = even_parts(np.zeros_like(starts), ends - starts + 1)
    counts = {aggregate.key for aggregate in all_aggregates(book.formulas) if aggregate.counts}
    amounts = {}
    for key, column in book.amounts.items():
        summed = _added(column.values[anew], of, len(at))
        if key in counts:
            values = np.where(place == 0, summed[parts], 0)
        elif column.scale is None:
            values = summed[parts] / (ends - starts + 1)[parts]
        else:
            values = even_parts(summed, ends - starts + 1)[2]
        amounts[key] = Amounts(_beside(column.values, anew, values), column.scale, column.size)
    records = np.where(place == 0, _added(book.records[anew], of, len(at))[parts], 0)
    days = _beside(book.days, anew, starts[parts] + place)
    order = np.argsort(days, kind="stable")
    codes = {name: _beside(of_rows, anew, of_rows[anew][at][parts]) for name, of_rows in book.codes.items()}
    return {
        "days": days[order],
        "records": _beside(book.records, anew, records)[order],
        "codes": {name: values[order] for name, values in codes.items()},
        "amounts": {key: column.take(order) for key, column in amounts.items()},
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
