"""The figures: a row each. What makes one is loaded when one is drawn."""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, NamedTuple

from logochron.core.rows.question_types import question_types

if TYPE_CHECKING:
    from logochron.views.figures.scene import Drawn


class Figure(NamedTuple):
    """A figure: its name in `logochron.draw` and the options of figures that it takes; questions name their figures.

    `shared` are options of answers that it takes as well. One that `moves` may be seen in part, by periods.
    One `by_item` shows only what is split by items.

    The function of that name, in the module that is named, makes the scene of an answer.
    """

    name: str
    module: str
    options: tuple[str, ...] = ()
    shared: tuple[str, ...] = ()
    moves: bool = False
    by_item: bool = False

    @property
    def scene(self) -> Drawn:
        """Takes an answer, a canvas and options, gives the scene."""
        function: Drawn = getattr(import_module(f"logochron.views.figures.{self.module}"), self.name)
        return function

    @property
    def answers(self) -> tuple[str, ...]:
        """The questions whose answers it shows."""
        return tuple(one.name for one in question_types() if self.name in one.figures)


FIGURES = (
    Figure("columns", "period_figures", ("item", "panels"), moves=True),
    Figure("overlay", "period_figures", ("item", "panels"), moves=True),
    Figure("lines", "period_figures", ("item", "panels", "panel_scale"), moves=True),
    Figure("trend", "period_figures", ("item", "panels", "panel_scale", "small"), moves=True),
    Figure("bars", "item_figures", ("panels", "marked"), by_item=True),
    Figure("nested", "item_figures", ("panels", "marked"), by_item=True),
    Figure("captioned", "item_figures", by_item=True),
    Figure("slope", "item_figures", by_item=True),
    Figure("heat", "grid_figures"),
    Figure("cards", "grid_figures"),
    Figure("table", "table_figures", (), ("color",)),
    Figure("overview", "table_figures", (), ("color",)),
    Figure("bridge", "bridge"),
    Figure("season", "season_figure"),
    Figure("pace", "running_figures", ("item",)),
    Figure("landing", "running_figures", ("item",)),
    Figure("backtest", "running_figures"),
)
NAMES = tuple(figure.name for figure in FIGURES)


def figure_named(name: str) -> Figure:
    """The figure of a name."""
    return next(figure for figure in FIGURES if figure.name == name)
