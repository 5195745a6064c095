"""What all drawings share: the figure's frame, headings, legend, axes, saving."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from io import BytesIO
from typing import Any

import matplotlib as mpl
from matplotlib.artist import Artist
from matplotlib.axes import Axes
from matplotlib.colors import to_rgb
from matplotlib.figure import Figure
from matplotlib.font_manager import findfont, get_font
from matplotlib.lines import Line2D
from matplotlib.patheffects import withStroke
from matplotlib.ticker import FuncFormatter, MaxNLocator

from logochron.views.formats import Formats
from logochron.views.palette import Palette

Size = tuple[float, float]
RGB = tuple[float, float, float]
DEFAULT_SIZE: Size = (12.8, 8.0)
_TICK = 2.6  # points
_STYLE: dict[Any, Any] = {
    "font.family": "DejaVu Sans",
    "font.size": 10,
    "axes.spines.top": False,
    "axes.spines.right": False,
    "svg.hashsalt": "logochron",
}


@contextmanager
def style() -> Iterator[None]:
    """Our settings while drawing; the user's own stay as they are."""
    with mpl.rc_context(_STYLE):
        yield


def drawable(sign: str) -> bool:
    """Whether the figures' font has every character of a sign."""
    font = get_font(findfont(str(_STYLE["font.family"])))
    return all(font.get_char_index(ord(character)) for character in sign)


def new_figure(size: Size, palette: Palette) -> Figure:
    """An empty figure on paper."""
    return Figure(figsize=size, dpi=100, facecolor=palette.paper)


def heading(figure: Figure, title: str, subtitle: str, footnote: str, palette: Palette) -> None:
    """Title and answer at the top left, the accounting at the bottom left, all in inches from the edges."""
    width, height = figure.get_size_inches()
    left = 0.35 / width
    figure.text(left, 1 - 0.42 / height, literal(title), size=15, weight="bold", color=palette.ink)
    figure.text(left, 1 - 0.72 / height, literal(subtitle), size=10.5, color=palette.ink)
    figure.text(left, 0.16 / height, literal(footnote), size=8, color=palette.level)


def legend(figure: Figure, handles: Sequence[Artist], palette: Palette) -> None:
    """A legend in one line at the top right, between the answer and the panels."""
    width, height = figure.get_size_inches()
    figure.legend(
        handles=list(handles),
        loc="upper right",
        bbox_to_anchor=(1 - 0.35 / width, 1 - 0.86 / height),
        ncols=len(handles),
        frameon=False,
        fontsize=9,
        labelcolor=palette.ink,
        borderaxespad=0,
    )


def literal(text: str) -> str:
    """Labels are data: a dollar sign starts no formula."""
    return text.replace("$", r"\$")


def frame(ax: Axes, palette: Palette) -> None:
    """Quiet axes: hairlines, ink labels."""
    ax.set_facecolor("none")
    for side in ("left", "bottom"):
        ax.spines[side].set_color(palette.grid)
    ax.tick_params(colors=palette.ink, length=0, labelsize=9)
    ax.set_axisbelow(True)


def amounts_axis(ax: Axes, which: str, formats: Formats, words: str, palette: Palette) -> None:
    """Compact amounts with what they are and hairlines."""
    axis = ax.yaxis if which == "y" else ax.xaxis
    axis.set_major_locator(MaxNLocator(nbins=6, steps=[1, 2, 2.5, 5, 10]))
    axis.set_major_formatter(FuncFormatter(lambda value, _: formats.compact(float(value)) if value else "0"))
    ax.grid(axis="y" if which == "y" else "x", color=palette.grid, linewidth=0.8)
    axis.set_label_text(literal(words), color=palette.level, size=9)


def pale(palette: Palette) -> RGB:
    """The current tone thinned on paper: what is not a whole period."""
    ink, paper = to_rgb(palette.current), to_rgb(palette.paper)
    red, green, blue = (0.28 * a + 0.72 * b for a, b in zip(ink, paper))
    return red, green, blue


def base_tick(palette: Palette) -> dict[str, Any]:
    """How the base's tick is drawn: its tone, with a thin paper-colored rim where it crosses a dark column."""
    rim = withStroke(linewidth=_TICK + 2, foreground=palette.paper)
    return {"color": palette.base, "linewidth": _TICK, "path_effects": [rim]}


def base_handle(palette: Palette, label: str) -> Line2D:
    """The base's tick in a legend."""
    return Line2D([], [], color=palette.base, linewidth=_TICK, label=label)


def say_empty(figure: Figure, text: str, palette: Palette) -> None:
    """The empty state, in words."""
    figure.text(0.5, 0.5, literal(text), ha="center", va="center", size=12, color=palette.level)


def saved(figure: Figure, form: str) -> bytes:
    """A figure as the bytes of a file; the same data gives the same ones."""
    made = BytesIO()
    metadata = {"png": {}, "svg": {"Date": None}, "pdf": {"CreationDate": None}}[form]
    with style():
        figure.savefig(made, format=form, dpi=100, facecolor=figure.get_facecolor(), metadata=metadata)
    return made.getvalue()
