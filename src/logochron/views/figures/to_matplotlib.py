"""Scenes to Matplotlib: artists only."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from io import BytesIO
from pathlib import Path as FilePath
from types import MappingProxyType
from typing import Any

import matplotlib as mpl
from matplotlib.artist import Artist
from matplotlib.axes import Axes
from matplotlib.collections import PolyCollection
from matplotlib.colors import to_rgb
from matplotlib.figure import Figure
from matplotlib.lines import Line2D
from matplotlib.patches import Patch
from matplotlib.patheffects import withStroke
from matplotlib.transforms import ScaledTranslation

from logochron.views.figures import scene as grammar
from logochron.views.figures.fonts import FAMILY, families, measure, quietly
from logochron.views.figures.layout import within
from logochron.views.figures.scene import (
    Along,
    Axis,
    Bars,
    Captions,
    Details,
    Dots,
    Entry,
    Panel,
    Path,
    Ribbon,
    Scene,
    Ticks,
    Tiles,
)
from logochron.views.palette import Palette

RGB = tuple[float, float, float]
_RIM = 2.0  # points
_DASHES: dict[str, Any] = {"solid": "-", "dashed": (0, (4.5, 2.2)), "dotted": (0, (1.0, 1.8))}
_STYLE: dict[Any, Any] = {
    "font.size": 10,
    "svg.hashsalt": "logochron",
}


@contextmanager
def style(families: Sequence[str] = (FAMILY,), more: Mapping[str, Any] = MappingProxyType({})) -> Iterator[None]:
    """Our settings while drawing, and more of them; the user's own stay as they are."""
    with mpl.rc_context(_STYLE | {"font.family": list(families)} | dict(more)), quietly():
        yield


class DescribedFigure(Figure):
    """A figure with a sentence for those who cannot see it, which goes into the files it is saved to."""

    title = alt = ""

    def savefig(self, fname: Any, **options: Any) -> None:
        """As Matplotlib has it, with the description in PNG, SVG and PDF."""
        form = options.get("format") or FilePath(str(fname)).suffix[1:] or str(mpl.rcParams["savefig.format"])
        named = {"Title": self.title}
        about = {"png": named | {"Description": self.alt}, "svg": named | {"Description": self.alt}}
        about["pdf"] = named | {"Subject": self.alt}
        if str(form).lower() in about:
            options["metadata"] = about[str(form).lower()] | (options.get("metadata") or {})
        with quietly():
            super().savefig(fname, **options)


def drawn(scene: Scene, palette: Palette, ax: Axes | None = None) -> Figure | Axes:
    """The figure, or the axes given with the first panel drawn into them."""
    with style(families(letters_of(scene))):
        if ax is not None:
            if scene.panels:
                _panel(ax, scene.panels[0], palette)
            if not scene.bare:
                wide = ax.get_window_extent().width / ax.get_figure(root=True).dpi * 72  # type: ignore[union-attr]
                named = _fitted(scene.title, 12, wide, bold=True)
                ax.set_title(named, loc="left", size=12, color=palette.ink, weight="bold")
                handles = [handle(entry, palette) for entry in scene.legend]
                if handles:
                    ax.legend(handles=handles, frameon=False, fontsize=9, labelcolor=palette.ink)
            return ax
        figure = DescribedFigure(figsize=scene.size, dpi=100, facecolor=palette.paper)
        figure.title, figure.alt = scene.title, scene.alt
        if not scene.bare:
            _around(figure, scene, palette)
        if scene.empty:
            figure.text(0.5, 0.5, literal(scene.empty), ha="center", va="center", size=12, color=palette.level)
            return figure
        draw_panels(figure, scene.panels, palette)
        _legend(figure, scene, palette)
        return figure


def draw_panels(
    figure: Figure,
    panels: Sequence[Panel],
    palette: Palette,
    left: float = 0.0,
    bottom: float = 0.0,
    scale: float = 1.0,
) -> None:
    """Panels on a figure, moved by so many inches; `scale`: that of the type at their axes."""
    width, height = figure.get_size_inches()
    for panel in panels:
        box = panel.box
        place = ((box.left + left) / width, (box.bottom + bottom) / height, box.width / width, box.height / height)
        _panel(figure.add_axes(place), panel, palette, scale)


def letters_of(scene: Scene) -> str:
    """All letters that are drawn."""
    drawn = [scene.title, scene.subtitle, scene.footnote, scene.empty, *(entry.words for entry in scene.legend)]
    for panel in scene.panels:
        ticks = (tick.text for axis in (panel.x, panel.y) for tick in axis.ticks)
        drawn += [panel.heading, panel.x.words, panel.y.words, *ticks, *(text.text for text in panel.texts())]
    return "".join(sorted(set("".join(drawn))))


def _around(figure: Figure, scene: Scene, palette: Palette) -> None:
    """Title, answer and footnote."""
    width, height = scene.size
    left = 0.35 / width
    room = (width - 0.7) * 70  # drawn letters stand on whole pixels: a little wider than they measure
    title, subtitle = _fitted(scene.title, 15, room, bold=True), _fitted(scene.subtitle, 10.5, room)
    figure.text(left, 1 - 0.42 / height, title, size=15, weight="bold", color=palette.ink)
    figure.text(left, 1 - 0.72 / height, subtitle, size=10.5, color=palette.ink)
    figure.text(left, 0.16 / height, _fitted(scene.footnote, 8, room), size=8, color=palette.level)


def _legend(figure: Figure, scene: Scene, palette: Palette) -> None:
    """A legend in one line at the top right, between the answer and the panels."""
    if not scene.legend:
        return
    width, height = scene.size
    figure.legend(
        handles=[handle(entry, palette) for entry in scene.legend],
        loc="upper right",
        bbox_to_anchor=(1 - 0.35 / width, 1 - 0.86 / height),
        ncols=len(scene.legend),
        frameon=False,
        fontsize=9,
        labelcolor=palette.ink,
        borderaxespad=0,
    )


def rule(figure: Figure, left: float, right: float, at: float, color: str, weight: float) -> None:
    """A line across a figure, in parts of its width and height."""
    figure.add_artist(Line2D([left, right], [at, at], color=color, linewidth=weight, solid_capstyle="butt"))


def handle(entry: Entry, palette: Palette) -> Artist:
    """An entry of a legend."""
    color = _pale(palette, entry.role, entry.strength) if entry.pale else palette.role(entry.role)
    words = literal(entry.words)
    if entry.look in ("bar", "band"):
        return Patch(color=color, label=words)
    return Line2D([], [], color=color, linewidth=entry.weight, linestyle=_DASHES[entry.dash], label=words)


def _panel(ax: Axes, panel: Panel, palette: Palette, scale: float = 1.0) -> None:
    ax.set_facecolor("none")
    for side in ("left", "bottom"):
        ax.spines[side].set_color(palette.grid)
    for side in ("top", "right"):
        ax.spines[side].set_visible(False)
    ax.tick_params(colors=palette.ink, length=0, labelsize=9 * scale)
    ax.set_axisbelow(True)
    _axis(ax, "x", panel.x, palette, 9 * scale)
    _axis(ax, "y", panel.y, palette, 9 * scale)
    for place, layer in enumerate(panel.layers):
        if isinstance(layer, Details):
            continue  # what a pointer asks for
        _DRAW[type(layer)](ax, layer, palette, 2 + place / 100)
    if panel.heading:
        size = 10.5 * scale
        ax.set_title(literal(panel.heading), loc="left", size=size, color=palette.ink, weight="bold", pad=6 * scale)


def _axis(ax: Axes, which: Along, axis: Axis, palette: Palette, size: float) -> None:
    of = ax.xaxis if which == "x" else ax.yaxis
    (ax.set_xlim if which == "x" else ax.set_ylim)(axis.low, axis.high)
    of.set_ticks([tick.at for tick in axis.ticks], [literal(tick.text) for tick in axis.ticks])
    if not axis.labeled:
        ax.tick_params(axis=which, labelleft=which != "y", labelbottom=which != "x")
    if not axis.line:
        ax.spines["bottom" if which == "x" else "left"].set_visible(False)
    if axis.gridlines:
        ax.grid(axis="x" if which == "x" else "y", color=palette.grid, linewidth=0.8)
    if axis.words:
        of.set_label_text(literal(axis.words), color=palette.level, size=size)


def _bars(ax: Axes, layer: Bars, palette: Palette, order: float) -> None:
    color = _pale(palette, layer.role, layer.strength) if layer.pale else palette.role(layer.role)
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


def _dots(ax: Axes, layer: Dots, palette: Palette, order: float) -> None:
    ax.plot(
        layer.x,
        layer.y,
        linestyle="none",
        marker="o",
        color=palette.role(layer.role),
        markersize=layer.size,
        markeredgewidth=0,
        zorder=order,
    )


def _tiles(ax: Axes, layer: Tiles, palette: Palette, order: float) -> None:
    corners = [[(c.x0, c.y0), (c.x1, c.y0), (c.x1, c.y1), (c.x0, c.y1)] for c in layer.cells]
    colors = [_pale(palette, c.role, c.strength) for c in layer.cells]
    ax.add_collection(PolyCollection(corners, facecolors=colors, edgecolors="none", zorder=order), autolim=False)


def _texts(ax: Axes, layer: Captions, palette: Palette, order: float) -> None:
    frames = {"": ax.transData, "x": ax.get_yaxis_transform(), "y": ax.get_xaxis_transform()}
    inches = ax.get_figure(root=True).dpi_scale_trans  # type: ignore[union-attr]
    for text in layer.texts:
        at = frames[text.frame]
        if text.dx or text.dy:
            at = at + ScaledTranslation(text.dx / 72, text.dy / 72, inches)
        ax.text(
            text.x,
            text.y,
            literal(text.text),
            transform=at,
            ha=text.across,
            va=text.upright,
            size=text.size,
            weight="bold" if text.bold else "normal",
            color=palette.role(text.role),
            zorder=order,
            path_effects=[withStroke(linewidth=3, foreground=palette.paper)] if text.halo else None,
        )


_DRAW: dict[type[grammar.Layer], Any] = {
    Bars: _bars,
    Ticks: _ticks,
    Path: _path,
    Ribbon: _band,
    Dots: _dots,
    Tiles: _tiles,
    Captions: _texts,
}


def _pale(palette: Palette, role: grammar.Role, strength: float = grammar.PALE) -> RGB:
    """A tone thinned on paper."""
    ink, paper = to_rgb(palette.role(role)), to_rgb(palette.paper)
    red, green, blue = (strength * a + (1 - strength) * b for a, b in zip(ink, paper))
    return red, green, blue


def _fitted(text: str, size: float, room: float, *, bold: bool = False) -> str:
    """A text cut with an ellipsis where it would leave its frame, as it is drawn."""
    return literal(within(text, size, room, measure, bold=bold))


def literal(text: str) -> str:
    """Labels are data: a dollar sign starts no formula."""
    return text.replace("$", r"\$")


def saved(figure: Figure, form: str) -> bytes:
    """A figure as the bytes of a file; the same data gives the same ones."""
    file = BytesIO()
    metadata: dict[str, Any] = {"png": {}, "svg": {"Date": None}, "pdf": {"CreationDate": None}}[form]
    quick: dict[str, Any] = {"pil_kwargs": {"compress_level": 3}} if form == "png" else {}
    with style():
        figure.savefig(file, format=form, dpi=100, facecolor=figure.get_facecolor(), metadata=metadata, **quick)
    return file.getvalue()
