"""Draws a `BarsSpec`: artists only."""

from __future__ import annotations

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.lines import Line2D
from matplotlib.patches import Patch

from logochron.views.figures.bars import BarsPanel, BarsSpec
from logochron.views.figures.draw_base import (
    DEFAULT_SIZE,
    Size,
    amounts_axis,
    base_handle,
    base_tick,
    frame,
    heading,
    legend,
    literal,
    new_figure,
    pale,
    say_empty,
    style,
)
from logochron.views.formats import Formats
from logochron.views.palette import Palette

_LANE = 1.15  # inches: the lane keeps its width whatever it holds
_CHARACTER = 0.085
_AROUND = 1.32 + 0.85  # inches above and below the bars


def draw_bars(
    spec: BarsSpec, *, size: Size | None, palette: Palette, formats: Formats, ax: Axes | None = None
) -> Figure | Axes:
    """The figure, or the axes given with the one panel drawn into them."""
    with style():
        if ax is not None:
            ax.set_title(literal(spec.title), loc="left", color=palette.ink, weight="bold")
            _panel(ax, spec.panels[0], spec, palette, formats, named=True)
            ax.legend(handles=_handles(spec, palette), frameon=False, fontsize=9, labelcolor=palette.ink)
            return ax
        # few items make a low figure of plain bars rather than a few huge ones
        needed = 0.62 * len(spec.labels) + 0.3
        figure = new_figure(size or (DEFAULT_SIZE[0], min(DEFAULT_SIZE[1], max(needed + _AROUND, 4.0))), palette)
        heading(figure, spec.title, spec.subtitle, spec.footnote, palette)
        if spec.empty:
            say_empty(figure, spec.empty, palette)
            return figure
        width, height = figure.get_size_inches()
        left = 0.5 + _CHARACTER * max(len(label) for label in spec.labels)
        lane = _LANE + _wider(spec) / 72 if spec.has_lane else 0.35
        n = len(spec.panels)
        panel_width = max((width - left - lane * n - 0.1 * (n - 1)) / n, 0.5)
        bars_height = min(height - _AROUND, needed)
        grid = figure.subplots(
            1,
            n,
            sharey=True,
            sharex=True,
            squeeze=False,
            gridspec_kw={
                "left": left / width,
                "right": 1 - lane / width,
                "top": 1 - 1.32 / height,
                "bottom": 1 - (1.32 + bars_height) / height,
                "wspace": (lane + 0.1) / panel_width,
            },
        )
        for i, (axes, panel) in enumerate(zip(grid.ravel(), spec.panels)):
            _panel(axes, panel, spec, palette, formats, named=i == 0)
        legend(figure, _handles(spec, palette), palette)
        return figure


def _panel(ax: Axes, panel: BarsPanel, spec: BarsSpec, palette: Palette, formats: Formats, *, named: bool) -> None:
    frame(ax, palette)
    amounts_axis(ax, "x", formats, spec.axis, palette)
    places = np.arange(len(spec.labels))
    drawn, based = np.isfinite(panel.values), np.isfinite(panel.bases)
    color = pale(palette) if spec.pale else palette.current
    ax.barh(places[drawn], panel.values[drawn], height=0.58, color=color)
    if spec.pale:
        ax.vlines(panel.values[drawn], places[drawn] - 0.29, places[drawn] + 0.29, color=palette.current, linewidth=2.2)
    ax.vlines(
        panel.bases[based],
        places[based] - 0.4,
        places[based] + 0.4,
        **base_tick(palette),
    )
    ax.axvline(0, color=palette.level, linewidth=0.8)
    ax.set_ylim(len(places) - 0.4, -0.6)
    ax.set_yticks(places, [literal(label) for label in spec.labels])
    ax.tick_params(axis="y", labelleft=named)
    if panel.heading:
        ax.set_title(literal(panel.heading), loc="left", size=10.5, color=palette.ink, weight="bold", pad=6)
    first, last = 8.0, 72.0 + _wider(spec)
    for place, entry in zip(places, panel.lane):
        sides = ((entry.mark, first, "left"), (entry.growth, last, "right"))
        if spec.marks_after:
            sides = ((entry.growth, last - 6 * _longest_mark(spec) - 2, "right"), (entry.mark, last, "right"))
        for text, offset, side in sides:
            ax.annotate(
                literal(text),
                xy=(1, float(place)),
                xycoords=("axes fraction", "data"),
                xytext=(offset, 0),
                textcoords="offset points",
                ha=side,
                va="center",
                size=9,
                color=palette.verdict(entry.verdict),
            )


def _longest_mark(spec: BarsSpec) -> int:
    return max((len(entry.mark) for panel in spec.panels for entry in panel.lane), default=1)


def _wider(spec: BarsSpec) -> float:
    """The points by which marks of several letters make the lane wider."""
    return 6.0 * max(_longest_mark(spec) - 1, 0)


def _handles(spec: BarsSpec, palette: Palette) -> list[Patch | Line2D]:
    color = pale(palette) if spec.pale else palette.current
    return [
        Patch(color=color, label=spec.value_name),
        base_handle(palette, spec.base_name),
    ]
