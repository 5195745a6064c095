"""Small lines in a cell: the last periods of each item, up to the row's own."""

from __future__ import annotations

import numpy as np

from logochron.core.book.measures import Measure
from logochron.core.options import COMPLETE
from logochron.core.questions.compare import Comparison
from logochron.core.rows.figures import Floats

#: So many periods a small line shows at most.
PERIODS = 13
_BARS, _ASCII = "▁▂▃▄▅▆▇█", "_.-=*#"


def bars(values: Floats, *, plain: bool = False) -> str:
    """A small line of bars as text, from the lowest (0 where none is below) to the highest; unknown ones are blank.

    >>> bars(np.array([1.0, 4.0, np.nan, 8.0])), bars(np.array([1.0, 8.0]), plain=True)
    ('▂▅ █', '.#')
    """
    signs = _ASCII if plain else _BARS
    known = values[np.isfinite(values)]
    if not len(known):
        return ""
    low, high = min(float(known.min()), 0.0), float(known.max())
    if low == high:
        return "".join(signs[0] if np.isfinite(value) else " " for value in values)
    heights = np.rint((np.nan_to_num(values, nan=low) - low) / (high - low) * (len(signs) - 1)).astype(int)
    return "".join(signs[height] if known else " " for height, known in zip(heights, np.isfinite(values)))


class SparkLines:
    """The values of each item of a comparison by period, those before its first one too; looked up by its labels."""

    def __init__(self, result: Comparison, measure: Measure) -> None:
        longer = result.with_earlier(PERIODS)
        self._unfinished = (result.alignment.status != COMPLETE).tolist()
        self._before = len(longer.periods) - len(result.periods)
        self._values: dict[tuple[str | None, ...], Floats] = {}
        for columns in (longer.columns, longer.subtotal_columns, longer.total_columns):
            for block in longer.of_measure(columns, measure).blocks:
                values = np.broadcast_to(block.columns["value"], block.shape)
                labels = [np.broadcast_to(block.columns[name], (1, block.shape[1]))[0] for name in longer.by]
                for place, named in enumerate(zip(*labels) if labels else [()]):
                    self._values[named] = values[:, place]

    def of(self, labels: tuple[str | None, ...], period: int) -> Floats:
        """The values of the last whole periods of an item, up to the period of a place."""
        end = self._before + period + (not self._unfinished[period])
        return self._values[labels][max(end - PERIODS, 0) : end]
