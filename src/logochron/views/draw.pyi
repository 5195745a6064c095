# Made by scripts/make_stubs.py; a test holds it beside the functions.
from typing import Any, overload

from matplotlib.axes import Axes
from matplotlib.figure import Figure

from logochron.core.choices import Color, Marked, PanelScale
from logochron.core.questions.compare import Comparison
from logochron.core.questions.drivers import Drivers
from logochron.core.questions.landing.answer import Landing
from logochron.core.questions.landing.backtest import Backtest
from logochron.core.questions.overview import Overview
from logochron.core.questions.pace import Pace
from logochron.core.questions.season import Season
from logochron.core.rows.result import Result
from logochron.views.figures.common import Item
from logochron.views.formats import Formats
from logochron.views.palette import Palette

@overload
def backtest(
    result: Landing | Backtest,
    *,
    ax: None = None,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Figure: ...
@overload
def backtest(
    result: Landing | Backtest,
    *,
    ax: Axes,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Axes: ...
@overload
def bars(
    result: Comparison,
    *,
    measure: str | None = None,
    at: str | None = None,
    panels: str | None = None,
    marked: Marked = "all",
    ax: None = None,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Figure: ...
@overload
def bars(
    result: Comparison,
    *,
    measure: str | None = None,
    at: str | None = None,
    panels: str | None = None,
    marked: Marked = "all",
    ax: Axes,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Axes: ...
@overload
def bridge(
    result: Drivers,
    *,
    measure: str | None = None,
    ax: None = None,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Figure: ...
@overload
def bridge(
    result: Drivers,
    *,
    measure: str | None = None,
    ax: Axes,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Axes: ...
@overload
def captioned(
    result: Comparison,
    *,
    measure: str | None = None,
    at: str | None = None,
    ax: None = None,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Figure: ...
@overload
def captioned(
    result: Comparison,
    *,
    measure: str | None = None,
    at: str | None = None,
    ax: Axes,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Axes: ...
@overload
def cards(
    result: Comparison,
    *,
    measure: str | None = None,
    at: str | None = None,
    ax: None = None,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Figure: ...
@overload
def cards(
    result: Comparison,
    *,
    measure: str | None = None,
    at: str | None = None,
    ax: Axes,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Axes: ...
@overload
def columns(
    result: Comparison,
    *,
    measure: str | None = None,
    item: Item = None,
    panels: str | None = None,
    ax: None = None,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Figure: ...
@overload
def columns(
    result: Comparison,
    *,
    measure: str | None = None,
    item: Item = None,
    panels: str | None = None,
    ax: Axes,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Axes: ...
@overload
def figure(
    result: Result,
    *,
    ax: None = None,
    **options: Any,
) -> Figure: ...
@overload
def figure(
    result: Result,
    *,
    ax: Axes,
    **options: Any,
) -> Axes: ...
@overload
def heat(
    result: Comparison,
    *,
    measure: str | None = None,
    ax: None = None,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Figure: ...
@overload
def heat(
    result: Comparison,
    *,
    measure: str | None = None,
    ax: Axes,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Axes: ...
@overload
def landing(
    result: Landing,
    *,
    measure: str | None = None,
    item: Item = None,
    ax: None = None,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Figure: ...
@overload
def landing(
    result: Landing,
    *,
    measure: str | None = None,
    item: Item = None,
    ax: Axes,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Axes: ...
@overload
def lines(
    result: Comparison,
    *,
    measure: str | None = None,
    item: Item = None,
    panels: str | None = None,
    panel_scale: PanelScale = "shared",
    ax: None = None,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Figure: ...
@overload
def lines(
    result: Comparison,
    *,
    measure: str | None = None,
    item: Item = None,
    panels: str | None = None,
    panel_scale: PanelScale = "shared",
    ax: Axes,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Axes: ...
@overload
def nested(
    result: Comparison,
    *,
    measure: str | None = None,
    at: str | None = None,
    panels: str | None = None,
    marked: Marked = "all",
    ax: None = None,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Figure: ...
@overload
def nested(
    result: Comparison,
    *,
    measure: str | None = None,
    at: str | None = None,
    panels: str | None = None,
    marked: Marked = "all",
    ax: Axes,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Axes: ...
@overload
def overlay(
    result: Comparison,
    *,
    measure: str | None = None,
    item: Item = None,
    panels: str | None = None,
    ax: None = None,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Figure: ...
@overload
def overlay(
    result: Comparison,
    *,
    measure: str | None = None,
    item: Item = None,
    panels: str | None = None,
    ax: Axes,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Axes: ...
@overload
def overview(
    result: Overview,
    *,
    measure: str | None = None,
    color: Color = "text",
    sparks: bool = True,
    ax: None = None,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Figure: ...
@overload
def overview(
    result: Overview,
    *,
    measure: str | None = None,
    color: Color = "text",
    sparks: bool = True,
    ax: Axes,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Axes: ...
@overload
def pace(
    result: Pace,
    *,
    measure: str | None = None,
    item: Item = None,
    ax: None = None,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Figure: ...
@overload
def pace(
    result: Pace,
    *,
    measure: str | None = None,
    item: Item = None,
    ax: Axes,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Axes: ...
@overload
def season(
    result: Season,
    *,
    measure: str | None = None,
    ax: None = None,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Figure: ...
@overload
def season(
    result: Season,
    *,
    measure: str | None = None,
    ax: Axes,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Axes: ...
@overload
def slope(
    result: Comparison,
    *,
    measure: str | None = None,
    at: str | None = None,
    ax: None = None,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Figure: ...
@overload
def slope(
    result: Comparison,
    *,
    measure: str | None = None,
    at: str | None = None,
    ax: Axes,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Axes: ...
@overload
def table(
    result: Comparison,
    *,
    measure: str | None = None,
    color: Color = "text",
    sparks: bool = True,
    ax: None = None,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Figure: ...
@overload
def table(
    result: Comparison,
    *,
    measure: str | None = None,
    color: Color = "text",
    sparks: bool = True,
    ax: Axes,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Axes: ...
@overload
def trend(
    result: Comparison,
    *,
    measure: str | None = None,
    item: Item = None,
    panels: str | None = None,
    panel_scale: PanelScale = "shared",
    small: bool = False,
    ax: None = None,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Figure: ...
@overload
def trend(
    result: Comparison,
    *,
    measure: str | None = None,
    item: Item = None,
    panels: str | None = None,
    panel_scale: PanelScale = "shared",
    small: bool = False,
    ax: Axes,
    size: tuple[float, float] | None = None,
    palette: Palette | None = None,
    locale: str = "en",
    formats: Formats | None = None,
) -> Axes: ...
