"""Writes the types of figures and of what reads, `views/draw.pyi` and `sources/read.pyi`, as the functions have them.

The options of a reading have one row each in `logochron.options`; here they become parameters that editors can show.
"""

from __future__ import annotations

import inspect
from collections.abc import Callable
from pathlib import Path

import logochron as lc

_PACKAGE = Path(__file__).parents[1] / "src" / "logochron"
_MADE = "# Made by scripts/make_stubs.py; a test holds it beside the functions.\n"
_OF_READING = """\
from collections.abc import Callable, Mapping, Sequence
from typing import Any, Literal

from logochron.core.book.daybook import Daybook
from logochron.core.book.measures import Measure
from logochron.core.book.selling_days import SellingDays
from logochron.core.calendars.base import Calendar
from logochron.core.choices import Empty, Grain, OnRefused, PlanSpread, Spread
from logochron.core.days import DayLike
from logochron.core.questions.review import Review
"""
_OF_FIGURES = """\
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
"""


def stubs() -> dict[Path, str]:
    """The stubs by their files."""
    figures = (f"@overload\n{_figure(name, *of)}" for name in dir(lc.draw) for of in _KINDS)
    reading = (_reading(getattr(lc, name)) for name in ("read", "read_plan", "review"))
    return {
        _PACKAGE / "views" / "draw.pyi": "\n".join([_MADE + _OF_FIGURES, *figures]).rstrip("\n") + "\n",
        _PACKAGE / "sources" / "read.pyi": "\n".join([_MADE + _OF_READING, *reading]).rstrip("\n") + "\n",
    }


def _reading(function: Callable[..., object]) -> str:
    """What reads, with its docstring."""
    signature = inspect.signature(function)
    lines, marked = "", False
    for one in signature.parameters.values():
        if one.kind is one.KEYWORD_ONLY and not marked:
            lines, marked = lines + "    *,\n", True
        default = "" if one.default is one.empty else f" = {_told(one.default)}"
        lines += f"    {one.name}: {one.annotation}{default},\n"
    said = "\n".join(line.rstrip() for line in str(function.__doc__).splitlines())
    return f'def {function.__name__}(\n{lines}) -> {signature.return_annotation}:\n    """{said}\n    """\n    ...\n'


#: The hint of `ax`, and what is given back.
_KINDS = (("ax: None = None", "Figure"), ("ax: Axes", "Axes"))


def _figure(name: str, ax: str, back: str) -> str:
    parameters = []
    for one in inspect.signature(getattr(lc.draw, name)).parameters.values():
        if one.name == "ax":
            parameters.append(ax)
        elif one.kind is one.VAR_KEYWORD:
            parameters.append(f"**{one.name}: {one.annotation}")
        else:
            parameters.append(
                f"{one.name}: {one.annotation}" + ("" if one.default is one.empty else f" = {_told(one.default)}")
            )
    first, *rest = parameters
    lines = "".join(f"    {text},\n" for text in (first, "*", *rest))
    return f"def {name}(\n{lines}) -> {back}: ..."


def _told(default: object) -> str:
    return f'"{default}"' if isinstance(default, str) else repr(default)


if __name__ == "__main__":
    for path, text in stubs().items():
        path.write_text(text, encoding="utf-8")
