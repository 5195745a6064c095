"""Overlay: narrow columns before the pale stepped silhouette of the base."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from logochron.core.check_kinds import kinds_checked
from logochron.core.questions.compare import Comparison
from logochron.core.rows.figures import Floats
from logochron.views.figures.by_period import PeriodLook, base_entry, by_period, column_legend, has_base, zero_line
from logochron.views.figures.columns import column_bars
from logochron.views.figures.common import Item
from logochron.views.figures.scene import Canvas, Entry, Layer, Path, Ribbon, Scene
from logochron.views.formats import Formats
from logochron.views.tables.item_rows import Table

#: Half the width of a column, narrow enough for the silhouette to show on both sides.
_HALF = 0.2
_STRENGTH = 0.45


@kinds_checked
def overlay(
    result: Comparison, canvas: Canvas, *, measure: str | None = None, item: Item = None, panels: str | None = None
) -> Scene:
    """Narrow columns of the periods before the pale stepped silhouette of their bases.

    Parameters
    ----------
    result
        From `compare`.
    panels
        The dimension whose items get a small panel each, on shared axes.

    Raises
    ------
    QuestionError
        Where an item or dimension is not in the result, or the periods are too many for one picture.

    Examples
    --------
    >>> import logochron as lc
    >>> months = lc.compare(lc.demo.book(), each="month", last=13)
    >>> lc.draw.overlay(months).axes[0].get_ylabel()
    'EUR'
    """
    return by_period(result, canvas, PeriodLook(_layers, _legend), measure, item, panels)


def stepped(values: Floats) -> tuple[Floats, Floats]:
    """A silhouette as a line: each value from one edge of its place to the other."""
    places = np.arange(len(values), dtype=float)
    return np.stack([places - 0.5, places + 0.5], axis=1).ravel(), np.repeat(values, 2)


def _layers(table: Table) -> tuple[Layer, ...]:
    """The silhouette, the columns before it, the line at 0."""
    x, base = stepped(table["base"])
    return (
        Ribbon(x, np.where(np.isfinite(base), 0.0, np.nan), base, role="base", strength=_STRENGTH),
        Path(x, base, role="base", weight=1.2),
        *column_bars(table, _HALF),
        zero_line(len(table["value"])),
    )


def _legend(result: Comparison, tables: Sequence[Table], formats: Formats) -> tuple[Entry, ...]:
    entries = column_legend(tables, formats)
    if has_base(tables):
        entries.append(base_entry(result, formats, look="band", pale=True, strength=_STRENGTH))
    return tuple(entries)
