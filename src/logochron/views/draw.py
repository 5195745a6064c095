"""The figures: each takes a result and gives a Matplotlib figure, or draws into the axes given."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from logochron.core.check_kinds import kinds_checked
from logochron.core.errors import QuestionError, brief
from logochron.core.options import Marked
from logochron.core.questions.compare import Comparison
from logochron.views.figures.bars import bars_spec
from logochron.views.figures.columns import columns_spec
from logochron.views.formats import Formats
from logochron.views.palette import Palette

if TYPE_CHECKING:
    from matplotlib.axes import Axes

__all__ = ["bars", "columns"]

_LEAST_INCHES, _MOST_INCHES = 1, 200


def __dir__() -> list[str]:
    """The figures alone: what a notebook offers after ``lc.draw.``."""
    return __all__


@kinds_checked
def columns(
    result: Comparison,
    *,
    measure: str | None = None,
    item: str | tuple[str, ...] | None = None,
    panels: str | None = None,
    ax: Axes | None = None,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Any:
    """One column per period, the base as a short tick across it, mark and growth below.

    Parameters
    ----------
    result
        From `compare`.
    measure
        The measure drawn; the first where None.
    item
        One item (a tuple for several dimensions) instead of the total.
    panels
        The dimension whose items get a small panel each, on shared axes.
    ax
        Axes to draw into; a new figure where None.
    size
        Inches wide and high, 12.8 by 8.0 (bars: as high as they need) where None.
    palette, locale, formats
        Colors by role; how numbers and dates are written (`formats` goes before `locale`).

    Returns
    -------
    matplotlib.figure.Figure or matplotlib.axes.Axes
        The figure; the axes where `ax` is given.

    Raises
    ------
    QuestionError
        Where an item or dimension is not in the result, or the periods are too many for one picture.

    Examples
    --------
    >>> import logochron as lc
    >>> months = lc.compare(lc.demo.book(), each="month", last=13)
    >>> lc.draw.columns(months).axes[0].get_ylabel()
    'EUR'
    """
    from logochron.views.figures import draw_base, draw_columns

    _check(result, ax, panels, size, palette, formats)
    size = size or draw_base.DEFAULT_SIZE
    formats = formats or Formats(locale=locale)
    spec = columns_spec(
        result,
        measure=measure,
        item=item,
        panels=panels,
        width=_width(ax, size),
        formats=formats,
        drawable=draw_base.drawable,
    )
    return draw_columns.draw_columns(spec, size=size, palette=palette or Palette(), formats=formats, ax=ax)


@kinds_checked
def bars(
    result: Comparison,
    *,
    measure: str | None = None,
    at: str | None = None,
    panels: str | None = None,
    marked: Marked = "all",
    ax: Axes | None = None,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Any:
    """One bar per item in one period, the base's tick, and a lane with mark and growth of each.

    Parameters
    ----------
    result
        From `compare` with `by=`.
    at
        The period drawn; the last where None.
    panels
        One of two or more dimensions, drawn in panels.
    marked
        Whose marks stand in the lane: ``"all"``, ``"adverse"`` or ``"none"``.
    measure, ax, size, palette, locale, formats
        As in `columns`.

    Returns
    -------
    matplotlib.figure.Figure or matplotlib.axes.Axes
        The figure; the axes where `ax` is given.

    Raises
    ------
    QuestionError
        Where the result is not split by items, or an option names nothing in it.

    Examples
    --------
    >>> import logochron as lc
    >>> months = lc.compare(lc.demo.book(), each="month", by="harbor", last=13)
    >>> [text.get_text() for text in lc.draw.bars(months, at="2026-09").axes[0].get_yticklabels()]
    ['Alderquay', 'Dunmarrow', 'Brackenmouth', 'Cold Pier']
    """
    from logochron.views.figures import draw_bars, draw_base

    _check(result, ax, panels, size, palette, formats)
    formats = formats or Formats(locale=locale)
    height = (size or draw_base.DEFAULT_SIZE)[1]
    spec = bars_spec(
        result,
        measure=measure,
        at=at,
        panels=panels,
        marked=marked,
        height=height,
        formats=formats,
        drawable=draw_base.drawable,
    )
    return draw_bars.draw_bars(spec, size=size, palette=palette or Palette(), formats=formats, ax=ax)


def _check(
    result: object,
    ax: Axes | None,
    panels: str | None,
    size: tuple[float, float] | None,
    palette: Palette | None,
    formats: Formats | None,
) -> None:
    from matplotlib.axes import Axes as Drawable

    if not isinstance(result, Comparison):
        raise QuestionError(f"a figure needs the result of `compare`; got {type(result).__name__}")
    for name, given, kind in (("ax", ax, Drawable), ("palette", palette, Palette), ("formats", formats, Formats)):
        if given is not None and not isinstance(given, kind):
            raise QuestionError(f"`{name}` must be {kind.__name__}; got {brief(given)}")
    if size is not None and not all(_LEAST_INCHES <= side <= _MOST_INCHES for side in size):
        raise QuestionError(
            f"`size` must be inches wide and high, each from {_LEAST_INCHES} to {_MOST_INCHES}; got {brief(size)}"
        )
    if ax is not None and panels is not None:
        raise QuestionError("panels need a figure of their own: leave `ax` out")


def _width(ax: Axes | None, size: tuple[float, float]) -> float:
    """The inches there are for the figure."""
    if ax is None:
        return size[0]
    figure = ax.get_figure()
    inches = figure.bbox.width / figure.dpi if figure else size[0]
    return float(inches * ax.get_position().width) + 1.3
