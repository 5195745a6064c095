"""The figures: a row each. What draws them is loaded when one is drawn."""

from __future__ import annotations

from collections.abc import Callable
from importlib import import_module
from typing import Any, NamedTuple


class Figure(NamedTuple):
    """A figure: its name in `logochron.draw`, the kinds of answers it shows, the options that it alone takes."""

    name: str
    answers: tuple[str, ...]
    options: tuple[str, ...] = ()

    @property
    def draw(self) -> Callable[..., Any]:
        """Takes an answer and options, gives the figure."""
        drawn: Callable[..., Any] = getattr(import_module("logochron.views.draw"), self.name)
        return drawn


#: The first one of an answer is drawn where none is named.
FIGURES = (
    Figure("columns", ("compare",), ("item", "panels")),
    Figure("bars", ("compare",), ("panels", "marked")),
)
NAMES = tuple(figure.name for figure in FIGURES)


def figure_of(answer: str, name: str | None = None) -> Figure | None:
    """The figure of a name, or the first that shows an answer; None where there is none."""
    return next((f for f in FIGURES if answer in f.answers and name in (None, f.name)), None)
