"""Writes the types of the figures, `src/logochron/views/draw.pyi`, as the functions have them."""

from __future__ import annotations

import inspect
from pathlib import Path

import logochron as lc

STUB = Path(__file__).parents[1] / "src" / "logochron" / "views" / "draw.pyi"
_HEAD = """\
# Made by scripts/make_stubs.py; a test holds it beside the functions.
from typing import Any, overload

from matplotlib.axes import Axes
from matplotlib.figure import Figure

from logochron.core.options import Color, Marked
from logochron.core.questions.compare import Comparison
from logochron.core.questions.drivers import Drivers
from logochron.core.questions.landing.answer import Landing
from logochron.core.questions.landing.backtest import Backtest
from logochron.core.questions.pace import Pace
from logochron.core.rows.result import Result
from logochron.views.figures.common import Item
from logochron.views.formats import Formats
from logochron.views.palette import Palette
"""


def stub() -> str:
    """All figures: a figure of its own where no axes are given, else the axes."""
    return "\n".join([_HEAD, *(f"@overload\n{_one(name, *of)}" for name in dir(lc.draw) for of in _KINDS)])


#: The hint of `ax`, and what is given back.
_KINDS = (("ax: None = None", "Figure"), ("ax: Axes", "Axes"))


def _one(name: str, ax: str, back: str) -> str:
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
    STUB.write_text(stub() + "\n", encoding="utf-8")
