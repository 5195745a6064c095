"""Which figure suits an answer."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, NamedTuple

import numpy as np

from logochron.core.errors import LogochronError, QuestionError
from logochron.core.questions.compare import Comparison
from logochron.core.rows.answer import Answer
from logochron.core.rows.question_types import loaded, question_types
from logochron.core.rows.result import Result
from logochron.core.said import Said
from logochron.views.figures.layout import PanelRow
from logochron.views.figures.registry import Figure, figure_named
from logochron.views.figures.scene import Canvas, Scene
from logochron.views.sections import Section

#: More periods than this are lines; more than the second do not fit into the columns of small panels, or of a heat map.
_COLUMNS, _SMALL_COLUMNS, _HEAT = 26, 13, 18
#: More items than this are better seen in one grid than in panels.
_PANELS = 6
#: So many periods are drawn where there is room for no more.
_FEWER = (13, 9, 6, 4, 2)


class Chosen(NamedTuple):
    """The figure that suits an answer, and the options it is drawn with."""

    figure: Figure
    options: dict[str, Any]

    @property
    def in_words(self) -> str:
        """The choice in words, with what asks for it."""
        panels = self.options.get("panels")
        return Said("drawn as {0}{1}", self.figure.name, (Said(" in panels of {0}", panels) if panels else ""))


def suited(result: Result, taking: frozenset[str] = frozenset()) -> Chosen:
    """The figure that suits an answer, of those that take some options.

    Raises
    ------
    QuestionError
        Where no figure shows it.
    """
    of = result.type
    for figure in map(figure_named, of.figures if taking else ()):
        if taking <= set(figure.options):
            return Chosen(figure, {})
    if not of.figures:
        shown = ", ".join(one.name for one in question_types() if one.figures)
        raise QuestionError("no figure shows the answer of {0}; there are figures of {1}", of.name, shown)
    name, options = loaded(of.suited)(result) if of.suited else (of.figures[0], {})
    return Chosen(figure_named(name), options)


def named_figure(name: str, options: Mapping[str, Any] | None = None) -> Chosen:
    """The figure of a name, with those of some options that it takes."""
    figure = figure_named(name)
    return Chosen(figure, {option: value for option, value in (options or {}).items() if option in figure.options})


def figure_of(section: Section) -> Chosen | None:
    """The figure of a section as it was asked, with its options; None where there is none."""
    answer = section.told
    if not section.drawn or not isinstance(answer, Answer):
        return None
    if section.figure is not None:
        return named_figure(section.figure, section.options)
    try:
        return suited(answer)
    except LogochronError:
        return None


def fitted_scene(answer: Any, chosen: Chosen, canvas: Canvas) -> Scene | None:
    """The figure of an answer in the room there is: of fewer periods, the latest, where all are too many; or None."""
    many = len(answer.periods)
    for n in (many, *(n for n in _FEWER if n < many)):
        part = answer if n == many else answer.between(many - n, many)
        try:
            scene: Scene = chosen.figure.scene(part, canvas, **chosen.options)
        except LogochronError:
            if answer.type.page != "periods":
                return None
        else:
            return scene
    return None


def suited_to_comparison(result: Comparison) -> tuple[str, dict[str, Any]]:
    """The name of a comparison's figure, by how many periods and items it has, and its options.

    One row is drawn as cards; periods as columns, or as lines past 26; one period by items as bars; several periods by
    items in panels or as a heat map.
    """
    periods = len(result.periods)
    if not result.by:
        if periods == 1:
            return "cards", {}
        return ("columns" if periods <= _COLUMNS else "lines"), {}
    if periods == 1:
        return "bars", {}
    items = _items(result)
    if len(result.by) == 1 and items <= _PANELS and periods <= _SMALL_COLUMNS:
        return "columns", {"panels": result.by[0]}
    if periods <= _HEAT:
        return "heat", {}
    if len(result.by) == 1 and items <= PanelRow.MOST:
        return "lines", {"panels": result.by[0]}
    return "lines", {}


def _items(result: Comparison) -> int:
    """How many items there are."""
    blocks = result.of_measure(result.columns, result.measures[0]).blocks
    return int(np.max([block.shape[1] for block in blocks], initial=0))
