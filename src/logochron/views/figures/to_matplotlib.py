"""Scenes to Matplotlib: artists only."""

from __future__ import annotations

import warnings
from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache
from io import BytesIO
from typing import Any

import matplotlib as mpl
from matplotlib.artist import Artist
from matplotlib.axes import Axes
from matplotlib.colors import to_rgb
from matplotlib.figure import Figure
from matplotlib.font_manager import FontProperties, findfont, get_font
from matplotlib.lines import Line2D
from matplotlib.patches import Patch
from matplotlib.patheffects import withStroke
from matplotlib.textpath import text_to_path

from logochron.views.figures import scene as grammar
from logochron.views.figures.scene import Along, Axis, Bars, Captions, Entry, Panel, Path, Ribbon, Scene, Ticks
from logochron.views.palette import Palette

RGB = tuple[float, float, float]
#: How much of its tone a pale thing keeps.
_PALE = 0.28
_RIM = 2.0  # points
_DASHES: dict[str, Any] = {"solid": "-", "dashed": (0, (4.5, 2.2)), "dotted": (0, (1.0, 1.8))}
_STYLE: dict[Any, Any] = {
    "font.family": "DejaVu Sans",
    "font.size": 10,
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


@cache
def measure(text: str, size: float = 9.0, bold: bool = False) -> float:
    """How wide a text is drawn, in points."""
    font = FontProperties(family=str(_STYLE["font.family"]), size=size, weight="bold" if bold else "normal")
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # what the font lacks is told when it is drawn
        width, _, _ = text_to_path.get_text_width_height_descent(text, font, ismath=False)
    return float(width)


def drawn(scene: Scene, palette: Palette, ax: Axes | None = None) -> Figure | Axes:
    """The figure, or the axes given with the first panel drawn into them."""
    with style():
        if ax is not None:
            ax.set_title(_literal(scene.title), loc="left", color=palette.ink, weight="bold")
            if scene.panels:
                _panel(ax, scene.panels[0], palette)
                handles = [_handle(entry, palette) for entry in scene.legend]
                ax.legend(handles=handles, frameon=False, fontsize=9, labelcolor=palette.ink)
            return ax
        width, height = scene.size
        figure = Figure(figsize=scene.size, dpi=100, facecolor=palette.paper)
        left = 0.35 / width
        room = (width - 0.7) * 70  # drawn letters stand on whole pixels: a little wider than they measure
        title, subtitle = _fitted(scene.title, 15, room, bold=True), _fitted(scene.subtitle, 10.5, room)
        figure.text(left, 1 - 0.42 / height, title, size=15, weight="bold", color=palette.ink)
        figure.text(left, 1 - 0.72 / height, subtitle, size=10.5, color=palette.ink)
        figure.text(left, 0.16 / height, _fitted(scene.footnote, 8, room), size=8, color=palette.level)
        if scene.empty:
            figure.text(0.5, 0.5, _literal(scene.empty), ha="center", va="center", size=12, color=palette.level)
            return figure
        for panel in scene.panels:
            box = panel.box
            place = (box.left / width, box.bottom / height, box.width / width, box.height / height)
            _panel(figure.add_axes(place), panel, palette)
        _legend(figure, scene, palette)
        return figure


def _legend(figure: Figure, scene: Scene, palette: Palette) -> None:
    """A legend in one line at the top right, between the answer and the panels."""
    if not scene.legend:
        return
    width, height = scene.size
    figure.legend(
        handles=[_handle(entry, palette) for entry in scene.legend],
        loc="upper right",
        bbox_to_anchor=(1 - 0.35 / width, 1 - 0.86 / height),
        ncols=len(scene.legend),
        frameon=False,
        fontsize=9,
        labelcolor=palette.ink,
        borderaxespad=0,
    )


def _handle(entry: Entry, palette: Palette) -> Artist:
    color = _pale(palette, entry.role) if entry.pale else palette.role(entry.role)
    words = _literal(entry.words)
    if entry.look in ("bar", "band"):
        return Patch(color=color, label=words)
    return Line2D([], [], color=color, linewidth=entry.weight, linestyle=_DASHES[entry.dash], label=words)


def _panel(ax: Axes, panel: Panel, palette: Palette) -> None:
    ax.set_facecolor("none")
    for side in ("left", "bottom"):
        ax.spines[side].set_color(palette.grid)
    for side in ("top", "right"):
        ax.spines[side].set_visible(False)
    ax.tick_params(colors=palette.ink, length=0, labelsize=9)
    ax.set_axisbelow(True)
    _axis(ax, "x", panel.x, palette)
    _axis(ax, "y", panel.y, palette)
    for place, layer in enumerate(panel.layers):
        _DRAW[type(layer)](ax, layer, palette, 2 + place / 100)
    if panel.heading:
        ax.set_title(_literal(panel.heading), loc="left", size=10.5, color=palette.ink, weight="bold", pad=6)


def _axis(ax: Axes, which: Along, axis: Axis, palette: Palette) -> None:
    of = ax.xaxis if which == "x" else ax.yaxis
    (ax.set_xlim if which == "x" else ax.set_ylim)(axis.low, axis.high)
    of.set_ticks([tick.at for tick in axis.ticks], [_literal(tick.text) for tick in axis.ticks])
    if not axis.labeled:
        ax.tick_params(axis=which, labelleft=which != "y", labelbottom=which != "x")
    if axis.gridlines:
        ax.grid(axis="x" if which == "x" else "y", color=palette.grid, linewidth=0.8)
    if axis.words:
        of.set_label_text(_literal(axis.words), color=palette.level, size=9)


def _bars(ax: Axes, layer: Bars, palette: Palette, order: float) -> None:
    color = _pale(palette, layer.role) if layer.pale else palette.role(layer.role)
    across, along = layer.end - layer.start, layer.high - layer.low
    if layer.along == "y":
        ax.bar(layer.start, along, width=across, bottom=layer.low, align="edge", color=color, zorder=order)
    else:
        ax.barh(layer.start, along, height=across, left=layer.low, align="edge", color=color, zorder=order)


def _ticks(ax: Axes, layer: Ticks, palette: Palette, order: float) -> None:
    lines = ax.hlines if layer.along == "y" else ax.vlines
    rim: dict[str, Any] = {}
    if layer.halo:
        rim["path_effects"] = [withStroke(linewidth=layer.weight + _RIM, foreground=palette.paper)]
    lines(
        layer.at,
        layer.position - layer.half,
        layer.position + layer.half,
        color=palette.role(layer.role),
        linewidth=layer.weight,
        zorder=order,
        **rim,
    )


def _path(ax: Axes, layer: Path, palette: Palette, order: float) -> None:
    ax.plot(
        layer.x,
        layer.y,
        color=palette.role(layer.role),
        linewidth=layer.weight,
        linestyle=_DASHES[layer.dash],
        solid_capstyle="round" if layer.weight > 1 else "butt",
        solid_joinstyle="round",
        zorder=order,
    )


def _band(ax: Axes, layer: Ribbon, palette: Palette, order: float) -> None:
    color = _pale(palette, layer.role, layer.strength)
    ax.fill_between(layer.x, layer.low, layer.high, color=color, linewidth=0, zorder=order)


def _texts(ax: Axes, layer: Captions, palette: Palette, order: float) -> None:
    for text in layer.texts:
        of_frame = ("axes fraction" if text.frame == "x" else "data", "axes fraction" if text.frame == "y" else "data")
        ax.annotate(
            _literal(text.text),
            xy=(text.x, text.y),
            xycoords=of_frame,
            xytext=(text.dx, text.dy),
            textcoords="offset points",
            ha=text.across,
            va=text.upright,
            size=text.size,
            weight="bold" if text.bold else "normal",
            color=palette.role(text.role),
            zorder=order,
            annotation_clip=False,
            path_effects=[withStroke(linewidth=3, foreground=palette.paper)] if text.halo else None,
        )


_DRAW: dict[type[grammar.Layer], Any] = {Bars: _bars, Ticks: _ticks, Path: _path, Ribbon: _band, Captions: _texts}


def _pale(palette: Palette, role: grammar.Role, strength: float = _PALE) -> RGB:
    """A tone thinned on paper."""
    ink, paper = to_rgb(palette.role(role)), to_rgb(palette.paper)
    red, green, blue = (strength * a + (1 - strength) * b for a, b in zip(ink, paper))
    return red, green, blue


def _fitted(text: str, size: float, room: float, *, bold: bool = False) -> str:
    """A text cut with an ellipsis where it would leave its frame, as it is drawn."""
    kept = text
    while kept and measure(kept + ("" if kept == text else "…"), size, bold) > room:
        kept = kept[:-1].rstrip()
    return _literal(kept if kept == text else kept + "…")


def _literal(text: str) -> str:
    """Labels are data: a dollar sign starts no formula."""
    return text.replace("$", r"\$")


def saved(figure: Figure, form: str) -> bytes:
    """A figure as the bytes of a file; the same data gives the same ones."""
    made = BytesIO()
    metadata = {"png": {}, "svg": {"Date": None}, "pdf": {"CreationDate": None}}[form]
    with style():
        figure.savefig(made, format=form, dpi=100, facecolor=figure.get_facecolor(), metadata=metadata)
    return made.getvalue()
