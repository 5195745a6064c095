"""Draws a `ColumnsSpec`: artists only."""

from __future__ import annotations

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.lines import Line2D
from matplotlib.patches import Patch

from logochron.views.figures.columns import ColumnsPanel, ColumnsSpec
from logochron.views.figures.common import LEFT, RIGHT
from logochron.views.figures.draw_base import (
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

_LINE = 13.0  # points from one label line to the next


def draw_columns(
    spec: ColumnsSpec, *, size: Size, palette: Palette, formats: Formats, ax: Axes | None = None
) -> Figure | Axes:
    """The figure, or the axes given with the one panel drawn into them."""
    with style():
        if ax is not None:
            ax.set_title(literal(spec.title), loc="left", color=palette.ink, weight="bold")
            _panel(ax, spec.panels[0], spec, palette, formats)
            _legend(ax, spec, palette)
            return ax
        figure = new_figure(size, palette)
        heading(figure, spec.title, spec.subtitle, spec.footnote, palette)
        if spec.empty:
            say_empty(figure, spec.empty, palette)
            return figure
        width, height = size
        grid = figure.subplots(
            spec.grid.rows,
            spec.grid.columns,
            sharey=True,
            squeeze=False,
            gridspec_kw={
                "left": LEFT / width,
                "right": 1 - RIGHT / width,
                "top": 1 - (1.32 if len(spec.panels) == 1 else 1.5) / height,
                "bottom": 1.12 / height,
                "hspace": 0.52,
                "wspace": 0.45 / spec.grid.panel_width,
            },
        )
        flat = grid.ravel()
        for i, (axes, panel) in enumerate(zip(flat, spec.panels)):
            _panel(axes, panel, spec, palette, formats)
            if i % spec.grid.columns:
                axes.set_ylabel("")
        for axes in flat[len(spec.panels) :]:
            axes.set_visible(False)
        legend(figure, _handles(spec, palette), palette)
        return figure


def _panel(ax: Axes, panel: ColumnsPanel, spec: ColumnsSpec, palette: Palette, formats: Formats) -> None:
    frame(ax, palette)
    amounts_axis(ax, "y", formats, spec.axis, palette)
    places = np.arange(len(panel.values))
    drawn = np.isfinite(panel.values)
    whole, part = drawn & ~panel.pale, drawn & panel.pale
    ax.bar(places[whole], panel.values[whole], width=0.62, color=palette.current)
    ax.bar(places[part], panel.values[part], width=0.62, color=pale(palette))
    # a pale column has a solid top
    ax.hlines(panel.values[part], places[part] - 0.31, places[part] + 0.31, color=palette.current, linewidth=2.2)
    based = np.isfinite(panel.bases)
    ax.hlines(
        panel.bases[based],
        places[based] - 0.42,
        places[based] + 0.42,
        **base_tick(palette),
    )
    ax.axhline(0, color=palette.level, linewidth=0.8)
    ax.set_xlim(-0.6, len(places) - 0.4)
    ax.set_xticks([])
    ax.margins(y=0.08)
    if panel.heading:
        ax.set_title(literal(panel.heading), loc="left", size=10.5, color=palette.ink, weight="bold", pad=6)
    for place, lines in zip(places, panel.labels):
        for i, (text, verdict) in enumerate(lines):
            ax.annotate(
                literal(text),
                xy=(float(place), 0),
                xycoords=("data", "axes fraction"),
                xytext=(0, -6 - i * _LINE),
                textcoords="offset points",
                ha="center",
                va="top",
                size=9,
                color=palette.ink if verdict is None else palette.verdict(verdict),
            )


def _handles(spec: ColumnsSpec, palette: Palette) -> list[Patch | Line2D]:
    handles: list[Patch | Line2D] = [Patch(color=palette.current, label=spec.value_name)]
    if spec.pale_name:
        handles.append(Patch(color=pale(palette), label=spec.pale_name))
    if any(np.isfinite(panel.bases).any() for panel in spec.panels):
        handles.append(base_handle(palette, spec.base_name))
    return handles


def _legend(ax: Axes, spec: ColumnsSpec, palette: Palette) -> None:
    ax.legend(handles=_handles(spec, palette), frameon=False, fontsize=9, labelcolor=palette.ink, loc="upper left")
