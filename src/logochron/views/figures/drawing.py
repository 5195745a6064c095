"""What draws a figure: the function of its scene with the options that all figures take."""

from __future__ import annotations

import inspect
import logging
from collections.abc import Callable, Iterable
from functools import cache
from textwrap import dedent
from typing import TYPE_CHECKING, Any

from logochron.core.check_kinds import kinds_checked
from logochron.core.errors import QuestionError, brief
from logochron.core.rows.result import Result
from logochron.core.said import Said
from logochron.views.figures.choose import suited
from logochron.views.figures.registry import FIGURES, Figure
from logochron.views.figures.scene import DEFAULT_SIZE, Canvas, Scene
from logochron.views.formats import Formats
from logochron.views.palette import Palette

if TYPE_CHECKING:
    from matplotlib.axes import Axes

_LOG = logging.getLogger("logochron")

_LEAST_INCHES, _MOST_INCHES = 0.3, 200
#: Inches left and right of axes that a figure of its own would have.
_AROUND = 1.3
#: The options that only some figures take.
_OF_FIGURES = frozenset(option for one in FIGURES for option in one.options)
#: What options mean that several figures take.
_SEVERAL = {
    "at": "The period drawn; the last where None.",
    "measure": "The measure drawn; the first where None.",
    "item": "One item (a tuple for several dimensions) instead of the total.",
    "panels": "The dimension whose items get a small panel each, on shared axes.",
    "panel_scale": '``"shared"``: panels have one scale of amounts; ``"own"``: each its own: shapes compare.',
    "marked": 'Which items show their mark in the lane: ``"all"``, ``"adverse"`` or ``"none"``.',
}
_SHARED = """
    ax
        Axes to draw into; a new figure where None.
    size
        Inches wide and high; 12.8 by 8.0, or as high as it needs, where None.
    palette, locale, formats
        Colors by role; how numbers and dates are written (`formats` goes before `locale`).

    Returns
    -------
    matplotlib.figure.Figure or matplotlib.axes.Axes
        The figure; the axes where `ax` is given.
"""


def leave_out_pages() -> None:
    """Have Matplotlib loaded without the pages that it writes about itself for `help`: a quarter of its loading.

    For a process that ends with its command; what others make of it has its pages.
    """
    from matplotlib import artist

    artist.kwdoc = lambda of: ""  # type: ignore[assignment]


def figure(result: Result, *, ax: Axes | None = None, **options: Any) -> Any:
    """The figure that suits an answer; which one is said through the logger ``logochron``.

    One row is drawn as cards; periods as columns, or as lines past 26; one period by items as bars; several periods by
    items in panels or as a heat map; pace, landing, back-test and drivers in their own way.

    Parameters
    ----------
    result
        From `compare`, `pace`, `land` or `drivers`.
    ax, options
        As the figure takes them.

    Returns
    -------
    matplotlib.figure.Figure or matplotlib.axes.Axes
        The figure; the axes where `ax` is given.

    Raises
    ------
    QuestionError
        Where no figure shows the answer, or an option names nothing in it.

    Examples
    --------
    >>> import logochron as lc
    >>> weeks = lc.compare(lc.demo.book(), each="week", last=60, measures="revenue")
    >>> len(lc.draw.figure(weeks).axes[0].lines) > 2
    True
    """
    if not isinstance(result, Result):
        raise QuestionError("`result` must be an answer, such as that of compare; got {0}", brief(result))
    chosen = suited(result, frozenset(options) & _OF_FIGURES)
    _LOG.warning(chosen.in_words)
    own = chosen.options if ax is None else {}
    return drawing(chosen.figure)(result, ax=ax, **own | options)


@cache
def drawing(figure: Figure) -> Callable[..., Any]:
    """The function that draws a figure: what its scene takes, and what all figures take."""
    scene_of = figure.scene
    shared = {
        option: parameter.replace(kind=parameter.KEYWORD_ONLY)
        for option, parameter in inspect.signature(_canvas).parameters.items()
        if option not in ("figure", "result")
    }

    def draw(result: Result, *, ax: Axes | None = None, **options: Any) -> Any:
        own = {option: options.pop(option) for option in list(options) if option not in shared}
        if ax is not None and own.get("panels") is not None:
            raise QuestionError("panels need a figure of their own: leave `ax` out")
        canvas, palette = _canvas(figure, result, ax, **options)
        scene: Scene = scene_of(result, canvas, **own)
        from logochron.views.figures.to_matplotlib import drawn

        return drawn(scene, palette, ax)

    signature = inspect.signature(scene_of)
    kept = [parameter for option, parameter in signature.parameters.items() if option != "canvas"]
    draw.__signature__ = signature.replace(parameters=[*kept, *shared.values()], return_annotation=Any)  # type: ignore[attr-defined]
    draw.__name__ = draw.__qualname__ = figure.name
    draw.__module__ = "logochron.draw"
    draw.__doc__ = _documented(inspect.getdoc(scene_of) or "", signature.parameters)
    return draw


def _documented(text: str, options: Iterable[str]) -> str:
    """What a scene says of its options, with those of several and of all figures."""
    own, raises, rest = text.partition("\nRaises\n")
    shared = (option for option in options if option in _SEVERAL and f"\n{option}\n" not in own)
    several = "".join(f"\n{option}\n    {_SEVERAL[option]}" for option in shared)
    return own.rstrip() + several + dedent(_SHARED) + raises + rest


@kinds_checked
def _canvas(
    figure: Figure,
    result: object,
    ax: Axes | None = None,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> tuple[Canvas, Palette]:
    """What the figure is drawn on, from the options that all figures take."""
    from matplotlib.axes import Axes as Drawable

    from logochron.views.figures.fonts import drawable, measure

    kind = getattr(result, "kind", None)
    if kind not in figure.answers:
        came = Said("the answer of {0}", kind) if isinstance(result, Result) else brief(result)
        raise QuestionError("`{0}` draws the answer of {1}; got {2}", figure.name, " or ".join(figure.answers), came)
    for name, given, wanted in (("ax", ax, Drawable), ("palette", palette, Palette), ("formats", formats, Formats)):
        if given is not None and not isinstance(given, wanted):
            raise QuestionError("`{0}` must be {1}; got {2}", name, wanted.__name__, brief(given))
    if size is not None and not all(_LEAST_INCHES <= side <= _MOST_INCHES for side in size):
        raise QuestionError(
            "`size` must be inches wide and high, each from {0} to {1}; got {2}",
            _LEAST_INCHES,
            _MOST_INCHES,
            brief(size),
        )
    axes = None if ax is None else _inches(ax)
    canvas = Canvas(
        formats=formats or Formats(locale=locale),
        measure=measure,
        drawable=drawable,
        size=size,
        width=(size or DEFAULT_SIZE)[0] if axes is None else axes[0] + _AROUND,
        axes=axes,
    )
    return canvas, palette or Palette()


def _inches(ax: Axes) -> tuple[float, float]:
    """How wide and high axes are."""
    figure, place = ax.get_figure(), ax.get_position()
    width, height = (side / figure.dpi for side in (figure.bbox.width, figure.bbox.height)) if figure else DEFAULT_SIZE
    return float(width * place.width), float(height * place.height)
