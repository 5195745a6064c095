"""The figures: each takes a result and gives a Matplotlib figure, or draws into the axes given."""

from __future__ import annotations

from typing import Any

from logochron.core.synonyms import synonym
from logochron.views.figures.drawing import drawing, figure
from logochron.views.figures.registry import FIGURES, NAMES

__all__ = ["figure", *NAMES]


def __dir__() -> list[str]:
    """The figures alone: what a notebook offers after ``lc.draw.``."""
    return sorted(__all__)


def __getattr__(name: str) -> Any:
    for one in FIGURES:
        if one.name == name:
            return drawing(one)
    ours = synonym(name, "figure")
    told = f": here it is logochron.draw.{ours.change['figure']}" if ours else ""
    raise AttributeError(f"module 'logochron.draw' has no attribute {name!r}{told}")
