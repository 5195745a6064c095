"""The figures: a row each. What makes one is loaded when one is drawn."""

from __future__ import annotations

from collections.abc import Callable
from importlib import import_module
from typing import TYPE_CHECKING, Any, NamedTuple

if TYPE_CHECKING:
    from logochron.views.figures.scene import Drawn


class Figure(NamedTuple):
    """A figure: its name in `logochron.draw`, the kinds of answers it shows, the options of figures that it takes.

    `shared` are options of answers that it takes as well. One that `moves` may be seen in part, by periods.
    One `by_item` shows only what is split by items.

    The function of that name, in the module of that name, makes the scene of an answer.
    """

    name: str
    answers: tuple[str, ...]
    options: tuple[str, ...] = ()
    shared: tuple[str, ...] = ()
    moves: bool = False
    by_item: bool = False

    @property
    def scene(self) -> Drawn:
        """Takes an answer, a canvas and options, gives the scene."""
        made: Drawn = getattr(import_module(f"logochron.views.figures.{self.name}"), self.name)
        return made

    @property
    def draw(self) -> Callable[..., Any]:
        """Takes an answer and options, gives the Matplotlib figure."""
        return import_module("logochron.views.draw").drawing(self)


#: The first one of an answer is drawn where none is named.
FIGURES = (
    Figure("columns", ("compare",), ("item", "panels"), moves=True),
    Figure("overlay", ("compare",), ("item", "panels"), moves=True),
    Figure("lines", ("compare",), ("item", "panels"), moves=True),
    Figure("trend", ("compare",), ("item", "panels", "small")),
    Figure("bars", ("compare",), ("panels", "marked"), by_item=True),
    Figure("nested", ("compare",), ("panels", "marked"), by_item=True),
    Figure("captioned", ("compare",), by_item=True),
    Figure("slope", ("compare",), by_item=True),
    Figure("heat", ("compare",)),
    Figure("cards", ("compare",)),
    Figure("table", ("compare",), (), ("color",)),
    Figure("bridge", ("drivers",)),
    Figure("pace", ("pace",), ("item",)),
    Figure("landing", ("land",), ("item",)),
    Figure("backtest", ("land", "backtest")),
)
NAMES = tuple(figure.name for figure in FIGURES)


def figure_of(answer: str, name: str | None = None) -> Figure | None:
    """The figure of a name, or the first that shows an answer; None where there is none."""
    return next((f for f in FIGURES if answer in f.answers and name in (None, f.name)), None)


def names_of(answer: str) -> tuple[str, ...]:
    """The figures that show an answer."""
    return tuple(figure.name for figure in FIGURES if answer in figure.answers)
