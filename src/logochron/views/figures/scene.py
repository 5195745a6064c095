"""Scenes: figures as frozen plain data that any renderer can draw without knowing which figure it is.

Positions are in the units of a panel's axes, offsets and sizes of text in points, boxes in inches. What a thing means
is said by its role; how a role looks is up to the palette.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any, Literal, NamedTuple, Protocol

from logochron.core.rows.figures import Floats
from logochron.views.formats import Formats

Role = Literal["ink", "current", "base", "favorable", "adverse", "level", "estimate", "grid", "paper"]
Dash = Literal["solid", "dashed", "dotted"]
Along = Literal["x", "y"]
Size = tuple[float, float]
#: How much of its tone a pale thing keeps.
PALE = 0.28
DEFAULT_SIZE: Size = (12.8, 8.0)


class Tick(NamedTuple):
    """A tick: its position, and what stands beside it."""

    at: float
    text: str


@dataclass(frozen=True)
class Axis:
    """One axis: its limits (of names from the top: the larger one first), ticks, and what it is labeled with.

    `kind`: ``number`` for amounts, ``position`` for places in time, ``names`` for items. `labeled`: whether the ticks
    of this panel bear their texts; `line`: whether the axis itself is drawn.
    """

    kind: Literal["number", "position", "names"]
    low: float
    high: float
    ticks: tuple[Tick, ...] = ()
    words: str = ""
    gridlines: bool = False
    labeled: bool = True
    line: bool = True


@dataclass(frozen=True, eq=False)
class Bars:
    """Bars from `low` to `high` along an axis, each from `start` to `end` across it; pale where not whole."""

    start: Floats
    end: Floats
    low: Floats
    high: Floats
    role: Role = "current"
    pale: bool = False
    along: Along = "y"
    strength: float = PALE


@dataclass(frozen=True, eq=False)
class Ticks:
    """Short strokes across an axis at `at`, `half` to both sides of its `position`; maybe with a paper rim."""

    position: Floats
    at: Floats
    half: float
    role: Role = "base"
    halo: bool = False
    along: Along = "y"
    weight: float = 2.6


@dataclass(frozen=True, eq=False)
class Path:
    """A line through points, broken where one is NaN."""

    x: Floats
    y: Floats
    role: Role = "current"
    dash: Dash = "solid"
    weight: float = 1.6


@dataclass(frozen=True, eq=False)
class Ribbon:
    """The ground between two lines, pale."""

    x: Floats
    low: Floats
    high: Floats
    role: Role = "estimate"
    strength: float = 0.16


@dataclass(frozen=True, eq=False)
class Dots:
    """Points of a line, so many points of type across."""

    x: Floats
    y: Floats
    role: Role = "current"
    size: float = 4.5


class Tile(NamedTuple):
    """A filled cell, from its left lower to its right upper corner, of a role at a strength from 0 to 1."""

    x0: float
    y0: float
    x1: float
    y1: float
    role: Role
    strength: float


@dataclass(frozen=True)
class Tiles:
    """Tiles of a grid, filled side by side."""

    cells: tuple[Tile, ...]


class Text(NamedTuple):
    """A text at a point, moved by points of type.

    `frame`: which coordinate is a part of the panel's width or height.
    """

    x: float
    y: float
    text: str
    role: Role = "ink"
    dx: float = 0.0
    dy: float = 0.0
    across: Literal["left", "center", "right"] = "center"
    upright: Literal["top", "center", "bottom"] = "center"
    size: float = 9.0
    bold: bool = False
    frame: Literal["", "x", "y"] = ""
    halo: bool = False


@dataclass(frozen=True)
class Captions:
    """Captions, none of which overlap."""

    texts: tuple[Text, ...]


@dataclass(frozen=True, eq=False)
class Details:
    """What a pointer shows: places on a panel and what is to be known of each, as names and texts.

    `low` and `high` are the ends of each place along the axis of periods or items; it is as wide as the panel across.
    `cross` are its ends across that axis where it is not.
    """

    low: Floats
    high: Floats
    rows: tuple[tuple[tuple[str, str], ...], ...]
    along: Along = "x"
    cross: tuple[Floats, Floats] | None = None


Layer = Bars | Ticks | Path | Ribbon | Dots | Tiles | Captions | Details


class Box(NamedTuple):
    """Where a panel stands in its figure: inches from its left and lower edge, and how wide and high it is."""

    left: float
    bottom: float
    width: float
    height: float


@dataclass(frozen=True)
class Panel:
    """One panel: two axes, and layers in the order in which they are drawn."""

    x: Axis
    y: Axis
    layers: tuple[Layer, ...]
    box: Box
    heading: str = ""

    def texts(self) -> tuple[Text, ...]:
        """All texts of its layers."""
        return tuple(text for layer in self.layers if isinstance(layer, Captions) for text in layer.texts)


def scaled(panel: Panel, scale: float, least: float = 0.0) -> Panel:
    """A panel in another size: its box, lines and type; no type is smaller than the least."""

    def of(layer: Layer) -> Layer:
        if isinstance(layer, Captions):
            return Captions(
                tuple(
                    text._replace(dx=text.dx * scale, dy=text.dy * scale, size=max(text.size * scale, least))
                    for text in layer.texts
                )
            )
        if isinstance(layer, (Path, Ticks)):
            return replace(layer, weight=layer.weight * scale)
        return replace(layer, size=layer.size * scale) if isinstance(layer, Dots) else layer

    box = Box(*(side * scale for side in panel.box))
    return replace(panel, box=box, layers=tuple(map(of, panel.layers)))


@dataclass(frozen=True)
class Entry:
    """An entry of the legend: how a thing looks, and what it is."""

    look: Literal["bar", "tick", "line", "band"]
    words: str
    role: Role
    pale: bool = False
    dash: Dash = "solid"
    weight: float = 1.6
    strength: float = PALE


class Seen(NamedTuple):
    """What is seen of a scene by periods that ends with one of them: the part of the axis, the amounts, the legend.

    `amounts`: one axis for all panels, or one for each. `marks`: captions of each panel that stand there as long as no
    more is seen. `ticks`: those of its places, where lines join them: none is drawn past the last one.
    """

    low: float
    high: float
    amounts: tuple[Axis, ...]
    legend: tuple[Entry, ...]
    marks: tuple[Captions, ...] = ()
    ticks: tuple[Tick, ...] = ()


@dataclass(frozen=True)
class Scene:
    """A whole figure. `empty` is said instead of panels where there is nothing to draw.

    `remark` tells how it is drawn, such as an axis that does not start at 0; the footnote says so too.
    `alt` is one sentence for those who cannot see it. A `bare` one shows its panels alone, without title and notes.
    `seen`: of a scene that is seen in part, what is seen by each of the canvas's ends.
    """

    title: str
    subtitle: str
    footnote: str
    size: Size
    panels: tuple[Panel, ...]
    legend: tuple[Entry, ...] = ()
    empty: str = ""
    bare: bool = False
    remark: str = ""
    seen: tuple[Seen, ...] = ()

    @property
    def alt(self) -> str:
        """What the figure shows and says, as one sentence."""
        return ": ".join(filter(None, (self.title, self.empty or self.subtitle)))


class TextWidth(Protocol):
    """How wide a text is in the renderer's type."""

    def __call__(self, text: str, size: float = 9.0, bold: bool = False) -> float:
        """Points of type."""


@dataclass(frozen=True)
class Canvas:
    """What a figure is made for: how numbers are written, the room there is, what the renderer's type can do.

    `size` is None where the figure may choose its own; `axes` is that of axes of the user's, `width` the inches there
    are for the figure in them; `usual` is the size of what has no other. `detailed`: whether a pointer can ask for
    details; `seen`: how many periods are seen at once, where not all are, and `ends`: which of them may be the last
    one seen. `known` is what other figures on the same canvas have said already.
    """

    formats: Formats
    measure: TextWidth
    drawable: Callable[[str], bool]
    size: Size | None = None
    width: float = DEFAULT_SIZE[0]
    axes: Size | None = None
    detailed: bool = False
    seen: int | None = None
    ends: tuple[int, ...] = ()
    usual: Size = DEFAULT_SIZE
    known: dict[Any, Any] = field(default_factory=dict, compare=False, repr=False)

    @property
    def room(self) -> Size:
        """The size that is asked for, or the usual one."""
        return self.size or self.usual


#: A figure: a function of an answer and a canvas.
Drawn = Callable[..., Scene]
